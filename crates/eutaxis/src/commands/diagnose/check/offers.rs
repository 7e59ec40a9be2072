//! What a depot has of a project for the target: which bars, and what would fit.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::index::Page;
use eutaxis_core::knowledge::Confidence;
use eutaxis_core::offer::{Offer, Policy, Rules, Verdict, Wheels, takes};
use eutaxis_core::requirement::Accepts;
use eutaxis_core::solve::{Alternative, Chosen, Solution};
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Depth;

use super::{Checked, Checker, Spot, called, names};
use crate::words::count;

/// So many other interpreters are tried.
const MOST_TRIED: usize = 6;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(project) = checker
        .project(cause)
        .filter(|_| !checker.depots.is_empty())
    else {
        return Ok(());
    };
    let spot = checker.spot(cause)?;
    let Some(page) = checker.page(&project)? else {
        if matches!(cause.id.as_str(), "no-release-fits" | "version-unknown") {
            "name-unknown".clone_into(&mut cause.id);
            return names::absent(checker, &project, cause, checked);
        }
        return Ok(());
    };
    cause.facts.set("target", spot.shown.as_str());
    cause.facts.set("project", project.as_str());
    let requirement = requirement(cause, &project);
    let policy = wheels_only(&checker.policy);
    let adjustments = &checker.surroundings.config.adjustments;
    let rules = Rules {
        target: &spot.target,
        policy: &policy,
        adjustments,
    };
    let looked = checker
        .run
        .look(std::slice::from_ref(&requirement), &rules, Depth::Gaps)?
        .pop()
        .flatten();
    let admitted = looked
        .map(|l| l.judged.admitted(&requirement, &rules))
        .unwrap_or_default();
    let asked: Vec<&Offer> = admitted
        .iter()
        .filter(|o| takes(&requirement, &o.version))
        .collect();
    exists(cause, &requirement, &page, &asked, checked);
    if asks_for_accelerator(&cause.id) && spot.target.accelerators.is_empty() {
        checked.say(format!(
            "no accelerator is known of {}: name it with --accelerator, or the --target that has \
                it",
            spot.shown
        ));
    }
    bars(cause, &asked, &spot, checked);
    let found = fitting(checker, cause, &project, &requirement, &spot, checked)?;
    let here = found == Fit::Better;
    if found == Fit::Same {
        checked.would_not_help.push(format!(
            "placing {project} from these depots again: they have nothing else for {}",
            spot.shown
        ));
    } else if !here && admitted.iter().any(|o| o.verdict == Verdict::Ready) {
        checked.say(format!(
            "it has wheels for {}, and none goes with all that it needs, or with what else is \
                placed",
            spot.shown
        ));
    } else if !here {
        checked.would_not_help.push(format!(
            "another release of {project}: none has a file for {}",
            spot.shown
        ));
    }
    if !here {
        other_interpreter(checker, &requirement, &spot, &policy, None, checked)?;
    }
    Ok(())
}

fn asks_for_accelerator(id: &str) -> bool {
    matches!(
        id,
        "driver-too-old" | "device-unsupported" | "accelerator-build-absent" | "toolkit-absent"
    )
}

pub(super) fn wheels_only(policy: &Policy) -> Policy {
    Policy {
        wheels: Wheels::Only,
        ..policy.clone()
    }
}

/// What was asked for: of what could not be chosen its own bounds; what broke after it was chosen
/// may be replaced by any release.
fn requirement(cause: &Cause, project: &Name) -> Requirement {
    let bounded = matches!(cause.id.as_str(), "no-release-fits" | "version-unknown");
    let told = cause.facts.get("requirement").filter(|_| bounded);
    let exact = || {
        cause
            .facts
            .get("version")
            .filter(|_| bounded)
            .map(|v| format!("{project}=={v}"))
    };
    let read = told
        .or_else(exact)
        .and_then(|text| Requirement::parse_lenient(&text).ok());
    read.filter(|r| r.name == *project)
        .unwrap_or_else(|| Requirement::any(project))
}

/// Whether what was asked for exists at all decides between two causes.
fn exists(
    cause: &mut Cause,
    requirement: &Requirement,
    page: &Page,
    asked: &[&Offer],
    checked: &mut Checked,
) {
    let bounds = requirement
        .versions()
        .map_or(String::new(), ToString::to_string);
    match cause.id.as_str() {
        "no-release-fits" if asked.is_empty() && !bounds.is_empty() => {
            "version-unknown".clone_into(&mut cause.id);
            cause.facts.set("specifier", bounds);
            cause.confidence = Confidence::High;
        }
        "version-unknown" if !asked.is_empty() => "no-release-fits".clone_into(&mut cause.id),
        _ => {}
    }
    if cause.id != "version-unknown" {
        return;
    }
    let mut versions: Vec<Version> = page
        .files
        .iter()
        .map(|f| f.kind.version().clone())
        .collect();
    versions.sort();
    versions.dedup();
    if let (Some(first), Some(last)) = (versions.first(), versions.last()) {
        let number = count(versions.len(), "release");
        checked.say(format!(
            "the depots have {number} of {}, {first} to {last}",
            requirement.name
        ));
    }
    let wanted = cause
        .facts
        .get("version")
        .and_then(|v| Version::parse(&v).ok());
    if let Some(wanted) = wanted {
        let below = versions.iter().rfind(|v| **v < wanted);
        let above = versions.iter().find(|v| **v > wanted);
        let near: Vec<String> = below
            .into_iter()
            .chain(above)
            .map(ToString::to_string)
            .collect();
        checked.say(format!("nearest to {wanted}: {}", near.join(" and ")));
    }
}

/// Why the newest of what was asked for is out, and how many more are.
fn bars(cause: &mut Cause, asked: &[&Offer], spot: &Spot, checked: &mut Checked) {
    if asked.iter().any(|o| o.verdict == Verdict::Ready) {
        if cause.id == "no-release-fits" {
            checked.say(format!(
                "on {} it has a wheel that runs: the log is of another place, or older than the \
                    release",
                spot.shown
            ));
        }
        return;
    }
    let Some(newest) = asked.first() else { return };
    // The words of the log left it open; the depots do not.
    cause.confidence = Confidence::High;
    let why = newest
        .bars
        .first()
        .map_or(String::new(), |b| format!(": {b}"));
    let more = match asked.len() {
        1 => String::new(),
        n => format!(
            "; {} more that {} asked for, none with a wheel that runs",
            n - 1,
            if n == 2 { "is" } else { "are" }
        ),
    };
    checked.say(format!(
        "{} {}{why}{more}",
        cause.facts.get("project").unwrap_or_default(),
        newest.version
    ));
}

/// What the depots have for a place.
#[derive(Debug, PartialEq, Eq)]
enum Fit {
    /// Nothing.
    None,
    /// What failed, and nothing else.
    Same,
    /// Something that was told.
    Better,
}

/// Whether a choice is what failed: the same release, from the same file as far as that is known.
/// What could not be built, or not be chosen, is another thing from a wheel.
fn is_what_failed(checker: &Checker<'_>, cause: &Cause, chosen: &Chosen) -> bool {
    let ran = matches!(
        cause.id.as_str(),
        "syntax-too-new"
            | "cxx-runtime-too-old"
            | "libc-too-old"
            | "wrong-architecture"
            | "driver-too-old"
            | "device-unsupported"
            | "accelerator-build-absent"
            | "toolkit-absent"
    );
    let Some(snapshot) = checker.snapshot.as_ref().filter(|_| ran) else {
        return false;
    };
    let Some(placed) = snapshot.visible(&chosen.project) else {
        return false;
    };
    let file = placed.wheel.as_ref().map(|(file, _)| file.as_str());
    placed.version.as_ref() == Some(&chosen.version)
        && file.is_none_or(|f| f == &*chosen.file.filename)
}

/// The newest release with a wheel that runs on the target, if it is not the one that failed.
fn fitting(
    checker: &Checker<'_>,
    cause: &Cause,
    project: &Name,
    requirement: &Requirement,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<Fit, Error> {
    let policy = wheels_only(&checker.policy);
    // As it was asked for, if that can be; else any release.
    let mut tried = vec![requirement.clone()];
    if matches!(&requirement.accepts, Accepts::Versions(set) if !set.to_string().is_empty()) {
        tried.push(Requirement::any(project));
    }
    let mut fit = Fit::None;
    for requirement in tried {
        let Ok(solution) = checker.solve(&checker.problem(spot, &[requirement], &policy)?)? else {
            continue;
        };
        let Some(chosen) = solution.chosen.iter().find(|c| c.project == *project) else {
            continue;
        };
        if is_what_failed(checker, cause, chosen) {
            fit = Fit::Same;
            continue;
        }
        let text = taken(chosen, cause, spot, &solution);
        let asks = [Requirement::exactly(project, &chosen.version)];
        checker.solved(checked, text, &asks, spot, &solution);
        return Ok(Fit::Better);
    }
    Ok(fit)
}

fn taken(chosen: &Chosen, cause: &Cause, spot: &Spot, solution: &Solution) -> String {
    let file = &chosen.file.filename;
    let size = chosen
        .file
        .size
        .map_or(String::new(), |s| format!(", {}", crate::words::size(s)));
    let others = match solution.chosen.len() {
        1 => String::new(),
        n => format!(", {n} projects in all"),
    };
    let what = match cause.id.as_str() {
        id if asks_for_accelerator(id) => {
            format!(
                "take {} {}, which {} runs",
                chosen.project, chosen.version, spot.shown
            )
        }
        id if id.starts_with("build-") || id == "header-missing" || id == "memory-exhausted" => {
            format!(
                "take {} {}, which has a wheel for {} and needs no building",
                chosen.project, chosen.version, spot.shown
            )
        }
        _ => format!(
            "take {} {}, the newest with a wheel that runs on {}",
            chosen.project, chosen.version, spot.shown
        ),
    };
    format!("{what} ({file}{size}{others})")
}

/// Another interpreter under which it settles: one that is here, else the newest that would do.
/// With `below` only series below it.
pub(super) fn other_interpreter(
    checker: &Checker<'_>,
    requirement: &Requirement,
    spot: &Spot,
    policy: &Policy,
    below: Option<(u64, u64)>,
    checked: &mut Checked,
) -> Result<bool, Error> {
    if checked.keeps_interpreter {
        return Ok(false);
    }
    let others = checker.others(spot);
    let admitted = |a: &&Alternative| below.is_none_or(|b| a.target.interpreter.series() < b);
    let (mut here, mut elsewhere) = (0, 0);
    for other in others.iter().filter(admitted) {
        let tried = if other.here {
            &mut here
        } else {
            &mut elsewhere
        };
        *tried += 1;
        if *tried > MOST_TRIED {
            continue;
        }
        let other_spot = checker.spot_with(spot, other);
        let asks = std::slice::from_ref(requirement);
        let Ok(solution) = checker.solve(&checker.problem(&other_spot, asks, policy)?)? else {
            continue;
        };
        let number = count(solution.chosen.len(), "project");
        let interpreter = called(&other.target.interpreter);
        let text = match other.here {
            true => format!("use {interpreter}, here at {}: {number}", other.name),
            false if spot.here => format!("use {interpreter}, which is not here: {number}"),
            false => format!("use {interpreter}: {number}"),
        };
        checked.solved(text, checker.settle(asks, &other_spot));
        return Ok(true);
    }
    Ok(false)
}
