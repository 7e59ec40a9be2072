//! How far a set was proven, and what was learnt on the way.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::knowledge::Lacking;
use eutaxis_core::offer::Adjustment;
use jiff::Timestamp;

/// How far a set was proven.
#[derive(Debug, Clone)]
pub(crate) struct Proof {
    /// What was found wrong with sets before this one, in the order in which it was found.
    pub(crate) rounds: Vec<Round>,
    /// What the last set rests on.
    pub(crate) level: Evidence,
    /// When.
    pub(crate) at: Timestamp,
    /// Sources whose imports were followed.
    pub(crate) followed: usize,
    /// What was imported, by which interpreter.
    pub(crate) tried: Option<Tried>,
    /// Scripts that do not start, by what they lack.
    pub(crate) scripts: Vec<String>,
    /// What is wrong below the modules that people import first, and was not mended.
    pub(crate) slight: Vec<String>,
    /// Of the modules below, those that want more than is there, or than an import.
    pub(crate) apart: Vec<Apart>,
    /// Why it was not proven further.
    pub(crate) short_of: Vec<String>,
    /// What the imports left behind in an empty home.
    pub(crate) leaves: Vec<String>,
    /// Something is still wrong: the set is no answer.
    pub(crate) failed: bool,
    /// Options under which what the interpreter lacks is there.
    pub(crate) ways: Vec<String>,
}

/// Imports that were tried.
#[derive(Debug, Clone)]
pub(crate) struct Tried {
    pub(crate) modules: usize,
    /// What is below them, when it was come to.
    pub(crate) below: Option<Below>,
    pub(crate) interpreter: String,
    pub(crate) seconds: f64,
}

/// Every other module of the projects that are asked for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Below {
    /// Those that were imported.
    pub(crate) modules: usize,
    /// Of them those that failed.
    pub(crate) failed: usize,
    /// Those that were not come to in time.
    pub(crate) left: usize,
    pub(crate) seconds: f64,
}

/// A module that does not import by itself, which no other set mends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Apart {
    pub(crate) module: String,
    /// The module that it wants and nobody brings, if that is why.
    pub(crate) lacks: Option<String>,
    /// What happened.
    pub(crate) told: String,
}

/// Something that was wrong with a set.
#[derive(Debug, Clone)]
pub(crate) struct Round {
    /// The set in which it was found, from 1.
    pub(crate) number: usize,
    /// The project that ran into it, with its release.
    pub(crate) project: String,
    /// What failed.
    pub(crate) failed: String,
    /// By its contents, or by running it.
    pub(crate) evidence: Evidence,
    /// What explains it, as an id of `diagnose`, where its words are known.
    pub(crate) cause: Option<String>,
    /// What was learnt from it; none when nothing was.
    pub(crate) learnt: Option<Adjustment>,
    /// How the interpreter lacks what was taken, if it does.
    pub(crate) lacking: Option<Lacking>,
}
