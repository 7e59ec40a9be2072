//! Environments that were made or updated, for programs.

use std::path::Path;

use eutaxis_core::Name;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::{BuildFailed, Unbuilt};
use super::proof::Apart;
use super::shared::Release;
use super::{shown, texts};
use crate::answer::furnish::{Done, Judged, Refused};

/// What `furnish` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Furnish {
    One(Box<Furnished>),
    Several { environments: Vec<Furnished> },
    Refused(NotPlaced),
    Unbuilt(Unbuilt),
    Failed(Box<BuildFailed>),
}

/// One environment.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Furnished {
    placed: Vec<Placed>,
    replaced: Vec<Replaced>,
    removed: Vec<Release>,
    /// Projects that were there as pinned.
    kept: Vec<String>,
    /// Projects that are there and in no pins.
    unpinned: Vec<Release>,
    environment: String,
    bytes: Bytes,
    seconds: f64,
    /// What importing what is asked for runs into.
    failures: Vec<String>,
    /// What that rests on: `declared` when nothing had to be placed, and nothing was looked into.
    #[schemars(extend("enum" = ["declared", "read", "ran"]))]
    level: String,
    /// Scripts that do not start, by what they lack, and what is wrong below the modules that people
    /// import first.
    scripts: Vec<String>,
    /// Of the modules below, the ones that do not import by themselves.
    apart: Vec<Apart>,
    /// Settles the same once more, and proves it.
    again: Option<String>,
    /// What the imports left behind in an empty home.
    leaves: Vec<String>,
}

/// A set that was not placed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NotPlaced {
    environment: String,
    /// `unproven`: a proof was asked for. `would-break`: what is there now imports.
    #[schemars(extend("enum" = ["unproven", "would-break"]))]
    refused: String,
    failures: Vec<String>,
    #[schemars(extend("enum" = ["read", "ran"]))]
    level: String,
    /// Settles the same once more, and proves it.
    again: Option<String>,
}

impl NotPlaced {
    pub(crate) fn of(at: &Path, judged: &Judged) -> Self {
        let refused = match judged.refused {
            Some(Refused::WouldBreak) => "would-break",
            Some(Refused::Unproven) | None => "unproven",
        };
        NotPlaced {
            environment: shown(at),
            refused: refused.to_owned(),
            failures: judged.failures.clone(),
            level: judged.level.level().to_owned(),
            again: judged.again.clone(),
        }
    }
}

/// A project that was not there before.
#[derive(Debug, Serialize, JsonSchema)]
struct Placed {
    name: String,
    version: String,
    file: String,
}

/// A project in another release than before.
#[derive(Debug, Serialize, JsonSchema)]
struct Replaced {
    name: String,
    before: String,
    after: String,
    file: String,
}

/// What it cost.
#[derive(Debug, Serialize, JsonSchema)]
struct Bytes {
    fetched: u64,
    /// Written to the disk.
    added: u64,
    /// Shared with the store.
    shared: u64,
}

impl From<&Done> for Furnished {
    fn from(done: &Done) -> Self {
        let Done { report, judged, .. } = done;
        let releases = |list: &[(Name, String)]| {
            let one = |(name, version): &(Name, String)| Release {
                name: name.to_string(),
                version: version.clone(),
            };
            list.iter().map(one).collect()
        };
        let placed = report.placed.iter().map(|(name, version, file)| Placed {
            name: name.to_string(),
            version: version.clone(),
            file: file.clone(),
        });
        let replaced = report.replaced.iter().map(|m| Replaced {
            name: m.name.to_string(),
            before: m.before.clone(),
            after: m.after.clone(),
            file: m.file.clone(),
        });
        Furnished {
            placed: placed.collect(),
            replaced: replaced.collect(),
            removed: releases(&report.removed),
            kept: texts(&report.kept),
            unpinned: releases(&report.unpinned),
            environment: shown(&report.environment),
            bytes: Bytes {
                fetched: report.bytes.fetched,
                added: report.bytes.added,
                shared: report.bytes.shared,
            },
            seconds: report.seconds,
            failures: judged.failures.clone(),
            level: judged.level.level().to_owned(),
            scripts: judged.scripts.clone(),
            apart: Apart::of(&judged.apart),
            again: judged.again.clone(),
            leaves: judged.leaves.clone(),
        }
    }
}
