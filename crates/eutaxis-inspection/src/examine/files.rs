//! `absent-file`, `altered-file`: the files of projects against their RECORD (PEP 376 and 427,
//! RECORD).

use std::collections::BTreeMap;

use super::{FilesTrouble, Finding, Kind, Owned, Severity, Snapshot, State, Trouble};
use crate::remedy::{Remedy, Step};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    // A system that manages its packages moves and changes their files, and has lists of its own.
    if snapshot.is_managed() {
        return;
    }
    let owners = owners(snapshot);
    for (_, project) in snapshot.here() {
        let of = |wanted: fn(&State) -> bool| {
            project
                .files
                .iter()
                .filter(|f| wanted(&f.state))
                .collect::<Vec<_>>()
        };
        let absent = of(|s| *s == State::Absent);
        if !absent.is_empty() {
            let trouble = FilesTrouble::Absent(names(snapshot, &absent));
            let finding = Finding::new(
                Severity::Breaks,
                Trouble::Files(trouble),
                snapshot.again(project),
            );
            findings.push(finding.about(project).of(paths(&absent)));
        }
        let altered = of(|s| matches!(s, State::Altered(_)));
        // What two projects own is as one of them placed it.
        let altered: Vec<&Owned> = altered
            .into_iter()
            .filter(|f| owners.get(f.path.as_str()) == Some(&1))
            .collect();
        let Some(State::Altered(how)) = altered.first().map(|f| &f.state) else {
            continue;
        };
        let trouble = FilesTrouble::Altered {
            files: names(snapshot, &altered),
            how: how.to_string(),
        };
        // Placing passes over a project whose files are all there.
        let remedy = match snapshot.kind {
            Kind::Virtual { .. } => {
                let first = altered.first().map_or("", |f| f.path.as_str());
                let step = Step::Without {
                    file: first.to_owned(),
                    then: Box::new(snapshot.furnish(false)),
                };
                Remedy::new("if you did not mean it", step)
            }
            Kind::System { .. } => {
                let again = snapshot.again(project);
                Remedy {
                    words: format!("if you did not mean it, {}", again.words),
                    ..again
                }
            }
        };
        let finding = Finding::new(Severity::Risk, Trouble::Files(trouble), remedy);
        findings.push(finding.about(project).of(paths(&altered)));
    }
}

/// How many projects own each file.
fn owners(snapshot: &Snapshot) -> BTreeMap<&str, usize> {
    let mut owners = BTreeMap::new();
    for file in snapshot.projects.iter().flat_map(|p| &p.files) {
        *owners.entry(file.path.as_str()).or_insert(0) += 1;
    }
    owners
}

fn names(snapshot: &Snapshot, files: &[&Owned]) -> Vec<String> {
    files.iter().map(|f| snapshot.shown(&f.path)).collect()
}

fn paths(files: &[&Owned]) -> Vec<String> {
    files.iter().map(|f| f.path.clone()).collect()
}
