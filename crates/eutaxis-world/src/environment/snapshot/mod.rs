//! Reading an environment into a [`Snapshot`], whatever made it (PEP 405 and 376): its interpreter
//! and place, where it looks for modules, its projects and their files, its compiled files. Nothing
//! of it is run, and nothing is written.

mod compiled;
mod contents;
mod locate;
mod placed;
mod search;
mod start;

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::examine::{Kind, PlaceFault, Snapshot};
use eutaxis_core::knowledge::{Families, Libraries};

use crate::Result;
use crate::interpreter::{Finder, ProbeCache};
use crate::root::{distribution, root};
use crate::{accelerator, processor};

pub use locate::{Spot, locate};
pub use search::{Search, import_path};
pub use start::{Seen, seen};

/// What is to be looked at, and how closely.
#[derive(Debug)]
pub struct Look<'a> {
    /// An environment's folder, or an interpreter.
    pub place: &'a Path,
    /// Finds interpreters.
    pub finder: &'a Finder,
    /// Their answers.
    pub probes: &'a ProbeCache,
    /// Families of accelerators.
    pub families: &'a Arc<Families>,
    /// System libraries.
    pub libraries: &'a Arc<Libraries>,
    /// The folder that code would be started from.
    pub from_folder: Option<&'a Path>,
    /// Leave the hashes of files out.
    pub quick: bool,
}

/// Reads an environment.
///
/// # Errors
/// When the place is neither an environment nor an interpreter, or a folder of it cannot be read.
pub fn snapshot(look: &Look<'_>) -> Result<Snapshot> {
    let seen = seen(look.place, look.finder, look.probes)?;
    let search = import_path(&seen, look.from_folder);
    let placed = placed::projects(&search)?;
    let (projects, strays) = contents::files(placed, &search, look.quick);
    let compiled = compiled::files(&projects, &strays, &seen, &search);
    let system = seen.facts.target_platform().system;
    let accelerators = accelerator::of_machine(&root(), look.families, system);
    let target = processor::target_of(&root(), &seen.facts, accelerators)?;
    Ok(Snapshot {
        name: name(look.place, &seen),
        root: shown(&seen.root),
        python: shown(&seen.python),
        target,
        kind: seen.kind,
        suffixes: seen.paths.suffixes.clone(),
        path: search.entries,
        projects,
        strays,
        compiled,
        faults: seen.faults,
        pins: None,
        dates: eutaxis_core::examine::Dates::default(),
        libraries: Arc::clone(look.libraries),
        distribution: distribution(&root()),
    })
}

/// An environment as it was named: by its folder, or its interpreter.
fn name(place: &Path, seen: &Seen) -> String {
    if place.is_dir() {
        return shown(place);
    }
    let here = std::env::current_dir().unwrap_or_default();
    seen.root
        .strip_prefix(&here)
        .ok()
        .filter(|p| !p.as_os_str().is_empty())
        .map_or_else(|| shown(&seen.root), shown)
}

fn shown(path: &Path) -> String {
    path.display().to_string()
}

/// Whether an environment says that it shares, as its folders matter.
fn shares(kind: Kind) -> bool {
    !matches!(
        kind,
        Kind::Virtual {
            shares_system: false
        }
    )
}

/// Faults of the place that keep its interpreter from being asked.
fn is_dead(faults: &[PlaceFault]) -> bool {
    faults
        .iter()
        .any(|f| matches!(f, PlaceFault::BaseGone(_) | PlaceFault::NoInterpreter(_)))
}
