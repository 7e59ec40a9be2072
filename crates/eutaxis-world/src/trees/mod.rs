//! Source trees that are asked for by their address: folders of this disk, and repositories at a
//! revision. They are packed as archives in the cache, and go the way of source distributions from
//! there.

mod git;
mod pack;

use std::path::{Path, PathBuf};

use eutaxis_core::artifact::Repository;

use crate::depot::local_path;
use crate::{Error, Result};

pub use pack::Packed;

/// Their folder in the cache.
const TREES: &str = "trees-1";

/// Where a tree is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TreeAt {
    /// A folder of this disk.
    Folder(PathBuf),
    /// A repository.
    Repository(Repository),
}

impl TreeAt {
    /// What an address leads to; none where that is no tree.
    ///
    /// # Errors
    /// When it is one of a repository that cannot be read, or of a system that is not known here.
    pub fn of(url: &str) -> Result<Option<Self>> {
        if let Some(read) = Repository::parse(url) {
            let shown = crate::network::without_secret(url);
            let repository = read.map_err(|fault| Error::request(format!("{shown}: {fault}")))?;
            if repository.kind != "git" {
                let message = format!(
                    "{shown} is a repository of {}, and only those of git can be taken",
                    repository.kind
                );
                return Err(Error::request(message)
                    .help("ask for an archive of it, or for a folder with its contents"));
            }
            return Ok(Some(TreeAt::Repository(repository)));
        }
        let here = std::env::current_dir().unwrap_or_default();
        let folder = local_path(url, &here).filter(|path| path.is_dir());
        Ok(folder.map(TreeAt::Folder))
    }
}

/// A repository as it was at a revision.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct At {
    /// The commit.
    pub commit: String,
    /// What was packed of it.
    pub packed: Packed,
}

/// By what a text is known.
pub fn identity_of(text: &str) -> String {
    crate::hash::sha256_hex(text.as_bytes())
}

/// Packs a folder.
///
/// # Errors
/// When it cannot be read, or is larger than any source is.
pub fn packed_folder(cache: &Path, folder: &Path) -> Result<Packed> {
    pack::pack(&cache.join(TREES), folder, None)
}

/// Packs a repository at its revision; without the network only what was packed before.
///
/// # Errors
/// When git is not here, or cannot have it: its words.
pub fn packed_repository(cache: &Path, repository: &Repository, offline: bool) -> Result<At> {
    git::packed(&cache.join(TREES), repository, offline)
}
