//! Wheel variants (draft PEP 825): by the properties that a place has, told with each answer, and
//! carried along by everything that handles wheels.

use rstest::rstest;
use serde_json::json;

use crate::field::{Field, change_page, depot, depot_of, pins, server};

const LINUX: &str = "3.12 / linux x86_64 glibc 2.35";
const PINS: [&str; 2] = ["--out", "pylock.tide.toml"];

fn label(answer: &serde_json::Value) -> String {
    let pins = answer["pins"].as_array().unwrap();
    let pin = pins.iter().find(|p| p["name"] == "icetide").unwrap();
    pin["variant"]["label"].as_str().unwrap_or("-").to_owned()
}

#[rstest]
#[case::nothing_is_known("", "null")]
#[case::level_too_low(" level v2", "null")]
#[case::level(" level v4", "v3")]
#[case::accelerator(" level v3 / nordglim driver 512.4 device b3", "nor41")]
#[case::newer_driver(" / nordglim driver 535", "nor42")]
#[case::driver_too_old(" level v3 / nordglim driver 450.1", "v3")]
#[case::another_family(" / cuda driver 550.60", "null")]
fn the_best_variant_for_the_place_is_taken(#[case] place: &str, #[case] expected: &str) {
    let field = Field::new();
    let target = format!("{LINUX}{place}");
    let answer = field.json(0, &["settle", "icetide", "--target", &target]);
    assert_eq!(label(&answer), expected);
    let file = format!("icetide-0.5.0-cp312-cp312-manylinux_2_28_x86_64-{expected}.whl");
    assert!(field.read("pylock.toml").contains(&file));
    // The pins hold: the same question has the same answer.
    field.expect(0, &["settle", "--check"]);
}

#[test]
fn properties_are_told_and_bind_as_builds_do() {
    let field = Field::new();
    let target = format!("{LINUX} / nordglim driver 512.4 device b3");
    let asked = ["settle", "icetide", "--target", &target];
    let answer = field.json(0, &asked);
    let pin = &answer["pins"][0];
    assert_eq!(
        pin["variant"]["properties"],
        json!(["nordglim :: toolkit_from :: 4.1"])
    );
    assert_eq!(
        pin["accelerator"],
        json!({"family": "nordglim", "toolkit": "4.1", "evidence": "variant"})
    );
    let text = field.expect(0, &[&asked[..], &["--renew"]].concat()).out;
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(text.contains("variant icetide 0.5.0 is its variant nor41, nordglim :: toolkit_from :: 4.1 (draft PEP 825)."), "{text}");
    assert!(text.contains("Told by properties of variants."), "{text}");
    let files = field.json(0, &["shortlist", "icetide", "--target", &target, "--files"]);
    let mine = &files["offers"][0]["files"].as_array().unwrap().clone();
    let barred = |label: &str| {
        let file = mine.iter().find(|f| {
            f["file"]
                .as_str()
                .unwrap()
                .ends_with(&format!("cp312-manylinux_2_28_x86_64-{label}.whl"))
        });
        let bars = file.unwrap()["bars"].as_array().unwrap().clone();
        bars.iter()
            .map(|b| {
                format!(
                    "{}: {}",
                    b["kind"].as_str().unwrap(),
                    b["detail"].as_str().unwrap()
                )
            })
            .collect::<Vec<_>>()
    };
    assert_eq!(barred("nor41"), [""; 0]);
    assert_eq!(
        barred("nor42"),
        ["variant: for nordglim :: toolkit_from :: 4.2; this target runs nordglim up to 4.1"]
    );
    assert_eq!(
        barred("v3"),
        [
            "variant: for x86_64 :: level :: v3: not known here, this target names no level of its processor"
        ]
    );
    // A variant that leaves the accelerator out is told as any such build is.
    let old = format!("{LINUX} / nordglim driver 450.1");
    let lost = field
        .expect(
            0,
            &[&["settle", "icetide", "--target", &old][..], &PINS].concat(),
        )
        .out;
    assert!(
        lost.contains("nothing in this answer uses nordglim"),
        "{lost}"
    );
}

#[test]
fn the_index_and_what_is_gathered_carry_the_description() {
    let server = server(eutaxis_demo::server::Trouble::default());
    let field = Field::at(&server);
    let target = format!("{LINUX} level v3");
    let answer = field.json(0, &["settle", "icetide", "--target", &target]);
    assert_eq!(label(&answer), "v3");
    field.expect(0, &["gather", "--into", "stick"]);
    let described = field.read("stick/icetide/icetide-0.5.0-variants.json");
    let described: serde_json::Value = serde_json::from_str(&described).unwrap();
    assert_eq!(
        described["variants"],
        json!({"v3": {"x86_64": {"level": ["v3"]}}})
    );
    // A second variant joins it.
    let camp = format!("{LINUX} / nordglim driver 512.4");
    field.expect(
        0,
        &[&["settle", "icetide", "--target", &camp][..], &PINS].concat(),
    );
    field.expect(0, &["gather", "pylock.tide.toml", "--into", "stick"]);
    let again = Field::empty();
    let stick = field.path("stick").display().to_string();
    for (target, expected) in [(&target, "v3"), (&camp, "nor41")] {
        again.write("nordglim.toml", eutaxis_demo::NORDGLIM);
        again.write(
            "eutaxis.toml",
            "[knowledge]\naccelerators = [\"nordglim.toml\"]\n",
        );
        let asked = [
            "settle",
            "icetide",
            "--target",
            target,
            "--depot",
            &stick,
            "--offline",
            "--renew",
        ];
        assert_eq!(label(&again.json(0, &asked)), expected);
    }
    // A folder of the bare wheels: each says itself what it is.
    std::fs::create_dir(again.path("bare")).unwrap();
    for entry in std::fs::read_dir(field.path("stick/icetide"))
        .unwrap()
        .flatten()
    {
        let name = entry.file_name().into_string().unwrap();
        if name.ends_with(".whl") {
            std::fs::copy(entry.path(), again.path("bare").join(name)).unwrap();
        }
    }
    let asked = [
        "settle",
        "icetide",
        "--target",
        &target,
        "--depot",
        "bare",
        "--out",
        "pylock.bare.toml",
    ];
    assert_eq!(label(&again.json(0, &asked)), "v3");
}

/// A release of which nothing describes the variants, or what does cannot be read.
#[rstest]
#[case::broken(Some("{"), "what describes its variants cannot be read")]
#[case::another_label(
    Some(r#"{"variants": {"v2": {"x86_64": {"level": ["v2"]}}}}"#),
    "nothing on the index describes the variant `v3`"
)]
fn what_the_index_does_not_describe_is_told_and_not_taken(
    #[case] text: Option<&str>,
    #[case] told: &str,
) {
    let depot = depot_of(
        r#"
[[project]]
name = "icetide"
summary = "tides"
interpreters = ["3.12"]
platforms = ["manylinux_2_28_x86_64"]
[[project.release]]
version = "0.4.0"
date = "2025-10-14"
[[project.release]]
version = "0.5.0"
date = "2026-06-02"
variants = { v3 = ["x86_64 :: level :: v3"] }
"#,
    );
    let field = Field::new();
    let path = depot.path().join("icetide/icetide-0.5.0-variants.json");
    if let Some(text) = text {
        std::fs::write(&path, text).unwrap();
        change_page(depot.path(), "icetide", |page| {
            let files = page["files"].as_array_mut().unwrap();
            let described = files
                .iter_mut()
                .find(|f| f["filename"].as_str().unwrap().ends_with(".json"));
            described.unwrap()["hashes"] = json!({});
        });
    }
    let place = depot.path().display().to_string();
    let target = format!("{LINUX} level v3");
    let answer = field.json(
        0,
        &["settle", "icetide", "--target", &target, "--depot", &place],
    );
    assert_eq!(pins(&answer), ["icetide 0.4.0"]);
    let out = field
        .expect(
            0,
            &[
                "shortlist",
                "icetide",
                "--target",
                &target,
                "--depot",
                &place,
            ],
        )
        .out;
    let out = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(out.contains(told), "{out}");
}

#[test]
fn a_variant_is_assayed_and_placed() {
    let field = Field::new();
    let wheel = format!(
        "{}/icetide/icetide-0.5.0-cp312-cp312-manylinux_2_28_x86_64-v3.whl",
        depot()
    );
    let assay = |code: i32, level: &str| {
        let target = format!("{LINUX} level {level}");
        field.json(code, &["assay", &wheel, "--target", &target])
    };
    assert_eq!(assay(0, "v3")["files"][0]["verdict"], "fits");
    let bars = &assay(1, "v2")["files"][0]["bars"];
    assert_eq!(bars[0]["kind"], "variant", "{bars:#}");
    field.expect(
        0,
        &[
            "settle",
            "icetide",
            "--interpreter",
            "3.11",
            "--out",
            "pylock.here.toml",
        ],
    );
    field.expect(0, &["furnish", "pylock.here.toml", "--at", ".venv"]);
    assert_eq!(field.python("import icetide").code, 0);
    let ids = |answer: serde_json::Value| {
        let findings = answer["findings"].as_array().unwrap().clone();
        findings
            .iter()
            .map(|f| f["id"].as_str().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    assert_eq!(ids(field.json(0, &["examine", ".venv"])), [""; 0]);
    // One for a machine that this is not.
    let camp = "3.11 / linux x86_64 glibc 2.35 / nordglim driver 512.4";
    field.expect(
        0,
        &[
            "settle",
            "icetide",
            "--target",
            camp,
            "--out",
            "pylock.camp.toml",
        ],
    );
    field.expect(0, &["furnish", "pylock.camp.toml", "--at", ".venv"]);
    let found = field.json(1, &["examine", ".venv"]);
    let told = found["findings"][0]["evidence"]
        .as_str()
        .unwrap()
        .to_owned();
    assert_eq!(
        told,
        "its wheel is a variant for nordglim :: toolkit_from :: 4.1; this target has no nordglim"
    );
    assert_eq!(ids(found), ["variant-mismatch"]);
}
