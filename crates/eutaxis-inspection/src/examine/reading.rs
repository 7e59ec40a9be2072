//! `name-absent`, `module-absent`: what importing runs into, by the sources that are there.

use std::collections::BTreeSet;

use super::imports::{modules, of_entry_points};
use super::{Attempt, CompiledTrouble, Finding, Seat, Severity, Snapshot, Trouble, unmet};
use crate::interface::{Gap, Lack, Set, Walk};
use crate::remedy::{Remedy, Step};
use eutaxis_standards::knowledge::SeriesNumber;
use eutaxis_standards::name::Name;
use eutaxis_standards::targets::{Implementation, Interpreter};

/// The modules of everything that is placed.
pub fn module_set(snapshot: &Snapshot) -> Set {
    let mut set = Set::new(snapshot.projects.len());
    for (index, project) in snapshot.projects.iter().enumerate() {
        let Some(entry) = snapshot.path.get(project.entry) else {
            continue;
        };
        let inside = |path: &str| {
            let rest = path.strip_prefix(entry.folder.as_str())?;
            rest.strip_prefix('/').map(str::to_owned)
        };
        for file in &project.files {
            if let Some(path) = inside(&file.path) {
                set.add(index, &path);
            }
        }
    }
    let beside = snapshot.path.iter().filter(|e| e.seat != Seat::Standard);
    set.beside(beside.flat_map(|e| e.modules.keys().cloned()));
    set
}

/// The walk through them: from the modules of what was asked for, then those of all others.
pub fn walk<'a>(snapshot: &Snapshot, set: &'a Set) -> Walk<'a> {
    let asked = asked(snapshot);
    let all = modules(snapshot)
        .into_iter()
        .chain(of_entry_points(snapshot));
    let (first, others): (Vec<_>, Vec<_>) = all.partition(|(_, owner)| asked.contains(owner));
    let names = |list: Vec<(String, usize)>| list.into_iter().map(|(m, _)| m).collect::<Vec<_>>();
    let interpreter = &snapshot.target.interpreter;
    let series = series_of(interpreter);
    Walk::new(set, series, &names(first), names(others))
}

/// The series whose own library is known.
fn series_of(interpreter: &Interpreter) -> Option<SeriesNumber> {
    (interpreter.implementation == Implementation::Cpython).then(|| interpreter.series())
}

/// The projects that somebody asked for; where nothing says so, those that no other one needs.
pub fn asked(snapshot: &Snapshot) -> BTreeSet<usize> {
    let requested: BTreeSet<usize> = snapshot
        .here()
        .filter(|(_, p)| p.requested)
        .map(|(index, _)| index)
        .collect();
    if !requested.is_empty() {
        return requested;
    }
    let needed: BTreeSet<&Name> = snapshot
        .here()
        .flat_map(|(_, p)| p.metadata.iter().flat_map(|m| &m.requires))
        .map(|r| &r.name)
        .collect();
    let free = snapshot.here().filter(|(_, p)| !needed.contains(&p.name));
    free.map(|(index, _)| index).collect()
}

/// What the walk ran into, as findings.
pub fn gaps(snapshot: &Snapshot, gaps: &[Gap]) -> Vec<Finding> {
    let names: Vec<String> = snapshot
        .projects
        .iter()
        .map(|p| match &p.version {
            Some(version) => format!("{} {version}", p.name),
            None => p.name.to_string(),
        })
        .collect();
    // What is needed and not placed is told by name.
    let absent: BTreeSet<Name> = unmet(snapshot)
        .into_iter()
        .filter(|u| u.found.is_none())
        .map(|u| u.needs.name.clone())
        .collect();
    let told = |gap: &&Gap| match &gap.lack {
        Lack::Module {
            module,
            owner: None,
        } => Name::parse(module).map_or(true, |name| !absent.contains(&name)),
        Lack::Module { .. } | Lack::Name { .. } | Lack::Standard { .. } => true,
    };
    let finding = |gap: &Gap| {
        let severity = if gap.asked {
            Severity::Breaks
        } else {
            Severity::Risk
        };
        let trouble = Trouble::Gap {
            of_module: gap.is_of_module(),
            told: gap.told(&names),
            module: gap.module.clone(),
            root: gap.root.clone(),
        };
        let finding = Finding::new(severity, trouble, remedy(snapshot, gap));
        let of = snapshot.projects.get(gap.taker);
        let entry = of.and_then(|p| snapshot.path.get(p.entry));
        let path = entry.map(|e| format!("{}/{}", e.folder, gap.file));
        finding
            .about_owner(snapshot, Some(gap.taker))
            .of(path.into_iter().collect())
    };
    gaps.iter().filter(told).map(finding).collect()
}

/// Compiled files that lack something, and that no import is sure to lead to, serve a part that may
/// be left out.
pub fn optional(snapshot: &Snapshot, walk: &Walk<'_>, findings: &mut [Finding]) {
    let may_be_left_out = |path: &String| {
        let compiled = snapshot.compiled.iter().find(|c| c.path == *path)?;
        let project = compiled.owner?;
        let entry = snapshot.projects.get(project)?.entry;
        let folder = &snapshot.path.get(entry)?.folder;
        let inside = path.strip_prefix(folder.as_str())?.strip_prefix('/')?;
        walk.leads_to(project, inside).map(|leads| !leads)
    };
    for finding in findings {
        let is_lacking = matches!(
            finding.trouble,
            Trouble::Compiled(
                CompiledTrouble::LibraryAbsent {
                    of_toolkit: false,
                    ..
                } | CompiledTrouble::LibraryTooOld { .. }
            )
        );
        if is_lacking
            && finding.severity == Severity::Breaks
            && !finding.paths.is_empty()
            && finding
                .paths
                .iter()
                .all(|p| may_be_left_out(p) == Some(true))
        {
            finding.severity = Severity::Risk;
        }
    }
}

/// What was found by reading, without what trying the same imports has shown or refuted.
pub fn untried(findings: &mut Vec<Finding>, attempts: &[Attempt]) {
    let is_tried = |root: &str| attempts.iter().any(|a| a.module == root);
    findings.retain(|f| !matches!(&f.trouble, Trouble::Gap { root, .. } if is_tried(root)));
}

fn remedy(snapshot: &Snapshot, gap: &Gap) -> Remedy {
    let project = |index: usize| snapshot.projects.get(index);
    let Some(taker) = project(gap.taker) else {
        return "place what it takes".into();
    };
    // A proof looks into what is asked for.
    if gap.asked
        && let Some(remedy) = snapshot.prove_again()
    {
        return remedy;
    }
    match (gap.owner().and_then(project), &gap.lack) {
        (Some(owner), _) if owner.name == taker.name => snapshot.again(taker),
        (Some(owner), _) => Remedy::shortlist(
            format!(
                "take a release of {} that has it, or another one of {}",
                owner.name, taker.name
            ),
            &owner.name,
        ),
        (None, Lack::Standard { .. }) => Remedy::shortlist(
            format!(
                "take a newer release of {}, or an interpreter that has it",
                taker.name
            ),
            &taker.name,
        ),
        (None, _) => {
            let words = "find out which project brings it, and ask for that as well";
            let words = match gap.asked {
                true => words.to_owned(),
                false => format!("if you use it: {words}"),
            };
            Remedy::new(words, Step::shortlist(gap.lack_top()))
        }
    }
}
