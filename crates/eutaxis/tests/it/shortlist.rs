//! `shortlist`: the releases of a project, which is to be taken, and what stands in the way of the
//! others.

use eutaxis_demo::server::Trouble;
use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, depot, server};

fn offer<'a>(answer: &'a Value, version: &str) -> &'a Value {
    answer["offers"]
        .as_array()
        .unwrap()
        .iter()
        .find(|o| o["version"] == version)
        .unwrap()
}

#[test]
fn the_best_is_named_and_the_others_say_why_not() {
    let answer = Field::new().json(0, &["shortlist", "radargram", "--target", "ridge-logger"]);
    assert_eq!(answer["best"], "2.0.3");
    let newest = offer(&answer, "2.2.0");
    assert_eq!(
        (newest["verdict"].as_str(), newest["published"].as_str()),
        (Some("build"), Some("2026-08-14T12:00:00Z"))
    );
    assert_eq!(newest["bars"][0]["kind"], "libc");
    assert_eq!(newest["bars"][0]["detail"], "needs glibc 2.34, here 2.31");
    let yanked = offer(&answer, "2.1.0");
    assert_eq!(
        (
            yanked["verdict"].as_str(),
            yanked["bars"][0]["kind"].as_str()
        ),
        (Some("barred"), Some("yanked"))
    );
    let best = offer(&answer, "2.0.3");
    assert_eq!(
        best["file"],
        "radargram-2.0.3-cp39-cp39-manylinux_2_31_armv7l.whl"
    );
    assert!(best["size"].as_u64().unwrap() > 0);
    assert_eq!(
        best["interpreters"],
        serde_json::json!(["3.8", "3.9", "3.10", "3.11", "3.12", "3.13"])
    );
}

#[test]
fn people_read_the_answer_first() {
    let ran = Field::new().expect(0, &["shortlist", "radargram", "--target", "ridge-logger"]);
    let lines: Vec<&str> = ran.out.lines().collect();
    assert_eq!(
        lines[0],
        "radargram for ridge-logger: take 2.0.3 (newest with a wheel that runs here)"
    );
    assert!(
        lines[1]
            .starts_with("newer: 2.2.0 has only source here: needs glibc 2.34, here 2.31; 2.1.1"),
        "{}",
        lines[1]
    );
    assert!(
        ran.out.contains(
            "2.1.0    2026-01-20  barred   3.9-3.13    yanked: \"writes corrupt headers\""
        ),
        "{}",
        ran.out
    );
    assert!(ran.out.contains("<-\u{a0}take") || ran.out.contains("<- take"));
}

#[rstest]
#[case::specifier(&["radargram<2"], Some("1.9.0"))]
#[case::pinned_yanked(&["radargram==2.1.0"], Some("2.1.0"))]
#[case::as_of(&["radargram", "--as-of", "2025-10-31"], Some("2.0.2"))]
#[case::oldest(&["radargram", "--prefer", "oldest"], Some("1.9.0"))]
#[case::any(&["radargram", "--wheels", "any"], Some("2.2.0"))]
#[case::prerelease(&["frostgrid", "--prereleases", "all", "--target", "cpython 3.12 / linux x86_64 \
    glibc 2.35"], Some("2.2.0rc1"))]
fn specifier_date_and_policy_count(#[case] arguments: &[&str], #[case] best: Option<&str>) {
    let mut all = vec!["shortlist"];
    all.extend(arguments);
    if !arguments.contains(&"--target") {
        all.extend(["--target", "ridge-logger"]);
    }
    assert_eq!(Field::new().json(0, &all)["best"].as_str(), best);
}

#[test]
fn when_nothing_runs_the_answer_is_no() {
    let field = Field::new();
    let spec = "cpython 3.5 / linux x86_64 glibc 2.17";
    let answer = field.json(
        1,
        &[
            "shortlist",
            "frostgrid",
            "--target",
            spec,
            "--wheels",
            "only",
        ],
    );
    assert_eq!(answer["best"], Value::Null);
    let ran = field.expect(
        1,
        &["shortlist", "frostgrid>=9", "--target", "ridge-logger"],
    );
    assert!(
        ran.out.contains("no release is within frostgrid >=9")
            && ran.out.contains("7 releases are outside"),
        "{}",
        ran.out
    );
    let ran = field.expect(1, &["shortlist", "frostgird"]);
    assert!(
        ran.out.contains("no depot has frostgird") && ran.out.contains("nearest names: frostgrid"),
        "{}",
        ran.out
    );
    assert_eq!(
        field.json(1, &["shortlist", "frostgird"])["nearest"][0],
        "frostgrid"
    );
    field.expect(2, &["shortlist", "frost grid"]);
}

#[test]
fn more_than_the_limit_is_counted() {
    let field = Field::new();
    let ran = field.expect(
        0,
        &[
            "shortlist",
            "radargram",
            "--limit",
            "2",
            "--target",
            "ridge-logger",
        ],
    );
    assert!(
        ran.out.contains("... 3 older, 2 of them ready (--all)"),
        "{}",
        ran.out
    );
    assert!(
        ran.out.contains("2.0.3    2025-11-20  ready"),
        "the one to take is always shown: {}",
        ran.out
    );
    field.expect(2, &["shortlist", "radargram", "--limit", "0"]);
    let answer = field.json(
        0,
        &[
            "shortlist",
            "radargram",
            "--all",
            "--files",
            "--target",
            "ridge-logger",
        ],
    );
    assert_eq!(
        (
            answer["offers"].as_array().unwrap().len(),
            answer["more"].as_u64()
        ),
        (6, Some(0))
    );
    let files = offer(&answer, "2.2.0")["files"].as_array().unwrap();
    assert!(
        files.len() > 10
            && files
                .iter()
                .all(|f| f["verdict"] == "build" || !f["bars"].as_array().unwrap().is_empty())
    );
}

#[test]
fn the_grid_shows_where_wheels_exist() {
    let field = Field::new();
    let answer = field.json(
        0,
        &[
            "shortlist",
            "frostgrid",
            "--grid",
            "--target",
            "ridge-logger",
        ],
    );
    let grid = &answer["grid"];
    let row = grid["rows"]
        .as_array()
        .unwrap()
        .iter()
        .find(|r| r["version"] == "1.9.4")
        .unwrap();
    assert_eq!(row["interpreters"]["3.9"], "wheel");
    assert_eq!(row["interpreters"]["3.13"], "source");
    assert_eq!(row["platforms"]["linux armv7l"], "2.31");
    for columns in ["60", "100"] {
        let mut command = field.command(&[
            "shortlist",
            "frostgrid",
            "--grid",
            "--target",
            "ridge-logger",
        ]);
        let ran = crate::field::ran(command.env("COLUMNS", columns).output().unwrap());
        assert!(
            ran.out
                .lines()
                .all(|l| l.chars().count() <= columns.parse().unwrap()),
            "{}",
            ran.out
        );
        assert!(ran.out.contains("[3.9]") && ran.out.contains("##"));
    }
}

/// Of two depots the first that has the project serves it, whatever the other has.
#[test]
fn where_a_project_comes_from_is_told() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let answer = field.json(
        0,
        &[
            "shortlist",
            "katabat",
            "--depot",
            &depot(),
            "--target",
            "office-mac",
        ],
    );
    assert_eq!(
        (answer["depot"].as_str(), answer["also_in"][0].as_str()),
        (Some(depot().as_str()), Some(server.url().as_str()))
    );
    let ran = field.expect(
        0,
        &[
            "shortlist",
            "katabat",
            "--depot",
            &depot(),
            "--target",
            "office-mac",
        ],
    );
    let said = ran.out.replace('\n', " ");
    assert!(
        said.contains("perhaps another project of that name") && said.contains("not used"),
        "{said}"
    );
    let text =
        field
            .read("eutaxis.toml")
            .replacen("[network]", "only = [\"katabat\"]\n[network]", 1);
    field.write("eutaxis.toml", &text);
    let answer = field.json(
        0,
        &[
            "shortlist",
            "katabat",
            "--depot",
            &depot(),
            "--target",
            "office-mac",
        ],
    );
    assert_eq!(answer["depot"].as_str(), Some(server.url().as_str()));
}

#[test]
fn an_extra_that_is_not_offered_is_a_caution() {
    let answer = Field::new().json(
        0,
        &["shortlist", "fieldlog[polt]", "--target", "office-mac"],
    );
    assert!(
        answer["cautions"][0]
            .as_str()
            .unwrap()
            .contains("offers no extra `polt`"),
        "{answer}"
    );
}

/// A page may say where the same project is too; depots are never mixed for that.
#[test]
fn the_same_project_in_two_places_is_told_as_one_when_its_page_says_so() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let wheel = std::fs::read(format!("{}/katabat/katabat-0.5-py3-none-any.whl", depot())).unwrap();
    std::fs::create_dir_all(field.path("tree/katabat")).unwrap();
    std::fs::write(
        field.path("tree/katabat/katabat-0.5-py3-none-any.whl"),
        wheel,
    )
    .unwrap();
    let page = format!(
        r#"{{"meta":{{"api-version":"1.2"}},"alternate-locations":["{}katabat/"],
            "files":[{{"filename":"katabat-0.5-py3-none-any.whl","url":"katabat-0.5-py3-none-any.whl"}}]}}"#,
        server.url()
    );
    field.write("tree/katabat/index.json", &page);
    let answer = field.json(
        0,
        &[
            "shortlist",
            "katabat",
            "--depot",
            "tree",
            "--target",
            "office-mac",
        ],
    );
    assert_eq!(
        answer["offers"].as_array().unwrap().len(),
        1,
        "nothing is mixed in"
    );
    assert_eq!(
        answer["elsewhere"][0].as_str(),
        Some(format!("{}katabat/", server.url()).as_str())
    );
    let ran = field.expect(
        0,
        &[
            "shortlist",
            "katabat",
            "--depot",
            "tree",
            "--target",
            "office-mac",
        ],
    );
    assert!(
        ran.out
            .replace('\n', " ")
            .contains("the same project, by its page's word"),
        "{}",
        ran.out
    );
}

#[test]
fn a_file_asked_for_by_its_address_is_judged_like_any_other() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let ask = |file: &str| format!("radargram @ {}radargram/{file}", server.url());
    let fits = ask("radargram-2.0.3-cp39-cp39-manylinux_2_31_armv7l.whl");
    assert_eq!(
        field.json(0, &["shortlist", &fits, "--target", "ridge-logger"])["best"],
        "2.0.3"
    );
    let other = ask("radargram-2.0.3-cp39-cp39-win_amd64.whl");
    let answer = field.json(1, &["shortlist", &other, "--target", "ridge-logger"]);
    assert_eq!(answer["offers"][0]["bars"][0]["kind"], "platform");
    let absent = ask("radargram-9.9-py3-none-any.whl");
    let ran = field.expect(3, &["shortlist", &absent, "--target", "ridge-logger"]);
    assert!(ran.err.contains("does not have it (404)"), "{}", ran.err);
}
