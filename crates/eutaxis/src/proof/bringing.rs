//! The project that brings a module, where its name is all that is known: by the files of what the
//! depots have, else by what is known of well-known names.

use std::collections::BTreeSet;

use eutaxis_core::interface::{Form, Set};
use eutaxis_core::knowledge::{bringing, module_named};
use eutaxis_core::name::is_identifier;
use eutaxis_core::offer::Rules;
use eutaxis_core::solve::Problem;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;
use eutaxis_world::supply::{Depth, Run};

use super::bearers::{Bearing, bearing};
use crate::answer::bringing::{Bringing, Shown};

/// So many parts of a module's name may be those of a project.
const MOST_PARTS: usize = 4;

/// So many projects of a depot on disk are looked into.
const MOST_LOOKED_AT: usize = 1000;

/// Who brings a module, whose project bears another name or its own; none where nobody is known to.
///
/// # Errors
/// When the network fails.
pub(crate) fn bringing_of(
    run: &Run,
    rules: &Rules<'_>,
    module: &str,
) -> Result<Option<Bringing>, Error> {
    if !module.split('.').all(is_identifier) {
        return Ok(None);
    }
    let usual: Vec<Name> = bringing(module)
        .iter()
        .filter_map(|n| Name::parse(n).ok())
        .collect();
    let as_shown = |name: &Name, shown: Shown| Bringing {
        project: name.clone(),
        bound: None,
        shown,
    };
    let problem = Problem::new(rules.target.clone(), rules.policy.clone(), Vec::new());
    if run.depots().is_empty() {
        let first = usual.first();
        return Ok(first.map(|name| as_shown(name, Shown::Usually)));
    }
    let parts: Vec<&str> = module.split('.').collect();
    let lengths = (1..=parts.len().min(MOST_PARTS)).rev();
    let own = lengths.filter_map(|n| Name::parse(&parts.get(..n)?.join("-")).ok());
    let mut seen = BTreeSet::new();
    let mut unread = None;
    let candidates = usual.iter().cloned().chain(own);
    for name in candidates.filter(|n| seen.insert(n.clone())) {
        match brings(run, rules, &name, module)? {
            Some(true) => return Ok(Some(as_shown(&name, Shown::Files))),
            // An older release may have had it.
            Some(false) if usual.contains(&name) => {
                let sought = (module, None);
                if let Bearing::Within(bound) = bearing(run, &problem, &name, sought, None)? {
                    return Ok(Some(Bringing {
                        bound: Some(bound),
                        ..as_shown(&name, Shown::Files)
                    }));
                }
            }
            None if usual.contains(&name) => {
                unread.get_or_insert(as_shown(&name, Shown::Usually));
            }
            None if run.page_of(&name).is_some() => {
                unread.get_or_insert(as_shown(&name, Shown::Named));
            }
            Some(false) | None => {}
        }
    }
    if unread.is_some() || run.depots().are_remote() {
        return Ok(unread);
    }
    // What lies on this disk can be looked through.
    let all = run.depots().projects();
    let others = all.into_iter().take(MOST_LOOKED_AT);
    for name in others.filter(|n| !seen.contains(n)) {
        if brings(run, rules, &name, module)? == Some(true) {
            return Ok(Some(as_shown(&name, Shown::Files)));
        }
    }
    Ok(None)
}

/// Who brings the module that bears the name of a project that no depot has: people ask for what
/// they import. None where nobody is known to, or where finding out fails.
pub(crate) fn bringing_of_name(run: &Run, rules: &Rules<'_>, name: &Name) -> Option<Bringing> {
    let module = module_named(name).map_or_else(|| name.as_str().replace('-', "_"), str::to_owned);
    let found = bringing_of(run, rules, &module).ok().flatten();
    found.filter(|f| f.project != *name && f.shown != Shown::Named)
}

/// Whether the newest wheel of a project for the target has a module; none where its files do not
/// tell, or no depot has it.
fn brings(
    run: &Run,
    rules: &Rules<'_>,
    project: &Name,
    module: &str,
) -> Result<Option<bool>, Error> {
    let requirement = Requirement::any(project);
    let paths = paths_of(run, rules, std::slice::from_ref(&requirement))?;
    let Some(paths) = paths.into_iter().next().flatten() else {
        return Ok(None);
    };
    let mut set = Set::new(1);
    paths.iter().for_each(|path| set.add(0, path));
    let has = |m: &str| set.get(m).is_some_and(|at| at.form != Form::Namespace);
    let above = module.rsplit_once('.').map(|(above, _)| above);
    Ok(Some(has(module) || above.is_some_and(has)))
}

/// The paths, from the folder of modules on, of the files that these requirements would be met by;
/// none where they cannot be known without the whole file.
///
/// # Errors
/// When the network fails.
pub(crate) fn paths_of(
    run: &Run,
    rules: &Rules<'_>,
    requirements: &[Requirement],
) -> Result<Vec<Option<Vec<String>>>, Error> {
    let looked = run.look(requirements, rules, Depth::Gaps)?;
    let mut all = Vec::new();
    for (requirement, looked) in requirements.iter().zip(looked) {
        let file = looked.and_then(|looked| {
            let offers = looked.judged.admitted(requirement, rules);
            let wheel = |o: &eutaxis_core::offer::Offer| {
                let best = o.best().filter(|f| f.is_wheel())?;
                Some((o.version.clone(), best.file.clone()))
            };
            let newest = offers.iter().filter_map(wheel);
            newest.max_by(|a, b| a.0.cmp(&b.0)).map(|(_, file)| file)
        });
        let paths = file.map(|file| run.sources(&requirement.name, &file, &|_| false));
        all.push(match paths {
            // A list of files that cannot be had is not what was asked for.
            Some(Ok(sources)) => sources.paths,
            Some(Err(_)) | None => None,
        });
    }
    Ok(all)
}
