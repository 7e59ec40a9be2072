//! Where an environment's interpreter looks for modules, in order, and what it would find there
//! (the language's library reference, `site`; the language reference, the import system).

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use eutaxis_core::examine::{Entry, Seat, Top};
use eutaxis_core::name::is_identifier;

use super::super::read::tidy_path;
use super::start::Seen;
use super::{shares, shown};
use crate::root::{stand_in, start_of};

/// A `.pth` file, and of its lines those that run code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pth {
    /// Where it is.
    pub path: PathBuf,
    /// Folders that it adds.
    pub folders: Vec<PathBuf>,
    /// Lines that are run at every start.
    pub runs: Vec<String>,
}

/// Where modules are looked for.
#[derive(Debug, Clone)]
pub struct Search {
    /// The folders, in order.
    pub entries: Vec<Entry>,
    /// The `.pth` files that add to them.
    pub pth: Vec<Pth>,
}

/// The folders in which an environment's interpreter looks for modules.
pub fn import_path(seen: &Seen, from_folder: Option<&Path>) -> Search {
    let mut search = Search {
        entries: Vec::new(),
        pth: Vec::new(),
    };
    let add = |folder: &Path, seat: Seat, search: &mut Search| {
        let folder = tidy_path(folder);
        let name = shown(&folder);
        if folder.is_dir() && !search.entries.iter().any(|e| e.folder == name) {
            let modules = modules(&folder, &seen.paths.suffixes);
            search.entries.push(Entry {
                folder: name,
                seat,
                modules,
            });
        }
    };
    if let Some(folder) = from_folder {
        add(
            &std::path::absolute(folder).unwrap_or_else(|_| folder.to_owned()),
            Seat::Start,
            &mut search,
        );
    }
    // Of a machine that is looked at from outside, this process's variables tell nothing.
    let variable = std::env::var_os("PYTHONPATH")
        .filter(|_| stand_in().is_none())
        .unwrap_or_default();
    for folder in std::env::split_paths(&variable).filter(|f| f.is_absolute()) {
        add(&folder, Seat::Variable, &mut search);
    }
    for folder in &seen.paths.standard {
        add(folder, Seat::Standard, &mut search);
    }
    let mut sites: Vec<(PathBuf, Seat)> = own_sites(seen)
        .into_iter()
        .map(|s| (s, Seat::Site))
        .collect();
    if shares(seen.kind) {
        let off = std::env::var_os("PYTHONNOUSERSITE").is_some_and(|v| !v.is_empty());
        sites.extend(
            seen.paths
                .user
                .iter()
                .filter(|_| !off)
                .map(|u| (u.clone(), Seat::User)),
        );
        let system = if is_virtual(seen) {
            Seat::System
        } else {
            Seat::Site
        };
        sites.extend(seen.paths.sites.iter().map(|s| (s.clone(), system)));
    }
    for (site, seat) in sites {
        add(&site, seat, &mut search);
        for pth in pth_files(&site) {
            for folder in &pth.folders {
                add(
                    folder,
                    if seat == Seat::Site { Seat::Pth } else { seat },
                    &mut search,
                );
            }
            search.pth.push(pth);
        }
    }
    search
}

fn is_virtual(seen: &Seen) -> bool {
    matches!(seen.kind, eutaxis_core::examine::Kind::Virtual { .. })
}

/// Folders of the environment's own packages; on some systems compiled ones have their own.
fn own_sites(seen: &Seen) -> Vec<PathBuf> {
    if !is_virtual(seen) {
        return Vec::new();
    }
    let series = &seen.facts.markers.python_version;
    let threads = if seen.facts.free_threaded { "t" } else { "" };
    let name = match seen.facts.implementation.as_str() {
        "pypy" => format!("pypy{series}"),
        _ => format!("python{series}{threads}"),
    };
    let mut sites: Vec<PathBuf> = Vec::new();
    let usual =
        ["lib", "lib64"].map(|library| seen.root.join(library).join(&name).join("site-packages"));
    let windows =
        (&*seen.facts.markers.os_name == "nt").then(|| seen.root.join("Lib").join("site-packages"));
    for site in windows.into_iter().chain(usual) {
        // Where the one is a link to the other there is one place.
        let real = fs::canonicalize(&site).ok();
        if !sites.iter().any(|s| fs::canonicalize(s).ok() == real) || sites.is_empty() {
            sites.push(site);
        }
    }
    // One that was made with another interpreter has its packages where that one looks.
    if !sites.iter().any(|s| s.is_dir()) {
        sites.extend(crate::root::matching(
            &seen.root,
            "lib/python*/site-packages",
        ));
    }
    sites
}

/// The `.pth` files of a folder, in the order in which they are read.
fn pth_files(site: &Path) -> Vec<Pth> {
    let Ok(entries) = fs::read_dir(site) else {
        return Vec::new();
    };
    let named = |p: &PathBuf| {
        p.extension().is_some_and(|e| e == "pth")
            && !p
                .file_name()
                .is_some_and(|n| n.to_string_lossy().starts_with('.'))
    };
    let mut files: Vec<PathBuf> = entries.flatten().map(|e| e.path()).filter(named).collect();
    files.sort();
    files.into_iter().map(|path| read_pth(site, path)).collect()
}

fn read_pth(site: &Path, path: PathBuf) -> Pth {
    let text = start_of(&path);
    let mut pth = Pth {
        path,
        folders: Vec::new(),
        runs: Vec::new(),
    };
    for line in text.trim_start_matches('\u{feff}').lines() {
        let line = line.trim_end();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        if line.starts_with("import ") || line.starts_with("import\t") {
            pth.runs.push(line.to_owned());
        } else {
            pth.folders.push(tidy_path(&site.join(line)));
        }
    }
    pth
}

/// What can be imported from a folder: a package with a file before a module, a compiled module
/// before a plain one.
pub(super) fn modules(folder: &Path, suffixes: &[String]) -> BTreeMap<String, Top> {
    let Ok(entries) = fs::read_dir(folder) else {
        return BTreeMap::new();
    };
    let mut found: BTreeMap<String, (usize, Top)> = BTreeMap::new();
    let mut note = |name: &str, rank: usize, path: PathBuf, namespace: bool| {
        let top = Top {
            path: shown(&path),
            namespace,
        };
        match found.get(name) {
            Some((other, _)) if *other <= rank => {}
            _ => {
                found.insert(name.to_owned(), (rank, top));
            }
        }
    };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let Some(name) = name.to_str() else { continue };
        let path = entry.path();
        if is_identifier(name) && path.is_dir() {
            match initial(&path, suffixes) {
                Some(file) => note(name, 0, file, false),
                None => note(name, usize::MAX, path, true),
            }
            continue;
        }
        let ending = suffixes
            .iter()
            .map(String::as_str)
            .chain([".py", ".pyc"])
            .enumerate();
        let stem = ending
            .filter_map(|(rank, s)| Some((rank, name.strip_suffix(s)?)))
            .find(|(_, s)| is_identifier(s));
        if let Some((rank, stem)) = stem.filter(|_| path.is_file()) {
            note(stem, 1 + rank, path, false);
        }
    }
    found
        .into_iter()
        .map(|(name, (_, top))| (name, top))
        .collect()
}

/// The file that is loaded for a package.
fn initial(folder: &Path, suffixes: &[String]) -> Option<PathBuf> {
    let names = suffixes
        .iter()
        .map(String::as_str)
        .chain([".py", ".pyc"])
        .map(|s| folder.join(format!("__init__{s}")));
    names.into_iter().find(|p| p.is_file())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_tells_what_is_loaded_first() {
        let folder = tempfile::tempdir().unwrap();
        let file = |path: &str| {
            let path = folder.path().join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, "").unwrap();
        };
        for path in [
            "m/__init__.py",
            "m.py",
            "n/part.py",
            "n.py",
            "e.abi3.so",
            "e.py",
            "ns/a.py",
            "not-one.py",
            "e.cpython-39-x86_64-linux-gnu.so",
        ] {
            file(path);
        }
        let suffixes = [".cpython-311-x86_64-linux-gnu.so", ".abi3.so", ".so"].map(str::to_owned);
        let found = modules(folder.path(), &suffixes);
        let told: Vec<(String, String)> = found
            .iter()
            .map(|(n, t)| {
                (
                    n.clone(),
                    t.path
                        .trim_start_matches(&format!("{}/", folder.path().display()))
                        .to_owned(),
                )
            })
            .collect();
        let expected = [
            ("e", "e.abi3.so"),
            ("m", "m/__init__.py"),
            ("n", "n.py"),
            ("ns", "ns"),
        ];
        assert_eq!(told, expected.map(|(a, b)| (a.to_owned(), b.to_owned())));
        assert!(found["ns"].namespace && !found["n"].namespace);
    }

    #[test]
    fn lines_of_pth_files_are_told_apart() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(
            folder.path().join("b.pth"),
            "# a remark\n\n../src  \nimport sys; sys.x = 1\n",
        )
        .unwrap();
        fs::write(folder.path().join("a.pth"), "\u{feff}/opt/ice\n").unwrap();
        fs::write(folder.path().join(".hidden.pth"), "/none\n").unwrap();
        let found = pth_files(folder.path());
        let parent = folder.path().parent().unwrap();
        assert_eq!(
            found
                .iter()
                .flat_map(|p| p.folders.clone())
                .collect::<Vec<_>>(),
            [PathBuf::from("/opt/ice"), parent.join("src")]
        );
        assert_eq!(found[1].runs, ["import sys; sys.x = 1"]);
    }
}
