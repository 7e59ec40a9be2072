//! The releases of a project.

use eutaxis_core::offer::{Grid, Offer};
use eutaxis_core::{Requirement, Target, Version};

use super::build::Foreseen;

/// Everything that is shown.
#[derive(Debug)]
pub(crate) struct Listing {
    pub(crate) requirement: Requirement,
    pub(crate) target: Target,
    /// For people.
    pub(crate) shown: String,
    /// The releases that the requirement takes, newest first.
    pub(crate) offers: Vec<Offer>,
    /// The one to take, as an index into `offers`.
    pub(crate) best: Option<usize>,
    /// How many releases the requirement does not take.
    pub(crate) outside: usize,
    /// How many are shown.
    pub(crate) limit: usize,
    /// Every file is shown.
    pub(crate) files: bool,
    pub(crate) grid: Option<Grid>,
    pub(crate) depot: String,
    /// Other depots that have the project and are not used.
    pub(crate) also_in: Vec<String>,
    /// Where the same project is too, by its page's own word (PEP 708).
    pub(crate) elsewhere: Vec<String>,
    /// Why its page has no file that can be used, when it has none.
    pub(crate) empty: Option<String>,
    pub(crate) cautions: Vec<String>,
    /// That the one to take leaves an accelerator unused, or is for a toolkit older than the
    /// devices: told before the list.
    pub(crate) accelerator: Option<String>,
    /// The releases whose build is for a toolkit older than the devices, and not known to hold code
    /// that one of them runs.
    pub(crate) unserved: Vec<Version>,
    /// What is foreseen of builds: of the release to take, and of the newest that has only source,
    /// each with what pins it.
    pub(crate) builds: Vec<(Foreseen, String)>,
}

impl Listing {
    /// The offers that are shown, by their numbers: the newest up to the limit, and always the one
    /// to take.
    pub(crate) fn visible(&self) -> impl Iterator<Item = usize> {
        let first = self.limit.min(self.offers.len());
        (0..first).chain(self.best.filter(|b| *b >= first))
    }
}
