//! What is foreseen of a build, what came of it, and why it failed.

use std::path::PathBuf;

use eutaxis_core::Name;
use eutaxis_core::Version;
use eutaxis_world::build::Record;

/// A tool, a header or a library that a build needs from the system.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Wanted {
    /// `cmake`, `zlib.h`.
    pub(crate) name: String,
    /// What it is, in a few words.
    pub(crate) what: String,
    /// Whether it is here; none where that cannot be known.
    pub(crate) here: Option<bool>,
    /// The system package that brings it here, as far as known.
    pub(crate) package: Option<String>,
    /// A project with wheels that bring it.
    pub(crate) project: Option<String>,
}

/// How long a build will take, roughly.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Estimate {
    pub(crate) seconds: f64,
    /// From what that is judged.
    pub(crate) from: String,
}

/// What is foreseen of a build.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Foreseen {
    pub(crate) project: Name,
    pub(crate) version: Version,
    /// Nothing is compiled.
    pub(crate) is_light: bool,
    /// Languages of the sources that are compiled.
    pub(crate) languages: Vec<String>,
    /// Build requirements: as chosen for this interpreter, or as written where that was not done.
    pub(crate) requires: Vec<String>,
    /// Why they cannot be had together here.
    pub(crate) clash: Option<String>,
    /// What it states of its build cannot be read: why.
    pub(crate) unreadable: Option<String>,
    /// Tools, headers and libraries of the system.
    pub(crate) wants: Vec<Wanted>,
    pub(crate) estimate: Option<Estimate>,
    /// The place is this machine, so that tools and time can be told.
    pub(crate) is_here: bool,
    /// The newest release with a wheel that fits here.
    pub(crate) with_wheel: Option<Version>,
    /// It may be built.
    pub(crate) is_permitted: bool,
    /// It was built before: the wheel lies in the store.
    pub(crate) is_built: bool,
    /// The archive was not looked into: so many bytes are more than is fetched to learn something.
    pub(crate) unlooked: Option<u64>,
}

/// The options that permit builds which nothing permits yet, as typed.
pub(crate) fn permits(all: &[Foreseen]) -> Vec<String> {
    /// From so many on, one option for all that compile nothing.
    const MANY: usize = 3;
    let open: Vec<&Foreseen> = all.iter().filter(|f| f.is_open()).collect();
    if open.len() >= MANY && open.iter().all(|f| f.is_light) {
        return vec!["--build-light".to_owned()];
    }
    let each = |f: &Foreseen| ["--build".to_owned(), f.project.to_string()];
    open.into_iter().flat_map(each).collect()
}

impl Foreseen {
    /// Nothing permits it, and it is to be done.
    pub(crate) fn is_open(&self) -> bool {
        !self.is_permitted && !self.is_built
    }

    /// What is missing on this machine.
    pub(crate) fn missing(&self) -> impl Iterator<Item = &Wanted> {
        self.wants.iter().filter(|w| w.here == Some(false))
    }
}

/// The step that a build is in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Step {
    Unpacking,
    Requirements,
    MoreRequirements,
    Metadata,
    Wheel,
    Judging,
}

impl Step {
    /// What is being done, in words.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Step::Unpacking => "unpacking the archive",
            Step::Requirements => "choosing and placing its build requirements",
            Step::MoreRequirements => "asking its build system what else it needs",
            Step::Metadata => "asking its build system for the metadata",
            Step::Wheel => "building the wheel",
            Step::Judging => "judging the wheel",
        }
    }
}

/// A cause that the log of a build shows.
#[derive(Debug, Clone)]
pub(crate) struct Cause {
    pub(crate) id: String,
    /// It in a few words.
    pub(crate) title: String,
    /// Why that is so.
    pub(crate) explanation: String,
    /// The line of the log that shows it, with its number.
    pub(crate) line: (u64, String),
    /// What mends it, in words.
    pub(crate) remedies: Vec<String>,
}

/// A build that failed.
#[derive(Debug, Clone)]
pub(crate) struct Failed {
    pub(crate) project: Name,
    pub(crate) version: Version,
    pub(crate) step: Step,
    /// Why, in a sentence.
    pub(crate) why: String,
    /// The kept log, where hooks ran.
    pub(crate) log: Option<PathBuf>,
    /// Causes that the log shows, the root first.
    pub(crate) causes: Vec<Cause>,
    /// Its last lines, where it shows none.
    pub(crate) last: Vec<String>,
    /// How many packages it was built with.
    pub(crate) by: Vec<(String, String)>,
}

/// A wheel that was built, now or before.
#[derive(Debug, Clone)]
pub(crate) struct Built {
    pub(crate) record: Record,
    pub(crate) wheel: PathBuf,
    /// It lay in the store.
    pub(crate) was_there: bool,
}

/// A way without a build that failed, solved to the end.
#[derive(Debug, Clone)]
pub(crate) struct Way {
    /// What it comes to.
    pub(crate) words: String,
    /// What leads there, as typed.
    pub(crate) command: String,
}
