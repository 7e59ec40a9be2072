//! When it cannot be: six kinds of clash, their ways out, and taking one.

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, WORKSTATION};

/// Kinds of the facts, and the ways as `kind: text`.
fn told(answer: &Value) -> (Vec<&str>, Vec<String>) {
    let kinds = answer["clash"]["facts"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["kind"].as_str().unwrap())
        .collect();
    let way = |w: &Value| {
        format!(
            "{}: {}",
            w["kind"].as_str().unwrap(),
            w["text"].as_str().unwrap()
        )
    };
    (
        kinds,
        answer["ways_out"]
            .as_array()
            .unwrap()
            .iter()
            .map(way)
            .collect(),
    )
}

#[rstest]
#[case::through_a_shared_project(&["seracnet>=2", "sastrugi==0.8.1", "--target", WORKSTATION],
    &["ask", "needs", "ask", "needs"], "ask: ask sastrugi >=0.9.0 instead of ==0.8.1")]
#[case::interpreter(&["bergschrund", "--target", "cpython 3.9 / linux x86_64 glibc 2.35"],
    &["ask", "interpreter"], "interpreter: use cpython 3.11.14")]
#[case::no_wheel_for_the_platform(&["seracnet", "--target", "cpython 3.11 / linux aarch64 glibc \
    2.35"],
    &["ask", "platform"], "")]
#[case::only_source(&["cornicekit", "--wheels", "only", "--target", WORKSTATION],
    &["ask", "wheels"], "build: permit building cornicekit from source")]
#[case::only_a_prerelease(&["drumlin", "icefoot", "--target", WORKSTATION],
    &["ask", "prerelease", "ask", "needs"], "prerelease: permit pre-releases of drumlin")]
#[case::no_such_release(&["frostgrid>=2.2", "--target", WORKSTATION],
    &["ask"], "ask: ask frostgrid >=2.1.0 instead of >=2.2")]
#[case::yanked(&["snowpit>=2.3", "--target", WORKSTATION],
    &["ask", "yanked"], "ask: ask snowpit >=2.2 instead of >=2.3")]
#[case::date(&["snowpit>=2.2", "--as-of", "2025-01-01", "--target", WORKSTATION],
    &["ask", "date"], "ask: ask snowpit >=2.1 instead of >=2.2")]
#[case::exact_pin_three_levels_down(&["traverse-suite", "wirepack>=2", "--target", WORKSTATION],
    &["ask", "needs", "needs", "needs", "ask"], "ask: ask wirepack >=1.6.0 instead of >=2")]
#[case::two_hosts_with_interpreters_of_their_own(&["rimefall", "bergschrund", "--target", WORKSTATION],
    &["ask", "interpreter"], "")]
fn each_kind_of_clash_is_told(#[case] asks: &[&str], #[case] kinds: &[&str], #[case] way: &str) {
    let field = Field::new();
    let answer = field.json(1, &[&["settle"], asks].concat());
    let (found, ways) = told(&answer);
    assert_eq!(found, kinds, "{answer:#}");
    assert!(way.is_empty() || ways.iter().any(|w| w == way), "{ways:#?}");
    // Every way has pins for all that it asks for, or two environments that have.
    for way in answer["ways_out"].as_array().unwrap() {
        let environments = way["environments"].as_array();
        let pins = way["pins"].as_array().unwrap();
        assert!(
            !pins.is_empty() || environments.is_some_and(|e| e.len() == 2),
            "{way:#}"
        );
    }
    assert!(field.names().is_empty());
}

#[test]
fn hosts_that_need_different_interpreters_are_split() {
    let field = Field::new();
    let answer = field.json(
        1,
        &["settle", "rimefall", "bergschrund", "--target", WORKSTATION],
    );
    let ways = answer["ways_out"].as_array().unwrap();
    let split = ways.iter().find(|w| w["kind"] == "environments").unwrap();
    let told: Vec<String> = split["environments"]
        .as_array()
        .unwrap()
        .iter()
        .map(|e| {
            format!(
                "{} {}",
                e["asks"][0].as_str().unwrap(),
                e["interpreter"].as_str().unwrap()
            )
        })
        .collect();
    assert_eq!(told, ["bergschrund cpython 3.11.14", "rimefall 3.9"]);
}

#[test]
fn the_facts_do_not_depend_on_the_order_of_the_asks() {
    let field = Field::new();
    let mut asks = vec!["seracnet>=2", "sastrugi==0.8.1", "ablatia", "moulin"];
    let facts = |asks: &[&str]| {
        let answer = field.json(1, &[&["settle", "--target", WORKSTATION], asks].concat());
        let facts = answer["clash"]["facts"].as_array().unwrap();
        let mut texts: Vec<String> = facts
            .iter()
            .map(|f| f["text"].as_str().unwrap().to_owned())
            .collect();
        texts.sort();
        texts
    };
    let first = facts(&asks);
    asks.reverse();
    assert_eq!(facts(&asks), first);
    asks.swap(0, 2);
    assert_eq!(facts(&asks), first);
}

#[rstest]
#[case::list(
    "kit.txt",
    "# the kit\nseracnet >=2  # sees\nsastrugi==0.8.1\n",
    "# the kit\nseracnet >=1.6.0  # sees\nsastrugi==0.8.1\n"
)]
#[case::project(
    "pyproject.toml",
    "[project]\nname = 'kit'\nversion = '1'\ndependencies = [\n  \"seracnet>=2\", # sees\n  \
        'sastrugi==0.8.1',\n]\n",
    "[project]\nname = 'kit'\nversion = '1'\ndependencies = [\n  \"seracnet>=1.6.0\", # sees\n  \
        'sastrugi==0.8.1',\n]\n"
)]
#[case::script(
    "kit.py",
    "# /// script\n# dependencies = [\"seracnet>=2\", \"sastrugi==0.8.1\"]\n# ///\nimport \
        seracnet\n",
    "# /// script\n# dependencies = [\"seracnet>=1.6.0\", \"sastrugi==0.8.1\"]\n# ///\nimport \
        seracnet\n"
)]
fn a_way_is_taken_by_changing_one_line(
    #[case] file: &str,
    #[case] before: &str,
    #[case] after: &str,
) {
    let field = Field::new();
    field.write(file, before);
    let asks = ["settle", "--asks", file, "--target", WORKSTATION];
    let answer = field.json(1, &asks);
    let ways = answer["ways_out"].as_array().unwrap();
    let letter = ways
        .iter()
        .find(|w| w["text"].as_str().unwrap().starts_with("ask seracnet"))
        .unwrap()["letter"]
        .clone();
    assert_eq!(field.read(file), before, "seeing the ways changes nothing");
    let taken = field.json(
        0,
        &[&asks[..], &["--take", letter.as_str().unwrap()]].concat(),
    );
    assert_eq!(field.read(file), after);
    assert_eq!(taken["edits"][0]["lines"].as_array().unwrap().len(), 1);
    assert!(field.read("pylock.toml").contains("seracnet-1.6.0"));
    // What was taken settles by itself from now on, and there is nothing more to take.
    field.expect(0, &asks);
    assert!(
        field
            .expect(2, &[&asks[..], &["--take", "a"]].concat())
            .err
            .contains("nothing clashes")
    );
}

#[test]
fn two_environments_are_taken_as_two_files_of_pins() {
    let field = Field::new();
    let asks = [
        "settle",
        "seracnet>=2",
        "sastrugi==0.8.1",
        "--target",
        WORKSTATION,
    ];
    let answer = field.json(1, &asks);
    let split = answer["ways_out"]
        .as_array()
        .unwrap()
        .iter()
        .find(|w| w["kind"] == "environments")
        .unwrap();
    field.expect(
        0,
        &[&asks[..], &["--take", split["letter"].as_str().unwrap()]].concat(),
    );
    assert_eq!(
        field.names(),
        ["pylock.sastrugi.toml", "pylock.seracnet.toml"]
    );
    // The same project in both has a file for each, too.
    let twice = [
        "settle",
        "seracnet>=2",
        "seracnet<2",
        "--target",
        WORKSTATION,
        "--out",
        "pylock.both.toml",
    ];
    let answer = field.json(1, &twice);
    let split = answer["ways_out"]
        .as_array()
        .unwrap()
        .iter()
        .find(|w| w["kind"] == "environments")
        .unwrap();
    assert_eq!(
        split["text"],
        "two environments: {seracnet >=2} and {seracnet <2}"
    );
    field.expect(
        0,
        &[&twice[..], &["--take", split["letter"].as_str().unwrap()]].concat(),
    );
    assert!(
        field.path("pylock.both-seracnet.toml").exists()
            && field.path("pylock.both-seracnet-2.toml").exists()
    );
    let wrong = field.expect(2, &[&asks[..], &["--take", "z"]].concat());
    assert!(
        wrong
            .err
            .contains("there is no way out `z`; there are a to"),
        "{}",
        wrong.err
    );
}

#[cfg(unix)]
#[test]
fn a_changed_file_stays_what_it_was() {
    use std::os::unix::fs::PermissionsExt;
    let field = Field::new();
    field.write(
        "real/kit.py",
        "# /// script\n# dependencies = [\"seracnet>=2\", \"sastrugi==0.8.1\"]\n# ///\n",
    );
    let mode = |mode: u32| {
        std::fs::set_permissions(
            field.path("real/kit.py"),
            std::fs::Permissions::from_mode(mode),
        )
        .unwrap()
    };
    std::os::unix::fs::symlink("real/kit.py", field.path("kit.py")).unwrap();
    let take = [
        "settle",
        "--asks",
        "kit.py",
        "--target",
        WORKSTATION,
        "--take",
        "a",
    ];
    mode(0o444);
    let refused = field.expect(3, &take);
    assert!(
        refused.err.contains("kit.py is read-only") && !field.path("pylock.toml").exists(),
        "{}",
        refused.err
    );
    mode(0o755);
    field.expect(0, &take);
    assert!(
        field.path("kit.py").is_symlink()
            && field.read("real/kit.py").contains("1.6.0")
                == field.read("pylock.toml").contains("seracnet-1.6.0")
    );
    assert_eq!(
        std::fs::metadata(field.path("real/kit.py"))
            .unwrap()
            .permissions()
            .mode()
            & 0o777,
        0o755
    );
}

#[test]
fn the_last_resort_is_written_into_the_settings() {
    let field = Field::new();
    field.write("bounds.txt", "wirepack>=2\n");
    let asks = [
        "settle",
        "fieldlog",
        "--bounds",
        "bounds.txt",
        "--target",
        WORKSTATION,
    ];
    let answer = field.json(1, &asks);
    let ways = answer["ways_out"].as_array().unwrap();
    let Some(last) = ways.iter().find(|w| w["kind"] == "adjust") else {
        panic!("{ways:#?}")
    };
    field.expect(
        0,
        &[&asks[..], &["--take", last["letter"].as_str().unwrap()]].concat(),
    );
    assert!(
        field
            .read("eutaxis.toml")
            .contains("[[adjust]]\nproject = \"fieldlog\""),
        "{}",
        field.read("eutaxis.toml")
    );
    let again = field.json(0, &asks);
    assert!(
        again["adjusted"][0]["because"]
            .as_str()
            .unwrap()
            .contains("accepted though it says"),
        "{again:#}"
    );
}

#[test]
fn a_clash_is_drawn() {
    let field = Field::new();
    let asks = [
        "settle",
        "seracnet>=2",
        "sastrugi==0.8.1",
        "--target",
        WORKSTATION,
        "--picture",
        "clash.svg",
    ];
    field.expect(1, &asks);
    let picture = field.read("clash.svg");
    assert!(picture.starts_with("<svg") && picture.ends_with("</svg>\n"));
    for part in [
        "frostgrid",
        "sastrugi 0.8.1 needs frostgrid &gt;=1.8,&lt;2",
        "ways out",
    ] {
        assert!(picture.contains(part), "{part}");
    }
    // A cell for every release and fact, and the dashed row of what is left.
    assert_eq!(
        (
            picture.matches("rx=\"2\" fill=\"#").count(),
            picture.matches("stroke-dasharray").count()
        ),
        (14, 7)
    );
}
