//! Wheels as archives: every check that a wheel must pass before anything of it is placed
//! (docs/house.md; PEP 427, file contents; PEP 376 and 427, RECORD, 3.8). `furnish` stops at the
//! first refusal; `assay` tells them all.

mod archive;
mod compiled;
mod contents;
mod modules;

pub(crate) use archive::{Archive, Member};
pub use compiled::is_named_compiled;
pub(crate) use compiled::{CompiledFile, compiled_files};
pub(crate) use contents::{Seen, check, hash_of_part, is_other_hash};
pub use modules::{Sources, among_modules, sources, top_modules};

/// Why a wheel is refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// What kind of fault it is.
    pub kind: RefusalKind,
    /// The fault, in a sentence without final stop.
    pub detail: String,
}

impl Refusal {
    pub(crate) fn new(kind: RefusalKind, detail: impl std::fmt::Display) -> Self {
        Refusal {
            kind,
            detail: detail.to_string(),
        }
    }
}

/// Kinds of faults of a wheel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RefusalKind {
    /// The archive itself.
    Archive,
    /// The name of an entry leads out, or means different things on different systems.
    UnsafePath,
    /// An entry is no file and no folder, or is encrypted.
    UnsafeEntry,
    /// More bytes than can be meant.
    Size,
    /// Its name and its contents speak of different projects or releases.
    Name,
    /// METADATA or WHEEL.
    Metadata,
    /// RECORD is missing, cannot be read, or does not list a file.
    Record,
    /// A file does not have its recorded hash.
    Hash,
}

impl RefusalKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            RefusalKind::Archive => "archive",
            RefusalKind::UnsafePath => "unsafe-path",
            RefusalKind::UnsafeEntry => "unsafe-entry",
            RefusalKind::Size => "size",
            RefusalKind::Name => "name",
            RefusalKind::Metadata => "metadata",
            RefusalKind::Record => "record",
            RefusalKind::Hash => "hash",
        }
    }
}
