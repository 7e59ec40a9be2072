//! What takes the room in an environment.

use std::collections::BTreeSet;

use eutaxis_core::examine::Snapshot;

use crate::answer::examine::Share;

/// The shares, largest first. A file that two projects own counts for the first.
pub(super) fn shares(snapshot: &Snapshot) -> Vec<Share> {
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    let mut shares = Vec::new();
    for (_, project) in snapshot.here() {
        let mut share = Share {
            project: Some(project.name.to_string()),
            version: project.version.as_ref().map(ToString::to_string),
            bytes: 0,
            files: 0,
        };
        for file in project.files.iter().filter(|f| f.size > 0) {
            if seen.insert(&file.path) {
                share.bytes += file.size;
                share.files += 1;
            }
        }
        shares.push(share);
    }
    let stray = snapshot
        .strays
        .iter()
        .filter_map(|s| Some(std::fs::metadata(&s.path).ok()?.len()));
    let (bytes, files) = stray.fold((0, 0), |(bytes, files), size| (bytes + size, files + 1));
    if files > 0 {
        shares.push(Share {
            project: None,
            version: None,
            bytes,
            files,
        });
    }
    shares.sort_by(|a, b| (b.bytes, &a.project).cmp(&(a.bytes, &b.project)));
    shares
}
