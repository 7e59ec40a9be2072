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
use crate::fault::Origin;
use crate::name::Name;
use crate::offer::Prefer;
use crate::requirement::{Ask, Requirement};
use crate::version::{Version, VersionSpecifier};

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

/// Solves problems that differ in their targets, keeping releases equal where that can be.
///
/// # Errors
/// When facts cannot be had.
pub fn joint<S: Solver>(problems: &[Problem], solver: &mut S) -> Result<Joint, S::Error> {
    let mut held: Vec<BTreeMap<Name, Version>> = vec![BTreeMap::new(); problems.len()];
    let mut solutions = Vec::new();
    for (i, problem) in problems.iter().enumerate() {
        match solver.solve(problem)? {
            End::Settled(solution) => solutions.push(solution),
            End::Clash(clash) => return Ok(Joint::Clash(i, clash)),
            End::GaveUp | End::Untried(_) => return Ok(Joint::GaveUp(i)),
        }
    }
    let mut done: Vec<Name> = Vec::new();
    while let Some(name) = next(&solutions, &done) {
        done.push(name.clone());
        let taking: Vec<usize> = (0..problems.len())
            .filter(|i| version(&solutions[*i], &name).is_some())
            .collect();
        let differ = taking
            .windows(2)
            .any(|w| release(&solutions[w[0]], &name) != release(&solutions[w[1]], &name));
        if differ && let Some(equal) = common(problems, &held, &solutions, &taking, &name, solver)?
        {
            for (i, solution) in equal {
                solutions[i] = solution;
            }
        }
        for i in taking {
            held[i].extend(version(&solutions[i], &name).map(|v| (name.clone(), v.clone())));
        }
    }
    Ok(Joint::Settled(solutions))
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
fn next(solutions: &[Solution], done: &[Name]) -> Option<Name> {
    let mut names = solutions
        .iter()
        .flat_map(|s| s.chosen.iter().map(|c| &c.project));
    names.find(|n| !done.contains(n)).cloned()
}

/// Solutions in which all these targets take the same release of a project: none when there are no
/// such.
///
/// A common release is no better than the worst that a target gets, so that one bounds the others,
/// until they agree.
fn common<S: Solver>(
    problems: &[Problem],
    held: &[BTreeMap<Name, Version>],
    solutions: &[Solution],
    taking: &[usize],
    name: &Name,
    solver: &mut S,
) -> Result<Option<Vec<(usize, Solution)>>, S::Error> {
    let mut now: Vec<(usize, Solution)> =
        taking.iter().map(|i| (*i, solutions[*i].clone())).collect();
    for _ in 0..MOST_ROUNDS {
        let versions: Vec<Version> = now.iter().filter_map(|(_, s)| release(s, name)).collect();
        let oldest = problems.iter().all(|p| p.policy.prefer == Prefer::Oldest);
        let worst = if oldest {
            versions.iter().max()
        } else {
            versions.iter().min()
        };
        let Some(worst) = worst.cloned() else {
            return Ok(None);
        };
        if versions.len() == taking.len() && versions.iter().all(|v| *v == worst) {
            return Ok(Some(now));
        }
        let operator = if oldest { ">=" } else { "<=" };
        let Ok(set) = VersionSpecifier::parse(&format!("{operator}{worst}")) else {
            return Ok(None);
        };
        let mut next = Vec::new();
        for i in taking {
            let mut problem = problems[*i].clone();
            problem.held.extend(held[*i].clone());
            problem.stated.get_or_insert(problem.bounds.len());
            let requirement = Requirement::any(name).with_versions(set.clone());
            problem.bounds.push(Ask {
                requirement,
                origin: Origin::Argument,
            });
            match solver.solve(&problem)? {
                End::Settled(solution) => next.push((*i, solution)),
                _ => return Ok(None),
            }
        }
        let same =
            |a: &[(usize, Solution)]| a.iter().map(|(_, s)| release(s, name)).collect::<Vec<_>>();
        if same(&next) == same(&now) {
            return Ok(None);
        }
        now = next;
    }
    Ok(None)
}
