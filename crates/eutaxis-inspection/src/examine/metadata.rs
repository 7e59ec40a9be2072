//! `broken-metadata`, `broken-record`: what a project says of itself, and the list of its files
//! (PEP 376, 427 and 627).

use super::{Finding, Form, Recorded, Severity, Snapshot, some};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for (_, project) in snapshot.here() {
        let again = || snapshot.again(project);
        if let Err(why) = &project.metadata {
            let evidence = format!("{}: {why}", snapshot.shown(&project.info));
            let finding = Finding::new("broken-metadata", Severity::Breaks, evidence, again());
            findings.push(finding.about(project).of(vec![project.info.clone()]));
        }
        let editable = project.direct.as_ref().is_some_and(|d| d.editable);
        let evidence = match &project.record {
            Recorded::Broken(why) => format!("{}: {why}", snapshot.shown(&project.info)),
            Recorded::Read(remarks) if !remarks.is_empty() => some(remarks),
            // The older form has none, and a system that manages its packages keeps lists of its
            // own.
            Recorded::Absent
                if project.form == Form::DistInfo && !snapshot.is_managed() && !editable =>
            {
                let who = project
                    .installer
                    .as_ref()
                    .map_or(String::new(), |i| format!(" (placed by {i})"));
                format!("it has no RECORD: its files are not known{who}")
            }
            Recorded::Absent | Recorded::Read(_) => continue,
        };
        let finding = Finding::new("broken-record", Severity::Risk, evidence, again());
        findings.push(finding.about(project).of(vec![project.info.clone()]));
    }
}
