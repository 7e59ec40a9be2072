//! Code that met another release of something than the one it was built or written for: which
//! moved, and when, and the newest earlier series that solves.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::dates_of;
use eutaxis_core::offer::Chronology;
use eutaxis_core::solve::Solution;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;

use super::{Checked, Checker, Spot, offers, version_of};
use crate::words::day;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    if checker.depots.is_empty() {
        return Ok(());
    }
    let by = cause.facts.get("of").or_else(|| {
        cause
            .facts
            .get("project")
            .filter(|_| cause.id == "symbol-absent")
    });
    let by = by
        .filter(|of| of != "python")
        .and_then(|of| checker.owner(&of).or_else(|| Name::parse(&of).ok()));
    let spot = checker.spot(cause)?;
    match (by, interface(checker, cause)) {
        (by, Some(interface)) if by.as_ref() != Some(&interface) => {
            let by = match by {
                Some(by) => Some(by),
                None => needing(checker, &interface),
            };
            cause.facts.set("project", interface.as_str());
            earlier_series(checker, cause, by.as_ref(), &interface, &spot, checked)
        }
        (Some(by), _) => of_interpreter(checker, cause, &by, &spot, checked),
        _ => Ok(()),
    }
}

/// The project whose interface or name it is; none when that is the interpreter.
fn interface(checker: &Checker<'_>, cause: &Cause) -> Option<Name> {
    let facts = &cause.facts;
    let library = facts.get("library").and_then(|l| bringing(checker, &l));
    let named = facts
        .get("interface")
        .or_else(|| facts.get("project").filter(|_| cause.id != "symbol-absent"));
    let module = || facts.get("module").filter(|_| cause.id == "api-removed");
    let told = named.or_else(module).filter(|n| n != "python")?;
    let top = told.split('.').next().unwrap_or(&told).to_owned();
    if eutaxis_core::knowledge::standing(&top).is_some() {
        return None;
    }
    library
        .or_else(|| checker.owner(&top))
        .or_else(|| Name::parse(&top).ok())
}

/// The placed project that brings a library.
fn bringing(checker: &Checker<'_>, library: &str) -> Option<Name> {
    let snapshot = checker.snapshot.as_ref()?;
    let ends = |f: &eutaxis_core::examine::Owned| {
        f.path
            .rsplit('/')
            .next()
            .is_some_and(|n| n.starts_with(library))
    };
    snapshot
        .projects
        .iter()
        .find(|p| p.files.iter().any(ends))
        .map(|p| p.name.clone())
}

/// The placed project with compiled parts that needs another one, when the log does not say which
/// it was.
fn needing(checker: &Checker<'_>, interface: &Name) -> Option<Name> {
    let snapshot = checker.snapshot.as_ref()?;
    let needs = |p: &&eutaxis_core::examine::Project| {
        p.metadata
            .as_ref()
            .is_ok_and(|m| m.requires.iter().any(|r| r.name == *interface))
    };
    snapshot.projects.iter().find(needs).map(|p| p.name.clone())
}

/// Who was published when, and the newest release of an earlier series that everything settles
/// with.
fn earlier_series(
    checker: &Checker<'_>,
    cause: &mut Cause,
    by: Option<&Name>,
    interface: &Name,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let kept = |name: &Name| match checker.placed(name) {
        Some(version) => Requirement::exactly(name, version),
        None => Requirement::any(name),
    };
    let mut asks: Vec<Requirement> = by.map(kept).into_iter().collect();
    asks.push(Requirement::any(interface));
    // What was met was chosen by someone who heeded no dates.
    let mut met = checker.problem(spot, &asks, &checker.policy)?;
    met.policy.chronology = Chronology::Caution;
    let Ok(now) = checker.solve(&met)? else {
        checked.say(format!(
            "the depots have no {interface} that goes with it on {}",
            spot.shown
        ));
        return Ok(());
    };
    let told = cause
        .facts
        .get("found")
        .and_then(|f| Version::parse(&f).ok())
        .filter(|v| v.parts().release.len() > 1);
    let Some(met) = checker
        .placed(interface)
        .cloned()
        .or(told)
        .or_else(|| version_of(&now, interface))
    else {
        return Ok(());
    };
    let major = met.release_number(0);
    chronology(checker, by, interface, &now, &met, checked)?;
    let bound = format!("{interface}<{major}");
    let Ok(below) = Requirement::parse(&bound) else {
        return Ok(());
    };
    asks.pop();
    asks.push(below);
    match checker.solve(&checker.problem(spot, &asks, &checker.policy)?)? {
        Ok(solution) => {
            let version =
                version_of(&solution, interface).map_or(String::new(), |v| format!(" {v}"));
            let with = by.map_or(String::new(), |by| {
                format!(
                    ", with {by}{}",
                    version_of(&solution, by).map_or(String::new(), |v| format!(" {v}"))
                )
            });
            cause.facts.set("series", major.to_string());
            checker.solved(
                checked,
                format!("hold {interface} below {major}: {interface}{version}{with}"),
                &asks,
                spot,
                &solution,
            );
        }
        Err(_) => checked.say(format!(
            "no set of releases holds {interface} below {major}"
        )),
    }
    // Of code that was compiled for something earlier it is known that it was; of other code that
    // failed, the newest release may be what failed.
    let is_told = cause.id != "api-removed" || by.is_some_and(|by| checker.placed(by).is_some());
    newer_caller(
        checker,
        by.filter(|_| is_told),
        interface,
        &met,
        spot,
        checked,
    )
}

/// A release of what calls that was published after the series it met: it may have been built or
/// written for it.
fn newer_caller(
    checker: &Checker<'_>,
    by: Option<&Name>,
    interface: &Name,
    met: &Version,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(by) = by else { return Ok(()) };
    let began = checker.page(interface)?.and_then(|p| dates_of(&p, met).1);
    let asks = [Requirement::any(by), Requirement::exactly(interface, met)];
    let Ok(solution) = checker.solve(&checker.problem(spot, &asks, &checker.policy)?)? else {
        return Ok(());
    };
    let Some(chosen) = solution.chosen.iter().find(|c| c.project == *by) else {
        return Ok(());
    };
    let newer = checker
        .placed(by)
        .is_none_or(|placed| *placed < chosen.version);
    if let (Some(began), Some(published)) = (began, chosen.file.published)
        && newer
        && published > began
    {
        let text = format!(
            "take {by} {}, published {}, after {interface} {met} was there: it may be built for it",
            chosen.version,
            day(published)
        );
        let asks = [
            Requirement::exactly(by, &chosen.version),
            Requirement::exactly(interface, met),
        ];
        checker.solved(checked, text, &asks, spot, &solution);
    }
    Ok(())
}

/// When each was published.
fn chronology(
    checker: &Checker<'_>,
    by: Option<&Name>,
    interface: &Name,
    now: &Solution,
    met: &Version,
    checked: &mut Checked,
) -> Result<(), Error> {
    let (published, began) = checker
        .page(interface)?
        .map_or((None, None), |p| dates_of(&p, met));
    let caller = by.and_then(|by| {
        Some((
            by,
            checker
                .placed(by)
                .cloned()
                .or_else(|| version_of(now, by))?,
        ))
    });
    let of_caller = match &caller {
        Some((by, version)) => checker.page(by)?.and_then(|p| dates_of(&p, version).0),
        None => None,
    };
    let series = met.release_number(0);
    match (caller, of_caller, began.or(published)) {
        (Some((by, version)), Some(then), Some(later)) if then < later => checked.say(format!(
            "{by} {version} was published {}, and series {series} of {interface} began {}: it has \
                never met it",
            day(then),
            day(later)
        )),
        (Some((by, version)), Some(then), Some(later)) => checked.say(format!(
            "{by} {version} was published {}, after series {series} of {interface} began ({})",
            day(then),
            day(later)
        )),
        (_, _, Some(later)) => checked.say(format!(
            "series {series} of {interface} began {}",
            day(later)
        )),
        _ => {}
    }
    Ok(())
}

/// It is the interpreter that has moved: a newer release of what uses it, or an interpreter of
/// before.
fn of_interpreter(
    checker: &Checker<'_>,
    cause: &mut Cause,
    by: &Name,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let policy = offers::wheels_only(&checker.policy);
    cause.facts.set("of", by.as_str());
    let placed = checker.placed(by);
    if let Ok(solution) =
        checker.solve(&checker.problem(spot, &[Requirement::any(by)], &policy)?)?
        && let Some(version) = version_of(&solution, by)
    {
        let again = cause.id == "abi-changed";
        if placed.is_none_or(|p| *p < version) || again {
            let why = if again {
                "whose file is for"
            } else {
                "the newest that runs on"
            };
            let asks = [Requirement::exactly(by, &version)];
            let text = format!("take {by} {version}, {why} {}", spot.shown);
            checker.solved(checked, text, &asks, spot, &solution);
        }
    }
    // Of what was removed it is known since when.
    let removed = cause.facts.get("removed").and_then(|r| {
        let (major, minor) = r.split_once('.')?;
        Some((major.parse().ok()?, minor.parse().ok()?))
    });
    let kept = placed.map_or_else(|| Requirement::any(by), |v| Requirement::exactly(by, v));
    if removed.is_some() {
        offers::other_interpreter(checker, &kept, spot, &policy, removed, checked)?;
    }
    Ok(())
}
