//! Code that met another release of something than the one it was built or written for: which
//! moved, and when, and the newest earlier series that solves.

mod interpreter;
mod named;
mod younger;

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::dates_of;
use eutaxis_core::offer::Chronology;
use eutaxis_core::solve::Solution;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;

use super::{Checked, Checker, Spot, version_of};
use crate::proof::bearers::has;
use crate::words::day;
use interpreter::of_interpreter;
use named::with_name;
pub(super) use younger::beside_what_is_younger;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    if checker.depots.is_empty() {
        if let Some(interface) = interface(checker, cause).filter(|_| cause.id == "api-removed") {
            earlier(cause, &interface, checked);
        }
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
        .and_then(|of| checker.project_of(&of));
    let spot = checker.spot(cause)?;
    moved_to(checker, cause, &spot, checked)?;
    // Code of a project that lacks its own name was asked for it by somebody else.
    let is_own = |by: &Name, interface: &Name| by == interface && cause.id != "api-removed";
    match (by, interface(checker, cause)) {
        (Some(by), Some(interface)) if is_own(&by, &interface) => {
            of_interpreter(checker, cause, &by, &spot, checked)
        }
        (by, Some(interface)) => {
            let by = by.filter(|by| *by != interface);
            let by =
                by.or_else(|| needing(checker, &interface).filter(|_| cause.id != "api-removed"));
            cause.facts.set("project", interface.as_str());
            earlier_series(checker, cause, by.as_ref(), &interface, &spot, checked)
        }
        // An object of a project lacks what its class once had.
        (Some(by), None) if cause.id == "api-removed" && cause.facts.get("class").is_some() => {
            cause.facts.set("project", by.as_str());
            earlier_series(checker, cause, None, &by, &spot, checked)
        }
        (Some(by), None) => of_interpreter(checker, cause, &by, &spot, checked),
        (None, None) => Ok(()),
    }
}

/// What can be said without a depot: which project is to be held back, and to where, as far as the
/// log tells.
fn earlier(cause: &Cause, interface: &Name, checked: &mut Checked) {
    let told = cause
        .facts
        .get("version")
        .or_else(|| cause.facts.get("found"));
    let series = told
        .and_then(|v| Version::parse(&v).ok())
        .map(|v| v.release_number(0));
    let text = match series.filter(|major| *major > 0) {
        Some(major) => format!("hold {interface} below {major}: ask for {interface}<{major}"),
        None => format!(
            "hold {interface} to an earlier release than the one that ran, in which the name was \
                still there: ask for {interface}<VERSION"
        ),
    };
    checked.suggest(text, None);
}

/// The project to which the message says that a name was moved.
fn moved_to(
    checker: &Checker<'_>,
    cause: &Cause,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let (Some(to), Some(name)) = (cause.facts.get("moved_to"), cause.facts.get("name")) else {
        return Ok(());
    };
    let Ok(project) = Name::parse(&to) else {
        return Ok(());
    };
    let asks = [Requirement::any(&project)];
    if checker.page(&project)?.is_none() {
        return Ok(());
    }
    if let Some(solution) = checker.settled(spot, &asks)? {
        let version = with_version(&solution, &project);
        let module = project.as_str().replace('-', "_");
        let text = format!("place {version}, and take {name} from it in the code ({module})");
        checker.solved(checked, text, &asks, spot, &solution);
    }
    Ok(())
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
    let project = library.or_else(|| checker.project_of(&top))?;
    // What is not placed where it happened was not met there.
    let is_there = checker.snapshot.is_none() || checker.placed(&project).is_some();
    is_there.then_some(project)
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
    let mut asks: Vec<Requirement> = by.map(|by| kept(checker, by)).into_iter().collect();
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
    if !with_name(checker, cause, by, interface, &met, spot, checked)? {
        below_series(checker, cause, by, (interface, major), asks, spot, checked)?;
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

/// The newest release of the series before one, which everything settles with.
fn below_series(
    checker: &Checker<'_>,
    cause: &mut Cause,
    by: Option<&Name>,
    (interface, major): (&Name, u64),
    mut asks: Vec<Requirement>,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let bound = format!("{interface}<{major}");
    let Ok(below) = Requirement::parse(&bound) else {
        return Ok(());
    };
    asks.pop();
    asks.push(below);
    match checker.settled(spot, &asks)? {
        Some(solution) if lacks_it_as_well(checker, cause, interface, &solution) => {
            let version = with_version(&solution, interface);
            checked.say(format!(
                "{version}, the newest below {major}, does not have it either"
            ));
        }
        Some(solution) => {
            let version =
                version_of(&solution, interface).map_or(String::new(), |v| format!(" {v}"));
            let with = by.map_or(String::new(), |by| {
                format!(", with {}", with_version(&solution, by))
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
        None if by.is_some() => checked.say(format!(
            "no set of releases holds {interface} below {major}"
        )),
        None => {}
    }
    Ok(())
}

/// Whether the files of a release show that it lacks the name, too.
fn lacks_it_as_well(
    checker: &Checker<'_>,
    cause: &Cause,
    interface: &Name,
    solution: &Solution,
) -> bool {
    let (module, name) = (cause.facts.get("module"), cause.facts.get("name"));
    let chosen = solution.chosen.iter().find(|c| c.project == *interface);
    match (module, name, chosen) {
        (Some(module), Some(name), Some(chosen)) => {
            has(&checker.run, chosen, (module.as_str(), Some(name.as_str()))) == Some(false)
        }
        _ => false,
    }
}

fn with_version(solution: &Solution, name: &Name) -> String {
    let version = version_of(solution, name).map_or(String::new(), |v| format!(" {v}"));
    format!("{name}{version}")
}

/// What code of a project is asked for: the release that is placed.
pub(super) fn kept(checker: &Checker<'_>, name: &Name) -> Requirement {
    match checker.placed(name) {
        Some(version) => Requirement::exactly(name, version),
        None => Requirement::any(name),
    }
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
    let asks = [
        newer_than_placed(checker, by),
        Requirement::exactly(interface, met),
    ];
    let Some(solution) = checker.settled(spot, &asks)? else {
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

/// A project, in a newer release than the one that is placed.
fn newer_than_placed(checker: &Checker<'_>, name: &Name) -> Requirement {
    let newer = checker.placed(name).map(|v| format!("{name}>{v}"));
    let asked = newer.and_then(|text| Requirement::parse(&text).ok());
    asked.unwrap_or_else(|| Requirement::any(name))
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
