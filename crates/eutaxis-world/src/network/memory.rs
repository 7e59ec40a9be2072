//! What may be in memory at a time: hostile pages, however many and however large, must not fill
//! it.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

use crate::{Error, Result};

/// Documents above this come into memory one at a time.
pub(super) const LARGE: usize = 1 << 20;
/// Pages of one run list no more files.
const MOST_LISTED: usize = 120_000;

/// What all that read documents share.
#[derive(Debug, Default)]
pub(crate) struct Memory {
    /// Whoever has a large document in memory.
    large: Mutex<()>,
    /// Files that pages listed in this run.
    listed: AtomicUsize,
}

/// Held as long as a large document is in memory.
#[derive(Debug)]
pub(crate) struct Alone<'a> {
    _large: MutexGuard<'a, ()>,
}

impl Memory {
    /// A turn for a document of so many bytes, or of unknown size: none is needed for a small one.
    /// Waits for the turns of others.
    ///
    /// # Errors
    /// For a large one, when pages were too many by the time that its turn came.
    pub(super) fn turn(&self, bytes: Option<usize>, what: &str) -> Result<Option<Alone<'_>>> {
        if bytes.is_some_and(|n| n <= LARGE) {
            return Ok(None);
        }
        let turn = self.large.lock().unwrap_or_else(PoisonError::into_inner);
        self.admit(0, what)?;
        Ok(Some(Alone { _large: turn }))
    }

    /// Takes in a page that lists so many files.
    ///
    /// # Errors
    /// When all pages of the run together list more than a question can mean, so that they would
    /// fill the memory.
    pub(super) fn admit(&self, files: usize, what: &str) -> Result<()> {
        if self
            .listed
            .fetch_add(files, Ordering::Relaxed)
            .saturating_add(files)
            <= MOST_LISTED
        {
            return Ok(());
        }
        let message = format!(
            "{what} is one page too many: all pages together list more than {MOST_LISTED} files, \
                more than a question can mean"
        );
        Err(Error::contents(message)
            .help("ask for less at once, or leave out the depot whose pages have no end"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn small_documents_need_no_turn_and_large_ones_get_none_once_pages_were_too_many() {
        let memory = Memory::default();
        assert!(memory.turn(Some(LARGE), "p").unwrap().is_none());
        assert!(memory.turn(Some(LARGE + 1), "p").unwrap().is_some());
        assert!(memory.turn(None, "p").unwrap().is_some());
        memory.admit(MOST_LISTED, "p").unwrap();
        assert!(memory.turn(None, "p").unwrap().is_some());
        assert!(memory.admit(1, "the page of hugelog").is_err());
        assert!(memory.turn(None, "p").is_err());
        assert!(memory.turn(Some(1), "p").unwrap().is_none());
    }
}
