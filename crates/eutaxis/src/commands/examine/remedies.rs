//! Remedies that were solved to the end: what the depots have that mends a finding, together with
//! everything else that is placed.

use std::collections::BTreeSet;

use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Finding, Snapshot, Unmet, differs_from_pin, unmet};
use eutaxis_core::remedy::{Remedy, Step};
use eutaxis_core::solve::{Chosen, Solution};
use eutaxis_core::{Name, Requirement};
use eutaxis_world::supply::Outcome as End;

use crate::output::Output;
use crate::placed::{self, Held};

/// Findings that another release or file may mend.
const MENDED_BY_PLACING: [&str; 12] = [
    "unmet-requirement",
    "version-clash",
    "wrong-interpreter",
    "wrong-architecture",
    "unreadable-binary",
    "libc-too-old",
    "cxx-runtime-too-old",
    "driver-too-old",
    "device-unsupported",
    "tag-mismatch",
    "absent-file",
    "broken-metadata",
];

/// Those of them where the same file once more may do.
const MENDED_BY_PLACING_AGAIN: [&str; 3] = ["unreadable-binary", "absent-file", "broken-metadata"];

/// Solves for what the environment is to hold, with its needs met and files that run here, and says
/// of each finding what that changes.
pub(super) fn solve(findings: &mut [Finding], held: &Held<'_>, output: &Output) {
    if !findings.iter().any(|f| MENDED_BY_PLACING.contains(&f.id())) {
        return;
    }
    let solved = held.question();
    let solved = solved.and_then(|problem| held.run.solve(&problem, &|_| ()));
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
    let needs = unmet(held.snapshot);
    for finding in findings
        .iter_mut()
        .filter(|f| MENDED_BY_PLACING.contains(&f.id()))
    {
        let Some(project) = finding.project.clone() else {
            continue;
        };
        if is_mended_by_its_pin(held.snapshot, finding, &project)
            || has_its_need_pinned(held.snapshot, finding)
        {
            finding.remedy = Remedy::new("bring it to the pins", held.snapshot.furnish(false));
            continue;
        }
        // What the project needs and does not find, and the project itself.
        let mut concerned: BTreeSet<Name> = BTreeSet::from([project.clone()]);
        if let Some(lacking) = finding.trouble.needs() {
            let of = |u: &&Unmet| {
                let by = held.snapshot.projects.get(u.by);
                by.is_some_and(|p| p.name == project) && u.needs.name == lacking.name
            };
            concerned.extend(needs.iter().filter(of).map(|u| u.needs.name.clone()));
        }
        // What was placed beside the pins is asked for with them.
        let beside = match is_beside_the_pins(held, &project) {
            true => match with(held, &project) {
                Some(solution) => Some(solution),
                None => continue,
            },
            false => None,
        };
        let asks: Vec<Requirement> = beside
            .iter()
            .filter_map(|s| {
                let chosen = s.chosen.iter().find(|c| c.project == project)?;
                Some(Requirement::exactly(&project, &chosen.version))
            })
            .collect();
        let solution = beside.as_ref().unwrap_or(&solution);
        if let Some((words, step)) = remedy(&concerned, &asks, finding.id(), held, solution) {
            let words = format!("{words}, with {} projects in all", solution.chosen.len());
            finding.remedy = Remedy::new(words, step).resting_on(Evidence::Solved);
        }
    }
}

/// Whether the pins would bring something else than what is there: the same once more mends only
/// what was damaged.
fn is_mended_by_its_pin(snapshot: &Snapshot, finding: &Finding, project: &Name) -> bool {
    let placed = snapshot.here().find(|(_, p)| p.name == *project);
    snapshot.pinned(project).any(|pin| match placed {
        Some((_, there)) => {
            MENDED_BY_PLACING_AGAIN.contains(&finding.id()) || differs_from_pin(pin, there)
        }
        None => true,
    })
}

/// Whether the pins would bring what a project needs and does not find.
fn has_its_need_pinned(snapshot: &Snapshot, finding: &Finding) -> bool {
    let Some(needs) = finding.trouble.needs() else {
        return false;
    };
    snapshot.pinned(&needs.name).any(|pin| {
        let version = pin.version.as_ref();
        version.is_some_and(|v| needs.versions().is_none_or(|set| set.matches(v)))
    })
}

/// Whether it was placed without being pinned.
fn is_beside_the_pins(held: &Held<'_>, project: &Name) -> bool {
    held.asks_its_pins() && held.snapshot.pinned(project).next().is_none()
}

/// What the pins ask for, and a project beside that.
fn with(held: &Held<'_>, project: &Name) -> Option<Solution> {
    let mut problem = held.question_with(&[Requirement::any(project)]).ok()?;
    let there = placed::releases(held.snapshot);
    if let Some(version) = there.get(project) {
        problem.prior.insert(project.clone(), (*version).clone());
    }
    match held.run.solve(&problem, &|_| ()).ok()? {
        End::Settled(solution) => Some(solution),
        End::Clash(_) => None,
    }
}

/// What changes for some projects, and the command that changes it.
fn remedy(
    concerned: &BTreeSet<Name>,
    asks: &[Requirement],
    id: &str,
    held: &Held<'_>,
    solution: &Solution,
) -> Option<(String, Step)> {
    let there = placed::releases(held.snapshot);
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
    Some((words.join(", "), held.step(asks, &changed, solution)?))
}
