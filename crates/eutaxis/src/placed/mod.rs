//! What is placed in an environment, as a question to be solved anew, and the command that brings
//! an answer there.

pub(crate) mod pins;
mod replaced;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use eutaxis_core::examine::{Project, Snapshot};
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::hashes_of;
use eutaxis_core::pins::Lock;
use eutaxis_core::remedy::{Invocation, Step, Verb};
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_core::{Ask, Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Run;

use crate::cli::DepotOptions;
use crate::pins::{know_trees, problem_of};
use crate::plan::Surroundings;
use crate::typed;
use crate::words::near;

pub(crate) use eutaxis_core::remedy::MEND;

/// A command with more requirements than this is not one that people read.
const MOST_ASKS: usize = 8;

/// What an environment is to hold.
#[derive(Clone, Copy)]
pub(crate) struct Held<'a> {
    pub(crate) snapshot: &'a Snapshot,
    /// The pins that it is held to.
    pub(crate) lock: Option<&'a Lock>,
    pub(crate) surroundings: &'a Surroundings,
    pub(crate) run: &'a Run,
    pub(crate) depots: &'a DepotOptions,
}

impl Held<'_> {
    /// It is made from pins whose question can be asked once more.
    pub(crate) fn asks_its_pins(&self) -> bool {
        let pins = self.snapshot.pins.as_ref();
        self.lock.is_some() && pins.is_some_and(|p| !p.question.is_empty())
    }

    /// What it is to hold as a question: that of its pins, else what is placed.
    pub(crate) fn question(&self) -> Result<Problem, Error> {
        match self.lock.filter(|_| self.asks_its_pins()) {
            Some(lock) => self.of_pins(lock),
            None => question(self.snapshot, self.surroundings, self.run),
        }
    }

    /// The question of its pins, asked for the interpreter that is there.
    fn of_pins(&self, lock: &Lock) -> Result<Problem, Error> {
        let config = &self.surroundings.config;
        let mut problem = problem_of(lock, &config.families)?;
        let own = know_trees(lock, self.run.depots());
        problem.policy.build.extend(own.into_keys());
        let mut target = self.snapshot.target.clone();
        target.accelerators.clone_from(&problem.target.accelerators);
        problem.target = target;
        if config.names_chronology {
            problem.policy.chronology = config.policy.chronology;
        }
        problem
            .adjustments
            .retain(|a| a.learnt.is_some() || hashes_of(a).is_some());
        let settings = config.adjustments.iter().cloned();
        problem.adjustments.splice(0..0, settings);
        Ok(problem)
    }

    /// The command that brings a solution of that question there, of which some projects are what
    /// changes: through the pins, with what is asked beside their question; else in a file of its
    /// own.
    pub(crate) fn step(
        &self,
        asks: &[Requirement],
        changed: &[&Chosen],
        solution: &Solution,
    ) -> Option<Step> {
        if self.asks_its_pins() {
            // What is pinned and stays keeps its release without being asked for.
            let there = releases(self.snapshot);
            let keeps = |r: &Requirement| {
                if self.snapshot.pinned(&r.name).next().is_none() {
                    return false;
                }
                let kept = there.get(&r.name).map(|v| Requirement::exactly(&r.name, v));
                kept.is_some_and(|kept| kept == *r || Requirement::any(&r.name) == *r)
            };
            let asks = asks.iter().filter(|r| !keeps(r)).cloned();
            if let Some(step) = self.instead(&asks.collect::<Vec<_>>()) {
                return Some(step);
            }
        }
        command(
            changed,
            solution,
            self.snapshot,
            &typed::depots(self.depots),
        )
    }
}

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
fn command(
    changed: &[&Chosen],
    solution: &Solution,
    snapshot: &Snapshot,
    depots: &[String],
) -> Option<Step> {
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
    let exact = |c: &Chosen| format!("{}=={}", c.project, c.version);
    let depots = || depots.iter().cloned();
    if asks.len() > MOST_ASKS {
        let words = [exact(first), "--in".to_owned(), snapshot.name.clone()];
        return Some(Step::Run(vec![
            Invocation::new(Verb::Rehearse, words).with(depots()),
        ]));
    }
    let interpreter = near(Path::new(&snapshot.python));
    let settle = Invocation::new(Verb::Settle, asks.iter().map(|c| exact(c)))
        .with(["--interpreter".to_owned(), interpreter])
        .with(depots())
        .with(["--out", MEND]);
    let furnish = Invocation::new(Verb::Furnish, [MEND, "--at", &snapshot.name]).with(depots());
    Some(Step::Run(vec![settle, furnish]))
}
