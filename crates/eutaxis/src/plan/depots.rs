//! The depots of a run, in their order: those of the options, of EUTAXIS_DEPOT, of the settings.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_world::config::DepotEntry;
use eutaxis_world::depot::{Depots, Listed, Named, open};
use eutaxis_world::network::{Network, without_secret};
use eutaxis_world::{Doing, Error};

use super::Surroundings;
use crate::cli::DepotOptions;

/// Who names a depot.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum DepotFrom {
    /// `--depot`
    Option,
    /// `EUTAXIS_DEPOT`
    Variable,
    /// A settings file.
    Settings(PathBuf),
}

/// A depot as it is named, opened if that can be.
#[derive(Debug)]
pub(crate) struct NamedDepot {
    /// Its name in the settings.
    pub(crate) name: Option<String>,
    /// Its addresses as written, without secrets.
    pub(crate) places: Vec<String>,
    pub(crate) from: DepotFrom,
    pub(crate) listed: Result<Listed, Error>,
}

impl NamedDepot {
    fn of_entry(entry: &DepotEntry, from: DepotFrom, network: &Arc<Network>) -> Self {
        // One that is named by an option or the variable is for all projects.
        let only = match &from {
            DepotFrom::Settings(_) => entry.only.clone(),
            DepotFrom::Option | DepotFrom::Variable => Vec::new(),
        };
        let listed = |depot| Listed {
            depot,
            only,
            accelerator: entry.accelerator.clone(),
            asks_dates: entry.asks_dates,
        };
        NamedDepot {
            name: entry.name.clone(),
            places: entry.places.iter().map(|p| without_secret(p)).collect(),
            from,
            listed: open(&entry.named(), network).map(listed),
        }
    }

    /// The depot at a place that is written out.
    pub(crate) fn at(named: &Named<'_>, from: DepotFrom, network: &Arc<Network>) -> Self {
        let listed = |depot| Listed {
            depot,
            only: Vec::new(),
            accelerator: None,
            asks_dates: false,
        };
        NamedDepot {
            name: named.name.map(str::to_owned),
            places: named.places.iter().map(|p| without_secret(p)).collect(),
            from,
            listed: open(named, network).map(listed),
        }
    }
}

/// All depots that are named, also those that cannot be opened.
///
/// # Errors
/// When the current folder is gone.
pub(crate) fn all_depots(
    options: &DepotOptions,
    surroundings: &Surroundings,
    network: &Arc<Network>,
) -> Result<Vec<NamedDepot>, Error> {
    let here = std::env::current_dir().doing("cannot find the current folder", Path::new("."))?;
    let of_settings = &surroundings.config.depots;
    let variable = std::env::var("EUTAXIS_DEPOT")
        .ok()
        .filter(|d| !d.is_empty() && options.depot.is_empty());
    let optional = options.depot.iter().map(|d| (d, DepotFrom::Option));
    let typed = optional.chain(variable.iter().map(|d| (d, DepotFrom::Variable)));
    let mut all = Vec::new();
    for (place, from) in typed {
        // A depot of the settings may be named instead of written out.
        let entry = of_settings.iter().find(|e| e.name.as_ref() == Some(place));
        all.push(match entry {
            Some(entry) => NamedDepot::of_entry(entry, from, network),
            None => NamedDepot::at(&Named::at(place, &here), from, network),
        });
    }
    for entry in of_settings {
        let from = DepotFrom::Settings(entry.file.clone());
        all.push(NamedDepot::of_entry(entry, from, network));
    }
    Ok(all)
}

/// The depots, which there must be.
///
/// # Errors
/// When there is none, or one cannot be opened.
pub(crate) fn depots(
    options: &DepotOptions,
    surroundings: &Surroundings,
    renew: bool,
) -> Result<Arc<Depots>, Error> {
    let depots = named_depots(options, surroundings, renew)?;
    if depots.is_empty() {
        return Err(no_depot());
    }
    Ok(depots)
}

/// There is no place to look for files.
pub(crate) fn no_depot() -> Error {
    let error = Error::request("no depot is named: there is no place to look for files");
    error.help(
        "eutaxis depots --keep URL  names one for good: an index (https://HOST/simple/), a folder \
            of wheels or an index tree; --depot URL or EUTAXIS_DEPOT for this time",
    )
}

/// The depots, of which there may be none.
///
/// # Errors
/// When one cannot be opened.
pub(crate) fn named_depots(
    options: &DepotOptions,
    surroundings: &Surroundings,
    renew: bool,
) -> Result<Arc<Depots>, Error> {
    let network = surroundings.network(renew, options.fetch_limit);
    let all = all_depots(options, surroundings, &network)?;
    let listed = all.into_iter().map(|d| d.listed);
    let listed = listed.collect::<Result<Vec<_>, _>>()?;
    Ok(Arc::new(Depots::new(listed, network)))
}
