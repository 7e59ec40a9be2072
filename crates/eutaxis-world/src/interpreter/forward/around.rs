//! What stands around a script and may decide what it starts: the variables of the process, and what
//! there is in the folders that it may look into.

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use crate::hash::Sha256;

/// Into more folders than this no script looks to choose an interpreter.
const MOST_FOLDERS: usize = 600;
/// Of a longer script nothing is read.
const MOST_TEXT: usize = 1 << 16;
/// Variables that a shell changes from command to command.
const PASSING: [&str; 6] = ["_", "SHLVL", "OLDPWD", "PWD", "COLUMNS", "LINES"];

/// The names in folders, each read once.
#[derive(Debug, Default)]
pub(in crate::interpreter) struct Names(Mutex<BTreeMap<PathBuf, Vec<u8>>>);

impl Names {
    /// A digest of the names in a folder; that of nothing when it is not there.
    fn of(&self, folder: &Path) -> Vec<u8> {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = known.get(folder) {
            return known.clone();
        }
        drop(known);
        let mut names: Vec<_> = entries(folder).map(|e| e.file_name()).collect();
        names.sort();
        let mut digest = Sha256::new();
        for name in names {
            digest.update(name.as_encoded_bytes());
            digest.update(b"/");
        }
        let digest = digest.finalize();
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.insert(folder.to_owned(), digest.clone());
        digest
    }
}

/// What stands around a script.
pub(super) struct Around {
    /// Folders in which it may read a file, or see whether one is there.
    pub(super) folders: BTreeSet<PathBuf>,
    /// Folders of programs: in these it is only looked which names are there.
    programs: Vec<PathBuf>,
}

impl Around {
    /// What stands around the script of a path. None when that is more than can be looked at.
    ///
    /// The folder in which it is started and those around it (where people put what a script shall
    /// choose), the home folder and its settings, those of the system, and the folders of whatever
    /// the script belongs to: where it lies, what its text names by path, what variables name. What
    /// lies in the cache is the program's own.
    pub(super) fn of(script: &Path, cache: &Path) -> Option<Self> {
        let here = std::env::current_dir().ok()?;
        let home = std::env::home_dir();
        let mut folders: BTreeSet<PathBuf> = here.ancestors().map(Path::to_owned).collect();
        folders.insert(PathBuf::from("/etc"));
        folders.extend(home.clone());
        let settings = std::env::var_os("XDG_CONFIG_HOME").map(PathBuf::from);
        let settings = settings.or_else(|| Some(home.as_ref()?.join(".config")));
        if let Some(settings) = settings {
            folders.extend(within(&settings));
            folders.insert(settings);
        }
        let programs: Vec<PathBuf> = std::env::var_os("PATH")
            .map(|path| std::env::split_paths(&path).collect())
            .unwrap_or_default();
        for own in own_folders(script) {
            // What many things lie in belongs to none of them.
            let shared =
                |folder: &Path| folder.parent().is_none() || home.as_deref() == Some(folder);
            for folder in [Some(own.as_path()), own.parent()].into_iter().flatten() {
                if !shared(folder) {
                    folders.extend(within(folder));
                    folders.insert(folder.to_owned());
                }
            }
        }
        folders.retain(|folder| !folder.starts_with(cache));
        (folders.len() + programs.len() <= MOST_FOLDERS).then_some(Around { folders, programs })
    }

    /// A digest of the variables and of the names in all folders.
    pub(super) fn stamp(&self, names: &Names) -> String {
        let mut digest = Sha256::new();
        let mut part = |bytes: &[u8]| {
            digest.update(&(bytes.len() as u64).to_le_bytes());
            digest.update(bytes);
        };
        let mut variables: Vec<_> = std::env::vars_os().filter(|(k, _)| counts(k)).collect();
        variables.sort();
        for (key, value) in variables {
            part(key.as_encoded_bytes());
            part(value.as_encoded_bytes());
        }
        for folder in self.folders.iter().chain(&self.programs) {
            part(folder.as_os_str().as_encoded_bytes());
            part(&names.of(folder));
        }
        eutaxis_core::artifact::hex(&digest.finalize())
    }
}

/// Whether a variable may decide what a script starts: the program's own and those that change from
/// command to command do not.
fn counts(name: &OsStr) -> bool {
    let name = name.to_string_lossy();
    !PASSING.contains(&&*name) && !name.starts_with("EUTAXIS_")
}

/// The folders of what a script belongs to.
fn own_folders(script: &Path) -> BTreeSet<PathBuf> {
    let mut own = BTreeSet::new();
    let real = std::fs::canonicalize(script).ok();
    for path in [Some(script), real.as_deref()].into_iter().flatten() {
        own.extend(path.parent().map(Path::to_owned));
    }
    let bytes = crate::files::read_plain(script).unwrap_or_default();
    let text = String::from_utf8_lossy(bytes.get(..MOST_TEXT).unwrap_or(&bytes));
    let named = text.split(|c: char| c.is_whitespace() || "\"'`;:=(){}[]<>&|,$".contains(c));
    let values = std::env::vars_os().filter(|(k, _)| counts(k) && k != "HOME");
    let named = named.map(PathBuf::from);
    for path in named.chain(values.map(|(_, v)| PathBuf::from(v))) {
        // A name in a folder of the whole system says nothing of where more of it lies.
        if !path.is_absolute() || path.components().count() < 4 {
            continue;
        }
        if path.is_dir() {
            own.insert(path);
        } else if path.is_file() {
            own.extend(path.parent().map(Path::to_owned));
        }
    }
    own
}

/// The folders within a folder.
fn within(folder: &Path) -> impl Iterator<Item = PathBuf> {
    entries(folder)
        .filter(|e| e.file_type().is_ok_and(|kind| kind.is_dir()))
        .map(|e| e.path())
}

fn entries(folder: &Path) -> impl Iterator<Item = std::fs::DirEntry> {
    std::fs::read_dir(folder).into_iter().flatten().flatten()
}
