//! Ways out of a clash: small changes, each solved to the end (docs/clash.md).
//!
//! Candidates come from the facts of the clash, smallest change first. A candidate after which
//! something else clashes is carried on with the candidates of that clash, when no single change
//! will do.

mod candidates;
mod change;
mod loosen;

use std::sync::Arc;

pub use change::{Alternative, Change};

use super::clash::Clash;
use super::problem::Problem;
use super::solution::Solution;
use candidates::{Candidate, candidates};
use eutaxis_standards::index::Page;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// At most so many ways are told.
const MOST_WAYS: usize = 5;
/// With so many better ones, none is told that leaves something out or goes against what is said.
const ENOUGH: usize = 3;
/// At most so many problems are solved to find them.
const MOST_SOLVED: usize = 100;
/// At most so many changes make one way.
const MOST_CHANGES: usize = 3;

/// What a search came to, for whoever runs several.
#[derive(Debug)]
pub enum End {
    /// A solution.
    Settled(Solution),
    /// None exists.
    Clash(Clash),
    /// Neither could be shown.
    GaveUp,
    /// It was not tried to the end: what would have to be learnt costs more than a trial may. What
    /// that is, in words.
    Untried(String),
}

/// Whoever can run a search to its end over facts that are already there, fetching what more it
/// needs.
pub trait Solver {
    /// What fails when facts cannot be had.
    type Error;
    /// Runs a search to its end.
    ///
    /// # Errors
    /// When facts cannot be had.
    fn solve(&mut self, problem: &Problem) -> Result<End, Self::Error>;
    /// The page of a project that was read.
    fn page(&self, project: &Name) -> Option<Arc<Page>>;
}

/// What kind of change a way is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum WayKind {
    /// An ask is loosened.
    Ask,
    /// A bound is loosened or left out.
    Bound,
    /// Another interpreter.
    Interpreter,
    /// Another accelerator, a newer driver of it, or none.
    Accelerator,
    /// A pre-release is permitted.
    Prerelease,
    /// A source build is permitted.
    Build,
    /// A yanked release is pinned.
    Yanked,
    /// An adjustment of the user is left out.
    Unadjust,
    /// Two environments.
    Environments,
    /// An ask is left out.
    Drop,
    /// A release is accepted against a stated bound.
    Adjust,
    /// A later date: the last resort, since it was asked for.
    Date,
}

impl WayKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            WayKind::Ask => "ask",
            WayKind::Bound => "bound",
            WayKind::Interpreter => "interpreter",
            WayKind::Accelerator => "accelerator",
            WayKind::Prerelease => "prerelease",
            WayKind::Date => "date",
            WayKind::Build => "build",
            WayKind::Yanked => "yanked",
            WayKind::Unadjust => "unadjust",
            WayKind::Environments => "environments",
            WayKind::Drop => "drop",
            WayKind::Adjust => "adjust",
        }
    }
}

/// One environment of a way, with what is asked for in it.
#[derive(Debug, Clone)]
pub struct Environment {
    /// The problem, as changed.
    pub problem: Problem,
    /// The interpreter, when it is another one than was asked for.
    pub interpreter: Option<Alternative>,
    /// Its solution.
    pub solution: Solution,
}

/// A way out.
#[derive(Debug, Clone)]
pub struct Way {
    /// What kind of change it is; of several the greatest.
    pub kind: WayKind,
    /// What is changed.
    pub changes: Vec<Change>,
    /// One environment; two when the asks are split.
    pub environments: Vec<Environment>,
}

impl Way {
    /// Whether another way comes down to the same question.
    fn is_like(&self, other: &Way) -> bool {
        let same = |a: &Problem, b: &Problem| {
            (&a.asks, &a.bounds, &a.policy, &a.adjustments)
                == (&b.asks, &b.bounds, &b.policy, &b.adjustments)
                && a.target.to_string() == b.target.to_string()
        };
        self.environments.len() == other.environments.len()
            && self
                .environments
                .iter()
                .zip(&other.environments)
                .all(|(a, b)| same(&a.problem, &b.problem))
    }
}

/// What looking for ways out came to.
#[derive(Debug, Default)]
pub struct Ways {
    /// Smallest change first; none that was not solved.
    pub found: Vec<Way>,
    /// Changes that were not tried to the end, each with what would have to be learnt for it.
    pub untried: Vec<(Vec<Change>, String)>,
}

/// Ways out of a clash, smallest change first; at most five, and none that was not solved.
///
/// # Errors
/// When facts cannot be had.
pub fn ways_out<S: Solver>(
    problem: &Problem,
    clash: &Clash,
    alternatives: &[Alternative],
    solver: &mut S,
) -> Result<Ways, S::Error> {
    let mut finder = Finder {
        original: problem,
        solver,
        alternatives,
        left: MOST_SOLVED,
        untried: Vec::new(),
    };
    let mut open = vec![Open {
        made: Vec::new(),
        problem: problem.clone(),
        clash: clash.clone(),
    }];
    let mut ways: Vec<Way> = Vec::new();
    for _ in 0..MOST_CHANGES {
        let mut next = Vec::new();
        for open in open {
            finder.ways_from(&open, &mut ways, &mut next)?;
            if ways.len() >= MOST_WAYS || finder.left == 0 {
                break;
            }
        }
        if !ways.is_empty() || finder.left == 0 {
            break;
        }
        open = next;
    }
    ways.sort_by_key(|w| (w.changes.len().max(1), w.kind));
    ways.truncate(MOST_WAYS);
    Ok(Ways {
        found: ways,
        untried: finder.untried,
    })
}

/// Changes after which something else clashes.
struct Open {
    made: Vec<(WayKind, Change)>,
    problem: Problem,
    clash: Clash,
}

struct Finder<'a, S> {
    original: &'a Problem,
    solver: &'a mut S,
    alternatives: &'a [Alternative],
    /// So many more problems may be solved.
    left: usize,
    /// Changes that were not tried to the end.
    untried: Vec<(Vec<Change>, String)>,
}

impl<S: Solver> Finder<'_, S> {
    /// Tries every candidate of a clash, on top of the changes that were made before.
    fn ways_from(
        &mut self,
        open: &Open,
        ways: &mut Vec<Way>,
        next: &mut Vec<Open>,
    ) -> Result<(), S::Error> {
        // Of interpreters and dates the first that does is enough: the nearest.
        let mut enough: Vec<WayKind> = Vec::new();
        let mut carried_on = false;
        for candidate in candidates(&open.problem, &open.clash, self.alternatives) {
            if ways.len() >= MOST_WAYS || self.left == 0 {
                return Ok(());
            }
            let kind = candidate.kind();
            if let Candidate::Split(apart) = &candidate {
                if open.made.is_empty()
                    && let Some(environments) = self.split(apart)?
                {
                    ways.push(Way {
                        kind,
                        changes: Vec::new(),
                        environments,
                    });
                }
                continue;
            }
            // To do without something, or against what is said, is nearly always a way, and the
            // poorest.
            let plenty = matches!(kind, WayKind::Drop | WayKind::Adjust | WayKind::Date)
                && ways.len() >= ENOUGH;
            if plenty || enough.contains(&kind) {
                continue;
            }
            let Some((change, problem)) = self.trial(&open.problem, candidate)? else {
                continue;
            };
            let mut made = open.made.clone();
            // There is one date: a later one stands for the one before.
            made.retain(|(earlier, _)| kind != WayKind::Date || *earlier != WayKind::Date);
            made.push((kind, change));
            match self.solve(&problem)? {
                End::Settled(solution) => {
                    if let Some(way) = self.finished(&made, &solution)? {
                        if matches!(kind, WayKind::Interpreter | WayKind::Date | WayKind::Yanked) {
                            enough.push(kind);
                        }
                        // The same changes may have been come by in another order.
                        if !ways.iter().any(|other| other.is_like(&way)) {
                            ways.push(way);
                        }
                    }
                }
                // Of other interpreters only the nearest is carried on: all the rest would clash in
                // much the same way.
                End::Clash(_) if kind == WayKind::Interpreter && carried_on => {}
                End::Clash(clash) if made.len() < MOST_CHANGES => {
                    carried_on |= kind == WayKind::Interpreter;
                    next.push(Open {
                        made,
                        problem,
                        clash,
                    });
                }
                End::Untried(why) => self
                    .untried
                    .push((made.into_iter().map(|(_, change)| change).collect(), why)),
                End::Clash(_) | End::GaveUp => {}
            }
        }
        Ok(())
    }

    fn solve(&mut self, problem: &Problem) -> Result<End, S::Error> {
        self.left = self.left.saturating_sub(1);
        self.solver.solve(problem)
    }

    /// The change that a candidate stands for, and the problem by which it is tried. A bound is
    /// taken away whole, with the releases outside it ranked by their distance: the search then
    /// promises the nearest that any full solution takes.
    fn trial(
        &mut self,
        problem: &Problem,
        candidate: Candidate,
    ) -> Result<Option<(Change, Problem)>, S::Error> {
        let (change, ask) = match candidate {
            Candidate::Plain(_, change) => {
                let changed = change.made(problem);
                return Ok(Some((change, changed)));
            }
            Candidate::Split(_) => return Ok(None),
            Candidate::Against(adjustment) => {
                let changed = Change::Adjust(adjustment.clone()).made(problem);
                return Ok(Some((Change::Adjust(adjustment), changed)));
            }
            Candidate::LoosenAsk(ask) => (Change::Ask(ask.clone(), free(&ask.requirement)), ask),
            Candidate::LoosenBound(ask) => {
                (Change::Bound(ask.clone(), free(&ask.requirement)), ask)
            }
        };
        let name = &ask.requirement.name;
        let (Some(set), Some(page)) = (ask.requirement.versions(), self.solver.page(name)) else {
            return Ok(None);
        };
        let releases = page.files.outline().releases();
        let releases: Vec<Version> = releases.map(|r| r.version.clone()).collect();
        let outside = loosen::nearest_outside(set, &releases);
        if outside.is_empty() {
            return Ok(None);
        }
        let mut changed = change.made(problem);
        changed.nearest.insert(name.clone(), outside);
        // At the head of the queue nothing but the distance decides.
        if let Some(place) = changed
            .asks
            .iter()
            .position(|a| a.requirement.name == *name)
        {
            let ask = changed.asks.remove(place);
            changed.asks.insert(0, ask);
        }
        Ok(Some((change, changed)))
    }

    /// The way with every bound that was taken away put back as near as the solution allows, solved
    /// again as it will stand.
    fn finished(
        &mut self,
        made: &[(WayKind, Change)],
        solution: &Solution,
    ) -> Result<Option<Way>, S::Error> {
        let kind = made
            .iter()
            .map(|(kind, _)| *kind)
            .max()
            .unwrap_or(WayKind::Ask);
        let chosen = |name: &Name| {
            solution
                .chosen
                .iter()
                .find(|c| c.project == *name)
                .map(|c| &c.version)
        };
        for tighten in [loosen::loosened, exactly] {
            let near = |ask: &Ask| tighten(&ask.requirement, chosen(&ask.requirement.name)?);
            let near_need =
                |need: &Requirement, old: &Requirement| tighten(old, chosen(&need.name)?);
            let changes: Vec<Change> = made
                .iter()
                .map(|(_, change)| match change {
                    Change::Ask(ask, new) => {
                        Change::Ask(ask.clone(), near(ask).unwrap_or_else(|| new.clone()))
                    }
                    // A bound on a project that is not taken any more restricts nothing.
                    Change::Bound(ask, _) => near(ask)
                        .map_or(Change::DropBound(ask.clone()), |n| {
                            Change::Bound(ask.clone(), n)
                        }),
                    Change::Adjust(adjustment) => {
                        Change::Adjust(candidates::tightened(adjustment, solution, &near_need))
                    }
                    other @ (Change::DropAsk(_)
                    | Change::DropBound(_)
                    | Change::Pin(_)
                    | Change::Interpreter(_)
                    | Change::Accelerators(_)
                    | Change::Unrequired(_)
                    | Change::Build(_)
                    | Change::Prereleases(_)
                    | Change::AsOf(_)
                    | Change::TakeUndated
                    | Change::DropAdjust(_)) => other.clone(),
                })
                .collect();
            let problem = changes
                .iter()
                .fold(self.original.clone(), |problem, change| {
                    change.made(&problem)
                });
            if let End::Settled(solution) = self.solve(&problem)? {
                let interpreter = changes.iter().rev().find_map(|c| {
                    if let Change::Interpreter(alternative) = c {
                        Some(alternative.as_ref().clone())
                    } else {
                        None
                    }
                });
                let environments = vec![Environment {
                    problem,
                    interpreter,
                    solution,
                }];
                return Ok(Some(Way {
                    kind,
                    changes,
                    environments,
                }));
            }
        }
        Ok(None)
    }

    /// The asks in two environments: one ask of the clash apart from all others. Each may have an
    /// interpreter of its own.
    fn split(&mut self, apart: &[Ask]) -> Result<Option<Vec<Environment>>, S::Error> {
        for ask in apart {
            let mut rest = self.original.clone();
            rest.asks.retain(|a| a != ask);
            let mut alone = self.original.clone();
            alone.asks.retain(|a| a == ask);
            let Some(rest) = self.somewhere(&rest)? else {
                continue;
            };
            let Some(alone) = self.somewhere(&alone)? else {
                continue;
            };
            return Ok(Some(vec![rest, alone]));
        }
        Ok(None)
    }

    /// A solution on the target, else on the first of the alternatives that has one.
    fn somewhere(&mut self, problem: &Problem) -> Result<Option<Environment>, S::Error> {
        if problem.asks.is_empty() {
            return Ok(None);
        }
        let clash = match self.solve(problem)? {
            End::Settled(solution) => {
                return Ok(Some(Environment {
                    problem: problem.clone(),
                    interpreter: None,
                    solution,
                }));
            }
            End::Clash(clash) => clash,
            End::GaveUp | End::Untried(_) => return Ok(None),
        };
        for alternative in candidates::interpreters(problem, &clash, self.alternatives) {
            if self.left == 0 {
                break;
            }
            let changed = Change::Interpreter(Box::new(alternative.clone())).made(problem);
            if let End::Settled(solution) = self.solve(&changed)? {
                return Ok(Some(Environment {
                    problem: changed,
                    interpreter: Some(alternative),
                    solution,
                }));
            }
        }
        Ok(None)
    }
}

/// The requirement without its bounds.
fn free(requirement: &Requirement) -> Requirement {
    requirement
        .clone()
        .with_versions(VersionSpecifier::default())
}

fn exactly(requirement: &Requirement, release: &Version) -> Option<Requirement> {
    Some(
        requirement
            .clone()
            .with_versions(VersionSpecifier::exactly(release)),
    )
}
