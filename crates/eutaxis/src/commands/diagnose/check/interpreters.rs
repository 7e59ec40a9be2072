//! What the interpreter does not have yet, or no longer: the interpreters here that do.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::evidence::Evidence;
use eutaxis_core::knowledge::SeriesNumber;
use eutaxis_core::remedy::{Invocation, MEND, Remedy, Step, Verb};
use eutaxis_world::Error;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::Outcome as End;

use super::{Checked, Checker, called};
use crate::words::{count, near};

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let number = |name: &str| cause.facts.get(name).and_then(|text| series(&text));
    let (added, removed) = (number("added"), number("removed"));
    let is_solved = checked.remedies.iter().any(|r| r.evidence.is_some());
    let is_asked = added.is_some() || removed.is_some();
    if !is_asked || is_solved || checked.keeps_interpreter || !checker.is_of_here(cause) {
        return Ok(());
    }
    let fits = |s: SeriesNumber| added.is_none_or(|a| s >= a) && removed.is_none_or(|r| s < r);
    let mut fitting: Vec<(SeriesNumber, &Found)> = Vec::new();
    for found in checker.known() {
        let series = found.facts.interpreter().map(|i| i.series());
        let own = !found.facts.in_environment();
        fitting.extend(series.ok().filter(|s| own && fits(*s)).map(|s| (s, found)));
    }
    // Of those that have it the nearest to what ran: the newest before, the oldest since.
    fitting.sort_by_key(|(s, _)| *s);
    let nearest = match removed {
        Some(_) => fitting.last(),
        None => fitting.first(),
    };
    let Some((_, found)) = nearest else {
        return Ok(());
    };
    checked.remedies.extend(use_it(checker, cause, found)?);
    Ok(())
}

fn series(text: &str) -> Option<SeriesNumber> {
    let (major, minor) = text.split_once('.').unwrap_or((text, "0"));
    Some((major.parse().ok()?, minor.parse().ok()?))
}

/// Running the code with an interpreter: in an environment of its own where it ran in one that
/// remembers what it holds.
fn use_it(checker: &Checker<'_>, cause: &Cause, found: &Found) -> Result<Option<Remedy>, Error> {
    let Ok(interpreter) = found.facts.interpreter() else {
        return Ok(None);
    };
    let name = called(&interpreter);
    let path = near(&found.facts.executable);
    let script = cause.facts.get("script");
    let Some(snapshot) = checker.snapshot.as_ref() else {
        // A file of a package is no program.
        let Some(script) = script else {
            let words = format!("use {name}, here at {path}, which has it");
            return Ok(Some(Remedy {
                words,
                step: None,
                evidence: None,
            }));
        };
        let words = format!("run it with {name}, which is here and has it");
        let step = Step::Start(vec![path, script]);
        return Ok(Some(Remedy::new(words, step).resting_on(Evidence::Read)));
    };
    let pins = snapshot.pins.as_ref().filter(|p| !p.question.is_empty());
    let Some(pins) = pins.filter(|_| !checker.depots.is_empty()) else {
        return Ok(None);
    };
    let mut problem = checker.held(snapshot).question()?;
    problem.target = checker.surroundings.target_of(&found.facts)?;
    problem.prior.clear();
    let End::Settled(solution) = checker.run.solve(&problem, &|_| ())? else {
        return Ok(None);
    };
    let place = format!("{}-{}", snapshot.name, interpreter.series_text());
    let settle = Invocation::new(Verb::Settle, pins.question.iter().cloned()).with([
        "--interpreter",
        path.as_str(),
        "--out",
        MEND,
    ]);
    let furnish = Invocation::new(Verb::Furnish, [MEND, "--at", place.as_str()]);
    let number = count(solution.chosen.len(), "project");
    let words = format!(
        "make an environment with {name} ({number}), and run the code with {place}/bin/python"
    );
    let step = Step::Run(vec![settle, furnish]);
    Ok(Some(Remedy::new(words, step).resting_on(Evidence::Solved)))
}
