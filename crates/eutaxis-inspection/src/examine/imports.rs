//! `import-fails`, `trial-fails`: what happened when modules were really imported, and the user's
//! own trials run.

use std::collections::BTreeSet;

use super::{Finding, RunTrouble, Severity, Snapshot, Trouble};
use crate::diagnose::{Context, Reader, system_of};
use crate::interface::{is_for_makers, is_public};
use crate::remedy::{Remedy, Step, Verb};
use eutaxis_standards::knowledge::Causes;

/// The modules to be imported, with the projects that own them: public ones at the top, in the
/// environment itself; of packages without a file of their own the parts. Tests, stubs and private
/// ones are left out.
pub fn modules(snapshot: &Snapshot) -> Vec<(String, usize)> {
    let mut found: BTreeSet<(usize, String)> = BTreeSet::new();
    for (index, project) in snapshot.here() {
        let Some(entry) = snapshot.path.get(project.entry) else {
            continue;
        };
        for file in &project.files {
            let inside = file
                .path
                .strip_prefix(entry.folder.as_str())
                .and_then(|p| p.strip_prefix('/'));
            found.extend(
                inside
                    .and_then(|path| module_of(path, snapshot))
                    .map(|module| (index, module)),
            );
        }
        // What is used in place is known by its names; they count where they can be found.
        for claim in &project.claims {
            let there = snapshot
                .path
                .iter()
                .any(|e| e.modules.get(claim).is_some_and(|t| !t.namespace));
            let in_place = project.direct.as_ref().is_some_and(|d| d.editable);
            if (there || in_place) && is_public(claim) {
                found.insert((index, claim.clone()));
            }
        }
    }
    found
        .into_iter()
        .map(|(index, module)| (module, index))
        .collect()
}

/// The modules in which scripts start, with the projects that bring these; not those that run the
/// tests of a project.
pub fn of_entry_points(snapshot: &Snapshot) -> Vec<(String, usize)> {
    let of = |(index, project): (usize, &super::Project)| {
        let starts = project
            .starts
            .iter()
            .filter(|m| !m.split('.').any(is_for_makers));
        let starts = starts.cloned();
        starts
            .map(move |module| (module, index))
            .collect::<Vec<_>>()
    };
    snapshot.here().flat_map(of).collect()
}

/// The module that a file at the top of a folder, or the file of a package, is.
fn module_of(path: &str, snapshot: &Snapshot) -> Option<String> {
    let (folder, name) = path
        .rsplit_once('/')
        .map_or((None, path), |(f, n)| (Some(f), n));
    let endings = snapshot.suffixes.iter().map(String::as_str).chain([".py"]);
    let stem = endings
        .filter_map(|e| name.strip_suffix(e))
        .find(|s| !s.is_empty() && !s.contains('.'))?;
    let parts: Vec<&str> = match folder {
        None => vec![stem],
        Some(folder) if stem == "__init__" => folder.split('/').collect(),
        Some(_) => return None,
    };
    // Only what lies at the top, or in packages without a file: what is deeper is imported by its
    // package.
    let top = parts.first()?;
    let namespace = || {
        snapshot
            .path
            .iter()
            .filter_map(|e| e.modules.get(*top))
            .all(|t| t.namespace)
    };
    let shallow = parts.len() == 1 || (parts.len() == 2 && namespace());
    (shallow && parts.iter().all(|p| is_public(p))).then(|| parts.join("."))
}

/// How a process ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ended {
    /// The import was done, and the process ended well.
    Well,
    /// An exception was raised.
    Raised,
    /// The module ended the process, with this exit code.
    Exited(i32),
    /// A signal ended it: a crash, or an abort.
    Signal(i32),
    /// It did not end in the time given, in seconds.
    Hung(u64),
}

/// An import that was tried.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attempt {
    /// The module.
    pub module: String,
    /// The project that owns it, as a place in the snapshot's list.
    pub owner: Option<usize>,
    /// How it ended.
    pub ended: Ended,
    /// What it wrote, the last of it.
    pub output: String,
    /// What of that went to standard error.
    pub complained: String,
    /// What it left behind in an empty home, in words.
    pub leaves: Vec<String>,
}

/// A trial of the user's that was run.
#[derive(Debug, Clone, PartialEq)]
pub struct Trial {
    /// Its name.
    pub name: String,
    /// What was expected among its output.
    pub expect: Option<String>,
    /// How it ended.
    pub ended: Ended,
    /// What it wrote to standard output.
    pub printed: String,
    /// What it wrote to standard error, the last of it.
    pub complained: String,
    /// What was waited for, of what goes on by itself.
    pub awaited: Option<Awaited>,
}

/// What a trial was started for.
#[derive(Debug, Clone, PartialEq)]
pub struct Awaited {
    /// In words: `port 8080`.
    pub what: String,
    /// After how many seconds it was seen, at the first start and at a second one.
    pub seconds: Vec<f64>,
}

/// Imports that were tried, and what is known of the projects beside.
#[derive(Debug)]
pub struct Tried<'a> {
    /// The imports.
    pub attempts: &'a [Attempt],
    /// The projects that are asked for, or that importing those leads to; others nobody misses.
    pub wanted: &'a BTreeSet<usize>,
    /// Of these those that are asked for.
    pub asked: &'a BTreeSet<usize>,
    /// Modules that people import; what lies deeper may serve a part that nobody uses.
    pub public: &'a BTreeSet<String>,
    /// Modules in which scripts start, and which people do not import.
    pub scripts: &'a BTreeSet<String>,
}

impl Tried<'_> {
    /// How bad it is that an import failed.
    fn severity(&self, attempt: &Attempt) -> Severity {
        let is_in = |set: &BTreeSet<usize>| attempt.owner.is_none_or(|o| set.contains(&o));
        let breaks = if self.public.contains(&attempt.module) {
            is_in(self.wanted)
        } else {
            // One of several scripts may need what nobody asked for.
            let is_script =
                |a: &&Attempt| a.owner == attempt.owner && self.scripts.contains(&a.module);
            let mut scripts = self.attempts.iter().filter(is_script);
            let none_starts = scripts.all(|a| a.ended != Ended::Well);
            self.scripts.contains(&attempt.module) && is_in(self.asked) && none_starts
        };
        if breaks {
            Severity::Breaks
        } else {
            Severity::Risk
        }
    }
}

/// The imports that failed, as findings, with what explains them by what they wrote; and what those
/// that went well complained of.
pub fn imports(
    snapshot: &Snapshot,
    tried: &Tried<'_>,
    causes: &Causes,
    context: &Context<'_>,
) -> Vec<Finding> {
    let finding = |attempt: &Attempt| match attempt.ended {
        Ended::Well => warning(snapshot, attempt, causes, context),
        Ended::Raised | Ended::Exited(_) | Ended::Signal(_) | Ended::Hung(_) => {
            let severity = tried.severity(attempt);
            Some(import(snapshot, attempt, severity, causes, context))
        }
    };
    tried.attempts.iter().filter_map(finding).collect()
}

/// What an import that went well complained of.
fn warning(
    snapshot: &Snapshot,
    attempt: &Attempt,
    causes: &Causes,
    context: &Context<'_>,
) -> Option<Finding> {
    let lines = attempt.complained.lines().map(str::trim_end);
    let first = lines.clone().find(|l| !l.trim().is_empty())?.to_owned();
    // Those who make a project are told what will change: for who uses it nothing is wrong.
    let for_makers = ["DeprecationWarning", "FutureWarning", "SyntaxWarning"];
    let of_source = |l: &str| l.starts_with("  ") || l.trim().is_empty();
    let is_harmless = lines
        .filter(|l| !of_source(l))
        .all(|l| for_makers.iter().any(|w| l.contains(w)));
    let trouble = RunTrouble::Warns {
        module: attempt.module.clone(),
        first: snapshot.shown_in(&first),
        is_harmless,
    };
    let (severity, remedy) = if is_harmless {
        (
            Severity::Note,
            "nothing: it works, and a later release may not",
        )
    } else {
        (Severity::Risk, "see what it says: a part of it may be off")
    };
    let finding = Finding::new(severity, Trouble::Run(trouble), remedy);
    let finding = if is_harmless {
        finding
    } else {
        explained(finding, snapshot, &attempt.complained, causes, context)
    };
    Some(finding.about_owner(snapshot, attempt.owner))
}

fn import(
    snapshot: &Snapshot,
    attempt: &Attempt,
    severity: Severity,
    causes: &Causes,
    context: &Context<'_>,
) -> Finding {
    let frames = frames(&attempt.output);
    let trouble = RunTrouble::Import {
        module: attempt.module.clone(),
        ended: attempt.ended,
        last: last_line(&attempt.output),
        at: frames.last().map(|f| snapshot.shown(f)),
    };
    let remedy = match attempt.ended {
        Ended::Raised => "see what it needs; the findings above may tell the cause".into(),
        Ended::Hung(_) => "find out what it waits for: nothing is there to answer".into(),
        Ended::Well | Ended::Exited(_) | Ended::Signal(_) => {
            Remedy::new("look at its compiled parts", Step::examine())
        }
    };
    let finding = Finding::new(severity, Trouble::Run(trouble), remedy);
    explained(finding, snapshot, &attempt.output, causes, context)
        .about_owner(snapshot, attempt.owner)
        .of(frames)
}

/// What an import wrote is a log like any other.
fn explained(
    mut finding: Finding,
    snapshot: &Snapshot,
    output: &str,
    causes: &Causes,
    context: &Context<'_>,
) -> Finding {
    let mut reader = Reader::new(causes, context);
    reader.read(output.as_bytes());
    let Some(root) = reader.finish().causes.into_iter().next() else {
        return finding;
    };
    let told = root.told(causes, system_of(&snapshot.target.platform));
    // What examines is no advice here.
    let helps = |r: &Remedy| r.step.as_ref().and_then(Step::verb) != Some(Verb::Examine);
    if let Some(first) = told.remedies.into_iter().find(helps) {
        finding.remedy = first;
    }
    finding.cause = Some((root.id, told.title));
    finding
}

/// The last line that is no part of a traceback: the exception with its message.
pub(super) fn last_line(output: &str) -> Option<String> {
    let mut lines = output.lines().rev();
    let last = lines.find(|l| !l.trim().is_empty() && !l.starts_with(' '));
    last.map(str::to_owned)
}

/// The files of a traceback, the outermost first.
fn frames(output: &str) -> Vec<String> {
    let file = |line: &str| {
        let rest = line.trim_start().strip_prefix("File \"")?;
        let path = rest.split_once('"')?.0;
        (!path.starts_with('<')).then(|| path.to_owned())
    };
    output.lines().filter_map(file).collect()
}

/// The trials that failed, as findings.
pub fn trials(trials: &[Trial]) -> Vec<Finding> {
    let failed = |t: &&Trial| {
        t.ended != Ended::Well
            || t.awaited.as_ref().is_some_and(|a| a.seconds.len() < 2)
            || t.expect
                .as_ref()
                .is_some_and(|e| !t.printed.contains(e.as_str()))
    };
    let finding = |trial: &Trial| {
        let trouble = RunTrouble::Trial {
            trial: trial.name.clone(),
            ended: trial.ended,
            last: last_line(&trial.complained),
            awaited: trial.awaited.as_ref().map(|a| a.what.clone()),
            expected: trial.expect.clone(),
            printed: trial.printed.clone(),
        };
        let remedy = format!("see [trial.{}] in the settings", trial.name);
        Finding::new(Severity::Breaks, Trouble::Run(trouble), remedy)
    };
    trials.iter().filter(failed).map(finding).collect()
}
