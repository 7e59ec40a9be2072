//! What is to be solved.

use std::collections::BTreeMap;

use crate::offer::{Adjustment, Policy, Rules};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Ask;
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::Version;

/// The question that a search answers.
#[derive(Debug, Clone)]
pub struct Problem {
    /// Where it must run.
    pub target: Target,
    /// What is permitted and preferred.
    pub policy: Policy,
    /// What is asked for, in the order of preference.
    pub asks: Vec<Ask>,
    /// What restricts versions without asking for anything.
    pub bounds: Vec<Ask>,
    /// Releases of earlier pins, which rank first for their project.
    pub prior: BTreeMap<Name, Version>,
    /// For a project the releases that rank before all others, best first.
    pub nearest: BTreeMap<Name, Vec<Version>>,
    /// Facts that the user states over the metadata.
    pub adjustments: Vec<Adjustment>,
    /// So many of the bounds are the user's; those behind them serve the search for several
    /// targets, and hold nothing below its newest (docs/choice.md, dates). None: all are.
    pub stated: Option<usize>,
    /// Projects of which no other release may be taken, where they are taken at all.
    pub held: BTreeMap<Name, Version>,
}

/// An ask of a problem, by its place in the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct AskId(usize);

/// A bound of a problem, by its place in the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct BoundId(usize);

impl Problem {
    /// The problem of these asks, with nothing else said.
    pub fn new(target: Target, policy: Policy, asks: Vec<Ask>) -> Self {
        Problem {
            target,
            policy,
            asks,
            bounds: Vec::new(),
            prior: BTreeMap::new(),
            nearest: BTreeMap::new(),
            adjustments: Vec::new(),
            stated: None,
            held: BTreeMap::new(),
        }
    }

    /// By what pages are judged for it.
    pub fn rules(&self) -> Rules<'_> {
        Rules {
            target: &self.target,
            policy: &self.policy,
            adjustments: &self.adjustments,
        }
    }

    /// The same question whatever the order in which it was asked: for a clash, which must not
    /// depend on it.
    #[must_use]
    pub fn in_order(&self) -> Problem {
        let mut problem = self.sorted();
        problem.prior.clear();
        problem
    }

    /// The same with asks and bounds in an order that depends on nothing but what they say.
    #[must_use]
    pub(super) fn sorted(&self) -> Problem {
        let mut problem = self.clone();
        problem
            .asks
            .sort_by_cached_key(|a| (a.requirement.to_string(), a.origin.to_string()));
        let (stated, others) = problem.bounds.split_at_mut(self.stated_bounds());
        for bounds in [stated, others] {
            bounds.sort_by_cached_key(|a| (a.requirement.to_string(), a.origin.to_string()));
        }
        problem
    }

    /// The asks whose marker holds on the target.
    pub fn asks_in_force(&self) -> impl Iterator<Item = (AskId, &Ask)> {
        in_force(&self.asks, &self.target).map(|(at, ask)| (AskId(at), ask))
    }

    /// The bounds whose marker holds on the target.
    pub fn bounds_in_force(&self) -> impl Iterator<Item = (BoundId, &Ask)> {
        in_force(&self.bounds, &self.target).map(|(at, bound)| (BoundId(at), bound))
    }

    /// Asks and bounds in force, in this order.
    pub fn in_force(&self) -> impl Iterator<Item = &Ask> {
        let asks = self.asks_in_force().map(|(_, ask)| ask);
        asks.chain(self.bounds_in_force().map(|(_, bound)| bound))
    }

    /// An ask.
    pub fn ask(&self, id: AskId) -> Option<&Ask> {
        self.asks.get(id.0)
    }

    /// A bound.
    pub fn bound(&self, id: BoundId) -> Option<&Ask> {
        self.bounds.get(id.0)
    }

    /// How many of the bounds are the user's.
    fn stated_bounds(&self) -> usize {
        self.stated
            .map_or(self.bounds.len(), |n| n.min(self.bounds.len()))
    }

    /// The bounds in force that the user stated.
    pub(super) fn stated_in_force(&self) -> impl Iterator<Item = &Ask> {
        let stated = self.stated_bounds();
        let bounds = self.bounds_in_force();
        bounds
            .filter(move |(id, _)| id.0 < stated)
            .map(|(_, bound)| bound)
    }
}

fn in_force<'a>(asks: &'a [Ask], target: &'a Target) -> impl Iterator<Item = (usize, &'a Ask)> {
    asks.iter().enumerate().filter(|(_, ask)| {
        ask.requirement
            .marker
            .as_ref()
            .is_none_or(|m| m.holds(&target.markers, None))
    })
}
