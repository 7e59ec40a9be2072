//! Source trees that are asked for by their address: a page of one release for each.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::artifact::{Metadata, Repository, SdistName};
use eutaxis_core::index::{FileKind, Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use eutaxis_core::{Name, Version};

use super::{Depot, Place};
use crate::Result;
use crate::catalogue::ListedFile;

/// A tree with what is known of it.
#[derive(Debug, Clone)]
pub struct KnownTree {
    /// The project.
    pub project: Name,
    /// Its version.
    pub version: Version,
    /// The address that it is asked for by.
    pub url: String,
    /// Its archive, or the folder itself where it is used as it lies.
    pub path: PathBuf,
    /// By what it is known.
    pub identity: String,
    /// What it says of itself.
    pub metadata: Metadata,
    /// What it is.
    pub kind: TreeKind,
}

/// What a tree is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TreeKind {
    /// A folder of this disk; to be used where it lies, or copied.
    Folder {
        /// The folder.
        folder: PathBuf,
        /// It is used where it lies.
        editable: bool,
    },
    /// A repository at a commit.
    Repository {
        /// What was asked for.
        repository: Repository,
        /// What it was.
        commit: String,
    },
}

#[derive(Debug)]
struct PackedDepot(KnownTree);

/// The page that holds just this tree.
pub(super) fn page(tree: &KnownTree) -> (Arc<dyn Depot>, Page) {
    let filename = format!(
        "{}-{}.tar.gz",
        tree.project.as_str().replace('-', "_"),
        tree.version
    );
    let file = PageFile {
        filename: filename.as_str().into(),
        url: tree.url.as_str().into(),
        kind: FileKind::Sdist(Arc::new(SdistName {
            name: tree.project.clone(),
            version: tree.version.clone(),
        })),
        hashes: [("sha256", tree.identity.as_str())].into_iter().collect(),
        requires_python: tree.metadata.requires_python.clone().map(Arc::new),
        metadata: None,
        yanked: None,
        size: Some(0),
        published: None,
    };
    let mut page = Page::new(tree.project.clone());
    page.files.push(Arc::new(file));
    (Arc::new(PackedDepot(tree.clone())), page)
}

impl Depot for PackedDepot {
    fn label(&self) -> &str {
        &self.0.url
    }

    fn origin(&self) -> String {
        self.0.url.clone()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        Some(*project == self.0.project)
    }

    fn page(&self, _: &Name) -> Result<Option<Page>> {
        Ok(None)
    }

    fn metadata(&self, _: &Name, _: &PageFile, _: Effort) -> Result<MetadataAnswer> {
        Ok(MetadataAnswer::Known(Arc::new(self.0.metadata.clone())))
    }

    fn listed(&self, _: &Name, _: &PageFile) -> Option<Vec<ListedFile>> {
        None
    }

    fn place(&self, _: &Name, _: &PageFile) -> Result<Place> {
        Ok(Place::Disk(self.0.path.clone()))
    }

    fn obtain(&self, _: &Name, _: &PageFile) -> Result<PathBuf> {
        Ok(self.0.path.clone())
    }

    fn index(&self) -> Option<String> {
        None
    }

    fn projects(&self) -> Vec<Name> {
        Vec::new()
    }
}
