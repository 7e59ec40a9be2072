//! Remedies that were solved to the end: what the depots have that mends a finding, together with
//! everything else that is placed.

use std::collections::BTreeSet;

use eutaxis_core::Name;
use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Finding, Snapshot, unmet};
use eutaxis_core::remedy::{Remedy, Step};
use eutaxis_core::solve::{Chosen, Solution};
use eutaxis_world::supply::{Outcome as End, Run};

use crate::cli::DepotOptions;
use crate::output::Output;
use crate::placed;
use crate::plan::Surroundings;
use crate::typed;

/// Findings that another release or file may mend.
const MENDED_BY_PLACING: [&str; 11] = [
    "unmet-requirement",
    "version-clash",
    "wrong-interpreter",
    "wrong-architecture",
    "unreadable-binary",
    "libc-too-old",
    "cxx-runtime-too-old",
    "driver-too-old",
    "tag-mismatch",
    "absent-file",
    "broken-metadata",
];

/// Solves for what is placed, with its needs met and files that run here, and says of each finding
/// what that changes.
pub(super) fn solve(
    findings: &mut [Finding],
    snapshot: &Snapshot,
    run: &Run,
    surroundings: &Surroundings,
    options: &DepotOptions,
    output: &Output,
) {
    if !findings.iter().any(|f| MENDED_BY_PLACING.contains(&f.id())) {
        return;
    }
    let solved = placed::question(snapshot, surroundings, run)
        .and_then(|problem| run.solve(&problem, &|_| ()));
    let solution = match solved {
        Ok(End::Settled(solution)) => solution,
        Ok(End::Clash(_)) => {
            return output.notice(
                "no set of releases of the depots holds all that is placed: remedies were not \
                    solved",
            );
        }
        Err(error) => {
            return output.notice(&format!("remedies were not solved: {}", error.message));
        }
    };
    let needs = unmet(snapshot);
    for finding in findings
        .iter_mut()
        .filter(|f| MENDED_BY_PLACING.contains(&f.id()))
    {
        let Some(project) = finding.project.clone() else {
            continue;
        };
        // What is pinned is brought back to its pin.
        if snapshot
            .pins
            .as_ref()
            .is_some_and(|p| p.entries.iter().any(|e| e.name == project))
        {
            finding.remedy = Remedy::new("bring it to the pins", snapshot.furnish(false));
            continue;
        }
        // What the project needs and does not find, and the project itself.
        let mut concerned: BTreeSet<Name> = BTreeSet::from([project.clone()]);
        if let Some(lacking) = finding.trouble.needs() {
            let of = |u: &&eutaxis_core::examine::Unmet| {
                snapshot
                    .projects
                    .get(u.by)
                    .is_some_and(|p| p.name == project)
            };
            concerned.extend(
                needs
                    .iter()
                    .filter(of)
                    .map(|u| u.needs.name.clone())
                    .filter(|n| *n == lacking.name),
            );
        }
        if let Some((words, command)) = remedy(
            &concerned,
            finding.id(),
            snapshot,
            &solution,
            &typed::depots(options),
        ) {
            let words = format!("{words}, with {} projects in all", solution.chosen.len());
            finding.remedy = Remedy::new(words, command).resting_on(Evidence::Solved);
        }
    }
}

/// What changes for some projects, and the command that changes it.
fn remedy(
    concerned: &BTreeSet<Name>,
    id: &str,
    snapshot: &Snapshot,
    solution: &Solution,
    depots: &[String],
) -> Option<(String, Step)> {
    let there = placed::releases(snapshot);
    let mut words = Vec::new();
    let mut changed: Vec<&Chosen> = Vec::new();
    for chosen in solution
        .chosen
        .iter()
        .filter(|c| concerned.contains(&c.project))
    {
        let (project, version) = (&chosen.project, &chosen.version);
        match there.get(project) {
            None => words.push(format!("place {project} {version}")),
            Some(before) if *before != version => {
                words.push(format!("{project} {version} in place of {before}"))
            }
            // Its release stays, and its file is another, or is placed once more.
            Some(_) if !matches!(id, "unmet-requirement" | "version-clash") => {
                words.push(format!(
                    "{project} {version} again, from {}",
                    chosen.file.filename
                ));
            }
            Some(_) => continue,
        }
        changed.push(chosen);
    }
    if changed.is_empty() {
        return None;
    }
    Some((
        words.join(", "),
        placed::command(&changed, solution, snapshot, depots)?,
    ))
}
