//! What would move, over pins and over real environments.

use serde_json::Value;

use crate::field::Field;

fn moves(answer: &Value) -> Vec<String> {
    let one = |m: &Value| {
        let word = |key: &str| m[key].as_str().unwrap_or("-").to_owned();
        let silent = if m["silent"] == true { " silent" } else { "" };
        format!(
            "{} {} {} -> {}{silent}",
            word("kind"),
            word("project"),
            word("before"),
            word("after")
        )
    };
    answer["moves"]
        .as_array()
        .unwrap()
        .iter()
        .map(one)
        .collect()
}

#[test]
fn an_addition_that_moves_nothing_is_fine() {
    let field = Field::settled(&["radargram", "sastrugi"]);
    let before = field.read("pylock.toml");
    let answer = field.json(0, &["rehearse", "katabat"]);
    assert_eq!(moves(&answer), ["added katabat - -> 0.5"]);
    assert!(answer.get("alternative").is_none());
    assert_eq!(field.read("pylock.toml"), before, "nothing is changed");
}

#[test]
fn a_silent_move_comes_first_with_what_it_breaks() {
    let field = Field::settled(&["frostgrid<2", "sastrugi==0.8.1"]);
    let answer = field.json(1, &["rehearse", "ablatia>=2026"]);
    assert_eq!(
        moves(&answer),
        [
            "raised frostgrid 1.9.0 -> 2.1.0 silent",
            "added ablatia - -> 2026.1",
            "added snowpit - -> 2.2"
        ]
    );
    assert_eq!(
        answer["breaks"][0]["text"],
        "sastrugi 0.8.1 needs frostgrid >=1.8,<2, and finds 2.1.0"
    );
    assert_eq!(
        answer["moves"][0]["loses"],
        serde_json::json!(["a wheel for ridge-logger"])
    );
    assert!(
        answer["impossible"]["facts"]
            .as_array()
            .is_some_and(|f| f.len() > 2),
        "{answer:#}"
    );
    let text = field.expect(1, &["rehearse", "ablatia>=2026"]).out;
    assert!(
        text.starts_with("1 need would break in pylock.toml with ablatia >=2026"),
        "{text}"
    );
}

#[test]
fn the_least_moving_alternative_holds_what_is_there() {
    let field = Field::settled(&["sastrugi==0.8.1"]);
    let answer = field.json(1, &["rehearse", "ablatia"]);
    assert_eq!(moves(&answer)[0], "raised frostgrid 1.9.0 -> 2.1.0");
    let alternative = &answer["alternative"];
    assert_eq!(alternative["asks"], serde_json::json!(["ablatia==2025.1"]));
    assert_eq!(
        moves(alternative),
        ["added ablatia - -> 2025.1", "added snowpit - -> 2.2"]
    );
}

#[test]
fn separate_steps_stand_beside_the_joint_answer() {
    let field = Field::settled(&["neveplot<2", "frostgrid<2"]);
    let answer = field.json(0, &["rehearse", "sastrugi==0.9.0", "--then", "ablatia"]);
    let steps = answer["steps"].as_array().unwrap();
    assert_eq!(steps.len(), 2);
    assert_eq!(
        (
            &steps[0]["state"]["frostgrid"],
            &steps[1]["state"]["frostgrid"]
        ),
        (&"1.9.4".into(), &"2.1.0".into())
    );
    assert_eq!(
        answer["joint"]["pins"]["frostgrid"], "1.9.4",
        "what was asked for before is heeded"
    );
    assert_eq!(answer["joint"]["pins"]["ablatia"], "2025.1");
    let text = field
        .expect(0, &["rehearse", "sastrugi==0.9.0", "--then", "ablatia"])
        .out;
    assert!(
        text.contains("one after the other does not come to the same as all at once"),
        "{text}"
    );
}

#[test]
fn a_build_for_an_accelerator_is_lost() {
    let field = Field::settled(&[
        "seracnet==2.0.0+nor36",
        "--accelerator",
        "nordglim driver 498.2",
    ]);
    let answer = field.json(0, &["rehearse", "seracnet>=2.3"]);
    assert_eq!(moves(&answer), ["raised seracnet 2.0.0+nor36 -> 2.3.0+cpu"]);
    assert_eq!(
        answer["moves"][0]["loses"][0],
        "the build nor36 of 2.0.0 for an accelerator"
    );
}

#[test]
fn what_has_never_met_is_told_before_it_is_placed() {
    let field = Field::settled(&["katabat"]);
    let answer = field.json(0, &["rehearse", "icelens"]);
    let caution = answer["cautions"][0].as_str().unwrap();
    assert!(
        caution.starts_with("icelens 3.1 (2023-06) was compiled before moulin 5"),
        "{caution}"
    );
    let heeded = field.json(0, &["rehearse", "icelens", "--chronology", "heed"]);
    assert!(
        moves(&heeded).contains(&"added moulin - -> 4.2".to_owned()),
        "{heeded:#}"
    );
}

#[test]
fn what_cannot_be_placed_at_all_clashes() {
    let field = Field::settled(&["radargram"]);
    let answer = field.json(1, &["rehearse", "rimefall"]);
    assert_eq!(answer["clash"]["facts"][1]["kind"], "interpreter");
    assert_eq!(answer["ways_out"][0]["kind"], "interpreter");
}

#[test]
fn an_environment_is_read_from_disk() {
    let field = Field::new();
    field.expect(0, &["settle", "wirepack<2", "fieldlog"]);
    field.expect(0, &["furnish"]);
    std::fs::remove_file(field.path("pylock.toml")).unwrap();
    for place in [&["--in", ".venv"][..], &["--in", ".venv/bin/python"], &[]] {
        let answer = field.json(1, &[&["rehearse", "firnio", "wirepack>=3"], place].concat());
        assert_eq!(
            moves(&answer)[0],
            "raised wirepack 1.6.0 -> 3.0.4",
            "{answer:#}"
        );
        assert_eq!(answer["breaks"][0]["project"], "fieldlog");
    }
    let silent = field.json(1, &["rehearse", "firnio>=1.3", "--in", ".venv"]);
    assert!(
        moves(&silent).contains(&"raised wirepack 1.6.0 -> 3.0.4 silent".to_owned()),
        "{silent:#}"
    );
    assert!(
        field
            .expect(2, &["rehearse", "firnio", "--in", "cache"])
            .err
            .contains("no pyvenv.cfg")
    );
}

#[test]
fn without_pins_and_environment_it_says_how_to_name_them() {
    let error = Field::new().expect(2, &["rehearse", "firnio"]);
    assert!(
        error.err.contains("--pins FILE") && error.err.contains("--in ENV"),
        "{}",
        error.err
    );
}
