//! An independent check of a solution against the problem, its files and the metadata: it shares
//! nothing with the search, so that an unsound answer is found before it leaves the program.

use crate::offer::{Adjustment, Effect, has_stated, hashes_of, requirements};
use eutaxis_standards::artifact::{Metadata, NULL_LABEL};
use eutaxis_standards::index::FileKind;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Accepts, Requirement};

use super::problem::Problem;
use super::solution::{Chosen, Solution};

/// Checks that every ask and bound holds, every need of every chosen release is met, and every file
/// is for the target.
///
/// # Errors
/// What does not hold, in words.
pub fn verify<'a>(
    problem: &Problem,
    solution: &Solution,
    metadata: &dyn Fn(&Name, &str) -> Option<&'a Metadata>,
) -> Result<(), String> {
    let chosen = |name: &Name| solution.chosen.iter().find(|c| c.project == *name);
    let meets = |who: &str, requirement: &Requirement| {
        let Some(found) = chosen(&requirement.name) else {
            return Err(format!("{who} needs {requirement}, which was not chosen"));
        };
        let fits = match &requirement.accepts {
            Accepts::Versions(set) => set.matches(&found.version),
            Accepts::Url(_) => true,
        };
        let extras = requirement.extras.iter().all(|e| found.extras.contains(e));
        if fits && extras {
            Ok(())
        } else {
            Err(format!(
                "{who} needs {requirement}; {} was chosen",
                found.version
            ))
        }
    };
    for (_, ask) in problem.asks_in_force() {
        meets("the user", &ask.requirement)?;
    }
    for (_, bound) in problem.bounds_in_force() {
        if chosen(&bound.requirement.name).is_some() {
            meets("a bound", &bound.requirement)?;
        }
    }
    for c in &solution.chosen {
        let Some(metadata) = metadata(&c.project, &c.file.filename) else {
            return Err(format!("{} was chosen unseen", c.project));
        };
        is_for(c, metadata, problem)?;
        let extras: Vec<Name> = c
            .extras
            .iter()
            .filter(|e| metadata.extras.contains(e))
            .cloned()
            .collect();
        let stated = requirements(
            metadata,
            &c.project,
            &c.version,
            &problem.target,
            &problem.adjustments,
        );
        for (need, _) in &stated {
            if need
                .marker
                .as_ref()
                .is_none_or(|m| m.wanted(&problem.target.markers, &extras))
            {
                meets(c.project.as_str(), need)?;
            }
        }
        let build = |c: &'_ Chosen| c.build.clone().filter(|b| b.ties(&problem.target));
        let other = |o: &&Chosen| match (build(o), build(c)) {
            (Some(theirs), Some(mine)) => !theirs.made_for.goes_with(&mine.made_for),
            _ => false,
        };
        if let Some(other) = solution.chosen.iter().find(other) {
            return Err(format!(
                "{} and {} were made for different toolkits",
                c.project, other.project
            ));
        }
        if c.asked_by.is_empty() {
            return Err(format!("nobody asks for {}", c.project));
        }
    }
    Ok(())
}

/// Whether a chosen file is for the target: its tags, and the interpreters that it names (its
/// page's word counts first).
fn is_for(chosen: &Chosen, metadata: &Metadata, problem: &Problem) -> Result<(), String> {
    let Chosen {
        project,
        version,
        file,
        ..
    } = chosen;
    if *file.kind.version() != *version {
        return Err(format!(
            "{} is no file of {project} {version}",
            file.filename
        ));
    }
    if let FileKind::Wheel(name) = &file.kind
        && problem.target.rank(&name.tags).is_none()
    {
        return Err(format!("{} does not fit the target", file.filename));
    }
    let label = chosen.variant().filter(|l| *l != NULL_LABEL);
    if label.is_some() && chosen.properties.is_empty() {
        return Err(format!("nothing describes the variant {}", file.filename));
    }
    if let Err(miss) = problem.target.supports(&chosen.properties) {
        return Err(format!("{} is {miss}", file.filename));
    }
    let python = file
        .requires_python
        .as_deref()
        .or(metadata.requires_python.as_ref());
    if let Some(set) = python.filter(|set| !set.matches(&problem.target.interpreter.version)) {
        return Err(format!("{project} {version} needs Python {set}"));
    }
    let mut hashed = problem
        .adjustments
        .iter()
        .filter(|a| a.speaks_of(project, version, &problem.target))
        .filter_map(hashes_of);
    if hashed.any(|stated| has_stated(&file.hashes, stated) == Some(false)) {
        return Err(format!("{} has none of the stated hashes", file.filename));
    }
    let avoids = |a: &&Adjustment| {
        a.effect == Effect::Avoid && a.speaks_of(project, version, &problem.target)
    };
    match problem.adjustments.iter().find(avoids) {
        Some(_) => Err(format!("{project} {version} is to be avoided")),
        None => Ok(()),
    }
}
