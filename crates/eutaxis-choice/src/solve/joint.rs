//! One choice for several targets, with releases kept equal where that can be.
//!
//! Project by project, in the order of turns: the best release that all targets which take the
//! project can have together, given what was decided before; where there is none, each target gets
//! its own best. No target's needs bear on another, so a set of solutions is a joint solution.

use std::collections::BTreeMap;

use super::clash::Clash;
use super::problem::Problem;
use super::solution::Solution;
use super::ways::{End, Solver};
use crate::offer::Prefer;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// A common release is looked for in so many rounds; each rules out at least one release.
const MOST_ROUNDS: usize = 40;

/// What a joint search came to.
#[derive(Debug)]
pub enum Joint {
    /// A solution for each problem, in their order.
    Settled(Vec<Solution>),
    /// The problem at this place has none.
    Clash(usize, Clash),
    /// For the problem at this place neither could be shown.
    GaveUp(usize),
}

/// What is asked for on one target, and what has been decided for it.
struct Place<'a> {
    problem: &'a Problem,
    /// Releases that the joint choice came to for projects whose turn is over.
    held: BTreeMap<Name, Version>,
    solution: Solution,
}

/// Solves problems that differ in their targets, keeping releases equal where that can be.
///
/// # Errors
/// When facts cannot be had.
pub fn joint<S: Solver>(problems: &[Problem], solver: &mut S) -> Result<Joint, S::Error> {
    let mut places = Vec::new();
    for (i, problem) in problems.iter().enumerate() {
        match solver.solve(problem)? {
            End::Settled(solution) => places.push(Place {
                problem,
                held: BTreeMap::new(),
                solution,
            }),
            End::Clash(clash) => return Ok(Joint::Clash(i, clash)),
            End::GaveUp | End::Untried(_) => return Ok(Joint::GaveUp(i)),
        }
    }
    let mut done: Vec<Name> = Vec::new();
    while let Some(name) = next(&places, &done) {
        done.push(name.clone());
        let mut taking: Vec<&mut Place<'_>> = places
            .iter_mut()
            .filter(|p| version(&p.solution, &name).is_some())
            .collect();
        let mut releases = taking.iter().map(|p| release(&p.solution, &name));
        let first = releases.next();
        let differ = releases.any(|r| Some(r) != first);
        if differ && let Some(equal) = common(&taking, &name, solver)? {
            for (place, solution) in taking.iter_mut().zip(equal) {
                place.solution = solution;
            }
        }
        for place in taking {
            let chosen = version(&place.solution, &name).cloned();
            place.held.extend(chosen.map(|v| (name.clone(), v)));
        }
    }
    Ok(Joint::Settled(
        places.into_iter().map(|p| p.solution).collect(),
    ))
}

/// The release of a project in a solution; builds of it, which differ in their local label, are one
/// release.
fn release(solution: &Solution, name: &Name) -> Option<Version> {
    version(solution, name).map(Version::public)
}

fn version<'a>(solution: &'a Solution, name: &Name) -> Option<&'a Version> {
    solution
        .chosen
        .iter()
        .find(|c| c.project == *name)
        .map(|c| &c.version)
}

/// The next project in the order of turns: of the first solution that has one left, then of the
/// others.
fn next(places: &[Place<'_>], done: &[Name]) -> Option<Name> {
    let mut names = places
        .iter()
        .flat_map(|p| p.solution.chosen.iter().map(|c| &c.project));
    names.find(|n| !done.contains(n)).cloned()
}

/// Solutions in which all these targets take the same release of a project, in their order: none
/// when there are no such.
///
/// A common release is no better than the worst that a target gets, so that one bounds the others,
/// until they agree.
fn common<S: Solver>(
    taking: &[&mut Place<'_>],
    name: &Name,
    solver: &mut S,
) -> Result<Option<Vec<Solution>>, S::Error> {
    let mut now: Vec<Solution> = taking.iter().map(|p| p.solution.clone()).collect();
    for _ in 0..MOST_ROUNDS {
        let versions: Vec<Version> = now.iter().filter_map(|s| release(s, name)).collect();
        let oldest = taking
            .iter()
            .all(|p| p.problem.policy.prefer == Prefer::Oldest);
        let worst = if oldest {
            versions.iter().max()
        } else {
            versions.iter().min()
        };
        let Some(worst) = worst else {
            return Ok(None);
        };
        if versions.len() == taking.len() && versions.iter().all(|v| v == worst) {
            return Ok(Some(now));
        }
        let operator = if oldest { ">=" } else { "<=" };
        let Ok(set) = VersionSpecifier::parse(&format!("{operator}{worst}")) else {
            return Ok(None);
        };
        let mut next = Vec::new();
        for place in taking {
            let End::Settled(solution) = solver.solve(&place.bounded(name, &set))? else {
                return Ok(None);
            };
            next.push(solution);
        }
        if next
            .iter()
            .map(|s| release(s, name))
            .eq(now.iter().map(|s| release(s, name)))
        {
            return Ok(None);
        }
        now = next;
    }
    Ok(None)
}

impl Place<'_> {
    /// The problem with what was decided for it, and a bound on one project more.
    fn bounded(&self, name: &Name, set: &VersionSpecifier) -> Problem {
        let mut problem = self.problem.clone();
        problem.held.extend(self.held.clone());
        problem.stated.get_or_insert(problem.bounds.len());
        problem.bounds.push(Ask {
            requirement: Requirement::any(name).with_versions(set.clone()),
            origin: Origin::Argument,
        });
        problem
    }
}
