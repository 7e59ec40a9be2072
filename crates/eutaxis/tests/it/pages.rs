//! The tutorial and the tasks of `docs/`, typed as they stand.

use std::path::Path;

use crate::field::{Field, shell};

fn page(name: &str) -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    std::fs::read_to_string(root.join(name)).unwrap()
}

/// The lines that a page shows to be typed, by section.
fn typed(page: &str) -> Vec<(String, Vec<String>)> {
    let mut sections: Vec<(String, Vec<String>)> = vec![(String::new(), Vec::new())];
    for line in page.lines() {
        if let Some(title) = line.strip_prefix("## ") {
            sections.push((title.to_owned(), Vec::new()));
        } else if let Some(command) = line.strip_prefix("    ") {
            sections.last_mut().unwrap().1.push(command.to_owned());
        }
    }
    sections
}

/// Types a line, which ends as it says.
fn carry_out(field: &Field, folder: &Path, line: &str, section: &str) {
    let ran = shell(field, folder, line);
    let expected = i32::from(line.contains("(exit code 1"));
    assert_eq!(ran.code, expected, "{section}: {line}\n{ran:#?}");
}

/// Goes the first section of the tutorial.
fn begin(field: &Field) -> Vec<(String, Vec<String>)> {
    let sections = typed(&page("docs/tutorial.md"));
    let (first, rest) = sections[0].1.split_first().unwrap();
    carry_out(field, &field.path(""), first, "first");
    for line in rest {
        carry_out(field, &field.path("camp"), line, "first");
    }
    sections
}

#[test]
fn the_tutorial_can_be_typed() {
    let field = Field::empty();
    let sections = begin(&field);
    for (section, lines) in sections.iter().skip(1) {
        for line in lines {
            carry_out(&field, &field.path("camp"), line, section);
        }
    }
    assert!(sections.len() > 6);
    // README begins with its first lines.
    let readme = page("README.md");
    let own = &typed(&page("docs/tutorial.md"))[0].1;
    for line in own {
        assert!(readme.contains(line.as_str()), "README lacks: {line}");
    }
}

/// Each task is typed where the tutorial's first lines were, and nothing else.
#[test]
fn every_task_can_be_typed() {
    let field = Field::empty();
    begin(&field);
    let (camp, saved) = (field.path("camp"), field.path("saved"));
    let copy = |from: &Path, to: &Path| {
        let _ = std::fs::remove_dir_all(to);
        let done = std::process::Command::new("cp")
            .arg("-a")
            .args([from, to])
            .status();
        assert!(done.unwrap().success());
    };
    copy(&camp, &saved);
    let sections = typed(&page("docs/tasks.md"));
    for (section, lines) in sections.iter().filter(|(_, lines)| !lines.is_empty()) {
        copy(&saved, &camp);
        for line in lines {
            carry_out(&field, &camp, line, section);
        }
    }
    assert!(sections.len() > 16);
}

/// Prose is read in a terminal and in reviews: no line of it is long.
#[test]
fn lines_of_prose_are_short() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let docs = std::fs::read_dir(root.join("docs")).unwrap();
    let docs = docs.map(|e| e.unwrap().path());
    let more = ["README.md", "CHANGELOG.md", "CONTRIBUTING.md"].map(|n| root.join(n));
    let pages = docs.filter(|p| p.extension().is_some_and(|e| e == "md"));
    for path in pages.chain(more) {
        let text = std::fs::read_to_string(&path).unwrap();
        let mut is_code = false;
        for (number, line) in (1..).zip(text.lines()) {
            is_code ^= line.starts_with("```");
            let is_prose = !is_code && !line.starts_with(['|', '!']) && !line.starts_with("    ");
            let long = is_prose && line.chars().count() > 120;
            assert!(!long, "{}:{number}: {line}", path.display());
        }
    }
}
