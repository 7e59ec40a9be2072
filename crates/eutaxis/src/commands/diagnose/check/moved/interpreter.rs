//! It is the interpreter that has moved.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::solve::Chosen;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;

use super::super::{Checked, Checker, Spot, offers};
use super::{kept, newer_than_placed};
use crate::proof::bearers::takes_whatever;

/// Whether the same source of a release takes what the interpreter does not have.
fn takes_it_as_well(checker: &Checker<'_>, cause: &Cause, chosen: &Chosen) -> bool {
    let (module, name) = (cause.facts.get("module"), cause.facts.get("name"));
    let file = cause.facts.get("file");
    let file = file.as_deref().and_then(among_packages);
    match (module, file) {
        (Some(module), Some(file)) => {
            takes_whatever(&checker.run, chosen, file, (&module, name.as_deref()))
        }
        _ => false,
    }
}

/// A file's path from the folder of packages on.
fn among_packages(path: &str) -> Option<&str> {
    let folders = ["site-packages/", "dist-packages/"];
    folders.iter().find_map(|f| Some(path.rsplit_once(f)?.1))
}

/// It is the interpreter that has moved: a newer release of what uses it, or an interpreter of
/// before.
pub(super) fn of_interpreter(
    checker: &Checker<'_>,
    cause: &mut Cause,
    by: &Name,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let policy = offers::wheels_only(&checker.policy);
    cause.facts.set("of", by.as_str());
    let placed = checker.placed(by);
    let again = cause.id == "abi-changed";
    let asked = if again {
        Requirement::any(by)
    } else {
        newer_than_placed(checker, by)
    };
    if let Ok(solution) = checker.solve(&checker.problem(spot, &[asked], &policy)?)?
        && let Some(chosen) = solution.chosen.iter().find(|c| c.project == *by)
        && (again || placed.is_none_or(|p| *p < chosen.version))
    {
        let version = &chosen.version;
        if takes_it_as_well(checker, cause, chosen) {
            checked.say(format!("{by} {version} takes it as well"));
        } else {
            let why = match again {
                true => "whose file is for",
                false => "the newest that runs on",
            };
            let asks = [Requirement::exactly(by, version)];
            let text = format!("take {by} {version}, {why} {}", spot.shown);
            checker.solved(checked, text, &asks, spot, &solution);
        }
    }
    // Of what was removed it is known since when.
    let removed = cause.facts.get("removed").and_then(|r| {
        let (major, minor) = r.split_once('.')?;
        Some((major.parse().ok()?, minor.parse().ok()?))
    });
    if removed.is_some() {
        let kept = kept(checker, by);
        offers::other_interpreter(checker, &kept, spot, &policy, removed, checked)?;
    }
    Ok(())
}
