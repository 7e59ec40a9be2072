//! What was found out of a set before it was placed.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::record::Since;
use eutaxis_world::environment::Report;
use eutaxis_world::kernel::Kernel;

use super::proof::{Apart, Tried};

/// An environment that was made or updated.
#[derive(Debug)]
pub(crate) struct Done {
    pub(crate) report: Report,
    /// Its interpreter, in words.
    pub(crate) python: String,
    pub(crate) judged: Judged,
    /// What its pins' files say otherwise by now.
    pub(crate) since: Since,
    /// The command that settles the question of its pins again.
    pub(crate) settle: String,
    /// As a kernel of notebooks it was described there.
    pub(crate) kernel: Option<Kernel>,
}

/// What an environment would need to be as pinned; nothing was done.
#[derive(Debug)]
pub(crate) struct Checked {
    pub(crate) report: Report,
    pub(crate) since: Since,
    /// The command that settles the question of the pins again.
    pub(crate) settle: String,
    /// The command that brings the environment to the pins.
    pub(crate) furnish: String,
}

impl Checked {
    /// Whether the environment is as pinned, and the pins are as asked.
    pub(crate) fn holds(&self) -> bool {
        self.is_as_pinned() && self.since.is_none()
    }

    /// Whether the environment is as pinned.
    pub(crate) fn is_as_pinned(&self) -> bool {
        let report = &self.report;
        let moves = report.placed.len() + report.replaced.len() + report.removed.len();
        !report.made && moves == 0
    }
}

/// What was found out.
#[derive(Debug, Clone)]
pub(crate) struct Judged {
    /// What importing what is asked for runs into, in words.
    pub(crate) failures: Vec<String>,
    /// Scripts that do not start, by what they lack, and what is wrong below the modules that people
    /// import first.
    pub(crate) scripts: Vec<String>,
    /// Modules below that want more than is there.
    pub(crate) apart: Vec<Apart>,
    /// What that rests on.
    pub(crate) level: Evidence,
    /// Sources whose imports were followed.
    pub(crate) followed: usize,
    /// Imports that were tried.
    pub(crate) tried: Option<Tried>,
    /// What they left behind in an empty home.
    pub(crate) leaves: Vec<String>,
    /// It was not placed.
    pub(crate) refused: Option<Refused>,
    /// The command that settles the same once more and proves it, when the pins record the question.
    pub(crate) again: Option<String>,
}

/// Why a set was not placed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Refused {
    /// A proof was asked for.
    Unproven,
    /// What is there now imports.
    WouldBreak,
}

impl Default for Judged {
    fn default() -> Self {
        Judged {
            failures: Vec::new(),
            scripts: Vec::new(),
            apart: Vec::new(),
            level: Evidence::Solved,
            followed: 0,
            tried: None,
            leaves: Vec::new(),
            refused: None,
            again: None,
        }
    }
}
