//! Code that met another release of something than the one it was built or written for: which
//! moved, and when, and the newest earlier series that solves.

use std::path::Path;

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::dates_of;
use eutaxis_core::offer::Chronology;
use eutaxis_core::solve::{Chosen, Solution};
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;
use jiff::Timestamp;

use super::{Checked, Checker, Spot, offers, version_of};
use crate::proof::bearers::{Bearing, bearing, has, speaking, takes_whatever};
use crate::words::day;

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

/// The newest releases that have the name which code takes: those before it went, or those since it
/// came. Whether one was told.
fn with_name(
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
    match has {
        Some(_) => checker.shown_by_files(checked, what, &asks, spot, &solution),
        None => checker.solved(checked, what, &asks, spot, &solution),
    }
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

fn with_version(solution: &Solution, name: &Name) -> String {
    let version = version_of(solution, name).map_or(String::new(), |v| format!(" {v}"));
    format!("{name}{version}")
}

/// What code of a project is asked for: the release that is placed.
fn kept(checker: &Checker<'_>, name: &Name) -> Requirement {
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

/// So many of what a project needs are held back, each by itself.
const MOST_HELD: usize = 2;

/// So many sources of a project are looked through for what was called.
const MOST_SOURCES: usize = 400;

/// The module of a placed project that defines a class or a function.
fn defining(checker: &Checker<'_>, project: &Name, called: &str) -> Option<String> {
    let snapshot = checker.snapshot.as_ref()?;
    let placed = snapshot.visible(project)?;
    let folder = &snapshot.path.get(placed.entry)?.folder;
    let sources = placed.files.iter().map(|f| f.path.as_str());
    let sources = sources.filter(|p| p.ends_with(".py")).take(MOST_SOURCES);
    let begins = |line: &str| {
        let line = line.trim_start();
        let rest = line
            .strip_prefix("class ")
            .or_else(|| line.strip_prefix("def "));
        rest.and_then(|r| r.strip_prefix(called))
            .is_some_and(|r| r.starts_with(['(', ':']))
    };
    let has = |path: &&str| {
        let text = eutaxis_world::files::read_text(Path::new(path));
        text.is_ok_and(|text| text.lines().any(begins))
    };
    let path = sources.into_iter().find(has)?;
    let inside = path.strip_prefix(folder.as_str())?.trim_start_matches('/');
    let module = inside
        .strip_suffix("/__init__.py")
        .or_else(|| inside.strip_suffix(".py"))?;
    Some(module.replace('/', "."))
}

/// Of what a placed project needs, that which was published after it, held to its time, the youngest
/// first; and a newer release of the project.
pub(super) fn beside_what_is_younger(
    checker: &Checker<'_>,
    cause: &Cause,
    by: &Name,
    spot: &Spot,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(placed) = checker.placed(by) else {
        return Ok(());
    };
    let date = |name: &Name, version: &Version| -> Result<Option<Timestamp>, Error> {
        Ok(checker.page(name)?.and_then(|p| dates_of(&p, version).0))
    };
    let Some(then) = date(by, placed)? else {
        return Ok(());
    };
    let metadata = checker
        .snapshot
        .as_ref()
        .and_then(|s| s.visible(by)?.metadata.as_ref().ok());
    let mut younger: Vec<(Timestamp, Name, Version)> = Vec::new();
    for need in metadata.iter().flat_map(|m| &m.requires) {
        if let Some(version) = checker.placed(&need.name)
            && let Some(published) = date(&need.name, version)?.filter(|p| *p > then)
            && !younger.iter().any(|(_, known, _)| *known == need.name)
        {
            younger.push((published, need.name.clone(), version.clone()));
        }
    }
    younger.sort_by_key(|(published, ..)| std::cmp::Reverse(*published));
    // Where the message says what was called, it is one that has it.
    let (symbol, argument) = (cause.facts.get("symbol"), cause.facts.get("name"));
    let called = symbol.as_deref().and_then(|s| s.split('.').next());
    let holders: Vec<(Name, String)> = called.map_or_else(Vec::new, |called| {
        let has = |(_, name, _): &(Timestamp, Name, Version)| {
            Some((name.clone(), defining(checker, name, called)?))
        };
        younger.iter().filter_map(has).collect()
    });
    if !holders.is_empty() {
        younger.retain(|(_, name, _)| holders.iter().any(|(n, _)| n == name));
    }
    for (published, name, version) in younger.into_iter().take(MOST_HELD) {
        checked.say(format!(
            "{by} {placed} was published {}, before {name} {version} ({})",
            day(then),
            day(published)
        ));
        let (major, minor) = (version.release_number(0), version.release_number(1));
        let spoke = match (&argument, holders.iter().find(|(n, _)| *n == name)) {
            (Some(argument), Some((_, module))) => {
                let asks = [Requirement::any(&name)];
                let problem = checker.problem(spot, &asks, &checker.policy)?;
                speaking(&checker.run, &problem, &name, (module, argument), &version)?
            }
            _ => None,
        };
        let bounds = [
            spoke.and_then(|bound| bound.strip_prefix('<').map(str::to_owned)),
            (minor > 0).then(|| format!("{major}.{minor}")),
            Some(major.to_string()),
        ];
        for bound in bounds.into_iter().flatten() {
            let Ok(below) = Requirement::parse(&format!("{name}<{bound}")) else {
                continue;
            };
            let asks = [kept(checker, by), below];
            let Some(solution) = checker.settled(spot, &asks)? else {
                continue;
            };
            let with = with_version(&solution, by);
            let held = with_version(&solution, &name);
            let text = format!("hold {name} below {bound}: {held}, with {with}");
            checker.solved(checked, text, &asks, spot, &solution);
            break;
        }
    }
    let asks = [newer_than_placed(checker, by)];
    if let Some(solution) = checker.settled(spot, &asks)? {
        let text = format!(
            "take {}: it may be written for what is placed",
            with_version(&solution, by)
        );
        checker.solved(checked, text, &asks, spot, &solution);
    }
    Ok(())
}

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
