//! `clash`, `stale-dependency`: what was asked for, settled: the clash with its ways out, or
//! releases that go together.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::pins::lock_file_name_for;
use eutaxis_core::remedy::Step;
use eutaxis_core::solve::{Change, Environment, Way};
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;

use super::{Checked, Checker, Spot, moved};
use crate::words::count;
use crate::words::ways::{option, sentence};
use crate::{placed, plan};

/// So many ways out are told.
const MOST_WAYS: usize = 3;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let asks = asks(checker, cause);
    if asks.is_empty() || checker.depots.is_empty() {
        return Ok(());
    }
    let spot = checker.spot(cause)?;
    if let ([caller], "stale-dependency") = (asks.as_slice(), cause.id.as_str()) {
        // Only who calls is known: what it calls came after it.
        return moved::beside_what_is_younger(checker, cause, &caller.name, &spot, checked);
    }
    let problem = checker.problem(&spot, &asks, &checker.policy)?;
    match checker.solve(&problem)? {
        Ok(solution) if checker.is_as_placed(&spot, &solution) => {
            let which = asks.iter().map(|a| a.name.as_str());
            let which: Vec<&str> = which.collect();
            checked.say(format!(
                "{} are placed as the depots have them",
                which.join(" and ")
            ));
        }
        Ok(solution) => {
            let (_, solution) = checker.with_earlier(&spot, &asks, (problem, solution))?;
            let named = |r: &Requirement| {
                let chosen = solution.chosen.iter().find(|c| c.project == r.name)?;
                Some(format!("{} {}", chosen.project, chosen.version))
            };
            let together: Vec<String> = asks.iter().filter_map(named).collect();
            let number = count(solution.chosen.len(), "project");
            let text = format!(
                "these go together on {}: {} ({number})",
                spot.shown,
                together.join(", ")
            );
            checker.solved(checked, text, &asks, &spot, &solution);
        }
        Err(clash) => {
            clash.facts.iter().for_each(|f| checked.say(f.text.clone()));
            let others =
                plan::alternatives_of(&clash, &spot.target, spot.here, checker.surroundings);
            let ways = checker.run.ways_out(&problem, &clash, &others, &|_| ())?;
            for way in ways.found.iter().take(MOST_WAYS) {
                tell(checker, way, &spot, checked);
            }
        }
    }
    Ok(())
}

/// A way out, with the command that takes it.
fn tell(checker: &Checker<'_>, way: &Way, spot: &Spot, checked: &mut Checked) {
    // Another interpreter has a way of its own to be named.
    let other = way.changes.iter().find_map(|c| {
        if let Change::Interpreter(other) = c {
            Some(other)
        } else {
            None
        }
    });
    let place = other.map(|other| checker.spot_with(spot, other));
    let others = way
        .changes
        .iter()
        .filter(|c| !matches!(c, Change::Interpreter(_)));
    let more: Vec<String> = others.filter_map(option).flatten().collect();
    let file = |n: usize| match way.environments.len() {
        1 => placed::MEND.to_owned(),
        _ => lock_file_name_for(placed::MEND, &(n + 1).to_string()),
    };
    let of = |(n, environment): (usize, &Environment)| {
        let asks: Vec<Requirement> = environment
            .problem
            .asks
            .iter()
            .map(|a| a.requirement.clone())
            .collect();
        checker.settle_into(&file(n), &asks, place.as_ref().unwrap_or(spot), &more)
    };
    let commands = way.environments.iter().enumerate().map(of).collect();
    checked.solved(sentence(way), Step::Run(commands));
}

/// What the log says was asked for, and the releases that it says need something; of a placed
/// project that lost what it needs: both.
fn asks(checker: &Checker<'_>, cause: &Cause) -> Vec<Requirement> {
    let facts = &cause.facts;
    let read = |text: &str| Requirement::parse_lenient(&text.replace(['(', ')'], "")).ok();
    if cause.id == "clash" {
        let mut all: Vec<Requirement> = facts.all("asked").iter().filter_map(|a| read(a)).collect();
        if all.len() < 2 {
            for requirement in facts.needing().iter().filter_map(|n| needing(n)) {
                if !all.iter().any(|r| r.name == requirement.name) {
                    all.push(requirement);
                }
            }
        }
        return all;
    }
    if cause.id == "companion-mismatch" {
        return companions(checker, cause);
    }
    // Where the library itself raised it, who called it is what needs another release of it.
    let caller = facts
        .get("caller")
        .filter(|_| facts.get("accepts").or(facts.get("least")).is_some());
    let caller = caller.and_then(|c| checker.project_of(&c));
    let project =
        caller
            .or_else(|| checker.project(cause))
            .map(|name| match checker.placed(&name) {
                Some(version) => Requirement::exactly(&name, version),
                None => {
                    let told = facts
                        .get("version")
                        .and_then(|v| read(&format!("{name}=={v}")));
                    told.unwrap_or_else(|| Requirement::any(&name))
                }
            });
    let needed = facts.get("requirement_needed").and_then(|n| read(&n));
    let found = || facts.get("found_project").and_then(|n| read(&n));
    let needed = needed.or_else(found);
    // What is to be another release is not asked for as it is.
    let is_other = |r: &Requirement| needed.as_ref().is_none_or(|n| n.name != r.name);
    let project = project.filter(is_other);
    project.into_iter().chain(needed).collect()
}

/// An add-on, in whatever release goes with the core that is placed; the core is the project of which
/// it states one release.
fn companions(checker: &Checker<'_>, cause: &Cause) -> Vec<Requirement> {
    let Some(add_on) = checker.project(cause) else {
        return Vec::new();
    };
    let told = cause.facts.get("core").and_then(|c| checker.project_of(&c));
    let stated = || {
        let placed = checker.snapshot.as_ref()?.visible(&add_on)?;
        let metadata = placed.metadata.as_ref().ok()?;
        let exact = |r: &&Requirement| {
            r.versions()
                .is_some_and(|v| v.to_string().starts_with("=="))
        };
        metadata.requires.iter().find(exact).map(|r| r.name.clone())
    };
    let there = |core: &Name| checker.placed(core).is_some();
    let core = stated().filter(there).or(told);
    let core = core.map(|core| moved::kept(checker, &core));
    // The release that failed is not what mends.
    let other = checker.placed(&add_on).map(|v| format!("{add_on}!={v}"));
    let other = other.and_then(|text| Requirement::parse(&text).ok());
    let other = other.unwrap_or_else(|| Requirement::any(&add_on));
    std::iter::once(other).chain(core).collect()
}

/// The one that needs something, pinned to its release where the log names one: `a 1.0`.
fn needing(who: &str) -> Option<Requirement> {
    let asked = match who.rsplit_once(' ') {
        Some((name, version)) if version.starts_with(|c: char| c.is_ascii_digit()) => {
            format!("{name}=={version}")
        }
        _ => who.to_owned(),
    };
    Requirement::parse_lenient(&asked).ok()
}

#[cfg(test)]
mod tests {
    use super::needing;
    use rstest::rstest;

    #[rstest]
    #[case("seracnet 2.3.0", "seracnet==2.3.0")]
    #[case("seracnet>=2", "seracnet>=2")]
    #[case("glacier-kit", "glacier-kit")]
    fn who_needs_something_is_read(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(
            needing(text).unwrap().to_string().replace(' ', ""),
            expected
        );
    }
}
