//! The compiled files of an environment: what each is, and what the loader finds of what it needs.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use eutaxis_core::binary::{Binary, module_stem};
use eutaxis_core::examine::{Compiled, Project, Seat, Stray};
use eutaxis_core::name::is_identifier;
use rayon::prelude::*;

use super::search::Search;
use super::shown;
use super::start::Seen;
use crate::loader::{Followed, Loader, Parts, read_binary};
use crate::root::stand_in;

/// Reads every compiled file of the environment, in parallel, and follows what modules need.
pub(super) fn files(
    projects: &[Project],
    strays: &[Stray],
    seen: &Seen,
    search: &Search,
) -> Vec<Compiled> {
    let owned = projects.iter().enumerate().filter(|(_, p)| p.here);
    let owned =
        owned.flat_map(|(index, p)| p.files.iter().map(move |f| (f.path.as_str(), Some(index))));
    let mut places: Vec<(&str, Option<usize>)> = owned
        .chain(strays.iter().map(|s| (s.path.as_str(), None)))
        .filter(|(path, _)| is_named_so(path))
        .collect();
    places.sort();
    places.dedup_by_key(|(path, _)| *path);
    let read: Vec<(&str, Option<usize>, Parts)> = places
        .into_par_iter()
        .filter(|(path, _)| Path::new(path).is_file())
        .map(|(path, owner)| (path, owner, read_binary(Path::new(path))))
        .collect();
    let mut files: Vec<Compiled> = read
        .into_iter()
        .map(|(path, owner, parts)| Compiled {
            importable: is_importable(path, &parts, &seen.paths.suffixes, search),
            path: path.to_owned(),
            owner,
            reached: false,
            parts,
            absent: Vec::new(),
            lacking: Vec::new(),
            unknown: Vec::new(),
        })
        .collect();
    follow(&mut files, seen);
    files
}

/// Whether a file's name is that of a compiled file.
fn is_named_so(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or(path);
    let numbered = name
        .split_once(".so.")
        .is_some_and(|(_, rest)| rest.starts_with(|c: char| c.is_ascii_digit()));
    numbered
        || [".so", ".pyd", ".dylib", ".dll"]
            .iter()
            .any(|e| name.ends_with(e))
}

/// Whether an import loads the file: it lies where modules are looked for, under a name that is
/// looked for.
fn is_importable(path: &str, parts: &Parts, suffixes: &[String], search: &Search) -> bool {
    let Some(stem) = module_stem(path).filter(|s| is_identifier(s)) else {
        return false;
    };
    let Some((folder, name)) = path.rsplit_once('/') else {
        return false;
    };
    let ending = name.get(stem.len()..).unwrap_or("");
    if !suffixes.iter().any(|s| s == ending) {
        return false;
    }
    let within = |e: &eutaxis_core::examine::Entry| {
        let rest = folder.strip_prefix(e.folder.as_str())?;
        Some(rest.split('/').filter(|p| !p.is_empty()).all(is_identifier))
    };
    let reachable = search
        .entries
        .iter()
        .filter(|e| !matches!(e.seat, Seat::Standard | Seat::Start))
        .any(|e| within(e) == Some(true));
    // A plain name may be that of a library.
    let plain = ending == ".so" || ending == ".pyd";
    let module = match parts {
        Ok(parts) => parts.iter().any(|p| p.modules.iter().any(|m| m == stem)),
        Err(_) => !stem.starts_with("lib"),
    };
    reachable && (!plain || module)
}

/// Follows what each file needs, and notes at each what is missing there.
fn follow(files: &mut [Compiled], seen: &Seen) {
    let stand_in = stand_in();
    let interpreter = match seen.runs {
        true => Some(seen.facts.executable.clone()),
        // One of another machine is read, too; one of this machine that does not run is not.
        false => stand_in.is_some().then(|| seen.python.clone()),
    };
    let platform = seen.facts.target_platform();
    let mut loader = Loader::new(stand_in.as_deref(), interpreter.as_deref())
        .for_arch(platform.arch(), seen.facts.bits);
    let brought = files.iter().flat_map(|c| {
        c.parts
            .iter()
            .flatten()
            .map(|b| (Path::new(c.path.as_str()), b))
    });
    let brought: Vec<(PathBuf, Binary)> = brought
        .filter(|(_, b)| loader.loads(b))
        .map(|(p, b)| (p.to_owned(), b.clone()))
        .collect();
    loader.bring(brought.iter().map(|(p, b)| (p.as_path(), b)));
    let loadable = |c: &Compiled| c.parts.iter().flatten().any(|b| loader.loads(b));
    let roots: Vec<usize> = (0..files.len())
        .filter(|i| files.get(*i).is_some_and(|c| c.importable && loadable(c)))
        .collect();
    let followed = |roots: &[usize], files: &[Compiled]| -> Vec<(usize, Followed)> {
        roots
            .par_iter()
            .filter_map(|i| Some((*i, loader.follow(Path::new(&files.get(*i)?.path)))))
            .collect()
    };
    let by_modules = followed(&roots, files);
    note(files, &by_modules, true);
    // Libraries that no module needs are looked at by themselves.
    let rest: Vec<usize> = (0..files.len())
        .filter(|i| {
            files
                .get(*i)
                .is_some_and(|c| !c.importable && !c.reached && loadable(c))
        })
        .collect();
    note(files, &followed(&rest, files), false);
    unknown(files, &loader, &by_modules);
}

/// Notes what was found at the files that need it; what a library of the system needs, at the file
/// that brought it.
fn note(files: &mut [Compiled], followed: &[(usize, Followed)], by_modules: bool) {
    let places: HashMap<String, usize> = files
        .iter()
        .enumerate()
        .map(|(i, c)| (c.path.clone(), i))
        .collect();
    for (root, found) in followed {
        if by_modules {
            for path in &found.reached {
                if let Some(file) = places.get(&shown(path)).and_then(|i| files.get_mut(*i)) {
                    file.reached = true;
                }
            }
        }
        let at = |path: &Path| places.get(&shown(path)).copied().unwrap_or(*root);
        for (path, absent) in &found.absent {
            if let Some(file) = files
                .get_mut(at(path))
                .filter(|f| !f.absent.iter().any(|a| a.library == absent.library))
            {
                file.absent.push(absent.clone());
            }
        }
        for (path, lacking) in &found.lacking {
            if let Some(file) = files
                .get_mut(at(path))
                .filter(|f| !f.lacking.contains(lacking))
            {
                file.lacking.push(lacking.clone());
            }
        }
    }
}

/// Functions and data of the interpreter that modules use and that it does not have.
fn unknown(files: &mut [Compiled], loader: &Loader, followed: &[(usize, Followed)]) {
    let offered = loader.offered();
    // An interpreter that hides what it offers tells nothing.
    if !offered.contains("PyModule_Create2") {
        return;
    }
    let brought: HashSet<String> = files
        .iter()
        .flat_map(|c| c.parts.iter().flatten())
        .flat_map(|b| b.offers.iter().cloned())
        .collect();
    for (index, _) in followed {
        let Some(file) = files.get_mut(*index) else {
            continue;
        };
        let used = file
            .parts
            .iter()
            .flatten()
            .filter(|b| loader.loads(b))
            .flat_map(|b| &b.python);
        file.unknown = used
            .filter(|s| !offered.contains(*s) && !brought.contains(*s))
            .cloned()
            .collect();
    }
}
