//! Source trees that are asked for by their address: folders of this disk, and repositories at a
//! revision. They are packed as archives in the cache, and go the way of source distributions from
//! there.

mod git;
mod pack;

use std::path::{Path, PathBuf};
use std::time::Duration;

use eutaxis_core::artifact::Repository;

use crate::depot::local_path;
use crate::{Error, Result};

pub use pack::Packed;

/// Their folder in the cache.
pub(crate) const TREES: &str = "trees-1";

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
    let root = cache.join(TREES);
    let packed = pack::pack(&root, folder, None)?;
    forget_before(&root, folder, &packed);
    Ok(packed)
}

/// An archive that stands for a folder as it was before may still be in use for so long.
const IN_USE: Duration = Duration::from_secs(3600);

/// Of a folder that changes again and again only the last archive is kept.
fn forget_before(root: &Path, folder: &Path, packed: &Packed) {
    let note = root
        .join("folders")
        .join(identity_of(&folder.to_string_lossy()));
    let before = std::fs::read_to_string(&note).unwrap_or_default();
    if before == packed.identity {
        return;
    }
    let old = pack::place_of(root, &before);
    let since = std::fs::metadata(&old).and_then(|m| m.modified()).ok();
    let is_old = since.is_some_and(|at| at.elapsed().is_ok_and(|age| age > IN_USE));
    if let (true, Some(place)) = (is_old && !before.is_empty(), old.parent()) {
        crate::store::remove_tree(place);
    }
    // Where it cannot be noted, it stays until the cache is trimmed.
    let _ = std::fs::create_dir_all(root.join("folders"));
    let _ = crate::files::write_whole(&note, packed.identity.as_bytes());
}

/// Packs a repository at its revision; without the network only what was packed before.
///
/// # Errors
/// When git is not here, or cannot have it: its words.
pub fn packed_repository(cache: &Path, repository: &Repository, offline: bool) -> Result<At> {
    git::packed(&cache.join(TREES), repository, offline)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_a_folder_the_last_archive_is_kept() {
        let (cache, tree) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let change = |text: &str| std::fs::write(tree.path().join("kit.py"), text).unwrap();
        let packed = || packed_folder(cache.path(), tree.path()).unwrap();
        change("season = 1\n");
        let first = packed();
        change("season = 2\n");
        // What somebody may be building from stays.
        let second = packed();
        assert!(first.archive.is_file());
        let ago = std::time::SystemTime::now() - 2 * IN_USE;
        let file = std::fs::File::options().write(true).open(&second.archive);
        file.unwrap().set_modified(ago).unwrap();
        change("season = 3\n");
        assert!(packed().archive.is_file());
        assert!(!second.archive.exists());
    }

    #[test]
    fn addresses_of_trees_are_told_from_others() {
        assert_eq!(TreeAt::of("https://camp.example/x.whl").unwrap(), None);
        assert!(TreeAt::of("hg+https://camp.example/x").is_err());
        let folder = tempfile::tempdir().unwrap();
        let url = crate::files::file_url(folder.path());
        assert!(matches!(TreeAt::of(&url).unwrap(), Some(TreeAt::Folder(_))));
    }
}
