//! Ways out, as text: the change, the edit or option, and what one gets.

use eutaxis_core::Name;
use eutaxis_core::solve::{Environment, Way};

use super::style;
use super::table::wrap;
use crate::answer::build::Foreseen;
use crate::answer::edits::FileEdit;
use crate::words;
use crate::words::{count, near};

/// Of so many projects it is told what one gets.
const MOST_PINS: usize = 6;

/// All ways under each other; `first` are the projects that are told first.
pub(crate) fn text(
    ways: &[Way],
    edits: &[Vec<FileEdit>],
    builds: &[Vec<Foreseen>],
    first: &[Name],
    width: usize,
) -> String {
    let mut text = format!("{}\n", style::strong("ways out, each solved to the end"));
    for (i, (way, (letter, edits))) in ways.iter().zip(('a'..='z').zip(edits)).enumerate() {
        text.push_str(&block(
            &format!(" {letter}  "),
            &words::ways::sentence(way),
            width,
        ));
        for build in builds.get(i).into_iter().flatten() {
            let line = format!("build  {}", super::build::line(build));
            text.push_str(&block("    ", &line, width));
        }
        for line in edits.iter().filter_map(edit) {
            text.push_str(&block("    ", &line, width));
        }
        let options = words::ways::options(way);
        if !options.is_empty() {
            text.push_str(&block(
                "    ",
                &format!("option:  {}", options.join(" ")),
                width,
            ));
        }
        for environment in &way.environments {
            text.push_str(&style::dim_lines(&block(
                "    ",
                &gives(environment, way, ways, i, first),
                width,
            )));
            let unused: Vec<&str> = environment
                .solution
                .unaccelerated()
                .map(Name::as_str)
                .collect();
            if !unused.is_empty() {
                let families = environment.problem.target.accelerators.names();
                let line = format!("leaves {families} unused: {}", unused.join(", "));
                text.push_str(&block("    ", &line, width));
            }
        }
    }
    text
}

/// The line as it will stand, without its indentation; of several the one that says most.
fn edit(edit: &FileEdit) -> Option<String> {
    let file = near(&edit.file);
    let lines = edit.lines();
    let (line, before, after) = match lines.as_slice() {
        [only] => only,
        several => several
            .iter()
            .find(|(_, _, after)| after.as_ref().is_some_and(|a| a.contains("needs = ")))?,
    };
    let verb = if before.is_some() { "becomes" } else { "gets" };
    Some(match after {
        Some(after) => format!("{file}:{line} {verb}:  {}", after.trim()),
        None => format!("{file}:{line} goes"),
    })
}

/// What one gets: the projects whose releases differ from way to way.
fn gives(
    environment: &Environment,
    way: &Way,
    ways: &[Way],
    mine: usize,
    first: &[Name],
) -> String {
    let version = |e: &Environment, name: &Name| {
        e.solution
            .chosen
            .iter()
            .find(|c| c.project == *name)
            .map(|c| c.version.to_string())
    };
    let prior = &environment.problem.prior;
    let others = || {
        ways.iter()
            .enumerate()
            .filter(|(i, w)| *i != mine && w.environments.len() == 1)
    };
    let differs = |name: &Name| {
        let here = version(environment, name);
        if !prior.is_empty() {
            return prior.get(name).map(ToString::to_string) != here;
        }
        let asked = way.environments.len() > 1
            && environment
                .problem
                .asks
                .iter()
                .any(|a| a.requirement.name == *name);
        asked
            || first.contains(name)
            || others()
                .flat_map(|(_, w)| &w.environments)
                .any(|e| version(e, name) != here)
    };
    let mut names: Vec<&Name> = environment
        .solution
        .chosen
        .iter()
        .map(|c| &c.project)
        .filter(|n| differs(n))
        .collect();
    if names.is_empty() && prior.is_empty() {
        names = environment
            .solution
            .chosen
            .iter()
            .map(|c| &c.project)
            .collect();
    }
    names.sort_by_key(|n| first.iter().position(|f| f == *n).unwrap_or(first.len()));
    let more = names.len().saturating_sub(MOST_PINS);
    let told: Vec<String> = names
        .iter()
        .take(MOST_PINS)
        .map(|name| {
            let after = version(environment, name).unwrap_or_default();
            match prior.get(*name) {
                Some(before) => format!("{name} {before} -> {after}"),
                None => format!("{name} {after}"),
            }
        })
        .collect();
    let total = count(environment.solution.chosen.len(), "project");
    let rest = if more > 0 {
        format!(" and {more} more")
    } else {
        String::new()
    };
    if told.is_empty() {
        return format!("gives the same releases ({total})");
    }
    // What is in brackets stays with what it counts.
    let total = total.replace(' ', "\u{a0}");
    format!("gives  {}{rest}\u{a0}\u{a0}({total})", told.join(", "))
}

/// What `--take` changed, line by line.
pub(crate) fn edits(edits: &[FileEdit]) -> String {
    let mut text = String::new();
    for edit in edits {
        for (line, before, after) in edit.lines() {
            text.push_str(&format!("{}:{line}\n", near(&edit.file)));
            text.push_str(
                &before.map_or(String::new(), |l| format!("  - {}\n", style::barred(&l))),
            );
            text.push_str(&after.map_or(String::new(), |l| format!("  + {}\n", style::good(&l))));
        }
    }
    if text.is_empty() {
        text
    } else {
        format!("{text}\n")
    }
}

/// A paragraph behind a lead, further lines under the text.
pub(super) fn block(lead: &str, text: &str, width: usize) -> String {
    let lines = wrap(text, width.saturating_sub(lead.len()));
    let mut out = String::new();
    for (i, line) in lines.iter().enumerate() {
        let lead = if i == 0 {
            lead.to_owned()
        } else {
            " ".repeat(lead.len() + 2)
        };
        out.push_str(&format!("{lead}{line}\n"));
    }
    out
}
