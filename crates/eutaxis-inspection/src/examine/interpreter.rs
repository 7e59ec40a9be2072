//! `wrong-interpreter`: projects for other interpreters, and compiled modules that this one does
//! not see or cannot load (PEP 3149).

use std::collections::BTreeSet;

use super::Remedy;
use super::{Compiled, CompiledTrouble, Finding, Severity, Snapshot, Trouble};
use crate::binary::{PythonAbi, module_stem, named_abi};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let interpreter = &snapshot.target.interpreter;
    let place = |owner: Option<usize>| {
        let name = owner
            .and_then(|o| snapshot.projects.get(o))
            .map_or("PROJECT", |p| p.name.as_str());
        let words = format!("take a file for {}", interpreter.series_text());
        Remedy::shortlist(words, name)
    };
    for (_, project) in snapshot.here() {
        let set = project
            .metadata
            .as_ref()
            .ok()
            .and_then(|m| m.requires_python.as_ref());
        if let Some(set) = set.filter(|s| !s.matches(&interpreter.version)) {
            let trouble = Trouble::WrongInterpreter {
                needs: set.clone(),
                here: Box::new(interpreter.clone()),
            };
            let words = format!("take a release for {}", interpreter.series_text());
            let remedy = Remedy::shortlist(words, &project.name);
            findings.push(Finding::new(Severity::Breaks, trouble, remedy).about(project));
        }
    }
    let offered = offered(snapshot);
    for compiled in &snapshot.compiled {
        let (file, here) = (snapshot.shown(&compiled.path), interpreter.series_text());
        let trouble = match invisible(snapshot, compiled, &offered) {
            Some(abi) => CompiledTrouble::Invisible { file, abi, here },
            None if !compiled.unknown.is_empty() && compiled.importable => {
                CompiledTrouble::UnknownSymbols {
                    file,
                    symbols: compiled.unknown.clone(),
                    here,
                }
            }
            None => continue,
        };
        let finding = Finding::new(
            Severity::Breaks,
            Trouble::Compiled(trouble),
            place(compiled.owner),
        );
        findings.push(
            finding
                .about_owner(snapshot, compiled.owner)
                .of(vec![compiled.path.clone()]),
        );
    }
}

/// Modules that the interpreter finds, by folder and name.
fn offered(snapshot: &Snapshot) -> BTreeSet<(&str, &str)> {
    let visible = snapshot
        .compiled
        .iter()
        .filter(|c| is_visible(snapshot, &c.path))
        .map(|c| c.path.as_str());
    let plain = snapshot
        .projects
        .iter()
        .flat_map(|p| &p.files)
        .map(|f| f.path.as_str())
        .filter(|p| p.ends_with(".py"));
    visible
        .chain(plain)
        .filter_map(|path| folder_and_stem(path))
        .collect()
}

fn folder_and_stem(path: &str) -> Option<(&str, &str)> {
    let (folder, name) = path.rsplit_once('/')?;
    Some((folder, name.split('.').next()?))
}

/// Whether the ending of a file is one that the interpreter looks for.
fn is_visible(snapshot: &Snapshot, path: &str) -> bool {
    let stem = module_stem(path)
        .map(|s| path.len() - path.rsplit('/').next().map_or(0, str::len) + s.len());
    let ending = stem.and_then(|at| path.get(at..));
    ending.is_some_and(|e| snapshot.suffixes.iter().any(|s| s == e))
}

/// The ABI of a module that the interpreter looks past, when it finds no other of that name.
fn invisible(
    snapshot: &Snapshot,
    compiled: &Compiled,
    offered: &BTreeSet<(&str, &str)>,
) -> Option<String> {
    let PythonAbi::Exact(abi) = named_abi(&compiled.path)? else {
        return None;
    };
    let own = snapshot.target.interpreter.abis.contains(&abi);
    let found = is_visible(snapshot, &compiled.path)
        || folder_and_stem(&compiled.path).is_some_and(|m| offered.contains(&m));
    // One for this interpreter and another machine is told by its architecture.
    (!own && !found).then_some(abi)
}
