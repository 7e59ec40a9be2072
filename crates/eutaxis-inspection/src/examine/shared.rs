//! `shared-path`: files that two projects own with different contents.

use std::collections::BTreeMap;

use super::{FilesTrouble, Finding, Owned, Project, Severity, Snapshot, State, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let mut owners: BTreeMap<&str, Vec<(usize, &Owned)>> = BTreeMap::new();
    for (index, project) in snapshot.here() {
        for file in &project.files {
            owners.entry(&file.path).or_default().push((index, file));
        }
    }
    let mut pairs: BTreeMap<(usize, usize), Vec<&str>> = BTreeMap::new();
    for (path, files) in &owners {
        let [(first, a), rest @ ..] = files.as_slice() else {
            continue;
        };
        for (other, b) in rest {
            // Two of one name are told as a leftover; equal bytes, as of namespace packages, do no
            // harm.
            let same_name = snapshot.projects.get(*first).map(|p| &p.name)
                == snapshot.projects.get(*other).map(|p| &p.name);
            if first != other && !same_name && (a.hash.is_none() || a.hash != b.hash) {
                pairs.entry((*first, *other)).or_default().push(path);
            }
        }
    }
    for ((first, other), paths) in pairs {
        let (Some(one), Some(two)) = (snapshot.projects.get(first), snapshot.projects.get(other))
        else {
            continue;
        };
        let last = paths.first().and_then(|path| written_last(path, one, two));
        let trouble = Trouble::Files(FilesTrouble::Shared {
            projects: [one.name.clone(), two.name.clone()],
            files: paths.iter().map(|p| snapshot.shown(p)).collect(),
            last: last.map(|p| p.name.clone()),
        });
        let remedy =
            "keep one of the two; removing the other takes these files away, so place the one \
                again afterwards"
                .to_owned();
        let finding = Finding::new(Severity::Risk, trouble, remedy).about(one);
        findings.push(finding.of(paths.iter().map(|p| (*p).to_owned()).collect()));
    }
}

/// The project whose file it is that is there, if it is the one's and not the other's.
fn written_last<'a>(path: &str, one: &'a Project, two: &'a Project) -> Option<&'a Project> {
    let whole = |p: &Project| {
        p.files
            .iter()
            .any(|f| f.path == path && f.state == State::Whole)
    };
    match (whole(one), whole(two)) {
        (true, false) => Some(one),
        (false, true) => Some(two),
        _ => None,
    }
}
