//! Pins for several targets at once.

use crate::field::Field;

#[test]
fn each_target_has_its_pins_with_the_same_releases() {
    let field = Field::new();
    let targets = [
        "--target",
        "ridge-logger",
        "--target",
        "office-mac",
        "--target",
        "field-laptop",
    ];
    let asks = [
        &["settle", "--asks", "fieldkit.txt", "--list", "kit.list"],
        &targets[..],
    ]
    .concat();
    let answer = field.json(0, &asks);
    let expected = [
        "kit.field-laptop.list",
        "kit.office-mac.list",
        "kit.ridge-logger.list",
        "pylock.field-laptop.toml",
        "pylock.office-mac.toml",
        "pylock.ridge-logger.toml",
    ];
    assert_eq!(field.names(), expected);
    let differences = answer["differences"].as_array().unwrap();
    assert_eq!(differences.len(), 1, "{differences:#?}");
    assert_eq!(differences[0]["project"], "tarnlog");
    assert_eq!(differences[0]["releases"]["field-laptop"], "1.0");
    assert_eq!(
        differences[0]["because"],
        "nothing needs it on ridge-logger, office-mac"
    );
    // Alone the laptop would take a newer one; together all have what the board can have.
    let radargram = |name: &str| {
        field
            .read(name)
            .lines()
            .filter(|l| l.contains("radargram-2.0.3"))
            .count()
    };
    assert_eq!(
        (
            radargram("pylock.field-laptop.toml"),
            radargram("pylock.ridge-logger.toml")
        ),
        (1, 1)
    );
    let first = field.read("pylock.office-mac.toml");
    field.expect(0, &asks);
    assert_eq!(
        field.read("pylock.office-mac.toml"),
        first,
        "a second run writes the same"
    );
}

#[test]
fn what_cannot_be_equal_differs_with_its_reason() {
    let field = Field::new();
    let text = field
        .expect(
            0,
            &[
                "settle",
                "nunatak>=1.2",
                "--wheels",
                "only",
                "--target",
                "ridge-logger",
                "--target",
                "office-mac",
            ],
        )
        .out;
    assert!(
        text.starts_with(
            "Settled for 2 targets: 1 project, 0 with the same release everywhere, 1 not\n"
        ),
        "{text}"
    );
    assert!(
        text.contains("nunatak  1.2           1.3         1.3 is out on ridge-logger: wheels for"),
        "{text}"
    );
}

#[test]
fn each_place_takes_its_own_build_of_one_release() {
    let field = Field::new();
    let answer = field.json(
        0,
        &[
            "settle",
            "seracnet",
            "--target",
            "base-camp",
            "--target",
            crate::field::WORKSTATION,
        ],
    );
    let told: Vec<Vec<String>> = answer["targets"]
        .as_array()
        .unwrap()
        .iter()
        .map(crate::field::pins)
        .collect();
    assert!(
        told[0].contains(&"seracnet 2.3.0+nor41".to_owned()),
        "{told:?}"
    );
    assert!(
        told[1].contains(&"seracnet 2.3.0+cpu".to_owned()),
        "{told:?}"
    );
    assert_eq!(
        answer["differences"],
        serde_json::json!([]),
        "one release is no difference"
    );
}

#[test]
fn a_target_that_cannot_be_is_named_and_nothing_is_written() {
    let field = Field::new();
    let text = field
        .expect(
            1,
            &[
                "settle",
                "seracnet",
                "--wheels",
                "only",
                "--target",
                "ridge-logger",
                "--target",
                "office-mac",
            ],
        )
        .out;
    assert!(
        text.starts_with("Cannot be settled for ridge-logger"),
        "{text}"
    );
    assert!(field.names().is_empty());
    let take = field.expect(
        2,
        &[
            "settle",
            "seracnet",
            "--take",
            "a",
            "--target",
            "ridge-logger",
            "--target",
            "office-mac",
        ],
    );
    assert!(take.err.contains("of one target"), "{}", take.err);
    let twice = field.expect(
        2,
        &[
            "settle",
            "moulin",
            "--target",
            "ridge-logger",
            "--target",
            "ridge-logger",
        ],
    );
    assert!(twice.err.contains("named twice"), "{}", twice.err);
    let many = field.expect(
        2,
        &[
            "shortlist",
            "moulin",
            "--target",
            "ridge-logger",
            "--target",
            "office-mac",
        ],
    );
    assert!(many.err.contains("answers for one"), "{}", many.err);
}
