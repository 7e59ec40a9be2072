//! Releases that have never met, and choosing by the time.

use crate::field::{Field, WORKSTATION};

const THERE: [&str; 2] = ["--target", WORKSTATION];

fn settle(field: &Field, more: &[&str]) -> serde_json::Value {
    field.json(0, &[&["settle", "icelens", "--renew"], &THERE[..], more].concat())
}

fn moulin(answer: &serde_json::Value) -> &str {
    let pins = answer["pins"].as_array().unwrap();
    pins.iter().find(|p| p["name"] == "moulin").unwrap()["version"].as_str().unwrap()
}

#[test]
fn a_compiled_pair_that_never_met_is_a_caution_with_both_dates() {
    let field = Field::new();
    let answer = field.json(0, &[&["settle", "icelens"], &THERE[..]].concat());
    let caution = answer["cautions"][0].as_str().unwrap();
    assert!(caution.starts_with("icelens 3.1 (2023-06) was compiled before moulin 5 (2024-09) existed"), "{caution}");
    assert_eq!(answer["chronology"][0]["strength"], "strong");
    let reason = field.json(0, &["reason", "moulin"]);
    assert_eq!(reason["cautions"][0].as_str(), Some(caution), "reason tells it too");
}

#[test]
fn following_takes_the_series_that_was_known() {
    let field = Field::new();
    field.expect(0, &[&["settle", "icelens"], &THERE[..]].concat());
    assert_eq!(moulin(&settle(&field, &[])), "5.0");
    let followed = settle(&field, &["--chronology", "follow"]);
    assert_eq!((moulin(&followed), followed["cautions"].as_array().unwrap().len()), ("4.2", 0));
    let newer = field.json(0, &["reason", "moulin"])["newer"].clone();
    assert_eq!(
        newer[1]["kept_out_by"][0],
        "its series began 2024-09-03, after icelens (2023-06-14), which has never met it"
    );
    assert!(settle(&field, &["--chronology", "ignore"])["cautions"].as_array().unwrap().is_empty());
    field.write("eutaxis.toml", &format!("{}\n[policy]\nchronology = \"follow\"\n", field.read("eutaxis.toml")));
    assert_eq!(moulin(&settle(&field, &[])), "4.2", "the settings say so too");
}

#[test]
fn the_period_is_that_of_those_who_need_it() {
    let field = Field::new();
    let pins = |prefer: &str| {
        let arguments = [&["settle", "radargram==2.0.2", "--prefer", prefer, "--out"], &[prefer][..], &THERE].concat();
        let answer = field.json(0, &arguments);
        let pins = answer["pins"].as_array().unwrap().clone();
        pins.iter()
            .map(|p| format!("{} {}", p["name"].as_str().unwrap(), p["version"].as_str().unwrap()))
            .collect::<Vec<_>>()
    };
    assert_eq!(pins("period"), ["firnio 1.2", "frostgrid 2.0.0", "radargram 2.0.2", "wirepack 4.25.1"]);
    assert_eq!(pins("newest"), ["firnio 1.3", "frostgrid 2.1.0", "radargram 2.0.2", "wirepack 5.28.0"]);
}
