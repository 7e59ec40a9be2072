//! `leftover`: what is left of an older release, or of a change that was interrupted (PEP 376 and
//! 627).

use std::collections::BTreeMap;

use super::Remedy;
use super::{FilesTrouble, Finding, Project, Severity, Snapshot, Trouble};
use eutaxis_standards::name::Name;

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    // A system that manages its packages may leave metadata in two forms.
    if !snapshot.is_managed() {
        twice(snapshot, findings);
    }
    interrupted(snapshot, findings);
    modules(snapshot, findings);
}

/// Two releases of one project in one folder: which one is meant is left to chance.
fn twice(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let mut placed: BTreeMap<(&Name, usize), Vec<&Project>> = BTreeMap::new();
    for (_, project) in snapshot.here() {
        placed
            .entry((&project.name, project.entry))
            .or_default()
            .push(project);
    }
    for projects in placed.into_values().filter(|p| p.len() > 1) {
        let Some(last) = projects.iter().max_by_key(|p| p.placed) else {
            continue;
        };
        let trouble = FilesTrouble::Twice {
            infos: projects.iter().map(|p| snapshot.shown(&p.info)).collect(),
            last: last.version.clone(),
        };
        let words = "place it anew, which removes all of them";
        let remedy = Remedy::new(words, snapshot.furnish(false));
        let paths = projects.iter().map(|p| p.info.clone()).collect();
        findings.push(
            Finding::new(Severity::Risk, Trouble::Files(trouble), remedy)
                .about(last)
                .of(paths),
        );
    }
}

/// Folders and files that a change set aside and did not remove.
fn interrupted(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let aside = |path: &str| snapshot.shown(path).starts_with('~');
    let mut tops: Vec<String> = Vec::new();
    for stray in snapshot.strays.iter().filter(|s| aside(&s.path)) {
        let top = snapshot
            .shown(&stray.path)
            .split('/')
            .next()
            .unwrap_or("")
            .to_owned();
        if !tops.contains(&top) {
            tops.push(top);
        }
    }
    if tops.is_empty() {
        return;
    }
    let trouble = Trouble::Files(FilesTrouble::SetAside(tops.clone()));
    let remedy = "remove it: nothing looks there".to_owned();
    findings.push(Finding::new(Severity::Risk, trouble, remedy).of(tops));
}

/// Modules in a project's package that the project does not own: an import finds them all the same.
fn modules(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let mut inside: BTreeMap<usize, Vec<String>> = BTreeMap::new();
    for stray in &snapshot.strays {
        let importable = stray.path.ends_with(".py")
            || snapshot
                .suffixes
                .iter()
                .any(|s| stray.path.ends_with(s.as_str()));
        if let Some(index) = stray.inside.filter(|_| importable) {
            inside.entry(index).or_default().push(stray.path.clone());
        }
    }
    for (index, paths) in inside {
        let Some(project) = snapshot.projects.get(index) else {
            continue;
        };
        let shown = paths.iter().map(|p| snapshot.shown(p)).collect();
        let trouble = Trouble::Files(FilesTrouble::StrayModules(shown));
        let remedy = "remove what an older release left, unless you put it there".to_owned();
        findings.push(
            Finding::new(Severity::Risk, trouble, remedy)
                .about(project)
                .of(paths),
        );
    }
}
