//! `span`: interpreters against targets, what each loses, the split, toolkits.

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, WORKSTATION};

const TEAM: [&str; 8] = [
    "--target",
    "ridge-logger",
    "--target",
    "base-camp",
    "--target",
    "office-mac",
    "--target",
    "field-laptop",
];

/// The verdict of a cell, with how many of its projects are older than elsewhere and how many must
/// be built.
fn cell(answer: &Value, interpreter: &str, target: &str) -> (String, usize, u64) {
    let cells = answer["cells"].as_array().unwrap();
    let is = |c: &&Value| c["interpreter"] == interpreter && c["target"] == target;
    let cell = cells
        .iter()
        .find(is)
        .unwrap_or_else(|| panic!("no cell {interpreter} {target}"));
    let older = cell["older"].as_array().unwrap().len();
    (
        cell["verdict"].as_str().unwrap().to_owned(),
        older,
        cell["built"].as_u64().unwrap(),
    )
}

#[test]
fn an_older_interpreter_is_recommended_with_its_reason() {
    let field = Field::new();
    // 3.14 has no files at all.
    let ask = [
        &["span", "radargram", "nunatak", "--wheels", "only"],
        &TEAM[..],
    ]
    .concat();
    let answer = field.json(0, &ask);
    assert_eq!(answer["best"], "3.12");
    assert_eq!(cell(&answer, "3.13", "ridge-logger").0, "clash");
    assert_eq!(
        cell(&answer, "3.13", "base-camp"),
        ("settles".to_owned(), 0, 0)
    );
    let text = field.expect(0, &ask).out;
    assert!(
        text.starts_with(
            "Take CPython 3.12: the newest on which both asks settle on all 4 targets."
        ),
        "{text}"
    );
    assert!(
        text.contains("3.13 on ridge-logger") && text.contains("nunatak 1.2: wheels for"),
        "{text}"
    );
    assert!(text.contains("--interpreter 3.12"), "{text}");
}

/// Releases that are out for one date are told together, whatever the day on which each appeared.
#[test]
fn what_came_after_a_date_is_one_reason() {
    let field = Field::new();
    let asked = [
        "span",
        "radargram",
        "--target",
        WORKSTATION,
        "--interpreters",
        "3.10..3.11",
        "--as-of",
        "2020-01-01",
    ];
    let shown = field.expect(1, &asked).out;
    assert!(
        shown.contains("radargram 1.9.0 to 2.2.0: published after 2020-01-01\n"),
        "{shown}"
    );
}

#[test]
fn what_each_interpreter_loses_is_told_and_source_counts_against_it() {
    let field = Field::new();
    let answer = field.json(
        0,
        &[
            &[
                "span",
                "--asks",
                "fieldkit.txt",
                "--interpreters",
                "3.9..3.13",
            ],
            &TEAM[..],
        ]
        .concat(),
    );
    assert_eq!(
        answer["best"], "3.11",
        "under the newer ones the board builds something"
    );
    assert_eq!(cell(&answer, "3.13", "ridge-logger").2, 1);
    // What is compiled stays beside the moulin that it knows.
    assert_eq!(
        cell(&answer, "3.11", "base-camp"),
        ("settles".to_owned(), 1, 0)
    );
    assert_eq!(cell(&answer, "3.9", "base-camp").1, 3);
    let older = &answer["cells"]
        .as_array()
        .unwrap()
        .iter()
        .find(|c| c["interpreter"] == "3.9" && c["target"] == "base-camp")
        .unwrap()["older"][0];
    assert!(
        older["version"].as_str() < older["newest"].as_str(),
        "{older}"
    );
    // What it recommends holds.
    field.expect(
        0,
        &[
            &["settle", "--asks", "fieldkit.txt", "--interpreter", "3.11"],
            &TEAM[..],
        ]
        .concat(),
    );
}

#[test]
fn where_no_interpreter_holds_everything_the_asks_are_split() {
    let field = Field::new();
    let ask = [
        "span",
        "katabat",
        "rimefall",
        "bergschrund",
        "--target",
        "base-camp",
    ];
    let answer = field.json(1, &ask);
    assert!(answer["best"].is_null());
    let parts: Vec<(String, Vec<String>)> = answer["split"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| {
            let asks = p["asks"]
                .as_array()
                .unwrap()
                .iter()
                .map(|a| a.as_str().unwrap().to_owned())
                .collect();
            (p["interpreter"].as_str().unwrap().to_owned(), asks)
        })
        .collect();
    assert_eq!(
        parts[0],
        (
            "3.14".to_owned(),
            vec!["katabat".to_owned(), "bergschrund".to_owned()]
        )
    );
    assert_eq!(parts[1], ("3.9".to_owned(), vec!["rimefall".to_owned()]));
    let text = crate::field::ran(field.command(&ask).env("COLUMNS", "120").output().unwrap()).out;
    // The commands that it gives really settle.
    for line in text.lines().filter(|l| l.contains("eutaxis settle")) {
        let words: Vec<&str> = line
            .split_once("eutaxis ")
            .unwrap()
            .1
            .split_whitespace()
            .collect();
        field.expect(0, &words);
    }
    assert_eq!(field.names(), ["pylock.1.toml", "pylock.2.toml"]);
    let nowhere = field.json(
        1,
        &[
            "span",
            "rimefall",
            "katabat",
            "--target",
            "base-camp",
            "--interpreters",
            "3.12",
        ],
    );
    assert_eq!(nowhere["nowhere"], "rimefall");
}

#[test]
fn toolkits_stand_against_interpreters() {
    let field = Field::new();
    let ask = [
        "span",
        "seracnet",
        "firnflow",
        "--target",
        "base-camp",
        "--interpreters",
        "3.11..3.12",
    ];
    let answer = field.json(0, &ask);
    let toolkits = &answer["toolkits"][0];
    assert_eq!(
        (toolkits["family"].as_str(), toolkits["best"].as_str()),
        (Some("nordglim"), Some("3.6"))
    );
    let verdict = |toolkit: &str| {
        let cells = toolkits["cells"].as_array().unwrap();
        cells
            .iter()
            .find(|c| c["toolkit"] == toolkit && c["interpreter"] == "3.12")
            .unwrap()["verdict"]
            .clone()
    };
    assert_eq!(
        [verdict("4.2"), verdict("4.1"), verdict("3.6")],
        ["barred", "clash", "settles"]
    );
    let text = field.expect(0, &ask).out;
    assert!(
        text.contains("4.1  firnflow has no build for nordglim 4.1"),
        "{text}"
    );
    assert!(
        text.contains("4.2  needs nordglim 4.2; driver 512.4 runs up to 4.1"),
        "{text}"
    );
}

#[test]
fn the_picture_is_drawn_and_narrow_terminals_are_heeded() {
    let field = Field::new();
    let ask = [
        &[
            "span",
            "nunatak",
            "--interpreters",
            "3.9..3.13",
            "--picture",
            "span.svg",
        ],
        &TEAM[..],
    ]
    .concat();
    field.expect(0, &ask);
    let picture = field.read("span.svg");
    assert!(
        picture.starts_with("<svg")
            && picture.contains(">ridge-logger<")
            && picture.contains(">take<"),
        "{picture}"
    );
    for columns in ["40", "60", "100"] {
        let ran = crate::field::ran(
            field
                .command(&ask)
                .env("COLUMNS", columns)
                .output()
                .unwrap(),
        );
        let widest = ran.out.lines().map(|l| l.chars().count()).max().unwrap();
        assert!(widest <= columns.parse().unwrap(), "{columns}: {}", ran.out);
    }
}

#[test]
fn a_projects_own_word_on_interpreters_counts() {
    let field = Field::new();
    field.write(
        "pyproject.toml",
        "[project]\nname = 'kit'\nversion = '1'\nrequires-python = '>=3.11,<3.13'\ndependencies = \
            ['katabat']\n",
    );
    let answer = field.json(
        0,
        &[
            "span",
            "--asks",
            "pyproject.toml",
            "--target",
            WORKSTATION,
            "--interpreters",
            "3.10..3.13",
        ],
    );
    assert_eq!(answer["best"], "3.12");
    let verdicts: Vec<&str> = answer["cells"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| c["verdict"].as_str().unwrap())
        .collect();
    assert_eq!(verdicts, ["barred", "settles", "settles", "barred"]);
}

#[rstest]
#[case(&["--interpreters", "3.13..3.9"], "no range of versions")]
#[case(&["--interpreters", "new"], "not a version")]
#[case(&["--interpreter", "3.11"], "write --interpreters 3.11")]
#[case(&["--target", "nowhere"], "there is no target")]
fn bad_questions_are_told(#[case] arguments: &[&str], #[case] part: &str) {
    let field = Field::new();
    assert!(
        field
            .expect(2, &[&["span", "katabat"], arguments].concat())
            .err
            .contains(part)
    );
}
