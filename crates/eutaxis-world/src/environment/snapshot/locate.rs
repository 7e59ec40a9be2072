//! Where an interpreter would find a module, and which project brings it; by reading (the language
//! reference, the import system).

use std::path::{Path, PathBuf};

use eutaxis_core::examine::{Seat, Top};
use eutaxis_core::{Name, Version};

use super::placed::{Placed, projects};
use super::search::{Search, import_path, modules};
use super::shown;
use super::start::{Seen, seen};
use crate::Result;
use crate::interpreter::{Finder, ProbeCache};

/// What an interpreter or environment has of a module.
#[derive(Debug, Clone)]
pub struct Spot {
    /// Its interpreter.
    pub interpreter: PathBuf,
    /// The version of that.
    pub version: String,
    /// Its folder.
    pub root: PathBuf,
    /// It is a virtual environment.
    pub is_environment: bool,
    /// Where the module is.
    pub found: Option<PathBuf>,
    /// It is inside the interpreter, which has no file of it.
    pub built_in: bool,
    /// Why it was looked for there; none when it is not found.
    pub seat: Option<Seat>,
    /// The project that brings it.
    pub owner: Option<(Name, Option<Version>)>,
    /// How much of a dotted name is found, when not all of it is.
    pub part: Option<String>,
    /// A project of the module's name that is placed here, and what it is imported as.
    pub namesake: Option<(Name, Vec<String>)>,
    /// Modules at the top that can be imported.
    pub names: Vec<String>,
}

/// Looks for a module in one environment, or what one interpreter sees.
///
/// # Errors
/// When the place is neither, or a folder cannot be read.
pub fn locate(place: &Path, module: &str, finder: &Finder, probes: &ProbeCache) -> Result<Spot> {
    let seen = seen(place, finder, probes)?;
    let search = import_path(&seen, None);
    let placed = projects(&search)?;
    let found = find(module, &search, &seen);
    let top = module.split('.').next().unwrap_or(module);
    let built_in = seen.paths.built_in.iter().any(|m| m == module);
    let owner = found
        .as_ref()
        .ok()
        .and_then(|(path, _)| owner(path, top, &placed));
    let namesake = Name::parse(module).ok().and_then(|name| {
        let project = placed.iter().find(|p| p.project.name == name)?;
        Some((name, imported_as(project, &search)))
    });
    let names = search
        .entries
        .iter()
        .filter(|e| e.seat != Seat::Standard)
        .flat_map(|e| e.modules.keys().cloned())
        .collect();
    let (found, seat, part) = match found {
        Ok((path, seat)) => (Some(path), Some(seat), None),
        Err(part) => (None, None, part),
    };
    Ok(Spot {
        interpreter: seen.python,
        version: seen.facts.version.clone(),
        is_environment: seen.facts.in_environment() || seen.root.join("pyvenv.cfg").is_file(),
        root: seen.root,
        found,
        built_in,
        seat,
        owner,
        part,
        namesake,
        names,
    })
}

/// The file of a module, by the folders in order; else how much of its name is found.
fn find(
    module: &str,
    search: &Search,
    seen: &Seen,
) -> std::result::Result<(PathBuf, Seat), Option<String>> {
    let mut parts = module.split('.');
    let top = parts.next().unwrap_or(module);
    let all = search
        .entries
        .iter()
        .filter_map(|e| Some((e.seat, e.modules.get(top)?.clone())));
    let mut portions = narrowed(all.collect());
    if portions.is_empty() {
        return Err(None);
    }
    let mut done = top.to_owned();
    for part in parts {
        let folders = portions.iter().map(|(seat, top)| (*seat, folder_of(top)));
        let next = folders.filter_map(|(seat, folder)| {
            let inside = modules(&folder?, &seen.paths.suffixes);
            Some((seat, inside.get(part)?.clone()))
        });
        let found = narrowed(next.collect());
        if found.is_empty() {
            return Err(Some(done));
        }
        portions = found;
        done = format!("{done}.{part}");
    }
    portions
        .first()
        .map(|(seat, top)| (PathBuf::from(&top.path), *seat))
        .ok_or(None)
}

/// The first with a file; when there is none, all parts of the package.
fn narrowed(found: Vec<(Seat, Top)>) -> Vec<(Seat, Top)> {
    match found.iter().find(|(_, top)| !top.namespace) {
        Some(first) => vec![first.clone()],
        None => found,
    }
}

/// The folder of a package; none for a module.
fn folder_of(top: &Top) -> Option<PathBuf> {
    let path = Path::new(&top.path);
    if top.namespace {
        return Some(path.to_owned());
    }
    let initial = path.file_name()?.to_string_lossy().starts_with("__init__.");
    initial.then(|| path.parent().map(Path::to_owned)).flatten()
}

fn owner(path: &Path, top: &str, placed: &[Placed]) -> Option<(Name, Option<Version>)> {
    let told = |p: &Placed| (p.project.name.clone(), p.project.version.clone());
    let recorded = placed
        .iter()
        .find(|p| p.recorded.iter().any(|(file, _, _)| file == path));
    // A package without a file belongs to whom its files belong to.
    let below = || {
        placed
            .iter()
            .find(|p| path.is_dir() && p.recorded.iter().any(|(file, _, _)| file.starts_with(path)))
    };
    let claimed = || {
        placed
            .iter()
            .find(|p| p.project.claims.iter().any(|c| c == top))
    };
    recorded.or_else(below).or_else(claimed).map(told)
}

/// Names at the top that a project brings.
fn imported_as(placed: &Placed, search: &Search) -> Vec<String> {
    let Some(entry) = search.entries.get(placed.project.entry) else {
        return Vec::new();
    };
    let mut names: Vec<String> = Vec::new();
    for (name, top) in &entry.modules {
        let mine = placed.recorded.iter().any(|(file, _, _)| {
            shown(file) == top.path || (top.namespace && file.starts_with(&top.path))
        });
        if (mine || placed.project.claims.contains(name)) && !names.contains(name) {
            names.push(name.clone());
        }
    }
    names
}
