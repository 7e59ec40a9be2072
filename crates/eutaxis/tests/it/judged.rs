//! All commands say the same of a release, wherever it stands that it is out.

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, WORKSTATION, depot};

const PLANNED: &str = "cpython 3.12 / linux x86_64 glibc 2.36";

/// A place at which firnio 1.3 was pinned and is out now, and the target that is asked about.
struct Case {
    field: Field,
    target: &'static str,
    depot: Vec<&'static str>,
}

/// The user's word came later.
fn avoided() -> Case {
    let field = Field::new();
    field.expect(0, &["settle", "firnio", "--target", WORKSTATION]);
    let rule =
        "[[adjust]]\nproject = 'firnio'\nversions = '==1.3'\navoid = true\nbecause = 'drifts'\n";
    field.write(
        "eutaxis.toml",
        &format!("{}\n{rule}", field.read("eutaxis.toml")),
    );
    Case {
        field,
        target: WORKSTATION,
        depot: Vec::new(),
    }
}

/// Only the metadata inside the files say which interpreters they are for.
fn by_metadata() -> Case {
    let field = Field::empty();
    std::fs::create_dir(field.path("wheels")).unwrap();
    for entry in ["firnio", "wirepack"]
        .iter()
        .flat_map(|p| std::fs::read_dir(format!("{}/{p}", depot())).unwrap())
    {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|e| e == "whl") {
            std::fs::copy(&path, field.path("wheels").join(path.file_name().unwrap())).unwrap();
        }
    }
    field.expect(
        0,
        &["settle", "firnio", "--depot", "wheels", "--target", PLANNED],
    );
    Case {
        field,
        target: "cpython 3.7 / linux x86_64 glibc 2.36",
        depot: vec!["--depot", "wheels"],
    }
}

#[rstest]
#[case::avoided(avoided(), "to be avoided: \"drifts\"")]
#[case::by_metadata(by_metadata(), "needs Python >=3.8, here 3.7")]
fn every_command_bars_the_release(#[case] case: Case, #[case] why: &str) {
    let Case {
        field,
        target,
        depot,
    } = case;
    let json = |code: i32, arguments: &[&str]| {
        field.json(code, &[arguments, &["--target", target], &depot].concat())
    };
    let told = |answer: &Value| answer.to_string().replace("\\\"", "\"");

    let checked = json(1, &["settle", "firnio", "--check"]);
    let drift = &checked["checked"][0]["drift"][0];
    assert_eq!(
        (&drift["project"], &drift["kind"]),
        (&"firnio".into(), &"lowered".into())
    );
    assert!(
        drift["because"]
            .as_str()
            .unwrap()
            .starts_with(&format!("1.3 is barred: {why}")),
        "{drift}"
    );

    field.write("asks.txt", "firnio==1.3\n");
    for file in ["asks.txt", "pylock.toml"] {
        let answer = json(1, &["proofread", file]);
        let remarks = answer["remarks"].as_array().unwrap();
        let barred = remarks
            .iter()
            .find(|r| r["id"] == "barred")
            .unwrap_or_else(|| panic!("{file}: {answer:#}"));
        assert!(
            barred["text"].as_str().unwrap().contains(why),
            "{file}: {barred}"
        );
    }

    let list = json(0, &["shortlist", "firnio"]);
    let offer = list["offers"]
        .as_array()
        .unwrap()
        .iter()
        .find(|o| o["version"] == "1.3")
        .unwrap();
    assert_eq!(offer["verdict"], "barred", "{offer}");
    assert!(told(offer).contains(why), "{offer}");
    assert!(
        told(&json(
            1,
            &["settle", "firnio==1.3", "--out", "pylock.other.toml"]
        ))
        .contains(why)
    );
}
