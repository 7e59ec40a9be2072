//! `survey`: the machine, its interpreters, named targets.

use crate::field::{Field, ran};

#[test]
fn the_answer_in_json_keeps_the_contract() {
    let field = Field::new();
    let answer = field.json(0, &["survey", "--tags"]);
    for key in ["os", "os_release", "kernel_arch", "arch", "bits", "libc"] {
        assert!(!answer["machine"][key].is_null(), "{key}");
    }
    let default: Vec<_> = answer["interpreters"].as_array().unwrap().iter().filter(|i| i["default"] == true).collect();
    assert_eq!(default.len(), 1, "{answer}");
    for key in ["path", "implementation", "version", "abi", "bits", "platform", "externally_managed"] {
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
    assert!(field.read("eutaxis.toml").starts_with(&before), "what was there stays");
    let named = field.json(0, &["settle", "snowpit", "--target", "here"]);
    let plain = field.json(0, &["settle", "snowpit"]);
    assert_eq!(named["target"], plain["target"]);
    field.expect(2, &["survey", "--save", "here"]);
    field.expect(2, &["survey", "--save", "not a name"]);
}

#[test]
fn the_environment_of_the_folder_and_a_lost_one_are_told() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish"]);
    let seen = field.expect(0, &["survey"]);
    assert!(seen.out.contains("environment of this folder") && seen.out.contains("care"), "{}", seen.out);
    let lost = ran(field.command(&["survey"]).env("VIRTUAL_ENV", field.path("gone")).output().unwrap());
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
