//! One lock of the pins of several targets, and each target's pins out of it again.

use std::sync::Arc;

use rstest::rstest;

use super::*;
use eutaxis_standards::pins::{Selection, select};

const BOARD: &str = "cpython 3.9 / linux armv7l glibc 2.31";
const ARM: &str = "cpython 3.9 / linux aarch64 glibc 2.31";
const LAPTOP: &str = "cpython 3.12 / linux x86_64 glibc 2.35";
const OLD: &str = "cpython 3.12 / linux x86_64 glibc 2.17";
const NEXT: &str = "cpython 3.13 / linux x86_64 glibc 2.35";
const MAC: &str = "cpython 3.12 / macos arm64 14.0";
const ICE: &str = "pypy 3.11 / linux x86_64 glibc 2.35";

/// Pins of a target: projects with version and the tags of their wheel, or `source`; a word after
/// `;` is the extra that they are for.
fn share(name: &str, target: &str, pins: &[&str]) -> Share {
    let one = |pin: &&str| {
        let (pin, extra) = pin
            .split_once(';')
            .map_or((*pin, None), |(p, e)| (p, Some(e)));
        let words: Vec<&str> = pin.split(' ').collect();
        let (project, version, tags) = (words[0], words[1], words[2]);
        let marker = extra.map_or(String::new(), |e| format!("marker = \"'{e}' in extras\"\n"));
        let file = match tags {
            "source" => format!(
                "sdist = {{path = \"{project}-{version}.tar.gz\", hashes = {{sha256 = \"{project}{version}\"}}}}"
            ),
            tags => format!(
                "wheels = [{{path = \"{project}-{version}-{tags}.whl\", hashes = {{sha256 = \"{project}{version}{tags}\"}}}}]"
            ),
        };
        format!(
            "[[packages]]\nname = \"{project}\"\nversion = \"{version}\"\n{marker}\
                dependencies = [{{name = \"firnio\"}}]\n{file}\n\
                [packages.tool.eutaxis]\nasked-by = [\"ask\"]\nnewer = [{{version = \"9\", out = [\"on {tags}\"]}}]\n"
        )
    };
    let packages: String = pins.iter().map(one).collect();
    let target = Target::parse(target).unwrap();
    let text = format!(
        "lock-version = \"1.0\"\nenvironments = [\"{}\"]\nrequires-python = \"=={}.*\"\n\
            extras = [\"plot\"]\ncreated-by = \"eutaxis\"\n{packages}\
            [tool.eutaxis]\nquestion = [\"firnio\"]\ntarget = \"{target}\"\n",
        environment_of(&target),
        target.interpreter.series_text(),
    );
    Share {
        name: name.to_owned(),
        lock: Lock::parse(&text).unwrap(),
        target,
    }
}

/// `version: marker` of the entries of a project.
fn entries(lock: &Lock, project: &str) -> Vec<String> {
    let of = lock.packages.iter().filter(|p| p.name.as_str() == project);
    let told = of.map(|p| {
        let version = p.version.as_deref().unwrap_or_default();
        format!("{version}: {}", p.marker.as_deref().unwrap_or("always"))
    });
    told.collect()
}

/// As it is read from a disk.
fn read_again(lock: &Lock) -> Lock {
    Lock::parse(&lock.write()).unwrap()
}

#[rstest]
#[case::wheels_of_all(
    &[(BOARD, "cp39-cp39-linux_armv7l"), (MAC, "cp312-cp312-macosx_11_0_arm64")],
    &["1: always"]
)]
#[case::tags_tell_libraries(
    &[(LAPTOP, "cp312-cp312-manylinux_2_28_x86_64"), (OLD, "cp312-cp312-manylinux_2_17_x86_64")],
    &["1: always"]
)]
#[case::source_for_one(&[(BOARD, "source"), (MAC, "cp312-cp312-macosx_11_0_arm64")], &["1: always"])]
#[case::source_where_a_wheel_would_fit(
    &[(BOARD, "source"), (MAC, "py3-none-any")],
    &["1: sys_platform == 'linux'", "1: sys_platform == 'darwin'"]
)]
#[case::another_wheel_would_fit(
    &[(LAPTOP, "py3-none-any"), (MAC, "py2.py3-none-any")],
    &["1: sys_platform == 'linux'", "1: sys_platform == 'darwin'"]
)]
fn tags_choose_where_they_can(#[case] targets: &[(&str, &str)], #[case] expected: &[&str]) {
    let shares: Vec<Share> = targets
        .iter()
        .enumerate()
        .map(|(at, (target, tags))| {
            share(&format!("t{at}"), target, &[&format!("firnio 1 {tags}")])
        })
        .collect();
    let joined = read_again(&join(&shares).unwrap());
    assert_eq!(entries(&joined, "firnio"), expected);
    assert_selects(&joined, &shares);
}

/// Every target selects from the whole what it had alone, and its part is told from it again.
fn assert_selects(joined: &Lock, shares: &[Share]) {
    let all = Selection {
        extras: vec![Name::parse("plot").unwrap()],
        groups: None,
    };
    let files = |lock: &Lock, target: &Target| -> Vec<Option<String>> {
        let selected = select(lock, target, &all).unwrap();
        let file = |s: &eutaxis_standards::pins::Selected<'_>| {
            let source = s.package.sdist.as_ref();
            s.wheel.as_ref().map(|w| w.0).or(source)?.filename()
        };
        selected.iter().map(file).collect()
    };
    let again = super::shares(joined, &Arc::new(Families::default()));
    assert_eq!(again.len(), shares.len());
    for (own, again) in shares.iter().zip(&again) {
        assert_eq!(
            files(joined, &own.target),
            files(&own.lock, &own.target),
            "{}",
            own.name
        );
        assert_eq!(own.target.to_string(), again.target.to_string());
        assert_eq!(own.lock.requires_python, again.lock.requires_python);
        assert_eq!(own.lock.environments, again.lock.environments);
        assert_eq!(own.lock.tool, again.lock.tool);
        for (before, after) in own.lock.packages.iter().zip(&again.lock.packages) {
            assert_eq!(before.tool, after.tool);
            assert!(before.files().eq(after.files()), "{before:#?} {after:#?}");
        }
    }
}

#[rstest]
#[case::system(&[BOARD, MAC], &["1: sys_platform == 'linux'", "2: sys_platform == 'darwin'"])]
#[case::processor(
    &[LAPTOP, ARM],
    &["1: platform_machine == 'x86_64'", "2: platform_machine == 'aarch64'"]
)]
#[case::series(&[LAPTOP, NEXT], &["1: python_version == '3.12'", "2: python_version == '3.13'"])]
#[case::implementation(
    &[LAPTOP, ICE],
    &["1: implementation_name == 'cpython'", "2: implementation_name == 'pypy'"]
)]
#[case::two_facts_where_one_is_not_enough(
    &[LAPTOP, NEXT, MAC],
    &[
        "1: sys_platform == 'linux' and python_version == '3.12'",
        "2: sys_platform == 'linux' and python_version == '3.13' or \
            sys_platform == 'darwin' and python_version == '3.12'",
    ]
)]
fn markers_tell_targets_apart(#[case] targets: &[&str], #[case] expected: &[&str]) {
    let shares: Vec<Share> = targets
        .iter()
        .enumerate()
        .map(|(at, target)| {
            let version = if at == 0 { 1 } else { 2 };
            let pins = [
                format!("firnio {version} py3-none-any"),
                "moulin 1 py3-none-any;plot".to_owned(),
            ];
            share(
                &format!("t{at}"),
                target,
                &pins.each_ref().map(String::as_str),
            )
        })
        .collect();
    let joined = read_again(&join(&shares).unwrap());
    assert_eq!(entries(&joined, "firnio"), expected);
    assert_eq!(entries(&joined, "moulin"), ["1: 'plot' in extras"]);
    assert_selects(&joined, &shares);
    // Who needs it names which.
    let moulin = joined
        .packages
        .iter()
        .find(|p| p.name.as_str() == "moulin")
        .unwrap();
    let told: Vec<&str> = moulin
        .dependencies
        .iter()
        .filter_map(|d| string(d, "version"))
        .collect();
    assert_eq!(told, ["1", "2"]);
}

#[rstest]
#[case::two_devices(LAPTOP, "1+nor41", LAPTOP, "1+cpu")]
#[case::two_libraries(LAPTOP, "2", OLD, "1")]
// 32-bit programs on a 64-bit kernel say the kernel's word.
#[case::two_userlands(BOARD, "1", ARM, "2")]
fn what_no_marker_tells_apart_is_told(
    #[case] one: &str,
    #[case] first: &str,
    #[case] other: &str,
    #[case] second: &str,
) {
    let pins = |version: &str| format!("firnio {version} py3-none-any");
    let shares = [
        share("a", one, &[&pins(first)]),
        share("b", other, &[&pins(second)]),
    ];
    let apart = join(&shares).unwrap_err();
    assert_eq!(apart.project.as_str(), "firnio");
    assert_eq!(apart.one, ("a".to_owned(), Some(first.to_owned())));
    assert_eq!(apart.other, ("b".to_owned(), Some(second.to_owned())));
}

#[test]
fn a_project_of_some_targets_counts_there_alone() {
    let shares = [
        share("a", BOARD, &["firnio 1 py3-none-any"]),
        share(
            "b",
            MAC,
            &["firnio 1 py3-none-any", "moulin 1 py3-none-any;plot"],
        ),
    ];
    let joined = read_again(&join(&shares).unwrap());
    assert_eq!(
        entries(&joined, "moulin"),
        ["1: sys_platform == 'darwin' and 'plot' in extras"]
    );
    assert_selects(&joined, &shares);
    let apart = join(&[
        shares[0].clone(),
        share("b", ARM, &["moulin 1 py3-none-any"]),
    ]);
    let apart = apart.unwrap_err();
    assert_eq!((apart.project.as_str(), apart.other.1), ("firnio", None));
}

/// The part that counts in a place is that of its target, or of one whose marker holds there.
#[rstest]
#[case(BOARD, Some("a"))]
#[case("cpython 3.9 / linux armv7l glibc 2.36", Some("a"))]
#[case("cpython 3.12 / macos arm64 15.0", Some("b"))]
#[case(LAPTOP, None)]
fn the_part_of_a_place(#[case] place: &str, #[case] expected: Option<&str>) {
    let shares = [
        share("a", BOARD, &["firnio 1 py3-none-any"]),
        share("b", MAC, &["firnio 2 py3-none-any"]),
    ];
    let joined = join(&shares).unwrap();
    let place = Target::parse(place).unwrap();
    let part = share_at(&joined, &place, &Arc::new(Families::default()));
    let of = shares.iter().find(|s| Some(s.name.as_str()) == expected);
    let version = |lock: &Lock| lock.packages[0].version.clone();
    match of {
        Some(of) => assert_eq!(
            (part.packages.len(), version(&part)),
            (1, version(&of.lock))
        ),
        None => assert_eq!(part, joined),
    }
    assert!(is_shared(&joined) && !is_shared(&shares[0].lock));
}
