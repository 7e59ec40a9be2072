//! Which depots there are, whether they answer, and what they can do.

use std::path::PathBuf;

use eutaxis_core::Name;
use eutaxis_world::Error;
use eutaxis_world::depot::Address;

use crate::plan::DepotFrom;

/// All of them.
#[derive(Debug)]
pub(crate) struct Depots {
    pub(crate) all: Vec<Depot>,
    /// The project that was asked for.
    pub(crate) asked: Option<Name>,
    /// The settings files that were read.
    pub(crate) settings: Vec<PathBuf>,
    /// The file that one was written into.
    pub(crate) kept: Option<PathBuf>,
}

/// A depot.
#[derive(Debug)]
pub(crate) struct Depot {
    pub(crate) name: Option<String>,
    pub(crate) from: DepotFrom,
    /// It serves these projects, and no other depot does.
    pub(crate) only: Vec<Name>,
    /// Dates that it does not give are asked of the others.
    pub(crate) asks_dates: bool,
    pub(crate) state: State,
}

/// How it stands with a depot.
#[derive(Debug)]
pub(crate) enum State {
    /// Each of its addresses was asked.
    Asked(Vec<Address>),
    /// It was not asked: there is to be no network.
    Unasked(Vec<String>),
    /// It cannot be opened: its places as they are written, and why.
    Unopened(Vec<String>, Error),
}

impl Depot {
    /// Whether one of its addresses answers; nobody knows of one that was not asked.
    pub(crate) fn answers(&self) -> Option<bool> {
        match &self.state {
            State::Asked(addresses) => Some(addresses.iter().any(|a| a.found.is_ok())),
            State::Unasked(_) => None,
            State::Unopened(..) => Some(false),
        }
    }
}
