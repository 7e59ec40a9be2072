//! What importing runs into, by the sources that are there: nothing of it is run.

use std::collections::HashMap;
use std::path::PathBuf;

use eutaxis_core::examine::{Finding, Owned, Snapshot, State, gaps, module_set, walk};
use eutaxis_core::interface::Wanted;
use eutaxis_world::catalogue::Catalogue;
use eutaxis_world::interfaces::{Effort, Source, follow};

use crate::plan::Surroundings;

/// Follows the imports of everything that is placed; what it runs into, and how many sources that
/// took.
pub(super) fn read(snapshot: &Snapshot, surroundings: &Surroundings) -> (Vec<Finding>, Effort) {
    let (catalogue, _) = Catalogue::open(&surroundings.cache);
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
    let set = module_set(snapshot);
    let mut walk = walk(snapshot, &set);
    let effort = follow(&mut walk, &locate, &catalogue);
    (gaps(snapshot, &walk.gaps()), effort)
}
