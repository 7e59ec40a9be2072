//! `locate`: which interpreters and environments here can import a module, which project brings it,
//! and why this one cannot.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::examine::Seat;
use eutaxis_core::name::{is_identifier, nearest};
use eutaxis_core::offer::Rules;
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::roots_below;
use eutaxis_world::environment::snapshot::locate;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::Run;

use crate::answer::bringing::Bringing;
use crate::answer::locate::{Row, is_found};
use crate::cli::{Common, DepotOptions, Locate, PolicyOptions, TargetOptions};
use crate::output::{Answer, Outcome};
use crate::plan::{self, Surroundings};
use crate::proof::bringing::Bringers;
use crate::words;
use crate::{render, report};

pub(crate) fn run(arguments: &Locate, common: &Common) -> Result<Answer, Error> {
    let module = arguments.module.as_str();
    ensure_module(module)?;
    let surroundings = Surroundings::new(common)?;
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    let default = plan::interpreter(None, &surroundings).ok();
    let mut rows: Vec<Row> = Vec::new();
    for (place, bare_names) in places(arguments, &surroundings, default.as_ref()) {
        let spot = match locate(&place, module, &finder, &probes) {
            Ok(spot) => spot,
            // Of what was named by hand the fault is the answer; what was found by itself may be
            // broken.
            Err(error) if !arguments.places.is_empty() => return Err(error),
            Err(_) => continue,
        };
        if rows.iter().any(|r| same(&r.spot.root, &spot.root)) {
            continue;
        }
        let default = default
            .as_ref()
            .is_some_and(|d| same(&d.facts.prefix, &spot.root));
        rows.push(Row {
            spot,
            bare_names,
            default,
            note: String::new(),
        });
    }
    let notes: Vec<String> = rows.iter().map(|row| note(row, &rows, module)).collect();
    rows.iter_mut()
        .zip(notes)
        .for_each(|(row, note)| row.note = note);
    let asked = |row: &&Row| row.default || !arguments.places.is_empty();
    let found = rows.iter().filter(asked).any(|r| is_found(&r.spot));
    let usual = (!rows.iter().any(|r| is_found(&r.spot)))
        .then(|| usual(module, &surroundings))
        .flatten();
    let text = render::locate::text(module, &rows, usual.as_ref());
    Ok(Answer {
        outcome: if found { Outcome::Ok } else { Outcome::No },
        text,
        report: report::Locate::new(module, &rows, usual.as_ref()).into(),
    })
}

/// Who brings a module that is nowhere here: by depots on this disk, else by what is known of
/// well-known names; nothing is fetched for it.
fn usual(module: &str, surroundings: &Surroundings) -> Option<Bringing> {
    let depots = plan::named_depots(&DepotOptions::default(), surroundings, false).ok()?;
    let depots = match depots.are_remote() {
        true => Arc::new(Depots::new(Vec::new(), Arc::clone(depots.network()))),
        false => depots,
    };
    let chosen = plan::target(&TargetOptions::default(), surroundings).ok()?;
    let policy = plan::policy(&PolicyOptions::default(), &surroundings.config).ok()?;
    let rules = Rules {
        target: &chosen.target,
        policy: &policy,
        adjustments: &surroundings.config.adjustments,
    };
    let run = Run::new(depots);
    let found = Bringers::new(&run, rules).of(module);
    found.ok().flatten()
}

fn ensure_module(module: &str) -> Result<(), Error> {
    if module.split('.').all(is_identifier) {
        return Ok(());
    }
    let error = Error::request(format!("`{module}` is not the name of a module"));
    Err(error.help("name it as code imports it: firnio, or firnio.tables"))
}

/// Where to look: what was named, else the active environment, those of this folder, and every
/// interpreter.
fn places(
    arguments: &Locate,
    surroundings: &Surroundings,
    default: Option<&Found>,
) -> Vec<(PathBuf, Vec<String>)> {
    if !arguments.places.is_empty() {
        return arguments
            .places
            .iter()
            .map(|p| (p.clone(), Vec::new()))
            .collect();
    }
    let (all, _) = surroundings.finder().all(&surroundings.probes());
    let mut places: Vec<(PathBuf, Vec<String>)> = Vec::new();
    // The bare names first: what they start is found under them.
    places.extend(default.map(|d| (d.path.clone(), names_of(&d.facts.prefix, &all))));
    places.extend(all.iter().map(|f| (f.path.clone(), f.bare_names.clone())));
    let here = std::env::current_dir().unwrap_or_default();
    places.extend(
        roots_below(&here)
            .into_iter()
            .map(|root| (root, Vec::new())),
    );
    places
}

fn names_of(prefix: &Path, all: &[Found]) -> Vec<String> {
    all.iter()
        .find(|f| same(&f.facts.prefix, prefix))
        .map_or_else(Vec::new, |f| f.bare_names.clone())
}

fn same(a: &Path, b: &Path) -> bool {
    a == b
        || std::fs::canonicalize(a)
            .ok()
            .is_some_and(|a| Some(a) == std::fs::canonicalize(b).ok())
}

/// What is to be said: of what is found where it comes from, when that is no project; else the
/// likely reason.
fn note(row: &Row, rows: &[Row], module: &str) -> String {
    let spot = &row.spot;
    match (spot.built_in, spot.seat) {
        (true, _) => return "inside the interpreter".to_owned(),
        (_, Some(Seat::Standard)) => return "the standard library".to_owned(),
        (_, Some(Seat::Variable)) => return "by PYTHONPATH".to_owned(),
        (_, Some(Seat::Pth)) if spot.owner.is_none() => return "by a .pth file".to_owned(),
        (_, Some(Seat::System)) => return "from the base interpreter".to_owned(),
        (_, Some(_)) if spot.owner.is_none() => return "belongs to no project".to_owned(),
        (_, Some(_)) => return String::new(),
        (_, None) => {}
    }
    if let Some(part) = &spot.part {
        return format!(
            "{part} is here, and has no `{}`",
            module.get(part.len() + 1..).unwrap_or(module)
        );
    }
    if let Some((project, names)) = spot
        .namesake
        .as_ref()
        .filter(|(_, names)| !names.is_empty())
    {
        return format!(
            "{project} is placed here, and is imported as {}",
            names.join(", ")
        );
    }
    let provider = rows
        .iter()
        .filter(|r| is_found(&r.spot))
        .find_map(|r| r.spot.owner.as_ref().map(|(name, _)| (name, r)));
    if let Some((project, other)) = provider {
        return format!(
            "{project} is not placed here; it is in {}",
            words::near(&other.spot.root)
        );
    }
    match nearest(module, spot.names.iter().map(String::as_str), 1).first() {
        Some(near) => format!("not placed here; did you mean {near}?"),
        None => "not placed here".to_owned(),
    }
}
