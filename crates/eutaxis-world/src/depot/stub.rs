//! A depot of functions, for tests.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

use super::{Depot, Depots, Listed, Place};
use crate::catalogue::ListedFile;
use crate::network::{Network, NetworkSettings};
use crate::{Error, Result};

/// A page for each project.
type Pages = Box<dyn Fn(&Name) -> Result<Option<Page>> + Send + Sync>;

/// What it answers, and by which name it is known.
pub(crate) struct Stub {
    label: &'static str,
    page: Pages,
    metadata: fn(&PageFile) -> Result<MetadataAnswer>,
}

impl Stub {
    pub(crate) fn new(
        label: &'static str,
        page: impl Fn(&Name) -> Result<Option<Page>> + Send + Sync + 'static,
        metadata: fn(&PageFile) -> Result<MetadataAnswer>,
    ) -> Self {
        Stub {
            label,
            page: Box::new(page),
            metadata,
        }
    }
}

impl std::fmt::Debug for Stub {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.label)
    }
}

/// The stub as the only depot, without a network.
pub(crate) fn depots(stub: Stub) -> Arc<Depots> {
    let listed = Listed {
        depot: Arc::new(stub),
        only: Vec::new(),
        asks_dates: false,
        accelerator: None,
    };
    let folder = tempfile::tempdir().unwrap();
    let network = Arc::new(Network::new(
        folder.path(),
        true,
        false,
        NetworkSettings::default(),
    ));
    Arc::new(Depots::new(vec![listed], network))
}

impl Depot for Stub {
    fn label(&self) -> &str {
        self.label
    }

    fn origin(&self) -> String {
        self.label.to_owned()
    }

    fn offers(&self, _: &Name) -> Option<bool> {
        Some(true)
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        (self.page)(project)
    }

    fn metadata(&self, _: &Name, file: &PageFile, _: Effort) -> Result<MetadataAnswer> {
        (self.metadata)(file)
    }

    fn listed(&self, _: &Name, _: &PageFile) -> Option<Vec<ListedFile>> {
        None
    }

    fn place(&self, _: &Name, _: &PageFile) -> Result<Place> {
        Err(Error::contents("nowhere"))
    }

    fn obtain(&self, _: &Name, _: &PageFile) -> Result<PathBuf> {
        Err(Error::contents("nowhere"))
    }

    fn index(&self) -> Option<String> {
        None
    }

    fn projects(&self) -> Vec<Name> {
        Vec::new()
    }
}
