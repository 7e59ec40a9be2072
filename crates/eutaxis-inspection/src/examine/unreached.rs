//! `unreached`: projects that were brought by another, and that nothing needs now.

use super::Remedy;
use super::requirements::needed;
use super::{Finding, Kind, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    // Where nothing was noted as asked for, or nobody notes it, it cannot be told what was only
    // brought along.
    let noting: Vec<Option<&String>> = snapshot
        .here()
        .filter(|(_, p)| p.requested)
        .map(|(_, p)| p.installer.as_ref())
        .collect();
    let needed = needed(snapshot);
    for (_, project) in snapshot.here() {
        let pinned = snapshot
            .pins
            .as_ref()
            .is_some_and(|p| p.entries.iter().any(|e| e.name == project.name));
        let noted = project.installer.is_some() && noting.contains(&project.installer.as_ref());
        let wanted =
            project.requested || project.direct.is_some() || needed.contains(&project.name);
        if !noted || wanted || pinned {
            continue;
        }
        let remedy = match snapshot.kind {
            Kind::Virtual { .. } => Remedy::new("let go of it", snapshot.furnish(true)),
            Kind::System { .. } => "remove it, if you do not use it yourself".into(),
        };
        findings.push(Finding::new(Severity::Note, Trouble::Unreached, remedy).about(project));
    }
}
