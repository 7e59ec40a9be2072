//! What a wheel needs, against what its name says and the target has.

use std::path::PathBuf;

use eutaxis_core::assay::{Needs, Remark};

/// The answer about one file.
#[derive(Debug)]
pub(crate) struct Verdict {
    pub(crate) path: PathBuf,
    pub(crate) word: Word,
    pub(crate) bars: Vec<Remark>,
    pub(crate) broken: Vec<Remark>,
    pub(crate) needs: Vec<Needs>,
    /// What is wrong with RECORD and hashes.
    pub(crate) record: Vec<String>,
    pub(crate) files: usize,
    pub(crate) unpacked: u64,
}

/// The verdict in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Word {
    Fits,
    Barred,
    Unreadable,
}

impl Word {
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            Word::Fits => "fits",
            Word::Barred => "barred",
            Word::Unreadable => "unreadable",
        }
    }
}
