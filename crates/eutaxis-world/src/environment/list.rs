//! Environments below a folder: what each is made of, what it is for, how big it is, and whether it
//! is whole (PEP 405). Only files are read.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use super::read::{Place, look};
use crate::interpreter::{Recorded, environment_python, recorded};

/// Environments are looked for so many folders deep.
const DEEPEST: usize = 6;
/// So many folders are looked into at most.
const MOST_FOLDERS: usize = 50_000;

/// An environment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// Its folder.
    pub root: PathBuf,
    /// The version of its interpreter, as it was recorded.
    pub version: Option<String>,
    /// Its base interpreter: the program that its own leads to, or should.
    pub base: Option<PathBuf>,
    /// It sees the base interpreter's packages.
    pub shares_system: bool,
    /// The folder of the project that it belongs to, as far as that can be told.
    pub project: Option<PathBuf>,
    /// How many projects it holds.
    pub projects: usize,
    /// Bytes of its files, and of those the bytes that no other place shares by a hard link.
    pub size: Size,
    /// It is the one that is entered.
    pub active: bool,
    /// Why it is not whole; empty when it is.
    pub faults: Vec<Fault>,
}

/// Bytes of an environment's files.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Size {
    /// All of them.
    pub whole: u64,
    /// Those that are not shared.
    pub own: u64,
}

/// Why an environment is not whole.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fault {
    /// Its base interpreter is not there any more.
    BaseGone(PathBuf),
    /// It was made at another place: its scripts lead there.
    Moved(PathBuf),
    /// It is the one that is entered, and its folder is gone.
    Gone,
    /// It has no interpreter.
    NoInterpreter,
}

impl Fault {
    /// The word for it in JSON.
    pub fn as_str(&self) -> &'static str {
        match self {
            Fault::BaseGone(_) => "base-gone",
            Fault::Moved(_) => "moved",
            Fault::Gone => "gone",
            Fault::NoInterpreter => "no-interpreter",
        }
    }
}

/// The folders of environments in a folder and below it, in the order of their paths.
pub fn roots_below(folder: &Path) -> Vec<PathBuf> {
    let mut roots = Vec::new();
    let mut left = MOST_FOLDERS;
    look_below(folder, DEEPEST, &mut left, &mut roots);
    roots.sort();
    roots
}

/// The environments in a folder and below it, in the order of their paths; and the active one,
/// wherever it is.
pub fn environments(folder: &Path, active: Option<&Path>) -> Vec<Listed> {
    let mut roots = roots_below(folder);
    let same = |a: &Path, b: &Path| {
        fs::canonicalize(a)
            .ok()
            .is_some_and(|a| Some(a) == fs::canonicalize(b).ok())
    };
    if let Some(active) = active
        && !roots.iter().any(|r| same(r, active))
    {
        roots.push(active.to_owned());
    }
    roots.sort();
    let is_active = |root: &Path| active.is_some_and(|a| a == root || same(a, root));
    roots
        .par_iter()
        .map(|root| listed(root, is_active(root)))
        .collect()
}

fn look_below(folder: &Path, depth: usize, left: &mut usize, found: &mut Vec<PathBuf>) {
    if folder.join("pyvenv.cfg").is_file() {
        return found.push(folder.to_owned());
    }
    if depth == 0 || *left == 0 {
        return;
    }
    *left -= 1;
    let Ok(entries) = fs::read_dir(folder) else {
        return;
    };
    for entry in entries.flatten() {
        // Links are not followed: what they lead to has a place of its own.
        if !entry.file_type().is_ok_and(|t| t.is_dir()) {
            continue;
        }
        let hidden = entry.file_name().to_string_lossy().starts_with('.');
        // Folders with a leading dot are environments or of no interest.
        look_below(
            &entry.path(),
            if hidden { 0 } else { depth - 1 },
            left,
            found,
        );
    }
}

fn listed(root: &Path, active: bool) -> Listed {
    let Stated {
        version,
        base,
        faults,
    } = stated(root);
    let infos = info_folders(root);
    Listed {
        project: project(root, &infos),
        projects: infos.len(),
        size: if root.is_dir() {
            size(root)
        } else {
            Size::default()
        },
        shares_system: matches!(
            look(root),
            Ok(Place::Environment {
                shares_system: true,
                ..
            })
        ),
        root: root.to_owned(),
        version,
        base,
        active,
        faults,
    }
}

/// Reads what an environment states of itself.
pub(crate) fn stated(root: &Path) -> Stated {
    let Recorded {
        version,
        home,
        base,
    } = recorded(root);
    let mut faults = Vec::new();
    if root.is_dir() {
        let python = environment_python(root);
        faults.extend(interpreter_fault(&python, home.as_deref(), base.as_deref()));
        faults.extend(moved(root).map(Fault::Moved));
    } else {
        faults.push(Fault::Gone);
    }
    Stated {
        version,
        base,
        faults,
    }
}

/// Why an environment is not whole, if it is not: what makes it useless before what does not.
pub fn fault_of(root: &Path) -> Option<Fault> {
    stated(root).faults.into_iter().next()
}

/// What an environment states of itself, and whether it holds.
pub(crate) struct Stated {
    /// The version of its interpreter, as it was recorded.
    pub(crate) version: Option<String>,
    /// Its base interpreter.
    pub(crate) base: Option<PathBuf>,
    /// Why it is not whole.
    pub(crate) faults: Vec<Fault>,
}

fn interpreter_fault(python: &Path, home: Option<&Path>, base: Option<&Path>) -> Option<Fault> {
    if !python.exists() {
        let link = fs::read_link(python).is_ok();
        let gone = base.or(home).map(Path::to_owned);
        return Some(match gone {
            Some(gone) if link || home.is_some_and(|h| !h.is_dir()) => Fault::BaseGone(gone),
            _ => Fault::NoInterpreter,
        });
    }
    home.filter(|h| !h.is_dir())
        .map(|h| Fault::BaseGone(h.to_owned()))
}

/// The place that an environment was made at, when it is another one.
fn moved(root: &Path) -> Option<PathBuf> {
    let text = fs::read_to_string(root.join("bin").join("activate")).ok()?;
    let line = text
        .lines()
        .find_map(|l| l.trim().strip_prefix("VIRTUAL_ENV="))?;
    let made = line.trim_matches(['"', '\'']).replace("'\\''", "'");
    let made = PathBuf::from(made);
    let same = made.is_relative() || fs::canonicalize(&made).ok() == fs::canonicalize(root).ok();
    (!same).then_some(made)
}

/// The folders with metadata of the projects that it holds.
pub(crate) fn info_folders(root: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for site in crate::root::matching(root, "lib/*/site-packages") {
        let Ok(entries) = fs::read_dir(site) else {
            continue;
        };
        let is_info = |p: &PathBuf| {
            p.extension()
                .is_some_and(|e| e == "dist-info" || e == "egg-info")
        };
        found.extend(entries.flatten().map(|e| e.path()).filter(is_info));
    }
    found
}

/// The project that an environment belongs to: one that it holds in place (editable), else that of
/// the folder it stands in.
fn project(root: &Path, infos: &[PathBuf]) -> Option<PathBuf> {
    let editable = infos.iter().find_map(|info| {
        let text = fs::read_to_string(info.join("direct_url.json")).ok()?;
        let told: serde_json::Value = serde_json::from_str(&text).ok()?;
        let editable = told.get("dir_info")?.get("editable")?.as_bool()?;
        let url = url::Url::parse(told.get("url")?.as_str()?).ok()?;
        url.to_file_path().ok().filter(|_| editable)
    });
    let beside = root.parent().filter(|parent| {
        let Ok(entries) = fs::read_dir(parent) else {
            return false;
        };
        let tells = |name: &str| {
            name == "pyproject.toml"
                || (name.starts_with("pylock.") && name.ends_with(".toml"))
                || (name.starts_with("requirements") && name.ends_with(".txt"))
        };
        entries
            .flatten()
            .any(|e| tells(&e.file_name().to_string_lossy()))
    });
    editable.or_else(|| beside.map(Path::to_owned))
}

/// Bytes of all files below a folder, each file once.
pub(crate) fn size(root: &Path) -> Size {
    let mut seen: HashSet<(u64, u64)> = HashSet::new();
    let mut size = Size::default();
    let mut open = vec![root.to_owned()];
    while let Some(folder) = open.pop() {
        let Ok(entries) = fs::read_dir(folder) else {
            continue;
        };
        for entry in entries.flatten() {
            let Ok(metadata) = entry.metadata() else {
                continue;
            };
            if metadata.is_dir() {
                open.push(entry.path());
            } else if metadata.is_file() {
                add(&metadata, &mut seen, &mut size);
            }
        }
    }
    size
}

#[cfg(unix)]
fn add(metadata: &fs::Metadata, seen: &mut HashSet<(u64, u64)>, size: &mut Size) {
    use std::os::unix::fs::MetadataExt;
    if !seen.insert((metadata.dev(), metadata.ino())) {
        return;
    }
    size.whole += metadata.len();
    if metadata.nlink() == 1 {
        size.own += metadata.len();
    }
}

#[cfg(not(unix))]
fn add(metadata: &fs::Metadata, _: &mut HashSet<(u64, u64)>, size: &mut Size) {
    size.whole += metadata.len();
    size.own += metadata.len();
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use rstest::rstest;
    use tempfile::TempDir;

    /// An environment at `camp/.venv`, with a base interpreter beside it.
    fn camp() -> TempDir {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("camp/.venv");
        let site = root.join("lib/python3.11/site-packages");
        fs::create_dir_all(site.join("firnio-1.3.dist-info")).unwrap();
        fs::create_dir_all(root.join("bin")).unwrap();
        let base = folder.path().join("base/bin");
        fs::create_dir_all(&base).unwrap();
        fs::write(base.join("python3.11"), "").unwrap();
        std::os::unix::fs::symlink(base.join("python3.11"), root.join("bin/python")).unwrap();
        fs::write(
            root.join("pyvenv.cfg"),
            format!(
                "home = {}\nversion = 3.11.2\ninclude-system-site-packages = false\n",
                base.display()
            ),
        )
        .unwrap();
        fs::write(
            root.join("bin/activate"),
            format!("VIRTUAL_ENV='{}'\n", root.display()),
        )
        .unwrap();
        fs::write(site.join("firnio.py"), "x = 1\n").unwrap();
        fs::write(folder.path().join("camp/pyproject.toml"), "").unwrap();
        folder
    }

    #[test]
    fn an_environment_is_told_with_what_it_is_for() {
        let folder = camp();
        let found = environments(folder.path(), None);
        let [one] = found.as_slice() else {
            panic!("{found:?}")
        };
        assert_eq!(
            (one.version.as_deref(), one.projects, one.faults.len()),
            (Some("3.11.2"), 1, 0)
        );
        assert_eq!(one.project, Some(folder.path().join("camp")));
        assert!(
            one.base.as_ref().unwrap().ends_with("base/bin/python3.11")
                && !one.shares_system
                && !one.active
        );
        let before = one.size;
        assert!(before.own == before.whole && before.whole > 6);
        let shared = folder.path().join("store");
        fs::hard_link(
            one.root.join("lib/python3.11/site-packages/firnio.py"),
            shared,
        )
        .unwrap();
        let after = environments(folder.path(), Some(&one.root))[0].clone();
        assert_eq!(
            (after.size.whole, after.size.own),
            (before.whole, before.own - 6)
        );
        assert!(after.active);
    }

    #[rstest]
    #[case::whole("", &[])]
    #[case::base_gone("base", &["base-gone"])]
    #[case::no_interpreter("camp/.venv/bin/python", &["no-interpreter"])]
    fn what_is_missing_is_told(#[case] removed: &str, #[case] faults: &[&str]) {
        let folder = camp();
        if !removed.is_empty() {
            let path = folder.path().join(removed);
            if path.is_symlink() {
                fs::remove_file(path).unwrap()
            } else {
                fs::remove_dir_all(path).unwrap()
            }
        }
        let found = environments(folder.path(), None);
        assert_eq!(
            found[0]
                .faults
                .iter()
                .map(Fault::as_str)
                .collect::<Vec<_>>(),
            faults
        );
    }

    #[test]
    fn a_moved_environment_and_one_that_is_gone_are_told() {
        let folder = camp();
        fs::rename(folder.path().join("camp"), folder.path().join("tent")).unwrap();
        let gone = folder.path().join("camp/.venv");
        let found = environments(folder.path(), Some(&gone));
        let told: Vec<Vec<&str>> = found
            .iter()
            .map(|l| l.faults.iter().map(Fault::as_str).collect())
            .collect();
        assert_eq!(told, [vec!["gone"], vec!["moved"]]);
    }
}
