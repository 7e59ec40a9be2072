//! Builds for accelerators: which of them runs, which is better, and that an environment holds one
//! toolkit.

use rstest::rstest;

use crate::field::{Field, WORKSTATION, pins};

#[rstest]
#[case::runs_the_newest("nordglim driver 535", "seracnet 2.3.0+nor42")]
#[case::driver_too_old_for_the_newest("nordglim driver 512.4", "seracnet 2.3.0+nor41")]
#[case::exactly_at_the_limit("nordglim driver 510.0", "seracnet 2.3.0+nor41")]
#[case::just_below_it("nordglim driver 509.9", "seracnet 2.0.0+nor36")]
#[case::the_stated_toolkit("nordglim toolkit 3.6", "seracnet 2.0.0+nor36")]
#[case::none("none", "seracnet 2.3.0+cpu")]
#[case::another_family("cuda driver 550.60", "seracnet 2.3.0+cpu")]
fn the_best_build_for_the_place_is_taken(#[case] accelerator: &str, #[case] expected: &str) {
    let field = Field::new();
    let arguments = [
        "settle",
        "seracnet",
        "--target",
        WORKSTATION,
        "--accelerator",
        accelerator,
    ];
    let answer = field.json(0, &arguments);
    assert!(
        pins(&answer).contains(&expected.to_owned()),
        "{:?}",
        pins(&answer)
    );
    let build = &answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .find(|p| p["name"] == "seracnet")
        .unwrap()["accelerator"];
    assert_eq!(build["evidence"], "label");
    assert_eq!(build["family"].is_string(), expected.contains("nor"));
}

#[test]
fn a_target_of_the_settings_has_its_accelerator_and_the_pins_keep_it() {
    let field = Field::new();
    let answer = field.json(0, &["settle", "seracnet", "--target", "base-camp"]);
    assert!(
        answer["target"]
            .as_str()
            .unwrap()
            .ends_with("glibc 2.35 / nordglim driver 512.4 device b3")
    );
    let text = field
        .expect(
            0,
            &["settle", "seracnet", "--target", "base-camp", "--renew"],
        )
        .out;
    assert!(
        text.contains(
            "accelerator  nordglim 4.1 for seracnet; it needs a driver of 510.0 or newer, here \
                512.4."
        ),
        "{text}"
    );
    let why = field
        .expect(1, &["reason", "seracnet", "--not", "2.3.0+nor42"])
        .out;
    assert!(
        why.contains("needs nordglim 4.2; driver 512.4 runs up to 4.1"),
        "{why}"
    );
}

/// A device newer than the build's toolkit is told in the first lines, as is an accelerator that is
/// not used; where a build serves it there is nothing to tell.
#[rstest]
#[case::unserved(
    "nordglim driver 512.4 device b4",
    "seracnet 2.3.0+nor41",
    "caution  seracnet 2.3.0+nor41 is built for nordglim 4.1, and device b4 is served since 4.2"
)]
#[case::served("nordglim driver 535.0 device b4", "seracnet 2.3.0+nor42", "")]
#[case::lost(
    "nordglim driver 1.0",
    "seracnet 2.3.0+cpu",
    "caution  nothing in this answer uses nordglim. seracnet 2.3.0+cpu leaves nordglim unused: the \
        newest build that uses one is 2.3.0+nor42"
)]
#[case::none("none", "seracnet 2.3.0+cpu", "")]
fn what_the_accelerator_loses_is_told_first(
    #[case] accelerator: &str,
    #[case] expected: &str,
    #[case] caution: &str,
) {
    let field = Field::new();
    let place = ["--target", WORKSTATION, "--accelerator", accelerator];
    let answer = field.json(0, &[&["settle", "seracnet"], &place[..]].concat());
    assert!(pins(&answer).contains(&expected.to_owned()), "{answer:#}");
    let text = field
        .expect(0, &[&["settle", "seracnet"], &place[..]].concat())
        .out;
    let (first, rest) = text.split_once("project ").unwrap();
    let plain = first.split_whitespace().collect::<Vec<_>>().join(" ");
    let words = caution.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(plain.contains(&words), "{text}");
    assert_eq!(first.contains("caution"), !caution.is_empty(), "{text}");
    assert!(
        !rest.contains("leaves nordglim unused"),
        "said once: {text}"
    );
    let list = field
        .expect(0, &[&["shortlist", "seracnet"], &place[..]].concat())
        .out;
    assert_eq!(
        list.contains("is served since"),
        caution.contains("served since"),
        "{list}"
    );
}

/// An office machine with an accelerator that builds for its system do not use.
const OFFICE: &str = "3.12 / windows amd64 / nordglim driver 512.4 device b3";

/// What is lost is told by every command that chooses, with what shows it and the last release that
/// used it; never where the place has no accelerator.
#[rstest]
#[case::by_metadata(
    "calvingnet",
    "its metadata asks for nordglim 4.1 on other systems",
    "1.4.0"
)]
#[case::by_a_known_fact("meltcast", "since 1.0 (its release notes)", "0.9.2")]
fn an_accelerator_that_is_lost_is_told_everywhere(
    #[case] project: &str,
    #[case] shown: &str,
    #[case] last: &str,
) {
    let field = Field::new();
    let plain = |text: String| text.split_whitespace().collect::<Vec<_>>().join(" ");
    let ran = |arguments: &[&str]| plain(field.expect(0, arguments).out);
    let settled = ran(&[
        "settle",
        project,
        "--target",
        OFFICE,
        "--out",
        "pylock.office.toml",
    ]);
    let first = settled.split("project release").next().unwrap();
    assert!(
        first.contains("nothing in this answer uses nordglim."),
        "{settled}"
    );
    assert!(first.contains(shown), "{settled}");
    let takes = format!("was {last}: --accelerator \"nordglim required\" takes it.");
    assert!(first.contains(&takes), "{settled}");
    let list = ran(&["shortlist", project, "--target", OFFICE]);
    assert!(list.contains(shown) && list.contains(&takes), "{list}");
    let span = ran(&["span", project, "--target", OFFICE, "--target", "base-camp"]);
    assert!(span.contains("settles 1 -acc"), "{span}");
    assert!(
        span.contains(&format!(
            "-acc: the accelerator of the place is left unused by {project}"
        )),
        "{span}"
    );
    let cells = field.json(
        0,
        &["span", project, "--target", OFFICE, "--target", "base-camp"],
    );
    let of = |target: &str| {
        let mut cells = cells["cells"].as_array().unwrap().iter();
        let cell = cells
            .find(|c| c["target"].as_str().unwrap().contains(target) && c["interpreter"] == "3.12");
        cell.unwrap()["unaccelerated"].clone()
    };
    assert_eq!(of("windows"), serde_json::json!([project]));
    assert!(of("base-camp").is_null());
    // What is printed is typed.
    let pins = ["--out", "pylock.required.toml"];
    let place = ["--target", OFFICE, "--accelerator", "nordglim required"];
    let required = field.json(0, &[&["settle", project], &place[..], &pins].concat());
    assert!(
        self::pins(&required).contains(&format!("{project} {last}")),
        "{required:#}"
    );
    assert_eq!(required["cautions"], serde_json::json!([]));
    // A move that loses it.
    let newer = format!("{project}>{last}");
    let refused = field.expect(1, &["rehearse", &newer, "--pins", "pylock.required.toml"]);
    assert!(
        refused.out.contains("and it is required"),
        "{}",
        refused.out
    );
    field.expect(
        0,
        &[
            "settle",
            &format!("{project}=={last}"),
            "--target",
            OFFICE,
            "--out",
            "pylock.old.toml",
        ],
    );
    let moved = ran(&["rehearse", &newer, "--pins", "pylock.old.toml"]);
    assert!(
        moved.contains("loses nordglim: it leaves the accelerator unused"),
        "{moved}"
    );
    // Nothing of it where there is none, or where it is used.
    for place in ["3.12 / windows amd64", "base-camp"] {
        let out = field
            .expect(
                0,
                &[
                    "settle",
                    project,
                    "--target",
                    place,
                    "--interpreter",
                    "3.12",
                    "--out",
                    "pylock.none.toml",
                ],
            )
            .out;
        let told = out.contains("unused");
        assert!(!told, "{out}");
        let out = field
            .expect(
                0,
                &[
                    "shortlist",
                    project,
                    "--target",
                    place,
                    "--interpreter",
                    "3.12",
                ],
            )
            .out;
        assert!(!out.contains("unused"), "{out}");
        let out = field.expect(0, &["span", project, "--target", place]).out;
        assert!(!out.contains("-acc"), "{out}");
    }
}

/// Pins of another machine are placed as they are, and what they are built for is said.
#[test]
fn a_build_for_another_machine_is_told_when_it_is_placed() {
    let field = Field::new();
    let camp = "3.11 / linux x86_64 glibc 2.35 / nordglim driver 512.4";
    field.expect(0, &["settle", "seracnet", "--target", camp]);
    let placed = field.expect(0, &["furnish"]);
    let err = placed.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        err.contains("caution: seracnet 2.3.0+nor41 is pinned and placed: built for nordglim 4.1; this target has no accelerator."),
        "{err}"
    );
}

/// A release that brings the runtime only with an extra: the extra is named, and typed it is asked
/// for and nothing is said any more.
#[test]
fn a_runtime_that_only_an_extra_brings_is_told() {
    let field = Field::new();
    let plain = |arguments: &[&str]| {
        let out = field.expect(0, arguments).out;
        out.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    let told = "caution firnvision 1.2.0 brings no runtime of nordglim by itself: firnvision[fast] does, for nordglim 4.1.";
    for command in ["settle", "shortlist"] {
        let out = plain(&[command, "firnvision", "--target", "base-camp"]);
        assert!(out.contains(told), "{out}");
        if command == "settle" {
            std::fs::remove_file(field.path("pylock.toml")).unwrap();
        }
        let out = plain(&[command, "firnvision[fast]", "--target", "base-camp"]);
        assert!(!out.contains("brings no runtime"), "{out}");
        if command == "settle" {
            std::fs::remove_file(field.path("pylock.toml")).unwrap();
        }
        let out = plain(&[command, "firnvision", "--target", WORKSTATION]);
        assert!(!out.contains("brings no runtime"), "no accelerator: {out}");
    }
}

#[test]
fn a_required_accelerator_has_ways_out() {
    let field = Field::new();
    let place = ["--target", OFFICE, "--accelerator", "nordglim required"];
    let asked = [&["settle", "calvingnet>=1.5"], &place[..]].concat();
    let answer = field.json(1, &asked);
    assert_eq!(answer["clash"]["facts"][1]["kind"], "accelerator");
    let ways = answer["ways_out"].as_array().unwrap();
    let without = ways.iter().find(|w| w["kind"] == "accelerator").unwrap();
    let value = without["changes"][0]["value"].as_str().unwrap();
    assert!(!value.contains("required"), "{value}");
    let typed = [
        "settle",
        "calvingnet>=1.5",
        "--target",
        OFFICE,
        "--accelerator",
        value,
    ];
    field.expect(0, &typed);
}

/// The user's word goes before what is known: it says that a release uses it, or that it does not.
#[rstest]
#[case::it_does("meltcast", "nordglim 4.1", false)]
#[case::it_does_not("katabat", "none", true)]
fn what_is_known_can_be_switched_off_and_added_to(
    #[case] project: &str,
    #[case] accelerator: &str,
    #[case] is_told: bool,
) {
    let field = Field::new();
    let settings = field.read("eutaxis.toml");
    let adjust = format!(
        "\n[[adjust]]\nproject = \"{project}\"\naccelerator = \"{accelerator}\"\nbecause = \"looked at\"\n"
    );
    field.write("eutaxis.toml", &format!("{settings}{adjust}"));
    let out = field
        .expect(0, &["settle", project, "--target", OFFICE])
        .out;
    assert_eq!(out.contains("leaves nordglim unused"), is_told, "{out}");
    assert_eq!(
        out.contains("nothing in this answer uses nordglim"),
        is_told,
        "{out}"
    );
}

#[test]
fn every_bar_is_told_with_what_the_driver_runs() {
    let field = Field::new();
    let place = [
        "--target",
        WORKSTATION,
        "--accelerator",
        "nordglim driver 498.2 device b3",
    ];
    let answer = field.json(0, &[&["shortlist", "seracnet"], &place[..]].concat());
    let of = |version: &str| {
        answer["offers"]
            .as_array()
            .unwrap()
            .iter()
            .find(|o| o["version"] == version)
            .unwrap()
            .clone()
    };
    let bar = &of("2.3.0+nor41")["bars"][0];
    assert_eq!(
        (bar["kind"].as_str(), bar["detail"].as_str()),
        (
            Some("accelerator"),
            Some("needs nordglim 4.1; driver 498.2 runs up to 3.9")
        )
    );
    assert_eq!(answer["best"], "2.0.0+nor36");
    assert_eq!(of("2.0.0+nor36")["accelerator"]["toolkit"], "3.6");
}

#[test]
fn projects_built_for_different_toolkits_clash_and_ways_out_are_solved() {
    let field = Field::new();
    let together = field.json(
        0,
        &["settle", "seracnet", "firnflow", "--target", "base-camp"],
    );
    assert!(
        pins(&together).contains(&"seracnet 2.0.0+nor36".to_owned()),
        "an older release for one toolkit: {together:#}"
    );
    let asks = [
        "settle",
        "seracnet==2.3.0+nor41",
        "firnflow",
        "--target",
        "base-camp",
        "--out",
        "pylock.other.toml",
    ];
    let answer = field.json(1, &asks);
    let facts = answer["clash"]["facts"].as_array().unwrap();
    assert!(
        facts
            .iter()
            .any(|f| f["kind"] == "accelerator" && f["project"] == "firnflow"),
        "{facts:#?}"
    );
    let kinds: Vec<&str> = answer["ways_out"]
        .as_array()
        .unwrap()
        .iter()
        .map(|w| w["kind"].as_str().unwrap())
        .collect();
    assert!(
        kinds.contains(&"environments") && kinds.contains(&"ask"),
        "{kinds:?}"
    );
    // The right partner of each is solved; a way that leaves the accelerator unused says so.
    let mixed = [
        "settle",
        "seracnet==2.0.0+nor36",
        "firnflow==1.1+nor39",
        "--target",
        "base-camp",
        "--out",
        "pylock.mix.toml",
    ];
    let out = field.expect(1, &mixed).out;
    assert!(
        out.contains("gives  firnflow 1.1+nor36, seracnet 2.0.0+nor36"),
        "{out}"
    );
    let lines: Vec<&str> = out.lines().map(str::trim).collect();
    let at = lines
        .iter()
        .position(|l| l.contains("seracnet 2.0.0+cpu"))
        .unwrap();
    assert_eq!(lines[at + 1], "leaves nordglim unused: seracnet");
    let ways = field.json(1, &mixed)["ways_out"].clone();
    assert_eq!(
        (&ways[0]["unaccelerated"], &ways[1]["unaccelerated"]),
        (&serde_json::Value::Null, &serde_json::json!(["seracnet"]))
    );
    assert!(
        field
            .expect(1, &asks)
            .out
            .contains("One environment holds one toolkit.")
    );
}

#[test]
fn a_driver_that_is_too_old_has_a_way_out_that_can_be_typed() {
    let field = Field::new();
    let place = [
        "--target",
        WORKSTATION,
        "--accelerator",
        "nordglim driver 440",
    ];
    let answer = field.json(1, &[&["settle", "firnflow"], &place[..]].concat());
    let way = &answer["ways_out"][0];
    assert_eq!(
        (way["kind"].as_str(), way["options"][0].as_str()),
        (
            Some("accelerator"),
            Some("--accelerator \"nordglim driver 450.1\"")
        )
    );
    let value = way["changes"][0]["value"].as_str().unwrap();
    field.expect(
        0,
        &[
            "settle",
            "firnflow",
            "--target",
            WORKSTATION,
            "--accelerator",
            value,
        ],
    );
}

/// What the user says of a depot or a project counts before any label.
#[test]
fn what_builds_are_for_can_be_stated() {
    let field = Field::new();
    let settings = field.read("eutaxis.toml");
    let adjust = "\n[[adjust]]\nproject = \"icelens\"\nversions = \">=3.1\"\naccelerator = \
        \"nordglim 4.1\"\nbecause = \"its notes say so\"\n";
    field.write("eutaxis.toml", &format!("{settings}{adjust}"));
    let answer = field.json(0, &["settle", "icelens", "--target", "base-camp"]);
    let pin = answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .find(|p| p["name"] == "icelens")
        .unwrap()
        .clone();
    assert_eq!(
        (
            pin["accelerator"]["evidence"].as_str(),
            pin["accelerator"]["toolkit"].as_str()
        ),
        (Some("stated"), Some("4.1"))
    );
    let without = field.json(
        1,
        &[
            "settle",
            "icelens>=3.1",
            "--target",
            WORKSTATION,
            "--out",
            "pylock.other.toml",
        ],
    );
    assert_eq!(without["clash"]["facts"][1]["kind"], "accelerator");
    field.write(
        "eutaxis.toml",
        &settings.replace("path = ", "accelerator = \"nordglim 3.9\"\npath = "),
    );
    let answer = field.json(
        0,
        &[
            "settle",
            "hoarfrost",
            "--target",
            "base-camp",
            "--out",
            "pylock.third.toml",
        ],
    );
    assert_eq!(answer["pins"][0]["accelerator"]["toolkit"], "3.9");
}

#[rstest]
#[case::unknown_family(&["--accelerator", "nordgli driver 1"], "did you mean `nordglim`?")]
#[case::no_number(&["--accelerator", "nordglim driver new"], "not a number")]
#[case::in_a_target(&["--target", "3.11 / linux x86_64 / nordglim speed 4"], "FAMILY [toolkit V]")]
fn odd_accelerators_are_refused(#[case] arguments: &[&str], #[case] part: &str) {
    let field = Field::new();
    let ran = field.expect(2, &[&["settle", "katabat"], arguments].concat());
    assert!(ran.err.contains(part), "{}", ran.err);
}

#[test]
fn a_broken_family_file_is_told_with_its_place() {
    let field = Field::new();
    field.write(
        "nordglim.toml",
        "[[family]]\nname = \"nordglim\"\nlabel = \
            { before = \"nor\", number = \"roman\" }\ntoolkit = []\n",
    );
    let ran = field.expect(2, &["settle", "katabat", "--target", WORKSTATION]);
    assert!(ran.err.contains("nordglim.toml:3:"), "{}", ran.err);
    std::fs::remove_file(field.path("nordglim.toml")).unwrap();
    assert!(
        field
            .expect(2, &["settle", "katabat"])
            .err
            .contains("nordglim.toml")
    );
}

/// A family that every Linux has: its driver is the kernel.
fn check(code: &str, present: &str) -> String {
    format!(
        r#"
[[family]]
name = "polgleam"
label = {{ before = "pol", number = "digits" }}
processor = ["cpu"]
toolkit = [{{ version = "1.0", linux = "1.0" }}]
[family.probe]
driver = [{{ file = "proc/version", after = "version" }}]
present = ["{present}"]

[[check]]
project = "snowpit"
family = "polgleam"
code = """
{code}
"""
"#
    )
}

/// What the framework says is held against what the machine has, also when there is none.
#[cfg(target_os = "linux")]
#[rstest]
#[case::seen(
    0,
    "proc/version",
    "print('devices 1'); print('name Aurora 3'); print('computed ok')",
    "snowpit sees 1 device of polgleam (Aurora 3) and computes"
)]
#[case::not_seen(
    1,
    "proc/version",
    "print('devices 0')",
    "snowpit sees no device of polgleam; its build is for the processor only"
)]
#[case::does_not_compute(
    1,
    "proc/version",
    "print('devices 1'); print('computed 127')",
    "snowpit sees 1 device of polgleam, and computing fails"
)]
#[case::fails(
    1,
    "proc/version",
    "raise RuntimeError('no kernel image')",
    "snowpit cannot be asked for polgleam: it fails: RuntimeError: no kernel image"
)]
#[case::says_nothing(1, "proc/version", "pass", "snowpit cannot be asked for polgleam")]
#[case::none_is_right(
    0,
    "proc/nothing",
    "print('devices 0')",
    "snowpit sees no device of polgleam, and none is here"
)]
#[case::not_found_here(
    0,
    "proc/nothing",
    "print('devices 2')",
    "snowpit sees 2 devices of polgleam, which was not found on this machine"
)]
fn what_is_placed_is_asked_for_the_accelerator(
    #[case] code: i32,
    #[case] present: &str,
    #[case] check_code: &str,
    #[case] told: &str,
) {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit", "--accelerator", "none"]);
    field.expect(0, &["furnish"]);
    field.write("polgleam.toml", &check(check_code, present));
    let settings = field.read("eutaxis.toml");
    let more = settings.replace(
        "[\"nordglim.toml\"]",
        "[\"nordglim.toml\", \"polgleam.toml\"]",
    );
    assert_ne!(more, settings);
    field.write("eutaxis.toml", &more);
    let out = field.expect(code, &["examine", ".venv", "--device"]).out;
    let plain = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(plain.contains(told), "{out}");
    let answer = field.json(code, &["examine", ".venv", "--device"]);
    let one = &answer["devices"][0];
    assert_eq!(
        (&one["project"], one["right"].as_bool()),
        (&serde_json::json!("snowpit"), Some(code == 0))
    );
    let ids: Vec<&str> = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["id"].as_str().unwrap())
        .collect();
    assert_eq!(ids.contains(&"device-unseen"), code == 1, "{ids:?}");
    // Without being asked nothing is run.
    assert!(field.json(0, &["examine", ".venv"])["devices"].is_null());
}

#[test]
fn an_environment_without_any_check_says_so() {
    let field = Field::new();
    field.expect(0, &["settle", "hoarfrost"]);
    field.expect(0, &["furnish"]);
    let out = field.expect(0, &["examine", ".venv", "--device"]).out;
    let out = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        out.contains("nothing that is placed can be asked for an accelerator"),
        "{out}"
    );
}
