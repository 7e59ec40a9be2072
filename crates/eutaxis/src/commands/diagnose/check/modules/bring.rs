//! The project that brings a module, in a release that has it.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::knowledge::bringing;
use eutaxis_core::remedy::Step;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;

use super::super::{Checked, Checker, Spot, offers};
use crate::proof::bearers::{Bearing, bearing, has, in_newest};
use crate::words::count;

/// So many parts of a module's name may be those of a project.
const MOST_PARTS: usize = 4;

/// So many projects of a depot on disk are looked into.
const MOST_LOOKED_AT: usize = 1000;

/// The project that brings it, from the depots: it must have the module, in the release that is
/// named.
pub(super) fn place_it(
    checker: &Checker<'_>,
    cause: &Cause,
    (module, wanted): (&str, &str),
    provider: Option<Name>,
    checked: &mut Checked,
) -> Result<(), Error> {
    let usual = bringing(wanted);
    // The last part of what an import takes may be a name of a module.
    let above = wanted.rsplit_once('.').map(|(above, _)| above);
    let above = above.filter(|above| above.len() >= module.len() && wanted != module);
    if checker.depots.is_empty() {
        if let (None, [first, ..]) = (&provider, usual.as_slice()) {
            let text = format!("ask for the project {first}, which usually brings {module}");
            checked.suggest(text, None);
        }
        return Ok(());
    }
    let spot = checker.spot(cause)?;
    let mut unknown: Option<Name> = None;
    for project in may_bring(checker, wanted, provider, &usual)? {
        let policy = offers::wheels_only(&checker.policy);
        let problem = checker.problem(&spot, &[Requirement::any(&project)], &policy)?;
        let lacking = checker.placed(&project);
        let mut bears = (Bearing::None, wanted);
        for path in std::iter::once(wanted).chain(above) {
            let sought = (path, None);
            if in_newest(&checker.run, &problem, &project, sought, lacking)? == Some(true) {
                bears = (Bearing::Newest, path);
                break;
            }
        }
        if bears.0 == Bearing::None {
            let path = above.unwrap_or(wanted);
            let sought = (path, None);
            bears = (
                bearing(&checker.run, &problem, &project, sought, lacking)?,
                path,
            );
        }
        let (bears, path) = bears;
        match bears {
            Bearing::Newest => {
                return bring(checker, &spot, (path, &project), None, checked);
            }
            Bearing::Within(bound) => {
                let bound = Some(bound.as_str());
                return bring(checker, &spot, (path, &project), bound, checked);
            }
            Bearing::Unknown => {
                unknown.get_or_insert(project);
            }
            Bearing::Mentioned(_) => {}
            Bearing::None if checker.page(&project)?.is_none() => {}
            Bearing::None => runs_nowhere_or_lacks_it(checker, &spot, path, &project, checked)?,
        }
    }
    match unknown {
        Some(project) => {
            // A name alone is no proof: what bears it may be another project.
            let text = format!(
                "look at the project {project}; whether it brings {module} could not be read"
            );
            checked.suggest(
                text,
                checker.fitted(cause, Step::shortlist(project.as_str())),
            );
        }
        None if checked.remedies.is_empty() => checked.say(format!(
            "no project of the depots is known to bring {module}"
        )),
        None => {}
    }
    Ok(())
}

/// Why a project that may bring it does not: none of its files is for the place, or it bears the
/// name and is another thing.
fn runs_nowhere_or_lacks_it(
    checker: &Checker<'_>,
    spot: &Spot,
    module: &str,
    project: &Name,
    checked: &mut Checked,
) -> Result<(), Error> {
    let policy = offers::wheels_only(&checker.policy);
    let requirement = Requirement::any(project);
    let asks = std::slice::from_ref(&requirement);
    if checker
        .solve(&checker.problem(spot, asks, &policy)?)?
        .is_ok()
    {
        checked.say(format!(
            "{project} bears a name like it, and its files do not bring {module}"
        ));
        return Ok(());
    }
    checked.say(format!(
        "{project} has no release with a wheel that runs on {}",
        spot.shown
    ));
    offers::other_interpreter(checker, &requirement, spot, &policy, None, checked)?;
    Ok(())
}

/// A release of a project that brings the module, with all that it needs.
fn bring(
    checker: &Checker<'_>,
    spot: &Spot,
    (module, project): (&str, &Name),
    bound: Option<&str>,
    checked: &mut Checked,
) -> Result<(), Error> {
    let ask = format!("{project}{}", bound.unwrap_or_default());
    let Ok(requirement) = Requirement::parse(&ask) else {
        return Ok(());
    };
    let asks = [requirement];
    let problem = checker.problem(spot, &asks, &checker.policy)?;
    let Some(solution) = checker.settled(spot, &asks)? else {
        checked.say(format!(
            "{ask} brings {module}, and does not go with what else is asked for on {}",
            spot.shown
        ));
        return Ok(());
    };
    let Some(chosen) = solution.chosen.iter().find(|c| c.project == *project) else {
        return Ok(());
    };
    let version = chosen.version.clone();
    let has = has(&checker.run, chosen, (module, None));
    if has == Some(false) {
        // What else is asked for may lead to another release than the newest.
        let lacking = Some(&version).filter(|_| bound.is_none());
        let sought = (module, None);
        if lacking.is_some()
            && let Bearing::Within(bound) =
                bearing(&checker.run, &problem, project, sought, lacking)?
        {
            let bound = Some(bound.as_str());
            return bring(checker, spot, (module, project), bound, checked);
        }
        return Ok(());
    }
    let number = count(solution.chosen.len(), "project");
    let newer = match bound {
        Some(_) => ", the newest that does",
        None => "",
    };
    let text = format!("place {project} {version}, which brings {module}{newer}: {number}");
    checker.shown_by_files(checked, (text, has.is_some()), &asks, spot, &solution);
    Ok(())
}

/// Projects that may bring a module, the likeliest first: the one that brings it elsewhere here, what
/// usually does, those named like the module or what it lies in, and what the depots on this disk
/// hold.
fn may_bring(
    checker: &Checker<'_>,
    module: &str,
    provider: Option<Name>,
    usual: &[&str],
) -> Result<Vec<Name>, Error> {
    let mut names: Vec<Name> = provider.into_iter().collect();
    names.extend(checker.owner(module));
    names.extend(usual.iter().filter_map(|n| Name::parse(n).ok()));
    let parts: Vec<&str> = module.split('.').collect();
    let prefixes = (1..=parts.len().min(MOST_PARTS)).rev();
    let own = prefixes.filter_map(|n| Name::parse(&parts.get(..n)?.join("-")).ok());
    names.extend(own);
    if !checker.depots.are_remote() {
        let top = parts.first().copied().unwrap_or(module);
        let all = checker.depots.projects();
        for name in all.into_iter().take(MOST_LOOKED_AT) {
            if !names.contains(&name) && brings(checker, &name, top)? {
                names.push(name);
            }
        }
    }
    let mut seen = std::collections::BTreeSet::new();
    names.retain(|n| seen.insert(n.clone()));
    Ok(names)
}

/// Whether the newest wheel of a project in a depot on this disk brings a module, by its metadata or
/// its files.
fn brings(checker: &Checker<'_>, name: &Name, module: &str) -> Result<bool, Error> {
    let Some(page) = checker.page(name)? else {
        return Ok(false);
    };
    let wheels = page.files.iter().filter(|f| f.filename.ends_with(".whl"));
    let Some(newest) = wheels.max_by(|a, b| a.kind.version().cmp(b.kind.version())) else {
        return Ok(false);
    };
    let is_it = |m: &String| m.split(['.', ' ', ';']).next() == Some(module);
    let metadata = checker.run.metadata(name, &newest.filename)?;
    let stated = metadata.as_ref().map(|m| &m.import_names);
    if let Some(names) = stated.filter(|names| !names.is_empty()) {
        return Ok(names.iter().any(is_it));
    }
    let Ok(path) = checker.run.obtain(name, newest) else {
        return Ok(false);
    };
    Ok(eutaxis_world::wheel::top_modules(&path).iter().any(is_it))
}
