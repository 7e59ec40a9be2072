//! `depots`: which are named and by whom, whether each answers, and what it can do; `--keep` writes
//! one into the user's settings.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_world::config::{KeptDepot, is_plain, own_file};
use eutaxis_world::depot::Named;
use eutaxis_world::network::{Network, without_secret};
use eutaxis_world::{Doing, Error, ErrorKind};

use crate::answer::depots::{Depot, Depots, State};
use crate::cli::{Common, Depots as Arguments};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{DepotFrom, NamedDepot, Surroundings, all_depots, named_path};
use crate::{render, report};

/// Seconds without news after which a depot counts as one that does not answer.
const PATIENCE: u64 = 10;

pub(crate) fn run(
    arguments: &Arguments,
    common: &Common,
    output: &Output,
) -> Result<Answer, Error> {
    // A settings file that is named and not there is made.
    let makes = common.config.as_deref().filter(|f| !f.exists());
    let unread = Common {
        config: None,
        ..common.clone()
    };
    let surroundings = Surroundings::new(match makes {
        Some(_) if arguments.keep.is_some() => &unread,
        _ => common,
    })?;
    let asked = arguments
        .project
        .as_deref()
        .map(|text| Name::parse(text).map_err(|f| Error::in_file("PROJECT", text, &f)))
        .transpose()?;
    let found = match &arguments.keep {
        Some(place) => keep(place, arguments, common, &surroundings, asked)?,
        None => {
            let network = surroundings.waiting(PATIENCE).network(true, None);
            let mut named = all_depots(&arguments.depots, &surroundings, &network)?;
            // One of the settings that is named by an option is told once.
            let typed: Vec<String> = (named.iter())
                .filter(|d| !matches!(d.from, DepotFrom::Settings(_)))
                .filter_map(|d| d.name.clone())
                .collect();
            named.retain(|d| {
                let is_typed = d.name.as_ref().is_some_and(|n| typed.contains(n));
                !is_typed || !matches!(d.from, DepotFrom::Settings(_))
            });
            let all = looked_at(named, &network, asked.as_ref());
            output.report_network(&network);
            Depots {
                all,
                asked,
                settings: surroundings.config.files.clone(),
                kept: None,
            }
        }
    };
    let silent = found.all.iter().any(|d| d.answers() == Some(false));
    let outcome = match silent || found.all.is_empty() {
        true => Outcome::No,
        false => Outcome::Ok,
    };
    Ok(Answer {
        outcome,
        text: render::depots::text(&found),
        report: report::Depots::from(&found).into(),
    })
}

/// Asks all of them at once.
fn looked_at(named: Vec<NamedDepot>, network: &Arc<Network>, asked: Option<&Name>) -> Vec<Depot> {
    let look = |named: NamedDepot| {
        let NamedDepot {
            name,
            places,
            from,
            listed,
        } = named;
        let listed = match listed {
            Ok(listed) => listed,
            Err(error) => {
                return Depot {
                    name,
                    from,
                    only: Vec::new(),
                    asks_dates: false,
                    state: State::Unopened(places, error),
                };
            }
        };
        let state = match listed.depot.is_remote() && network.is_offline() {
            true => State::Unasked(places),
            false => State::Asked(listed.depot.look(asked)),
        };
        Depot {
            name,
            from,
            only: listed.only,
            asks_dates: listed.asks_dates,
            state,
        }
    };
    std::thread::scope(|threads| {
        let look = &look;
        let asked: Vec<_> = named
            .into_iter()
            .map(|one| threads.spawn(move || look(one)))
            .collect();
        let joined = asked.into_iter().map(|thread| thread.join());
        joined
            .map(|found| found.unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
            .collect()
    })
}

/// Writes a depot into the user's settings, or into those that were named, once it answered.
fn keep(
    typed: &str,
    arguments: &Arguments,
    common: &Common,
    surroundings: &Surroundings,
    asked: Option<Name>,
) -> Result<Depots, Error> {
    if without_secret(typed) != typed {
        return Err(Error::request("a name or password is not kept in settings")
            .help(secret_elsewhere(arguments.name.as_deref())));
    }
    if let Some(name) = arguments.name.as_deref().filter(|n| !is_plain(n)) {
        return Err(Error::request(format!("`{name}` cannot name a depot"))
            .help("use letters, digits, `-` and `_`"));
    }
    let here = std::env::current_dir().doing("cannot find the current folder", Path::new("."))?;
    let is_path = !typed.contains("://");
    // The settings lie elsewhere: a relative path would lead nowhere.
    let place = match is_path {
        true => here.join(typed).display().to_string(),
        false => typed.to_owned(),
    };
    let network = surroundings.waiting(PATIENCE).network(true, None);
    let named = Named {
        name: arguments.name.as_deref(),
        ..Named::at(&place, &here)
    };
    let path = settings_file(common)?;
    let from = DepotFrom::Settings(path.clone());
    let depot = NamedDepot::at(&named, from, &network);
    let mut looked = looked_at(vec![depot], &network, asked.as_ref());
    for one in &mut looked {
        let error = match &mut one.state {
            State::Unopened(_, error) => Some(error.clone()),
            State::Asked(addresses) => addresses
                .iter()
                .find_map(|a| a.found.as_ref().err().cloned()),
            State::Unasked(_) => None,
        };
        if let Some(error) = error {
            let note = match error.kind == ErrorKind::Network {
                true => "it was not kept (--offline keeps it unasked)",
                false => "it was not kept",
            };
            return Err(error.also(note));
        }
    }
    KeptDepot {
        name: arguments.name.as_deref(),
        place: &place,
        is_path,
    }
    .write(&surroundings.cache, &path)?;
    Ok(Depots {
        all: looked,
        asked,
        settings: surroundings.config.files.clone(),
        kept: Some(path),
    })
}

/// Where a name and password belong.
fn secret_elsewhere(name: Option<&str>) -> String {
    let variable = eutaxis_world::network::secret_variable(name.unwrap_or("NAME"));
    let named = match name {
        Some(_) => "",
        None => " and name it with --name NAME",
    };
    format!(
        "give the address alone{named}; the secret goes into {variable}, or into ~/.netrc \
            (`eutaxis help depots`)"
    )
}

/// The settings that are written: those that were named, else the user's own.
fn settings_file(common: &Common) -> Result<PathBuf, Error> {
    let named = named_path(&common.config, "EUTAXIS_CONFIG");
    named.or_else(own_file).ok_or_else(|| {
        Error::new(ErrorKind::Disk, "this system names no folder for settings")
            .help("name a settings file with --config FILE")
    })
}
