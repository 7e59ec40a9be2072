//! The pins that an environment is held to.

use std::path::{Path, PathBuf};

use eutaxis_core::examine::{Dates, Pinned, Pins, Snapshot};
use eutaxis_core::pins::{Lock, Selected, Selection, select};
use eutaxis_core::{Name, Version, record};
use eutaxis_world::environment::{parts_of, pins_of};
use eutaxis_world::{Error, ErrorKind};

use crate::cli::DepotOptions;
use crate::pins::read_lock_at;
use crate::plan::Surroundings;
use crate::question::Again;
use crate::words::near;

/// The pins that an environment was made from, when that is remembered.
pub(crate) fn remembered(snapshot: &Snapshot, surroundings: &Surroundings) -> Option<PathBuf> {
    let pins = pins_of(&surroundings.cache, Path::new(&snapshot.root))?;
    Some(PathBuf::from(near(&pins)))
}

/// The parts of pins that an environment was brought to: those that were chosen for it, else the
/// usual ones.
pub(crate) fn parts(cache: &Path, root: &Path, lock: &Lock) -> Selection {
    let Some(chosen) = parts_of(cache, root) else {
        return record::usual_parts(lock);
    };
    let names = |kind: &str| -> Vec<Name> {
        let named = chosen.iter().filter_map(|line| line.strip_prefix(kind));
        named.filter_map(|n| Name::parse(n.trim()).ok()).collect()
    };
    let groups = names("group ");
    Selection {
        extras: names("extra "),
        groups: (!groups.is_empty()).then_some(groups),
    }
}

/// Holds an environment to pins: those of them that count there, with their dates.
pub(crate) fn hold_to(
    snapshot: &mut Snapshot,
    file: &Path,
    surroundings: &Surroundings,
    depots: &DepotOptions,
) -> Result<Lock, Error> {
    let families = &surroundings.config.families;
    let lock = read_lock_at(file, &snapshot.target, families)?;
    let shown = file.display().to_string();
    let chosen = parts(&surroundings.cache, Path::new(&snapshot.root), &lock);
    let selected = select(&lock, &snapshot.target, &chosen)
        .map_err(|f| Error::fault(ErrorKind::Request, &shown, &f))?;
    let entries = selected
        .iter()
        .map(|one| entry(one, &mut snapshot.dates))
        .collect();
    let again = Again {
        lock: &lock,
        pins: file,
        place: &snapshot.target,
        config: &surroundings.config,
        depots,
    };
    let question = again.words().unwrap_or_default();
    snapshot.pins = Some(Pins {
        shown,
        entries,
        question,
        places: again.shared().unwrap_or_default(),
    });
    Ok(lock)
}

/// A pin, whose date is kept.
fn entry(one: &Selected<'_>, dates: &mut Dates) -> Pinned {
    let package = one.package;
    let version = package.version.as_deref();
    let version = version.and_then(|v| Version::parse(v).ok());
    let files = || package.files();
    let published = files().filter_map(|f| f.upload_time.as_ref());
    let published = published.filter_map(|t| t.to_string().parse().ok()).min();
    if let (Some(version), Some(moment)) = (&version, published) {
        let key: (Name, Version) = (package.name.clone(), version.clone());
        dates.published.insert(key, moment);
    }
    let known = files().filter_map(|f| Some((f.filename()?, f.hashes.get("sha256")?.clone())));
    Pinned {
        name: package.name.clone(),
        version,
        files: known.collect(),
    }
}
