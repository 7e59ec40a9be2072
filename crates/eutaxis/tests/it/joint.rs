//! Pins for several targets at once.

use crate::field::{Field, WORKSTATION};
use crate::standard::checked;

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
            WORKSTATION,
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

const MAC: &str = "cpython 3.12 / macos arm64 14.0";
const OLD_LAPTOP: &str = "cpython 3.11 / linux x86_64 glibc 2.17";

fn together(field: &Field, asks: &[&str], targets: &[&str]) -> serde_json::Value {
    let named = targets.iter().flat_map(|t| ["--target", t]);
    let words: Vec<&str> = ["settle", "--together"].into_iter().chain(named).collect();
    field.json(0, &[&words, asks].concat())
}

/// What is settled for several is one lock, whose parts are those of each alone.
#[test]
fn several_targets_are_one_lock() {
    let field = Field::new();
    let targets = ["ridge-logger", "office-mac", "field-laptop", WORKSTATION];
    let answer = together(&field, &["--asks", "fieldkit.txt"], &targets);
    assert_eq!(answer["together"]["lock"], "pylock.toml");
    assert_eq!(field.names(), ["pylock.toml"]);
    let (lock, entries) = checked(&field.read("pylock.toml"));
    assert_eq!(lock["environments"].as_array().unwrap().len(), 4);
    assert_eq!(lock["requires-python"].as_str(), Some(">=3.9,<3.13"));
    let one = |name: &str| entries[name].first().unwrap();
    let wheels = |part: &str| {
        let of = one("radargram").wheels.iter();
        of.filter(|w| w.contains(part)).count()
    };
    assert_eq!(
        (wheels("armv7l"), wheels("win_amd64"), wheels("macosx")),
        (1, 1, 1)
    );
    assert_eq!(one("radargram").marker, None);
    let tarnlog = one("tarnlog").marker.as_deref();
    assert_eq!(tarnlog, Some("sys_platform == 'win32'"));
    let before = field.read("pylock.toml");
    field.expect(0, &["settle"]);
    assert_eq!(
        field.read("pylock.toml"),
        before,
        "the same question gives the same bytes"
    );
    let check = field.expect(0, &["settle", "--check"]).out;
    assert_eq!(check.matches("pylock.toml for ").count(), 4, "{check}");
    // Each of them alone is what it would be apart.
    let (of, all) = (answer["targets"].as_array().unwrap(), Field::new());
    let named = targets.iter().flat_map(|t| ["--target", t]);
    let words: Vec<&str> = ["settle", "--asks", "fieldkit.txt"]
        .into_iter()
        .chain(named)
        .collect();
    let apart = all.json(0, &words);
    let apart: Vec<_> = apart["targets"]
        .as_array()
        .unwrap()
        .iter()
        .map(crate::field::pins)
        .collect();
    assert_eq!(of.iter().map(crate::field::pins).collect::<Vec<_>>(), apart);
}

/// Releases that differ have markers that tell their targets apart.
#[test]
fn different_releases_have_markers() {
    let field = Field::new();
    let asks = ["nunatak>=1.2", "--wheels", "only"];
    together(&field, &asks, &["ridge-logger", "office-mac"]);
    let (_, entries) = checked(&field.read("pylock.toml"));
    let told = entries["nunatak"].iter();
    let told = told.map(|e| (e.version.as_deref().unwrap(), e.marker.as_deref().unwrap()));
    assert_eq!(
        told.collect::<Vec<_>>(),
        [
            ("1.2", "sys_platform == 'linux'"),
            ("1.3", "sys_platform == 'darwin'")
        ]
    );
}

/// Two builds of one release in one kind of place cannot be one lock: it is said, and each has its
/// own.
#[test]
fn what_no_marker_tells_apart_is_a_lock_each() {
    let field = Field::new();
    let targets = ["base-camp", WORKSTATION];
    let answer = together(&field, &["seracnet"], &targets);
    assert_eq!(answer["together"]["lock"], serde_json::Value::Null);
    let because = answer["together"]["because"].as_str().unwrap();
    assert!(
        because.starts_with("not one lock: seracnet is 2.3.0+nor41 on base-camp and 2.3.0+cpu on "),
        "{because}"
    );
    assert_eq!(field.names().len(), 2, "{:?}", field.names());
    let text = field.expect(0, &["settle"]).out;
    assert!(text.contains("caution  not one lock: seracnet"), "{text}");
    field.expect(0, &["settle", "--check"]);
    let alone = field.expect(
        2,
        &["settle", "firnio", "--together", "--out", "pylock.x.toml"],
    );
    assert!(
        alone.err.contains("one lock for several targets"),
        "{}",
        alone.err
    );
}

/// A lock for several is furnished, looked into and told of for the place that is here.
#[test]
fn one_lock_is_furnished_here() {
    let field = Field::new();
    let python = crate::build::interpreters().swap_remove(0);
    together(&field, &["radargram"], &["ridge-logger", "office-mac"]);
    // This machine is none of them: what is printed takes it among them.
    let refused = field.expect(2, &["furnish", "--interpreter", &python]).err;
    let (_, command) = refused.split_once("among them:  ").unwrap();
    field.typed(0, command.trim_end());
    let (_, entries) = checked(&field.read("pylock.toml"));
    assert_eq!(entries["radargram"].len(), 1);
    field.expect(0, &["furnish", "--interpreter", &python]);
    let extra = field.expect(2, &["furnish", "--extra", "plot"]).err;
    assert!(extra.contains("offer no extra"), "{extra}");
    assert!(!extra.contains("among them"), "{extra}");
    field.expect(0, &["furnish", "--check"]);
    let examined = field.expect(0, &["examine", ".venv"]).out;
    assert!(examined.contains("compared with pylock.toml"), "{examined}");
    field.expect(0, &["within", "--", "python", "-c", "import radargram"]);
    let told = field.expect(0, &["reason", "radargram"]);
    assert!(
        told.err.contains("is for 3 targets: told for "),
        "{}",
        told.err
    );
    let other = ["reason", "radargram", "--target", "office-mac"];
    assert_eq!(field.expect(0, &other).err, "");
    let none = field.expect(2, &["reason", "radargram", "--target", "nowhere"]);
    assert!(
        none.err.contains("ridge-logger, office-mac"),
        "{}",
        none.err
    );
    field.expect(0, &["rehearse", "moulin", "--target", "ridge-logger"]);
    field.expect(0, &["proofread", "pylock.toml"]);
    let gathered = field.json(0, &["gather", "--into", "stick"]);
    assert_eq!(
        gathered["files"].as_array().unwrap().len(),
        entries
            .values()
            .flatten()
            .map(|e| e.wheels.len())
            .sum::<usize>()
    );
}

/// Extras and groups go with places: an entry counts where both hold.
#[test]
fn parts_and_places_are_one_marker() {
    let field = Field::new();
    field.write(
        "pyproject.toml",
        "[project]\nname = \"kit\"\nversion = \"1\"\ndependencies = [\"firnio\"]\n\
            [project.optional-dependencies]\nlog = [\"nunatak>=1.2\"]\n",
    );
    let asks = [
        "--asks",
        "pyproject.toml",
        "--extra",
        "log",
        "--wheels",
        "only",
    ];
    together(&field, &asks, &["ridge-logger", MAC]);
    let (_, entries) = checked(&field.read("pylock.toml"));
    let markers = entries["nunatak"]
        .iter()
        .map(|e| e.marker.as_deref().unwrap());
    assert_eq!(
        markers.collect::<Vec<_>>(),
        [
            "sys_platform == 'linux' and 'log' in extras",
            "sys_platform == 'darwin' and 'log' in extras"
        ]
    );
    let of = field.read("pylock.toml");
    field.expect(0, &["settle", "--and", "katabat"]);
    let (_, entries) = checked(&field.read("pylock.toml"));
    assert_eq!(entries["katabat"][0].marker, None);
    field.expect(0, &["settle", "--drop", "katabat"]);
    assert_eq!(field.read("pylock.toml"), of);
}

/// Wheels of one release for two C libraries stand in one entry, and tags choose.
#[test]
fn tags_choose_among_wheels_of_one_entry() {
    let field = Field::new();
    together(&field, &["frostgrid"], &[WORKSTATION, OLD_LAPTOP]);
    let (lock, entries) = checked(&field.read("pylock.toml"));
    assert_eq!(lock["environments"].as_array().unwrap().len(), 1);
    assert_eq!(entries["frostgrid"].len(), 1);
    let alone = field
        .expect(0, &["settle", "--target", OLD_LAPTOP, "--check"])
        .out;
    assert!(alone.starts_with("The pins hold"), "{alone}");
}
