//! `gather`: files into a folder that is a depot and an index at once.

use eutaxis_demo::server::{Fault, Server, Trouble};

use rstest::rstest;

use crate::field::{Field, pins, server};

const SETTLE: [&str; 3] = ["settle", "--asks", "fieldkit.txt"];
const GATHER: [&str; 3] = ["gather", "--into", "stick"];

#[test]
fn the_folder_is_a_depot_without_a_network() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let settled = field.json(0, &SETTLE);
    let answer = field.json(0, &GATHER);
    assert!(
        answer["files"]
            .as_array()
            .unwrap()
            .iter()
            .all(|f| f["how"] == "fetched")
    );
    let again = Field::empty();
    let stick = field.path("stick").display().to_string();
    again.write("fieldkit.txt", eutaxis_demo::ASKS);
    let offline = again.json(
        0,
        &[
            "settle",
            "--asks",
            "fieldkit.txt",
            "--depot",
            &stick,
            "--offline",
        ],
    );
    assert_eq!(pins(&settled), pins(&offline));
    // Dates are carried along, for --as-of and for people.
    let dates = |v: &serde_json::Value| {
        v["pins"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| p["published"].clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(dates(&settled), dates(&offline));
    again.expect(
        0,
        &["furnish", &format!("{stick}/pylock.toml"), "--offline"],
    );
    assert_eq!(again.python("import radargram, sastrugi").code, 0);
}

#[test]
fn the_folder_served_is_an_index() {
    let first = server(Trouble::default());
    let field = Field::at(&first);
    let settled = field.json(0, &SETTLE);
    field.expect(0, &GATHER);
    for html_only in [false, true] {
        let second = Server::start(
            &field.path("stick"),
            Trouble {
                html_only,
                ..Trouble::default()
            },
        )
        .unwrap();
        let other = Field::at(&second);
        assert_eq!(pins(&settled), pins(&other.json(0, &SETTLE)));
        other.expect(0, &GATHER);
        assert!(
            second
                .take_seen()
                .iter()
                .any(|s| s.path.ends_with(".metadata") && s.status == 200)
        );
        assert_eq!(
            std::fs::read(field.path("stick/index.html")).unwrap(),
            std::fs::read(other.path("stick/index.html")).unwrap()
        );
    }
}

#[test]
fn what_is_there_is_kept_and_what_is_damaged_is_fetched_again() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &SETTLE);
    field.expect(0, &GATHER);
    let wheel = "stick/katabat/katabat-0.5-py3-none-any.whl";
    let whole = std::fs::read(field.path(wheel)).unwrap();
    field.write(wheel, "damaged");
    server.take_seen();
    let answer = field.json(0, &GATHER);
    let fetched: Vec<_> = answer["files"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|f| f["how"] == "fetched")
        .collect();
    assert_eq!((fetched.len(), server.take_seen().len()), (1, 1));
    assert_eq!(std::fs::read(field.path(wheel)).unwrap(), whole);
}

#[test]
fn pins_of_several_targets_go_into_one_folder() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(
        0,
        &[
            "settle",
            "radargram",
            "--target",
            "office-mac",
            "--out",
            "pylock.mac.toml",
        ],
    );
    field.expect(
        0,
        &[
            "settle",
            "radargram",
            "--target",
            "ridge-logger",
            "--out",
            "pylock.logger.toml",
        ],
    );
    field.expect(
        0,
        &[
            "gather",
            "pylock.mac.toml",
            "pylock.logger.toml",
            "--into",
            "stick",
        ],
    );
    let page: serde_json::Value =
        serde_json::from_str(&field.read("stick/radargram/index.json")).unwrap();
    assert_eq!(page["files"].as_array().unwrap().len(), 2);
    assert_eq!(page["versions"], serde_json::json!(["2.0.3", "2.2.0"]));
    for pins in ["pylock.mac.toml", "pylock.logger.toml"] {
        assert!(
            field
                .read(&format!("stick/{pins}"))
                .contains("path = \"radargram/radargram-2")
        );
    }
}

#[test]
fn files_of_this_disk_are_copied() {
    let field = Field::new();
    field.expect(0, &SETTLE);
    let answer = field.json(0, &["gather", "--into", "stick", "--offline"]);
    assert!(
        answer["files"]
            .as_array()
            .unwrap()
            .iter()
            .all(|f| f["how"] == "copied")
    );
}

#[test]
fn a_folder_with_other_things_is_refused() {
    let field = Field::new();
    field.expect(0, &["settle", "katabat"]);
    field.write("mine/notes.txt", "x");
    let ran = field.expect(2, &["gather", "--into", "mine"]);
    assert!(
        ran.err.contains("holds other things") && ran.err.contains("--into"),
        "{}",
        ran.err
    );
    field.write("file", "x");
    field.expect(2, &["gather", "--into", "file"]);
    assert_eq!(field.read("mine/notes.txt"), "x");
}

#[test]
fn a_part_of_a_file_is_gone_on_with() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "katabat"]);
    server.set(Trouble {
        fault: Some(Fault::Truncate),
        on: ".whl".to_owned(),
        times: 1,
        ..Trouble::default()
    });
    server.take_seen();
    field.expect(0, &GATHER);
    let seen = server.take_seen();
    assert_eq!(seen.len(), 2, "{seen:?}");
    assert!(
        seen[1]
            .range
            .as_deref()
            .is_some_and(|r| r.starts_with("bytes=") && r != "bytes=0-")
            && seen[1].status == 206
    );
}

#[test]
fn furnish_fetches_what_is_pinned() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "sastrugi"]);
    let ran = field.expect(3, &["furnish", "--offline"]);
    let missing = "--offline: not fetched before: frostgrid-";
    assert!(
        ran.err.contains(missing) && ran.err.contains(", sastrugi-"),
        "all of it is told: {}",
        ran.err
    );
    assert!(!field.path(".venv").exists());
    let ran = field.expect(3, &["gather", "--into", "stick", "--offline"]);
    assert!(
        ran.err.contains(missing) && ran.err.contains(", sastrugi-"),
        "{}",
        ran.err
    );
    server.take_seen();
    let answer = field.json(0, &["furnish"]);
    assert!(answer["bytes"]["fetched"].as_u64().unwrap() > 0);
    // The pages are asked whether a pin was yanked since.
    assert!(
        server
            .take_seen()
            .iter()
            .all(|s| s.path.ends_with(".whl") || s.path.ends_with('/'))
    );
    field.expect(0, &["furnish", "--at", "other", "--offline"]);
    assert_eq!(server.take_seen(), [], "the store has it");
    // From a folder that was gathered, by the same pins.
    field.expect(0, &GATHER);
    field.expect(
        0,
        &[
            "furnish",
            "--at",
            "third",
            "--offline",
            "--depot",
            "stick",
            "--cache",
            "empty",
        ],
    );
    assert_eq!(field.python("import sastrugi").code, 0);
}

#[rstest]
fn killed_half_way_nothing_wrong_is_served_and_the_next_run_completes(
    #[values("file-gathered", "file-gathered:4", "file-written", "file-written:3")] point: &str,
) {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "--asks", "fieldkit.txt"]);
    let gather = ["gather", "pylock.toml", "--into", "stick"];
    crate::killed::kill_at(&field, &gather, point);
    if field.path("stick/index.json").exists() {
        assert_whole(&field);
    }
    field.expect(0, &gather);
    assert_whole(&field);
}

/// Every file that a page lists is there with its hash.
fn assert_whole(field: &Field) {
    for entry in std::fs::read_dir(field.path("stick")).unwrap().flatten() {
        let Ok(text) = std::fs::read_to_string(entry.path().join("index.json")) else {
            continue;
        };
        let page: serde_json::Value = serde_json::from_str(&text).unwrap();
        for file in page["files"].as_array().unwrap() {
            let path = entry.path().join(file["filename"].as_str().unwrap());
            let (found, _) = eutaxis_world::files::sha256_of(&path).unwrap();
            assert_eq!(file["hashes"]["sha256"], found, "{}", path.display());
        }
    }
}
