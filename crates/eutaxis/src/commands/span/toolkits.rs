//! The second matrix: toolkits against interpreters, for a target with an accelerator.

use std::sync::Arc;

use eutaxis_core::knowledge::{Family, MadeFor, Number};
use eutaxis_core::offer::Rules;
use eutaxis_core::span::{Cell, Matrix};
use eutaxis_core::{Name, Target};
use eutaxis_world::Error;
use eutaxis_world::supply::{Progress, Run};

use super::{Asked, Question, solved};
use crate::answer::span::{Head, Toolkits};

/// A matrix for each target with an accelerator for which there are builds.
pub(super) fn all(
    question: &Question<'_>,
    rows: &[Head],
    matrix: &Matrix,
    run: &Run,
    progress: Progress<'_>,
) -> Result<Vec<Toolkits>, Error> {
    let mut found = Vec::new();
    for (column, chosen) in question.columns.iter().enumerate() {
        for accelerator in &chosen.target.accelerators.here {
            let family = &accelerator.family;
            let toolkits = offered(question, &chosen.target, family, matrix, run);
            // Interpreters on which nothing holds at all are told in the first matrix.
            let usable: Vec<&Head> = rows
                .iter()
                .enumerate()
                .filter(|(i, _)| {
                    matrix
                        .rows()
                        .get(*i)
                        .and_then(|r| r.get(column))
                        .is_some_and(|c| c.solution().is_some())
                })
                .map(|(_, head)| head)
                .collect();
            if toolkits.is_empty() || usable.is_empty() {
                continue;
            }
            let cell = |toolkit: &Number, head: &Head| -> Asked {
                let mut problem = question.problem(head, chosen)?;
                let accelerators = &mut problem.target.accelerators;
                let build = MadeFor::Toolkit(Arc::clone(family), toolkit.clone());
                if let Some(why) = accelerators.miss(&build, problem.target.platform.system) {
                    return Err(why.to_string());
                }
                accelerators.only = Some((Arc::clone(family), toolkit.clone()));
                Ok(problem)
            };
            let cells: Vec<Vec<Asked>> = toolkits
                .iter()
                .map(|t| usable.iter().map(|h| cell(t, h)).collect())
                .collect();
            let rows = solved(&cells, run, progress)?;
            let interpreters = usable.iter().map(|h| h.series).collect();
            found.push(Toolkits {
                column,
                family: Arc::clone(family),
                toolkits,
                interpreters,
                rows,
            });
        }
    }
    Ok(found)
}

/// Toolkits of a family for which the projects offer builds, the newest first.
fn offered(
    question: &Question<'_>,
    target: &Target,
    family: &Family,
    matrix: &Matrix,
    run: &Run,
) -> Vec<Number> {
    let asked = question
        .asks
        .asks
        .iter()
        .map(|a| a.requirement.name.clone());
    let cells = matrix.rows().iter().flatten().filter_map(Cell::solution);
    let chosen = cells.flat_map(|s| s.chosen.iter().map(|c| c.project.clone()));
    let mut names: Vec<Name> = asked.chain(chosen).collect();
    names.sort();
    names.dedup();
    let mut toolkits: Vec<Number> = Vec::new();
    let rules = Rules {
        target,
        policy: &question.policy,
        adjustments: &question.surroundings.config.adjustments,
    };
    for judged in names.iter().filter_map(|name| run.judged(name, &rules)) {
        for build in judged
            .offers()
            .flat_map(|o| &o.files)
            .filter_map(|f| judged.build_of(f))
        {
            if let MadeFor::Toolkit(theirs, toolkit) = &build.made_for
                && theirs.name == family.name
                && !toolkits.contains(toolkit)
            {
                toolkits.push(toolkit.clone());
            }
        }
    }
    toolkits.sort_by(|a, b| b.cmp(a));
    toolkits
}
