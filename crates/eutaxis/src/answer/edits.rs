//! Lines of files that a way out changes.

use std::path::PathBuf;

use eutaxis_core::requirement::changed_lines;
use eutaxis_world::Error;
use eutaxis_world::files::{change_whole, ensure_changeable};

/// A file with the text that it is to have.
#[derive(Debug, Clone)]
pub(crate) struct FileEdit {
    pub(crate) file: PathBuf,
    pub(crate) before: String,
    pub(crate) after: String,
}

impl FileEdit {
    /// The lines that change: number, before, after.
    pub(crate) fn lines(&self) -> Vec<(usize, Option<String>, Option<String>)> {
        changed_lines(&self.before, &self.after)
    }

    /// Whether the file can be changed.
    pub(crate) fn ensure(&self) -> Result<(), Error> {
        ensure_changeable(&self.file, &self.before)
    }

    pub(crate) fn write(&self) -> Result<(), Error> {
        change_whole(&self.file, &self.before, &self.after)
    }
}
