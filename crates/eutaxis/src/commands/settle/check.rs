//! `--check`: whether the pins that are there still hold for the asks, targets and depots. Nothing
//! is written.

use std::path::Path;

use eutaxis_core::offer::{Verdict, takes};
use eutaxis_core::pins::{Lock, LockFile};
use eutaxis_core::record;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::{Depth, Looked, Run};

use super::depot::Stray;
use super::pinned::moves;
use crate::answer::settle::{Checked, Drift, Settled, asker_words};
use crate::output::{Answer, Outcome};
use crate::words;
use crate::{render, report};

impl Checked {
    /// Adds projects that would come from another depot, where nothing else is told of them.
    pub(super) fn add_strays(&mut self, strays: &[Stray]) {
        self.to_renew = strays.iter().map(|s| s.project.clone()).collect();
        for stray in strays {
            if self.drifts.iter().any(|d| d.project == stray.project) {
                continue;
            }
            let (before, after) = (stray.before.0.clone(), stray.after.0.clone());
            let because = format!(
                "it would come from {}; the pin is from {}",
                stray.after.1, stray.before.1
            );
            let (project, kind) = (stray.project.clone(), "depot");
            self.drifts.push(Drift {
                project,
                before: Some(before),
                after: Some(after),
                kind,
                because,
            });
        }
        self.drifts.sort_by(|a, b| a.project.cmp(&b.project));
    }
}

/// There is nothing to check.
pub(super) fn no_pins(file: &Path) -> Error {
    let error = Error::request(format!("there are no pins at {} to check", file.display()));
    error.help("settle without --check makes them; --out names another file")
}

pub(super) fn check(settled: &Settled<'_>, old: &Lock, file: &Path, run: &Run) -> Checked {
    let mut drifts: Vec<Drift> = moves(Some(old), settled)
        .into_iter()
        .map(|moved| Drift {
            because: because(&moved.project, moved.before.as_deref(), settled, run),
            project: moved.project,
            before: moved.before,
            after: moved.after,
            kind: moved.kind,
        })
        .collect();
    for pin in &settled.pins {
        let version = pin.chosen.version.to_string();
        let pinned = old.packages.iter().find(|p| p.name == pin.chosen.project);
        let Some(package) = pinned.filter(|p| p.version.as_deref() == Some(version.as_str()))
        else {
            continue;
        };
        let files: Vec<&LockFile> = package.files().collect();
        let of = |f: &&LockFile| {
            f.filename()
                .is_some_and(|n| *n == *pin.chosen.file.filename)
        };
        let because = match files.iter().copied().find(of) {
            None => format!("the file to take is now {}", pin.chosen.file.filename),
            Some(file) if file.hashes.get("sha256").is_some_and(|h| *h != pin.sha256) => {
                format!(
                    "{} has other bytes in the depot than were pinned",
                    pin.chosen.file.filename
                )
            }
            Some(_) => continue,
        };
        drifts.push(Drift {
            project: pin.chosen.project.to_string(),
            before: Some(version.clone()),
            after: Some(version),
            kind: "file",
            because,
        });
    }
    drifts.sort_by(|a, b| a.project.cmp(&b.project));
    Checked {
        shown: settled.target.clone(),
        file: file.display().to_string(),
        count: old.packages.len(),
        proof: record::proof_of(old),
        drifts,
        to_renew: Vec::new(),
    }
}

/// Why a pinned release is not what would be pinned now.
fn because(project: &str, before: Option<&str>, settled: &Settled<'_>, run: &Run) -> String {
    let problem = settled.problem;
    let Ok(name) = Name::parse(project) else {
        return String::new();
    };
    let Some(version) = before.and_then(|v| Version::parse(v).ok()) else {
        let by = settled.pins.iter().find(|p| p.chosen.project == name);
        let names: Vec<String> = by.map(|p| asker_words(p.chosen)).unwrap_or_default();
        let asked: Vec<&str> = names
            .iter()
            .map(|n| if n == "ask" { "you" } else { n.as_str() })
            .collect();
        return format!("asked for by {}, and not pinned", asked.join(", "));
    };
    if !settled.pins.iter().any(|p| p.chosen.project == name) {
        return "nothing asks for it any more".to_owned();
    }
    let excluding = problem
        .in_force()
        .find(|a| a.requirement.name == name && !takes(&a.requirement, &version));
    if let Some(ask) = excluding {
        return format!(
            "you ask {} ({})",
            ask.requirement.short(),
            words::place(&ask.origin)
        );
    }
    let exactly = [Requirement::exactly(&name, &version)];
    let looked = run
        .look(&exactly, &problem.rules(), Depth::Gaps)
        .map(|mut all| all.pop().flatten());
    let Ok(Some(Looked { judged, .. })) = looked else {
        return "no depot has the project".to_owned();
    };
    match judged.offer(&version) {
        None => format!("{version} is not in its depot"),
        Some(offer) if offer.verdict == Verdict::Barred => {
            let bars: Vec<String> = offer.bars.iter().map(ToString::to_string).collect();
            format!("{version} is barred: {}", bars.join("; "))
        }
        Some(offer) if offer.yanked.is_some() => {
            let reason = offer.yanked.as_deref().filter(|r| !r.is_empty());
            let reason = reason.map_or(String::new(), |r| {
                format!(": \"{}\"", eutaxis_core::fault::escaped(r))
            });
            format!("{version} is yanked now{reason}")
        }
        Some(_) => format!("{version} does not go with the other choices any more"),
    }
}

/// The answer for one target, or for several.
pub(super) fn answer(all: &[Checked]) -> Answer {
    let holds = all.iter().all(|c| c.drifts.is_empty());
    let outcome = if holds { Outcome::Ok } else { Outcome::No };
    Answer {
        outcome,
        text: render::check::text(all),
        report: report::Settle::Checked(all.into()).into(),
    }
}
