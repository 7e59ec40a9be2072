//! `built-before`: what is placed beside what it can never have met (docs/house.md).

use super::{Finding, Severity, Snapshot, Trouble};
use crate::remedy::Remedy;
use eutaxis_standards::version::leaves_later_series_open;

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let dates = &snapshot.dates;
    let key = |p: &super::Project| p.version.clone().map(|v| (p.name.clone(), v));
    for (index, project) in snapshot.here() {
        let Some(published) = key(project).and_then(|k| dates.published.get(&k).copied()) else {
            continue;
        };
        for needs in project.metadata.iter().flat_map(|m| &m.requires) {
            let counts = needs
                .marker
                .as_ref()
                .is_none_or(|m| m.holds(&snapshot.target.markers, None));
            let Some((at, other)) = snapshot
                .here()
                .find(|(_, p)| p.name == needs.name)
                .filter(|_| counts)
            else {
                continue;
            };
            let Some(began) = key(other).and_then(|k| dates.began.get(&k).copied()) else {
                continue;
            };
            let set = needs.versions();
            if began <= published || !leaves_later_series_open(set) {
                continue;
            }
            let (Some(version), Some(newer)) = (&project.version, &other.version) else {
                continue;
            };
            let compiled = is_compiled(snapshot, index) && is_compiled(snapshot, at);
            let series = newer.release_number(0);
            let trouble = Trouble::BuiltBefore {
                project: project.name.clone(),
                version: version.clone(),
                published,
                compiled,
                other: other.name.clone(),
                series,
                began,
            };
            let asks = vec![format!("{}<{series}", other.name), project.name.to_string()];
            let words = format!("if it fails, hold {} below {series}", other.name);
            let remedy = Remedy::new(words, snapshot.settle_beside(asks));
            findings.push(Finding::new(Severity::Risk, trouble, remedy).about(project));
        }
    }
}

fn is_compiled(snapshot: &Snapshot, project: usize) -> bool {
    snapshot.compiled.iter().any(|c| c.owner == Some(project))
}
