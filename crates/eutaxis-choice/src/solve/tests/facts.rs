//! Facts of a clash taken by their words alone, by brute force: whether some set of releases keeps
//! them all.

use std::collections::{BTreeMap, BTreeSet};

use super::super::{Fact, FactKind, Problem};
use super::toy::World;
use crate::offer::BarKind;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::{Version, VersionSpecifier};

type Chosen = BTreeMap<String, Version>;

/// Whether the facts of a clash cannot hold together while any others of them can. That "nothing
/// pins" a yanked release is taken as it stands, or unless a release that is taken pins it: one of
/// the two must show it.
pub(super) fn are_smallest(world: &World, problem: &Problem, clash: &[Fact]) -> bool {
    let readings = [(true, true), (true, false), (false, true), (false, false)];
    readings.into_iter().any(|(heed_pins, by_page)| {
        let can_hold = |facts: &[Fact]| {
            can_hold(&Alone {
                world,
                problem,
                clash,
                facts,
                heed_pins,
                by_page,
            })
        };
        !can_hold(clash)
            && (0..clash.len()).all(|i| {
                let mut fewer = clash.to_vec();
                fewer.remove(i);
                can_hold(&fewer)
            })
    })
}

/// Whether releases of the world can be chosen so that all these facts hold; what no fact says does
/// not count.
fn can_hold(alone: &Alone<'_>) -> bool {
    let Alone {
        world,
        problem,
        facts,
        ..
    } = *alone;
    let mut names: BTreeSet<String> = world.projects.keys().cloned().collect();
    for fact in facts {
        names.extend(requirement(problem, fact).map(|r| r.name.to_string()));
    }
    let names: Vec<String> = names.into_iter().collect();
    search(alone, &names, &mut Chosen::new())
}

/// Some of the facts of a clash, taken alone.
struct Alone<'a> {
    world: &'a World,
    problem: &'a Problem,
    clash: &'a [Fact],
    facts: &'a [Fact],
    heed_pins: bool,
    /// Whether a build stands for another one of its release by what its page says alone.
    by_page: bool,
}

fn search(alone: &Alone<'_>, names: &[String], chosen: &mut Chosen) -> bool {
    let Some((name, rest)) = names.split_first() else {
        return holds(alone, chosen);
    };
    if search(alone, rest, chosen) {
        return true;
    }
    // A project that no depot has could have any release, were its absence no fact.
    let releases = match alone.world.projects.get(name) {
        Some(releases) => releases
            .iter()
            .filter(|r| {
                !super::brute::stood_for(name, r, alone.world, alone.problem, alone.by_page)
            })
            .map(|r| Version::parse(&r.version).unwrap())
            .collect(),
        None => vec![Version::parse("1").unwrap()],
    };
    releases.into_iter().any(|version| {
        chosen.insert(name.clone(), version);
        let found = search(alone, rest, chosen);
        chosen.remove(name);
        found
    })
}

fn requirement(problem: &Problem, fact: &Fact) -> Option<Requirement> {
    let of = |asks: &[eutaxis_standards::Ask]| {
        asks.iter()
            .find(|a| {
                Some(&a.origin) == fact.origin.as_ref() && a.requirement.subject() == fact.project
            })
            .map(|a| a.requirement.clone())
    };
    match fact.kind {
        FactKind::Ask => of(&problem.asks),
        FactKind::Bound => of(&problem.bounds),
        FactKind::Needs => Some(Requirement::parse(fact.needs.as_ref().unwrap()).unwrap()),
        FactKind::Built | FactKind::Bar(_) => None,
    }
}

/// The toolkit for which releases were made.
fn toolkit(fact: &Fact) -> Option<&str> {
    fact.text
        .rsplit_once(" built for ")
        .map(|(_, toolkit)| toolkit)
}

fn speaks_of(fact: &Fact, version: &Version) -> bool {
    fact.versions
        .split(" || ")
        .any(|set| VersionSpecifier::parse(set).unwrap().matches(version))
}

fn holds(alone: &Alone<'_>, chosen: &Chosen) -> bool {
    let Alone { problem, facts, .. } = *alone;
    let needs_of = |fact: &Fact| {
        let (project, extra) = match fact.project.split_once('[') {
            Some((project, extra)) => (
                project.to_owned(),
                Some(extra.trim_end_matches(']').to_owned()),
            ),
            None => (fact.project.clone(), None),
        };
        (project, extra)
    };
    // Extras that are asked for, from the asks on.
    let mut extras: BTreeSet<(String, String)> = BTreeSet::new();
    loop {
        let before = extras.len();
        for fact in facts
            .iter()
            .filter(|f| f.kind == FactKind::Ask || f.kind == FactKind::Needs)
        {
            if fact.kind == FactKind::Needs && !in_force(fact, &needs_of(fact), chosen, &extras) {
                continue;
            }
            let requirement = requirement(problem, fact).unwrap();
            extras.extend(
                requirement
                    .extras
                    .iter()
                    .map(|e| (requirement.name.to_string(), e.to_string())),
            );
        }
        if extras.len() == before {
            break;
        }
    }
    facts.iter().all(|fact| match fact.kind {
        FactKind::Ask => takes(alone, &requirement(problem, fact).unwrap(), chosen),
        FactKind::Bound => {
            let bound = requirement(problem, fact).unwrap();
            chosen
                .get(bound.name.as_str())
                .is_none_or(|v| bound.versions().unwrap().matches(v))
        }
        FactKind::Needs => {
            !in_force(fact, &needs_of(fact), chosen, &extras)
                || takes(alone, &requirement(problem, fact).unwrap(), chosen)
        }
        FactKind::Bar(BarKind::Prerelease) => true,
        FactKind::Bar(BarKind::Yanked) => chosen
            .get(&fact.project)
            .is_none_or(|v| !speaks_of(fact, v) || pinned(alone, &fact.project, v, chosen)),
        FactKind::Bar(BarKind::Absent) if fact.versions.is_empty() => {
            !chosen.contains_key(&fact.project)
        }
        FactKind::Built => {
            let taken = |f: &&Fact| {
                f.kind == FactKind::Built && chosen.get(&f.project).is_some_and(|v| speaks_of(f, v))
            };
            let mut toolkits: Vec<&str> = facts.iter().filter(taken).filter_map(toolkit).collect();
            toolkits.sort_unstable();
            toolkits.dedup();
            toolkits.len() < 2
        }
        FactKind::Bar(_) => chosen
            .get(&fact.project)
            .is_none_or(|v| !speaks_of(fact, v)),
    })
}

fn in_force(
    fact: &Fact,
    (project, extra): &(String, Option<String>),
    chosen: &Chosen,
    extras: &BTreeSet<(String, String)>,
) -> bool {
    let there = chosen.get(project).is_some_and(|v| speaks_of(fact, v));
    there
        && extra
            .as_ref()
            .is_none_or(|e| extras.contains(&(project.clone(), e.clone())))
}

/// Whether a requirement is met; that pre-releases are out is a fact of its own.
fn takes(alone: &Alone<'_>, requirement: &Requirement, chosen: &Chosen) -> bool {
    let Some(version) = chosen.get(requirement.name.as_str()) else {
        return false;
    };
    let set = requirement.versions().unwrap();
    let told = alone.facts.iter().any(|f| {
        f.kind == FactKind::Bar(BarKind::Prerelease)
            && f.project == requirement.name.as_str()
            && speaks_of(f, version)
    });
    let out = told && super::brute::keeps_out(alone.world, alone.problem, requirement, version);
    set.matches(version) && !out
}

/// Whether a chosen release pins this one, under any extra: of a project that is asked for or
/// needed, since others have no part in it.
fn pinned(alone: &Alone<'_>, project: &str, version: &Version, chosen: &Chosen) -> bool {
    let wanted = |name: &str| {
        let mut facts = alone.clash.iter().filter(|f| f.kind != FactKind::Bound);
        facts.any(|f| requirement(alone.problem, f).is_some_and(|r| r.name.as_str() == name))
    };
    if !alone.heed_pins {
        return false;
    }
    let values = &alone.problem.target.markers;
    chosen
        .iter()
        .filter(|(name, _)| *name != project && wanted(name))
        .any(|(name, v)| {
            let releases = alone.world.projects.get(name).into_iter().flatten();
            // A barred release pins nothing: what it needs is never read.
            let usable = releases.filter(|r| super::brute::usable(name, r, alone.problem));
            usable
                .filter(|r| Version::parse(&r.version).unwrap() == *v)
                .any(|release| {
                    let extras: Vec<Name> = release
                        .extras
                        .iter()
                        .map(|e| Name::parse(e).unwrap())
                        .collect();
                    release
                        .needs
                        .iter()
                        .map(|n| Requirement::parse(n).unwrap())
                        .any(|n| {
                            let can_count =
                                n.marker.as_ref().is_none_or(|m| m.wanted(values, &extras));
                            can_count
                                && n.name.as_str() == project
                                && n.versions().is_some_and(|s| s.pins(version))
                        })
                })
        })
}
