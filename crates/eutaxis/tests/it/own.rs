//! `proofread` on one's own code; and names of modules that are asked for as projects.

use rstest::rstest;
use serde_json::Value;
use tempfile::TempDir;

use crate::field::{Field, depot_of};
use crate::prove::project;

const DAY: &str = "2026-01-01";

/// A kit that needs tables, a project whose module bears another name, and one more.
fn depot() -> TempDir {
    let world = [
        project("kit", &[("1.0", DAY, "\"tables\"", &[])]),
        project("tables", &[("1.0", DAY, "", &[])]),
        project(
            "mast-tools",
            &[("1.0", DAY, "", &[("gust_reader/__init__.py", "")])],
        ),
        project("spare", &[("1.0", DAY, "", &[])]),
    ];
    depot_of(&world.concat())
}

/// A folder of code with a list beside it.
struct Camp {
    field: Field,
    _depot: TempDir,
}

impl Camp {
    fn new(list: &str, files: &[(&str, &str)]) -> Self {
        let depot = depot();
        let field = Field::empty();
        field.name_depot(&depot.path().display().to_string());
        field.write("requirements.txt", list);
        for (path, text) in files {
            field.write(path, text);
        }
        Camp {
            field,
            _depot: depot,
        }
    }

    /// `severity id place` of the remarks.
    fn told(&self, code: i32, arguments: &[&str]) -> Vec<String> {
        let answer = self.field.json(code, &[&["proofread"], arguments].concat());
        let one = |r: &Value| {
            let word = |key: &str| r[key].as_str().unwrap_or("-");
            format!("{} {} {}", word("severity"), word("id"), word("place"))
        };
        answer["remarks"]
            .as_array()
            .unwrap()
            .iter()
            .map(one)
            .collect()
    }

    /// The command behind the remedy of the first remark.
    fn printed(&self, arguments: &[&str]) -> String {
        let run = self
            .field
            .command(&[&["proofread"], arguments, &["--json"]].concat());
        let mut run = run;
        let answer: Value = serde_json::from_slice(&run.output().unwrap().stdout).unwrap();
        let remedy = answer["remarks"][0]["remedy"].as_str().unwrap().to_owned();
        let (_, line) = remedy
            .split_once(":  ")
            .unwrap_or_else(|| panic!("{remedy}"));
        line.to_owned()
    }
}

/// What is printed for a finding, typed in where it was printed, ends it: against a list, and
/// against pins.
#[rstest]
#[case::by_nothing(
    "kit\n",
    "import kit, tables, gust_reader\n",
    1,
    "breaks not-brought radar/a.py:1"
)]
#[case::through("kit\n", "import kit, tables\n", 0, "risk only-through radar/a.py:1")]
#[case::never(
    "kit\ntables\nspare\n",
    "import kit, tables\n",
    0,
    "note never-imported"
)]
fn what_is_printed_ends_it(
    #[case] list: &str,
    #[case] code: &str,
    #[case] exit: i32,
    #[case] finding: &str,
    #[values(false, true)] pinned: bool,
) {
    let camp = Camp::new(list, &[("radar/a.py", code)]);
    if pinned {
        camp.field.expect(0, &["settle"]);
    }
    let told = camp.told(exit, &["radar"]);
    assert!(told[0].starts_with(finding), "{told:?}");
    let line = camp.printed(&["radar"]);
    camp.field.typed(0, &line);
    let after = camp.told(0, &["radar"]);
    assert!(
        !after.iter().any(|t| t.starts_with(finding)),
        "{line}: {after:?}"
    );
}

#[test]
fn an_environment_tells_what_it_holds() {
    let camp = Camp::new(
        "kit\nmast-tools\n",
        &[("a.py", "import kit, gust_reader, nowhere\n")],
    );
    camp.field.expect(0, &["settle"]);
    camp.field.expect(0, &["furnish"]);
    assert_eq!(
        camp.told(1, &["a.py", "--in", ".venv"]),
        ["breaks not-brought a.py:1"]
    );
    // Without a path the code of this folder is meant; that of the environment is none of it.
    assert_eq!(
        camp.told(1, &["--in", ".venv"]),
        ["breaks not-brought a.py:1"]
    );
    // A list is no code.
    let ran = camp
        .field
        .expect(2, &["proofread", "requirements.txt", "--in", ".venv"]);
    assert!(ran.err.contains("is for code"), "{}", ran.err);
    std::fs::write(
        camp.field.path("a.py"),
        "import kit\ntry:\n    import nowhere\nexcept ImportError:\n    pass\n",
    )
    .unwrap();
    let text = camp
        .field
        .expect(0, &["proofread", "a.py", "--in", ".venv"])
        .out;
    assert!(text.contains("(the code goes on without it)"), "{text}");
}

#[test]
fn a_script_is_held_against_its_own_asks() {
    let script = "# /// script\n# dependencies = [\"kit\", \"spare\"]\n# ///\nimport kit\n\
        def read():\n    import gust_reader\n";
    let camp = Camp::new("mast-tools\n", &[("log.py", script)]);
    let answer = camp.field.json(1, &["proofread", "log.py"]);
    assert_eq!(answer["code"]["against"][0], "log.py");
    let texts: Vec<&str> = (answer["remarks"].as_array().unwrap().iter())
        .map(|r| r["text"].as_str().unwrap())
        .collect();
    assert_eq!(texts.len(), 2, "{texts:?}");
    assert!(
        texts[0].contains("gust_reader is imported when read runs"),
        "{texts:?}"
    );
    assert!(texts[1].contains("spare is asked for"), "{texts:?}");
    let remedy = "mast-tools brings it: add \"mast-tools\" to the script's dependencies";
    assert_eq!(answer["remarks"][0]["remedy"], remedy);
}

#[test]
fn notebooks_are_told_by_cell_and_broken_files_as_unread() {
    let notebook =
        r#"{"cells": [{"cell_type": "code", "source": ["%time\n", "import nowhere\n"]}]}"#;
    let camp = Camp::new(
        "kit\n",
        &[
            ("n/night.ipynb", notebook),
            ("n/old.ipynb", "no"),
            ("n/a.py", "import kit\nx = = 1\n"),
            ("n/b.py", "x = = 1\n"),
            ("n/c.py", "\0"),
        ],
    );
    let told = camp.told(1, &["n"]);
    assert_eq!(
        told,
        [
            "breaks not-brought n/night.ipynb, cell 1, line 2",
            "risk unread n/a.py:2",
            "risk unread n/b.py:1",
            "risk unread n/c.py",
            "risk unread n/old.ipynb"
        ]
    );
}

/// The split of `span`, settled as it is printed, and the line behind it.
#[test]
fn the_file_that_crosses_a_split_is_told() {
    let field = Field::new();
    let ask = [
        "span",
        "katabat",
        "rimefall",
        "bergschrund",
        "--target",
        "base-camp",
    ];
    field.write("both.py", "import katabat\nimport rimefall\n");
    field.write("one.py", "import katabat\n");
    let text = crate::field::ran(field.command(&ask).env("COLUMNS", "120").output().unwrap()).out;
    let lines = text
        .lines()
        .filter_map(|l| Some(l.split_once("eutaxis ")?.1));
    let (settles, proofread): (Vec<&str>, Vec<&str>) = lines
        .map(|line| line.split('`').next().unwrap())
        .partition(|line| line.starts_with("settle"));
    assert_eq!((settles.len(), proofread.len()), (2, 1), "{text}");
    for line in settles {
        field.typed(0, &format!("eutaxis {line}"));
    }
    let told = field.typed(1, &format!("eutaxis {}", proofread[0])).out;
    assert!(told.contains("both.py runs in none of them"), "{told}");
    assert!(!told.contains("one.py:"), "{told}");
}

#[test]
fn without_anything_to_hold_against_the_standard_library_is_told() {
    let field = Field::empty();
    field.write("a.py", "import asyncore, firnio\n");
    let ran = field.expect(1, &["proofread", "a.py", "--interpreter", "3.12"]);
    assert!(
        ran.out.contains("the standard library alone"),
        "{}",
        ran.out
    );
    assert!(
        ran.out
            .contains("asyncore of the standard library is gone since 3.12")
    );
    let ran = field.expect(0, &["proofread", "a.py", "--interpreter", "3.11"]);
    assert!(!ran.out.contains("firnio"), "{}", ran.out);
    let ran = field.expect(2, &["proofread", "nowhere.py"]);
    assert!(ran.err.contains("nowhere.py"), "{}", ran.err);
    std::fs::create_dir(field.path("empty")).unwrap();
    let ran = field.expect(2, &["proofread", "empty"]);
    assert!(ran.err.contains("holds no code"), "{}", ran.err);
}

/// Who asks for what code imports is led to the project that brings it.
#[rstest]
#[case::settle(&["settle", "gust_reader"], 1)]
#[case::shortlist(&["shortlist", "gust-reader"], 1)]
#[case::proofread(&["proofread", "import.txt"], 1)]
#[case::locate(&["locate", "gust_reader"], 1)]
fn the_name_of_a_module_leads_to_its_project(#[case] arguments: &[&str], #[case] code: i32) {
    let camp = Camp::new("kit\n", &[("import.txt", "gust_reader\n")]);
    let ran = camp.field.expect(code, arguments);
    let text = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(text.contains("ask for mast-tools"), "{}", ran.out);
}

/// What nobody would write: many imports of what is nowhere, other encodings, links in a circle.
#[test]
fn odd_code_is_read_to_its_end() {
    let many: String = (0..2000).map(|i| format!("import m{i}\n")).collect();
    let camp = Camp::new("kit\n", &[("n/many.py", &many), ("n/a.py", "import kit\n")]);
    let latin = b"# -*- coding: latin-1 -*-\nname = '\xe9'\nimport nowhere\n";
    std::fs::write(camp.field.path("n/latin.py"), latin).unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink("../n", camp.field.path("n/loop")).unwrap();
    let told = camp.told(1, &["n"]);
    assert_eq!(told.len(), 2001, "{}", told.len());
    assert_eq!(
        camp.told(1, &["n/latin.py"]),
        ["breaks not-brought n/latin.py:3"]
    );
}
