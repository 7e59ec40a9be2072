//! `settle`: what is chosen, what is written, what is said.

use serde_json::Value;

use crate::field::{Field, depot, file_of, pins};

const PLANNED: &str = "cpython 3.11 / linux x86_64 glibc 2.35";

#[test]
fn the_answer_in_json_keeps_the_contract() {
    let field = Field::new();
    let answer = field.json(
        0,
        &["settle", "--asks", "fieldkit.txt", "--target", PLANNED],
    );
    let first = &answer["pins"][0];
    for key in [
        "name",
        "version",
        "file",
        "kind",
        "path",
        "sha256",
        "size",
        "published",
        "asked_by",
        "depot",
    ] {
        assert!(!first[key].is_null(), "{key} in {first}");
    }
    assert_eq!(
        answer["target"],
        "cpython 3.11.14 / linux x86_64 glibc 2.35"
    );
    assert_eq!(answer["written"], serde_json::json!(["pylock.toml"]));
    let radargram = answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .find(|p| p["name"] == "radargram")
        .unwrap();
    assert_eq!(
        (&radargram["kind"], &radargram["asked_by"]),
        (&Value::from("wheel"), &serde_json::json!(["ask"]))
    );
    assert!(
        pins(&answer).contains(&"firnio 1.2".to_owned()),
        "1.3 needs a newer wirepack than fieldlog takes"
    );
}

#[test]
fn a_run_over_its_own_pins_writes_identical_bytes() {
    let field = Field::new();
    let arguments = ["settle", "--asks", "fieldkit.txt", "--target", PLANNED];
    field.expect(0, &arguments);
    let before = field.read("pylock.toml");
    let again = field.expect(0, &arguments);
    assert_eq!(field.read("pylock.toml"), before);
    assert!(
        again.out.contains("pylock.toml is as it was"),
        "{}",
        again.out
    );
    let other = Field::new();
    other.expect(
        0,
        &[&arguments[..], &["--out", "deep/pylock.x.toml"]].concat(),
    );
    let same = |text: String| {
        text.lines()
            .filter(|l| !l.contains("path = ") && !l.starts_with("depot = "))
            // Files of the question are told from the folder of the pins.
            .filter(|l| !l.starts_with("question = "))
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    assert_eq!(
        same(other.read("deep/pylock.x.toml")),
        same(before),
        "two folders, one answer"
    );
}

#[test]
fn earlier_pins_are_kept_and_moves_are_shown() {
    let field = Field::new();
    let asks = ["settle", "firnio", "--target", PLANNED];
    field.expect(0, &[&asks[..], &["--as-of", "2023-12-31"]].concat());
    let kept = field.json(0, &asks);
    assert_eq!(pins(&kept), ["firnio 1.1", "wirepack 1.6.0"]);
    let renewed = field.json(0, &[&asks[..], &["--renew", "firnio"]].concat());
    assert_eq!(
        pins(&renewed),
        ["firnio 1.2", "wirepack 1.6.0"],
        "the other pin is kept: a newer firnio would need a newer wirepack"
    );
    let raised = |project: &str, before: &str, after: &str| serde_json::json!({"project": project, "before": before, "after": after, "kind": "raised"});
    assert_eq!(
        renewed["moves"],
        serde_json::json!([raised("firnio", "1.1", "1.2")])
    );
    field.expect(
        0,
        &[&asks[..], &["--as-of", "2023-12-31", "--renew"]].concat(),
    );
    let one = field.json(
        0,
        &[
            &asks[..],
            &["--renew", "wirepack", "--chronology", "caution"],
        ]
        .concat(),
    );
    assert_eq!(pins(&one), ["firnio 1.1", "wirepack 3.0.4"]);
    let refused = field.expect(
        2,
        &[
            &asks[..],
            &["--out", "pylock.none.toml", "--renew", "wirepack"],
        ]
        .concat(),
    );
    assert!(refused.err.contains("no earlier pins"), "{}", refused.err);
}

#[test]
fn bounds_policies_and_dates_are_obeyed() {
    let field = Field::new();
    field.write("bounds.txt", "wirepack<3\nsnowpit<1\n");
    let settle = |more: &[&str]| {
        let out = ["--out", "pylock.x.toml", "--renew", "--target", PLANNED];
        pins(&field.json(0, &[&["settle"][..], &out, more].concat()))
    };
    assert_eq!(
        settle(&["--bounds", "bounds.txt", "firnio"]),
        ["firnio 1.3", "wirepack 2.2.1"]
    );
    assert_eq!(settle(&["moulin"]), ["moulin 5.0"]);
    assert_eq!(settle(&["moulin", "--wheels", "any"]), ["moulin 5.1"]);
    assert_eq!(
        settle(&["drumlin", "--prereleases", "drumlin"]),
        ["drumlin 1.0b2"]
    );
    assert_eq!(settle(&["katabat", "--prefer", "oldest"]), ["katabat 0.4"]);
    assert_eq!(
        settle(&["snowpit", "--as-of", "2025-03-27"]),
        ["snowpit 2.1"]
    );
    assert_eq!(
        settle(&["snowpit==2.3"]),
        ["snowpit 2.3"],
        "a yanked release when pinned"
    );
}

#[test]
fn a_clash_writes_nothing_and_tells_its_facts() {
    let field = Field::new();
    let arguments = [
        "settle",
        "seracnet>=2",
        "sastrugi==0.8.1",
        "--target",
        PLANNED,
    ];
    let answer = field.json(1, &arguments);
    let facts = answer["clash"]["facts"].as_array().unwrap();
    let kinds: Vec<&str> = facts.iter().map(|f| f["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["ask", "needs", "ask", "needs"]);
    assert_eq!(facts[0]["origin"], "command line:1");
    assert_eq!(facts[1]["needs"], "frostgrid>=1.8,<2");
    assert_eq!(answer["clash"]["contested"][0]["project"], "frostgrid");
    assert!(field.names().is_empty(), "{:?}", field.names());
    let text = field.expect(1, &arguments);
    assert!(
        text.out.starts_with("Cannot be settled for"),
        "{}",
        text.out
    );
}

#[test]
fn an_unknown_project_names_the_nearest() {
    let field = Field::new();
    let answer = field.json(1, &["settle", "frostgird", "--target", PLANNED]);
    assert_eq!(
        answer["absent"],
        serde_json::json!([{"name": "frostgird", "nearest": ["frostgrid"], "doubtful": [],
            "brought_by": null}])
    );
}

#[test]
fn project_files_scripts_and_lists_are_asks() {
    let field = Field::new();
    field.write("pyproject.toml", "[project]\nname='kit'\nversion='1'\nrequires-python='>=3.9'\ndependencies=['snowpit']\n[project.optional-dependencies]\nwind=['katabat']\n[dependency-groups]\nmaps=['cirquemap']\n");
    field.write(
        "log.py",
        "# /// script\n# dependencies = ['tarnlog']\n# ///\n",
    );
    let settle = |more: &[&str]| {
        pins(&field.json(
            0,
            &[&["settle", "--renew", "--target", PLANNED][..], more].concat(),
        ))
    };
    assert_eq!(settle(&[]), ["snowpit 2.2"]);
    assert_eq!(
        settle(&["--extra", "Wind", "--group", "maps"]),
        ["cirquemap 1.1", "katabat 0.5", "snowpit 2.2"]
    );
    assert_eq!(settle(&["--asks", "log.py"]), ["tarnlog 1.0"]);
    std::fs::remove_file(field.path("pylock.toml")).unwrap();
    let refused = field.expect(2, &["settle", "--target", "cpython 3.8 / linux x86_64"]);
    assert!(
        refused
            .err
            .contains("pyproject.toml:4 says requires-python >=3.9"),
        "{}",
        refused.err
    );
}

#[test]
fn folders_of_files_are_depots_too() {
    let field = Field::empty();
    std::fs::create_dir(field.path("wheels")).unwrap();
    for project in ["firnio", "wirepack"] {
        for entry in std::fs::read_dir(format!("{}/{project}", depot())).unwrap() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|e| e == "whl" || e == "gz") {
                std::fs::copy(&path, field.path("wheels").join(path.file_name().unwrap())).unwrap();
            }
        }
    }
    let answer = field.json(
        0,
        &["settle", "--depot", "wheels", "firnio", "--target", PLANNED],
    );
    assert_eq!(file_of(&answer, "firnio"), "firnio-1.3-py3-none-any.whl");
    assert_eq!(answer["pins"][0]["sha256"].as_str().unwrap().len(), 64);
    let old = field.json(
        0,
        &[
            "settle",
            "--depot",
            "wheels",
            "firnio",
            "--renew",
            "--target",
            "cpython 3.7 / linux x86_64",
        ],
    );
    assert_eq!(
        pins(&old),
        ["firnio 1.1", "wirepack 1.6.0"],
        "Requires-Python stands only inside the files"
    );
}

#[test]
fn html_pages_say_the_same_as_json_pages() {
    let field = Field::empty();
    for entry in walk(&depot()) {
        if !entry.ends_with("index.json") {
            let to = field.path("tree").join(
                entry
                    .strip_prefix(&depot())
                    .unwrap()
                    .trim_start_matches('/'),
            );
            std::fs::create_dir_all(to.parent().unwrap()).unwrap();
            std::fs::hard_link(&entry, &to)
                .or_else(|_| std::fs::copy(&entry, &to).map(|_| ()))
                .unwrap();
        }
    }
    field.write("asks.txt", eutaxis_demo::ASKS);
    // HTML pages tell no dates.
    let asked = [
        "--asks",
        "asks.txt",
        "--target",
        PLANNED,
        "--chronology",
        "caution",
    ];
    let html = field.json(0, &[&["settle", "--depot", "tree"], &asked[..]].concat());
    let json = field.json(
        0,
        &[
            &["settle", "--depot", &depot(), "--out", "pylock.y.toml"],
            &asked[..],
        ]
        .concat(),
    );
    assert_eq!(pins(&html), pins(&json));
}

fn walk(root: &str) -> Vec<String> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(root).unwrap() {
        let entry = entry.unwrap();
        let path = entry.path().display().to_string();
        if entry.file_type().unwrap().is_dir() {
            found.extend(walk(&path))
        } else {
            found.push(path)
        }
    }
    found
}

#[test]
fn only_routes_projects_to_one_depot() {
    let field = Field::empty();
    std::fs::create_dir(field.path("boards")).unwrap();
    let wheel = eutaxis_demo::Wheel {
        name: "snowpit".into(),
        version: "9.9".into(),
        tags: "py3-none-any".into(),
        files: vec![(
            "snowpit-9.9.dist-info/METADATA".into(),
            b"Metadata-Version: 2.1\nName: snowpit\nVersion: 9.9\n".to_vec(),
        )],
    };
    std::fs::write(
        field.path("boards").join(wheel.filename()),
        eutaxis_demo::write_wheel(&wheel).unwrap(),
    )
    .unwrap();
    let settings = |only: &str| {
        format!(
            "[[depot]]\npath = {:?}\n[[depot]]\npath = 'boards'\n{only}",
            depot()
        )
    };
    let settle = |only: &str, renew: &[&str]| {
        field.write("eutaxis.toml", &settings(only));
        pins(
            &field.json(
                0,
                &[
                    &["settle", "snowpit", "katabat", "--target", PLANNED],
                    renew,
                ]
                .concat(),
            ),
        )
    };
    assert_eq!(
        settle("", &[]),
        ["katabat 0.5", "snowpit 2.2"],
        "the first depot that has a project serves it"
    );
    assert_eq!(
        settle("only = ['snowpit']", &["--renew", "snowpit"]),
        ["katabat 0.5", "snowpit 9.9"]
    );
}

#[test]
fn a_file_by_its_url_is_pinned_and_remembered() {
    let field = Field::new();
    let url = format!("file://{}/snowpit/snowpit-2.1-py3-none-any.whl", depot());
    let answer = field.json(0, &["settle", &format!("snowpit @ {url}"), "katabat"]);
    assert_eq!(pins(&answer), ["katabat 0.5", "snowpit 2.1"]);
    field.expect(0, &["furnish"]);
    let seen = field.python(
        "import importlib.metadata as m; \
            print(m.distribution('snowpit').read_text('direct_url.json')); \
            print(m.distribution('katabat').read_text('direct_url.json'))",
    );
    assert!(
        seen.out.contains(&url)
            && seen.out.contains("\"archive_info\"")
            && seen.out.ends_with("None\n"),
        "{seen:?}"
    );
}

#[test]
fn a_pin_list_can_be_asked_for_and_asked_with() {
    let field = Field::new();
    field.expect(
        0,
        &[
            "settle", "firnio", "--target", PLANNED, "--list", "list.txt",
        ],
    );
    assert_eq!(field.read("list.txt"), "firnio==1.3\nwirepack==3.0.4\n");
    field.expect(
        0,
        &[
            "settle",
            "firnio",
            "--target",
            PLANNED,
            "--list",
            "exact.txt",
            "--exact",
        ],
    );
    assert!(
        field.read("exact.txt").contains("firnio @ file://"),
        "{}",
        field.read("exact.txt")
    );
    let again = field.json(
        0,
        &[
            "settle",
            "--asks",
            "exact.txt",
            "--target",
            PLANNED,
            "--out",
            "pylock.z.toml",
        ],
    );
    assert_eq!(pins(&again), ["firnio 1.3", "wirepack 3.0.4"]);
}

#[test]
fn output_fits_narrow_terminals() {
    let field = Field::new();
    for columns in ["60", "100"] {
        let mut command = field.command(&[
            "settle",
            "--asks",
            "fieldkit.txt",
            "--target",
            "ridge-logger",
            "--renew",
        ]);
        let ran = crate::field::ran(command.env("COLUMNS", columns).output().unwrap());
        let longest = ran.out.lines().map(|l| l.chars().count()).max().unwrap();
        assert!(
            longest <= columns.parse().unwrap(),
            "{longest} columns\n{}",
            ran.out
        );
    }
}

/// A folder of wheels gives no dates: under a date it is out, told with the way that takes it, and
/// then with what the date does not cover.
#[test]
fn a_depot_without_dates_is_taken_under_a_date_only_where_it_is_said() {
    let field = Field::new();
    std::fs::create_dir(field.path("bare")).unwrap();
    let wheels = std::fs::read_dir(std::path::Path::new(&crate::field::depot()).join("hoarfrost"));
    for entry in wheels.unwrap().flatten() {
        let name = entry.file_name().into_string().unwrap();
        if name.ends_with(".whl") {
            field.copy(&entry.path(), &format!("bare/{name}"));
        }
    }
    let asked = [
        "settle",
        "hoarfrost",
        "--depot",
        "bare",
        "--as-of",
        "2026-06-01",
    ];
    let refused = field.json(1, &asked);
    assert_eq!(refused["clash"]["facts"][1]["kind"], "date");
    let way = &refused["ways_out"][0];
    assert_eq!(way["options"][0], "--take-undated");
    let text = field.expect(1, &asked).out;
    assert!(
        text.contains("take files whose depot gives no date too"),
        "{text}"
    );
    field.expect(0, &[&asked[..], &["--take", "a"]].concat());
    let out = field
        .expect(0, &[&asked[..], &["--take-undated", "--renew"]].concat())
        .out;
    let out = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        out.contains("caution --as-of does not cover hoarfrost: no depot gives a date for it"),
        "{out}"
    );
    // It is part of the question that the pins remember.
    field.expect(0, &["settle", "--check"]);
    // With dates it changes nothing.
    let dated = [
        "settle",
        "hoarfrost",
        "--as-of",
        "2026-06-01",
        "--take-undated",
        "--out",
        "pylock.dated.toml",
    ];
    assert!(!field.expect(0, &dated).out.contains("does not cover"));
}
