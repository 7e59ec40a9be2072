//! Checks over snapshots that are made by hand.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rstest::rstest;

use super::*;
use crate::binary::{Binary, Format};
use crate::diagnose::Context;
use crate::remedy::{Step, Verb};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::knowledge::{Causes, CodeImage, CodeKind, Families, Libraries};
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::Version;

const SITE: &str = "/camp/.venv/lib/python3.11/site-packages";

const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
code = { sections = [".nor_fatbin"], name = "b{number}" }
label = { before = "nor", number = "digits" }
libraries = [{ file = "libnordglim.so.4", toolkit = "4.1" }]
toolkit = [{ version = "3.9", linux = "480.0" }, { version = "4.1", linux = "510.0" }]
"#;

/// A sound environment on the workstation, with a driver of 498.2.
fn camp() -> Snapshot {
    let families = Arc::new(Families::built_in().with(NORDGLIM).unwrap());
    let target = Target::parse_with(
        "cpython 3.11 / linux x86_64 glibc 2.35 / nordglim driver 498.2 device b3",
        &families,
    )
    .unwrap();
    let site = Entry {
        folder: SITE.to_owned(),
        seat: Seat::Site,
        modules: BTreeMap::new(),
    };
    Snapshot {
        root: "/camp/.venv".into(),
        name: ".venv".into(),
        python: "/camp/.venv/bin/python".into(),
        target,
        kind: Kind::Virtual {
            shares_system: false,
        },
        suffixes: [".cpython-311-x86_64-linux-gnu.so", ".abi3.so", ".so"]
            .map(str::to_owned)
            .to_vec(),
        path: vec![site],
        projects: Vec::new(),
        strays: Vec::new(),
        compiled: Vec::new(),
        faults: Vec::new(),
        pins: None,
        dates: Dates::default(),
        libraries: Libraries::built_in(),
        distribution: vec!["debian".into()],
    }
}

/// A project with these lines of metadata and these files.
fn project(name: &str, version: &str, lines: &str, files: &[&str]) -> Project {
    let text = format!("Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n{lines}");
    let owned = |f: &&str| Owned {
        path: format!("{SITE}/{f}"),
        state: State::Whole,
        hash: Some((*f).into()),
        size: 1,
    };
    Project {
        name: Name::parse(name).unwrap(),
        version: Some(Version::parse(version).unwrap()),
        info: format!("{SITE}/{name}-{version}.dist-info"),
        entry: 0,
        here: true,
        metadata: Ok(Metadata::parse(text.as_bytes()).unwrap()),
        form: Form::DistInfo,
        record: Recorded::Read(Vec::new()),
        files: files.iter().map(owned).collect(),
        claims: Vec::new(),
        starts: Vec::new(),
        installer: Some("by hand".into()),
        requested: true,
        direct: None,
        variants: None,
        wheel: None,
        built: None,
        tags: None,
        placed: None,
    }
}

fn compiled(owner: usize, path: &str, part: Binary) -> Compiled {
    Compiled {
        path: format!("{SITE}/{path}"),
        owner: Some(owner),
        importable: true,
        reached: true,
        parts: Ok(vec![part]),
        absent: Vec::new(),
        lacking: Vec::new(),
        unknown: Vec::new(),
    }
}

fn module() -> Binary {
    Binary {
        modules: vec!["_core".into()],
        ..Binary::plain(Format::Elf, "x86_64", 64)
    }
}

fn told(snapshot: &Snapshot) -> Vec<String> {
    let who = |f: &Finding| {
        f.project
            .as_ref()
            .map_or("-".to_owned(), ToString::to_string)
    };
    examine(snapshot)
        .iter()
        .map(|f| format!("{} {} {}", f.severity.as_str(), f.id(), who(f)))
        .collect()
}

#[rstest]
#[case::met("Requires-Dist: firnio>=1\n", &[])]
#[case::outside("Requires-Dist: firnio>=2\n", &["breaks version-clash moulin"])]
#[case::absent("Requires-Dist: icelens\n", &["breaks unmet-requirement moulin"])]
#[case::not_here("Requires-Dist: icelens; sys_platform == 'win32'\n", &[])]
#[case::extra_of_nobody("Requires-Dist: icelens; extra == 'plot'\n", &[])]
#[case::by_url("Requires-Dist: firnio @ https://files.example/firnio-9.tar.gz\n", &[])]
#[case::prerelease_of_what_is_asked("Requires-Dist: firnio>=1.0rc1\n", &[])]
fn needs_are_judged_for_this_interpreter(#[case] lines: &str, #[case] expected: &[&str]) {
    let mut camp = camp();
    camp.projects = vec![
        project("moulin", "5.0", lines, &[]),
        project("firnio", "1.2", "", &[]),
    ];
    assert_eq!(told(&camp), expected);
}

/// What an extra needs may ask for another extra.
#[test]
fn extras_are_followed_to_their_end() {
    let mut camp = camp();
    camp.projects = vec![
        project("katabat", "1.0", "Requires-Dist: moulin[plot]\n", &[]),
        project(
            "moulin",
            "5.0",
            "Requires-Dist: neveplot[fast]; extra == 'plot'\n",
            &[],
        ),
        project(
            "neveplot",
            "1.0",
            "Requires-Dist: icelens; extra == 'fast'\n",
            &[],
        ),
    ];
    assert_eq!(told(&camp), ["breaks unmet-requirement neveplot"]);
}

/// Only what the environment itself holds is judged; what it sees from elsewhere counts for its
/// needs.
#[test]
fn what_is_seen_from_elsewhere_counts_and_is_not_judged() {
    let mut camp = camp();
    let folder = Entry {
        folder: "/usr/lib/python3/dist-packages".into(),
        seat: Seat::System,
        modules: BTreeMap::new(),
    };
    camp.path.push(folder);
    camp.kind = Kind::Virtual {
        shares_system: true,
    };
    let seen = Project {
        entry: 1,
        here: false,
        ..project("firnio", "1.2", "Requires-Dist: nowhere\n", &[])
    };
    camp.projects = vec![
        project("moulin", "5.0", "Requires-Dist: firnio>=1\n", &[]),
        seen.clone(),
    ];
    assert_eq!(told(&camp), [""; 0]);
    // The environment's own comes first.
    camp.projects.push(project("firnio", "0.9", "", &[]));
    assert_eq!(told(&camp), ["breaks version-clash moulin"]);
}

#[rstest]
#[case::label_too_new("2.3.0+nor41", None, &["breaks driver-too-old seracnet"])]
#[case::label_that_runs("2.3.0+nor39", None, &[])]
#[case::library_too_new("2.3.0", Some("libnordglim.so.4"), &["breaks driver-too-old seracnet"])]
#[case::other_family("2.3.0+cu121", None, &[])]
fn drivers_are_held_against_builds(
    #[case] version: &str,
    #[case] library: Option<&str>,
    #[case] expected: &[&str],
) {
    let mut camp = camp();
    let path = "seracnet/_core.cpython-311-x86_64-linux-gnu.so";
    camp.projects = vec![project("seracnet", version, "", &[path])];
    let needs = library.iter().map(|l| (*l).to_owned()).collect();
    camp.compiled = vec![compiled(0, path, Binary { needs, ..module() })];
    assert_eq!(told(&camp), expected);
}

/// Code for devices is held against those of the machine, whoever loads the file that holds it.
#[rstest]
#[case::for_it(&[("code", "3")], &[])]
#[case::for_others(&[("code", "1"), ("code", "2")], &["breaks device-unsupported seracnet"])]
#[case::compiled_by_the_driver(&[("code", "1"), ("text", "2")], &[])]
#[case::compiled_for_later_ones(&[("code", "1"), ("text", "4")], &["breaks device-unsupported seracnet"])]
#[case::of_which_not_all_is_known(&[("code", "1"), ("packed", "")], &[])]
#[case::none(&[], &[])]
fn code_for_devices_is_held_against_them(
    #[case] images: &[(&str, &str)],
    #[case] expected: &[&str],
) {
    let mut camp = camp();
    let path = "seracnet/libkernels.so";
    camp.projects = vec![project("seracnet", "2.3.0", "", &[path])];
    let image = |(kind, name): &(&str, &str)| CodeImage {
        section: ".nor_fatbin".to_owned(),
        kind: match *kind {
            "code" => CodeKind::Machine,
            "text" => CodeKind::Intermediate,
            _ => CodeKind::Packed,
        },
        name: (*name).to_owned(),
    };
    let code = images.iter().map(image).collect();
    camp.compiled = vec![compiled(0, path, Binary { code, ..module() })];
    assert_eq!(told(&camp), expected);
}

/// A library that no module loads may be there for what nobody uses.
#[test]
fn what_no_module_needs_is_only_a_risk() {
    let mut camp = camp();
    let absent = AbsentLibrary {
        library: "libfirn.so.3".into(),
        by: format!("{SITE}/hoarfrost/libplug.so"),
        near: None,
    };
    let library = compiled(
        0,
        "hoarfrost/libplug.so",
        Binary::plain(Format::Elf, "x86_64", 64),
    );
    camp.projects = vec![project("hoarfrost", "1.5", "", &["hoarfrost/libplug.so"])];
    camp.compiled = vec![Compiled {
        importable: false,
        reached: false,
        absent: vec![absent],
        ..library
    }];
    assert_eq!(told(&camp), ["risk library-absent hoarfrost"]);
    if let Some(library) = camp.compiled.first_mut() {
        library.reached = true;
    }
    assert_eq!(told(&camp), ["breaks library-absent hoarfrost"]);
}

#[rstest]
#[case("libGL.so.1", "library-absent", "libgl1")]
#[case("libnordglim.so.4", "toolkit-absent", "nordglim 4.1")]
#[case("libc.musl-x86_64.so.1", "library-absent", "musl")]
fn what_usually_provides_a_library_is_told(
    #[case] library: &str,
    #[case] id: &str,
    #[case] part: &str,
) {
    let mut camp = camp();
    let path = "hoarfrost/_core.abi3.so";
    camp.projects = vec![project("hoarfrost", "1.5", "", &[path])];
    let mut file = compiled(0, path, module());
    file.absent = vec![AbsentLibrary {
        library: library.into(),
        by: file.path.clone(),
        near: None,
    }];
    camp.compiled = vec![file];
    let findings = examine(&camp);
    let found = findings.iter().find(|f| f.id() == id).unwrap();
    assert!(found.remedy.words.contains(part), "{:?}", found.remedy);
}

/// Of several versions that lack the highest tells.
#[test]
fn of_lacking_versions_the_highest_is_told() {
    let mut camp = camp();
    let path = "hoarfrost/_core.abi3.so";
    camp.projects = vec![project("hoarfrost", "1.5", "", &[path])];
    let lacking = |version: &str| LackingVersion {
        library: "libc.so.6".into(),
        path: "/lib/libc.so.6".into(),
        version: version.into(),
        highest: Some("GLIBC_2.35".into()),
    };
    let mut file = compiled(0, path, module());
    file.lacking = vec![
        lacking("GLIBC_2.9"),
        lacking("GLIBC_2.38"),
        lacking("GLIBC_2.36"),
    ];
    camp.compiled = vec![file];
    let findings = examine(&camp);
    let [one] = findings.as_slice() else {
        panic!("{findings:?}")
    };
    assert_eq!(one.id(), "libc-too-old");
    assert!(
        one.evidence().contains("needs GLIBC_2.38 of libc.so.6")
            && one.evidence().contains("ends at GLIBC_2.35")
    );
}

#[test]
fn worst_comes_first_and_then_by_project() {
    let mut camp = camp();
    camp.projects = vec![
        project("snowpit", "2.2", "Requires-Dist: nowhere\n", &[]),
        Project {
            requested: false,
            ..project("ablatia", "1.0", "", &[])
        },
        project("katabat", "1.0", "Requires-Dist: nowhere\n", &[]),
        Project {
            record: Recorded::Absent,
            ..project("moulin", "5.0", "", &[])
        },
    ];
    let expected = [
        "breaks unmet-requirement katabat",
        "breaks unmet-requirement snowpit",
        "risk broken-record moulin",
        "note unreached ablatia",
    ];
    assert_eq!(told(&camp), expected);
}

#[rstest]
#[case::raised(
    Ended::Raised,
    "Traceback (most recent call last):\n  File \"/x/a.py\", line 1, in \
        <module>\nModuleNotFoundError: No module named 'ice'\n",
    "fails: ModuleNotFoundError: No module named 'ice' (last in /x/a.py)"
)]
#[case::exited(Ended::Exited(3), "", "ends the interpreter with exit code 3")]
#[case::instruction(
    Ended::Signal(4),
    "",
    "an instruction that this processor does not have"
)]
#[case::crash(Ended::Signal(11), "", "it crashes")]
#[case::hung(Ended::Hung(30), "", "does not end within 30 s")]
fn failed_imports_are_told(#[case] ended: Ended, #[case] output: &str, #[case] part: &str) {
    let mut camp = camp();
    camp.projects = vec![project("firnio", "1.2", "", &[])];
    let attempt = Attempt {
        module: "firnio".into(),
        owner: Some(0),
        ended,
        output: output.into(),
        complained: String::new(),
        leaves: Vec::new(),
    };
    let (families, libraries) = (Families::built_in(), Libraries::built_in());
    let context = Context {
        families: &families,
        libraries: &libraries,
        distributions: &[],
    };
    let attempts = [
        attempt.clone(),
        Attempt {
            ended: Ended::Well,
            ..attempt
        },
    ];
    let tried = Tried {
        attempts: &attempts,
        wanted: &[0].into(),
        asked: &[0].into(),
        scripts: &BTreeSet::new(),
        public: &["firnio".to_owned()].into(),
    };
    let findings = imports(&camp, &tried, &Causes::built_in(), &context);
    let [one] = findings.as_slice() else {
        panic!("{findings:?}")
    };
    assert!(
        one.id() == "import-fails" && one.evidence().contains(part),
        "{}",
        one.evidence()
    );
    assert_eq!(one.project.as_ref().map(Name::as_str), Some("firnio"));
    // What it wrote is explained as a log is.
    let explained = one
        .cause
        .as_ref()
        .is_some_and(|(id, _)| id == "module-absent")
        && one.remedy.step == Some(Step::run(Verb::Locate, ["ice"]));
    assert_eq!(explained, ended == Ended::Raised, "{one:?}");
}

#[test]
fn dates_tell_what_was_built_before() {
    let mut camp = camp();
    camp.projects = vec![
        project("icelens", "3.1", "Requires-Dist: moulin>=4\n", &[]),
        project("sastrugi", "0.8", "Requires-Dist: moulin>=4,<6\n", &[]),
        project("moulin", "5.0", "", &[]),
    ];
    let key =
        |name: &str, version: &str| (Name::parse(name).unwrap(), Version::parse(version).unwrap());
    let moment = |text: &str| text.parse::<jiff::Timestamp>().unwrap();
    camp.dates
        .published
        .insert(key("icelens", "3.1"), moment("2023-06-14T00:00:00Z"));
    camp.dates
        .published
        .insert(key("sastrugi", "0.8"), moment("2023-06-14T00:00:00Z"));
    camp.dates
        .began
        .insert(key("moulin", "5.0"), moment("2024-09-03T00:00:00Z"));
    // The one that bounds it has thought of a newer series.
    assert_eq!(told(&camp), ["risk built-before icelens"]);
    camp.dates
        .published
        .insert(key("icelens", "3.1"), moment("2025-01-01T00:00:00Z"));
    assert_eq!(told(&camp), [""; 0]);
}

/// The pins by which an environment is made anew are those that were named.
#[rstest]
#[case::named(Some("pylock.hut.toml"), "pylock.hut.toml")]
#[case::not_named(None, "PINS")]
fn a_moved_environment_is_made_anew_from_its_pins(
    #[case] named: Option<&str>,
    #[case] expected: &str,
) {
    let mut snapshot = camp();
    snapshot.faults = vec![PlaceFault::Moved("/hut/.venv".into(), Vec::new())];
    snapshot.pins = named.map(|shown| Pins {
        question: Vec::new(),
        places: Vec::new(),
        shown: shown.into(),
        entries: Vec::new(),
    });
    let findings = examine(&snapshot);
    assert_eq!(findings[0].trouble.id(), "moved-environment");
    assert_eq!(findings[0].evidence(), "it was made at /hut/.venv");
    assert_eq!(
        findings[0].remedy.step,
        Some(Step::furnish(Some(expected), ".venv-new", false))
    );
}

#[rstest]
#[case("libfirn.so", true)]
#[case("libfirn.so.2", true)]
#[case("libice.so.1", false)]
fn what_lacks_a_library_is_found_by_its_name(#[case] library: &str, #[case] lacks: bool) {
    let trouble = Trouble::Compiled(CompiledTrouble::LibraryAbsent {
        library: "libfirn.so.2".into(),
        of_toolkit: false,
        files: vec!["firnio/_core.so".into()],
        through: None,
        near: None,
    });
    assert_eq!(trouble.lacks(library), lacks);
    assert!(trouble.needs().is_none());
}
