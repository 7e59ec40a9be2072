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

use tempfile::NamedTempFile;

use crate::error::Doing;
use crate::source::unpack;
use crate::store::remove_tree;
use crate::{Error, ErrorKind, Result};
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
    root: PathBuf,
    source: PathBuf,
    /// Held as long as the folder is in use, and gone with it.
    _lock: NamedTempFile,
}

impl Workshop {
    /// A folder for a build, with the archive unpacked in it.
    ///
    /// # Errors
    /// When the archive is refused, or the disk fails.
    pub fn open(shelf: &Shelf, archive: &Path) -> Result<Self> {
        let (lock, root) = claim(&shelf.temporary())?;
        let mut workshop = Workshop {
            source: root.join("source"),
            root,
            _lock: lock,
        };
        crate::halt::at("workshop-made");
        for folder in ["source", "home", "tmp", "out"] {
            let path = workshop.root.join(folder);
            fs::create_dir_all(&path).doing("cannot make the folder", &path)?;
        }
        workshop.source = unpack(archive, &workshop.source)?;
        crate::halt::at("source-unpacked");
        Ok(workshop)
    }

    /// A folder for a build of a tree that is used where it lies: hooks may write there, too.
    ///
    /// # Errors
    /// When the disk fails.
    pub fn over(shelf: &Shelf, tree: &Path) -> Result<Self> {
        let (lock, root) = claim(&shelf.temporary())?;
        for folder in ["home", "tmp", "out"] {
            let path = root.join(folder);
            fs::create_dir_all(&path).doing("cannot make the folder", &path)?;
        }
        Ok(Workshop {
            source: tree.to_owned(),
            root,
            _lock: lock,
        })
    }

    /// Where the build environment goes.
    pub fn environment(&self) -> PathBuf {
        self.root.join("environment")
    }

    /// The folder in which the backend leaves what it makes.
    pub fn out(&self) -> PathBuf {
        self.root.join("out")
    }

    /// What the hooks wrote.
    pub fn log(&self) -> PathBuf {
        self.root.join("build.log")
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
            root: &self.root,
            source: &self.source,
            log: &self.log(),
            variables: by.variables,
            network: by.network,
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
        remove_tree(&self.root);
    }
}

/// By what hooks are run.
pub struct By<'a> {
    /// The interpreter of the build environment.
    pub python: &'a Path,
    /// Variables that the user states.
    pub variables: &'a BTreeMap<String, String>,
    /// The network is left to them.
    pub network: bool,
    /// The moment that stands for now.
    pub epoch: Option<i64>,
    /// What each hook may use.
    pub limits: Limits,
    /// Told the last line of the output while one runs.
    pub progress: &'a (dyn Fn(&str) + Sync),
    /// Set when the work is to be given up.
    pub stop: &'a AtomicBool,
}

/// What the name of the lock of a folder ends in.
const LOCK: &str = ".lock";

/// A lock with a name that nobody has, and the folder that is its holder's.
fn claim(temporary: &Path) -> Result<(NamedTempFile, PathBuf)> {
    /// So often others may take a lock for one that was left behind, before it is held.
    const TRIES: usize = 20;
    for _ in 0..TRIES {
        let lock = tempfile::Builder::new()
            .prefix("build-")
            .suffix(LOCK)
            .tempfile_in(temporary)
            .doing("cannot write to", temporary)?;
        lock.as_file().lock().doing("cannot lock", lock.path())?;
        if !lock.path().exists() {
            continue;
        }
        let root = lock.path().with_extension("");
        fs::create_dir(&root).doing("cannot make the folder", &root)?;
        return Ok((lock, root));
    }
    let message = format!("cannot hold a lock in {}", temporary.display());
    Err(Error::new(ErrorKind::Disk, message))
}

/// Removes the folders of builds that nobody works in any more: those whose locks are free.
fn sweep(temporary: &Path) {
    let entries = fs::read_dir(temporary).into_iter().flatten().flatten();
    let names: Vec<String> = entries
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect();
    for name in names.iter().filter(|n| n.ends_with(LOCK)) {
        let lock = temporary.join(name);
        let free = File::options().write(true).open(&lock).ok();
        if let Some(file) = free.filter(|f| f.try_lock().is_ok()) {
            remove_tree(&lock.with_extension(""));
            let _ = fs::remove_file(&lock);
            drop(file);
        }
    }
    // The lock goes last.
    let has_lock = |name: &String| names.contains(&format!("{name}{LOCK}"));
    for name in names.iter().filter(|n| !n.ends_with(LOCK) && !has_lock(n)) {
        if !temporary.join(format!("{name}{LOCK}")).exists() {
            remove_tree(&temporary.join(name));
        }
    }
}
