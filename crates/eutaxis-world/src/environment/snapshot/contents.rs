//! The files of an environment against what is recorded of them, and those that nobody recorded.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::Read;
use std::path::{Path, PathBuf};

use eutaxis_core::artifact::record_base64;
use eutaxis_core::examine::{Project, Seat, State, Stray};
use rayon::prelude::*;

use super::placed::{Placed, owned};
use super::search::Search;
use super::shown;
use crate::hash::Sha256;
use crate::wheel::is_other_hash;

/// Files are read in parts of this size.
const PART: usize = 1 << 18;
/// More files than this are not looked through for strays.
const MOST_FILES: usize = 2_000_000;

/// Compares the files of all projects, in parallel, and finds those that nobody owns.
pub(super) fn files(
    placed: Vec<Placed>,
    search: &Search,
    quick: bool,
) -> (Vec<Project>, Vec<Stray>) {
    let mut projects = Vec::with_capacity(placed.len());
    let mut claims: HashSet<PathBuf> = HashSet::new();
    let mut work: Vec<(usize, PathBuf, Option<String>, Option<u64>)> = Vec::new();
    for (index, one) in placed.into_iter().enumerate() {
        let folder = Path::new(&one.project.info)
            .parent()
            .map(Path::to_owned)
            .unwrap_or_default();
        claims.extend(one.project.claims.iter().map(|c| folder.join(c)));
        // Of what is only seen from here the files are another's matter.
        let counts = one.project.here;
        work.extend(
            one.recorded
                .into_iter()
                .filter(|_| counts)
                .map(|(p, h, s)| (index, p, h, s)),
        );
        projects.push(one.project);
    }
    let record: Vec<PathBuf> = projects
        .iter()
        .map(|p| Path::new(&p.info).join("RECORD"))
        .collect();
    let compared: Vec<_> = work
        .into_par_iter()
        .map_init(
            || vec![0u8; PART],
            |buffer, (index, path, hash, size)| {
                let own = record.get(index) == Some(&path);
                let (state, found) = if own {
                    (State::Whole, 0)
                } else {
                    compare(&path, hash.as_deref(), size, quick, buffer)
                };
                let mut file = owned(&path, hash);
                file.state = state;
                file.size = found;
                (index, file)
            },
        )
        .collect();
    for (index, file) in compared {
        if let Some(project) = projects.get_mut(index) {
            project.files.push(file);
        }
    }
    let strays = strays(&projects, &claims, search);
    (projects, strays)
}

/// Compares one file with what is recorded of it; its state and size.
fn compare(
    path: &Path,
    hash: Option<&str>,
    size: Option<u64>,
    quick: bool,
    buffer: &mut [u8],
) -> (State, u64) {
    let bytecode = path.extension().is_some_and(|e| e == "pyc" || e == "pyo");
    let Ok(metadata) = fs::metadata(path) else {
        // What the interpreter makes anew when it needs it may go.
        let gone = if bytecode || path.is_symlink() {
            State::Whole
        } else {
            State::Absent
        };
        return (gone, 0);
    };
    let found = metadata.len();
    if metadata.is_dir() || bytecode {
        return (State::Whole, if metadata.is_dir() { 0 } else { found });
    }
    // Devices and pipes might never end.
    if !metadata.is_file() {
        return (State::Altered("it is no file any more".to_owned()), 0);
    }
    if size.is_some_and(|s| s != found) {
        return (
            State::Altered(format!(
                "it has {found} bytes, recorded are {}",
                size.unwrap_or(0)
            )),
            found,
        );
    }
    let Some(hash) = hash.filter(|_| !quick) else {
        return (State::Whole, found);
    };
    match same_hash(path, hash, buffer) {
        Ok(true) => (State::Whole, found),
        Ok(false) => (
            State::Altered("its hash is not the recorded one".to_owned()),
            found,
        ),
        Err(e) => (State::Altered(format!("it cannot be read ({e})")), found),
    }
}

fn same_hash(path: &Path, recorded: &str, buffer: &mut [u8]) -> std::io::Result<bool> {
    let (algorithm, value) = recorded.split_once('=').unwrap_or((recorded, ""));
    let value = value.trim_end_matches('=');
    match algorithm {
        "sha256" => {
            let mut file = File::open(path)?;
            let mut hasher = Sha256::new();
            loop {
                let n = file.read(buffer)?;
                let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else {
                    break;
                };
                hasher.update(part);
            }
            Ok(record_base64(&hasher.finalize()) == value)
        }
        "sha384" | "sha512" => Ok(is_other_hash(&fs::read(path)?, recorded)),
        // Weaker ones count for nothing, which is told of RECORD.
        _ => Ok(true),
    }
}

/// Files of the environment's own folders that no project owns.
fn strays(projects: &[Project], claims: &HashSet<PathBuf>, search: &Search) -> Vec<Stray> {
    let owned: HashSet<&str> = projects
        .iter()
        .flat_map(|p| &p.files)
        .map(|f| f.path.as_str())
        .collect();
    let infos: HashSet<&str> = projects.iter().map(|p| p.info.as_str()).collect();
    // Packages with a file of their own, by folder.
    let mut packages: HashMap<&str, usize> = HashMap::new();
    for (index, project) in projects.iter().enumerate().filter(|(_, p)| p.here) {
        let initial = project.files.iter().filter_map(|f| f.path.rsplit_once('/'));
        packages.extend(
            initial
                .filter(|(_, n)| n.starts_with("__init__."))
                .map(|(folder, _)| (folder, index)),
        );
    }
    let mut found = Vec::new();
    for entry in search.entries.iter().filter(|e| e.seat == Seat::Site) {
        let mut open = vec![PathBuf::from(&entry.folder)];
        while let Some(folder) = open.pop() {
            for file in fs::read_dir(&folder).into_iter().flatten().flatten() {
                let path = file.path();
                let name = shown(&path);
                let Ok(kind) = file.file_type() else { continue };
                if claims.contains(&path)
                    || infos.contains(name.as_str())
                    || owned.contains(name.as_str())
                    || bytecode(&path)
                {
                    continue;
                }
                // A folder of packages inside another is looked through by itself.
                let other = search.entries.iter().any(|e| e.folder == name);
                if kind.is_dir() && !other {
                    open.push(path);
                } else if !kind.is_dir()
                    && found.len() < MOST_FILES
                    && !claimed_module(&path, claims)
                {
                    found.push(Stray {
                        inside: inside(&name, &packages),
                        path: name,
                    });
                }
            }
        }
    }
    found.sort_by(|a, b| a.path.cmp(&b.path));
    found
}

/// A module of its own that a project without a list of files has.
fn claimed_module(path: &Path, claims: &HashSet<PathBuf>) -> bool {
    let stem = path
        .file_name()
        .and_then(|n| n.to_str())
        .and_then(|n| n.split('.').next());
    stem.zip(path.parent())
        .is_some_and(|(stem, folder)| claims.contains(&folder.join(stem)))
}

fn bytecode(path: &Path) -> bool {
    path.file_name().is_some_and(|n| n == "__pycache__")
        || path.extension().is_some_and(|e| e == "pyc")
}

/// The project whose package a file lies in.
fn inside(path: &str, packages: &HashMap<&str, usize>) -> Option<usize> {
    let mut folder = path;
    while let Some((above, _)) = folder.rsplit_once('/') {
        if let Some(index) = packages.get(above) {
            return Some(*index);
        }
        folder = above;
    }
    None
}
