//! `--list` and `--against`: what an environment holds, and how it differs from another one or from
//! pins.

use std::collections::BTreeMap;
use std::path::Path;

use eutaxis_core::Name;
use eutaxis_core::examine::{Project, Snapshot};
use eutaxis_core::pins::{Lock, Package, select};
use eutaxis_core::record;
use eutaxis_world::environment::snapshot::{Look, snapshot};
use eutaxis_world::{Error, ErrorKind};

use super::libraries;
use crate::answer::examine::{Compared, Difference, DifferenceKind, Holding, Listed};
use crate::output::{Answer, Outcome};
use crate::{pins, render, report, words};

/// What an environment holds.
pub(super) fn listed(snapshot: &Snapshot) -> Answer {
    let own = snapshot.projects.iter().filter(|p| p.here);
    let mut all: Vec<Holding> = own.map(holding).collect();
    all.sort_by(|a, b| a.project.cmp(&b.project));
    let listed = Listed {
        environment: snapshot.name.clone(),
        target: snapshot.target.to_string(),
        all,
    };
    Answer {
        outcome: Outcome::Ok,
        text: render::examine::listed(&listed),
        report: report::Examine::Listed(report::Holdings::from(&listed)).into(),
    }
}

fn holding(project: &Project) -> Holding {
    let from = match (&project.direct, &project.installer) {
        (Some(direct), _) if direct.editable => format!("{}, where it lies", direct.url),
        (Some(direct), _) => direct.url.clone(),
        (None, Some(installer)) => format!("placed by {installer}"),
        (None, None) => String::new(),
    };
    Holding {
        project: project.name.to_string(),
        version: project.version.as_ref().map(ToString::to_string),
        file: project.wheel.as_ref().map(|(file, _)| file.clone()),
        sha256: project.wheel.as_ref().map(|(_, sha256)| sha256.clone()),
        is_asked: project.requested,
        from,
    }
}

/// One side of a comparison.
struct Side {
    shown: String,
    target: Option<String>,
    held: BTreeMap<Name, Holding>,
}

fn of_snapshot(snapshot: &Snapshot) -> Side {
    let own = snapshot.projects.iter().filter(|p| p.here);
    Side {
        shown: snapshot.name.clone(),
        target: Some(snapshot.target.to_string()),
        held: own.map(|p| (p.name.clone(), holding(p))).collect(),
    }
}

fn of_lock(file: &Path, lock: &Lock, snapshot: &Snapshot) -> Result<Side, Error> {
    let shown = words::near(file);
    let usual = record::usual_parts(lock);
    let selected = select(lock, &snapshot.target, &usual)
        .map_err(|f| Error::fault(ErrorKind::Request, &shown, &f))?;
    let one = |package: &Package, file: Option<(String, Option<String>)>| {
        let (file, sha256) = file.map_or((None, None), |(f, h)| (Some(f), h));
        Holding {
            project: package.name.to_string(),
            version: package.version.clone(),
            file,
            sha256,
            is_asked: record::is_asked(package),
            from: String::new(),
        }
    };
    let held = selected.iter().map(|s| {
        let wheel = s.wheel.as_ref().map(|(file, _)| {
            let hash = file.hashes.get("sha256").cloned();
            (file.filename().unwrap_or_default(), hash)
        });
        (s.package.name.clone(), one(s.package, wheel))
    });
    Ok(Side {
        shown,
        target: None,
        held: held.collect(),
    })
}

/// How an environment differs from another one, or from pins.
pub(super) fn against(
    snapshot_: &Snapshot,
    other: &Path,
    look: &Look<'_>,
) -> Result<Answer, Error> {
    let is_pins = other.extension().is_some_and(|e| e == "toml");
    let mut libraries = Vec::new();
    let right = match is_pins {
        true => of_lock(other, &pins::read_lock(other)?, snapshot_)?,
        false => {
            let beside = snapshot(&Look {
                place: other,
                from_folder: None,
                ..*look
            })?;
            libraries = libraries::differences(snapshot_, &beside);
            of_snapshot(&beside)
        }
    };
    let left = of_snapshot(snapshot_);
    let mut all = Vec::new();
    if let (Some(here), Some(there)) = (&left.target, &right.target)
        && here != there
    {
        all.push(Difference {
            kind: DifferenceKind::Place,
            project: None,
            here: Some(here.clone()),
            there: Some(there.clone()),
        });
    }
    let mut names: Vec<&Name> = left.held.keys().chain(right.held.keys()).collect();
    names.sort();
    names.dedup();
    let same = names
        .iter()
        .filter(|name| {
            let found = difference(left.held.get(**name), right.held.get(**name));
            let is_same = found.is_none();
            all.extend(found);
            is_same
        })
        .count();
    all.extend(libraries);
    let compared = Compared {
        here: left.shown,
        there: right.shown,
        same,
        all,
    };
    let outcome = match compared.all.is_empty() {
        true => Outcome::Ok,
        false => Outcome::No,
    };
    Ok(Answer {
        outcome,
        text: render::examine::compared(&compared),
        report: report::Examine::Against(report::Differences::from(&compared)).into(),
    })
}

fn difference(here: Option<&Holding>, there: Option<&Holding>) -> Option<Difference> {
    let version = |h: &Holding| h.version.clone().unwrap_or_else(|| "-".to_owned());
    let project = here.or(there).map(|h| h.project.clone());
    let of = |kind, here, there| {
        Some(Difference {
            kind,
            project: project.clone(),
            here,
            there,
        })
    };
    match (here, there) {
        (Some(here), None) => of(DifferenceKind::OnlyHere, Some(version(here)), None),
        (None, Some(there)) => of(DifferenceKind::OnlyThere, None, Some(version(there))),
        (Some(one), Some(other)) => {
            // A folder is pinned without a version.
            let versions = one.version.as_ref().zip(other.version.as_ref());
            if versions.is_some_and(|(a, b)| a != b) {
                return of(
                    DifferenceKind::Version,
                    Some(version(one)),
                    Some(version(other)),
                );
            }
            let hashes = one.sha256.as_ref().zip(other.sha256.as_ref());
            if hashes.is_some_and(|(a, b)| !a.eq_ignore_ascii_case(b)) {
                return of(DifferenceKind::File, one.file.clone(), other.file.clone());
            }
            None
        }
        (None, None) => None,
    }
}
