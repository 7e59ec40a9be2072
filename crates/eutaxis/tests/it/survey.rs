//! `survey`: the machine, its interpreters, named targets.

use rstest::rstest;

use crate::field::{Field, pins, ran, world};
use crate::hut::python;

/// Runs in the field with another machine's root.
fn at(field: &Field, place: &str, arguments: &[&str]) -> crate::field::Ran {
    let root = world().join("places").join(place);
    ran(field
        .command(arguments)
        .env("EUTAXIS_ROOT", root)
        .output()
        .unwrap())
}

fn json_at(field: &Field, place: &str, arguments: &[&str]) -> serde_json::Value {
    let answer = at(field, place, &[arguments, &["--json"]].concat());
    assert_eq!(answer.code, 0, "{}", answer.err);
    serde_json::from_str(&answer.out).unwrap()
}

/// The machines of the team, read from trees that stand in for them.
#[rstest]
#[case(
    "ridge-logger",
    "cpython 3.9.2 / linux armv7l kernel aarch64 glibc 2.31",
    "aarch64",
    "armv7l",
    32
)]
#[case(
    "base-camp",
    "cpython 3.11.6 / linux x86_64 glibc 2.35 level v3 / nordglim driver 512.4 device b3",
    "x86_64",
    "x86_64",
    64
)]
#[case(
    "snow-hut",
    "cpython 3.12.4 / linux aarch64 musl 1.2",
    "aarch64",
    "aarch64",
    64
)]
fn other_machines_are_read(
    #[case] place: &str,
    #[case] target: &str,
    #[case] kernel: &str,
    #[case] arch: &str,
    #[case] bits: u32,
) {
    let field = Field::new();
    let answer = json_at(&field, place, &["survey"]);
    assert_eq!(answer["target"], target);
    let machine = &answer["machine"];
    assert_eq!(
        (machine["kernel_arch"].as_str(), machine["arch"].as_str()),
        (Some(kernel), Some(arch))
    );
    assert_eq!(machine["bits"], bits);
    assert_eq!(answer["interpreters"][0]["default"], true);
}

#[test]
fn accelerators_are_told_with_what_their_driver_runs() {
    let field = Field::new();
    let answer = json_at(&field, "base-camp", &["survey"]);
    let one = &answer["accelerators"][0];
    for (key, expected) in [
        ("family", "nordglim"),
        ("driver", "512.4"),
        ("highest_toolkit", "4.1"),
    ] {
        assert_eq!(one[key], expected, "{key}");
    }
    assert_eq!(
        (&one["toolkits"], &one["devices"]),
        (&serde_json::json!(["3.9"]), &serde_json::json!(["b3"]))
    );
    let old = at(&field, "old-tent", &["survey"]);
    assert!(
        old.out.contains("driver 440.0 is older than every toolkit"),
        "{}",
        old.out
    );
    // A target that is saved has all of it, and is the same when it is named.
    assert_eq!(
        at(&field, "base-camp", &["survey", "--save", "camp-2"]).code,
        0
    );
    let named = field.json(0, &["settle", "seracnet", "--target", "camp-2"]);
    assert_eq!(named["target"], answer["target"]);
    assert!(pins(&named).contains(&"seracnet 2.3.0+nor41".to_owned()));
}

#[test]
fn a_place_that_stands_in_is_settled_for_and_not_furnished() {
    let field = Field::new();
    let settled = json_at(&field, "ridge-logger", &["settle", "radargram"]);
    assert!(
        pins(&settled).contains(&"radargram 2.0.3".to_owned()),
        "{settled:#}"
    );
    let refused = at(&field, "ridge-logger", &["furnish"]);
    assert!(
        refused.code == 2 && refused.err.contains("stands in for another machine"),
        "{}",
        refused.err
    );
    assert!(!field.path(".venv").exists());
    assert_eq!(at(&field, "nowhere", &["survey"]).code, 2);
}

#[test]
fn environments_are_listed_with_what_is_wrong() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish", "--at", "camp/.venv"]);
    field.expect(0, &["furnish", "--at", "tent/env"]);
    std::fs::rename(field.path("tent"), field.path("hut")).unwrap();
    let answer = field.json(0, &["survey", "--environments"]);
    let told: Vec<(bool, serde_json::Value)> = answer["environments"]
        .as_array()
        .unwrap()
        .iter()
        .map(|e| (e["whole"].as_bool().unwrap(), e["faults"].clone()))
        .collect();
    assert_eq!(
        told,
        [
            (true, serde_json::json!([])),
            (false, serde_json::json!(["moved"]))
        ]
    );
    let first = &answer["environments"][0];
    assert_eq!(first["projects"], 1);
    assert!(
        first["bytes_own"].as_u64() < first["bytes"].as_u64(),
        "what the store shares is told: {first}"
    );
    let text = field.expect(0, &["survey", "--environments"]).out;
    assert!(
        text.contains("2 environments below") && text.contains("1 broken"),
        "{text}"
    );
    let gone = ran(field
        .command(&["survey", "--environments", "camp"])
        .env("VIRTUAL_ENV", "/gone/env")
        .output()
        .unwrap());
    assert!(
        gone.out.contains("active, and its folder is gone"),
        "{}",
        gone.out
    );
    field.expect(2, &["survey", "--environments", "nowhere"]);
}

#[test]
fn the_answer_in_json_keeps_the_contract() {
    let field = Field::new();
    let answer = field.json(0, &["survey", "--tags"]);
    for key in ["os", "os_release", "kernel_arch", "arch", "bits", "libc"] {
        assert!(!answer["machine"][key].is_null(), "{key}");
    }
    let default: Vec<_> = answer["interpreters"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|i| i["default"] == true)
        .collect();
    assert_eq!(default.len(), 1, "{answer}");
    for key in [
        "path",
        "implementation",
        "version",
        "abi",
        "bits",
        "platform",
        "externally_managed",
    ] {
        assert!(!default[0][key].is_null(), "{key}");
    }
    assert!(answer["tags"].as_array().unwrap().len() > 100);
    assert_eq!(answer["accelerators"], serde_json::json!([]));
}

#[test]
fn a_saved_target_can_be_named() {
    let field = Field::new();
    let before = field.read("eutaxis.toml");
    field.expect(0, &["survey", "--save", "here"]);
    assert!(
        field.read("eutaxis.toml").starts_with(&before),
        "what was there stays"
    );
    let named = field.json(0, &["settle", "snowpit", "--target", "here"]);
    let plain = field.json(0, &["settle", "snowpit"]);
    // The level of the processor is saved too; a target that is found here is not called by it.
    let named = named["target"].as_str().unwrap();
    let plain = plain["target"].as_str().unwrap();
    assert!(named.starts_with(plain), "{named}");
    let behind = named.trim_start_matches(plain).split_whitespace().next();
    assert!(behind.is_none_or(|w| w == "level"), "{named}");
    field.expect(2, &["survey", "--save", "here"]);
    field.expect(2, &["survey", "--save", "not a name"]);
}

#[test]
fn the_environment_of_the_folder_and_a_lost_one_are_told() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish"]);
    let seen = field.expect(0, &["survey"]);
    assert!(
        seen.out.contains("environment of this folder") && seen.out.contains("caution"),
        "{}",
        seen.out
    );
    let lost = ran(field
        .command(&["survey"])
        .env("VIRTUAL_ENV", field.path("gone"))
        .output()
        .unwrap());
    assert!(lost.out.contains("is gone"), "{}", lost.out);
}

#[test]
fn one_interpreter_can_be_looked_at() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish"]);
    let answer = field.json(0, &["survey", "--interpreter", ".venv"]);
    assert_eq!(answer["interpreters"].as_array().unwrap().len(), 1);
    assert!(!answer["interpreters"][0]["environment"].is_null());
    field.expect(2, &["survey", "--interpreter", "nowhere/python"]);
    field.expect(3, &["survey", "--interpreter", "./fieldkit.txt"]);
}

/// A machine of Windows is read by its files: what it is, its driver, and libraries; an interpreter that
/// is to run there is named.
#[test]
fn a_machine_of_another_system_is_read() {
    let field = Field::new();
    let families = field.read("nordglim.toml").replace(
        "driver = [",
        "libraries = [\"Tools/libnorfft.so.*\"]\ndriver = [{ file = \"Windows/nor.inf\", after = \
            \"DriverVer\", form = \"last-five\" }, ",
    );
    let families = families.replace("present = [", "present = [\"Windows/nor.dll\", ");
    field.write("nordglim.toml", &families);
    let library = eutaxis_demo::windows_library("python3.dll");
    for (path, bytes) in [
        ("shed/Windows/System32/ntdll.dll", library.as_slice()),
        (
            "shed/Windows/nor.inf",
            b"DriverVer = 02/15/2026, 31.0.15.5123\r\n",
        ),
        ("shed/Windows/nor.dll", b""),
        ("shed/Tools/libnorfft.so.4", b""),
        ("shed/Tools/libnorfft.so.4.1.2", b""),
    ] {
        let path = field.path(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }
    let at = |arguments: &[&str]| {
        let mut command = field.command(arguments);
        ran(command
            .env("EUTAXIS_ROOT", field.path("shed"))
            .output()
            .unwrap())
    };
    let plain = at(&["survey"]);
    assert_eq!(plain.code, 0, "{plain:?}");
    assert!(
        plain.out.contains("Windows x86_64, 64-bit, nordglim"),
        "{}",
        plain.out
    );
    assert!(plain.out.contains("551.23"), "{}", plain.out);
    assert!(plain.out.contains("libnorfft 4.1.2"), "{}", plain.out);
    // What it says to type gives the target, which can be saved and settled for.
    let typed: Vec<&str> = vec!["survey", "--interpreter", "3.12"];
    let words = plain.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        words.contains(&format!("eutaxis {}", typed.join(" "))),
        "{words}"
    );
    let target = "cpython 3.12.12 / windows x86_64 / nordglim driver 551.23";
    let described = at(&typed);
    assert!(described.out.contains(target), "{}", described.out);
    assert!(
        !described.out.contains("not read from files"),
        "{}",
        described.out
    );
    assert_eq!(at(&[&typed[..], &["--save", "shed"]].concat()).code, 0);
    let answer = field.json(0, &["settle", "firnio", "--target", "shed"]);
    assert_eq!(answer["target"], target);
    assert_eq!(at(&["survey", "--interpreter", "nowhere"]).code, 2);
}

/// An interpreter in a folder of versions that a user keeps, to which no folder of PATH leads.
#[test]
fn interpreters_are_found_where_people_have_them() {
    let field = Field::empty();
    let kept = field.path(".kits/versions/one/bin");
    std::fs::create_dir_all(&kept).unwrap();
    let program = kept.join("python");
    std::os::unix::fs::symlink(&python().program, &program).unwrap();
    let survey = |arguments: &[&str]| {
        let mut command = field.command(arguments);
        ran(command.env("PATH", "/nowhere").output().unwrap())
    };
    let all = survey(&["survey"]);
    assert_eq!(all.code, 0, "{all:?}");
    let own = |line: &&str| line.contains(".kits/versions/one/bin/python");
    let row = all
        .out
        .lines()
        .find(own)
        .unwrap_or_else(|| panic!("{}", all.out));
    assert!(row.contains("not on PATH"), "{row}");
    let put = all
        .out
        .lines()
        .find_map(|l| l.trim().strip_prefix("export "));
    let named = survey(&["survey", "--interpreter", &python().series]);
    assert_eq!(named.code, 0, "{named:?}");
    // What is said to put it first does.
    let typed = format!("export {}; command -v python", put.unwrap());
    let mut shell = std::process::Command::new("/bin/sh");
    let first = ran(shell.args(["-c", &typed]).output().unwrap());
    assert_eq!(first.out.trim(), program.display().to_string());
}

/// A series that is not here is this machine with it, for questions; where something is to run, it is
/// said how it is had.
#[test]
fn a_series_that_is_not_here_is_described() {
    let field = Field::new();
    let programs = field.path("bin");
    std::fs::create_dir(&programs).unwrap();
    std::os::unix::fs::symlink(&python().program, programs.join("python3")).unwrap();
    let run = |arguments: &[&str]| {
        let mut command = field.command(arguments);
        ran(command.env("PATH", &programs).output().unwrap())
    };
    let answer = run(&["settle", "firnio", "--interpreter", "3.14"]);
    assert_eq!(answer.code, 0, "{answer:?}");
    let flat = answer.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains("cpython 3.14"), "{flat}");
    assert!(flat.contains("that interpreter is not here"), "{flat}");
    let none = run(&["settle", "firnio", "--interpreter", "3.97"]);
    assert!(none.err.contains("no interpreter `3.97`"), "{none:?}");
    let placed = run(&["furnish", "--interpreter", "3.14"]);
    assert_eq!(placed.code, 2, "{placed:?}");
    assert!(placed.err.contains("no interpreter `3.14`"), "{placed:?}");
    assert!(placed.err.contains("give a path"), "{placed:?}");
}

/// A pattern of the settings that leads to nothing is told.
#[test]
fn a_pattern_that_leads_to_nothing_is_told() {
    let field = Field::empty();
    field.write(
        "eutaxis.toml",
        "[interpreters]\nsearch = [\"/nowhere/*/python\"]\n",
    );
    let told = field.expect(0, &["survey"]).out;
    let flat = told.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        flat.contains("`/nowhere/*/python`, which leads to nothing"),
        "{told}"
    );
}

/// What the machine has to work with.
#[test]
fn cores_memory_and_room_are_told() {
    let field = Field::empty();
    let answer = field.json(0, &["survey"]);
    let has = &answer["machine"]["resources"];
    assert!(has["cores"].as_u64().unwrap() > 0, "{has}");
    assert!(has["free"].as_u64().unwrap() > 0, "{has}");
    assert_eq!(has["writable"], true);
}
