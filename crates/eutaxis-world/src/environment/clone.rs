//! A second copy of an environment's tree that shares its files: changes are made there and swapped
//! in whole.

use std::ffi::OsString;
use std::fs;
use std::path::Path;

use rayon::prelude::*;
use rustc_hash::FxHashSet;

use crate::Result;
use crate::error::Doing;

/// What is left out of a copy: absolute paths, by their bytes, as a set of paths compares part by
/// part.
pub(super) type LeftOut = FxHashSet<OsString>;

/// Copies the tree at `from` to the new folder `to` by hard links (copies where that fails),
/// leaving out `without` (absolute paths under `from`) and the compiled forms of what is left out.
/// Folders that become empty are left out too.
pub(super) fn clone_tree(from: &Path, to: &Path, without: &LeftOut) -> Result<()> {
    let mut thinned = LeftOut::default();
    for path in without {
        let above = Path::new(path).ancestors().skip(1);
        // Where a folder is known, so are those above it.
        for folder in above.take_while(|f| *f != from) {
            if !thinned.insert(folder.as_os_str().to_owned()) {
                break;
            }
        }
    }
    let less = Less { without, thinned };
    less.copy(from, to)
}

/// A tree without some of its files.
struct Less<'a> {
    without: &'a LeftOut,
    /// Folders in which something is left out, or below them.
    thinned: LeftOut,
}

impl Less<'_> {
    fn copy(&self, from: &Path, to: &Path) -> Result<()> {
        fs::create_dir_all(to).doing("cannot make the folder", to)?;
        copy_permissions(from, to);
        let mut folders = Vec::new();
        // Of compiled forms the folder's own name tells.
        let holds_compiled = from.file_name().is_some_and(|n| n == "__pycache__");
        for entry in fs::read_dir(from).doing("cannot read the folder", from)? {
            let entry = entry.doing("cannot read the folder", from)?;
            let old = entry.path();
            let is_out = self.without.contains(old.as_os_str());
            if is_out || holds_compiled && is_compiled_form_of(&old, self.without) {
                continue;
            }
            let new = to.join(entry.file_name());
            let kind = entry.file_type().doing("cannot look at", &old)?;
            if kind.is_dir() {
                folders.push((old, new));
            } else if kind.is_symlink() {
                let target = fs::read_link(&old).doing("cannot read the link", &old)?;
                make_link(&target, &new)?;
            } else if fs::hard_link(&old, &new).is_err() {
                fs::copy(&old, &new).doing("cannot write", &new)?;
            }
        }
        folders.par_iter().try_for_each(|(old, new)| {
            self.copy(old, new)?;
            if self.thinned.contains(old.as_os_str()) {
                // Only removed when empty.
                let _ = fs::remove_dir(new);
            }
            Ok(())
        })
    }
}

/// `__pycache__/x.cpython-312.pyc` of a left-out `x.py`.
fn is_compiled_form_of(path: &Path, without: &LeftOut) -> bool {
    let stem = path.file_name().and_then(|n| n.to_str());
    let Some(stem) = stem.and_then(|n| n.split('.').next()) else {
        return false;
    };
    let package = path.parent().and_then(Path::parent);
    package.is_some_and(|p| without.contains(p.join(format!("{stem}.py")).as_os_str()))
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

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};
    use std::path::PathBuf;

    use super::*;

    /// A tree of these files, each with its own path in it.
    fn tree(files: &[&str]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        for file in files {
            let path = folder.path().join("old").join(file);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, file).unwrap();
        }
        folder
    }

    fn cloned(folder: &Path, without: &[&str]) -> PathBuf {
        let (old, new) = (folder.join("old"), folder.join("new"));
        let without = without.iter().map(|f| old.join(f).into()).collect();
        clone_tree(&old, &new, &without).unwrap();
        new
    }

    #[test]
    fn files_are_shared_and_those_left_out_go_with_their_folders() {
        let folder = tree(&[
            "lib/firnio/a.py",
            "lib/firnio/b.py",
            "lib/moulin/c.py",
            "bin/run",
        ]);
        let new = cloned(folder.path(), &["lib/firnio/a.py", "lib/moulin/c.py"]);
        assert!(!new.join("lib/firnio/a.py").exists());
        assert!(!new.join("lib/moulin").exists());
        let inode = |path: &Path| fs::metadata(path).unwrap().ino();
        let (was, is) = (folder.path().join("old/bin/run"), new.join("bin/run"));
        assert_eq!(inode(&was), inode(&is));
        assert_eq!(
            fs::read_to_string(new.join("lib/firnio/b.py")).unwrap(),
            "lib/firnio/b.py"
        );
    }

    #[test]
    fn compiled_forms_go_with_what_they_were_compiled_from() {
        let folder = tree(&[
            "p/a.py",
            "p/b.py",
            "p/__pycache__/a.cpython-312.pyc",
            "p/__pycache__/a.cpython-312.opt-1.pyc",
            "p/__pycache__/b.cpython-312.pyc",
        ]);
        let new = cloned(folder.path(), &["p/a.py"]);
        let left: Vec<_> = fs::read_dir(new.join("p/__pycache__"))
            .unwrap()
            .map(|e| e.unwrap().file_name())
            .collect();
        assert_eq!(left, ["b.cpython-312.pyc"]);
    }

    #[test]
    fn links_and_permissions_stay_as_they_are() {
        let folder = tree(&["bin/python3"]);
        let old = folder.path().join("old");
        make_link(Path::new("python3"), &old.join("bin/python")).unwrap();
        make_link(Path::new("nowhere"), &old.join("lost")).unwrap();
        fs::create_dir(old.join("locked")).unwrap();
        fs::set_permissions(old.join("locked"), fs::Permissions::from_mode(0o750)).unwrap();
        let new = cloned(folder.path(), &[]);
        assert_eq!(
            fs::read_link(new.join("bin/python")).unwrap(),
            Path::new("python3")
        );
        assert_eq!(
            fs::read_link(new.join("lost")).unwrap(),
            Path::new("nowhere")
        );
        let mode = fs::metadata(new.join("locked"))
            .unwrap()
            .permissions()
            .mode();
        assert_eq!(mode & 0o777, 0o750);
    }

    #[test]
    fn what_is_not_there_is_an_error_with_its_place() {
        let folder = tempfile::tempdir().unwrap();
        let old = folder.path().join("absent");
        let error = clone_tree(&old, &folder.path().join("new"), &LeftOut::default()).unwrap_err();
        assert!(error.message.contains("absent"), "{}", error.message);
    }
}
