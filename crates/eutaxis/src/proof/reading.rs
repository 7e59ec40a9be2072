//! What importing what is placed runs into, by the sources that are there: nothing of it is run.

use std::collections::HashMap;
use std::path::PathBuf;

use eutaxis_core::examine::{Owned, Snapshot, State, module_set, walk};
use eutaxis_core::interface::{Gap, Set, Walk, Wanted};
use eutaxis_world::catalogue::Catalogue;
use eutaxis_world::interfaces::{Effort, Source, follow};

/// Follows the imports of everything that is placed; what it runs into, and how many sources that
/// took.
pub(crate) fn gaps(snapshot: &Snapshot, catalogue: &Catalogue) -> (Vec<Gap>, Effort) {
    let set = module_set(snapshot);
    let (walk, effort) = walked(snapshot, &set, catalogue);
    (walk.gaps(), effort)
}

/// The walk through everything that is placed, at its end.
pub(crate) fn walked<'a>(
    snapshot: &Snapshot,
    set: &'a Set,
    catalogue: &Catalogue,
) -> (Walk<'a>, Effort) {
    let files = snapshot.projects.iter().flat_map(|p| &p.files);
    let files: HashMap<&str, &Owned> = files.map(|f| (f.path.as_str(), f)).collect();
    let locate = |wanted: &Wanted| {
        let project = snapshot.projects.get(wanted.project)?;
        let folder = &snapshot.path.get(project.entry)?.folder;
        let owned = files.get(format!("{folder}/{}", wanted.file).as_str())?;
        Some(Source {
            path: PathBuf::from(&owned.path),
            hash: owned.hash.clone().filter(|_| owned.state == State::Whole),
        })
    };
    let mut walk = walk(snapshot, set);
    let effort = follow(&mut walk, &locate, catalogue);
    (walk, effort)
}
