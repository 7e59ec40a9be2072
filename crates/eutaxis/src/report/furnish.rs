//! Environments that were made or updated, for programs.

use eutaxis_core::Name;
use eutaxis_world::environment::Report;
use schemars::JsonSchema;
use serde::Serialize;

use super::shared::Release;
use super::{shown, texts};

/// What `furnish` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Furnish {
    One(Furnished),
    Several { environments: Vec<Furnished> },
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

impl From<&Report> for Furnished {
    fn from(report: &Report) -> Self {
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
        }
    }
}
