//! What was found in an environment.

use std::path::PathBuf;

use eutaxis_core::examine::{Finding, Kind, Sight, Snapshot, Trial};
use eutaxis_core::record::Proof;

/// What was found, for rendering.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) snapshot: Snapshot,
    /// How far its pins say that they were proven.
    pub(crate) proof: Option<Proof>,
    pub(crate) findings: Vec<Finding>,
    pub(crate) sizes: Option<Vec<Share>>,
    pub(crate) tried: Attempted,
    /// Sources whose imports were followed.
    pub(crate) followed: usize,
    /// Where the findings were written.
    pub(crate) written: Option<PathBuf>,
    /// Hashes were left out.
    pub(crate) quick: bool,
    /// The interpreter that the bare name starts here, when it is another one.
    pub(crate) other: Option<PathBuf>,
}

/// What was tried beside reading.
#[derive(Debug, Default)]
pub(crate) struct Attempted {
    /// How many modules were imported.
    pub(crate) modules: Option<usize>,
    /// The trials that were run.
    pub(crate) trials: Option<Vec<Trial>>,
    /// What projects see of accelerators.
    pub(crate) seen: Option<Vec<Sight>>,
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

/// What an environment holds.
#[derive(Debug)]
pub(crate) struct Listed {
    pub(crate) environment: String,
    pub(crate) target: String,
    pub(crate) all: Vec<Holding>,
}

/// A project that is held, or pinned.
#[derive(Debug, Clone)]
pub(crate) struct Holding {
    pub(crate) project: String,
    pub(crate) version: Option<String>,
    pub(crate) file: Option<String>,
    pub(crate) sha256: Option<String>,
    /// It was asked for by itself.
    pub(crate) is_asked: bool,
    /// Where it came from, where that is another place than a depot.
    pub(crate) from: String,
}

/// How two differ.
#[derive(Debug)]
pub(crate) struct Compared {
    pub(crate) here: String,
    pub(crate) there: String,
    /// How many projects are the same.
    pub(crate) same: usize,
    pub(crate) all: Vec<Difference>,
}

/// A difference.
#[derive(Debug)]
pub(crate) struct Difference {
    pub(crate) kind: DifferenceKind,
    pub(crate) project: Option<String>,
    pub(crate) here: Option<String>,
    pub(crate) there: Option<String>,
}

/// What differs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum DifferenceKind {
    /// Interpreter, system or C library.
    Place,
    OnlyHere,
    OnlyThere,
    Version,
    /// Of one release another file.
    File,
    /// A shared library comes from elsewhere.
    Library,
}

impl DifferenceKind {
    /// The word for it in JSON.
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            DifferenceKind::Place => "place",
            DifferenceKind::OnlyHere => "only-here",
            DifferenceKind::OnlyThere => "only-there",
            DifferenceKind::Version => "version",
            DifferenceKind::File => "file",
            DifferenceKind::Library => "library",
        }
    }
}
