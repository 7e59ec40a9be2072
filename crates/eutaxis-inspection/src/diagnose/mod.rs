//! What broke an installation, a build or an import, by what its log says.
//!
//! Bytes -> lines ([`decode`]) without what CI puts before them ([`prefix`]) -> tracebacks
//! ([`traceback`]) and single lines -> sightings of signs ([`reader`], with [`conditions`] and
//! [`facts`]) -> causes, the root first ([`root`]) -> words ([`words`]). Beside it the lines tell where
//! they were written ([`origin`]). Which words tell which
//! cause is data: [`eutaxis_standards::knowledge::Causes`].
//!
//! ```
//! use eutaxis_inspection::diagnose::{Context, Reader};
//! use eutaxis_standards::knowledge::{Causes, Families, Libraries};
//!
//! let (families, libraries) = (Families::built_in(), Libraries::built_in());
//! let context = Context { families: &families, libraries: &libraries, distributions: &[] };
//! let causes = Causes::built_in();
//! let mut reader = Reader::new(&causes, &context);
//! reader.read(b"Traceback (most recent call last):\n  File \"log.py\", line 1, in <module>\n\
//!     ModuleNotFoundError: No module named 'firnio'\n");
//! let found = reader.finish();
//! assert_eq!(found.causes[0].id, "module-absent");
//! ```

mod claims;
mod conditions;
mod decode;
mod episode;
mod facts;
mod origin;
mod prefix;
mod reader;
mod root;
mod speech;
mod syntax;
#[cfg(test)]
mod tests;
mod traceback;
mod words;
mod wrapped;

pub use facts::Facts;
pub(crate) use origin::system_of;
pub use origin::{Origin, Place};
pub use reader::Reader;
pub use words::Told;

use eutaxis_standards::knowledge::{Confidence, Families, Libraries};

/// What is known beside the causes.
#[derive(Debug)]
pub struct Context<'a> {
    /// Families of accelerators.
    pub families: &'a Families,
    /// System libraries.
    pub libraries: &'a Libraries,
    /// The distribution of the place that the log is of, and those it is like, by their IDs.
    pub distributions: &'a [String],
}

/// A cause that was found in a log.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cause {
    /// Its id.
    pub id: String,
    /// How sure it is.
    pub confidence: Confidence,
    /// The line that shows it, counted from 1.
    pub line: u64,
    /// That line.
    pub excerpt: String,
    /// What is known of it.
    pub facts: Facts,
    /// How often it was seen.
    pub times: usize,
    /// The sign it was known by, which may have words of its own.
    pub sign: Option<usize>,
    /// Where it was seen.
    pub origin: Origin,
}

/// Something that was seen and is no cause of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Aside {
    /// What it would be a sign of.
    pub id: String,
    /// The line, counted from 1.
    pub line: u64,
    /// That line.
    pub excerpt: String,
    /// How often it was seen.
    pub times: usize,
}

/// How a log ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ended {
    /// It says that all is done.
    Well,
    /// It says that something failed.
    Badly,
    /// It does not say.
    Unknown,
}

impl Ended {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Ended::Well => "well",
            Ended::Badly => "badly",
            Ended::Unknown => "unknown",
        }
    }
}

/// What a log comes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnosis {
    /// Where the log was written: where its root was seen.
    pub of: Origin,
    /// The causes, the root first.
    pub causes: Vec<Cause>,
    /// What goes away with them.
    pub consequences: Vec<Aside>,
    /// What was overcome.
    pub overcome: Vec<Aside>,
    /// What may be a sign of something, and is not needed to explain the rest.
    pub guessed: Vec<Aside>,
    /// How the log ends.
    pub ended: Ended,
    /// How many lines it has.
    pub lines: u64,
    /// Its last lines.
    pub last: Vec<String>,
}
