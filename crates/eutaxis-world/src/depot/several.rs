//! A depot with several addresses, tried in their order: one depot in all other respects.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

use super::{Depot, Place};
use crate::catalogue::ListedFile;
use crate::{ErrorKind, Result};

/// The same depot at several addresses.
#[derive(Debug)]
pub(super) struct Several {
    addresses: Vec<Arc<dyn Depot>>,
    /// The first address, by which it is known.
    main: Arc<dyn Depot>,
    /// The first that answered: those before it do not, in this run.
    at: AtomicUsize,
}

impl Several {
    /// A first address, and those after it.
    pub(super) fn new(main: Arc<dyn Depot>, others: Vec<Arc<dyn Depot>>) -> Self {
        let addresses = std::iter::once(Arc::clone(&main)).chain(others).collect();
        Several {
            addresses,
            main,
            at: AtomicUsize::new(0),
        }
    }

    /// Asks the addresses in their order, until one answers.
    fn first<T>(&self, ask: impl Fn(&dyn Depot) -> Result<T>) -> Result<T> {
        let begin = self.at.load(Ordering::Relaxed);
        let mut last = None;
        for (at, depot) in self.addresses.iter().enumerate().skip(begin) {
            match ask(depot.as_ref()) {
                Err(error)
                    if error.kind == ErrorKind::Network
                        && error.missing.is_none()
                        && at + 1 < self.addresses.len() =>
                {
                    self.at.fetch_max(at + 1, Ordering::Relaxed);
                    last = Some(error);
                }
                other => return other,
            }
        }
        Err(last.unwrap_or_else(|| crate::Error::request("a depot has no address")))
    }

    fn main(&self) -> &dyn Depot {
        self.main.as_ref()
    }
}

impl Depot for Several {
    fn label(&self) -> &str {
        self.main().label()
    }

    fn origin(&self) -> String {
        self.main().origin()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        self.main().offers(project)
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        self.first(|depot| depot.page(project))
    }

    fn metadata(&self, project: &Name, file: &PageFile, effort: Effort) -> Result<MetadataAnswer> {
        self.first(|depot| depot.metadata(project, file, effort))
    }

    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        self.addresses
            .iter()
            .find_map(|depot| depot.listed(project, file))
    }

    fn place(&self, project: &Name, file: &PageFile) -> Result<Place> {
        self.main().place(project, file)
    }

    fn obtain(&self, project: &Name, file: &PageFile) -> Result<PathBuf> {
        self.main().obtain(project, file)
    }

    fn is_remote(&self) -> bool {
        self.addresses.iter().any(|d| d.is_remote())
    }

    fn index(&self) -> Option<String> {
        self.main().index()
    }

    fn projects(&self) -> Vec<Name> {
        self.addresses
            .iter()
            .map(|d| d.projects())
            .find(|names| !names.is_empty())
            .unwrap_or_default()
    }
}
