//! What was found out of a set before it was placed.

use eutaxis_core::evidence::Evidence;
use eutaxis_world::environment::Report;

use super::proof::{Apart, Tried};

/// An environment that was made or updated.
#[derive(Debug)]
pub(crate) struct Done {
    pub(crate) report: Report,
    /// Its interpreter, in words.
    pub(crate) python: String,
    pub(crate) judged: Judged,
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
