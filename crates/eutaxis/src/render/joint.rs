//! Pins for several targets, as text: what they share, and where they differ and why.

use eutaxis_core::Name;
use eutaxis_core::solve::Chosen;

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::settle::Settled;
use crate::words::count;
use crate::words::releases;

/// A project that is not the same everywhere.
pub(crate) struct Difference {
    pub(crate) project: String,
    /// For each target its release, if it takes the project.
    pub(crate) releases: Vec<Option<String>>,
    pub(crate) because: String,
}

/// Projects whose releases differ, or that not every target takes.
pub(crate) fn differences(settled: &[Settled<'_>]) -> Vec<Difference> {
    let mut names: Vec<&Name> = settled
        .iter()
        .flat_map(|s| s.pins.iter().map(|p| &p.chosen.project))
        .collect();
    names.sort();
    names.dedup();
    let found = names.into_iter().map(|name| {
        let chosen: Vec<Option<&Chosen>> = settled
            .iter()
            .map(|s| {
                s.pins
                    .iter()
                    .find(|p| p.chosen.project == *name)
                    .map(|p| p.chosen)
            })
            .collect();
        let releases = chosen
            .iter()
            .map(|c| c.map(|c| c.version.to_string()))
            .collect();
        Difference {
            project: name.to_string(),
            releases,
            because: because(&chosen, settled),
        }
    });
    // Builds of one release are one: each place has its own.
    let public = |r: &Option<String>| {
        r.as_ref()
            .map(|r| r.split('+').next().unwrap_or(r).to_owned())
    };
    let differs = |d: &Difference| {
        let mut releases = d.releases.iter().map(public);
        let first = releases.next();
        releases.any(|r| Some(r) != first)
    };
    found.filter(differs).collect()
}

/// Where a project has which release, where names of targets are too long for columns.
fn in_words(difference: &Difference, settled: &[Settled<'_>]) -> String {
    let mut places: Vec<(Option<&String>, Vec<&str>)> = Vec::new();
    for (release, place) in difference.releases.iter().zip(settled) {
        match places.iter_mut().find(|(r, _)| *r == release.as_ref()) {
            Some((_, names)) => names.push(&place.target),
            None => places.push((release.as_ref(), vec![&place.target])),
        }
    }
    // That nothing needs it elsewhere is what the reason says.
    let taken = places.iter().filter_map(|(release, names)| {
        let release = (*release)?;
        Some(format!("{release} on {}", names.join(", ")))
    });
    let taken: Vec<String> = taken.collect();
    format!(
        "{} {}: {}",
        difference.project,
        taken.join("; "),
        difference.because
    )
}

/// Why the target with the oldest release does not take the newest of the others.
fn because(chosen: &[Option<&Chosen>], settled: &[Settled<'_>]) -> String {
    let taken = || {
        chosen
            .iter()
            .zip(settled)
            .filter_map(|(c, s)| Some(((*c)?, s)))
    };
    let (Some((oldest, place)), Some((newest, _))) = (
        taken().min_by_key(|(c, _)| c.version.clone()),
        taken().max_by_key(|(c, _)| c.version.clone()),
    ) else {
        return String::new();
    };
    if oldest.version.public() == newest.version.public() {
        let without: Vec<&str> = chosen
            .iter()
            .zip(settled)
            .filter(|(c, _)| c.is_none())
            .map(|(_, s)| s.target.as_str())
            .collect();
        return format!("nothing needs it on {}", without.join(", "));
    }
    let newer = oldest.newer.iter().find(|n| n.version == newest.version);
    let why = newer
        .map(|n| releases::all_out(n, place.problem).join("; "))
        .unwrap_or_default();
    format!("{} is out on {}: {why}", newest.version, place.target)
}

/// `apart`: why they are not one lock, where that was asked for.
pub(crate) fn text(
    settled: &[Settled<'_>],
    differences: &[Difference],
    apart: Option<&str>,
) -> String {
    let width = width();
    let mut names: Vec<&Name> = settled
        .iter()
        .flat_map(|s| s.pins.iter().map(|p| &p.chosen.project))
        .collect();
    names.sort();
    names.dedup();
    let head = format!("Settled for {}", count(settled.len(), "target"));
    let rest = match differences.len() {
        0 => "the same releases everywhere".to_owned(),
        n => format!(
            "{} with the same release everywhere, {n} not",
            names.len() - n
        ),
    };
    let line = format!("{head}: {}, {rest}", count(names.len(), "project"));
    let mut text = format!(
        "{}\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::good(&head), 1)
    );
    let apart = apart.map(|why| ("caution", why.to_owned()));
    let mut first: Vec<(&'static str, String)> = apart.into_iter().collect();
    settled
        .iter()
        .flat_map(Settled::first_lines)
        .for_each(|line| {
            if !first.contains(&line) {
                first.push(line);
            }
        });
    if !first.is_empty() {
        text.push('\n');
    }
    for (label, line) in &first {
        text.push_str(&labelled(label, &style::care(label), line, width));
    }
    let proofs = settled.iter();
    let proofs = proofs.filter_map(|s| Some((s.target.as_str(), s.proof.as_ref()?)));
    let proofs: Vec<_> = proofs.collect();
    if !proofs.is_empty() {
        text.push_str(&format!("\n{}", super::proof::lines_of(&proofs, width)));
    }
    let fits = |settled: &[Settled<'_>]| {
        let heads = settled.iter().map(|s| s.target.chars().count() + 2);
        heads.sum::<usize>() < width / 2
    };
    if !differences.is_empty() && !fits(settled) {
        text.push('\n');
        for difference in differences {
            let line = in_words(difference, settled);
            text.push_str(&labelled("differs", &style::dim("differs"), &line, width));
        }
    } else if !differences.is_empty() {
        let mut heads = vec!["differs"];
        heads.extend(settled.iter().map(|s| s.target.as_str()));
        heads.push("because");
        let mut table = Table::new(&heads);
        for difference in differences {
            let mut cells = vec![difference.project.clone()];
            cells.extend(
                difference
                    .releases
                    .iter()
                    .map(|r| r.clone().unwrap_or("-".to_owned())),
            );
            cells.push(difference.because.clone());
            table.cells(cells);
        }
        text.push('\n');
        text.push_str(&table.text(width));
    }
    let mut said: Vec<&String> = Vec::new();
    for caution in settled.iter().flat_map(|s| &s.cautions) {
        if !said.contains(&caution) && !first.iter().any(|(_, line)| line == caution) {
            said.push(caution);
            text.push('\n');
            text.push_str(&labelled(
                "caution",
                &style::care("caution"),
                caution,
                width,
            ));
        }
    }
    text.push('\n');
    for line in settled.iter().flat_map(|s| &s.written) {
        text.push_str(&format!("{line}\n"));
    }
    text
}
