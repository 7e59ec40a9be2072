//! `settle --check`: whether pins still hold, for a job that only wants to know.

use serde_json::Value;

use crate::field::{Field, WORKSTATION, depot};

fn drifts(answer: &Value) -> Vec<String> {
    let all = answer["checked"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|c| c["drift"].as_array().unwrap());
    all.map(|d| {
        format!(
            "{} {}: {}",
            d["kind"].as_str().unwrap(),
            d["project"].as_str().unwrap(),
            d["because"].as_str().unwrap()
        )
    })
    .collect()
}

#[test]
fn pins_that_hold_are_left_as_they_are() {
    let field = Field::settled(&["radargram>=2", "katabat"]);
    let before = field.read("pylock.toml");
    let answer = field.json(
        0,
        &[
            "settle",
            "radargram>=2",
            "katabat",
            "--target",
            WORKSTATION,
            "--check",
        ],
    );
    assert_eq!(
        (&answer["holds"], &answer["written"]),
        (&Value::Bool(true), &serde_json::json!([]))
    );
    assert_eq!(field.read("pylock.toml"), before);
}

#[test]
fn what_drifted_is_told_with_its_reason_and_nothing_is_written() {
    let field = Field::settled(&["radargram>=2", "katabat"]);
    let before = field.read("pylock.toml");
    let answer = field.json(
        1,
        &[
            "settle",
            "radargram<2.2",
            "tarnlog",
            "--target",
            WORKSTATION,
            "--check",
        ],
    );
    let told = drifts(&answer);
    assert!(
        told[0].starts_with("dropped katabat: nothing asks for it"),
        "{told:?}"
    );
    assert!(
        told[1].starts_with("lowered radargram: you ask radargram <2.2 (command line)"),
        "{told:?}"
    );
    assert!(
        told[2].starts_with("added tarnlog: asked for by you"),
        "{told:?}"
    );
    assert_eq!(field.read("pylock.toml"), before);
    assert_eq!(field.names(), ["pylock.toml"]);
    let clash = field.json(
        1,
        &[
            "settle",
            "radargram",
            "firnio<1",
            "--target",
            WORKSTATION,
            "--check",
        ],
    );
    assert!(
        clash["clash"].is_object(),
        "asks that clash are told as such"
    );
}

#[test]
fn what_the_depot_lost_is_told() {
    let field = Field::settled(&["snowpit", "katabat"]);
    // The same depot without the release that was pinned, and with other bytes of the other.
    let depot = std::path::PathBuf::from(depot());
    let copy = |project: &str, keep: &dyn Fn(&str) -> bool| {
        for entry in std::fs::read_dir(depot.join(project)).unwrap() {
            let path = entry.unwrap().path();
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            if name.ends_with(".whl") && keep(&name) {
                std::fs::create_dir_all(field.path("bare")).unwrap();
                std::fs::copy(&path, field.path(&format!("bare/{name}"))).unwrap();
            }
        }
    };
    copy("snowpit", &|name| name.contains("2.1"));
    copy("katabat", &|_| true);
    field.write("empty.toml", "");
    let ask = [
        "settle",
        "snowpit",
        "katabat",
        "--target",
        WORKSTATION,
        "--depot",
        "bare",
        "--config",
        "empty.toml",
        "--check",
    ];
    let told = drifts(&field.json(1, &ask));
    assert_eq!(told, ["lowered snowpit: 2.2 is not in its depot"]);
    field.write(
        "pylock.toml",
        &field
            .read("pylock.toml")
            .replace("sha256 = \"", "sha256 = \"00"),
    );
    assert!(
        drifts(&field.json(1, &ask))
            .iter()
            .any(|d| d.contains("katabat") && d.contains("other bytes"))
    );
}

#[test]
fn several_targets_are_checked_at_once() {
    let field = Field::new();
    let targets = ["--target", "ridge-logger", "--target", "base-camp"];
    field.expect(0, &[&["settle", "radargram"], &targets[..]].concat());
    let text = field
        .expect(
            0,
            &[&["settle", "radargram", "--check"], &targets[..]].concat(),
        )
        .out;
    assert_eq!(text.matches("The pins hold").count(), 2, "{text}");
    field.expect(
        1,
        &[&["settle", "radargram", "katabat", "--check"], &targets[..]].concat(),
    );
    field.expect(
        2,
        &["settle", "radargram", "--check", "--target", "office-mac"],
    );
}
