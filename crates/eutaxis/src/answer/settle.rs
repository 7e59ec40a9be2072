//! A settled set with all that is said of it, and pins against what would be pinned now.

use std::sync::Arc;

use eutaxis_core::Ask;
use eutaxis_core::fault::Origin;
use eutaxis_core::index::FileKind;
use eutaxis_core::offer::{Adjustment, hashes_of};
use eutaxis_core::record;
use eutaxis_core::requirement::{Accepts, Directive};
use eutaxis_core::solve::{AskId, Asker, Chosen, Problem, Solution};
use eutaxis_world::depot::{KnownTree, Place, TreeKind};

use super::build::Foreseen;
use super::proof::Proof;
use crate::words;

/// A chosen file with where it lies.
#[derive(Debug)]
pub(crate) struct Pinned<'a> {
    pub(crate) chosen: &'a Chosen,
    pub(crate) place: Place,
    pub(crate) sha256: String,
    pub(crate) size: Option<u64>,
    pub(crate) depot: String,
    /// The depot by what it is known by; none of a file that an ask demands by its address.
    pub(crate) origin: Option<String>,
    pub(crate) index: Option<String>,
    pub(crate) direct_url: Option<String>,
    /// The source tree that lies at the address.
    pub(crate) tree: Option<Arc<KnownTree>>,
    /// An earlier pin that was kept.
    pub(crate) kept: bool,
}

impl Pinned<'_> {
    pub(crate) fn is_wheel(&self) -> bool {
        matches!(self.chosen.file.kind, FileKind::Wheel(_))
    }
}

/// A project whose pin is another than before.
#[derive(Debug)]
pub(crate) struct Move {
    pub(crate) project: String,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
    pub(crate) kind: &'static str,
}

/// Bytes of all wheels once unpacked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct InPlace {
    pub(crate) bytes: u64,
    /// The files of every wheel are known; else some of it is estimated.
    pub(crate) is_exact: bool,
}

/// A settled set with all that is said of it.
#[derive(Debug)]
pub(crate) struct Settled<'a> {
    pub(crate) target: String,
    pub(crate) pins: Vec<Pinned<'a>>,
    pub(crate) problem: &'a Problem,
    pub(crate) solution: &'a Solution,
    /// Everything is told by its name.
    pub(crate) verbose: bool,
    /// Lines of lists that mean something and were left out, because the user wants it so.
    pub(crate) left_out: Vec<Directive>,
    /// Asks that are left out of the set though their files state them.
    pub(crate) but_not: Vec<Ask>,
    pub(crate) moves: Vec<Move>,
    pub(crate) cautions: Vec<String>,
    /// What it takes in place, when all are wheels.
    pub(crate) in_place: Option<InPlace>,
    /// Another interpreter was taken than the one that comes first.
    pub(crate) taken: Option<Taken>,
    /// How far it was proven in this run.
    pub(crate) proof: Option<Proof>,
    /// What is foreseen of builds, for each project that is pinned as source.
    pub(crate) builds: Vec<Foreseen>,
    /// What furnishes the pins and permits those builds, as typed.
    pub(crate) permit: Option<String>,
    /// What the pins record of that, from this run or before.
    pub(crate) evidence: Option<record::Proof>,
    /// What was written, in words.
    pub(crate) written: Vec<String>,
    pub(crate) files: Vec<String>,
}

impl Settled<'_> {
    /// The solution.
    pub(crate) fn solution(&self) -> &Solution {
        self.solution
    }

    /// Whether an ask is that of a project file for its own project.
    pub(crate) fn is_own(&self, ask: &Ask) -> bool {
        let Accepts::Url(url) = &ask.requirement.accepts else {
            return false;
        };
        let is_it = |p: &&Pinned<'_>| p.chosen.project == ask.requirement.name;
        let tree = self.pins.iter().find(is_it).and_then(|p| p.tree.as_ref());
        let is_line = |file: &str| file.ends_with("pyproject.toml");
        tree.is_some_and(|t| t.url == *url && matches!(t.kind, TreeKind::Folder { .. }))
            && matches!(&ask.origin, Origin::Line { file, .. } if is_line(file))
    }

    /// Where an ask was stated.
    pub(crate) fn origin(&self, ask: AskId) -> Option<&Origin> {
        self.problem.ask(ask).map(|a| &a.origin)
    }

    /// What dates had a part in: a label and a line for each.
    pub(crate) fn first_lines(&self) -> Vec<(&'static str, String)> {
        let mut lines: Vec<(&'static str, String)> = Vec::new();
        for ask in &self.but_not {
            let line = format!(
                "{} ({}): --but-not {}",
                ask.requirement.short(),
                words::place(&ask.origin),
                ask.requirement.name
            );
            lines.push(("left out", line));
        }
        if self.problem.policy.as_of.is_some() {
            let undated = self
                .pins
                .iter()
                .filter(|p| p.chosen.file.published.is_none());
            let names: Vec<String> = undated.map(|p| p.chosen.project.to_string()).collect();
            if !names.is_empty() {
                let names = names.join(", ");
                let line = format!("--as-of does not cover {names}: no depot gives a date for it");
                lines.push(("caution", line));
            }
        }
        let lost = self.solution.cautions.iter();
        let lost = lost.filter(|c| words::releases::is_of_accelerator(c));
        let lost = words::releases::cautions(lost, self.problem, true);
        lines.extend(lost.into_iter().map(|line| ("caution", line)));
        lines.extend(words::chronology::first_lines(self.solution, self.verbose));
        lines
    }

    /// The adjustments that spoke of what was chosen.
    pub(crate) fn adjusted(&self) -> Vec<&Adjustment> {
        let spoke = |i: &usize| self.pins.iter().any(|p| p.chosen.adjusted.contains(i));
        (0..self.problem.adjustments.len())
            .filter(spoke)
            .filter_map(|i| self.problem.adjustments.get(i))
            // A stated hash is no fact about the release: the pins say it themselves.
            .filter(|a| hashes_of(a).is_none())
            .collect()
    }
}

/// Who asks, for files and JSON: `ask` for the user's own asks, and names of projects.
pub(crate) fn asker_words(chosen: &Chosen) -> Vec<String> {
    let mut words = Vec::new();
    for asker in &chosen.asked_by {
        let word = match asker {
            Asker::Ask(_) => "ask".to_owned(),
            Asker::Project(name, _) => name.to_string(),
        };
        if !words.contains(&word) {
            words.push(word);
        }
    }
    words
}

/// That another interpreter was taken than the one that comes first.
#[derive(Debug, Clone)]
pub(crate) struct Taken {
    pub(crate) path: String,
    pub(crate) version: String,
    /// What is wrong with the first.
    pub(crate) because: String,
}

/// A pin that does not hold any more, or one that is missing.
#[derive(Debug)]
pub(crate) struct Drift {
    pub(crate) project: String,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
    /// `added`, `raised`, `lowered`, `dropped`, `file` for another file of the same release,
    /// `depot` for another depot.
    pub(crate) kind: &'static str,
    pub(crate) because: String,
}

/// The pins of one target against what would be pinned now.
#[derive(Debug)]
pub(crate) struct Checked {
    pub(crate) shown: String,
    pub(crate) file: String,
    pub(crate) count: usize,
    /// How far the pins say that they were proven.
    pub(crate) proof: Option<record::Proof>,
    pub(crate) drifts: Vec<Drift>,
    /// Projects that would come from another depot, so that they must be named to be moved.
    pub(crate) to_renew: Vec<String>,
}

/// Where an environment differs from what somebody asks at an address.
#[derive(Debug)]
pub(crate) struct Differs {
    pub(crate) address: String,
    pub(crate) environment: String,
    pub(crate) target: String,
    /// How many asks are met.
    pub(crate) met: usize,
    pub(crate) apart: Vec<Apart>,
    /// The command that makes an environment as it is asked there; empty for pins.
    pub(crate) settle: String,
}

/// An ask that is not met.
#[derive(Debug)]
pub(crate) struct Apart {
    pub(crate) project: String,
    pub(crate) asked: String,
    /// The release that is there.
    pub(crate) here: Option<String>,
    pub(crate) place: String,
}
