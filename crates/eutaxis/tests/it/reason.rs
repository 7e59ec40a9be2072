//! Why a release is here, and not another one.

use rstest::rstest;

use crate::field::{Field, WORKSTATION};

#[test]
fn the_chain_of_askers_goes_up_to_the_asks() {
    let field = Field::settled(&["--asks", "fieldkit.txt"]);
    let answer = field.json(0, &["reason", "wirepack"]);
    let chains = answer["chains"].as_array().unwrap();
    assert_eq!(chains[0], serde_json::json!(["fieldlog", "wirepack"]));
    assert!(
        chains.contains(&serde_json::json!(["radargram", "firnio", "wirepack"])),
        "{chains:?}"
    );
    assert_eq!(
        answer["steps"][0][0],
        "you ask fieldlog[plot] (fieldkit.txt:3)"
    );
    let newer = answer["newer"].as_array().unwrap();
    assert_eq!(newer[0]["version"], "3.0.4");
    assert_eq!(
        newer[0]["kept_out_by"][0],
        "fieldlog needs wirepack >=1.4,<2"
    );
    assert_eq!(
        answer["bounds"][0]["leaves"],
        serde_json::json!(["1.4.2", "1.6.0"])
    );
}

#[test]
fn without_a_depot_what_was_recorded_is_told() {
    let field = Field::settled(&["radargram<2.2", "sastrugi==0.8.1"]);
    field.write("eutaxis.toml", "");
    let answer = field.json(0, &["reason", "frostgrid"]);
    assert_eq!(answer["recorded"], true);
    assert_eq!(
        answer["newer"][1]["kept_out_by"][0],
        "sastrugi needs frostgrid >=1.8,<2"
    );
    let error = field.expect(2, &["reason", "frostgrid", "--not", "2.0.0"]);
    assert!(error.err.contains("no depot is named"), "{}", error.err);
}

#[rstest]
#[case::bound("radargram", &["radargram<2.2"], "2.2.0", "you ask radargram <2.2 (command line)")]
#[case::bar("moulin", &["moulin", "--wheels", "only"], "5.1", "only source, and the policy takes \
    wheels only")]
#[case::yanked("snowpit", &["snowpit"], "2.3", "yanked: \"reads depths upside down\"")]
#[case::prerelease("drumlin", &["drumlin"], "1.0b2", "a pre-release, which nothing asked for")]
#[case::its_own_needs("ablatia", &["sastrugi==0.8.1", "ablatia"], "2026.1", "it needs frostgrid \
    >=2, and 1.9.0 was chosen")]
#[case::date("snowpit", &["snowpit", "--as-of", "2024-06-01"], "2.2", "published after 2024-06-01 \
    (2025-03-28)")]
fn every_newer_release_has_its_reason(
    #[case] project: &str,
    #[case] asks: &[&str],
    #[case] version: &str,
    #[case] why: &str,
) {
    let field = Field::settled(asks);
    let answer = field.json(0, &["reason", project]);
    let newer = answer["newer"].as_array().unwrap();
    let found = newer.iter().find(|n| n["version"] == version).unwrap();
    assert_eq!(found["kept_out_by"][0], why);
}

#[test]
fn a_pin_that_is_merely_kept_says_so() {
    let field = Field::settled(&["moulin", "--prefer", "oldest"]);
    field.expect(0, &["settle", "moulin", "--target", WORKSTATION]);
    let answer = field.json(0, &["reason", "moulin"]);
    let newer = answer["newer"].as_array().unwrap();
    assert_eq!(
        newer[1]["kept_out_by"][0],
        "nothing but the earlier pin, which is kept (settle --renew moulin)"
    );
}

#[test]
fn what_would_have_to_give_for_another_version() {
    let field = Field::settled(&["sastrugi==0.8.1", "radargram"]);
    let can = field.json(0, &["reason", "frostgrid", "--not", "1.9.4"]);
    assert_eq!(can["moves"][0]["after"], "1.9.4");
    let cannot = field.json(1, &["reason", "frostgrid", "--not", "2.1.0"]);
    let ways: Vec<&str> = cannot["ways_out"]
        .as_array()
        .unwrap()
        .iter()
        .map(|w| w["text"].as_str().unwrap())
        .collect();
    assert!(
        ways.contains(&"ask sastrugi >=0.9.0 instead of ==0.8.1"),
        "{ways:?}"
    );
    let none = field.json(1, &["reason", "frostgrid", "--not", "1.8.2"]);
    assert_eq!(
        none["nearest"],
        serde_json::json!(["1.7.2", "1.8.1", "1.9.0", "1.9.4"])
    );
}

#[test]
fn a_project_that_is_not_here_is_told() {
    let field = Field::settled(&["radargram"]);
    let answer = field.json(1, &["reason", "frostgrd"]);
    assert_eq!(answer["nearest"][0], "frostgrid");
    assert!(
        field
            .expect(2, &["reason", "frostgrid", "--pins", "pylock.none.toml"])
            .err
            .contains("there are no pins")
    );
}

/// The titles of an SVG's lines.
fn lines_of(svg: &str) -> Vec<String> {
    let lines = svg.lines().filter(|l| l.starts_with("<path"));
    let title = |l: &str| {
        let (_, rest) = l.split_once("<title>").unwrap();
        let title = rest.split_once("</title>").unwrap().0.to_owned();
        title.replace("&gt;", ">").replace("&lt;", "<")
    };
    lines.map(title).collect()
}

/// Each need that the tree has is a line of the picture, and each project a box.
#[test]
fn the_picture_has_what_the_tree_has() {
    fn needs(branches: &serde_json::Value, found: &mut Vec<String>) {
        for branch in branches.as_array().unwrap() {
            for below in branch["branches"].as_array().unwrap() {
                let text = |v: &serde_json::Value| v.as_str().unwrap().to_owned();
                found.push(format!(
                    "{} needs {}",
                    text(&branch["project"]),
                    text(&below["requirement"])
                ));
            }
            needs(&branch["branches"], found);
        }
    }
    let field = Field::settled(&["--asks", "fieldkit.txt"]);
    let answer = field.json(0, &["reason", "--tree", "--picture", "set.svg"]);
    assert_eq!(answer["picture"], "set.svg");
    let mut told = Vec::new();
    needs(&answer["branches"], &mut told);
    told.sort();
    let svg = field.read("set.svg");
    let mut drawn = lines_of(&svg);
    drawn.sort();
    assert_eq!(drawn, told);
    let boxes = |svg: &str| svg.matches("rx=\"4\"").count();
    let lock = field.read("pylock.toml");
    assert_eq!(boxes(&svg), lock.matches("[[packages]]").count());
    assert!(
        svg.contains(">&gt;=1.4,&lt;2</text>"),
        "the bound is written out"
    );
    field.expect(0, &["reason", "wirepack", "--tree", "--picture", "one.svg"]);
    let one = field.read("one.svg");
    let mut about = lines_of(&one);
    about.sort();
    let expected = [
        "fieldlog needs firnio >=1.1",
        "fieldlog needs wirepack >=1.4,<2",
        "firnio needs wirepack >=1.6",
        "radargram needs firnio >=1.1",
    ];
    assert_eq!(about, expected);
    assert_eq!(boxes(&one), 4);
    let alone = field.expect(2, &["reason", "wirepack", "--picture", "x.svg"]);
    assert!(alone.err.contains("--tree"), "{}", alone.err);
}

/// Pins of another program say who needs whom, and in a circle somebody needs who needs him.
#[test]
fn pins_of_others_are_drawn_too() {
    let field = Field::empty();
    let entry = |name: &str, needs: &str| {
        format!(
            "[[packages]]\nname = \"{name}\"\nversion = \"1\"\ndependencies = [{{name = \"{needs}\"}}]\n\
                wheels = [{{url = \"https://a.example/{name}-1-py3-none-any.whl\", hashes = {{sha256 = \"a\"}}}}]\n"
        )
    };
    let entries = [
        entry("floe", "skerry"),
        entry("skerry", "nilas"),
        entry("nilas", "skerry"),
    ];
    let text = format!(
        "lock-version = \"1.0\"\ncreated-by = \"x\"\n{}",
        entries.concat()
    );
    field.write("pylock.toml", &text);
    field.expect(0, &["reason", "--tree", "--picture", "set.svg"]);
    let mut drawn = lines_of(&field.read("set.svg"));
    drawn.sort();
    assert_eq!(
        drawn,
        [
            "floe needs skerry",
            "nilas needs skerry",
            "skerry needs nilas"
        ]
    );
    let tree = field.expect(0, &["reason", "--tree"]).out;
    for part in ["floe", "  skerry", "    nilas"] {
        assert!(tree.contains(part), "{tree}");
    }
}
