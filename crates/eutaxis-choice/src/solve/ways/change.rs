//! A change to a problem: to what is asked, to what is permitted, or to the place.

use jiff::Timestamp;

use super::super::problem::Problem;
use crate::offer::{Adjustment, Prereleases, Wheels};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::targets::{Accelerators, Target};

/// Another place to run in, with what is here of it.
#[derive(Debug, Clone)]
pub struct Alternative {
    /// The target.
    pub target: Target,
    /// How it is named to the program: a path or a version.
    pub name: String,
    /// It is on this machine.
    pub here: bool,
}

/// One change.
#[derive(Debug, Clone)]
pub enum Change {
    /// The ask becomes this.
    Ask(Ask, Requirement),
    /// The ask is left out.
    DropAsk(Ask),
    /// The bound becomes this.
    Bound(Ask, Requirement),
    /// The bound is left out.
    DropBound(Ask),
    /// A release is asked for exactly, which admits it though it is yanked.
    Pin(Requirement),
    /// Another interpreter.
    Interpreter(Box<Alternative>),
    /// The place has just these accelerators.
    Accelerators(Box<Accelerators>),
    /// The same accelerators, and none of them required.
    Unrequired(Box<Accelerators>),
    /// Source distributions of a project may be built.
    Build(Name),
    /// Pre-releases of a project are admitted.
    Prereleases(Name),
    /// Files up to this moment exist.
    AsOf(Timestamp),
    /// Files without date are taken under a date too.
    TakeUndated,
    /// A fact stated against what the metadata says.
    Adjust(Box<Adjustment>),
    /// An adjustment is left out.
    DropAdjust(Box<Adjustment>),
}

impl Change {
    /// The problem with the change made.
    #[must_use]
    pub fn made(&self, problem: &Problem) -> Problem {
        let mut problem = problem.clone();
        let replace = |asks: &mut Vec<Ask>, old: &Ask, new: &Requirement| {
            if let Some(ask) = asks.iter_mut().find(|a| *a == old) {
                ask.requirement = new.clone();
            }
        };
        match self {
            Change::Ask(old, new) => replace(&mut problem.asks, old, new),
            Change::Bound(old, new) => replace(&mut problem.bounds, old, new),
            Change::DropAsk(old) => problem.asks.retain(|a| a != old),
            Change::DropBound(old) => problem.bounds.retain(|a| a != old),
            Change::Pin(requirement) => {
                problem.asks.push(Ask {
                    requirement: requirement.clone(),
                    origin: eutaxis_standards::fault::Origin::Argument,
                });
            }
            Change::Interpreter(alternative) => problem.target = alternative.target.clone(),
            Change::Accelerators(accelerators) | Change::Unrequired(accelerators) => {
                problem.target.accelerators = accelerators.as_ref().clone()
            }
            Change::Build(project) => {
                problem.policy.build.push(project.clone());
                if problem.policy.wheels != Wheels::Only {
                    problem.policy.wheels = Wheels::First;
                }
            }
            Change::Prereleases(project) => match &mut problem.policy.prereleases {
                Prereleases::All => {}
                Prereleases::Of(projects) => projects.push(project.clone()),
                rule => *rule = Prereleases::Of(vec![project.clone()]),
            },
            Change::AsOf(moment) => problem.policy.as_of = Some(*moment),
            Change::TakeUndated => problem.policy.take_undated = true,
            Change::Adjust(adjustment) => problem.adjustments.push(adjustment.as_ref().clone()),
            Change::DropAdjust(adjustment) => problem.adjustments.retain(|a| *a != **adjustment),
        }
        problem
    }
}
