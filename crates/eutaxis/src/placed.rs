//! What is placed in an environment, as a question to be solved anew, and the command that brings
//! an answer there.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use eutaxis_core::examine::{Project, Snapshot};
use eutaxis_core::fault::Origin;
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_core::{Ask, Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Run;

use crate::plan::Surroundings;
use crate::typed::quoted;
use crate::words::near;

/// Where the pins of a remedy go.
pub(crate) const MEND: &str = "pylock.mend.toml";
/// A command with more requirements than this is not one that people read.
const MOST_ASKS: usize = 8;

/// What is placed as a question: the projects that nobody brought, with the releases that are there
/// where they hold. Of those that the depots do not have only the needs count.
pub(crate) fn question(
    snapshot: &Snapshot,
    surroundings: &Surroundings,
    run: &Run,
) -> Result<Problem, Error> {
    let names: Vec<Name> = snapshot.here().map(|(_, p)| p.name.clone()).collect();
    let pages = run.pages(&names)?;
    let known: BTreeSet<&Name> = names
        .iter()
        .zip(&pages)
        .filter(|(_, page)| page.is_some())
        .map(|(n, _)| n)
        .collect();
    let counts = |r: &&Requirement| {
        r.marker
            .as_ref()
            .is_none_or(|m| m.holds(&snapshot.target.markers, None))
    };
    let needs = |p: &Project| {
        p.metadata
            .iter()
            .flat_map(|m| &m.requires)
            .filter(counts)
            .cloned()
            .collect::<Vec<_>>()
    };
    let needed: BTreeSet<Name> = snapshot
        .here()
        .flat_map(|(_, p)| needs(p))
        .map(|r| r.name)
        .collect();
    let mut asked: Vec<Requirement> = Vec::new();
    for (_, project) in snapshot.here() {
        match known.contains(&project.name) {
            true if project.requested || !needed.contains(&project.name) => {
                asked.push(Requirement::any(&project.name))
            }
            true => {}
            false => asked.extend(
                needs(project)
                    .into_iter()
                    .filter(|r| known.contains(&r.name)),
            ),
        }
    }
    let asks = asked
        .into_iter()
        .map(|requirement| Ask {
            requirement,
            origin: Origin::Argument,
        })
        .collect();
    let mut problem = Problem::new(
        snapshot.target.clone(),
        surroundings.config.policy.clone(),
        asks,
    );
    problem
        .adjustments
        .clone_from(&surroundings.config.adjustments);
    problem.prior = snapshot
        .here()
        .filter_map(|(_, p)| Some((p.name.clone(), p.version.clone()?)))
        .collect();
    Ok(problem)
}

/// The releases that are placed.
pub(crate) fn releases(snapshot: &Snapshot) -> BTreeMap<&Name, &Version> {
    snapshot
        .here()
        .filter_map(|(_, p)| Some((&p.name, p.version.as_ref()?)))
        .collect()
}

/// The command that places some projects of a solution, with what they need, as it was solved.
pub(crate) fn command(
    changed: &[&Chosen],
    solution: &Solution,
    snapshot: &Snapshot,
    depots: &str,
) -> Option<String> {
    let first = changed.first()?;
    let mut asks: Vec<&Chosen> = changed.to_vec();
    let mut at = 0;
    while let Some(one) = asks.get(at).copied() {
        at += 1;
        for need in &one.needs {
            let other = solution.chosen.iter().find(|c| c.project == *need);
            asks.extend(other.filter(|o| !asks.iter().any(|a| a.project == o.project)));
        }
    }
    let at = quoted(&snapshot.name);
    if asks.len() > MOST_ASKS {
        let ask = quoted(&format!("{}=={}", first.project, first.version));
        return Some(format!("eutaxis rehearse {ask} --in {at}{depots}"));
    }
    let asks: Vec<String> = asks
        .iter()
        .map(|c| quoted(&format!("{}=={}", c.project, c.version)))
        .collect();
    let interpreter = quoted(&near(Path::new(&snapshot.python)));
    let settle = format!(
        "eutaxis settle {} --interpreter {interpreter}{depots} --out {MEND}",
        asks.join(" ")
    );
    Some(format!(
        "{settle} && eutaxis furnish {MEND} --at {at}{depots}"
    ))
}
