//! What the commands answer: one struct for each answer, which serialises to the object that
//! `--json` prints. A file for each command; `docs/schema/` is made of these types.
//!
//! Keys are a promise (docs/files.md): a field is added, never renamed.

mod assay;
mod build;
mod clash;
mod demo;
mod depots;
mod diagnose;
mod edits;
mod examine;
mod failure;
mod furnish;
mod gather;
mod here;
mod locate;
mod proof;
mod proofread;
mod reason;
mod rehearse;
#[cfg(test)]
mod schema;
mod settle;
mod shared;
mod shortlist;
mod span;
mod stock;
mod survey;

pub(crate) use assay::Assay;
pub(crate) use build::{BuildFailed, Unbuilt};
pub(crate) use clash::Clash;
pub(crate) use demo::{Demo, DemoStep, StepAnswer};
pub(crate) use depots::Depots;
pub(crate) use diagnose::Diagnose;
pub(crate) use examine::{Differences, Examine, Holdings};
pub(crate) use failure::{Failed, Failure};
pub(crate) use furnish::{Furnish, FurnishChecked, NotPlaced};
pub(crate) use gather::Gather;
pub(crate) use here::Here;
pub(crate) use locate::Locate;
pub(crate) use proof::Unproven;
pub(crate) use proofread::Proofread;
pub(crate) use reason::{Absent as NotHere, Instead, Lessons, NeedsTree, Reason};
pub(crate) use rehearse::{OutOfDate, PlayedOut, Refused, Rehearse};
pub(crate) use settle::{
    DepotMove, DepotMoves, Difference, EnvironmentDiffers, Environments, Pinned, Settle, Targets,
    Together,
};
pub(crate) use shortlist::{Absent as NoProject, Shortlist};
pub(crate) use span::Span;
pub(crate) use stock::Stock;
pub(crate) use survey::Survey;

use serde::Serialize;
use serde_json::{Map, Value};

/// The answer of a command.
#[derive(Debug, Serialize)]
#[serde(untagged)]
pub(crate) enum Report {
    Survey(Survey),
    Shortlist(Shortlist),
    Span(Span),
    Settle(Box<Settle>),
    Reason(Box<Reason>),
    Gather(Gather),
    Furnish(Furnish),
    Examine(Examine),
    Rehearse(Box<Rehearse>),
    Diagnose(Diagnose),
    Assay(Assay),
    Locate(Locate),
    Proofread(Proofread),
    Stock(Stock),
    Depots(Depots),
    Demo(Demo),
    Here(Here),
    Nothing(Nothing),
}

/// What commands answer that only print a text, and `within`: what it runs does.
#[derive(Debug, Default, Serialize)]
pub(crate) struct Nothing {}

/// A report from the answer of a command.
macro_rules! reports {
    ($($kind:ident $(($boxed:ident))?),* $(,)?) => {$(
        impl From<$kind> for Report {
            fn from(report: $kind) -> Self {
                Report::$kind($($boxed::new)?(report))
            }
        }
    )*};
}

reports! {
    Survey, Shortlist, Span, Settle(Box), Reason(Box), Gather, Furnish, Examine, Rehearse(Box),
    Diagnose, Assay, Locate, Proofread, Stock, Depots, Demo,
    Here, Nothing,
}

/// An answer as an object.
pub(crate) fn object(report: &impl Serialize) -> Map<String, Value> {
    match serde_json::to_value(report) {
        Ok(Value::Object(object)) => object,
        // Every report is a struct of texts, numbers and lists of such.
        Ok(_) | Err(_) => Map::new(),
    }
}

/// A path for programs.
fn shown(path: &std::path::Path) -> String {
    path.display().to_string()
}

/// The names that are nearly one and no offer.
pub(crate) fn doubtful(near: &eutaxis_world::supply::Near) -> Vec<String> {
    texts(near.doubtful.iter().map(|d| &d.name))
}

/// Texts of values.
fn texts<T: ToString>(values: impl IntoIterator<Item = T>) -> Vec<String> {
    values.into_iter().map(|v| v.to_string()).collect()
}
