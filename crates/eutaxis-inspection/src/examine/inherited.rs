//! `inherited`: projects that are seen from outside an environment which does not say that it
//! shares.

use std::collections::BTreeMap;

use super::{Finding, Kind, Seat, Severity, Snapshot, Trouble};

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
        let remedy = match entry.seat {
            Seat::Variable => "take that folder out of PYTHONPATH",
            Seat::Pth => "remove the line of the .pth file, if you did not mean it",
            Seat::Start | Seat::Standard | Seat::Site | Seat::User | Seat::System => continue,
        };
        let trouble = Trouble::Inherited {
            folder: entry.folder.clone(),
            seat: entry.seat,
            projects: names,
        };
        findings.push(Finding::new(Severity::Note, trouble, remedy).of(vec![entry.folder.clone()]));
    }
}
