//! What surprises people about a machine: each caution says what is, and what to do.

use eutaxis_core::knowledge;
use eutaxis_core::targets::System;
use eutaxis_world::accelerator;
use eutaxis_world::interpreter::{Facts, Finder, Found, Numbered, Seat, environment_around};

pub(super) fn all(
    found: &[Found],
    default: Option<usize>,
    finder: &Finder,
    chosen: bool,
    (accelerators, system): (&[accelerator::Found], System),
) -> Vec<String> {
    let mut cautions = Vec::new();
    if let Some(root) = finder.active.as_ref().filter(|r| !r.is_dir()) {
        let shown = root.display();
        cautions.push(format!(
            "the active environment {shown} is gone: its folder does not exist. Leave it \
                (deactivate), or furnish it again."
        ));
    }
    if let Some(default) = default.and_then(|i| found.get(i)) {
        let facts = &default.facts;
        let machine = &facts.markers.platform_machine;
        if facts.bits == 32 && machine.contains("64") {
            cautions.push(format!(
                "the programs are 32-bit on a 64-bit kernel ({machine}): only 32-bit files run. \
                    Many projects offer wheels for 64-bit only; a 64-bit system takes those."
            ));
        }
        let of_seat = |seat: Seat| found.iter().find(|f| f.seat == seat);
        let elsewhere = |f: &&Found| f.facts.prefix != facts.prefix;
        if let Some(active) = of_seat(Seat::Active).filter(elsewhere) {
            cautions.push(format!(
                "`python3` starts {}, not the active environment {}: what you place with one, the \
                    other does not see.",
                facts.executable.display(),
                active.facts.prefix.display()
            ));
        } else if of_seat(Seat::Here).filter(elsewhere).is_some() && !chosen {
            cautions.push(format!(
                "`python3` is not the environment of this folder: what you place with one, the \
                    other does not see. Use .venv/bin/python, or enter it:  {}",
                crate::words::enter::line(std::path::Path::new(".venv"))
            ));
        }
        if !chosen && finder.root.is_none() {
            cautions.extend(numbered(found, facts, finder.numbered()));
        }
    }
    cautions.extend(past_their_end(found));
    for one in accelerators {
        let family = &one.accelerator.family.name;
        match (one.unusable, &one.accelerator.driver, &one.highest_toolkit) {
            (Some(why), ..) => cautions.push(format!(
                "{family} cannot be used: {why}. Builds without accelerators are taken here."
            )),
            (None, Some(driver), None) if one.accelerator.family.enough_driver_is_known(system) => {
                cautions.push(format!(
                    "{family}: driver {driver} is older than every toolkit that is known asks for. \
                        Builds without accelerators are taken here; a newer driver changes that."
                ))
            }
            (None, Some(driver), Some(highest)) => {
                let newer: Vec<String> = one
                    .toolkits
                    .iter()
                    .filter(|t| *t > highest)
                    .map(ToString::to_string)
                    .collect();
                if !newer.is_empty() {
                    cautions.push(format!(
                        "{family} toolkit {} is installed, and driver {driver} runs up to \
                            {highest} fully: what is compiled with it here may not run.",
                        newer.join(", ")
                    ));
                }
            }
            _ => {}
        }
    }
    cautions
}

/// Scripts that come in numbered forms, as those that place packages do, and belong to another
/// interpreter than `python3`.
fn numbered(found: &[Found], default: &Facts, scripts: Vec<Numbered>) -> Vec<String> {
    let real =
        |path: &std::path::Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let prefix_of = |script: &Numbered| {
        // An environment's interpreter is a link to its base, which the folder around it tells
        // apart.
        let environment = environment_around(&script.interpreter);
        let same = |f: &&Found| {
            !f.facts.in_environment() && real(&f.facts.executable) == real(&script.interpreter)
        };
        environment.or_else(|| found.iter().find(same).map(|f| f.facts.prefix.clone()))
    };
    // One caution for each interpreter, with all its scripts.
    let mut others: Vec<(std::path::PathBuf, Vec<String>)> = Vec::new();
    for script in scripts {
        match prefix_of(&script) {
            Some(prefix) if real(&prefix) == real(&default.prefix) => continue,
            _ => {}
        }
        match others.iter_mut().find(|(i, _)| *i == script.interpreter) {
            Some((_, names)) => names.push(script.name),
            None => others.push((script.interpreter, vec![script.name])),
        }
    }
    let told = |(interpreter, names): (std::path::PathBuf, Vec<String>)| {
        let list: Vec<String> = names.iter().map(|n| format!("`{n}`")).collect();
        let belong = if names.len() == 1 {
            "belongs"
        } else {
            "belong"
        };
        format!(
            "{} on PATH {belong} to {}, not to what `python3` starts: what is placed with one, the \
                other does not see.",
            list.join(", "),
            interpreter.display()
        )
    };
    others.into_iter().map(told).collect()
}

/// Interpreters that get no security fixes any more.
fn past_their_end(found: &[Found]) -> Option<String> {
    let today = jiff::Timestamp::now().to_string();
    // One that nothing starts by its name harms nobody.
    let found = found.iter().filter(|f| f.seat != Seat::Home);
    let end = |f: &Found| {
        let series = f.facts.markers.python_version.as_ref();
        let end = knowledge::series(&f.facts.implementation, series)?
            .end_of_life
            .clone()?;
        let past = end.as_str() < today.get(..10)?;
        past.then(|| {
            format!(
                "{} {series} ({end})",
                f.facts.markers.platform_python_implementation
            )
        })
    };
    let mut ends: Vec<String> = found.filter_map(end).collect();
    ends.sort();
    ends.dedup();
    let list = ends.join(", ");
    match ends.len() {
        0 => None,
        1 => Some(format!(
            "{list} is past its end of life: new releases of many projects no longer offer wheels \
                for it."
        )),
        _ => Some(format!(
            "past their end of life: {list}. New releases of many projects no longer offer wheels \
                for them."
        )),
    }
}
