//! Facts that the user states over the metadata.

use crate::field::{Field, WORKSTATION};

const THERE: [&str; 2] = ["--target", WORKSTATION];

/// The demo's settings with an adjustment.
fn adjusted(text: &str) -> Field {
    let field = Field::new();
    field.write(
        "eutaxis.toml",
        &format!("{}\n[[adjust]]\n{text}\n", field.read("eutaxis.toml")),
    );
    field
}

fn pins(answer: &serde_json::Value) -> Vec<String> {
    let pins = answer["pins"].as_array().unwrap();
    pins.iter()
        .map(|p| {
            format!(
                "{} {}",
                p["name"].as_str().unwrap(),
                p["version"].as_str().unwrap()
            )
        })
        .collect()
}

#[test]
fn a_need_replaces_what_the_metadata_says() {
    let field =
        adjusted("project = 'icelens'\nneeds = 'moulin<5'\nbecause = 'crashes with moulin 5'");
    let answer = field.json(0, &[&["settle", "icelens"], &THERE[..]].concat());
    assert_eq!(
        pins(&answer),
        ["frostgrid 2.1.0", "icelens 3.1", "moulin 4.2"][1..]
    );
    assert_eq!(answer["adjusted"][0]["because"], "crashes with moulin 5");
    assert!(
        answer["cautions"].as_array().unwrap().is_empty(),
        "a bound closes the series"
    );
    assert!(
        field
            .read("pylock.toml")
            .contains("because = \"crashes with moulin 5\""),
        "it is recorded"
    );
    let text = field
        .expect(0, &[&["settle", "icelens"], &THERE[..]].concat())
        .out;
    assert!(
        text.contains(
            "adjusted  icelens needs moulin <5: \"crashes with moulin 5\" (eutaxis.toml:"
        ),
        "{text}"
    );
}

#[test]
fn a_release_is_avoided_and_a_clash_quotes_why() {
    let field = adjusted(
        "project = 'moulin'\nversions = '>=5'\navoid = true\nbecause = 'wrong paths; seen 2026-05'",
    );
    assert_eq!(
        pins(&field.json(0, &[&["settle", "moulin"], &THERE[..]].concat())),
        ["moulin 4.2"]
    );
    let answer = field.json(
        1,
        &[
            &["settle", "moulin>=5", "--out", "pylock.new.toml"],
            &THERE[..],
        ]
        .concat(),
    );
    let list = field.json(0, &[&["shortlist", "moulin"], &THERE[..]].concat());
    assert_eq!(
        (&list["best"], &list["offers"][0]["verdict"]),
        (&"4.2".into(), &"barred".into()),
        "the list knows it too"
    );
    let fact = &answer["clash"]["facts"][1];
    assert_eq!(fact["kind"], "adjust");
    assert!(
        fact["text"]
            .as_str()
            .unwrap()
            .contains("to be avoided: \"wrong paths; seen 2026-05\""),
        "{fact}"
    );
    let ways = answer["ways_out"].as_array().unwrap();
    let without = ways.iter().find(|w| w["kind"] == "unadjust").unwrap();
    let taken = [
        &[
            "settle",
            "moulin>=5",
            "--out",
            "pylock.new.toml",
            "--take",
            without["letter"].as_str().unwrap(),
        ],
        &THERE[..],
    ]
    .concat();
    field.expect(0, &taken);
    assert!(
        field
            .read("eutaxis.toml")
            .contains("# [[adjust]]\n# project = 'moulin'"),
        "{}",
        field.read("eutaxis.toml")
    );
}

#[test]
fn one_that_matches_nothing_is_a_caution() {
    let field = adjusted("project = 'moulin'\nversions = '<2'\navoid = true\nbecause = 'old'");
    let told = |asks: &str| {
        let answer = field.json(0, &[&["settle", asks, "--out", asks], &THERE[..]].concat());
        answer["cautions"]
            .as_array()
            .unwrap()
            .iter()
            .map(|c| c.as_str().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    assert!(
        told("moulin")[0].ends_with("the adjustment of moulin matches nothing: no release is <2.")
    );
    assert!(told("katabat")[0].ends_with("matches nothing: the project has no part in this."));
    let elsewhere = adjusted(
        "project = 'moulin'\nwhen = \"sys_platform == 'win32'\"\navoid = true\nbecause = 'paths'",
    );
    let answer = elsewhere.json(0, &[&["settle", "moulin"], &THERE[..]].concat());
    assert_eq!(
        answer["cautions"].as_array().unwrap().len(),
        0,
        "it speaks of another place"
    );
}
