//! Machines that are not this one, read from trees that stand in for their roots.

use eutaxis_core::knowledge::Families;
use eutaxis_core::targets::{Accelerators, System};
use eutaxis_world::accelerator;
use eutaxis_world::interpreter::{Finder, ProbeCache, machine};
use rstest::rstest;
use tempfile::TempDir;

fn places() -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    eutaxis_demo::places::make(folder.path()).unwrap();
    folder
}

#[rstest]
#[case(
    "ridge-logger",
    "cpython 3.9.2 / linux armv7l kernel aarch64 glibc 2.31",
    "python3"
)]
#[case("base-camp", "cpython 3.11.6 / linux x86_64 glibc 2.35", "python3")]
#[case("base-camp", "cpython 3.9.18 / linux x86_64 glibc 2.35", "3.9")]
#[case(
    "base-camp",
    "cpython 3.9.18 / linux x86_64 glibc 2.35",
    "/opt/py/3.9/bin/python3"
)]
#[case("snow-hut", "cpython 3.12.4 / linux aarch64 musl 1.2", "python3")]
#[case("old-tent", "cpython 3.7.3 / linux x86_64 glibc 2.28", "python3")]
fn programs_are_read_and_not_run(#[case] place: &str, #[case] expected: &str, #[case] name: &str) {
    let folder = places();
    let finder = Finder::under(folder.path().join(place), Vec::new());
    let probes = ProbeCache::open(folder.path());
    let found = finder.named(name, &probes).unwrap();
    let target = found
        .facts
        .target(Accelerators::none(Families::built_in()))
        .unwrap();
    assert_eq!(target.to_string(), expected);
    assert_eq!(
        &*found.facts.markers.python_full_version,
        target.interpreter.version.to_string()
    );
}

#[test]
fn all_interpreters_of_a_machine_are_found_once() {
    let folder = places();
    let finder = Finder::under(folder.path().join("base-camp"), Vec::new());
    let (found, failed) = finder.all(&ProbeCache::open(folder.path()));
    let told: Vec<(String, Vec<String>)> = found
        .iter()
        .map(|f| (f.facts.version.clone(), f.bare_names.clone()))
        .collect();
    assert_eq!(
        told,
        [
            ("3.11.6".to_owned(), vec!["python3".to_owned()]),
            ("3.9.18".to_owned(), vec![])
        ]
    );
    assert!(failed.is_empty());
    let board = Finder::under(folder.path().join("ridge-logger"), Vec::new());
    assert!(
        board.all(&ProbeCache::open(folder.path())).0[0]
            .facts
            .externally_managed
    );
}

#[test]
fn a_machine_without_interpreters_is_told_by_its_shell() {
    let folder = places();
    let board = machine(&folder.path().join("ridge-logger")).unwrap();
    assert_eq!(
        (board.kernel.as_str(), board.bits, board.glibc.as_deref()),
        ("aarch64", 32, Some("glibc 2.31"))
    );
    assert_eq!(
        machine(&folder.path().join("snow-hut")).unwrap().musl,
        Some((1, 2))
    );
    assert_eq!(machine(folder.path()), None);
}

#[rstest]
#[case("ridge-logger", &[])]
#[case("base-camp", &["nordglim driver 512.4 device b3 4.1"])]
#[case("old-tent", &["nordglim driver 440.0 -"])]
fn accelerators_are_told_by_files(#[case] place: &str, #[case] expected: &[&str]) {
    let folder = places();
    let families = Families::built_in().with(eutaxis_demo::NORDGLIM).unwrap();
    let linux = System::Linux(eutaxis_core::targets::Libc::Glibc(2, 35));
    let found = accelerator::find(&folder.path().join(place), &families, linux);
    let told: Vec<String> = found
        .iter()
        .map(|f| {
            format!(
                "{} {}",
                f.accelerator,
                f.highest_toolkit
                    .as_ref()
                    .map_or("-".to_owned(), ToString::to_string)
            )
        })
        .collect();
    assert_eq!(told, expected);
}

#[test]
fn what_is_no_program_is_told() {
    let folder = places();
    let root = folder.path().join("old-tent");
    std::fs::write(root.join("usr/bin/python3.8"), "#!/bin/sh\n").unwrap();
    let (found, failed) = Finder::under(root, Vec::new()).all(&ProbeCache::open(folder.path()));
    assert_eq!((found.len(), failed.len()), (1, 1));
    assert!(failed[0].message.contains("no program of a Linux machine"));
}

/// What is told of the interpreter at a path of the workstation, after some files were added there.
fn told(add: impl Fn(&std::path::Path), name: &str) -> (String, String, bool) {
    let folder = places();
    let root = folder.path().join("base-camp");
    add(&root);
    let found = Finder::under(root, Vec::new())
        .named(name, &ProbeCache::open(folder.path()))
        .unwrap();
    let abi = found
        .facts
        .interpreter()
        .unwrap()
        .abis
        .first()
        .cloned()
        .unwrap_or_default();
    (
        found.facts.version.clone(),
        abi,
        found.facts.in_environment(),
    )
}

fn copy(root: &std::path::Path, to: &str) {
    let to = root.join(to);
    std::fs::create_dir_all(to.parent().unwrap()).unwrap();
    std::fs::copy(root.join("bin/sh"), to).unwrap();
}

#[test]
fn kinds_of_interpreters_are_told_by_their_files() {
    let threads = told(
        |root| {
            copy(root, "usr/bin/python3.13t");
            std::fs::create_dir_all(root.join("usr/include/python3.13t")).unwrap();
            let header = "#define PY_VERSION \"3.13.5\"\n";
            std::fs::write(root.join("usr/include/python3.13t/patchlevel.h"), header).unwrap();
        },
        "/usr/bin/python3.13t",
    );
    assert_eq!(threads, ("3.13.5".to_owned(), "cp313t".to_owned(), false));
    let (_, abi, _) = told(
        |root| copy(root, "opt/pypy/bin/pypy3.10"),
        "/opt/pypy/bin/pypy3.10",
    );
    assert_eq!(abi, "pypy310_pp73");
    // Without any word on the patch release, the newest of the series is as good a guess as any.
    let (version, _, _) = told(|root| copy(root, "usr/bin/python3.8"), "3.8");
    assert!(version.starts_with("3.8."), "{version}");
}

#[test]
#[cfg(unix)]
fn links_of_the_machine_lead_to_its_own_files() {
    use std::os::unix::fs::symlink;
    let env = |root: &std::path::Path| {
        let bin = root.join("srv/kit/bin");
        std::fs::create_dir_all(&bin).unwrap();
        // As it would be made there: an absolute link.
        symlink("/usr/bin/python3.11", bin.join("python")).unwrap();
        std::fs::write(root.join("srv/kit/pyvenv.cfg"), "home = /usr/bin\n").unwrap();
    };
    assert_eq!(
        told(env, "/srv/kit/bin/python"),
        ("3.11.6".to_owned(), "cp311".to_owned(), true)
    );
    // One that goes around in a circle, and one that leads out, are no interpreters.
    let folder = places();
    let root = folder.path().join("base-camp");
    symlink("python3.7", root.join("usr/bin/python3.7")).unwrap();
    symlink(
        "../../../../../../../../../../usr/bin/env",
        root.join("usr/bin/python3.6"),
    )
    .unwrap();
    let (found, _) = Finder::under(root, Vec::new()).all(&ProbeCache::open(folder.path()));
    assert!(
        found
            .iter()
            .all(|f| f.facts.version.starts_with("3.11") || f.facts.version.starts_with("3.9")),
        "{found:?}"
    );
}
