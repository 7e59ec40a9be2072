//! Packing a tree as an archive.

use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};

use flate2::Compression;
use flate2::write::GzEncoder;

use crate::error::Doing;
use crate::files::sha256_of;
use crate::hash::Sha256;
use crate::{Error, Result};

/// A tree has no more files than this.
const MOST_FILES: usize = 200_000;
/// And no more bytes.
const MOST_BYTES: u64 = 4 << 30;
/// The moment that all files get: an archive of the same tree is the same.
const MOMENT: u64 = 315_532_800;

/// An archive of a tree.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Packed {
    /// The archive, a tar.gz with one folder.
    pub archive: PathBuf,
    /// By what the tree is known: a hash of its files, or of its commit.
    pub identity: String,
}

/// Packs a folder below `root`. `identity` is by what it is known, where that is not its files.
pub(super) fn pack(root: &Path, folder: &Path, identity: Option<&str>) -> Result<Packed> {
    let mut files = Vec::new();
    let mut bytes = 0;
    collect(folder, Path::new(""), &mut files, &mut bytes)?;
    files.sort();
    let identity = match identity {
        Some(identity) => identity.to_owned(),
        None => identity_of(folder, &files)?,
    };
    let place = place_of(root, &identity);
    if place.is_file() {
        return Ok(Packed {
            archive: place,
            identity,
        });
    }
    let parent = place.parent().unwrap_or(root);
    fs::create_dir_all(parent).doing("cannot make the folder", parent)?;
    let part = tempfile::NamedTempFile::new_in(parent).doing("cannot write in", parent)?;
    let gzip = GzEncoder::new(part, Compression::fast());
    let mut archive = tar::Builder::new(gzip);
    for path in &files {
        let from = folder.join(path);
        let mut file = File::open(&from).doing("cannot read", &from)?;
        let found = file.metadata().doing("cannot read", &from)?;
        let mut header = tar::Header::new_gnu();
        header.set_size(found.len());
        header.set_mtime(MOMENT);
        header.set_mode(if is_executable(&found) { 0o755 } else { 0o644 });
        let name = Path::new("tree").join(path);
        archive
            .append_data(&mut header, &name, &mut file)
            .doing("cannot pack", &from)?;
    }
    let gzip = archive.into_inner().doing("cannot write", &place)?;
    let mut part = gzip.finish().doing("cannot write", &place)?;
    part.flush().doing("cannot write", &place)?;
    part.persist(&place)
        .map_err(|e| Error::io("cannot write", &place, &e.error))?;
    Ok(Packed {
        archive: place,
        identity,
    })
}

/// Where the archive of a tree lies.
pub(super) fn place_of(root: &Path, identity: &str) -> PathBuf {
    let start = identity.get(..2).unwrap_or("00");
    root.join(start).join(identity).join("tree-0.tar.gz")
}

/// What is no part of a source: environments, what was compiled or built, caches.
fn is_left_out(name: &str, path: &Path, depth: usize) -> bool {
    name == "__pycache__"
        || name.ends_with(".pyc")
        || path.join("pyvenv.cfg").is_file()
        || (depth == 0 && matches!(name, "build" | "dist") && path.is_dir())
}

fn collect(root: &Path, below: &Path, files: &mut Vec<PathBuf>, bytes: &mut u64) -> Result<()> {
    let folder = root.join(below);
    let entries = fs::read_dir(&folder).doing("cannot read the folder", &folder)?;
    let depth = below.components().count();
    for entry in entries {
        let entry = entry.doing("cannot read the folder", &folder)?;
        let name = entry.file_name();
        let shown = name.to_string_lossy();
        let path = entry.path();
        if is_left_out(&shown, &path, depth) {
            continue;
        }
        // A link stands for the file that it leads to; one to a folder could lead anywhere.
        let kind = entry.file_type().doing("cannot read", &path)?;
        let inner = below.join(&name);
        if kind.is_dir() {
            collect(root, &inner, files, bytes)?;
        } else if path.is_file() {
            *bytes = bytes.saturating_add(fs::metadata(&path).map_or(0, |m| m.len()));
            files.push(inner);
        }
        if files.len() > MOST_FILES || *bytes > MOST_BYTES {
            let message = format!("{} holds more than any source does", root.display());
            return Err(Error::request(message).help(
                "it takes no more than 200,000 files and 4 GiB: name the folder of the project \
                    itself",
            ));
        }
    }
    Ok(())
}

/// A hash over names and contents. The folder of a repository counts for nothing: the same files are
/// the same tree.
fn identity_of(folder: &Path, files: &[PathBuf]) -> Result<String> {
    let mut all = Sha256::new();
    for path in files.iter().filter(|p| !p.starts_with(".git")) {
        let from = folder.join(path);
        let (hash, size) = sha256_of(&from)?;
        let name = path.to_string_lossy();
        all.update(format!("{}\0{name}\0{hash}\0{size}\n", name.len()).as_bytes());
    }
    Ok(eutaxis_core::artifact::hex(&all.finalize()))
}

#[cfg(unix)]
fn is_executable(found: &fs::Metadata) -> bool {
    use std::os::unix::fs::PermissionsExt;
    found.permissions().mode() & 0o100 != 0
}

#[cfg(not(unix))]
fn is_executable(_: &fs::Metadata) -> bool {
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_files_are_the_same_tree() {
        let (cache, tree) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let write = |name: &str, text: &str| {
            let path = tree.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, text).unwrap();
        };
        write("pyproject.toml", "[project]\n");
        write("src/kit/__init__.py", "x = 1\n");
        let packed = || pack(cache.path(), tree.path(), None).unwrap();
        let first = packed();
        for name in [
            "src/kit/__pycache__/x.pyc",
            "build/lib/x.py",
            ".venv/pyvenv.cfg",
            ".git/HEAD",
        ] {
            write(name, "y");
        }
        assert_eq!(packed(), first);
        write("src/kit/__init__.py", "x = 2\n");
        assert_ne!(packed().identity, first.identity);
    }
}
