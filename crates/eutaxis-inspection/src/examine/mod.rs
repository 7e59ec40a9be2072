//! What is wrong in an environment: checks over a [`Snapshot`], each in a file of its own and a
//! line of [`CHECKS`].
//!
//! ```
//! use eutaxis_inspection::examine::{Kind, PlaceFault, Snapshot, examine};
//! use eutaxis_standards::Target;
//! use eutaxis_standards::knowledge::Libraries;
//!
//! // An empty environment whose base interpreter was exchanged.
//! let snapshot = Snapshot {
//!     root: "/camp/.venv".into(),
//!     name: ".venv".into(),
//!     python: "/camp/.venv/bin/python".into(),
//!     target: Target::parse("cpython 3.11 / linux x86_64 glibc 2.35")?,
//!     kind: Kind::Virtual { shares_system: false },
//!     suffixes: Vec::new(),
//!     path: Vec::new(),
//!     projects: Vec::new(),
//!     strays: Vec::new(),
//!     compiled: Vec::new(),
//!     faults: vec![PlaceFault::OtherBase("3.11.2".into(), "3.12.1".into())],
//!     pins: None,
//!     dates: Default::default(),
//!     libraries: Libraries::built_in(),
//!     distribution: Vec::new(),
//! };
//! let findings = examine(&snapshot);
//! assert!(findings[0].evidence().contains("3.12.1"));
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod architecture;
mod base;
mod built_before;
mod built_here;
mod dates;
mod device;
mod device_code;
mod driver;
mod files;
mod imports;
mod inherited;
mod interpreter;
mod leftover;
mod legacy;
mod libraries;
mod metadata;
mod pins;
mod raised;
mod reading;
mod requirements;
mod shadowed;
mod shared;
mod snapshot;
mod strays;
mod tags;
#[cfg(test)]
mod tests;
mod trouble;
mod unreached;
mod variant;
mod words;

pub(crate) use architecture::fits;
pub use dates::dates_of;
pub use device::{Sight, checks, sights};
pub use eutaxis_standards::severity::Severity;
pub use imports::{
    Attempt, Awaited, Ended, Trial, Tried, imports, modules, of_entry_points, trials,
};
pub use legacy::legacy_requirements;
pub use pins::differs_from_pin;
pub use raised::{Raised, RaisedKind, raised};
pub use reading::{asked, gaps, module_set, optional, untried, walk};
pub use requirements::{Unmet, unmet};
pub use snapshot::{
    AbsentLibrary, Built, Compiled, Dates, Direct, Entry, Form, Kind, LackingVersion, Owned,
    Pinned, Pins, PlaceFault, Project, Recorded, Seat, Snapshot, State, Stray, Top,
};
pub use trouble::{
    BaseTrouble, BuildEvidence, CompiledTrouble, FilesTrouble, PinDifference, RecordTrouble,
    RunTrouble, SymbolsOf, Trouble, Whose,
};

use crate::remedy::Remedy;
use eutaxis_standards::name::Name;

/// A fault found in an environment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// What is wrong.
    pub trouble: Trouble,
    /// How bad it is.
    pub severity: Severity,
    /// The project that asks or owns; none for the environment itself.
    pub project: Option<Name>,
    /// Its release.
    pub version: Option<String>,
    /// What explains it, as an id of [`crate::diagnose`], and in words.
    pub cause: Option<(String, String)>,
    /// What to do.
    pub remedy: Remedy,
    /// The files that it is about.
    pub paths: Vec<String>,
}

impl Finding {
    /// A finding about the environment itself.
    pub fn new(severity: Severity, trouble: Trouble, remedy: impl Into<Remedy>) -> Self {
        Finding {
            trouble,
            severity,
            project: None,
            version: None,
            remedy: remedy.into(),
            cause: None,
            paths: Vec::new(),
        }
    }

    /// Which kind of trouble it is, for programs.
    pub fn id(&self) -> &'static str {
        self.trouble.id()
    }

    /// What was read, and where, in a sentence without final stop.
    pub fn evidence(&self) -> String {
        match &self.cause {
            Some((_, explained)) => format!("{}: {explained}", self.trouble),
            None => self.trouble.to_string(),
        }
    }

    /// The same, about a project.
    #[must_use]
    pub fn about(self, project: &Project) -> Self {
        let version = project.version.as_ref().map(ToString::to_string);
        Finding {
            project: Some(project.name.clone()),
            version,
            ..self
        }
    }

    /// The same, about the owner of a file, if it has one.
    #[must_use]
    pub fn about_owner(self, snapshot: &Snapshot, owner: Option<usize>) -> Self {
        match owner.and_then(|o| snapshot.projects.get(o)) {
            Some(project) => self.about(project),
            None => self,
        }
    }

    /// The same, with the files that it is about.
    #[must_use]
    pub fn of(self, paths: Vec<String>) -> Self {
        Finding { paths, ..self }
    }
}

/// A check: reads the snapshot, and adds what it finds. Those that follow see what those before
/// found.
type Check = fn(&Snapshot, &mut Vec<Finding>);

/// All checks.
const CHECKS: &[Check] = &[
    base::check,
    metadata::check,
    requirements::check,
    interpreter::check,
    architecture::check,
    libraries::check,
    driver::check,
    device_code::check,
    files::check,
    tags::check,
    variant::check,
    shared::check,
    leftover::check,
    shadowed::check,
    built_before::check,
    built_here::check,
    pins::check,
    strays::check,
    inherited::check,
];

/// Everything that is wrong, worst first; within one severity by check, then by project.
pub fn examine(snapshot: &Snapshot) -> Vec<Finding> {
    let mut findings = Vec::new();
    for check in CHECKS {
        check(snapshot, &mut findings);
    }
    unreached::check(snapshot, &mut findings);
    findings.sort_by(|a, b| (a.severity, &a.project).cmp(&(b.severity, &b.project)));
    findings
}
