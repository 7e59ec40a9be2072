//! The depot of a pinned project is part of its pin: it changes only when the user says so
//! (docs/depots.md).

use std::path::{Path, PathBuf};

use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::record;
use eutaxis_world::{Doing, Error};

use super::lock::shown_from;
use crate::answer::settle::{Pinned, Settled};
use crate::output::{Answer, Outcome};
use crate::{render, report};

/// A project that would come from another depot than its pin.
#[derive(Debug)]
pub(super) struct Stray {
    pub(super) project: String,
    /// Release and depot.
    pub(super) before: (String, String),
    pub(super) after: (String, String),
}

/// Projects that would come from another depot than their pins, and were not named with `--renew`.
/// The same bytes at another place are no move.
pub(super) fn strays(
    settled: &Settled<'_>,
    old: Option<&Lock>,
    out: &Path,
    renewed: &[String],
) -> Result<Vec<Stray>, Error> {
    let Some(lock) = old else {
        return Ok(Vec::new());
    };
    let folder = std::path::absolute(out)
        .doing("cannot find", out)?
        .parent()
        .map(Path::to_owned)
        .unwrap_or_default();
    let stray = |pin: &Pinned<'_>| {
        let name = &pin.chosen.project;
        let package = lock.packages.iter().find(|p| p.name == *name)?;
        let (before, after) = (record::depot_of(package)?, pin.origin.as_ref()?);
        if renewed
            .iter()
            .any(|r| eutaxis_core::Name::parse(r).is_ok_and(|r| r == *name))
        {
            return None;
        }
        if is_same(before, after, &folder) || has_same_bytes(package, pin) {
            return None;
        }
        Some(Stray {
            project: name.to_string(),
            before: (
                package.version.clone().unwrap_or_default(),
                before.to_owned(),
            ),
            after: (pin.chosen.version.to_string(), shown_from(after, &folder)),
        })
    };
    Ok(settled.pins.iter().filter_map(stray).collect())
}

/// Whether what pins record is the depot that is known by this address or path.
fn is_same(recorded: &str, origin: &str, folder: &Path) -> bool {
    if recorded.contains("://") || origin.contains("://") {
        return recorded.trim_end_matches('/') == origin.trim_end_matches('/');
    }
    let place = |path: PathBuf| std::fs::canonicalize(&path).unwrap_or(path);
    place(folder.join(recorded)) == place(PathBuf::from(origin))
}

fn has_same_bytes(package: &Package, pin: &Pinned<'_>) -> bool {
    let files = package.files();
    files
        .filter_map(|f| f.hashes.get("sha256"))
        .any(|hash| hash.eq_ignore_ascii_case(&pin.sha256))
}

/// The answer when there are some: nothing is written.
pub(super) fn refused(strays: &[Stray], shown: &str) -> Answer {
    let moves = strays.iter().map(|s| report::DepotMove {
        project: s.project.clone(),
        before: s.before.0.clone(),
        depot_before: s.before.1.clone(),
        after: s.after.0.clone(),
        depot_after: s.after.1.clone(),
    });
    let report = report::Settle::DepotMoves(report::DepotMoves {
        depot_moves: moves.collect(),
    });
    let told: Vec<(String, String, String)> = strays
        .iter()
        .map(|s| {
            let (before, after) = (
                format!("{} from {}", s.before.0, s.before.1),
                format!("{} from {}", s.after.0, s.after.1),
            );
            (s.project.clone(), before, after)
        })
        .collect();
    Answer {
        outcome: Outcome::No,
        text: render::settle::moved_depots(&told, shown),
        report: report.into(),
    }
}
