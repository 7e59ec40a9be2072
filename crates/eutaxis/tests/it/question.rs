//! Pins remember their question: a run that asks nothing takes it up, and what changes it is told,
//! written and refused where it must be.

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, WORKSTATION, pins};

const PLANNED: &str = "cpython 3.9 / linux armv7l glibc 2.31";

/// A folder with a project file, settled for a board.
fn kit() -> Field {
    let field = Field::new();
    field.write(
        "pyproject.toml",
        "[project]\nname = \"kit\"\nversion = \"1\"\ndependencies = [\n    \"firnio>=1\", # tables\n]\n\n[dependency-groups]\ntest = [\"snowpit\"]\n",
    );
    field.expect(0, &["settle", "--target", PLANNED, "--group", "test"]);
    field
}

#[test]
fn a_run_that_asks_nothing_takes_the_question_up() {
    let field = kit();
    let before = field.read("pylock.toml");
    let again = field.json(0, &["settle"]);
    assert!(
        again["target"].as_str().unwrap().contains("armv7l"),
        "{again}"
    );
    assert_eq!(field.read("pylock.toml"), before);
    let other = field.json(0, &["settle", "--target", WORKSTATION]);
    assert!(other["target"].as_str().unwrap().contains("x86_64"));
    assert!(
        pins(&other).iter().any(|p| p.starts_with("snowpit")),
        "the group stays"
    );
    let span = field.json(0, &["span", "--interpreters", "3.9..3.10"]);
    let cell = &span["cells"][0];
    assert!(
        cell["target"].as_str().unwrap().contains("x86_64"),
        "{cell}"
    );
}

/// What was typed is asked again as well, under the policy that was typed.
#[test]
fn what_was_typed_is_asked_again() {
    let field = Field::new();
    field.expect(
        0,
        &[
            "settle",
            "firnio",
            "wirepack<3",
            "--prefer",
            "oldest",
            "--target",
            PLANNED,
        ],
    );
    let before = field.read("pylock.toml");
    assert_eq!(pins(&field.json(0, &["settle"])).len(), 2);
    assert_eq!(field.read("pylock.toml"), before);
    // What is typed over it changes just that.
    let newest = field.json(0, &["settle", "--prefer", "newest", "--renew"]);
    assert_eq!(pins(&newest), ["firnio 1.3", "wirepack 2.2.1"]);
}

/// A machine with another interpreter does not change what is checked.
#[test]
fn the_recorded_question_is_checked_for_the_recorded_place() {
    let field = kit();
    field.expect(0, &["settle", "--check"]);
    field.write(
        "pyproject.toml",
        &field
            .read("pyproject.toml")
            .replace("firnio>=1", "firnio<1.3"),
    );
    let moved = field.json(1, &["settle", "--check"]);
    assert_eq!(
        moved["checked"][0]["drift"][0]["project"], "firnio",
        "{moved}"
    );
    // Of what was settled for this machine, what is here now is no matter.
    let here = Field::new();
    here.expect(0, &["settle", "firnio"]);
    let text = here.read("pylock.toml");
    let line = text.lines().find(|l| l.starts_with("target = ")).unwrap();
    let older = "target = \"cpython 3.9 / linux x86_64 glibc 2.31\"";
    here.write("pylock.toml", &text.replace(line, older));
    let checked = here.json(0, &["settle", "--check"]);
    let target = checked["checked"][0]["target"].as_str().unwrap();
    assert!(target.contains("3.9"), "{checked}");
}

#[test]
fn pins_of_another_question_are_not_written_over() {
    let field = kit();
    let before = field.read("pylock.toml");
    let refused = field.expect(2, &["settle", "katabat", "--target", PLANNED]);
    assert!(
        refused
            .err
            .contains("answers another question: pyproject.toml"),
        "{}",
        refused.err
    );
    assert_eq!(field.read("pylock.toml"), before);
    let (_, ways) = refused.err.split_once("to add to that question:").unwrap();
    let (and, apart) = ways.split_once("to settle it apart:").unwrap();
    let and = and.trim_end().trim_end_matches("try");
    field.typed(0, apart.trim());
    assert!(field.read("pylock.katabat.toml").contains("katabat"));
    assert_eq!(field.read("pylock.toml"), before);
    field.typed(0, and.trim());
    let text = field.read("pyproject.toml");
    assert!(
        text.contains("    \"firnio>=1\", # tables\n    \"katabat\",\n]"),
        "{text}"
    );
    // The same question, typed in other words, is no other one.
    field.expect(
        0,
        &["settle", "--asks", "pyproject.toml", "--group", "test"],
    );
}

/// What is added stands in the file, in its layout, and what is dropped does not; a no changes
/// nothing.
#[test]
fn asks_come_and_go_in_the_file() {
    let field = Field::new();
    field.write("requirements.txt", "# the season\nfirnio>=1  # tables\n");
    field.expect(0, &["settle", "--target", PLANNED]);
    let added = field.json(0, &["settle", "--and", "katabat <1", "--and", "firnio<1.3"]);
    assert_eq!(
        field.read("requirements.txt"),
        "# the season\nfirnio>=1,<1.3  # tables\nkatabat <1\n"
    );
    assert_eq!(pins(&added)[0], "firnio 1.2", "{added}");
    assert_eq!(added["edits"][0]["file"], "requirements.txt");
    let before = (field.read("requirements.txt"), field.read("pylock.toml"));
    field.json(1, &["settle", "--and", "wirepack>=9"]);
    assert_eq!(
        (field.read("requirements.txt"), field.read("pylock.toml")),
        before
    );
    field.expect(0, &["settle", "--drop", "katabat"]);
    assert_eq!(
        field.read("requirements.txt"),
        "# the season\nfirnio>=1,<1.3  # tables\n"
    );
    let absent = field.expect(2, &["settle", "--drop", "firnoi"]);
    assert!(
        absent.err.contains("did you mean firnio?"),
        "{}",
        absent.err
    );
    // Where no file asks, what is typed is remembered.
    let typed = Field::new();
    typed.expect(0, &["settle", "--and", "firnio", "--target", PLANNED]);
    typed.expect(0, &["settle", "--and", "katabat"]);
    assert_eq!(
        pins(&typed.json(0, &["settle"]))[0..2],
        ["firnio 1.3", "katabat 0.5"]
    );
    typed.expect(0, &["settle", "--drop", "katabat"]);
    assert_eq!(pins(&typed.json(0, &["settle"])).len(), 2);
}

#[test]
fn what_is_added_to_a_group_is_asked_with_it() {
    let field = kit();
    field.expect(0, &["settle", "--and", "katabat", "--group", "wind"]);
    let text = field.read("pyproject.toml");
    assert!(
        text.contains("test = [\"snowpit\"]\nwind = [\"katabat\"]\n"),
        "{text}"
    );
    let names: Vec<String> = pins(&field.json(0, &["settle"]));
    for name in ["firnio", "katabat", "snowpit"] {
        assert!(names.iter().any(|p| p.starts_with(name)), "{names:?}");
    }
}

/// A clash with what is added has ways out that change the file as it would be.
#[test]
fn a_way_out_goes_with_what_is_added() {
    let field = Field::new();
    field.write("requirements.txt", "wirepack<3\n");
    field.expect(0, &["settle", "--target", PLANNED]);
    let clash = field.json(
        1,
        &["settle", "--and", "firnio>=1.3", "--and", "wirepack>=3"],
    );
    assert!(
        clash["ways_out"].as_array().is_some_and(|w| !w.is_empty()),
        "{clash}"
    );
    let taken = field.json(
        0,
        &[
            "settle",
            "--and",
            "firnio>=1.3",
            "--and",
            "wirepack>=3",
            "--take",
            "a",
        ],
    );
    assert!(
        field.read("requirements.txt").contains("firnio>=1.3"),
        "{taken}"
    );
    field.expect(0, &["settle", "--check"]);
}

#[test]
fn one_is_left_out_without_touching_the_file() {
    let field = kit();
    let file = field.read("pyproject.toml");
    let without = field.expect(0, &["settle", "--but-not", "snowpit"]);
    assert!(
        without.out.contains("left out  snowpit (pyproject.toml:"),
        "{}",
        without.out
    );
    assert_eq!(field.read("pyproject.toml"), file);
    assert!(!field.read("pylock.toml").contains("name = \"snowpit\""));
    assert!(
        field
            .read("pylock.toml")
            .contains("because = \"--but-not\"")
    );
    field.expect(0, &["settle", "--check"]);
    // It is back when the option goes.
    assert!(
        pins(&field.json(0, &["settle"]))
            .iter()
            .any(|p| p.starts_with("snowpit"))
    );
    field.expect(2, &["settle", "--but-not", "katabat"]);
}

/// Several targets are remembered together.
#[test]
fn several_targets_are_taken_up() {
    let field = Field::new();
    field.write("requirements.txt", "firnio\n");
    field.expect(
        0,
        &[
            "settle",
            "--target",
            "ridge-logger",
            "--target",
            "base-camp",
        ],
    );
    let before = field.read("pylock.base-camp.toml");
    let again = field.json(0, &["settle"]);
    assert_eq!(again["targets"].as_array().unwrap().len(), 2, "{again}");
    assert_eq!(field.read("pylock.base-camp.toml"), before);
    assert!(!field.path("pylock.toml").exists());
    field.expect(0, &["settle", "--check"]);
    // They keep no other question from having its own.
    field.expect(0, &["settle", "katabat", "--target", PLANNED]);
    let refused = field.expect(2, &["settle", "snowpit"]);
    assert!(
        refused
            .err
            .contains("pylock.toml answers another question: katabat")
    );
    let board = Field::new();
    let three = [
        "settle",
        "firnio",
        "--target",
        "ridge-logger",
        "--target",
        "base-camp",
    ];
    board.expect(0, &[&three[..], &["--out", "pylock.three.toml"]].concat());
    board.write("requirements.txt", "katabat\n");
    assert_eq!(pins(&board.json(0, &["settle"])), ["katabat 0.5"]);
}

/// `furnish` says when the files say something else by now, and with `--check` it is no yes.
#[rstest]
#[case::added("firnio\nkatabat\n", "new katabat (requirements.txt:2)")]
#[case::dropped("wirepack\n", "gone firnio")]
#[case::other("firnio<2\n", "firnio is now firnio <2 (requirements.txt:1)")]
#[case::malformed("firnio = 2\n", "write `==2`")]
fn furnish_says_when_the_pins_are_stale(#[case] now: &str, #[case] told: &str) {
    let field = Field::new();
    field.write("requirements.txt", "firnio\n");
    field.expect(0, &["settle"]);
    let absent = field.json(1, &["furnish", "--check"]);
    assert_eq!(absent["checked"][0]["is_there"], false);
    field.expect(0, &["furnish"]);
    field.expect(0, &["furnish", "--check"]);
    field.write("requirements.txt", now);
    let stale = field.expect(1, &["furnish", "--check"]);
    let is_told = stale.out.contains(told) || told.starts_with("write");
    assert!(
        is_told && stale.out.contains("older than what is asked"),
        "{}",
        stale.out
    );
    assert!(stale.out.contains("eutaxis settle"), "{}", stale.out);
    let placed = field.expect(0, &["furnish"]);
    assert!(
        placed.out.contains("older than what is asked"),
        "{}",
        placed.out
    );
}

/// Pins with a name make an environment of that name, with the interpreter that was given.
#[test]
fn named_pins_make_a_named_environment() {
    let field = Field::new();
    field.expect(
        0,
        &[
            "settle",
            "firnio",
            "--out",
            "pylock.camp.toml",
            "--interpreter",
            "python3",
        ],
    );
    let made: Value = field.json(0, &["furnish", "pylock.camp.toml"]);
    assert!(
        made["environment"]
            .as_str()
            .unwrap()
            .ends_with(".venv-camp"),
        "{made}"
    );
    assert!(field.path(".venv-camp/bin/python").exists());
    assert!(!field.path(".venv").exists());
}
