//! Building a wheel from a source distribution by the standard hooks (PEP 517 and 660), in a folder
//! of its own that goes with the build, also when the run is killed: the next one sweeps it.
//!
//! [`Workshop`] is one build under way; [`Shelf`] keeps what came out.

mod breaking;
mod confine;
mod hook;
mod shelf;
mod tools;

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

use tempfile::TempDir;

use crate::Result;
use crate::error::Doing;
use crate::source::unpack;
use crate::store::remove_tree;
use hook::Bench;

pub use breaking::broken_off;
pub use hook::{Confined, Ended, Hook, Limits, Ran};
pub use shelf::{BUILT, Key, Record, Shelf, Took};
pub use tools::{compiler, has_header, has_library, program};

/// The moment that stands for now where none is known: zip archives hold none before it.
const FIRST_MOMENT: i64 = 315_532_800;

/// One build under way.
#[derive(Debug)]
pub struct Workshop {
    root: TempDir,
    source: PathBuf,
    _lock: File,
    lock_path: PathBuf,
}

impl Workshop {
    /// A folder for a build, with the archive unpacked in it.
    ///
    /// # Errors
    /// When the archive is refused, or the disk fails.
    pub fn open(shelf: &Shelf, archive: &Path) -> Result<Self> {
        let temporary = shelf.temporary();
        let root = tempfile::Builder::new()
            .prefix("build-")
            .tempdir_in(&temporary)
            .doing("cannot write to", &temporary)?;
        let lock_path = lock_of(root.path());
        let lock = File::create(&lock_path).doing("cannot write", &lock_path)?;
        lock.lock().doing("cannot lock", &lock_path)?;
        crate::halt::at("workshop-made");
        for folder in ["source", "home", "tmp", "out"] {
            let path = root.path().join(folder);
            fs::create_dir(&path).doing("cannot make the folder", &path)?;
        }
        let source = unpack(archive, &root.path().join("source"))?;
        crate::halt::at("source-unpacked");
        Ok(Workshop {
            root,
            source,
            _lock: lock,
            lock_path,
        })
    }

    /// Where the build environment goes.
    pub fn environment(&self) -> PathBuf {
        self.root.path().join("environment")
    }

    /// The folder in which the backend leaves what it makes.
    pub fn out(&self) -> PathBuf {
        self.root.path().join("out")
    }

    /// What the hooks wrote.
    pub fn log(&self) -> PathBuf {
        self.root.path().join("build.log")
    }

    /// The unpacked source.
    pub fn source(&self) -> &Path {
        &self.source
    }

    /// Runs a hook.
    ///
    /// # Errors
    /// When its interpreter cannot be started, the disk fails, or the work is given up.
    pub fn run(&self, hook: &Hook<'_>, by: &By<'_>) -> Result<Ran> {
        let bench = Bench {
            python: by.python,
            root: self.root.path(),
            source: &self.source,
            log: &self.log(),
            variables: by.variables,
            epoch: by.epoch.unwrap_or(FIRST_MOMENT).max(FIRST_MOMENT),
            limits: by.limits,
            progress: by.progress,
            stop: by.stop,
        };
        let ran = bench.run(hook);
        crate::halt::at("hook-ran");
        ran
    }

    /// The file that a hook says it made, when it really lies in the folder for it.
    ///
    /// # Errors
    /// When the name leads out of it, or nothing is there: why, in words.
    pub fn made(&self, name: &str) -> std::result::Result<PathBuf, String> {
        let shown = eutaxis_core::fault::escaped(name);
        if name.is_empty() || name.contains(['/', '\\', '\0']) || matches!(name, "." | "..") {
            return Err(format!(
                "answers with `{shown}`, which is no name of a file"
            ));
        }
        let path = self.out().join(name);
        match path.symlink_metadata() {
            Ok(found) if found.is_file() && found.len() > 0 => Ok(path),
            Ok(found) if found.is_dir() => Ok(path),
            _ => Err(format!("answers with {shown}, and there is no such file")),
        }
    }
}

impl Drop for Workshop {
    fn drop(&mut self) {
        remove_tree(self.root.path());
        let _ = fs::remove_file(&self.lock_path);
    }
}

/// By what hooks are run.
pub struct By<'a> {
    /// The interpreter of the build environment.
    pub python: &'a Path,
    /// Variables that the user states.
    pub variables: &'a BTreeMap<String, String>,
    /// The moment that stands for now.
    pub epoch: Option<i64>,
    /// What each hook may use.
    pub limits: Limits,
    /// Told the last line of the output while one runs.
    pub progress: &'a (dyn Fn(&str) + Sync),
    /// Set when the work is to be given up.
    pub stop: &'a AtomicBool,
}

/// The lock of the folder of a build.
fn lock_of(folder: &Path) -> PathBuf {
    let mut name = folder.as_os_str().to_owned();
    name.push(".lock");
    PathBuf::from(name)
}

/// Removes the folders of builds that nobody works in any more.
fn sweep(temporary: &Path) {
    for entry in fs::read_dir(temporary).into_iter().flatten().flatten() {
        let path = entry.path();
        let name = entry.file_name();
        let name = name.to_string_lossy();
        let folder = match name.strip_suffix(".lock") {
            Some(stem) => temporary.join(stem),
            None => path.clone(),
        };
        let lock = lock_of(&folder);
        // One that is being made has no lock for a moment, and is young.
        let is_young = fs::metadata(&folder)
            .and_then(|m| m.modified())
            .ok()
            .and_then(|t| t.elapsed().ok())
            .is_some_and(|age| age.as_secs() < 10);
        let is_free = match File::options().write(true).open(&lock) {
            Ok(file) => file.try_lock().is_ok(),
            Err(_) => !is_young,
        };
        if is_free {
            remove_tree(&folder);
            let _ = fs::remove_file(&lock);
        }
    }
}
