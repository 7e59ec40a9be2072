//! What a project needs and that came after it, held to its time.

use std::path::Path;

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::dates_of;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;
use jiff::Timestamp;

use super::super::{Checked, Checker, Spot};
use super::{kept, newer_than_placed, with_version};
use crate::proof::bearers::speaking;
use crate::words::day;

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
pub(in super::super) fn beside_what_is_younger(
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
