//! Remedies that were solved to the end: what the depots have that mends a finding, together with everything else that is placed.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::examine::{Finding, Project, Snapshot, unmet};
use eutaxis_core::fault::Origin;
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_core::{Ask, Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::{Outcome as End, Run};

use crate::cli::DepotOptions;
use crate::output::Output;
use crate::plan::Surroundings;
use crate::typed::{self, quoted};

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
/// A command with more requirements than this is not one that people read.
const MOST_ASKS: usize = 8;

/// Solves for what is placed, with its needs met and files that run here, and says of each finding what that changes.
pub(super) fn solve(
    findings: &mut [Finding],
    snapshot: &Snapshot,
    run: &Run,
    surroundings: &Surroundings,
    options: &DepotOptions,
    output: &Output,
) {
    if !findings.iter().any(|f| MENDED_BY_PLACING.contains(&f.id)) {
        return;
    }
    let solved = problem(snapshot, surroundings, run).and_then(|problem| run.solve(&problem, &|_| ()));
    let solution = match solved {
        Ok(End::Settled(solution)) => solution,
        Ok(End::Clash(_)) => {
            return output
                .notice("no set of releases of the depots holds all that is placed: remedies were not solved");
        }
        Err(error) => return output.notice(&format!("remedies were not solved: {}", error.message)),
    };
    let needs = unmet(snapshot);
    for finding in findings.iter_mut().filter(|f| MENDED_BY_PLACING.contains(&f.id)) {
        let Some(project) = finding.project.clone() else { continue };
        // What is pinned is brought back to its pin.
        if snapshot.pins.as_ref().is_some_and(|p| p.entries.iter().any(|e| e.name == project)) {
            finding.remedy = format!("bring it to the pins:  {}", snapshot.furnish());
            continue;
        }
        // What the project needs and does not find, and the project itself.
        let mut concerned: BTreeSet<Name> = BTreeSet::from([project.clone()]);
        if matches!(finding.id, "unmet-requirement" | "version-clash") {
            let of = |u: &&eutaxis_core::examine::Unmet| snapshot.projects.get(u.by).is_some_and(|p| p.name == project);
            concerned.extend(
                needs.iter().filter(of).map(|u| u.needs.name.clone()).filter(|n| finding.evidence.contains(n.as_str())),
            );
        }
        if let Some((words, command)) = remedy(&concerned, finding.id, snapshot, &solution, &typed::depots(options)) {
            finding.remedy = format!("{words} (solved: {} projects):  {command}", solution.chosen.len());
            finding.verified = true;
        }
    }
}

/// What is placed as a question: the projects that nobody brought, with the releases that are there where they hold. Of those that
/// the depots do not have only the needs count.
fn problem(snapshot: &Snapshot, surroundings: &Surroundings, run: &Run) -> Result<Problem, Error> {
    let names: Vec<Name> = snapshot.here().map(|(_, p)| p.name.clone()).collect();
    let pages = run.pages(&names)?;
    let known: BTreeSet<&Name> = names.iter().zip(&pages).filter(|(_, page)| page.is_some()).map(|(n, _)| n).collect();
    let counts = |r: &&Requirement| r.marker.as_ref().is_none_or(|m| m.holds(&snapshot.target.markers, None));
    let needs = |p: &Project| p.metadata.iter().flat_map(|m| &m.requires).filter(counts).cloned().collect::<Vec<_>>();
    let needed: BTreeSet<Name> = snapshot.here().flat_map(|(_, p)| needs(p)).map(|r| r.name).collect();
    let mut asked: Vec<Requirement> = Vec::new();
    for (_, project) in snapshot.here() {
        match known.contains(&project.name) {
            true if project.requested || !needed.contains(&project.name) => asked.push(Requirement::any(&project.name)),
            true => {}
            false => asked.extend(needs(project).into_iter().filter(|r| known.contains(&r.name))),
        }
    }
    let asks = asked.into_iter().map(|requirement| Ask { requirement, origin: Origin::Argument }).collect();
    let mut problem = Problem::new(snapshot.target.clone(), surroundings.config.policy.clone(), asks);
    problem.adjustments.clone_from(&surroundings.config.adjustments);
    problem.prior = snapshot.here().filter_map(|(_, p)| Some((p.name.clone(), p.version.clone()?))).collect();
    Ok(problem)
}

/// What changes for some projects, and the command that changes it.
fn remedy(
    concerned: &BTreeSet<Name>,
    id: &str,
    snapshot: &Snapshot,
    solution: &Solution,
    depots: &str,
) -> Option<(String, String)> {
    let placed: BTreeMap<&Name, &Version> =
        snapshot.here().filter_map(|(_, p)| Some((&p.name, p.version.as_ref()?))).collect();
    let mut words = Vec::new();
    let mut changed: Vec<&Chosen> = Vec::new();
    for chosen in solution.chosen.iter().filter(|c| concerned.contains(&c.project)) {
        let (project, version) = (&chosen.project, &chosen.version);
        match placed.get(project) {
            None => words.push(format!("place {project} {version}")),
            Some(before) if *before != version => words.push(format!("{project} {version} in place of {before}")),
            // Its release stays, and its file is another, or is placed once more.
            Some(_) if !matches!(id, "unmet-requirement" | "version-clash") => {
                words.push(format!("{project} {version} again, from {}", chosen.file.filename));
            }
            Some(_) => continue,
        }
        changed.push(chosen);
    }
    if changed.is_empty() {
        return None;
    }
    // What they need is named with them, as it was solved.
    let mut asks: Vec<&Chosen> = changed.clone();
    let mut at = 0;
    while let Some(one) = asks.get(at).copied() {
        at += 1;
        for need in &one.needs {
            let other = solution.chosen.iter().find(|c| c.project == *need);
            asks.extend(other.filter(|o| !asks.iter().any(|a| a.project == o.project)));
        }
    }
    let first = changed.first()?;
    let at = quoted(&snapshot.name);
    if asks.len() > MOST_ASKS {
        let ask = quoted(&format!("{}=={}", first.project, first.version));
        return Some((words.join(", "), format!("eutaxis rehearse {ask} --in {at}{depots}")));
    }
    let asks: Vec<String> = asks.iter().map(|c| quoted(&format!("{}=={}", c.project, c.version))).collect();
    let interpreter = quoted(&crate::render::near(std::path::Path::new(&snapshot.python)));
    let settle = format!("eutaxis settle {} --interpreter {interpreter}{depots} --out mend.toml", asks.join(" "));
    Some((words.join(", "), format!("{settle} && eutaxis furnish mend.toml --at {at}{depots}")))
}
