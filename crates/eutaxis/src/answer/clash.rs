//! A clash with its ways out, and what is to be said beside it.

use eutaxis_core::Name;
use eutaxis_core::solve::{Clash, Problem, Way};

use eutaxis_world::supply::Near;

use super::bringing::Bringing;
use super::build::Foreseen;
use super::edits::FileEdit;

/// A clash with its ways out, and what is to be said beside it.
pub(crate) struct Refusal<'a> {
    pub(crate) clash: &'a Clash,
    pub(crate) problem: &'a Problem,
    pub(crate) ways: &'a [Way],
    /// Changes that were not tried to the end.
    pub(crate) untried: Vec<Untried>,
    /// For people: which place.
    pub(crate) shown: &'a str,
    /// For each way what is foreseen of the builds that it permits; empty where none does.
    pub(crate) builds: Vec<Vec<Foreseen>>,
    /// For each way what it changes in files.
    pub(crate) edits: Vec<Vec<FileEdit>>,
    /// Asked projects that no depot has.
    pub(crate) absent: Vec<Absent>,
    /// Whether the depots list their projects at all.
    pub(crate) listed: bool,
    /// It is one of several targets that are settled together.
    pub(crate) is_of_several: bool,
}

/// A change that was not tried to the end, in words, and why.
pub(crate) struct Untried {
    pub(crate) text: String,
    pub(crate) because: String,
}

/// An asked project that no depot has.
#[derive(Debug)]
pub(crate) struct Absent {
    pub(crate) name: Name,
    /// Names like it.
    pub(crate) near: Near,
    /// Who brings the module of that name.
    pub(crate) brought: Option<Bringing>,
}
