//! Without a command: what is here, and the line that comes next, which is typed.

use std::path::Path;

use eutaxis_core::knowledge::{editors, notebook};
use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, Ran, depot_of, ran};
use crate::hut::python;
use crate::prove::project;

/// A folder with a depot, and a shell in which it is worked.
struct Camp {
    field: Field,
    _depot: tempfile::TempDir,
}

impl Camp {
    fn new() -> Self {
        let releases = [
            ("1.0", "2025-02-10", "", &[("gustlib.py", "")][..]),
            ("1.1", "2025-06-10", "", &[("gustlib.py", "")][..]),
        ];
        let depot =
            depot_of(&[project("gustlib", &releases), project("firnio", &releases)].concat());
        let field = Field::empty();
        field.name_depot(&depot.path().display().to_string());
        // The only program of PATH beside the system's is the machine's interpreter itself.
        let programs = field.path("bin");
        std::fs::create_dir(&programs).unwrap();
        std::os::unix::fs::symlink(&python().program, programs.join("python3")).unwrap();
        Camp {
            field,
            _depot: depot,
        }
    }

    /// Lines typed in one shell.
    fn shell(&self, line: &str) -> Ran {
        let program = Path::new(env!("CARGO_BIN_EXE_eutaxis"));
        let own = program.parent().unwrap().display();
        let programs = self.field.path("bin").display().to_string();
        let mut shell = self.field.shell(line);
        shell
            .env("PATH", format!("{programs}:{own}:/usr/bin:/bin"))
            .env("HOME", self.field.path("home"));
        ran(shell.output().unwrap())
    }

    fn done(&self, line: &str) {
        let ran = self.shell(line);
        assert_eq!(ran.code, 0, "{line}: {ran:?}");
    }

    /// What is told after some lines, as text and as JSON.
    fn told(&self, before: &str) -> (String, Value) {
        let told = self.shell(&format!("{before}\neutaxis && eutaxis --json > json"));
        assert_eq!(told.code, 0, "{told:?}");
        // What a long path makes of a line is no line of its own.
        let rows = told.out.lines().filter(|l| !l.starts_with(' '));
        assert!(rows.count() <= 8, "{}", told.out);
        let json = serde_json::from_str(&self.field.read("json"));
        (told.out, json.unwrap())
    }
}

const LIST: &str = "echo gustlib==1.0 > requirements.txt";
const FURNISHED: &str = "echo gustlib==1.0 > requirements.txt && eutaxis settle && eutaxis furnish";

/// The state that the first line makes, what is said of it after the second, and what comes next.
#[rstest]
#[case::nothing(":", ":", "none in this folder, and none is entered", "eutaxis demo")]
#[case::a_list(LIST, ":", "requirements.txt: 1 ask, not pinned", "eutaxis settle")]
#[case::a_list_that_cannot_be_read(
    "echo 'gustlib ==' > requirements.txt",
    ":",
    "requirements.txt:",
    "eutaxis proofread requirements.txt"
)]
#[case::pins(
    "eutaxis settle gustlib",
    ":",
    "no environment holds them",
    "eutaxis furnish"
)]
#[case::pins_that_cannot_be_read(
    "echo '[' > pylock.toml",
    ":",
    "pylock.toml cannot be read",
    "eutaxis proofread pylock.toml"
)]
#[case::pins_of_a_name(
    "eutaxis settle gustlib --out pylock.night.toml",
    ":",
    "pylock.night.toml: 1 project; no environment",
    "eutaxis furnish pylock.night.toml"
)]
#[case::an_environment(
    FURNISHED,
    ":",
    "pylock.toml: 1 project; .venv holds them",
    ". .venv/bin/activate"
)]
#[case::one_that_is_entered(
    FURNISHED,
    ". .venv/bin/activate",
    ".venv (entered): Python",
    "eutaxis examine .venv"
)]
#[case::a_list_that_moved(
    FURNISHED,
    "echo gustlib==1.1 > requirements.txt; . .venv/bin/activate",
    "since they were pinned: gustlib ==1.0 is now gustlib ==1.1",
    "eutaxis settle"
)]
#[case::pins_that_moved(
    FURNISHED,
    "echo gustlib==1.1 > requirements.txt; eutaxis settle -q >/dev/null",
    ".venv has gustlib 1.0",
    "eutaxis furnish"
)]
#[case::an_environment_that_lacks(
    FURNISHED,
    "rm -r .venv/lib/python3*/site-packages/gustlib-*",
    ".venv lacks gustlib",
    "eutaxis furnish"
)]
#[case::one_without_its_interpreter(
    FURNISHED,
    "ln -sfn /nowhere/python3 .venv/bin/python",
    "its interpreter is gone",
    "rm -r .venv && eutaxis furnish"
)]
#[case::one_that_was_moved(
    "eutaxis settle gustlib && eutaxis furnish --at first && mv first .venv",
    ":",
    "where its scripts lead",
    "rm -r .venv && eutaxis furnish"
)]
#[case::entered_and_gone(
    FURNISHED,
    ". .venv/bin/activate; rm -r .venv",
    "its folder is gone",
    "deactivate"
)]
#[case::another_one_entered(
    "eutaxis settle gustlib && eutaxis furnish && eutaxis furnish --at other",
    ". other/bin/activate",
    "that of this folder is .venv",
    ". .venv/bin/activate"
)]
#[case::another_one_first_on_path(
    "eutaxis settle gustlib && eutaxis furnish && eutaxis furnish --at other",
    ". .venv/bin/activate; PATH=$PWD/other/bin:$PATH",
    "not that of .venv",
    ". .venv/bin/activate"
)]
fn a_state_is_told_with_what_comes_next(
    #[case] made: &str,
    #[case] state: &str,
    #[case] says: &str,
    #[case] next: &str,
) {
    let camp = Camp::new();
    camp.done(made);
    let (text, json) = camp.told(state);
    assert!(text.contains(says), "{text}");
    assert_eq!(json["next"]["line"], next, "{text}");
    assert!(text.contains(&format!("{next}   (")), "{text}");
}

/// What is said to come next, typed one after the other, leads from a list to an environment that is
/// entered and sound; and out of one that is gone.
#[rstest]
#[case::from_a_list(LIST, ":", 5)]
#[case::out_of_one_that_is_gone(FURNISHED, ". .venv/bin/activate; rm -r .venv", 5)]
#[case::one_without_its_interpreter(FURNISHED, "ln -sfn /nowhere/python3 .venv/bin/python", 4)]
fn what_comes_next_leads_to_the_end(#[case] made: &str, #[case] state: &str, #[case] steps: usize) {
    let camp = Camp::new();
    camp.done(made);
    // One shell for all: entering an environment is a matter of the shell.
    let typed = "next=$(eutaxis -q); echo \"$next\"; case $next in 'eutaxis examine'*) eval \"$next\"; \
                 exit $?;; esac; eval \"$next\" > /dev/null 2>&1 || exit 9\n";
    let ended = camp.shell(&format!("{state}\n{}", typed.repeat(steps)));
    assert_eq!(ended.code, 0, "{ended:?}");
    assert!(ended.out.contains("eutaxis examine .venv"), "{ended:?}");
}

/// What an editor and a notebook start, and which path to choose there.
#[test]
fn editors_and_notebooks_that_start_another_one_are_told() {
    let camp = Camp::new();
    camp.done(FURNISHED);
    let settings =
        "{\n  \"python.defaultInterpreterPath\": \"${workspaceFolder}/bin/python3\"\n}\n";
    let known = &editors()[0].files[0];
    camp.field.write(known, settings);
    let kernel =
        "{\"argv\": [\"/gone/bin/python\", \"-m\", \"kernel\"], \"display_name\": \"ice\"}";
    let folder = notebook().folders("linux")[0].replace('~', "home");
    let kernels = format!("{folder}/ice/{}", notebook().description);
    camp.field.write(&kernels, kernel);
    let (text, json) = camp.told(":");
    let python = camp.field.path(".venv/bin/python").display().to_string();
    let rows = json["starts"].as_array().unwrap();
    let of = |who: &str| rows.iter().find(|s| s["who"] == who).unwrap();
    assert_eq!(of("editor")["standing"], "another", "{text}");
    assert_eq!(of("notebook")["standing"], "gone", "{text}");
    let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains(&format!("choose {python} there")), "{text}");
    let right = settings.replace("bin/python3", ".venv/bin/python");
    camp.field.write(known, &right);
    camp.field
        .write(&kernels, &kernel.replace("/gone/bin/python", &python));
    let (text, _) = camp.told(":");
    assert!(!text.contains("choose"), "{text}");
}

/// A shell that has entered two.
#[test]
fn shells_within_each_other_are_told() {
    let camp = Camp::new();
    camp.done("eutaxis settle gustlib && eutaxis furnish && eutaxis furnish --at other");
    let nested = "PATH=$PWD/other/bin:$PATH; . .venv/bin/activate";
    let (text, json) = camp.told(nested);
    assert!(text.contains("within another one: other"), "{text}");
    assert_eq!(json["beside"].as_array().unwrap().len(), 1);
}

/// An environment that is described to notebooks is what they start, and `eutaxis` alone says so.
#[test]
fn an_environment_is_described_to_notebooks() {
    let camp = Camp::new();
    camp.done("eutaxis settle gustlib");
    let described = camp.shell("eutaxis furnish --kernel ice");
    assert_eq!(described.code, 0, "{described:?}");
    let flat = described
        .out
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ");
    // What runs as a kernel is a project like others, and is asked for.
    let project = &notebook().project;
    assert!(
        flat.contains(&format!("eutaxis settle --and {project}")),
        "{flat}"
    );
    let (text, json) = camp.told(":");
    let rows = json["starts"].as_array().unwrap();
    let own = rows.iter().find(|s| s["who"] == "notebook").unwrap();
    assert_eq!(own["standing"], "own", "{text}");
    let again = camp.shell("eutaxis furnish --kernel ice --json");
    let again: Value = serde_json::from_str(&again.out).unwrap();
    let file = again["kernel"].as_str().unwrap();
    assert!(
        file.ends_with(&format!("ice/{}", notebook().description)),
        "{file}"
    );
    for name in ["../ice", "", ".ice"] {
        let refused = camp.shell(&format!("eutaxis furnish --kernel '{name}'"));
        assert_eq!(refused.code, 2, "{refused:?}");
    }
}

/// Where no place is named that files come from, the first question has to name one.
#[test]
fn a_first_question_without_a_depot_names_one() {
    let camp = Camp::new();
    let depot = camp._depot.path().display().to_string();
    camp.done("rm eutaxis.toml; echo gustlib==1.0 > requirements.txt");
    let (_, json) = camp.told(":");
    let line = json["next"]["line"].as_str().unwrap();
    assert_eq!(line, "eutaxis depots --keep URL");
    camp.done(&line.replace("URL", &depot));
    let (_, json) = camp.told(":");
    assert_eq!(json["next"]["line"], "eutaxis settle");
    camp.done("eutaxis settle");
    let (_, json) = camp.told(":");
    assert_eq!(json["next"]["line"], "eutaxis furnish");
}
