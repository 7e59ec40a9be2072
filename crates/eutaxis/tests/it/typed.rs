//! What the program prints to be typed is typed, into a shell, in the state for which it was printed.

use std::path::Path;
use std::process::Command;

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, ran, shell};

/// The commands of a text: not those that were typed already, which stand behind a `$`. Lines that a
/// shell joins are one.
fn commands(text: &str) -> Vec<String> {
    let mut found = Vec::new();
    let mut lines = text.lines().peekable();
    while let Some(line) = lines.next() {
        let starts = line.trim_start().starts_with("eutaxis ") || line.contains(":  eutaxis ");
        let place = line
            .find("eutaxis ")
            .filter(|_| starts && !line.starts_with("$ "));
        let Some(place) = place else { continue };
        let mut command = line[place..].to_owned();
        loop {
            if let Some(cut) = command.strip_suffix('\\') {
                command = format!("{} ", cut.trim_end());
            } else if command.ends_with("&&") {
                command.push(' ');
            } else {
                break;
            }
            command.push_str(lines.next().unwrap_or_default().trim_start());
        }
        found.push(command);
    }
    found
}

/// A folder as it was, to go back to: environments know where they stand, so it stays in its place.
struct Kept<'a> {
    folder: &'a Path,
    copy: &'a Path,
}

impl Kept<'_> {
    fn copied(from: &Path, to: &Path) {
        if to.exists() {
            std::fs::remove_dir_all(to).unwrap();
        }
        let copied = Command::new("cp").arg("-a").args([from, to]).status();
        assert!(copied.unwrap().success());
    }

    fn keep(&self) {
        Kept::copied(self.folder, self.copy);
    }

    fn go_back(&self) {
        Kept::copied(self.copy, self.folder);
    }
}

/// Every command of the demo's output is taken, also from a terminal so narrow that lines are cut.
#[test]
fn every_command_of_the_demo_is_taken() {
    let camp = Field::empty();
    let demo = camp
        .command(&["demo", "camp", "--all"])
        .env("COLUMNS", "60")
        .output();
    let mut all = commands(&ran(demo.unwrap()).out);
    all.sort();
    all.dedup();
    assert!(all.len() >= 10, "{all:#?}");
    let (folder, copy) = (camp.path("camp"), camp.path("copy"));
    let kept = Kept {
        folder: &folder,
        copy: &copy,
    };
    kept.keep();
    for command in &all {
        let mut done = shell(&camp, &folder, command);
        // Where pins of another question came to lie meanwhile, what is said instead is taken.
        if let Some((_, apart)) = done.err.split_once("to settle it apart:") {
            done = shell(&camp, &folder, apart.trim());
        }
        assert!(matches!(done.code, 0 | 1), "{command}\n{done:?}");
        kept.go_back();
    }
}

/// A finding goes when what is said to do about it is done, and nothing comes in its place.
#[rstest]
#[case("watch")]
#[case("mast")]
fn what_is_said_to_do_about_a_finding_mends_it(#[case] environment: &str) {
    let camp = Field::empty();
    camp.expect(0, &["demo", "camp", "--all"]);
    let folder = camp.path("camp");
    let look = format!("eutaxis --json examine {environment}");
    let findings = |folder: &Path| -> Vec<Value> {
        let told = shell(&camp, folder, &look);
        let answer: Value = serde_json::from_str(&told.out).unwrap();
        answer["findings"].as_array().unwrap().clone()
    };
    let key = |f: &Value| {
        (
            f["id"].to_string(),
            f["project"].to_string(),
            f["evidence"].to_string(),
        )
    };
    let before = findings(&folder);
    let copy = camp.path("copy");
    let kept = Kept {
        folder: &folder,
        copy: &copy,
    };
    kept.keep();
    let mut tried = 0;
    for finding in &before {
        let remedy = finding["remedy"].as_str().unwrap();
        let Some((_, command)) = remedy.split_once(":  eutaxis ") else {
            continue;
        };
        if !command.starts_with("settle") && !command.starts_with("furnish") {
            // Tells more, and mends nothing.
            continue;
        }
        let done = shell(&camp, &folder, &format!("eutaxis {command}"));
        assert_eq!(done.code, 0, "{command}\n{done:?}");
        let after = findings(&folder);
        kept.go_back();
        assert!(
            after.iter().all(|f| key(f) != key(finding)),
            "{command}\n{finding:#}"
        );
        let breaks = |all: &[Value]| all.iter().filter(|f| f["severity"] == "breaks").count();
        assert!(breaks(&after) <= breaks(&before), "{command}\n{after:#?}");
        tried += 1;
    }
    assert!(tried > 1, "{before:#?}");
}
