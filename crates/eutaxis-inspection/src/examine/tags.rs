//! `tag-mismatch`: the tags of the wheel that a project came from, against this machine (PEP 425).

use super::Remedy;
use super::{Finding, Project, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let mut more = Vec::new();
    for (_, project) in snapshot.here() {
        let Some(tags) = project.tags.as_ref().filter(|t| !t.is_empty()) else {
            continue;
        };
        if tags.iter().any(|t| snapshot.target.rank(t).is_some()) {
            continue;
        }
        let trouble = Trouble::TagMismatch {
            tags: tags.iter().map(ToString::to_string).collect(),
            here: snapshot.target.to_string(),
        };
        let severity = if is_broken(project, findings) {
            Severity::Breaks
        } else {
            Severity::Risk
        };
        let remedy = Remedy::shortlist("place the file for this machine", &project.name);
        more.push(
            Finding::new(severity, trouble, remedy)
                .about(project)
                .of(vec![project.info.clone()]),
        );
    }
    findings.extend(more);
}

/// A compiled file of the project cannot be loaded.
fn is_broken(project: &Project, findings: &[Finding]) -> bool {
    findings.iter().any(|f| {
        f.severity == Severity::Breaks
            && f.project.as_ref() == Some(&project.name)
            && f.trouble.keeps_from_loading()
    })
}
