//! `locate`: where a module is, whose it is, and why it is not here.

use crate::hut::{Hut, Placed, plain, python};

#[test]
fn a_module_is_found_with_its_project() {
    let hut = Hut::new();
    hut.place(&Placed {
        files: vec![
            ("tables/__init__.py".into(), vec![]),
            ("tables/ice.py".into(), vec![]),
        ],
        ..plain("firnio", "1.2")
    });
    let answer = hut
        .field
        .json(0, &["locate", "tables.ice", "--in", ".venv"]);
    let place = &answer["places"][0];
    assert_eq!(
        (&place["found"], &place["project"], &place["version"]),
        (&true.into(), &"firnio".into(), &"1.2".into())
    );
    assert!(place["path"].as_str().unwrap().ends_with("tables/ice.py"));
}

#[rstest::rstest]
#[case::other_name("firnio", "firnio is placed here, and is imported as tables")]
#[case::misspelt("tabels", "did you mean tables?")]
#[case::part("tables.snow", "tables is here, and has no `snow`")]
#[case::nothing("zzzzzz", "not placed here")]
fn why_it_is_not_here_is_told(#[case] module: &str, #[case] note: &str) {
    let hut = Hut::new();
    hut.place(&Placed {
        files: vec![("tables/__init__.py".into(), vec![])],
        ..plain("firnio", "1.2")
    });
    let answer = hut.field.json(1, &["locate", module, "--in", ".venv"]);
    let told = answer["places"][0]["note"].as_str().unwrap();
    assert!(told.contains(note), "{told}");
}

#[test]
fn the_environment_of_the_folder_is_the_one_that_counts() {
    let hut = Hut::new();
    hut.place(&plain("firnio", "1.2"));
    let answer = hut.field.json(0, &["locate", "firnio"]);
    let places = answer["places"].as_array().unwrap();
    assert!(
        places.len() > 1 && places[0]["found"] == true && places[1]["found"] == false,
        "{answer:#}"
    );
    assert!(
        places[1]["note"]
            .as_str()
            .unwrap()
            .contains("firnio is not placed here; it is in .venv"),
        "{answer:#}"
    );
    assert!(
        answer["default"]
            .as_str()
            .unwrap()
            .ends_with(".venv/bin/python")
    );
    // From another folder the interpreter that `python3` starts counts, which does not have it.
    hut.field.write("elsewhere/x", "");
    let ran = hut
        .field
        .command(&["locate", "firnio"])
        .current_dir(hut.field.path("elsewhere"))
        .output()
        .unwrap();
    assert_eq!(ran.status.code(), Some(1));
}

#[test]
fn the_interpreters_own_modules_are_told_as_such() {
    let hut = Hut::new();
    let note = |module: &str| {
        hut.field.json(0, &["locate", module, "--in", ".venv"])["places"][0]["note"].clone()
    };
    assert_eq!(note("sys"), "inside the interpreter");
    assert_eq!(note("json.decoder"), "the standard library");
    let answer = hut.field.json(
        0,
        &["locate", "json", "--in", python().program.to_str().unwrap()],
    );
    assert_eq!(answer["places"][0]["environment"], false);
    let refused = hut.field.expect(2, &["locate", "a b"]);
    assert!(
        refused.err.contains("not the name of a module"),
        "{}",
        refused.err
    );
}
