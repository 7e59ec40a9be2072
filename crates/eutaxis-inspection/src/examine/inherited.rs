//! `inherited`: projects that are seen from outside an environment which does not say that it
//! shares.

use std::collections::BTreeMap;

use super::{Finding, Kind, Seat, Severity, Snapshot, some};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    if snapshot.kind
        != (Kind::Virtual {
            shares_system: false,
        })
    {
        return;
    }
    let mut by_entry: BTreeMap<usize, Vec<String>> = BTreeMap::new();
    // A project that is used in place has its metadata there, too.
    let in_place = |name: &eutaxis_standards::name::Name| {
        snapshot
            .here()
            .any(|(_, p)| p.name == *name && p.direct.as_ref().is_some_and(|d| d.editable))
    };
    for project in snapshot
        .projects
        .iter()
        .filter(|p| !p.here && !in_place(&p.name))
    {
        by_entry
            .entry(project.entry)
            .or_default()
            .push(project.name.to_string());
    }
    for (index, names) in by_entry {
        let Some(entry) = snapshot.path.get(index) else {
            continue;
        };
        let (why, remedy) = match entry.seat {
            Seat::Variable => ("PYTHONPATH adds it", "take that folder out of PYTHONPATH"),
            Seat::Pth => (
                "a .pth file adds it",
                "remove the line of the .pth file, if you did not mean it",
            ),
            Seat::Start | Seat::Standard | Seat::Site | Seat::User | Seat::System => continue,
        };
        let evidence = format!(
            "{} projects of {} are seen from here, because {why}: {}",
            names.len(),
            entry.folder,
            some(&names)
        );
        let evidence = if names.len() == 1 {
            evidence
                .replacen("projects of", "project of", 1)
                .replacen(" are seen", " is seen", 1)
        } else {
            evidence
        };
        findings.push(
            Finding::new("inherited", Severity::Note, evidence, remedy.to_owned())
                .of(vec![entry.folder.clone()]),
        );
    }
}
