//! `built-here`: projects whose wheel was built here from source, and how.

use super::{Finding, Remedy, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for (_, project) in snapshot.here() {
        let Some(built) = &project.built else {
            continue;
        };
        let trouble = Trouble::BuiltHere(built.clone());
        let remedy: Remedy =
            "nothing is to be done: another machine needs a wheel of its own".into();
        findings.push(Finding::new(Severity::Note, trouble, remedy).about(project));
    }
}
