//! The releases of a project that have a module, or a name of one, for who looks for them: the newest
//! one, else the newest of those that had it once.

use eutaxis_core::solve::{Chosen, Problem};
use eutaxis_core::{Name, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Run;

use super::releases::{Release, Sought, nearest_having, releases, takes};

/// Which releases have it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Bearing {
    /// The newest one for the target has it.
    Newest,
    /// Those within this bound, and not the newest: `<4`.
    Within(String),
    /// The same of a module that makes its names while it runs: those mention the name, and the
    /// release that lacks it does not.
    Mentioned(String),
    /// None that was looked into.
    None,
    /// Their files cannot be had.
    Unknown,
}

/// Which releases of a project have a module, or a name of it, looked for from the newest one on, or
/// from one that is known to lack it.
///
/// # Errors
/// When the network fails.
pub(crate) fn bearing(
    run: &Run,
    problem: &Problem,
    project: &Name,
    (module, name): (&str, Option<&str>),
    lacking: Option<&Version>,
) -> Result<Bearing, Error> {
    let sought = Sought::surely(module, name);
    let by_word = Sought {
        by_word: true,
        ..sought
    };
    let all = releases(run, problem, project)?;
    let from = match lacking {
        Some(version) => all.iter().find(|r| r.version == *version),
        None => None,
    };
    let from = match (from, all.first()) {
        (Some(lacking), _) => lacking,
        (None, Some(newest)) => match sought.is_in(run, project, newest) {
            Ok(Some(true)) => return Ok(Bearing::Newest),
            Ok(Some(false)) => newest,
            Ok(None) if by_word.is_in(run, project, newest).ok() == Some(Some(false)) => newest,
            Ok(None) | Err(_) => return Ok(Bearing::Unknown),
        },
        (None, None) => return Ok(Bearing::None),
    };
    if let Some(having) = nearest_having(run, project, &all, &from.version, None, sought)? {
        return Ok(Bearing::Within(having.bound()));
    }
    if name.is_none() || by_word.is_in(run, project, from)? == Some(true) {
        return Ok(Bearing::None);
    }
    let mentioning = nearest_having(run, project, &all, &from.version, None, by_word)?;
    Ok(mentioning.map_or(Bearing::None, |h| Bearing::Mentioned(h.bound())))
}

/// Whether the newest release for the target, if it is not one that is known to lack it, has it.
///
/// # Errors
/// When the network fails.
pub(crate) fn in_newest(
    run: &Run,
    problem: &Problem,
    project: &Name,
    (module, name): (&str, Option<&str>),
    lacking: Option<&Version>,
) -> Result<Option<bool>, Error> {
    let all = releases(run, problem, project)?;
    let newest = all.first().filter(|r| Some(&r.version) != lacking);
    Ok(newest.and_then(|r| {
        Sought::surely(module, name)
            .is_in(run, project, r)
            .ok()
            .flatten()
    }))
}

/// Whether a file that was chosen has a module, or a name of it; none where it cannot be read.
pub(crate) fn has(
    run: &Run,
    chosen: &Chosen,
    (module, name): (&str, Option<&str>),
) -> Option<bool> {
    let release = Release {
        version: chosen.version.clone(),
        file: chosen.file.clone(),
    };
    let sought = Sought::surely(module, name);
    if !chosen.file.filename.ends_with(".whl") {
        return None;
    }
    sought.is_in(run, &chosen.project, &release).ok().flatten()
}

/// Whether a source of a file that was chosen takes a module, or a name of it, whatever happens.
pub(crate) fn takes_whatever(
    run: &Run,
    chosen: &Chosen,
    file: &str,
    (module, name): (&str, Option<&str>),
) -> bool {
    let release = Release {
        version: chosen.version.clone(),
        file: chosen.file.clone(),
    };
    let sought = Sought::surely(module, name);
    takes(run, &chosen.project, &release, file, sought).unwrap_or(false)
}

/// The bound within which a module of a project speaks of something (an argument, a method), where one
/// release does not.
///
/// # Errors
/// When the network fails.
pub(crate) fn speaking(
    run: &Run,
    problem: &Problem,
    project: &Name,
    (module, word): (&str, &str),
    lacking: &Version,
) -> Result<Option<String>, Error> {
    let sought = Sought {
        anywhere: true,
        ..Sought::surely(module, Some(word))
    };
    let all = releases(run, problem, project)?;
    let from = all.iter().find(|r| r.version == *lacking);
    match from {
        Some(from) if sought.is_in(run, project, from)? == Some(false) => {
            let having = nearest_having(run, project, &all, lacking, None, sought)?;
            Ok(having.map(|h| h.bound()))
        }
        Some(_) | None => Ok(None),
    }
}
