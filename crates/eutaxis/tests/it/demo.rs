//! `demo`: goes the whole way, and leaves nothing or a world that works.

use crate::field::Field;

#[test]
fn the_demo_goes_the_whole_way() {
    let field = Field::empty();
    let answer = field.json(0, &["demo", "camp", "--all"]);
    let exits: Vec<i64> = answer["steps"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| s["exit"].as_i64().unwrap())
        .collect();
    assert_eq!(
        exits,
        [
            0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 1, 0, 1, 1, 1, 1,
            1, 1, 1, 1, 1, 1, 1, 0, 0, 0, 0, 1, 1, 0, 1, 0, 1, 0, 0, 0, 0, 0
        ]
    );
    // A set that holds by what it says, and was proven in two rounds.
    let proof = |step: usize| answer["steps"][step]["answer"]["proof"].clone();
    let (read, ran, twins) = (proof(19), proof(20), proof(21));
    assert_eq!(
        (&read["level"], &ran["level"]),
        (&"read".into(), &"ran".into())
    );
    let sets = ran["rounds"]
        .as_array()
        .unwrap()
        .iter()
        .map(|r| r["set"].as_u64().unwrap());
    assert_eq!(sets.max(), Some(2));
    assert_eq!(twins["rounds"].as_array().map(Vec::len), Some(0), "{twins}");
    // The environment that nobody looked after.
    let found = crate::hut::told(&answer["steps"][15]["answer"]);
    let mut ids: Vec<&str> = found.iter().filter_map(|f| f.split(' ').nth(1)).collect();
    ids.sort();
    ids.dedup();
    let expected = "absent-file built-before differs-from-pin leftover library-absent not-pinned \
        shared-path version-clash wrong-interpreter";
    assert_eq!(ids.join(" "), expected);
    assert!(field.path("camp/depot/frostgrid/index.html").exists());
    field.expect(2, &["demo", "camp"]);
}

#[test]
fn without_a_folder_nothing_is_left() {
    let field = Field::empty();
    let ran = crate::field::ran(
        field
            .command(&["demo"])
            .env("TMPDIR", field.path(""))
            .output()
            .unwrap(),
    );
    assert_eq!(ran.code, 0, "{ran:?}");
    assert!(
        ran.out.contains("reads and focuses ice radar [compiled]"),
        "{}",
        ran.out
    );
    assert!(field.names().is_empty(), "{:?}", field.names());
}

/// By default it is a story that is read in a few minutes.
#[test]
fn the_story_is_short_and_its_lines_are_typed() {
    let field = Field::empty();
    let ran = field.expect(0, &["demo", "camp"]);
    assert!(ran.out.lines().count() < 150, "{}", ran.out.lines().count());
    assert!(ran.out.contains("\n9  "), "{}", ran.out);
    // What its clash says mends it is what the next step types.
    let camp = field.path("camp");
    for line in ran.out.lines().filter_map(|l| l.strip_prefix("$ eutaxis")) {
        let again = crate::field::shell(&field, &camp, &format!("eutaxis{line}"));
        assert!(again.code < 2, "{line}: {again:?}");
    }
    let told = ran
        .out
        .matches("eutaxis settle icelens \"moulin<5\" --target base-camp")
        .count();
    assert_eq!(told, 2, "{}", ran.out);
}

#[test]
fn one_step_is_shown_alone() {
    let field = Field::empty();
    let ran = field.expect(0, &["demo", "--step", "4"]);
    assert!(
        ran.out.starts_with("4  Why is there an older moulin"),
        "{}",
        ran.out
    );
    assert_eq!(ran.out.matches("$ eutaxis").count(), 1, "{}", ran.out);
    let refused = field.expect(2, &["demo", "--step", "10"]);
    assert!(
        refused.err.contains("there is no step 10"),
        "{}",
        refused.err
    );
}
