//! `driver-too-old`: builds for a newer toolkit than the machine's driver runs (docs/house.md).

use std::collections::BTreeMap;

use super::Remedy;
use super::{BuildEvidence, Finding, Severity, Snapshot, Trouble};
use eutaxis_standards::knowledge::MadeFor;

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let accelerators = &snapshot.target.accelerators;
    if accelerators.is_empty() {
        return;
    }
    // What a project's label says, else what its compiled files need; each project once, by its
    // newest toolkit.
    let mut told: BTreeMap<usize, (MadeFor, BuildEvidence, Vec<String>)> = BTreeMap::new();
    for (index, project) in snapshot.here() {
        let Some(version) = &project.version else {
            continue;
        };
        if let Some(made) = accelerators.families.of_version(version) {
            let label = version.local().unwrap_or_default();
            let by = BuildEvidence::Label(label.to_string());
            told.insert(index, (made, by, Vec::new()));
        }
    }
    for compiled in snapshot.compiled.iter().filter(|c| snapshot.is_loaded(c)) {
        let Some(owner) = compiled.owner else {
            continue;
        };
        for library in compiled.parts.iter().flatten().flat_map(|p| &p.needs) {
            if let Some((family, toolkit)) = accelerators.families.of_library(library) {
                let by = BuildEvidence::Library {
                    file: snapshot.shown(&compiled.path),
                    library: library.clone(),
                };
                let made = MadeFor::Toolkit(family, toolkit);
                told.entry(owner)
                    .or_insert((made, by, vec![compiled.path.clone()]));
            }
        }
    }
    for (index, (made, by, paths)) in told {
        let Some(project) = snapshot.projects.get(index) else {
            continue;
        };
        // Of a family that is not here nothing is too old.
        let here = made.family().is_some_and(|f| accelerators.has(&f.name));
        let Some(miss) = accelerators
            .miss(&made, snapshot.target.platform.system)
            .filter(|_| here)
        else {
            continue;
        };
        let words = "take the newest build that the driver runs";
        let remedy = Remedy::shortlist(words, &project.name);
        let trouble = Trouble::DriverTooOld { miss, by };
        let finding = Finding::new(Severity::Breaks, trouble, remedy);
        findings.push(finding.about(project).of(paths));
    }
}
