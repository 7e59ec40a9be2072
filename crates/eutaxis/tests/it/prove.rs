//! `settle --prove`: contents are read, imports are tried, and what fails is learnt.

use rstest::rstest;

use std::process::Stdio;
use std::time::Duration;

use serde_json::Value;
use tempfile::TempDir;

use eutaxis_demo::server::{Server, Trouble};

use crate::field::{Field, change_page, depot_of};

/// A release: its version, its day, its needs and its sources.
pub(crate) type Release<'a> = (&'a str, &'a str, &'a str, &'a [(&'a str, &'a str)]);

/// A pure project: each release with its day, its needs and its sources.
pub(crate) fn project(name: &str, releases: &[Release<'_>]) -> String {
    let mut text = format!("[[project]]\nname = \"{name}\"\nsummary = \"x\"\npure = true\n");
    for (version, date, needs, sources) in releases {
        text.push_str(&format!(
            "[[project.release]]\nversion = \"{version}\"\ndate = \"{date}\"\nneeds = [{needs}]\n"
        ));
        text.push_str("[project.release.sources]\n");
        for (path, source) in *sources {
            text.push_str(&format!("{path:?} = {source:?}\n"));
        }
    }
    text
}

/// The name that `windvane` takes is gone in a minor release of `gustlib`.
fn name_gone() -> String {
    let has = [("gustlib/urls.py", "def parse_station(text): return text\n")];
    let lacks = [("gustlib/urls.py", "def read_station(text): return text\n")];
    let takes = [(
        "windvane/__init__.py",
        "import os\nfrom gustlib.urls import parse_station\n",
    )];
    [
        project(
            "gustlib",
            &[
                ("2.0", "2024-01-10", "", &has),
                ("2.1", "2024-02-10", "", &has),
                ("2.2", "2024-08-10", "", &has),
                ("2.3", "2025-06-10", "", &lacks),
                ("2.4", "2025-09-10", "", &lacks),
            ],
        ),
        project(
            "windvane",
            &[("1.2", "2024-03-01", "\"gustlib>=2\"", &takes)],
        ),
    ]
    .concat()
}

/// A folder with a depot of a world of its own.
struct Camp {
    field: Field,
    depot: TempDir,
}

impl Camp {
    fn of(world: &str) -> Self {
        Camp {
            field: Field::empty(),
            depot: depot_of(world),
        }
    }

    /// Settles, whatever dates say: the answer.
    fn settle(&self, code: i32, arguments: &[&str]) -> Value {
        let at = self.depot.path().display().to_string();
        let common = ["--json", "settle", "--chronology", "ignore", "--depot", &at];
        let ran = self.field.expect(code, &[&common[..], arguments].concat());
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e} {ran:?}"))
    }
}

impl Camp {
    /// Types in a command that was printed, one of several after the other.
    fn type_in(&self, command: &str) {
        for part in command.split(" && ") {
            let words: Vec<String> = part
                .split(' ')
                .skip(1)
                .map(|w| w.replace('"', ""))
                .collect();
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            self.field.expect(0, &words);
        }
    }
}

/// Settles and proves in a folder with a depot of this world.
fn proven(world: &str, code: i32, arguments: &[&str]) -> (Camp, Value) {
    let camp = Camp::of(world);
    let answer = camp.settle(code, &[&["--prove"], arguments].concat());
    (camp, answer)
}

fn pinned(answer: &Value, project: &str) -> String {
    let pins = answer["pins"].as_array().unwrap();
    let pin = pins.iter().find(|p| p["name"] == project);
    pin.map_or(String::new(), |p| p["version"].as_str().unwrap().to_owned())
}

#[rstest]
#[case::run_here(&[], "ran")]
#[case::elsewhere(&["--target", "cpython 3.9 / windows x86_64"], "read")]
fn a_name_that_is_gone_is_found_in_the_newest_release_that_has_it(
    #[case] target: &[&str],
    #[case] level: &str,
) {
    let (_, answer) = proven(&name_gone(), 0, &[&["windvane"], target].concat());
    assert_eq!(pinned(&answer, "gustlib"), "2.2", "{answer:#}");
    assert_eq!(answer["evidence"]["level"], level);
    let round = &answer["proof"]["rounds"][0];
    assert_eq!(
        round["failed"],
        "takes parse_station from gustlib.urls (windvane/__init__.py:2); gustlib 2.4 does not have it"
    );
    assert_eq!(
        (&round["learnt"]["versions"], &round["learnt"]["needs"]),
        (&"<=1.2".into(), &"gustlib>=2,<2.3".into())
    );
}

/// A project whose top imports, and whose modules below do not all.
fn trouble_below(takes: &'static str) -> String {
    let has = [(
        "gustlib/__init__.py",
        "def parse_station(text): return text\n",
    )];
    let lacks = [(
        "gustlib/__init__.py",
        "def read_station(text): return text\n",
    )];
    let sources = [
        ("windvane/__init__.py", "import gustlib\n"),
        ("windvane/board.py", takes),
        ("windvane/chart.py", "import plotter_that_nobody_has\n"),
        ("windvane/_inner.py", "raise ValueError('private')\n"),
        (
            "windvane/tests/__init__.py",
            "raise ValueError('for makers')\n",
        ),
        (
            "windvane/setup_wanted.py",
            "raise ValueError('no station')\n",
        ),
        ("windvane/well.py", "from . import board\n"),
    ];
    [
        project(
            "gustlib",
            &[
                ("2.0", "2024-01-10", "", &has),
                ("2.3", "2025-06-10", "", &lacks),
            ],
        ),
        project(
            "windvane",
            &[("1.2", "2024-03-01", "\"gustlib\"", &sources)],
        ),
    ]
    .concat()
}

/// What users import only when they need it counts as well: it bounds another project, and parts
/// that want more than is there are told. What was run shows more than what was read.
#[rstest]
#[case::run_here(&[], "ran", Some(4), &["windvane.chart", "windvane.setup_wanted"])]
#[case::elsewhere(&["--target", "cpython 3.9 / windows x86_64"], "read", None, &["windvane.chart"])]
fn what_is_below_counts_and_bounds_others(
    #[case] target: &[&str],
    #[case] level: &str,
    #[case] below: Option<u64>,
    #[case] apart: &[&str],
) {
    let world = trouble_below("from gustlib import parse_station\n");
    let (_, answer) = proven(&world, 0, &[&["windvane"], target].concat());
    assert_eq!(pinned(&answer, "gustlib"), "2.0", "{answer:#}");
    assert_eq!(answer["evidence"]["level"], level);
    let proof = &answer["proof"];
    assert_eq!(proof["rounds"].as_array().unwrap().len(), 1);
    assert_eq!(proof["below"], serde_json::json!(below));
    assert_eq!(proof["slight"], serde_json::json!([]));
    let told = proof["apart"].as_array().unwrap();
    let modules: Vec<&Value> = told.iter().map(|a| &a["module"]).collect();
    assert_eq!(modules, apart);
    assert_eq!(told[0]["lacks"], "plotter_that_nobody_has");
}

/// Names that a call puts into a module are not seen by reading. What a project takes of itself is not
/// held against it, and what was run outranks what was read.
#[rstest]
#[case::own("windvane", &[], "ran", 0)]
#[case::own_elsewhere("windvane", &["--target", "cpython 3.9 / windows x86_64"], "read", 0)]
#[case::of_another("weathercock", &[], "ran", 0)]
fn names_that_are_put_there_are_not_lacking(
    #[case] ask: &str,
    #[case] target: &[&str],
    #[case] level: &str,
    #[case] rounds: usize,
) {
    let puts = "import importlib\n\ndef put(name):\n    module = importlib.import_module('windvane.parts')\n    \
        setattr(module, name, len)\n";
    let own = [
        (
            "windvane/__init__.py",
            "from windvane.tools import put\nput('st' + 'ake')\nfrom windvane.parts import stake\n",
        ),
        ("windvane/tools.py", puts),
        ("windvane/parts.py", ""),
    ];
    let other = [(
        "weathercock.py",
        "import windvane\nfrom windvane.parts import stake\n",
    )];
    let world = [
        project("windvane", &[("1.2", "2024-03-01", "", &own)]),
        project(
            "weathercock",
            &[("1.0", "2024-04-01", "\"windvane\"", &other)],
        ),
    ];
    let (_, answer) = proven(&world.concat(), 0, &[&[ask], target].concat());
    assert_eq!(answer["evidence"]["level"], level, "{answer:#}");
    let found = answer["proof"]["rounds"].as_array().unwrap();
    assert_eq!(found.len(), rounds, "{answer:#}");
}

/// A wheel that is none, with the hash that its page states, is no release that can be taken.
#[test]
fn a_wheel_that_cannot_be_placed_is_left() {
    let source = [("windvane/__init__.py", "")];
    let releases = [
        ("1.2", "2024-03-01", "", &source[..]),
        ("1.3", "2024-04-01", "", &source[..]),
    ];
    let camp = Camp::of(&project("windvane", &releases));
    let depot = camp.depot.path();
    let wheel = depot.join("windvane/windvane-1.3-py3-none-any.whl");
    // Its RECORD is of other bytes.
    let script = "import hashlib, sys, zipfile\n\
        old = zipfile.ZipFile(sys.argv[1])\n\
        parts = [(n, old.read(n)) for n in old.namelist()]\n\
        old.close()\n\
        new = zipfile.ZipFile(sys.argv[1], 'w')\n\
        [new.writestr(n, b + b'x = 1' if n.endswith('__init__.py') else b) for n, b in parts]\n\
        new.close()\n\
        print(hashlib.sha256(open(sys.argv[1], 'rb').read()).hexdigest())";
    let done = std::process::Command::new("python3")
        .args(["-c", script])
        .arg(&wheel)
        .output();
    let hash = String::from_utf8(done.unwrap().stdout).unwrap();
    let size = std::fs::metadata(&wheel).unwrap().len();
    change_page(depot, "windvane", |page| {
        let files = page["files"].as_array_mut().unwrap();
        let file = files
            .iter_mut()
            .find(|f| f["filename"] == "windvane-1.3-py3-none-any.whl");
        let file = file.unwrap();
        file["hashes"]["sha256"] = hash.trim().into();
        file["size"] = size.into();
    });
    let answer = camp.settle(0, &["windvane", "--prove"]);
    assert_eq!(pinned(&answer, "windvane"), "1.2", "{answer:#}");
    let failed = answer["proof"]["rounds"][0]["failed"].as_str().unwrap();
    assert!(
        failed.contains("does not have the hash of its RECORD"),
        "{failed}"
    );
}

/// What imports leave in an empty home is told, the fullest of it.
#[test]
fn what_imports_leave_behind_is_told() {
    let makes = "import os\nhome = os.path.expanduser('~/.windvane')\nos.makedirs(home)\n";
    let fills = format!("{makes}open(os.path.join(home, 'x.log'), 'w').close()\n");
    let sources = [
        ("windvane/__init__.py", makes),
        ("weathercock.py", fills.as_str()),
    ];
    let world = project("windvane", &[("1.2", "2024-03-01", "", &sources)]);
    let (_, answer) = proven(&world, 0, &["windvane"]);
    let leaves = serde_json::json!(["~/.windvane: logs"]);
    assert_eq!(answer["proof"]["leaves"], leaves, "{answer:#}");
}

/// What every environment used to bring is added for those that take it and do not say so.
#[test]
fn what_was_once_everywhere_is_added() {
    let helper = eutaxis_core::knowledge::bringing("pkg_resources")[0];
    let brings = [(
        "pkg_resources/__init__.py",
        "def iter_entry_points(): return []\n",
    )];
    let takes = [
        ("windvane/__init__.py", ""),
        ("windvane/plug.py", "import pkg_resources\n"),
    ];
    let world = [
        project(helper, &[("58.0", "2021-01-10", "", &brings)]),
        project("windvane", &[("1.2", "2021-03-01", "", &takes)]),
    ];
    let (_, answer) = proven(&world.concat(), 0, &["windvane"]);
    assert_eq!(pinned(&answer, helper), "58.0", "{answer:#}");
    assert_eq!(answer["proof"]["apart"], serde_json::json!([]));
}

/// No release has what is taken below: the set that imports is the answer, and it is told.
#[test]
fn what_no_set_mends_below_is_told_and_no_reason_for_a_no() {
    let world = trouble_below("from gustlib import never_there\n");
    let (_, answer) = proven(&world, 0, &["windvane"]);
    assert_eq!(pinned(&answer, "gustlib"), "2.3", "{answer:#}");
    assert_eq!(answer["evidence"]["level"], "ran");
    assert_eq!(answer["proof"]["rounds"], serde_json::json!([]));
    let slight = answer["proof"]["slight"].as_array().unwrap();
    assert_eq!(slight.len(), 1);
    let told = slight[0].as_str().unwrap();
    assert!(
        told.starts_with("windvane 1.2 `import windvane.board` fails: ")
            && told.contains("never_there"),
        "{told}"
    );
    // It is told where it is placed, too, and placed.
    for (options, apart) in [(&["--prove"][..], 2), (&[], 1)] {
        let camp = Camp::of(&world);
        camp.settle(0, &["windvane"]);
        let placed = camp.furnish(0, options);
        let told = placed["scripts"][0].as_str().unwrap();
        assert!(told.contains("never_there"), "{placed:#}");
        assert_eq!(placed["apart"].as_array().unwrap().len(), apart);
        let again = placed["again"].as_str().unwrap();
        assert!(again.contains("--prove"), "{again}");
        // What the proof could not mend is not to be proven again.
        camp.type_in(again);
        assert_eq!(camp.furnish(0, options)["again"], Value::Null);
    }
}

/// Of several targets each heeds what it taught, and all stay as equal as they can be.
#[test]
fn several_targets_are_proven_together() {
    let dropped = [("stakelog/__init__.py", "import imp\n")];
    let kept = [("stakelog/__init__.py", "import os\n")];
    let releases = [
        ("1.0", "2023-01-01", "", &kept[..]),
        ("1.1", "2023-02-01", "", &dropped[..]),
    ];
    let world = name_gone() + &project("stakelog", &releases);
    let targets = [
        "--target",
        "cpython 3.10 / windows x86_64",
        "--target",
        "cpython 3.12 / windows x86_64",
    ];
    let (_, answer) = proven(
        &world,
        0,
        &[&["windvane", "stakelog"], &targets[..]].concat(),
    );
    for target in answer["targets"].as_array().unwrap() {
        assert_eq!(target["evidence"]["level"], "read", "{answer:#}");
        let both = [pinned(target, "gustlib"), pinned(target, "stakelog")];
        // What the one interpreter dropped bars a release there alone, and both take the same.
        assert_eq!(both, ["2.2", "1.0"], "{answer:#}");
    }
    assert_eq!(answer["differences"], serde_json::json!([]));
}

/// Two projects that bring one file with different contents cannot be together: furnish would refuse
/// what was proven.
#[rstest]
#[case::different("B = 2\n", 1)]
#[case::equal("A = 1\n", 0)]
fn one_file_of_two_projects_is_no_set(#[case] other: &str, #[case] code: i32) {
    let of = |name: &str, source: &str| {
        let own = format!("{name}/__init__.py");
        let sources = [(own.as_str(), ""), ("mastlib/__init__.py", source)];
        project(name, &[("1.0", "2024-01-01", "", &sources)])
    };
    let world = of("pole", "A = 1\n") + &of("stay", other);
    let (_, answer) = proven(&world, code, &["pole", "stay"]);
    if code == 1 {
        let told = answer["proof"]["rounds"][0]["failed"].as_str().unwrap();
        assert!(told.contains("mastlib/__init__.py"), "{answer:#}");
    }
}

/// An undeclared helper is found by its name, and its innocent twin is let be.
#[rstest]
#[case::taken("import tarnhelper\n", "1.0")]
#[case::guarded(
    "try:\n    import tarnhelper\nexcept ImportError:\n    tarnhelper = None\n",
    ""
)]
fn a_helper_that_nobody_states_is_added(#[case] source: &str, #[case] helper: &str) {
    let world = [
        project(
            "pitnotes",
            &[("1.0", "2025-01-01", "", &[("pitnotes/__init__.py", source)])],
        ),
        project("tarnhelper", &[("1.0", "2024-01-01", "", &[])]),
    ];
    let (_, answer) = proven(&world.concat(), 0, &["pitnotes"]);
    assert_eq!(pinned(&answer, "tarnhelper"), helper, "{answer:#}");
    assert_eq!(answer["evidence"]["level"], "ran");
}

/// A project that only bears the name brings nothing.
#[test]
fn a_namesake_that_brings_something_else_is_not_taken() {
    let world = [
        project("pitnotes", &[("1.0", "2025-01-01", "", &[("pitnotes/__init__.py", "import tarnhelper\n")])]),
        "[[project]]\nname = \"tarnhelper\"\nsummary = \"x\"\npure = true\n[[project.release]]\nversion = \
         \"1.0\"\ndate = \"2024-01-01\"\n[project.release.sources]\n\"tarnhelper/__init__.py\" = \"import \
         pitnotes_core\"\n".to_owned(),
    ];
    let (camp, answer) = proven(&world.concat(), 1, &["pitnotes"]);
    assert_eq!(
        answer["proof"]["rounds"][0]["evidence"], "read",
        "{answer:#}"
    );
    assert!(!camp.field.path("pylock.toml").exists());
}

/// What the interpreter dropped is left to releases that do not take it.
#[test]
fn a_module_that_the_interpreter_dropped_bars_the_releases_that_take_it() {
    let takes = [(
        "stakelog/__init__.py",
        "import cgi_of_old, os\n".replace("cgi_of_old", "imp"),
    )];
    let takes: Vec<(&str, &str)> = takes.iter().map(|(a, b)| (*a, b.as_str())).collect();
    let free = [("stakelog/__init__.py", "import importlib\n")];
    let world = project(
        "stakelog",
        &[
            ("1.0", "2024-01-01", "", &free),
            ("1.1", "2024-02-01", "", &takes),
        ],
    );
    let target = ["--target", "cpython 3.12 / linux x86_64 glibc 2.35"];
    let (_, answer) = proven(&world, 0, &[&["stakelog"][..], &target].concat());
    assert_eq!(pinned(&answer, "stakelog"), "1.0", "{answer:#}");
    let failed = answer["proof"]["rounds"][0]["failed"].as_str().unwrap();
    assert_eq!(
        failed,
        "imports imp (stakelog/__init__.py:1), gone since 3.12"
    );
}

/// What only running shows: code that was generated for another series of what runs it.
#[test]
fn code_generated_for_another_series_is_met_again_by_dates() {
    let calls = [(
        "stakemsg/__init__.py",
        "from stakecodec import builder\nbuilder.build('stake')\n",
    )];
    let old = [("stakecodec/builder.py", "def build(name): return name\n")];
    let new = [(
        "stakecodec/builder.py",
        "def build(name):\n    raise TypeError('Descriptors cannot be created directly')\n",
    )];
    let world = [
        project(
            "stakecodec",
            &[
                ("3.8", "2023-01-01", "", &old),
                ("3.9", "2023-06-01", "", &old),
                ("4.0", "2024-06-01", "", &new),
            ],
        ),
        project(
            "stakemsg",
            &[("1.0", "2023-09-01", "\"stakecodec\"", &calls)],
        ),
    ];
    let (_, answer) = proven(&world.concat(), 0, &["stakemsg"]);
    assert_eq!(pinned(&answer, "stakecodec"), "3.9", "{answer:#}");
    let round = &answer["proof"]["rounds"][0];
    assert_eq!(round["evidence"], "ran");
    assert_eq!(round["learnt"]["needs"], "stakecodec<4");
}

/// A fault of the machine is told, and bounds nothing.
#[test]
fn a_fault_of_the_machine_is_told_and_bounds_nothing() {
    let source = "raise OSError(28, 'No space left on device')\n";
    let world = project(
        "pitnotes",
        &[
            ("0.9", "2024-01-01", "", &[]),
            ("1.0", "2025-01-01", "", &[("pitnotes/__init__.py", source)]),
        ],
    );
    let (_, answer) = proven(&world, 0, &["pitnotes"]);
    assert_eq!(
        (
            pinned(&answer, "pitnotes").as_str(),
            &answer["evidence"]["level"]
        ),
        ("1.0", &"read".into())
    );
    let short = answer["proof"]["short_of"][0].as_str().unwrap();
    assert!(short.contains("a fault of this machine"), "{answer:#}");
}

/// What was learnt stands in the pins, is heeded without a proof, and tried anew when renewed.
#[test]
fn what_was_learnt_stays_with_the_pins() {
    let (camp, _) = proven(&name_gone(), 0, &["windvane"]);
    let text = camp.field.read("pylock.toml");
    assert!(
        text.contains("learnt = [{") && text.contains("level = \"ran\""),
        "{text}"
    );
    let again = camp.settle(0, &["windvane"]);
    assert_eq!(pinned(&again, "gustlib"), "2.2");
    assert_eq!(again["evidence"]["level"], "ran", "the pins are the same");
    assert_eq!(camp.field.read("pylock.toml"), text, "and so is the file");
    let checked = camp.settle(0, &["windvane", "--check"]);
    assert_eq!(checked["checked"][0]["evidence"]["level"], "ran");
    // What is listed are entries of the settings, which do the same for other pins.
    let listed = camp.field.expect(0, &["reason", "--learnt"]).out;
    let entries = listed.split_once("\n[[adjust]]").unwrap().1;
    let entries = entries.split("\nnote").next().unwrap();
    camp.field
        .write("eutaxis.toml", &format!("[[adjust]]{entries}"));
    let other = camp.settle(0, &["windvane", "--out", "pylock.other.toml"]);
    assert_eq!(pinned(&other, "gustlib"), "2.2", "{listed}");
    std::fs::remove_file(camp.field.path("eutaxis.toml")).unwrap();
    let renewed = camp.settle(0, &["windvane", "--renew"]);
    let level = &renewed["evidence"]["level"];
    assert_eq!(
        (pinned(&renewed, "gustlib").as_str(), level),
        ("2.4", &"declared".into())
    );
    let checked = camp.settle(0, &["windvane", "--check"]);
    assert_eq!(checked["checked"][0]["evidence"]["level"], "declared");
    assert!(!camp.field.read("pylock.toml").contains("learnt"));
}

/// Where nothing follows from a failure, nothing is written.
#[test]
fn a_set_that_cannot_be_mended_is_no_answer() {
    let source = "raise RuntimeError('the moon is wrong')\n";
    let world = project(
        "pitnotes",
        &[("1.0", "2025-01-01", "", &[("pitnotes/__init__.py", source)])],
    );
    let (camp, answer) = proven(&world, 1, &["pitnotes"]);
    assert!(!camp.field.path("pylock.toml").exists());
    let failed = answer["proof"]["rounds"][0]["failed"].as_str().unwrap();
    assert!(failed.contains("the moon is wrong"), "{answer:#}");
}

impl Camp {
    fn furnish(&self, code: i32, arguments: &[&str]) -> Value {
        let ran = self
            .field
            .expect(code, &[&["--json", "furnish"], arguments].concat());
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e} {ran:?}"))
    }
}

/// A set that will not import is placed with a caution in the first line, and not where a proof is
/// asked for.
#[test]
fn furnish_tells_what_importing_will_run_into() {
    let camp = Camp::of(&name_gone());
    camp.settle(0, &["windvane"]);
    let refused = camp.furnish(1, &["--prove"]);
    assert_eq!(refused["refused"], "unproven", "{refused:#}");
    assert!(!camp.field.path(".venv").exists());
    let placed = camp.field.expect(0, &["furnish"]);
    let first = placed.out.lines().next().unwrap();
    assert!(
        first.starts_with("caution") && first.contains("will fail"),
        "{placed:?}"
    );
    assert!(camp.field.path(".venv").exists());
    assert_eq!(camp.furnish(1, &["--prove"])["refused"], "unproven");
}

/// What the pins hold themselves is not mended by bringing them again.
#[test]
fn pins_that_lack_something_are_settled_anew() {
    let world = project("pitnotes", &[("1.0", "2024-01-01", "\"tarnhelper\"", &[])])
        + &project("tarnhelper", &[("1.0", "2024-01-01", "", &[])]);
    let camp = Camp::of(&world);
    camp.settle(0, &["pitnotes"]);
    let whole = camp.field.read("pylock.toml");
    let (before, _) = whole
        .split_once("[[packages]]\nname = \"tarnhelper\"")
        .unwrap();
    let (_, own) = whole.split_once("[tool.eutaxis]").unwrap();
    camp.field
        .write("pylock.toml", &format!("{before}[tool.eutaxis]{own}"));
    camp.furnish(0, &[]);
    let at = camp.depot.path().display().to_string();
    let examine = |code: i32| camp.field.json(code, &["examine", ".venv", "--depot", &at]);
    let found = examine(1);
    assert_eq!(
        crate::hut::told(&found),
        ["breaks unmet-requirement pitnotes"]
    );
    let remedy = &found["findings"][0];
    assert_eq!(remedy["remedy_evidence"], "solved", "{found:#}");
    camp.type_in(
        remedy["remedy"]
            .as_str()
            .unwrap()
            .split_once(":  ")
            .unwrap()
            .1,
    );
    assert_eq!(crate::hut::told(&examine(0)), [""; 0]);
}

/// An environment that imports is not replaced by one that does not, unless that is insisted on.
#[test]
fn what_imports_is_not_replaced_by_what_does_not() {
    let camp = Camp::of(&name_gone());
    camp.settle(0, &["windvane", "--prove"]);
    assert_eq!(camp.furnish(0, &["--prove"])["level"], "ran");
    camp.settle(0, &["windvane", "--renew"]);
    let refused = camp.furnish(1, &[]);
    assert_eq!(refused["refused"], "would-break", "{refused:#}");
    let site = ".venv/lib/python3.11/site-packages/gustlib-2.2.dist-info";
    assert!(camp.field.path(site).exists() || !camp.field.path(".venv/lib/python3.11").exists());
    let placed = camp.furnish(0, &["--anyway"]);
    assert_eq!(placed["replaced"][0]["after"], "2.4", "{placed:#}");
}

/// An environment is compared with the pins that it was made from without being told, also when it
/// was made again empty, or is gone.
#[test]
fn an_environment_remembers_its_pins() {
    let camp = Camp::of(&name_gone());
    camp.settle(0, &["windvane", "--prove", "--out", "pylock.mast.toml"]);
    camp.furnish(0, &["pylock.mast.toml", "--at", ".venv"]);
    let clean = camp.field.expect(0, &["examine", ".venv"]);
    assert!(clean.out.contains("compared with"), "{clean:?}");
    let told = camp.field.json(0, &["examine", ".venv"]);
    assert_eq!(told["pins"]["evidence"]["level"], "ran", "{told:#}");
    let site = camp.field.path(".venv/lib");
    let python = std::fs::read_dir(&site).unwrap().next().unwrap().unwrap();
    for entry in std::fs::read_dir(python.path().join("site-packages")).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            std::fs::remove_dir_all(path).unwrap();
        }
    }
    let empty = camp.field.expect(1, &["examine", ".venv"]);
    assert!(empty.out.contains("absent-pin"), "{empty:?}");
    let root = camp.field.path(".venv");
    std::fs::remove_dir_all(&root).unwrap();
    let gone = camp
        .field
        .command(&["examine"])
        .env("VIRTUAL_ENV", &root)
        .output()
        .unwrap();
    let gone = crate::field::ran(gone);
    assert!(
        gone.code != 0 && gone.err.contains("the active environment is gone"),
        "{gone:?}"
    );
    let command = gone
        .err
        .split("make it again:  ")
        .nth(1)
        .unwrap()
        .lines()
        .next()
        .unwrap();
    let words: Vec<&str> = command.split(' ').skip(1).collect();
    camp.field.expect(0, &words);
    assert!(root.exists(), "what was printed was typed");
}

/// Killed at any point: no pins or whole ones, no environment or a whole one, and the next run does
/// it.
#[rstest]
#[case("wheel-unpacked")]
#[case("wheel-unpacked:3")]
#[case("metadata-kept")]
#[case("stage-made")]
#[case("file-placed:2")]
#[case("tree-in-place")]
#[case("file-written")]
fn a_proof_that_is_killed_leaves_nothing_half(#[case] point: &str) {
    let camp = Camp::of(&name_gone());
    let at = camp.depot.path().display().to_string();
    let settle = [
        "settle",
        "windvane",
        "--prove",
        "--chronology",
        "ignore",
        "--depot",
        &at,
    ];
    crate::killed::kill_at(&camp.field, &settle, point);
    assert!(!camp.field.path("pylock.toml").exists());
    assert_eq!(
        pinned(&camp.settle(0, &["windvane", "--prove"]), "gustlib"),
        "2.2"
    );
    let mut names = camp.field.names();
    // What was being written when it was killed.
    names.retain(|name| !name.starts_with(".eutaxis-"));
    assert_eq!(names, ["pylock.toml"], "nothing is left beside the pins");
}

/// The same at moments of chance, of both commands.
#[test]
fn killed_at_any_moment_nothing_is_half() {
    let camp = Camp::of(&name_gone());
    camp.settle(0, &["windvane", "--prove", "--out", "pylock.whole.toml"]);
    let whole = camp.field.read("pylock.whole.toml");
    let releases = |text: &str| -> Vec<String> {
        let lines = text.lines().filter(|l| l.starts_with("version = "));
        lines.map(str::to_owned).collect()
    };
    let at = camp.depot.path().display().to_string();
    let settle = [
        "settle",
        "windvane",
        "--prove",
        "--chronology",
        "ignore",
        "--depot",
        &at,
    ];
    let furnish = ["furnish", "pylock.whole.toml", "--at", ".venv", "--prove"];
    for n in 0..15u64 {
        for command in [&settle[..], &furnish[..]] {
            let mut run = camp.field.command(command);
            let mut run = run
                .stdout(Stdio::null())
                .stderr(Stdio::null())
                .spawn()
                .unwrap();
            std::thread::sleep(Duration::from_millis(n * n * 4));
            run.kill().unwrap();
            run.wait().unwrap();
            if camp.field.path("pylock.toml").exists() {
                assert_eq!(releases(&camp.field.read("pylock.toml")), releases(&whole));
                std::fs::remove_file(camp.field.path("pylock.toml")).unwrap();
            }
            if camp.field.path(".venv").exists() {
                let ran = camp.field.python("import windvane, gustlib.urls");
                assert_eq!(ran.code, 0, "{ran:?}");
                std::fs::remove_dir_all(camp.field.path(".venv")).unwrap();
            }
        }
    }
    camp.settle(0, &["windvane", "--prove"]);
    camp.furnish(0, &["--prove"]);
}

/// A wheel is looked at beside what pins place: what it takes, and what others take of it.
#[rstest]
#[case("2.1", 0, "")]
#[case("2.4", 1, "windvane 1.2 takes parse_station from gustlib.urls")]
fn a_wheel_is_looked_at_beside_pins(#[case] version: &str, #[case] code: i32, #[case] told: &str) {
    let camp = Camp::of(&name_gone());
    camp.settle(0, &["windvane", "--prove"]);
    let wheel = format!("gustlib-{version}-py3-none-any.whl");
    let found = std::fs::read_dir(camp.depot.path().join("gustlib")).unwrap();
    let paths: Vec<_> = found.map(|e| e.unwrap().path()).collect();
    let folder = if paths.iter().any(|p| p.ends_with(&wheel)) {
        camp.depot.path().join("gustlib")
    } else {
        camp.depot.path().join("files")
    };
    let wheel = folder.join(&wheel).display().to_string();
    let ran = camp.field.expect(
        code,
        &["--json", "assay", &wheel, "--beside", "pylock.toml"],
    );
    let answer: Value = serde_json::from_str(&ran.out).unwrap();
    let file = &answer["files"][0];
    assert_eq!(file["modules"][0], "gustlib");
    assert_eq!(file["verdict"], "fits");
    let gaps = file["beside"].as_array().unwrap();
    assert_eq!(gaps.len(), usize::from(!told.is_empty()), "{answer:#}");
    assert!(gaps.iter().all(|g| g.as_str().unwrap().starts_with(told)));
}

/// What an addition would break that no metadata says.
#[rstest]
#[case("gustlib>=2.4", 1)]
#[case("gustlib>=2.1", 0)]
fn a_rehearsal_reads_what_would_break(#[case] wish: &str, #[case] code: i32) {
    let camp = Camp::of(&name_gone());
    // What was learnt would keep it out: the set of before, without that.
    camp.settle(0, &["windvane", "gustlib==2.2"]);
    let at = camp.depot.path().display().to_string();
    let words = ["--json", "rehearse", wish, "--prove", "--depot", &at];
    let ran = camp.field.expect(code, &words);
    let answer: Value = serde_json::from_str(&ran.out).unwrap();
    let gaps = answer["gaps"].as_array().unwrap();
    assert_eq!(gaps.len(), usize::from(code == 1), "{answer:#}");
}

/// What examine says to do about it does it, typed as it stands, and keeps everything else.
#[test]
fn the_remedy_of_what_was_read_mends() {
    let camp = Camp::of(&name_gone());
    camp.field.write("mast.txt", "windvane\n");
    camp.settle(0, &["--asks", "mast.txt", "--out", "pylock.mast.toml"]);
    camp.furnish(0, &["pylock.mast.toml", "--at", ".venv"]);
    let at = camp.depot.path().display().to_string();
    let examine = |code: i32| {
        let ran = camp
            .field
            .expect(code, &["--json", "examine", ".venv", "--depot", &at]);
        serde_json::from_str::<Value>(&ran.out).unwrap()
    };
    let answer = examine(1);
    let remedy = answer["findings"][0]["remedy"].as_str().unwrap();
    camp.type_in(remedy.split_once(":  ").unwrap().1);
    assert_eq!(crate::hut::told(&examine(0)), [""; 0]);
    assert!(camp.field.read("pylock.mast.toml").contains("mast.txt"));
}

/// What the log of an environment's failure asks for is done through its pins, and what is learnt
/// stays in them: the next time that the environment is brought to them it still imports.
#[test]
fn the_remedy_of_a_log_mends_and_lasts() {
    let camp = Camp::of(&name_gone());
    camp.field.write("mast.txt", "windvane\n");
    camp.settle(0, &["--asks", "mast.txt", "--out", "pylock.mast.toml"]);
    camp.furnish(0, &["pylock.mast.toml", "--at", ".venv"]);
    let import = || {
        let python = camp.field.path(".venv/bin/python");
        let mut run = std::process::Command::new(python);
        crate::field::ran(run.args(["-c", "import windvane"]).output().unwrap())
    };
    camp.field.write("log", &import().err);
    let at = camp.depot.path().display().to_string();
    let diagnosis = camp
        .field
        .json(1, &["diagnose", "log", "--in", ".venv", "--depot", &at]);
    let remedies = diagnosis["causes"][0]["remedies"].as_array().unwrap();
    assert_eq!(remedies[0]["evidence"], "read", "{diagnosis:#}");
    camp.type_in(remedies[0]["change"].as_str().unwrap());
    assert_eq!(import().code, 0, "{diagnosis:#}");
    camp.furnish(0, &["pylock.mast.toml", "--at", ".venv"]);
    assert_eq!(import().code, 0, "it lasts");
    // What is said of the environment speaks of that environment.
    let look = remedies.iter().filter_map(|r| r["change"].as_str());
    let look: Vec<&str> = look.filter(|c| c.starts_with("eutaxis examine")).collect();
    assert_eq!(look, ["eutaxis examine .venv"]);
}

/// What furnish says to do when it places nothing is done over the same pins, for the same
/// interpreter.
#[test]
fn the_remedy_of_a_set_that_is_not_placed_mends() {
    let camp = Camp::of(&name_gone());
    let out = "pylock.mast.toml";
    camp.settle(0, &["windvane", "--out", out]);
    let refused = camp.furnish(1, &[out, "--prove"]);
    camp.type_in(refused["again"].as_str().unwrap());
    camp.furnish(0, &[out, "--prove"]);
}

/// A part for an extra that nobody asked for is told, and adds nothing.
#[test]
fn a_part_for_an_extra_is_let_be() {
    let part = [
        ("pitnotes/__init__.py", ""),
        (
            "pitnotesd.py",
            "try:\n    import tarnhelper\nexcept ImportError as e:\n    raise ImportError('see the guide') from e\n",
        ),
    ];
    let world = project(
        "pitnotes",
        &[("1.0", "2025-01-01", "\"tarnhelper; extra == 'd'\"", &part)],
    ) + &project("tarnhelper", &[("1.0", "2024-01-01", "", &[])]);
    let (_, answer) = proven(&world, 0, &["pitnotes"]);
    assert_eq!(pinned(&answer, "tarnhelper"), "", "{answer:#}");
    assert_eq!(answer["evidence"]["level"], "ran");
    let told = answer["proof"]["scripts"][0].as_str().unwrap();
    assert!(
        told.starts_with("pitnotesd of pitnotes 1.0 does not start here"),
        "{told}"
    );
}

/// Where every release takes what the interpreter dropped, the ones that have it are named.
#[test]
fn another_interpreter_is_named_where_the_first_dropped_what_is_taken() {
    let takes = [("stakelog/__init__.py", "import imp, os\n")];
    let world = project("stakelog", &[("1.1", "2024-02-01", "", &takes)]);
    let target = ["--target", "cpython 3.12 / linux x86_64 glibc 2.35"];
    let (_, answer) = proven(&world, 1, &[&["stakelog"][..], &target].concat());
    assert_eq!(
        answer["proof"]["ways"].as_array().map(Vec::len),
        Some(0),
        "not this machine"
    );
    let failed = answer["proof"]["rounds"][0]["failed"].as_str().unwrap();
    assert!(failed.contains("gone since 3.12"), "{failed}");
}

/// Over a network the releases are looked into by parts of their files, or whole where the server
/// gives no parts: the answer is the same.
#[rstest]
#[case(Trouble::default())]
#[case(Trouble { no_ranges: true, ..Trouble::default() })]
fn a_proof_over_a_network_is_the_same(#[case] trouble: Trouble) {
    let camp = Camp::of(&name_gone());
    let server = Server::start(camp.depot.path(), trouble).unwrap();
    let words = [
        "--json",
        "settle",
        "windvane",
        "--prove",
        "--chronology",
        "ignore",
        "--depot",
    ];
    let ran = camp
        .field
        .expect(0, &[&words[..], &[&server.url()]].concat());
    let answer: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(pinned(&answer, "gustlib"), "2.2", "{answer:#}");
    assert_eq!(answer["evidence"]["level"], "ran");
}
