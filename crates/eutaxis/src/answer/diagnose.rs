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

/// Everything that is shown.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) diagnosis: Diagnosis,
    pub(crate) found: Vec<Found>,
    /// Why something was not checked.
    pub(crate) notes: Vec<String>,
    /// Where the causes were written.
    pub(crate) written: Option<PathBuf>,
}
