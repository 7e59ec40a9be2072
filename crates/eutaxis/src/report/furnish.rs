//! Environments that were made or updated, for programs.

use std::path::Path;

use eutaxis_core::record::{self, AskMoves};
use eutaxis_core::{Ask, Name};
use eutaxis_world::environment::Moved;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::{BuildFailed, Unbuilt};
use super::proof::Apart;
use super::shared::Release;
use super::{shown, texts};
use crate::answer::furnish::{Checked, Done, Judged, Refused};

/// What `furnish` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Furnish {
    One(Box<Furnished>),
    Several { environments: Vec<Furnished> },
    Refused(NotPlaced),
    Unbuilt(Unbuilt),
    Failed(Box<BuildFailed>),
    Checked(FurnishChecked),
}

/// Whether environments are as pinned, and pins as asked.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FurnishChecked {
    holds: bool,
    checked: Vec<CheckedOne>,
}

#[derive(Debug, Serialize, JsonSchema)]
struct CheckedOne {
    environment: String,
    is_there: bool,
    absent: Vec<Release>,
    other: Vec<Replaced>,
    not_pinned: Vec<Release>,
    kept: Vec<String>,
    since: Option<Since>,
}

/// What the files of the question say otherwise than when the pins were settled.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Since {
    added: Vec<String>,
    dropped: Vec<String>,
    other: Vec<Otherwise>,
    /// Why the files cannot be read any more.
    unread: Option<String>,
}

#[derive(Debug, Serialize, JsonSchema)]
struct Otherwise {
    before: String,
    now: String,
}

impl Since {
    fn of(since: &record::Since) -> Option<Self> {
        let [asks, bounds] = [&since.asks, &since.bounds];
        let texts = |of: &dyn Fn(&AskMoves) -> Vec<String>| [of(asks), of(bounds)].concat();
        let list = |asks: &[Ask]| asks.iter().map(|a| a.requirement.to_string()).collect();
        let both = asks.other.iter().chain(&bounds.other);
        let other = both.map(|(before, now)| Otherwise {
            before: before.requirement.to_string(),
            now: now.requirement.to_string(),
        });
        (!since.is_none()).then(|| Since {
            added: texts(&|m| list(&m.added)),
            dropped: texts(&|m| list(&m.dropped)),
            other: other.collect(),
            unread: since.unread.clone(),
        })
    }
}

fn releases(list: &[(Name, String)]) -> Vec<Release> {
    let one = |(name, version): &(Name, String)| Release {
        name: name.to_string(),
        version: version.clone(),
    };
    list.iter().map(one).collect()
}

fn replaced(list: &[Moved]) -> Vec<Replaced> {
    let one = |m: &Moved| Replaced {
        name: m.name.to_string(),
        before: m.before.clone(),
        after: m.after.clone(),
        file: m.file.clone(),
    };
    list.iter().map(one).collect()
}

impl FurnishChecked {
    pub(crate) fn of(all: &[Checked]) -> Self {
        let one = |c: &Checked| {
            let absent: Vec<(Name, String)> = c
                .report
                .placed
                .iter()
                .map(|(n, v, _)| (n.clone(), v.clone()))
                .collect();
            CheckedOne {
                environment: shown(&c.report.environment),
                is_there: !c.report.made,
                absent: releases(&absent),
                other: replaced(&c.report.replaced),
                not_pinned: releases(&c.report.removed),
                kept: texts(&c.report.kept),
                since: Since::of(&c.since),
            }
        };
        FurnishChecked {
            holds: all.iter().all(Checked::holds),
            checked: all.iter().map(one).collect(),
        }
    }
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
    /// What the files of the question say otherwise by now.
    #[serde(skip_serializing_if = "Option::is_none")]
    since: Option<Since>,
    /// Running processes that hold what was replaced or removed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    holders: Vec<HeldBy>,
    /// With `--kernel`: the file by which notebooks start it.
    #[serde(skip_serializing_if = "Option::is_none")]
    kernel: Option<String>,
}

/// A running process that holds old files.
#[derive(Debug, Serialize, JsonSchema)]
struct HeldBy {
    pid: u32,
    command: String,
    /// What of the environment it holds; empty where it only runs from there.
    holds: Vec<String>,
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
        let placed = report.placed.iter().map(|(name, version, file)| Placed {
            name: name.to_string(),
            version: version.clone(),
            file: file.clone(),
        });
        Furnished {
            placed: placed.collect(),
            replaced: replaced(&report.replaced),
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
            since: Since::of(&done.since),
            kernel: done.kernel.as_ref().map(|k| shown(&k.file)),
            holders: report
                .holders
                .iter()
                .map(|h| HeldBy {
                    pid: h.pid,
                    command: h.command.clone(),
                    holds: h.holds.clone(),
                })
                .collect(),
        }
    }
}
