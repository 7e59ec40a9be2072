//! Changes that might mend a clash, read off its facts: the smallest first.

use std::sync::Arc;

use super::super::clash::{Clash, Fact, FactKind, Ground};
use super::super::problem::Problem;
use super::super::solution::Solution;
use super::WayKind;
use super::change::{Alternative, Change};
use crate::offer::{Adjustment, BarKind, Effect};
use eutaxis_standards::fault::Origin;
use eutaxis_standards::knowledge::{Family, MadeFor, Number};
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::targets::{Accelerator, Accelerators};
use eutaxis_standards::version::VersionSpecifier;

/// So many dates are tried, the earliest first.
const MOST_DATES: usize = 4;
/// So many toolkits are tried.
const MOST_TOOLKITS: usize = 2;
/// So many yanked releases are tried, the newest first.
const MOST_YANKED: usize = 2;

/// A change that might mend a clash.
#[derive(Debug, Clone)]
pub(super) enum Candidate {
    /// Just this change.
    Plain(WayKind, Change),
    /// The bound of an ask moves to the nearest that works.
    LoosenAsk(Ask),
    /// The same of a bound.
    LoosenBound(Ask),
    /// What releases need is not heeded.
    Against(Box<Adjustment>),
    /// One of these asks goes into an environment of its own.
    Split(Vec<Ask>),
}

impl Candidate {
    pub(super) fn kind(&self) -> WayKind {
        match self {
            Candidate::Plain(kind, _) => *kind,
            Candidate::LoosenAsk(_) => WayKind::Ask,
            Candidate::LoosenBound(_) => WayKind::Bound,
            Candidate::Against(_) => WayKind::Adjust,
            Candidate::Split(_) => WayKind::Environments,
        }
    }
}

/// All candidates, smallest change first; those of one kind in the order of the facts.
pub(super) fn candidates(
    problem: &Problem,
    clash: &Clash,
    alternatives: &[Alternative],
) -> Vec<Candidate> {
    let mut found = Vec::new();
    let mut asks: Vec<Ask> = Vec::new();
    for fact in &clash.facts {
        match fact.kind {
            FactKind::Ask => {
                let Some(ask) = stated(&problem.asks, fact) else {
                    continue;
                };
                // What is held does not give way.
                if problem.held.contains_key(&ask.requirement.name) {
                    continue;
                }
                if ask.requirement.versions().is_some_and(|s| !s.is_empty()) {
                    found.push(Candidate::LoosenAsk(ask.clone()));
                }
                asks.push(ask.clone());
            }
            FactKind::Bound => {
                let Some(bound) = stated(&problem.bounds, fact) else {
                    continue;
                };
                found.push(Candidate::LoosenBound(bound.clone()));
            }
            FactKind::Needs => found.extend(over_needs(problem, fact)),
            FactKind::Built | FactKind::Bar(BarKind::Accelerator) => {
                found.extend(over_accelerator(problem, fact))
            }
            FactKind::Bar(kind) => found.extend(over_bar(problem, fact, kind)),
        }
    }
    let others = interpreters(problem, clash, alternatives);
    let elsewhere = !others.is_empty();
    found.extend(
        others
            .into_iter()
            .map(|a| Candidate::Plain(WayKind::Interpreter, Change::Interpreter(Box::new(a)))),
    );
    if problem.asks.len() > 1 {
        for ask in &asks {
            found.push(Candidate::Plain(
                WayKind::Drop,
                Change::DropAsk(ask.clone()),
            ));
        }
        if asks.len() > 1 || elsewhere {
            found.push(Candidate::Split(asks));
        }
    }
    found.sort_by_key(Candidate::kind);
    found
}

/// The ask or bound that a fact speaks of.
fn stated<'a>(asks: &'a [Ask], fact: &Fact) -> Option<&'a Ask> {
    asks.iter().find(|ask| fact.states(ask))
}

/// Other interpreters, when one of the facts is that this one does not do: nearest first, those
/// that are here before.
pub(super) fn interpreters(
    problem: &Problem,
    clash: &Clash,
    alternatives: &[Alternative],
) -> Vec<Alternative> {
    let barred = |f: &Fact| f.kind == FactKind::Bar(BarKind::Interpreter);
    if !clash.facts.iter().any(barred) {
        return Vec::new();
    }
    let number =
        |(major, minor): (u64, u64)| i64::try_from(major * 1000 + minor).unwrap_or(i64::MAX);
    let mine = problem.target.interpreter.series();
    let mut found: Vec<Alternative> = alternatives
        .iter()
        .filter(|a| a.target.interpreter.series() != mine)
        .cloned()
        .collect();
    found.sort_by_key(|a| {
        (
            !a.here,
            (number(a.target.interpreter.series()) - number(mine)).abs(),
        )
    });
    found
}

/// Last resort: a release is accepted against what it says it needs.
fn over_needs(problem: &Problem, fact: &Fact) -> Option<Candidate> {
    let Ground::Needs {
        project,
        extra: None,
        requirement,
        adjusted,
        ..
    } = &fact.ground
    else {
        return None;
    };
    if let Some(adjustment) = adjusted.and_then(|i| problem.adjustments.get(i)) {
        return Some(Candidate::Plain(
            WayKind::Unadjust,
            Change::DropAdjust(Box::new(adjustment.clone())),
        ));
    }
    let versions = requirement.versions().filter(|s| !s.is_empty())?;
    let free = Requirement {
        marker: None,
        ..requirement
            .clone()
            .with_versions(VersionSpecifier::default())
    };
    let adjustment = Adjustment {
        project: project.clone(),
        versions: VersionSpecifier::default(),
        when: None,
        effect: Effect::Needs(free),
        because: format!("accepted though it says {} {versions}", requirement.name),
        origin: Origin::Argument,
        learnt: None,
    };
    Some(Candidate::Against(Box::new(adjustment)))
}

/// The adjustment for just the release that was chosen, with the bound that stood in the way moved
/// as little as will do.
pub(super) fn tightened(
    adjustment: &Adjustment,
    solution: &Solution,
    near: &dyn Fn(&Requirement, &Requirement) -> Option<Requirement>,
) -> Box<Adjustment> {
    let mut adjustment = adjustment.clone();
    let chosen = solution
        .chosen
        .iter()
        .find(|c| c.project == adjustment.project);
    if let Some(chosen) = chosen {
        adjustment.versions = VersionSpecifier::exactly(&chosen.version);
    }
    let Effect::Needs(free) = &adjustment.effect else {
        return Box::new(adjustment);
    };
    // The words of the reason end in the bound that is not heeded.
    let said = adjustment
        .because
        .rsplit(' ')
        .next()
        .and_then(|s| VersionSpecifier::parse(s).ok());
    if let Some(set) = said {
        let old = free.clone().with_versions(set);
        if let Some(near) = near(free, &old) {
            adjustment.effect = Effect::Needs(near);
        }
    }
    Box::new(adjustment)
}

/// A place with a newer driver or toolkit, or with an accelerator where there is none; and one
/// without.
fn over_accelerator(problem: &Problem, fact: &Fact) -> Vec<Candidate> {
    let mine = &problem.target.accelerators;
    let way = |here: Vec<Accelerator>| {
        let accelerators = Accelerators {
            here,
            ..mine.clone()
        };
        Candidate::Plain(
            WayKind::Accelerator,
            Change::Accelerators(Box::new(accelerators)),
        )
    };
    let mut toolkits: Vec<(&Arc<Family>, &Number)> = Vec::new();
    for build in &fact.builds {
        if let MadeFor::Toolkit(family, toolkit) = build
            && !toolkits
                .iter()
                .any(|(f, t)| f.name == family.name && *t == toolkit)
        {
            toolkits.push((family, toolkit));
        }
    }
    // Where there is an accelerator, the oldest toolkit asks least of it; where there is none, the
    // newest release counts.
    if !mine.is_empty() {
        toolkits.sort_by(|a, b| a.1.cmp(b.1));
    }
    let mut found: Vec<Candidate> = toolkits
        .into_iter()
        .take(MOST_TOOLKITS)
        .filter_map(|(family, toolkit)| {
            let mut here = mine.here.clone();
            let Some(theirs) = here.iter_mut().find(|a| a.family.name == family.name) else {
                let told = Accelerator {
                    family: Arc::clone(family),
                    toolkit: Some(toolkit.clone()),
                    driver: None,
                    devices: Vec::new(),
                    is_required: false,
                };
                return mine.is_empty().then(|| way(vec![told]));
            };
            match &theirs.driver {
                Some(driver) => {
                    let enough = family.enough_driver(toolkit, problem.target.platform.system)?;
                    if enough <= driver {
                        return None;
                    }
                    theirs.driver = Some(enough.clone());
                }
                None => theirs.toolkit = Some(toolkit.clone()),
            }
            Some(way(here))
        })
        .collect();
    if mine.is_required() {
        let mut here = mine.here.clone();
        here.iter_mut().for_each(|a| a.is_required = false);
        let accelerators = Box::new(Accelerators {
            here,
            ..mine.clone()
        });
        let change = Change::Unrequired(accelerators);
        found.push(Candidate::Plain(WayKind::Accelerator, change));
    } else if !mine.is_empty() {
        found.push(way(Vec::new()));
    }
    found
}

fn over_bar(problem: &Problem, fact: &Fact, kind: BarKind) -> Vec<Candidate> {
    let Ground::Barred {
        project, releases, ..
    } = &fact.ground
    else {
        return Vec::new();
    };
    let plain = |kind: WayKind, change: Change| vec![Candidate::Plain(kind, change)];
    // Where no wheel fits, source may.
    if (kind == BarKind::Wheels || fact.also.contains(&BarKind::Wheels))
        && !problem.policy.builds(project)
    {
        return plain(WayKind::Build, Change::Build(project.clone()));
    }
    match kind {
        BarKind::Prerelease => plain(WayKind::Prerelease, Change::Prereleases(project.clone())),
        BarKind::Yanked => releases
            .iter()
            .rev()
            .take(MOST_YANKED)
            .map(|v| {
                Candidate::Plain(
                    WayKind::Yanked,
                    Change::Pin(Requirement::exactly(project, v)),
                )
            })
            .collect(),
        BarKind::Date => {
            let mut dates = fact.dates.clone();
            dates.sort();
            dates.dedup();
            // What has no date is out on every day.
            if dates.is_empty() {
                return plain(WayKind::Date, Change::TakeUndated);
            }
            let tried = dates.into_iter().take(MOST_DATES);
            tried
                .map(|d| Candidate::Plain(WayKind::Date, Change::AsOf(d)))
                .collect()
        }
        BarKind::Adjust => problem
            .adjustments
            .iter()
            .filter(|a| {
                matches!(a.effect, Effect::Avoid | Effect::FailsToBuild)
                    && releases
                        .iter()
                        .any(|v| a.speaks_of(project, v, &problem.target))
            })
            .map(|a| Candidate::Plain(WayKind::Unadjust, Change::DropAdjust(Box::new(a.clone()))))
            .collect(),
        BarKind::Interpreter
        | BarKind::Platform
        | BarKind::Libc
        | BarKind::Accelerator
        | BarKind::Wheels
        | BarKind::Absent
        | BarKind::Unknown
        | BarKind::Quarantined
        | BarKind::Variant
        | BarKind::Hash => Vec::new(),
    }
}
