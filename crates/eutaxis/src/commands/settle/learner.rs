//! `--check ADDRESS`: where an environment differs from a list, or from pins, that somebody keeps at
//! an address: a course page, a publisher's limits.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use eutaxis_core::offer::takes;
use eutaxis_core::pins::Lock;
use eutaxis_core::{Ask, Requirement, Version};
use eutaxis_world::{Error, Errors};

use crate::answer::settle::{Apart, Differs};
use crate::asks;
use crate::cli::{AskOptions, Settle};
use crate::output::{Answer, Outcome};
use crate::plan::{self, Surroundings};
use crate::{render, report, typed, words};

/// The answer.
pub(super) fn answer(
    address: &str,
    arguments: &Settle,
    surroundings: &Surroundings,
) -> Result<Answer, Errors> {
    let asked = asked(address, surroundings)?;
    let place = plan::interpreter(arguments.target.interpreter.as_deref(), surroundings)?.path;
    let snapshot = surroundings.snapshot(&place, true)?;
    let counts = |a: &&Ask| {
        let marker = a.requirement.marker.as_ref();
        marker.is_none_or(|m| m.holds(&snapshot.target.markers, None))
    };
    let mut met = 0;
    let mut apart = Vec::new();
    for ask in asked.iter().filter(counts) {
        let name = &ask.requirement.name;
        let there = snapshot.projects.iter().find(|p| p.name == *name);
        let version: Option<&Version> = there.and_then(|p| p.version.as_ref());
        let is_met = match (ask.requirement.versions(), version) {
            (Some(set), Some(version)) => set.is_empty() || takes(&ask.requirement, version),
            // Of what is asked by an address it counts that it is there.
            (None, _) => there.is_some(),
            (Some(_), None) => false,
        };
        if is_met {
            met += 1;
            continue;
        }
        apart.push(Apart {
            project: name.to_string(),
            asked: ask.requirement.short(),
            here: version.map(ToString::to_string),
            place: words::place(&ask.origin),
        });
    }
    let differs = Differs {
        address: address.to_owned(),
        environment: snapshot.name.clone(),
        target: snapshot.target.to_string(),
        met,
        apart,
        // Pins at an address are no list that could be asked for.
        settle: match address.ends_with(".toml") {
            true => String::new(),
            false => format!(
                "eutaxis settle{} --out pylock.theirs.toml && eutaxis furnish pylock.theirs.toml",
                typed::line(&["--asks".to_owned(), address.to_owned()])
            ),
        },
    };
    Ok(Answer {
        outcome: match differs.apart.is_empty() {
            true => Outcome::Ok,
            false => Outcome::No,
        },
        text: render::check::differs(&differs),
        report: report::Settle::Differs(report::EnvironmentDiffers::from(&differs)).into(),
    })
}

/// What the list asks for, or each pin exactly.
fn asked(address: &str, surroundings: &Surroundings) -> Result<Vec<Ask>, Errors> {
    if !address.ends_with(".toml") {
        let options = AskOptions {
            asks: vec![PathBuf::from(address)],
            lenient: true,
            ..AskOptions::default()
        };
        let read = asks::read(&options, surroundings, &BTreeMap::new())?;
        return Ok(read.asks.into_iter().chain(read.bounds).collect());
    }
    let text = asks::text_at(Path::new(address), surroundings)?;
    let lock = Lock::parse(&text).map_err(|f| Error::in_file(address, &text, &f))?;
    let pinned = lock.packages.iter().filter_map(|p| {
        let version = Version::parse(p.version.as_deref()?).ok()?;
        let mut requirement = Requirement::exactly(&p.name, &version);
        let marker = p.marker.as_deref();
        requirement.marker = marker.and_then(|m| eutaxis_core::Marker::parse(m).ok());
        Some(Ask {
            requirement,
            origin: eutaxis_core::fault::Origin::line(address, 1),
        })
    });
    Ok(pinned.collect())
}
