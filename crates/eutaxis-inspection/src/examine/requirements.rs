//! `unmet-requirement`, `version-clash`: what placed projects need, on this interpreter and with
//! the extras that others ask for (PEP 508).

use std::collections::{BTreeMap, BTreeSet};

use super::{Finding, Project, Severity, Snapshot, Trouble};
use crate::remedy::{Remedy, Step};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Accepts, Requirement};
use eutaxis_standards::version::Version;

/// A need that is not met.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unmet {
    /// The project that needs, as a place in the snapshot's list.
    pub by: usize,
    /// What it needs.
    pub needs: Requirement,
    /// The release that is there instead.
    pub found: Option<Version>,
}

/// The needs that are not met of the projects that lie in the environment.
pub fn unmet(snapshot: &Snapshot) -> Vec<Unmet> {
    let extras = extras(snapshot);
    let mut all = Vec::new();
    for (by, project) in snapshot.here() {
        // Of two of one name only the first on the path is imported.
        if !snapshot
            .visible(&project.name)
            .is_some_and(|v| std::ptr::eq(v, project))
        {
            continue;
        }
        for needs in needs(project, snapshot, &extras) {
            let found = snapshot.visible(&needs.name);
            match (found, needs.versions()) {
                (None, _) => all.push(Unmet {
                    by,
                    needs: needs.clone(),
                    found: None,
                }),
                (
                    Some(Project {
                        version: Some(version),
                        ..
                    }),
                    Some(set),
                ) if !set.matches(version) => {
                    all.push(Unmet {
                        by,
                        needs: needs.clone(),
                        found: Some(version.clone()),
                    });
                }
                _ => {}
            }
        }
    }
    all
}

/// What a project needs here.
fn needs<'a>(
    project: &'a Project,
    snapshot: &'a Snapshot,
    extras: &BTreeMap<&Name, BTreeSet<&Name>>,
) -> Vec<&'a Requirement> {
    let asked: Vec<Name> = extras
        .get(&project.name)
        .into_iter()
        .flatten()
        .map(|e| (*e).clone())
        .collect();
    let counts = |r: &&Requirement| {
        r.marker
            .as_ref()
            .is_none_or(|m| m.wanted(&snapshot.target.markers, &asked))
    };
    project
        .metadata
        .iter()
        .flat_map(|m| &m.requires)
        .filter(counts)
        .collect()
}

/// The extras that placed projects ask for of each other. What an extra needs may ask for more.
fn extras(snapshot: &Snapshot) -> BTreeMap<&Name, BTreeSet<&Name>> {
    let mut found: BTreeMap<&Name, BTreeSet<&Name>> = BTreeMap::new();
    loop {
        let mut more: Vec<(&Name, &Name)> = Vec::new();
        for project in &snapshot.projects {
            for needs in needs(project, snapshot, &found) {
                more.extend(needs.extras.iter().map(|e| (&needs.name, e)));
            }
        }
        let mut grown = false;
        for (name, extra) in more {
            grown |= found.entry(name).or_default().insert(extra);
        }
        if !grown {
            return found;
        }
    }
}

/// The projects that another one needs.
pub(super) fn needed(snapshot: &Snapshot) -> BTreeSet<&Name> {
    let extras = extras(snapshot);
    let by_others = |p: &Project, r: &&Requirement| r.name != p.name;
    let of = |p| {
        needs(p, snapshot, &extras)
            .into_iter()
            .filter(move |r| by_others(p, r))
            .map(|r| &r.name)
    };
    snapshot.projects.iter().flat_map(of).collect()
}

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for unmet in unmet(snapshot) {
        let Some(project) = snapshot.projects.get(unmet.by) else {
            continue;
        };
        let needs = unmet.needs.clone();
        let trouble = match unmet.found {
            None => Trouble::Unmet(needs),
            Some(found) => {
                let other = snapshot.visible(&unmet.needs.name);
                let since = other.and_then(|p| p.placed);
                Trouble::VersionClash {
                    needs,
                    found,
                    since,
                }
            }
        };
        let wish = match &unmet.needs.accepts {
            Accepts::Url(_) => unmet.needs.name.to_string(),
            Accepts::Versions(_) => unmet.needs.short(),
        };
        let step = Step::rehearse(wish, &snapshot.name);
        let remedy = Remedy::new("see what it would move", step);
        let paths = snapshot
            .visible(&unmet.needs.name)
            .map(|p| p.info.clone())
            .into_iter()
            .collect();
        findings.push(
            Finding::new(Severity::Breaks, trouble, remedy)
                .about(project)
                .of(paths),
        );
    }
}
