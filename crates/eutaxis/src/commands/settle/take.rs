//! Going one of the ways out: the ask files are changed and nothing else in them, and the pins are
//! written.

use std::path::{Path, PathBuf};

use eutaxis_core::fault::Origin;
use eutaxis_core::offer::Adjustment;
use eutaxis_core::pins::Lock;
use eutaxis_core::record;
use eutaxis_core::requirement::{Edit, FileForm, edited};
use eutaxis_core::solve::{Change, Problem, Way};
use eutaxis_core::{Ask, Requirement};
use eutaxis_world::Error;

use super::{Job, Writing, named};
use crate::answer::edits::FileEdit;
use crate::output::{Answer, Outcome};
use crate::plan::{self, Surroundings};
use crate::report::{self, Report, Settle};
use crate::words;

/// What a way changes in files. Asks of the command line stand in none.
/// `before`: files that the question itself changes.
pub(crate) fn edits(
    way: &Way,
    problem: &Problem,
    surroundings: &Surroundings,
    before: &[FileEdit],
) -> Vec<FileEdit> {
    let mut edits: Vec<FileEdit> = before.to_vec();
    for change in &way.changes {
        match change {
            Change::Ask(old, new) | Change::Bound(old, new) => {
                in_file(
                    &mut edits,
                    &old.origin,
                    Edit::Replace(&old.requirement, new),
                );
            }
            Change::DropAsk(old) | Change::DropBound(old) => {
                in_file(&mut edits, &old.origin, Edit::Remove(&old.requirement));
            }
            Change::Pin(new) => {
                let beside = problem
                    .asks
                    .iter()
                    .rev()
                    .find(|a| matches!(a.origin, Origin::Line { .. }));
                if let Some(Ask {
                    requirement,
                    origin,
                }) = beside
                {
                    in_file(&mut edits, origin, Edit::AddBehind(requirement, new));
                }
            }
            Change::Adjust(adjustment) => add_adjustment(&mut edits, adjustment, surroundings),
            Change::DropAdjust(adjustment) => drop_adjustment(&mut edits, adjustment, surroundings),
            Change::Interpreter(_)
            | Change::Accelerators(_)
            | Change::Unrequired(_)
            | Change::Build(_)
            | Change::Prereleases(_)
            | Change::AsOf(_)
            | Change::TakeUndated => {}
        }
    }
    edits
}

/// The text of a file as it stands after the edits so far.
fn now<'a>(edits: &'a mut Vec<FileEdit>, file: &Path) -> Option<&'a mut FileEdit> {
    let place = match edits.iter().position(|e| e.file == file) {
        Some(place) => place,
        None => {
            let text = if file.exists() {
                std::fs::read_to_string(file).ok()?
            } else {
                String::new()
            };
            edits.push(FileEdit {
                file: file.to_owned(),
                before: text.clone(),
                after: text,
            });
            edits.len() - 1
        }
    };
    edits.get_mut(place)
}

fn in_file(edits: &mut Vec<FileEdit>, origin: &Origin, edit: Edit<'_>) {
    let Origin::Line { file, line } = origin else {
        return;
    };
    let path = Path::new(&**file);
    let quoted = path.extension().is_some_and(|e| e == "toml" || e == "py");
    let form = if quoted {
        FileForm::Quoted
    } else {
        FileForm::List
    };
    if let Some(text) = now(edits, path)
        && let Some(after) = edited(&text.after, form, *line, edit)
    {
        text.after = after;
    }
}

/// The settings file of this place: the one that was read, else a new one in this folder.
fn settings(surroundings: &Surroundings) -> PathBuf {
    surroundings
        .config
        .files
        .first()
        .cloned()
        .unwrap_or_else(|| PathBuf::from("eutaxis.toml"))
}

fn add_adjustment(edits: &mut Vec<FileEdit>, adjustment: &Adjustment, surroundings: &Surroundings) {
    let file = settings(surroundings);
    let in_project = file.file_name().is_some_and(|n| n == "pyproject.toml");
    let head = if in_project {
        "[[tool.eutaxis.adjust]]"
    } else {
        "[[adjust]]"
    };
    let mut table = if let toml::Value::Table(table) = record::adjustment(adjustment) {
        table
    } else {
        return;
    };
    table.remove("at");
    if let Some(text) = now(edits, &file) {
        let gap = if text.after.is_empty() || text.after.ends_with("\n\n") {
            ""
        } else {
            "\n"
        };
        text.after.push_str(&format!("{gap}{head}\n{table}"));
    }
}

/// An adjustment becomes comments, up to the next table or blank line.
fn drop_adjustment(
    edits: &mut Vec<FileEdit>,
    adjustment: &Adjustment,
    surroundings: &Surroundings,
) {
    let Origin::Line { file, line } = &adjustment.origin else {
        return;
    };
    let named = |p: &&PathBuf| p.file_name().is_some_and(|n| n.to_string_lossy() == **file);
    let Some(path) = surroundings.config.files.iter().find(named) else {
        return;
    };
    let Some(text) = now(edits, path) else { return };
    let first = usize::try_from(*line).unwrap_or(1).saturating_sub(1);
    let mut inside = false;
    let mut after = String::new();
    for (i, line) in text.after.split_inclusive('\n').enumerate() {
        let ends = i > first && (line.trim().is_empty() || line.starts_with('['));
        inside = (inside || i == first) && !ends;
        after.push_str(if inside { "# " } else { "" });
        after.push_str(line);
    }
    text.after = after;
}

impl Job<'_> {
    /// Goes the way of a letter.
    pub(super) fn take(
        &mut self,
        letter: &str,
        ways: &[Way],
        chosen: &plan::Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Answer, Error> {
        let place = match letter.as_bytes() {
            [one] => usize::from(one.to_ascii_lowercase()).checked_sub(usize::from(b'a')),
            _ => None,
        };
        let Some(way) = place.and_then(|p| ways.get(p)) else {
            let last = char::from(
                b'a'.saturating_add(u8::try_from(ways.len().saturating_sub(1)).unwrap_or(0)),
            );
            let message = match ways.len() {
                0 => format!("there is no way out `{letter}`: none was found"),
                1 => format!("there is no way out `{letter}`; there is just a"),
                _ => format!("there is no way out `{letter}`; there are a to {last}"),
            };
            return Err(Error::request(message).help("leave out --take to see them"));
        };
        let edits = edits(way, problem, self.surroundings, &self.edits);
        let in_files = !edits.is_empty();
        if let [only] = way.environments.as_slice() {
            let target = match &only.interpreter {
                None => chosen.shown.clone(),
                Some(other) => format!("{} ({})", only.problem.target, other.name),
            };
            let chosen = plan::Chosen {
                target: only.problem.target.clone(),
                shown: target,
                ..chosen.clone()
            };
            let mut answer = self.settled(
                &only.solution,
                &chosen,
                &only.problem,
                Writing {
                    edits,
                    question: Some(
                        self.question
                            .clone()
                            .with(way.changes.iter().filter_map(words::ways::option).flatten()),
                    ),
                    ..Writing::new(self.arguments.out(), old)
                },
            )?;
            let typed = typed(way, in_files);
            if !typed.is_empty() {
                answer
                    .text
                    .push_str(&format!("from now on type  {}\n", typed.join("  ")));
            }
            if let Report::Settle(settle) = &mut answer.report
                && let Settle::Pinned(pinned) = settle.as_mut()
            {
                pinned.options = Some(words::ways::options(way));
            }
            return Ok(answer);
        }
        self.apart(way, chosen)
    }

    /// Two environments: a file of pins for each, named after the first that is asked for there.
    fn apart(&mut self, way: &Way, chosen: &plan::Chosen) -> Result<Answer, Error> {
        let mut text = String::new();
        let mut written = Vec::new();
        let mut environments = Vec::new();
        let mut names: Vec<String> = Vec::new();
        for environment in &way.environments {
            let name = environment
                .problem
                .asks
                .first()
                .map_or("rest", |a| a.requirement.name.as_str())
                .to_owned();
            let name = if names.contains(&name) {
                format!("{name}-{}", names.len() + 1)
            } else {
                name
            };
            let out = named(self.arguments.out(), &name);
            names.push(name);
            let shown = match &environment.interpreter {
                None => chosen.shown.clone(),
                Some(other) => format!("{} ({})", environment.problem.target, other.name),
            };
            let target = environment.problem.target.clone();
            let chosen = plan::Chosen {
                target,
                shown,
                ..chosen.clone()
            };
            let answer = self.settled(
                &environment.solution,
                &chosen,
                &environment.problem,
                Writing {
                    question: Some(self.question.of_asks(&environment.problem.asks)),
                    ..Writing::new(&out, None)
                },
            )?;
            text.push_str(&answer.text);
            text.push('\n');
            if let Report::Settle(settle) = answer.report
                && let Settle::Pinned(pinned) = *settle
            {
                written.extend(pinned.written.iter().cloned());
                environments.push(*pinned);
            }
        }
        text.push_str(
            "Two environments: furnish each from its own pins, in its own folder (--at).\n",
        );
        let report = Settle::Environments(report::Environments {
            environments,
            written,
        });
        Ok(Answer {
            outcome: Outcome::Ok,
            text,
            report: report.into(),
        })
    }
}

/// What is to be typed from now on, where no file holds the change.
fn typed(way: &Way, in_files: bool) -> Vec<String> {
    let argument = |old: Option<&Ask>, new: &Requirement| {
        let typed = old.is_none_or(|a| a.origin == Origin::Argument);
        let instead = old.map_or(String::new(), |a| {
            format!("  instead of  \"{}\"", a.requirement)
        });
        typed.then(|| format!("\"{new}\"{instead}"))
    };
    let asked = way.changes.iter().filter_map(|change| match change {
        Change::Ask(old, new) => argument(Some(old), new),
        Change::Pin(new) if !in_files => argument(None, new),
        Change::DropAsk(_)
        | Change::Bound(..)
        | Change::DropBound(_)
        | Change::Pin(_)
        | Change::Interpreter(_)
        | Change::Accelerators(_)
        | Change::Unrequired(_)
        | Change::Build(_)
        | Change::Prereleases(_)
        | Change::AsOf(_)
        | Change::TakeUndated
        | Change::Adjust(_)
        | Change::DropAdjust(_) => None,
    });
    asked.chain(words::ways::options(way)).collect()
}
