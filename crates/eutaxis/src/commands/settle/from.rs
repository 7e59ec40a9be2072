//! `--from`: asks and pins of an environment, whatever made it.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::{Name, Version};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::supply::Run;

use crate::cli::Settle;
use crate::placed;
use crate::plan::Surroundings;

/// What an environment holds, as a question.
pub(super) struct Found {
    /// The releases that are there.
    pub(super) releases: BTreeMap<Name, Version>,
    /// What no depot has.
    pub(super) absent: Vec<String>,
}

/// Reads an environment, and asks for what was placed there on purpose, under its interpreter.
pub(super) fn read(
    place: &Path,
    arguments: &mut Settle,
    surroundings: &Surroundings,
    depots: &Arc<Depots>,
) -> Result<Found, Error> {
    if !arguments.asks.requirements.is_empty() || !arguments.asks.asks.is_empty() {
        let error = Error::request(
            "--from asks for what an environment holds, and something else is asked for",
        );
        return Err(error.help("leave that out, and add it afterwards with --and"));
    }
    let snapshot = surroundings.snapshot(place, true)?;
    let run = Run::new(Arc::clone(depots));
    let problem = placed::question(&snapshot, surroundings, &run)?;
    if problem.asks.is_empty() {
        let error = Error::request(format!(
            "nothing of {} is in a depot, so there is nothing to ask for",
            snapshot.name
        ));
        return Err(error.help("name a depot that has its projects with --depot"));
    }
    let mut asks: Vec<String> = problem
        .asks
        .iter()
        .map(|a| a.requirement.to_string())
        .collect();
    asks.sort();
    asks.dedup();
    arguments.asks.requirements = asks;
    if arguments.target.interpreter.is_none() && arguments.target.target.is_empty() {
        arguments.target.interpreter = Some(snapshot.python.clone());
    }
    let here = snapshot.here().map(|(_, p)| p);
    let absent = here
        .filter(|p| run.page_of(&p.name).is_none())
        .map(|p| match &p.version {
            Some(version) => format!("{} {version}", p.name),
            None => p.name.to_string(),
        });
    Ok(Found {
        absent: absent.collect(),
        releases: problem.prior,
    })
}
