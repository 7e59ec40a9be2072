//! The store: unpacked wheels by the hash of the wheel, shared by all environments of this user.
//!
//! An entry appears whole by a rename. Its files are read-only, and their sizes and times are
//! noted, so that one that was changed is noticed, dropped and unpacked again.

mod unpack;

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use eutaxis_core::artifact::{NameRules, WheelName};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::error::Doing;
pub(crate) use crate::files::remove_tree;
use crate::hash::is_sha256;
use crate::{Error, Result};

/// What an entry of the store holds.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Manifest {
    /// The wheel's file name.
    pub wheel: String,
    /// Name of its `.dist-info` folder.
    pub dist_info: String,
    /// Root goes to `purelib`, else `platlib`.
    pub root_is_purelib: bool,
    /// Its files.
    pub files: Vec<StoredFile>,
}

/// A file of an entry.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct StoredFile {
    /// Path in the wheel.
    pub path: String,
    /// Hash as in RECORD: `sha256=...`.
    pub hash: String,
    /// Bytes.
    pub size: u64,
    /// Was marked executable.
    pub executable: bool,
    /// Time of change in nanoseconds, to notice edits.
    changed: u128,
}

/// An unpacked wheel.
#[derive(Debug, Clone)]
pub struct Unpacked {
    /// Folder of its files.
    pub root: PathBuf,
    /// What it holds.
    pub manifest: Manifest,
    /// Bytes of the wheel that were read because it was not in the store.
    pub read: u64,
}

impl Unpacked {
    /// Bytes of all its files.
    pub fn size(&self) -> u64 {
        self.manifest.files.iter().map(|f| f.size).sum()
    }
}

/// The store of a cache folder.
#[derive(Debug, Clone)]
pub struct Store {
    root: PathBuf,
}

/// Its folder in the cache.
pub(crate) const STORE: &str = "store-1";

/// An entry notes its last use, but not more often than this.
const NOTE_USE_AFTER: Duration = Duration::from_secs(24 * 3600);

/// Folders that killed runs left are removed after this time.
const STALE: Duration = Duration::from_secs(24 * 3600);

impl Store {
    /// Its folder.
    pub(crate) fn root(&self) -> &Path {
        &self.root
    }

    /// The store in a cache folder, made when it is not there.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn open(cache: &Path) -> Result<Self> {
        let root = cache.join(STORE);
        let temporary = root.join("tmp");
        fs::create_dir_all(&temporary).doing("cannot make the store", &temporary)?;
        let store = Store { root };
        store.sweep(&temporary);
        Ok(store)
    }

    /// A folder for something that is thrown away, on the disk of the store; what a killed run
    /// leaves of it goes later.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn scratch(&self) -> Result<tempfile::TempDir> {
        let temporary = self.root.join("tmp");
        tempfile::Builder::new()
            .prefix("trial-")
            .tempdir_in(&temporary)
            .doing("cannot write to", &temporary)
    }

    fn sweep(&self, temporary: &Path) {
        let old = |path: &Path| {
            let changed = fs::metadata(path).and_then(|m| m.modified()).ok();
            changed
                .and_then(|t| SystemTime::now().duration_since(t).ok())
                .is_some_and(|age| age > STALE)
        };
        for entry in fs::read_dir(temporary).into_iter().flatten().flatten() {
            if old(&entry.path()) {
                remove_tree(&entry.path());
            }
        }
    }

    fn entry(&self, sha256: &str) -> PathBuf {
        self.root.join(sha256.get(..2).unwrap_or("00")).join(sha256)
    }

    /// Whether it has the wheel with this hash, whole.
    pub fn has(&self, sha256: &str) -> bool {
        self.find(sha256).is_some()
    }

    /// The wheel with this hash, where it is here, whole.
    pub fn find(&self, sha256: &str) -> Option<Unpacked> {
        let entry = self.entry(&sha256.to_ascii_lowercase());
        let manifest = is_sha256(sha256).then(|| intact(&entry)).flatten()?;
        note_use(&entry);
        Some(Unpacked {
            root: entry.join("files"),
            manifest,
            read: 0,
        })
    }

    /// The unpacked form of a wheel, from the store or unpacked now.
    ///
    /// # Errors
    /// When the wheel's bytes do not have this hash, it is unsafe or untruthful, or the disk fails.
    pub fn unpacked(
        &self,
        wheel: &Path,
        name: &WheelName,
        sha256: &str,
        rules: NameRules,
    ) -> Result<Unpacked> {
        if !is_sha256(sha256) {
            return Err(Error::contents(format!("`{sha256}` is not a SHA-256 hash"))
                .help("settle again: it writes one for every file"));
        }
        let entry = self.entry(&sha256.to_ascii_lowercase());
        // Asked before it is looked into: an entry appears whole, so one that was there and is not
        // whole is damaged, while one that comes in between is another's.
        let there = entry.exists();
        if let Some(known) = self.find(sha256) {
            return Ok(known);
        }
        let temporary = self.root.join("tmp");
        if there {
            out_of_the_way(&entry, &temporary)?;
        }
        let stage = tempfile::Builder::new()
            .prefix("wheel-")
            .tempdir_in(&temporary)
            .doing("cannot write to", &temporary)?;
        let files = stage.path().join("files");
        let (mut manifest, read) = unpack::unpack(wheel, name, sha256, rules, &files)?;
        for file in &mut manifest.files {
            file.changed = protect(&files.join(&file.path), file.executable)?;
        }
        let text = serde_json::to_vec(&manifest).unwrap_or_default();
        let list = stage.path().join("manifest.json");
        fs::write(&list, text).doing("cannot write", &list)?;
        if let Some(parent) = entry.parent() {
            fs::create_dir_all(parent).doing("cannot make the folder", parent)?;
        }
        crate::halt::at("wheel-unpacked");
        let manifest = place(stage.path(), &entry, &temporary, manifest)?;
        Ok(Unpacked {
            root: entry.join("files"),
            manifest,
            read,
        })
    }
}

/// A wheel that the store of a cache folder has, by its hash.
pub(crate) fn find(cache: &Path, sha256: &str) -> Option<Unpacked> {
    let root = cache.join(STORE);
    Store { root }.find(sha256)
}

/// How often an entry is placed anew when others move it meanwhile.
const PLACINGS: usize = 5;

/// Moves a staged entry to its place, and gives the manifest of what stands there then: another run
/// may have been faster, and its entry is as good, if it is whole.
fn place(stage: &Path, entry: &Path, temporary: &Path, manifest: Manifest) -> Result<Manifest> {
    let mut last = Ok(());
    for _ in 0..PLACINGS {
        let there = entry.exists();
        last = fs::rename(stage, entry);
        if last.is_ok() {
            return Ok(manifest);
        }
        if let Some(manifest) = intact(entry) {
            return Ok(manifest);
        }
        if there {
            out_of_the_way(entry, temporary)?;
        }
    }
    last.doing("cannot place in the store", entry)
        .map(|()| manifest)
}

/// Moves a damaged entry aside, so that nobody takes it, and removes it there.
fn out_of_the_way(entry: &Path, temporary: &Path) -> Result<()> {
    let away = tempfile::tempdir_in(temporary).doing("cannot write to", temporary)?;
    let moved = away.path().join("damaged");
    // Another run may have moved it already, and a whole one may stand in its place since.
    if fs::rename(entry, &moved).is_ok() && intact(&moved).is_some() {
        let _ = fs::rename(&moved, entry);
    }
    remove_tree(away.path());
    Ok(())
}

/// The manifest's time of change tells when an entry was last used.
fn note_use(entry: &Path) {
    let manifest = entry.join("manifest.json");
    let changed = fs::metadata(&manifest).and_then(|m| m.modified()).ok();
    if changed
        .and_then(|t| SystemTime::now().duration_since(t).ok())
        .is_some_and(|age| age > NOTE_USE_AFTER)
    {
        // A store that cannot be written to is trimmed by others.
        let _ = fs::File::options()
            .append(true)
            .open(&manifest)
            .and_then(|f| f.set_modified(SystemTime::now()));
    }
}

/// Bytes of an entry's files, as its manifest states them.
pub(crate) fn size_of(entry: &Path) -> u64 {
    let manifest = fs::read(entry.join("manifest.json"))
        .ok()
        .and_then(|b| serde_json::from_slice::<Manifest>(&b).ok());
    manifest.map_or(0, |m| m.files.iter().map(|f| f.size).sum())
}

/// The manifest of an entry whose files are all there with the sizes and times that were noted.
fn intact(entry: &Path) -> Option<Manifest> {
    let manifest: Manifest =
        serde_json::from_slice(&fs::read(entry.join("manifest.json")).ok()?).ok()?;
    let files = entry.join("files");
    let same = |f: &StoredFile| {
        fs::symlink_metadata(files.join(&f.path))
            .is_ok_and(|m| m.is_file() && m.len() == f.size && changed(&m) == f.changed)
    };
    manifest.files.par_iter().all(same).then_some(manifest)
}

fn changed(metadata: &fs::Metadata) -> u128 {
    metadata
        .modified()
        .ok()
        .and_then(|t| t.duration_since(UNIX_EPOCH).ok())
        .map_or(0, |d| d.as_nanos())
}

/// Makes a file read-only, with the executable bits if it had them, and tells its time of change.
fn protect(path: &Path, executable: bool) -> Result<u128> {
    let metadata = fs::metadata(path).doing("cannot read", path)?;
    let mut permissions = metadata.permissions();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        permissions.set_mode(if executable { 0o555 } else { 0o444 });
    }
    #[cfg(not(unix))]
    {
        let _ = executable;
        permissions.set_readonly(true);
    }
    fs::set_permissions(path, permissions).doing("cannot protect", path)?;
    Ok(changed(&metadata))
}

#[cfg(test)]
mod tests;
