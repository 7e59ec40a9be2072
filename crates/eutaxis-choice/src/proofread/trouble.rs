//! What can be wrong with a line of a list or an entry of pins, as data. Sentences are made of it
//! elsewhere.

use eutaxis_standards::fault::Origin;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Directive, DirectiveKind};
use eutaxis_standards::severity::Severity;
use eutaxis_standards::targets::Interpreter;
use eutaxis_standards::version::{Version, VersionSpecifier};

use crate::offer::Bar;

/// What is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// The line, or the whole file, breaks its standard.
    Malformed {
        /// What a reader said of it.
        what: String,
        /// What was probably meant.
        advice: Option<String>,
    },
    /// Quotes and backslashes of a shell; without them this is a requirement.
    ShellQuotes(String),
    /// A file beside the list whose name is a bound that a shell took for a place to write to.
    ShellFile(String),
    /// It speaks to an installer.
    Directive {
        /// Its text.
        text: String,
        /// What it seems to be for.
        kind: DirectiveKind,
    },
    /// The project's own bound leaves the target out (PEP 621, `requires-python`).
    Interpreter {
        /// The bound.
        needs: VersionSpecifier,
        /// The target's interpreter.
        here: Interpreter,
    },
    /// Lines that no version satisfies together.
    Excluding(Vec<Said>),
    /// The project stands in other lines, too.
    Doubled {
        /// Those.
        also: Vec<Origin>,
        /// What all of them say in one.
        line: Option<String>,
    },
    /// No depot has the project.
    UnknownName {
        /// Names like it.
        near: Vec<Name>,
        /// What else is known of the name, in words.
        known: Option<String>,
        /// Names that are nearly it and should not be taken unseen, in words.
        doubts: Vec<String>,
    },
    /// No release is what is asked for.
    UnknownVersion {
        /// What is asked for.
        set: VersionSpecifier,
        /// The releases around it.
        near: Vec<Version>,
    },
    /// All releases that are asked for are out on the target.
    Barred {
        /// The newest of them, and what bars it.
        newest: Option<(Version, Option<Bar>)>,
        /// Another that can be had.
        ready: Option<Version>,
        /// Places that the newest has wheels for: systems with their architectures.
        elsewhere: Vec<(String, String)>,
    },
    /// It bears the name of a module that others usually bring.
    OfModule {
        /// Those.
        usual: Vec<String>,
    },
    /// What others that are asked for need says the same.
    NeededAnyway {
        /// Who needs it.
        by: Vec<Name>,
    },
    /// All that are left are yanked.
    Yanked {
        /// The newest of them.
        version: Version,
        /// Why; may be empty.
        reason: String,
        /// The line pins it, so that it is taken.
        pinned: bool,
        /// The newest that is not.
        other: Option<Version>,
    },
    /// Nothing keeps later major series away.
    Unbounded {
        /// The bounds that there are.
        set: VersionSpecifier,
        /// The series that the line names, if any.
        stated: Option<u64>,
        /// The oldest and the newest series.
        series: (u64, u64),
        /// The line with the bound that is missing.
        line: String,
    },
    /// Of an entry of pins.
    Pinned(Pinned),
}

/// A line of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// What it says, short.
    pub text: String,
    /// Where.
    pub place: Origin,
}

/// What is wrong with pins, or with an entry of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Pinned {
    /// They are for other interpreters (PEP 751, `requires-python`).
    Interpreter {
        /// Those.
        needs: VersionSpecifier,
        /// The target's.
        here: Interpreter,
    },
    /// A file without SHA-256.
    NoHash,
    /// No depot has the project any more.
    NameGone,
    /// No depot has the release.
    VersionGone(Version),
    /// No depot has the file.
    FileGone(String),
    /// The depot states another hash for the file.
    OtherHash(String),
    /// The release was yanked.
    Yanked {
        /// The release.
        version: Version,
        /// Why; may be empty.
        reason: String,
    },
    /// The release is out on the target.
    Barred {
        /// The release.
        version: Version,
        /// Why.
        bar: Option<Bar>,
    },
}

impl Trouble {
    /// What a line that speaks to an installer is told.
    pub fn directive(directive: &Directive) -> Self {
        Trouble::Directive {
            text: directive.text.clone(),
            kind: directive.kind,
        }
    }

    /// Its name for programs.
    pub fn id(&self) -> &'static str {
        match self {
            Trouble::Malformed { .. } => "malformed",
            Trouble::ShellQuotes(_) | Trouble::ShellFile(_) => "shell-trace",
            Trouble::Directive { .. } => "directive",
            Trouble::Interpreter { .. } | Trouble::Pinned(Pinned::Interpreter { .. }) => {
                "interpreter"
            }
            Trouble::Excluding(_) => "excluding",
            Trouble::Doubled { .. } => "doubled",
            Trouble::UnknownName { .. } | Trouble::Pinned(Pinned::NameGone) => "unknown-name",
            Trouble::UnknownVersion { .. } | Trouble::Pinned(Pinned::VersionGone(_)) => {
                "unknown-version"
            }
            Trouble::Barred { .. } | Trouble::Pinned(Pinned::Barred { .. }) => "barred",
            Trouble::OfModule { .. } => "module-name",
            Trouble::NeededAnyway { .. } => "needed-anyway",
            Trouble::Yanked { .. } | Trouble::Pinned(Pinned::Yanked { .. }) => "yanked",
            Trouble::Unbounded { .. } => "unbounded",
            Trouble::Pinned(Pinned::NoHash) => "no-hash",
            Trouble::Pinned(Pinned::FileGone(_)) => "absent-file",
            Trouble::Pinned(Pinned::OtherHash(_)) => "hash-differs",
        }
    }

    /// How bad it is.
    pub fn severity(&self) -> Severity {
        match self {
            Trouble::Malformed { .. }
            | Trouble::ShellQuotes(_)
            | Trouble::Interpreter { .. }
            | Trouble::Excluding(_)
            | Trouble::UnknownName { .. }
            | Trouble::UnknownVersion { .. }
            | Trouble::Barred { .. }
            | Trouble::Yanked { pinned: false, .. } => Severity::Breaks,
            Trouble::ShellFile(_)
            | Trouble::OfModule { .. }
            | Trouble::Doubled { .. }
            | Trouble::Yanked { pinned: true, .. }
            | Trouble::Unbounded {
                stated: Some(_), ..
            } => Severity::Risk,
            Trouble::Directive { kind, .. } if !kind.means_nothing() => Severity::Breaks,
            Trouble::Directive { .. }
            | Trouble::NeededAnyway { .. }
            | Trouble::Unbounded { stated: None, .. } => Severity::Note,
            Trouble::Pinned(pinned) => match pinned {
                Pinned::FileGone(_) | Pinned::Yanked { .. } => Severity::Risk,
                Pinned::Interpreter { .. }
                | Pinned::NoHash
                | Pinned::NameGone
                | Pinned::VersionGone(_)
                | Pinned::OtherHash(_)
                | Pinned::Barred { .. } => Severity::Breaks,
            },
        }
    }
}
