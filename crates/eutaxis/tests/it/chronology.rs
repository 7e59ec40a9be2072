//! Releases that have never met, and choosing by the time.

use eutaxis_demo::server::Trouble;
use rstest::rstest;

use crate::field::{Field, WORKSTATION, depot, server, world};

const THERE: [&str; 2] = ["--target", WORKSTATION];

fn settle(field: &Field, more: &[&str]) -> serde_json::Value {
    field.json(
        0,
        &[&["settle", "icelens", "--renew"], &THERE[..], more].concat(),
    )
}

fn moulin(answer: &serde_json::Value) -> &str {
    let pins = answer["pins"].as_array().unwrap();
    pins.iter().find(|p| p["name"] == "moulin").unwrap()["version"]
        .as_str()
        .unwrap()
}

#[test]
fn a_compiled_pair_that_never_met_is_a_caution_with_both_dates() {
    let field = Field::new();
    let answer = field.json(
        0,
        &[
            &["settle", "icelens", "--chronology", "caution"],
            &THERE[..],
        ]
        .concat(),
    );
    let caution = answer["cautions"][0].as_str().unwrap();
    assert!(
        caution.starts_with("icelens 3.1 (2023-06) was compiled before moulin 5 (2024-09) existed"),
        "{caution}"
    );
    assert_eq!(answer["chronology"][0]["strength"], "strong");
    // What it says to do does it.
    assert!(
        caution.ends_with(
            "If it fails: --chronology heed --renew holds moulin back where that can be."
        ),
        "{caution}"
    );
    let typed = [
        "--chronology",
        "heed",
        "--renew",
        "--out",
        "pylock.heeded.toml",
    ];
    assert_eq!(
        moulin(&field.json(0, &[&["settle", "icelens"], &THERE[..], &typed].concat())),
        "4.2"
    );
    let reason = field.json(0, &["reason", "moulin"]);
    assert_eq!(
        reason["cautions"][0].as_str(),
        Some(caution),
        "reason tells it too"
    );
}

#[test]
fn a_strong_fact_holds_back_and_says_so_first() {
    let field = Field::new();
    let text = field
        .expect(0, &[&["settle", "icelens"], &THERE[..]].concat())
        .out;
    let told = "held back  moulin 4.2: icelens 3.1 (2023-06) was compiled before moulin 5 \
        (2024-09) existed";
    assert!(
        text.lines().nth(3).is_some_and(|l| l.starts_with(told)),
        "{text}"
    );
    let answer = settle(&field, &[]);
    assert_eq!(
        (
            moulin(&answer),
            answer["cautions"].as_array().unwrap().len()
        ),
        ("4.2", 0)
    );
    let held = &answer["held_back"][0];
    assert_eq!(
        (&held["project"], &held["instead_of"], &held["kind"]),
        (&"moulin".into(), &"5.0".into(), &"compiled".into())
    );
    let newer = field.json(0, &["reason", "moulin"])["newer"].clone();
    assert_eq!(
        newer[1]["kept_out_by"][0],
        "icelens 3.1 (2023-06) was compiled before moulin 5 (2024-09) existed and sets no upper \
            bound"
    );
    // The way that is printed takes the newest: the same command with these words, over the pins
    // that it wrote.
    assert!(
        text.contains("(--chronology caution --renew takes 5.0)"),
        "{text}"
    );
    let typed = ["--chronology", "caution", "--renew"];
    assert_eq!(
        moulin(&field.json(0, &[&["settle", "icelens"], &THERE[..], &typed].concat())),
        "5.0"
    );
    assert!(
        settle(&field, &["--chronology", "ignore"])["cautions"]
            .as_array()
            .unwrap()
            .is_empty()
    );
    field.write(
        "eutaxis.toml",
        &format!(
            "{}\n[policy]\nchronology = \"caution\"\n",
            field.read("eutaxis.toml")
        ),
    );
    assert_eq!(
        moulin(&settle(&field, &[])),
        "5.0",
        "the settings say so too"
    );
}

#[test]
fn a_strong_fact_that_no_solution_keeps_is_let_go_and_told() {
    let field = Field::new();
    let answer = field.json(
        0,
        &[&["settle", "icelens", "moulin>=5"], &THERE[..]].concat(),
    );
    assert_eq!(moulin(&answer), "5.0");
    assert_eq!(answer["let_go"][0]["project"], "icelens");
    let text = field
        .expect(
            0,
            &[&["settle", "icelens", "moulin>=5", "--renew"], &THERE[..]].concat(),
        )
        .out;
    assert!(
        text.lines()
            .nth(3)
            .is_some_and(|l| l.starts_with("let go  icelens 3.1 (2023-06)")),
        "{text}"
    );
}

#[test]
fn what_pins_record_counts_until_something_else_is_said() {
    let field = Field::new();
    field.expect(
        0,
        &[
            &["settle", "icelens", "--chronology", "caution"],
            &THERE[..],
        ]
        .concat(),
    );
    let before = field.read("pylock.toml");
    field.expect(0, &[&["settle", "icelens"], &THERE[..]].concat());
    assert_eq!(
        field.read("pylock.toml"),
        before,
        "a new default moves nothing"
    );
    // Pins of before the word was always written are those of `caution`.
    let older = before.replace("chronology = \"caution\"", "");
    field.write("pylock.toml", &older);
    assert_eq!(
        moulin(&field.json(0, &[&["settle", "icelens"], &THERE[..]].concat())),
        "5.0"
    );
    assert_eq!(
        moulin(&settle(&field, &[])),
        "4.2",
        "--renew asks by the default"
    );
}

#[test]
fn what_an_old_ask_needs_is_of_its_time() {
    let field = Field::new();
    let frostgrid = |words: &[&str]| {
        let answer = field.json(
            0,
            &[
                &["settle", "frostgrid", "sastrugi==0.8.1", "--renew"],
                words,
                &THERE,
            ]
            .concat(),
        );
        let pins = answer["pins"].as_array().unwrap().clone();
        let pin = pins.iter().find(|p| p["name"] == "frostgrid").unwrap();
        (
            pin["version"].as_str().unwrap().to_owned(),
            answer["held_back"].clone(),
        )
    };
    field.expect(0, &[&["settle", "katabat"], &THERE[..]].concat());
    let (version, held) = frostgrid(&["--chronology", "heed"]);
    assert_eq!(version, "1.9.0");
    assert_eq!(
        (
            &held[0]["project"],
            &held[0]["instead_of"],
            &held[0]["kind"]
        ),
        (&"frostgrid".into(), &"1.9.4".into(), &"time".into())
    );
    assert_eq!(frostgrid(&["--prefer", "period"]).0, "1.9.0");
    let (version, held) = frostgrid(&["--chronology", "caution"]);
    assert_eq!(
        (version.as_str(), held.as_array().unwrap().len()),
        ("1.9.4", 0)
    );
    let text = field
        .expect(
            0,
            &[
                &["settle", "sastrugi==0.8.1", "frostgrid", "--renew"],
                &THERE[..],
            ]
            .concat(),
        )
        .out;
    assert!(
        text.contains("held back  1 to the time of sastrugi 0.8.1 ("),
        "{text}"
    );
    assert!(
        text.contains("1.9.4 is out: it came after the time of"),
        "the nearest better one is told: {text}"
    );
}

/// A folder gives no dates: those of the same releases in another depot count, of one on the network only
/// where that is permitted, since it learns the names by it.
#[rstest]
#[case::on_this_disk(false, false, true)]
#[case::on_the_network(true, false, false)]
#[case::on_the_network_and_permitted(true, true, true)]
fn dates_of_the_same_release_elsewhere_count(
    #[case] is_served: bool,
    #[case] asks: bool,
    #[case] is_known: bool,
) {
    let field = Field::new();
    let server = server(Trouble::default());
    let sled = field.path("sled");
    std::fs::create_dir(&sled).unwrap();
    let theirs = std::fs::read_dir(world().join("depot/icelens")).unwrap();
    for file in theirs.map(|f| f.unwrap().path()) {
        if file.extension().is_some_and(|e| e == "whl") {
            std::fs::copy(&file, sled.join(file.file_name().unwrap())).unwrap();
        }
    }
    let url = match is_served {
        true => server.url(),
        false => format!("file://{}", depot()),
    };
    field.name_depot(&url);
    let first = format!("[[depot]]\npath = \"sled\"\nonly = [\"icelens\"]\nask-dates = {asks}\n");
    let settings = field.read("eutaxis.toml");
    field.write("eutaxis.toml", &format!("{first}{settings}"));
    let answer = settle(&field, &[]);
    let cautions = answer["cautions"].to_string();
    let (known, unknown) = (
        "The date of icelens 3.1 (2023-06) is that of the same release in another depot",
        "No date is known of icelens 3.1: dates tell nothing",
    );
    assert_eq!(cautions.contains(known), is_known, "{cautions}");
    assert_eq!(cautions.contains(unknown), !is_known, "{cautions}");
    assert_eq!(moulin(&answer) == "4.2", is_known);
    let asked = server
        .take_seen()
        .iter()
        .any(|s| s.path.ends_with("/icelens/"));
    assert_eq!(asked, is_served && asks);
    // A date of a policy goes by what the depot says of its own files.
    let under = ["--as-of", "2025-06-01", "--out", "pylock.then.toml"];
    let arguments = [&["settle", "icelens"], &THERE[..], &under].concat();
    assert_eq!(field.run(&arguments).code, 1);
}
