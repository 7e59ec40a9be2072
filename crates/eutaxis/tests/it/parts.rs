//! Extras and groups in one lock; and the set seen as a whole.

use std::process::Stdio;

use eutaxis_demo::{Library, Wheel, write_wheel};
use rstest::rstest;

use crate::field::{Field, WORKSTATION};
use crate::standard::checked;

const PROJECT: &str = "[project]\nname = \"kit\"\nversion = \"1\"\ndependencies = [\"firnio\"]\n\
    [project.optional-dependencies]\nplot = [\"neveplot\"]\nall = [\"kit[plot]\", \"katabat\"]\n\
    [dependency-groups]\ntest = [\"snowpit\", \"katabat\"]\n";

fn kit() -> Field {
    let field = Field::new();
    field.write("pyproject.toml", PROJECT);
    field.expect(0, &["settle", "--extra", "all", "--group", "test"]);
    field
}

fn has(field: &Field, at: &str, module: &str) -> bool {
    let python = field.path(at).join("bin/python");
    let ran = std::process::Command::new(python)
        .args(["-c", &format!("import {module}")])
        .stderr(Stdio::null())
        .status();
    ran.unwrap().success()
}

#[test]
fn one_lock_holds_extras_and_groups() {
    let field = kit();
    let (lock, entries) = checked(&field.read("pylock.toml"));
    assert_eq!(lock["extras"].as_array().unwrap().len(), 1);
    assert_eq!(lock["dependency-groups"], lock["default-groups"]);
    let marker = |name: &str| entries[name][0].marker.as_deref();
    assert_eq!(marker("firnio"), None);
    assert_eq!(marker("wirepack"), None);
    assert_eq!(marker("neveplot"), Some("'all' in extras"));
    assert_eq!(marker("cirquemap"), Some("'all' in extras"));
    assert_eq!(marker("snowpit"), Some("'test' in dependency_groups"));
    assert_eq!(
        marker("katabat"),
        Some("'all' in extras or 'test' in dependency_groups")
    );
    let before = field.read("pylock.toml");
    field.expect(0, &["settle"]);
    assert_eq!(field.read("pylock.toml"), before);
}

/// What was settled is placed; what is chosen is placed alone, and is what the environment is held
/// to.
#[rstest]
#[case::all_of_it(&[], &["firnio", "neveplot", "snowpit", "katabat"], &[])]
#[case::an_extra(&["--extra", "all"], &["firnio", "neveplot", "katabat", "snowpit"], &[])]
#[case::a_group(&["--group", "test"], &["firnio", "snowpit", "katabat"], &["neveplot"])]
fn parts_are_chosen(#[case] options: &[&str], #[case] there: &[&str], #[case] absent: &[&str]) {
    let field = kit();
    field.expect(0, &[&["furnish"], options].concat());
    for module in there {
        assert!(has(&field, ".venv", module), "{module}");
    }
    for module in absent {
        assert!(!has(&field, ".venv", module), "{module}");
    }
    field.expect(0, &["examine"]);
    let within = field.expect(0, &["within", "--", "python", "-c", "pass"]);
    assert_eq!(within.err, "");
    field.expect(2, &["furnish", "--extra", "snow"]);
}

/// The pins of all kinds of sources keep the rules.
#[test]
fn every_pins_file_keeps_the_rules() {
    let field = Field::new();
    field.expect(
        0,
        &[
            "settle",
            "--asks",
            "fieldkit.txt",
            "--target",
            "base-camp",
            "--target",
            "ridge-logger",
        ],
    );
    checked(&field.read("pylock.base-camp.toml"));
    checked(&field.read("pylock.ridge-logger.toml"));
    let wheel = crate::field::world().join("depot/firnio/firnio-1.2-py3-none-any.whl");
    field.expect(
        0,
        &["settle", wheel.to_str().unwrap(), "--out", "pylock.w.toml"],
    );
    checked(&field.read("pylock.w.toml"));
}

#[test]
fn the_set_is_shown_as_a_tree() {
    let field = Field::new();
    field.expect(
        0,
        &["settle", "radargram", "firnio", "--target", WORKSTATION],
    );
    let whole = field.json(0, &["reason", "--tree"]);
    let branches = whole["branches"].as_array().unwrap();
    let roots: Vec<&str> = branches
        .iter()
        .map(|b| b["project"].as_str().unwrap())
        .collect();
    assert_eq!(roots, ["firnio", "radargram"]);
    let radargram = &branches[1];
    let firnio = radargram["branches"]
        .as_array()
        .unwrap()
        .iter()
        .find(|b| b["project"] == "firnio");
    assert_eq!(firnio.unwrap()["seen"], true, "{whole:#}");
    let one = field.expect(0, &["reason", "--tree", "wirepack"]).out;
    assert!(one.starts_with("Who asks for wirepack"), "{one}");
    assert!(
        one.contains("firnio") && one.contains("wirepack needs nothing else"),
        "{one}"
    );
    let cut = field.json(0, &["reason", "--tree", "--depth", "1"]);
    let below = cut["branches"][1]["branches"].as_array().unwrap();
    assert!(
        below
            .iter()
            .all(|b| b["branches"].as_array().unwrap().is_empty()),
        "{cut:#}"
    );
    field.expect(1, &["reason", "--tree", "katabat"]);
    for columns in ["60", "100"] {
        let mut command = field.command(&["reason", "--tree"]);
        let ran = crate::field::ran(command.env("COLUMNS", columns).output().unwrap());
        let longest = ran.out.lines().map(|l| l.chars().count()).max().unwrap();
        assert!(longest <= columns.parse().unwrap(), "{}", ran.out);
    }
}

/// What is out of date is told with what holds it, and the command that takes what would move.
#[test]
fn what_is_out_of_date_is_told() {
    let field = Field::new();
    field.write("requirements.txt", "firnio\nwirepack<3\n");
    field.expect(
        0,
        &["settle", "--target", WORKSTATION, "--as-of", "2024-12-31"],
    );
    let text = field.read("pylock.toml");
    // The day is the policy's: without it newer releases are there.
    let open = text
        .replace(", as-of = \"2024-12-31T23:59:59.999999999Z\"", "")
        .replace(", \"--as-of\", \"2024-12-31\"", "");
    assert_ne!(open, text);
    field.write("pylock.toml", &open);
    let told = field.json(0, &["rehearse"]);
    let safe = told["safe"].as_array().unwrap();
    assert_eq!(safe[0]["project"], "firnio", "{told:#}");
    assert!(safe[0]["days_behind"].as_i64().unwrap() > 100, "{told:#}");
    let held = told["held"].as_array().unwrap();
    let wirepack = held.iter().find(|h| h["project"] == "wirepack").unwrap();
    assert!(
        wirepack["by"][0].as_str().unwrap().contains("<3"),
        "{told:#}"
    );
    field.typed(0, told["take"].as_str().unwrap());
    let after = field.json(0, &["rehearse"]);
    assert!(after["safe"].as_array().unwrap().is_empty(), "{after:#}");
    let plain = field.expect(0, &["rehearse"]).out;
    assert!(
        plain.starts_with("Nothing of pylock.toml would move; 1 of 2 projects are held"),
        "{plain}"
    );
}

/// A process that runs from before a change is named.
#[test]
fn processes_that_hold_old_files_are_named() {
    let field = Field::new();
    field.expect(0, &["settle", "firnio==1.2"]);
    field.expect(0, &["furnish"]);
    let mut child = std::process::Command::new(field.path(".venv/bin/python"))
        .args([
            "-c",
            "import firnio, sys; print('ready', flush=True); sys.stdin.read()",
        ])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    let mut out = std::io::BufReader::new(child.stdout.take().unwrap());
    std::io::BufRead::read_line(&mut out, &mut line).unwrap();
    field.expect(0, &["settle", "firnio==1.3", "--renew"]);
    let told = field.json(0, &["furnish"]);
    drop(child.stdin.take());
    child.wait().unwrap();
    let holders = told["holders"].as_array().unwrap();
    assert!(holders.iter().any(|h| h["pid"] == child.id()), "{told:#}");
}

/// How two environments differ, and an environment and pins.
#[test]
fn environments_are_listed_and_compared() {
    let field = Field::new();
    field.expect(0, &["settle", "firnio==1.2", "katabat"]);
    field.expect(0, &["furnish"]);
    let list = field.json(0, &["examine", ".venv", "--list"]);
    let projects = list["projects"].as_array().unwrap();
    let firnio = projects.iter().find(|p| p["project"] == "firnio").unwrap();
    assert_eq!(firnio["file"], "firnio-1.2-py3-none-any.whl");
    assert_eq!((&firnio["asked"], projects.len()), (&true.into(), 3));
    field.expect(0, &["examine", ".venv", "--against", "pylock.toml"]);
    field.expect(
        0,
        &["settle", "firnio==1.3", "snowpit", "--out", "pylock.b.toml"],
    );
    field.expect(0, &["furnish", "pylock.b.toml"]);
    let told = field.json(1, &["examine", ".venv", "--against", ".venv-b"]);
    let kinds: Vec<String> = told["differences"]
        .as_array()
        .unwrap()
        .iter()
        .map(|d| {
            format!(
                "{} {}",
                d["kind"].as_str().unwrap(),
                d["project"].as_str().unwrap()
            )
        })
        .collect();
    let expected = ["version firnio", "only-here katabat", "only-there snowpit"];
    for one in expected {
        assert!(kinds.iter().any(|k| k == one), "{kinds:?}");
    }
    let pins = field.expect(1, &["examine", ".venv", "--against", "pylock.b.toml"]);
    assert!(
        pins.out.contains("firnio") && pins.out.contains("1.3"),
        "{}",
        pins.out
    );
}

/// The same project may bring a library in one environment and look for it on the system in another.
#[test]
fn libraries_are_compared() {
    let field = Field::new();
    let folder = field.path("wheels");
    std::fs::create_dir_all(&folder).unwrap();
    let core = Library {
        arch: std::env::consts::ARCH.to_owned(),
        needs: vec![
            "libsastruga-1a2b3c4d.so.3".to_owned(),
            "libc.so.6".to_owned(),
        ],
        ..Library::module("_core")
    };
    let brought = (
        "drift.libs/libsastruga-1a2b3c4d.so.3".to_owned(),
        core.bytes(),
    );
    for (version, more) in [("1.0", Some(brought)), ("1.1", None)] {
        let metadata = format!("Metadata-Version: 2.1\nName: drift\nVersion: {version}\n");
        let own = [
            ("drift/__init__.py".to_owned(), b"x = 1\n".to_vec()),
            ("drift/_core.so".to_owned(), core.bytes()),
            (
                format!("drift-{version}.dist-info/METADATA"),
                metadata.into(),
            ),
        ];
        let wheel = Wheel {
            name: "drift".into(),
            version: version.into(),
            tags: format!("py3-none-manylinux_2_17_{}", std::env::consts::ARCH),
            files: own.into_iter().chain(more).collect(),
        };
        std::fs::write(folder.join(wheel.filename()), write_wheel(&wheel).unwrap()).unwrap();
    }
    for (name, version) in [("a", "1.0"), ("b", "1.1")] {
        let (ask, out) = (format!("drift=={version}"), format!("pylock.{name}.toml"));
        let depot = ["--depot", "wheels"];
        field.expect(0, &[&["settle", &ask, "--out", &out], &depot[..]].concat());
        field.expect(0, &[&["furnish", &out], &depot[..]].concat());
    }
    let told = field.json(1, &["examine", ".venv-a", "--against", ".venv-b"]);
    let of = told["differences"].as_array().unwrap().iter();
    let of: Vec<_> = of.filter(|d| d["kind"] == "library").collect();
    let expected = serde_json::json!({
        "kind": "library",
        "project": "libsastruga",
        "here": "libsastruga.so.3 with drift",
        "there": "libsastruga.so.3 not found",
    });
    assert_eq!(of, [&expected]);
    let text = field
        .expect(1, &["examine", ".venv-a", "--against", ".venv-b"])
        .out;
    assert!(
        text.contains("libsastruga  .venv-a  libsastruga.so.3 with drift\n"),
        "{text}"
    );
}

/// What an environment holds becomes asks and pins; what no depot has is named.
#[test]
fn an_environment_becomes_asks_and_pins() {
    let field = Field::new();
    field.expect(
        0,
        &[
            "settle",
            "firnio==1.2",
            "katabat==0.4",
            "--out",
            "pylock.old.toml",
        ],
    );
    field.expect(0, &["furnish", "pylock.old.toml", "--at", "found"]);
    // Something that is in no depot lies there as well.
    let site = glob::glob(field.path("found/lib/*/site-packages").to_str().unwrap());
    let info = site
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
        .join("sledge-1.0.dist-info");
    std::fs::create_dir(&info).unwrap();
    std::fs::write(
        info.join("METADATA"),
        "Metadata-Version: 2.1\nName: sledge\nVersion: 1.0\n",
    )
    .unwrap();
    let answer = field.json(0, &["settle", "--from", "found"]);
    let names: Vec<String> = crate::field::pins(&answer);
    assert_eq!(names[..2], ["firnio 1.2", "katabat 0.4"], "{answer}");
    assert!(
        answer["cautions"]
            .to_string()
            .contains("no depot has sledge 1.0"),
        "{answer}"
    );
    std::fs::remove_dir_all(field.path("found")).unwrap();
    assert_eq!(crate::field::pins(&field.json(0, &["settle"])), names);
    field.expect(2, &["settle", "--from", "found", "--out", "pylock.x.toml"]);
}
