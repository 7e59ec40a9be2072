//! The releases whose files have the name that code takes.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;

use super::super::{Checked, Checker, Spot};
use super::{kept, with_version};
use crate::proof::bearers::{Bearing, bearing, has};

/// The newest releases that have the name which code takes: those before it went, or those since it
/// came. Whether one was told.
pub(super) fn with_name(
    checker: &Checker<'_>,
    cause: &mut Cause,
    by: Option<&Name>,
    interface: &Name,
    met: &Version,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<bool, Error> {
    let (module, name) = (cause.facts.get("module"), cause.facts.get("name"));
    let (Some(module), Some(name)) = (module, name) else {
        return Ok(false);
    };
    let sought = (module.as_str(), Some(name.as_str()));
    let mut asks: Vec<Requirement> = by.map(|by| kept(checker, by)).into_iter().collect();
    asks.push(Requirement::any(interface));
    let problem = checker.problem(spot, &asks, &checker.policy)?;
    // The release that ran lacks it, where it is known which that was.
    let placed = checker.placed(interface);
    let told = cause.facts.get("found").is_some();
    let lacking = placed.or(Some(met).filter(|_| told));
    let bound = match bearing(&checker.run, &problem, interface, sought, lacking)? {
        Bearing::Within(bound) | Bearing::Mentioned(bound) => bound,
        Bearing::Newest => String::new(),
        Bearing::None | Bearing::Unknown => return Ok(false),
    };
    let Ok(bounded) = Requirement::parse(&format!("{interface}{bound}")) else {
        return Ok(false);
    };
    asks.pop();
    asks.push(bounded);
    let Some(solution) = checker.settled(spot, &asks)? else {
        checked.say(format!(
            "{interface}{bound} has {module}.{name}, and does not go with what else is asked for"
        ));
        return Ok(false);
    };
    let Some(chosen) = solution.chosen.iter().find(|c| c.project == *interface) else {
        return Ok(false);
    };
    let has = has(&checker.run, chosen, sought);
    if has == Some(false) {
        return Ok(false);
    }
    if let Some(series) = bound.strip_prefix('<') {
        cause.facts.set("series", series);
    }
    let version = chosen.version.clone();
    let with = by.map_or(String::new(), |by| {
        format!(", with {}", with_version(&solution, by))
    });
    // A module that makes its names while it runs tells no more than that it speaks of one.
    let does = match has {
        Some(_) => "has",
        None => "still speaks of",
    };
    let what = match bound.strip_prefix('<') {
        Some(series) => format!("hold {interface} below {series}: {version} {does} {name}{with}"),
        None => format!("take {interface} {version}, which {does} {name}{with}"),
    };
    checker.shown_by_files(checked, (what, has.is_some()), &asks, spot, &solution);
    not_yet(cause, interface, &bound, checker.placed(interface));
    Ok(true)
}

/// A name that came later than the release that is placed is not gone: the release is too old for the
/// code.
fn not_yet(cause: &mut Cause, interface: &Name, bound: &str, placed: Option<&Version>) {
    let (Some(since), true) = (bound.strip_prefix(">="), cause.id == "api-removed") else {
        return;
    };
    "stale-dependency".clone_into(&mut cause.id);
    cause.facts.set("since", since);
    cause.facts.set("found_project", interface.as_str());
    placed
        .into_iter()
        .for_each(|v| cause.facts.set("found", v.to_string()));
}
