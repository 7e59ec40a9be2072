//! What was found in an environment.

use std::path::PathBuf;

use eutaxis_core::examine::{Finding, Kind, Snapshot, Trial};
use eutaxis_core::record::Proof;

/// What was found, for rendering.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) snapshot: Snapshot,
    /// How far its pins say that they were proven.
    pub(crate) proof: Option<Proof>,
    pub(crate) findings: Vec<Finding>,
    pub(crate) sizes: Option<Vec<Share>>,
    /// What was tried beside reading: modules imported, trials run.
    pub(crate) tried: (Option<usize>, Option<Vec<Trial>>),
    /// Sources whose imports were followed.
    pub(crate) followed: usize,
    /// Where the findings were written.
    pub(crate) written: Option<PathBuf>,
    /// Hashes were left out.
    pub(crate) quick: bool,
    /// The interpreter that the bare name starts here, when it is another one.
    pub(crate) other: Option<PathBuf>,
}

/// A project's share of the room.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Share {
    /// The project; none for files that nobody owns.
    pub(crate) project: Option<String>,
    /// Its release.
    pub(crate) version: Option<String>,
    /// Bytes of its files.
    pub(crate) bytes: u64,
    /// How many there are.
    pub(crate) files: usize,
}

/// What is examined, in a word.
pub(crate) fn kind_word(kind: Kind) -> &'static str {
    match kind {
        Kind::Virtual {
            shares_system: true,
        } => "environment that shares its base's packages",
        Kind::Virtual {
            shares_system: false,
        } => "environment",
        Kind::System { managed: true } => "interpreter that the system manages",
        Kind::System { managed: false } => "interpreter",
    }
}
