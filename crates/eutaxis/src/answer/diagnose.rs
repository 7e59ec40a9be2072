//! What a log tells, and what was held against it.

use std::path::PathBuf;

use eutaxis_core::diagnose::{Cause, Diagnosis, Told};

/// A cause with its words, and what was checked.
#[derive(Debug)]
pub(crate) struct Found {
    pub(crate) cause: Cause,
    pub(crate) told: Told,
    /// What the environment, the target or the depots say of it, in sentences.
    pub(crate) checked: Vec<String>,
}

/// Where the log was written.
#[derive(Debug)]
pub(crate) struct LogOf {
    /// `CPython 3.14 on macOS arm64`.
    pub(crate) words: String,
    /// It was not on this machine, and what tells so.
    pub(crate) elsewhere: Option<String>,
    /// What the log does not tell of its place, as it was taken to be.
    pub(crate) assumed: Vec<String>,
}

/// Everything that is shown.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) diagnosis: Diagnosis,
    pub(crate) found: Vec<Found>,
    /// Where it was written, where it tells.
    pub(crate) of: Option<LogOf>,
    /// Why something was not checked.
    pub(crate) notes: Vec<String>,
    /// Where the causes were written.
    pub(crate) written: Option<PathBuf>,
}
