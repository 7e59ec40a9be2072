//! `module-absent`, `module-shadowed`: where a module is, who brings it, and which command leads
//! there.

mod bring;

use std::path::{Path, PathBuf};

use eutaxis_core::Name;
use eutaxis_core::diagnose::Cause;
use eutaxis_core::name::nearest;
use eutaxis_core::remedy::Step;
use eutaxis_world::Error;
use eutaxis_world::environment::roots_below;
use eutaxis_world::environment::snapshot::{Spot as Place, locate};

use super::{Checked, Checker};
use crate::answer::locate::is_found;
use crate::words::near;
use bring::place_it;

/// So many places that have the module are told.
const MOST_PLACES: usize = 3;

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
