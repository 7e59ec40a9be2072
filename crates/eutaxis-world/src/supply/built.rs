//! What builds told of the needs of source distributions: kept by the hash of the archive, and asked
//! of its build system where somebody permits that.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{FileKind, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

use crate::Result;
use crate::catalogue::Catalogue;
use crate::depot::Depot;
use crate::files::sha256_of;
use crate::network::Network;

/// Whoever may ask the build system of an archive what it needs.
pub trait ByBuild: Send + Sync {
    /// Whether the builds of a project may be permitted, before its archive is looked into.
    fn may_permit(&self, project: &Name) -> bool;

    /// What it answers; none where that is not permitted.
    ///
    /// # Errors
    /// When the disk, the network or an interpreter fails; that a build fails is an answer.
    fn needs(
        &self,
        project: &Name,
        file: &PageFile,
        archive: &Path,
        sha256: &str,
    ) -> Result<Option<MetadataAnswer>>;
}

fn key(sha256: &str) -> String {
    format!("built-2 {}", sha256.to_ascii_lowercase())
}

/// Keeps what a wheel says that was built from an archive.
pub fn keep_built(network: &Network, sha256: &str, metadata: &Metadata) {
    let text = metadata.to_text();
    network
        .catalogue()
        .keep_metadata(&key(sha256), text.as_bytes());
}

/// What a build told of an archive before.
pub fn built_metadata(network: &Network, sha256: &str) -> Option<Metadata> {
    known(network.catalogue(), sha256)
}

/// What builds told before.
fn known(catalogue: &Catalogue, sha256: &str) -> Option<Metadata> {
    Metadata::parse(&catalogue.metadata(&key(sha256))?).ok()
}

/// A file whose needs were asked for.
pub(super) struct Question<'a> {
    pub(super) depot: &'a Arc<dyn Depot>,
    pub(super) project: &'a Name,
    pub(super) file: &'a PageFile,
    pub(super) network: &'a Network,
    pub(super) effort: Effort,
}

impl Question<'_> {
    /// The archive on this disk, and its hash.
    fn obtained(&self) -> Result<(PathBuf, String)> {
        let path = self.depot.obtain(self.project, self.file)?;
        let sha256 = match self.file.hashes.sha256() {
            Some(known) => known.to_owned(),
            None => sha256_of(&path)?.0,
        };
        Ok((path, sha256))
    }

    /// The answer about a source distribution, made better where builds told or can tell more. A
    /// build is the dearest way: it is gone only when the search insists.
    pub(super) fn completed(
        &self,
        answer: MetadataAnswer,
        by_build: Option<&Arc<dyn ByBuild>>,
    ) -> Result<MetadataAnswer> {
        let is_open = match &answer {
            MetadataAnswer::UnknownUntilBuilt => true,
            MetadataAnswer::Known(metadata) => metadata.unsure.is_some(),
            MetadataAnswer::Unusable(_)
            | MetadataAnswer::Dear(_)
            | MetadataAnswer::TooDear { .. } => false,
        };
        if !is_open || !matches!(self.file.kind, FileKind::Sdist(_)) {
            return Ok(answer);
        }
        let sha256 = match self.file.hashes.sha256() {
            Some(stated) => Some(stated.to_owned()),
            // A file on the network without a hash is fetched for a build, not for this.
            None if self.depot.is_remote() => None,
            None => self.obtained().ok().map(|(_, sha256)| sha256),
        };
        let told = sha256.and_then(|sha256| known(self.network.catalogue(), &sha256));
        let own = |m: &Metadata| m.name == *self.project && m.version == *self.file.kind.version();
        if let Some(metadata) = told.filter(own) {
            return Ok(MetadataAnswer::Known(Arc::new(metadata)));
        }
        let is_unknown = matches!(answer, MetadataAnswer::UnknownUntilBuilt);
        match by_build.filter(|b| is_unknown && b.may_permit(self.project)) {
            None => Ok(answer),
            Some(_) if self.effort == Effort::Cheap => {
                Ok(MetadataAnswer::Dear(self.file.size.unwrap_or(0)))
            }
            Some(by_build) => {
                let (path, sha256) = self.obtained()?;
                let told = by_build.needs(self.project, self.file, &path, &sha256)?;
                Ok(told.unwrap_or(answer))
            }
        }
    }
}
