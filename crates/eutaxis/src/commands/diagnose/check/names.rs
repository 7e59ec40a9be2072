//! `name-unknown`: the nearest names in the depots.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;

use super::{Checked, Checker, version_of};

/// So many names are told.
const MOST: usize = 3;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(project) = cause
        .facts
        .get("project")
        .and_then(|p| Name::parse(&p).ok())
    else {
        return Ok(());
    };
    if checker.depots.is_empty() {
        return Ok(());
    }
    if checker.page(&project)?.is_some() {
        let depot = checker
            .run
            .depot_of(&project)
            .map_or(String::new(), |d| d.label().to_owned());
        checked.say(format!(
            "the depot {} has {project}: the log was written with another index, or without it",
            depot
        ));
        let spot = checker.spot(cause)?;
        let asks = [Requirement::any(&project)];
        if let Ok(solution) = checker.solve(&checker.problem(&spot, &asks, &checker.policy)?)? {
            let number = crate::words::count(solution.chosen.len(), "project");
            checker.solved(
                checked,
                format!("settle it from that depot: {number}"),
                &asks,
                &spot,
                &solution,
            );
        }
        return Ok(());
    }
    absent(checker, &project, cause, checked)
}

/// The depots do not have it: what they have that is nearest, as far as it can be placed.
pub(super) fn absent(
    checker: &Checker<'_>,
    project: &Name,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let known = checker.depots.projects();
    let near = checker.run.near_names(&known, project, MOST);
    let doubts = near.doubtful.iter().map(crate::words::doubt);
    doubts.for_each(|doubt| checked.say(doubt));
    let near = near.offered;
    if near.is_empty() {
        let labels = checker.depots.labels().join(", ");
        checked.say(format!(
            "{labels} has no {project}, and nothing of a name like it"
        ));
        return Ok(());
    }
    checked.say(format!(
        "the depots have no {project}; nearest: {}",
        near.iter().map(Name::as_str).collect::<Vec<_>>().join(", ")
    ));
    let spot = checker.spot(cause)?;
    for name in near {
        let asks = [Requirement::any(&name)];
        let problem = checker.problem(&spot, &asks, &checker.policy)?;
        if let Ok(solution) = checker.solve(&problem)? {
            let version = version_of(&solution, &name).map_or(String::new(), |v| format!(" {v}"));
            checker.solved(
                checked,
                format!("if {name} is meant: {name}{version} runs on {}", spot.shown),
                &asks,
                &spot,
                &solution,
            );
        }
    }
    Ok(())
}
