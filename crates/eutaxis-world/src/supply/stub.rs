//! A depot of functions, for tests.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

use crate::catalogue::ListedFile;
use crate::config::NetworkSettings;
use crate::depot::{Depot, Depots, Listed, Place};
use crate::network::Network;
use crate::{Error, Result};

/// What it answers.
#[derive(Debug)]
pub(super) struct Stub {
    pub(super) page: fn(&Name) -> Result<Option<Page>>,
    pub(super) metadata: fn(&PageFile) -> Result<MetadataAnswer>,
}

/// The stub as the only depot, without a network.
pub(super) fn depots(stub: Stub) -> Arc<Depots> {
    let listed = Listed {
        depot: Arc::new(stub),
        only: Vec::new(),
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
        "stub"
    }

    fn origin(&self) -> String {
        "stub".to_owned()
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
