//! `broken-metadata`, `broken-record`: what a project says of itself, and the list of its files
//! (PEP 376, 427 and 627).

use super::{Finding, Form, RecordTrouble, Recorded, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for (_, project) in snapshot.here() {
        let again = || snapshot.again(project);
        if let Err(why) = &project.metadata {
            let trouble = Trouble::BrokenMetadata {
                info: snapshot.shown(&project.info),
                why: why.to_string(),
            };
            let finding = Finding::new(Severity::Breaks, trouble, again());
            findings.push(finding.about(project).of(vec![project.info.clone()]));
        }
        let editable = project.direct.as_ref().is_some_and(|d| d.editable);
        let trouble = match &project.record {
            Recorded::Broken(why) => RecordTrouble::Unreadable {
                info: snapshot.shown(&project.info),
                why: why.to_string(),
            },
            Recorded::Read(remarks) if !remarks.is_empty() => RecordTrouble::Odd(remarks.clone()),
            // The older form has none, and a system that manages its packages keeps lists of its
            // own.
            Recorded::Absent
                if project.form == Form::DistInfo && !snapshot.is_managed() && !editable =>
            {
                RecordTrouble::Absent(project.installer.clone())
            }
            Recorded::Absent | Recorded::Read(_) => continue,
        };
        let finding = Finding::new(Severity::Risk, Trouble::BrokenRecord(trouble), again());
        findings.push(finding.about(project).of(vec![project.info.clone()]));
    }
}
