//! `library-absent`, `toolkit-absent`, `libc-too-old`, `cxx-runtime-too-old`, `library-differs`:
//! what compiled files need from outside, as the loader finds it (System V ABI, dynamic linking).

use std::collections::BTreeMap;

use super::architecture::fits;
use super::{
    AbsentLibrary, Compiled, CompiledTrouble, Finding, LackingVersion, Severity, Snapshot, State,
    SymbolsOf, Trouble,
};
use crate::remedy::Remedy;
use eutaxis_standards::name::Name;

/// A compiled file, and a library that it needs and that is not found.
type Need<'a> = (&'a Compiled, &'a AbsentLibrary);

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    // By owner and library; of what no module loads, by owner alone.
    let mut needed: BTreeMap<(Severity, Option<usize>, &str), Vec<Need<'_>>> = BTreeMap::new();
    for compiled in &snapshot.compiled {
        // What cannot be loaded at all is told by its architecture.
        let loadable = compiled
            .parts
            .as_ref()
            .is_ok_and(|p| p.iter().any(|p| fits(p, &snapshot.target)));
        if !loadable {
            continue;
        }
        let severity = severity(snapshot, compiled);
        for absent in &compiled.absent {
            let known = snapshot
                .target
                .accelerators
                .families
                .of_library(&absent.library)
                .is_some();
            let library = if severity == Severity::Risk && !known {
                ""
            } else {
                absent.library.as_str()
            };
            needed
                .entry((severity, compiled.owner, library))
                .or_default()
                .push((compiled, absent));
        }
        for (trouble, remedy) in lacking(snapshot, compiled) {
            let finding = Finding::new(severity, Trouble::Compiled(trouble), remedy);
            findings.push(
                finding
                    .about_owner(snapshot, compiled.owner)
                    .of(vec![compiled.path.clone()]),
            );
        }
    }
    for ((severity, owner, library), all) in needed {
        let (trouble, remedy) = match library {
            "" => unused(snapshot, &all),
            library => absent(snapshot, library, &all),
        };
        let paths = all.iter().map(|(c, _)| c.path.clone()).collect();
        findings.push(
            Finding::new(severity, Trouble::Compiled(trouble), remedy)
                .about_owner(snapshot, owner)
                .of(paths),
        );
    }
    differing(snapshot, findings);
}

/// A library that no module needs may be there for a feature that nobody uses.
fn severity(snapshot: &Snapshot, compiled: &Compiled) -> Severity {
    if snapshot.is_loaded(compiled) {
        Severity::Breaks
    } else {
        Severity::Risk
    }
}

type Told = (CompiledTrouble, Remedy);

/// A library that files of one project need.
fn absent(snapshot: &Snapshot, library: &str, all: &[Need<'_>]) -> Told {
    let files: Vec<String> = all.iter().map(|(c, _)| snapshot.shown(&c.path)).collect();
    let of_toolkit = snapshot.target.accelerators.families.of_library(library);
    let through = all.iter().find(|(c, a)| a.by != c.path);
    let near = all.iter().find_map(|(_, a)| a.near.as_ref());
    let trouble = CompiledTrouble::LibraryAbsent {
        library: library.to_owned(),
        of_toolkit: of_toolkit.is_some(),
        files,
        through: through.map(|(_, a)| snapshot.shown(&a.by)),
        near: near.map(|n| snapshot.shown(n)),
    };
    let project = all
        .first()
        .and_then(|(c, _)| owner(snapshot, c))
        .map_or("PROJECT", Name::as_str);
    if let Some((family, toolkit)) = of_toolkit {
        let words = format!(
            "install the toolkit {} {toolkit}, or take a build that brings its runtime, or one \
                without",
            family.name
        );
        let remedy = Remedy::shortlist(words, project);
        return (trouble, remedy);
    }
    let remedy = match snapshot.libraries.provided(library, &snapshot.distribution) {
        Some(provided) => match provided.package {
            Some(package) => format!(
                "usually provided by {package} (system package; {})",
                provided.what
            ),
            None => format!("it is {}", provided.what),
        },
        None => "find the system package that brings it, or take a release that brings it along"
            .to_owned(),
    };
    (trouble, remedy.into())
}

/// Libraries that files of one project need which no module loads: all at once.
fn unused(snapshot: &Snapshot, all: &[Need<'_>]) -> Told {
    let mut files: Vec<String> = all.iter().map(|(c, _)| snapshot.shown(&c.path)).collect();
    let mut libraries: Vec<String> = all.iter().map(|(_, a)| a.library.clone()).collect();
    for list in [&mut files, &mut libraries] {
        list.sort();
        list.dedup();
    }
    (
        CompiledTrouble::LibrariesUnused { files, libraries },
        "nothing, unless you use what these files are for".into(),
    )
}

fn owner<'a>(snapshot: &'a Snapshot, compiled: &Compiled) -> Option<&'a Name> {
    snapshot.projects.get(compiled.owner?).map(|p| &p.name)
}

/// Versions that are lacking, one finding per library: its highest that is needed tells.
fn lacking(snapshot: &Snapshot, compiled: &Compiled) -> Vec<Told> {
    let mut by_name: BTreeMap<(&str, &str), &LackingVersion> = BTreeMap::new();
    for lacking in &compiled.lacking {
        let name = lacking.version.split('_').next().unwrap_or("");
        let highest = by_name.entry((&lacking.library, name)).or_insert(lacking);
        if numbers(&lacking.version) > numbers(&highest.version) {
            *highest = lacking;
        }
    }
    let name = snapshot.shown(&compiled.path);
    let told = |(_, lacking): (_, &LackingVersion)| {
        let LackingVersion {
            library,
            path,
            version,
            highest,
        } = lacking;
        let of = SymbolsOf::version(version);
        let trouble = CompiledTrouble::LibraryTooOld {
            file: name.clone(),
            version: version.clone(),
            of,
            library: library.clone(),
            found: path.to_string(),
            highest: highest.as_ref().map(ToString::to_string),
        };
        let project = owner(snapshot, compiled).map_or("PROJECT", Name::as_str);
        let older = |newer: &str| {
            let words = format!("{newer}take a release that was built for an older system");
            Remedy::shortlist(words, project)
        };
        let remedy = match of {
            SymbolsOf::Libc => older(""),
            SymbolsOf::CxxRuntime => older("a newer C++ runtime, or "),
            SymbolsOf::Other => older(&format!("a newer {library}, or ")),
        };
        (trouble, remedy)
    };
    by_name.into_iter().map(told).collect()
}

fn numbers(version: &str) -> Vec<u32> {
    let rest = version.split_once('_').map_or("", |(_, r)| r);
    rest.split('.').map(|n| n.parse().unwrap_or(0)).collect()
}

/// Libraries of one name that two projects bring with different bytes, where modules of both need
/// them: which one is loaded depends on which is imported first.
fn differing(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let mut by_name: BTreeMap<&str, Vec<&Compiled>> = BTreeMap::new();
    for compiled in snapshot
        .compiled
        .iter()
        .filter(|c| c.reached && c.owner.is_some())
    {
        let part = compiled
            .parts
            .iter()
            .flatten()
            .find(|p| fits(p, &snapshot.target));
        if let Some(name) = part.and_then(|p| p.soname.as_deref()) {
            by_name.entry(name).or_default().push(compiled);
        }
    }
    for (name, files) in by_name {
        let Some((first, rest)) = files.split_first() else {
            continue;
        };
        for other in rest {
            let differ = first.owner != other.owner && !same_bytes(snapshot, first, other);
            let (Some(one), Some(two)) = (owner(snapshot, first), owner(snapshot, other)) else {
                continue;
            };
            if !differ {
                continue;
            }
            let trouble = Trouble::Compiled(CompiledTrouble::LibraryDiffers {
                library: name.to_owned(),
                projects: [one.clone(), two.clone()],
                files: [snapshot.shown(&first.path), snapshot.shown(&other.path)],
            });
            let words = format!("take releases of {one} and {two} that were built together");
            let asks = vec![one.to_string(), two.to_string()];
            let remedy = Remedy::new(words, snapshot.settle_beside(asks));
            let finding = Finding::new(Severity::Risk, trouble, remedy);
            let paths = vec![first.path.clone(), other.path.clone()];
            findings.push(finding.about_owner(snapshot, other.owner).of(paths));
        }
    }
}

fn same_bytes(snapshot: &Snapshot, a: &Compiled, b: &Compiled) -> bool {
    let hash = |c: &Compiled| {
        let project = snapshot.projects.get(c.owner?)?;
        let owned = project
            .files
            .iter()
            .find(|f| f.path == c.path && f.state == State::Whole)?;
        owned.hash.clone()
    };
    hash(a).is_some_and(|h| Some(h) == hash(b))
}
