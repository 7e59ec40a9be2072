//! `module-absent`, `module-shadowed`: where a module is, who brings it, and which command leads
//! there.

use std::path::{Path, PathBuf};

use eutaxis_core::diagnose::Cause;
use eutaxis_core::knowledge::bringing;
use eutaxis_core::name::nearest;
use eutaxis_core::remedy::Step;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;
use eutaxis_world::environment::roots_below;
use eutaxis_world::environment::snapshot::{Spot as Place, locate};

use super::{Checked, Checker, Spot, offers};
use crate::answer::locate::is_found;
use crate::proof::bearers::{Bearing, bearing, has, in_newest};
use crate::words::{count, near};

/// So many places that have the module are told.
const MOST_PLACES: usize = 3;
/// So many parts of a module's name may be those of a project.
const MOST_PARTS: usize = 4;
/// So many projects of a depot on disk are looked into.
const MOST_LOOKED_AT: usize = 1000;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(module) = cause
        .facts
        .get("module")
        .filter(|m| m.split('.').all(eutaxis_core::name::is_identifier))
    else {
        return command(checker, cause, checked);
    };
    if let Some(standing) =
        eutaxis_core::knowledge::standing(&module).filter(|_| cause.id == "module-absent")
    {
        return standard(checker, cause, &module, standing, checked);
    }
    if cause.id == "module-shadowed" {
        // Another place has it as well: the file in front of it is what is wrong.
        mine(checker, &module)?
            .iter()
            .for_each(|place| in_place(place, &module, cause, checked));
        return Ok(());
    }
    let places = places(checker, cause, &module)?;
    let mine = places.first().filter(|_| checker.snapshot.is_some());
    if let Some(place) = mine {
        in_place(place, &module, cause, checked);
    }
    // Importing something else is another mending than having the module.
    let by_other_names = match mine.is_some_and(is_found) {
        true => Vec::new(),
        false => std::mem::take(&mut checked.remedies),
    };
    let others = places
        .iter()
        .filter(|p| is_found(p) && mine.is_none_or(|m| m.root != p.root));
    let others: Vec<&Place> = others.collect();
    if let Some(place) = others.iter().find(|p| ran_it(p, cause)) {
        checked.say(format!(
            "{}, which ran it, has {module} now: it was placed since, or something led the search \
                elsewhere (PYTHONPATH, PYTHONHOME)",
            near(&place.root)
        ));
        return Ok(());
    }
    let owners = others.iter().filter_map(|p| p.owner.as_ref());
    let provider: Option<Name> = owners.map(|(project, _)| project.clone()).next();
    // Where it happened in an environment that was named, that is where it belongs.
    let is_named = checker.snapshot.is_some();
    let tell = |checked: &mut Checked| {
        let all = others.iter().take(MOST_PLACES);
        all.for_each(|place| tell_place(place, &module, cause, checked));
    };
    if mine.is_some_and(is_found) {
        return Ok(());
    }
    if !is_named {
        tell(checked);
    }
    let wanted = cause.facts.get("takes").unwrap_or(module.clone());
    place_it(checker, cause, (&module, &wanted), provider, checked)?;
    checked.remedies.extend(by_other_names);
    if is_named {
        tell(checked);
    }
    Ok(())
}

/// The environment that was named.
fn mine(checker: &Checker<'_>, module: &str) -> Result<Option<Place>, Error> {
    let (finder, probes) = (checker.surroundings.finder(), checker.probes());
    let root = checker.snapshot.as_ref().map(|s| Path::new(&s.root));
    root.map(|root| locate(root, module, &finder, &probes))
        .transpose()
}

/// The environment that was named, then those of this folder; where none of them has the module,
/// also the interpreters here.
fn places(checker: &Checker<'_>, cause: &Cause, module: &str) -> Result<Vec<Place>, Error> {
    let (finder, probes) = (checker.surroundings.finder(), checker.probes());
    let mut found: Vec<Place> = mine(checker, module)?.into_iter().collect();
    if !checker.is_of_here(cause) {
        return Ok(found);
    }
    let mut look = |places: &[PathBuf]| {
        // What is found by itself may be broken: then it has nothing to offer.
        for place in places
            .iter()
            .filter_map(|place| locate(place, module, &finder, &probes).ok())
        {
            if !found.iter().any(|f| f.root == place.root) {
                found.push(place);
            }
        }
        found.iter().any(is_found)
    };
    if !look(&roots_below(&std::env::current_dir().unwrap_or_default())) {
        look(&checker.interpreters());
    }
    Ok(found)
}

/// What the environment that was named says of it.
fn in_place(place: &Place, module: &str, cause: &Cause, checked: &mut Checked) {
    let root = near(&place.root);
    if let Some(path) = &place.found {
        let owner = place
            .owner
            .as_ref()
            .map_or(String::new(), |(project, _)| format!(" ({project})"));
        checked.say(format!("{root} has it at {}{owner}", near(path)));
        if cause.id == "module-absent" {
            let text = format!("run the code with the interpreter of {root}: another one ran it");
            checked.read(text, run(place, cause));
        }
        return;
    }
    if let Some((project, names)) = place
        .namesake
        .as_ref()
        .filter(|(_, names)| !names.is_empty())
    {
        checked.say(format!(
            "{project} is placed in {root}, and is imported as {}",
            names.join(", ")
        ));
        checked.read(
            format!("import it by its own name in {root}"),
            Step::Line(format!("import {}", names.join(", "))),
        );
    } else if let Some(part) = &place.part {
        let rest = module.get(part.len() + 1..).unwrap_or(module);
        checked.say(format!(
            "{root} has {part}, without `{rest}`: another release of it has moved or lost that part"
        ));
    } else {
        checked.say(format!("{root} does not have it"));
        if let Some(name) = nearest(module, place.names.iter().map(String::as_str), 1).first() {
            checked.suggest(
                format!("if {name} is meant, which {root} has: import that"),
                None,
            );
        }
    }
}

/// Whether the log shows that it was this interpreter, or environment, that ran.
fn ran_it(place: &Place, cause: &Cause) -> bool {
    let root = place.root.to_string_lossy();
    let own = |path: &String| {
        let of_packages = path.contains("site-packages") || path.contains("/bin/");
        of_packages
            && path
                .strip_prefix(&*root)
                .is_some_and(|r| r.starts_with('/'))
    };
    cause.origin.paths.iter().any(own)
}

/// The script that the log is of, run with the interpreter of a place.
fn run(place: &Place, cause: &Cause) -> Step {
    let script = cause.facts.get("script").unwrap_or("...".to_owned());
    Step::Start(vec![near(&place.interpreter), script])
}

/// Another interpreter or environment has it.
fn tell_place(place: &Place, module: &str, cause: &Cause, checked: &mut Checked) {
    let root = near(&place.root);
    let owner = place
        .owner
        .as_ref()
        .map_or(String::new(), |(project, version)| {
            format!(
                " ({project}{})",
                version.as_ref().map_or(String::new(), |v| format!(" {v}"))
            )
        });
    let kind = if place.is_environment {
        "the environment"
    } else {
        "the interpreter"
    };
    checked.read(
        format!("{kind} {root} has {module}{owner}: run the code with it"),
        run(place, cause),
    );
}

/// The project that brings it, from the depots: it must have the module, in the release that is
/// named.
fn place_it(
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
    match has {
        Some(_) => checker.shown_by_files(checked, text, &asks, spot, &solution),
        None => checker.solved(checked, text, &asks, spot, &solution),
    }
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

/// A module of the standard library that is not there.
fn standard(
    checker: &Checker<'_>,
    cause: &Cause,
    module: &str,
    standing: &eutaxis_core::knowledge::Standing,
    checked: &mut Checked,
) -> Result<(), Error> {
    if !standing.parts && standing.removed.is_none() && standing.added.is_none() {
        // Every interpreter has it: what is wrong is how it was looked for.
        return Ok(());
    }
    if standing.parts {
        let package = cause.facts.get("package").map_or(String::new(), |p| {
            format!("; the system package is usually {p}")
        });
        checked.say(format!(
            "{module} is a part of the standard library that an interpreter can be built \
                without{package}"
        ));
        checked.would_not_help.push(format!(
            "placing a project named {module}: it is the interpreter's own"
        ));
    }
    for place in places(checker, cause, module)?
        .iter()
        .filter(|p| is_found(p))
        .take(2)
    {
        tell_place(place, module, cause, checked);
    }
    Ok(())
}

/// A command that the shell does not find: the environments here whose scripts have it.
fn command(checker: &Checker<'_>, cause: &Cause, checked: &mut Checked) -> Result<(), Error> {
    let Some(command) = cause.facts.get("command").or(cause.facts.get("module")) else {
        return Ok(());
    };
    let here = roots_below(&std::env::current_dir().unwrap_or_default());
    let named = checker.snapshot.iter().map(|s| PathBuf::from(&s.root));
    let here = here.into_iter().filter(|_| checker.is_of_here(cause));
    for root in named.chain(here) {
        let scripts = [
            root.join("bin").join(&command),
            root.join("Scripts").join(format!("{command}.exe")),
        ];
        if let Some(script) = scripts.iter().find(|s| s.exists()) {
            let text = format!(
                "{} has it: enter that environment, or call it by its path",
                near(&root)
            );
            checked.read(text, Step::Start(vec![near(script)]));
        }
    }
    Ok(())
}
