//! A second copy of an environment's tree that shares its files: changes are made there and swapped
//! in whole.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use crate::Result;
use crate::error::Doing;

/// Copies the tree at `from` to the new folder `to` by hard links (copies where that fails),
/// leaving out `without` (absolute paths under `from`) and the compiled forms of what is left out.
/// Folders that become empty are left out too.
pub(super) fn clone_tree(from: &Path, to: &Path, without: &BTreeSet<PathBuf>) -> Result<()> {
    fs::create_dir_all(to).doing("cannot make the folder", to)?;
    copy_permissions(from, to);
    for entry in fs::read_dir(from).doing("cannot read the folder", from)? {
        let entry = entry.doing("cannot read the folder", from)?;
        let (old, new) = (entry.path(), to.join(entry.file_name()));
        let kind = entry.file_type().doing("cannot look at", &old)?;
        if without.contains(&old) || is_compiled_form_of(&old, without) {
            continue;
        }
        if kind.is_dir() {
            clone_tree(&old, &new, without)?;
            let held_something = without.iter().any(|p| p.starts_with(&old));
            if held_something {
                // Only removed when empty.
                let _ = fs::remove_dir(&new);
            }
        } else if kind.is_symlink() {
            let target = fs::read_link(&old).doing("cannot read the link", &old)?;
            make_link(&target, &new)?;
        } else if fs::hard_link(&old, &new).is_err() {
            fs::copy(&old, &new).doing("cannot write", &new)?;
        }
    }
    Ok(())
}

/// `__pycache__/x.cpython-312.pyc` of a left-out `x.py`.
fn is_compiled_form_of(path: &Path, without: &BTreeSet<PathBuf>) -> bool {
    let Some(folder) = path
        .parent()
        .filter(|f| f.file_name().is_some_and(|n| n == "__pycache__"))
    else {
        return false;
    };
    let Some(stem) = path
        .file_name()
        .and_then(|n| n.to_str())
        .and_then(|n| n.split('.').next())
    else {
        return false;
    };
    folder
        .parent()
        .is_some_and(|package| without.contains(&package.join(format!("{stem}.py"))))
}

fn copy_permissions(from: &Path, to: &Path) {
    if let Ok(metadata) = fs::metadata(from) {
        // A file system without permissions keeps its own.
        let _ = fs::set_permissions(to, metadata.permissions());
    }
}

#[cfg(unix)]
pub(super) fn make_link(target: &Path, at: &Path) -> Result<()> {
    std::os::unix::fs::symlink(target, at).doing("cannot make the link", at)
}

#[cfg(not(unix))]
pub(super) fn make_link(target: &Path, at: &Path) -> Result<()> {
    fs::copy(target, at).map(|_| ()).doing("cannot write", at)
}
