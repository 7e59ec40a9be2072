//! Which depots there are, for programs.

use eutaxis_world::depot::{Abilities, Address, DepotKind};
use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::depots as found;
use crate::plan::DepotFrom;

use super::{Failure, shown, texts};

/// What `depots` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Depots {
    /// In the order in which they are asked; a depot with several addresses stands for each of
    /// them.
    depots: Vec<Depot>,
    /// The settings file that one was written into, with `--keep`.
    kept: Option<String>,
}

/// A depot at an address.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Depot {
    name: Option<String>,
    /// An address without name and password, or a path.
    url: String,
    /// `--depot`, `EUTAXIS_DEPOT`, or the path of a settings file.
    from: String,
    /// Projects that it alone serves.
    only: Vec<String>,
    /// Null when it was not asked: `--offline`.
    answers: Option<bool>,
    /// How long its first answer took.
    millis: Option<u64>,
    /// Where the name and password that it gets are from.
    login: Option<String>,
    does: Option<Does>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<Failure>,
}

/// What it can do, as far as one page shows it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Does {
    #[schemars(extend("enum" = ["index", "links", "tree", "folder"]))]
    kind: String,
    /// The project whose page shows it.
    project: Option<String>,
    /// Pages in JSON; null on a disk.
    json: Option<bool>,
    /// Parts of files; null on a disk.
    ranges: Option<bool>,
    /// Metadata beside files.
    sidecars: bool,
    dates: bool,
    hashes: Vec<String>,
}

impl From<&Abilities> for Does {
    fn from(can: &Abilities) -> Self {
        let kind = match can.kind {
            DepotKind::Index => "index",
            DepotKind::Links => "links",
            DepotKind::Tree => "tree",
            DepotKind::Folder => "folder",
        };
        Does {
            kind: kind.to_owned(),
            project: can.page.as_ref().map(ToString::to_string),
            json: can.json,
            ranges: can.ranges,
            sidecars: can.sidecars,
            dates: can.dates,
            hashes: texts(&can.hashes),
        }
    }
}

impl From<&found::Depots> for Depots {
    fn from(found: &found::Depots) -> Self {
        Depots {
            depots: found.all.iter().flat_map(addresses).collect(),
            kept: found.kept.as_deref().map(shown),
        }
    }
}

/// A depot at each of its addresses.
fn addresses(depot: &found::Depot) -> Vec<Depot> {
    let at = |url: String| Depot {
        name: depot.name.clone(),
        url,
        from: match &depot.from {
            DepotFrom::Option => "--depot".to_owned(),
            DepotFrom::Variable => "EUTAXIS_DEPOT".to_owned(),
            DepotFrom::Settings(path) => shown(path),
        },
        only: texts(&depot.only),
        answers: depot.answers(),
        millis: None,
        login: None,
        does: None,
        error: None,
    };
    let asked = |address: &Address| Depot {
        answers: Some(address.found.is_ok()),
        millis: u64::try_from(address.took.as_millis()).ok(),
        login: address.login.clone(),
        does: address.found.as_ref().ok().map(Into::into),
        error: address.found.as_ref().err().map(Into::into),
        ..at(address.address.clone())
    };
    match &depot.state {
        found::State::Asked(addresses) => addresses.iter().map(asked).collect(),
        found::State::Unasked(places) => places.iter().cloned().map(at).collect(),
        found::State::Unopened(places, error) => {
            let mut all: Vec<Depot> = places.iter().cloned().map(at).collect();
            if let Some(first) = all.first_mut() {
                first.error = Some(error.into());
            }
            all
        }
    }
}
