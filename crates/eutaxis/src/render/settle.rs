//! A settled set, as text.

use eutaxis_core::knowledge::MadeFor;
use eutaxis_core::offer::Evidence;
use eutaxis_core::solve::{Asker, Chosen};

use eutaxis_world::depot::TreeKind;

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::settle::{Move, Pinned, Settled};
use crate::words::releases;
use crate::words::{count, day, size};

pub(crate) fn text(settled: &Settled<'_>) -> String {
    let width = width();
    let mut text = headline(settled, width);
    if let Some(taken) = &settled.taken {
        let line = format!(
            "{} at {} is taken: {}",
            taken.version, taken.path, taken.because
        );
        text.push_str(&format!(
            "{}\n",
            labelled("interpreter", &style::care("interpreter"), &line, width)
        ));
    }
    if let Some(proof) = &settled.proof {
        text.push_str(&super::proof::lines(proof, width));
        text.push('\n');
    }
    if !settled.builds.is_empty() {
        text.push_str(&super::build::foreseen(&settled.builds, width));
        text.push_str(&super::build::permits(
            &settled.builds,
            settled.permit.as_deref(),
            width,
        ));
        text.push('\n');
    }
    let first = settled.first_lines();
    for (label, line) in &first {
        text.push_str(&labelled(label, &style::care(label), line, width));
    }
    if !first.is_empty() {
        text.push('\n');
    }
    let dated = settled
        .pins
        .iter()
        .any(|p| p.chosen.file.published.is_some());
    let mut table = if dated {
        Table::new(&["project", "release", "published", "asked by", "note"])
    } else {
        Table::new(&["project", "release", "asked by", "note"])
    };
    for pin in &settled.pins {
        let chosen = pin.chosen;
        let (project, release) = (subject(chosen), chosen.version.to_string());
        let (asked_by, note) = (
            asked_by(chosen, settled, if width < 80 { 1 } else { 3 }),
            note(pin, settled),
        );
        if dated {
            let published = chosen.file.published.map_or("-".to_owned(), day);
            table.row([project, release, published, asked_by, note]);
        } else {
            table.row([project, release, asked_by, note]);
        }
    }
    let table = table.text(width);
    text.push_str(&table);
    text.push_str(&super::own_words(&table, width));
    if !settled.moves.is_empty() {
        text.push_str("\nagainst the pins that were there\n");
        let mut table = Table::new(&["", "", ""]);
        for Move {
            project,
            before,
            after,
            kind,
        } in &settled.moves
        {
            let way = format!(
                "{} -> {}",
                before.as_deref().unwrap_or("-"),
                after.as_deref().unwrap_or("-")
            );
            table.row([format!("  {kind}"), project.clone(), way]);
        }
        text.push_str(&table.text(width));
    }
    if let Some(line) = accelerator(settled) {
        text.push('\n');
        text.push_str(&labelled(
            "accelerator",
            &style::strong("accelerator"),
            &line,
            width,
        ));
    }
    for line in variants(settled) {
        text.push('\n');
        let label = style::strong("variant");
        text.push_str(&labelled("variant", &label, &line, width));
    }
    let told = settled.adjusted().into_iter();
    for adjustment in told.filter(|a| a.learnt.is_none() || settled.proof.is_none()) {
        text.push('\n');
        text.push_str(&labelled(
            "adjusted",
            &style::care("adjusted"),
            &releases::adjustment(adjustment),
            width,
        ));
    }
    // What stands in the first lines is not said again.
    let is_said = |c: &&String| first.iter().any(|(_, line)| line == *c);
    for caution in settled.cautions.iter().filter(|c| !is_said(c)) {
        text.push('\n');
        text.push_str(&labelled(
            "caution",
            &style::care("caution"),
            caution,
            width,
        ));
    }
    text.push('\n');
    for line in &settled.written {
        text.push_str(&format!("{line}\n"));
    }
    text
}

fn headline(settled: &Settled<'_>, width: usize) -> String {
    let is_own = |p: &&Pinned<'_>| {
        let kind = p.tree.as_deref().map(|t| &t.kind);
        matches!(kind, Some(TreeKind::Folder { .. }))
    };
    let own = settled.pins.iter().filter(is_own).count();
    let built = settled.pins.iter().filter(|p| !p.is_wheel()).count() - own;
    let kinds = match (built, own) {
        (0, 0) => "all from wheels".to_owned(),
        (0, own) => format!("all from wheels but {own} of your own"),
        (n, 0) => format!("{n} only as source"),
        (n, own) => format!("{n} only as source, {own} of your own"),
    };
    let joined = |bytes: u64| size(bytes).replace(' ', "\u{a0}");
    let fetch = match settled.pins.iter().map(|p| p.size).sum::<Option<u64>>() {
        Some(bytes) => format!("{} to fetch", joined(bytes)),
        None => "the depot states no sizes".to_owned(),
    };
    let place = settled.in_place.map_or(String::new(), |n| {
        let about = if n.is_exact { "" } else { "about\u{a0}" };
        format!(", {about}{} in place", joined(n.bytes))
    });
    let head = format!("Settled: {}", count(settled.pins.len(), "project"));
    let without = match settled.left_out.len() {
        0 => String::new(),
        n => format!(" without {} of lists", count(n, "line")),
    };
    let line = format!(
        "{head} for {}{without}, {kinds} ({fetch}{place})",
        settled.target
    );
    format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::good(&head), 1)
    )
}

/// What the chosen builds ask of the place: the toolkit that they share, and the driver that it
/// needs.
fn accelerator(settled: &Settled<'_>) -> Option<String> {
    let target = &settled.problem.target;
    let builds = settled
        .pins
        .iter()
        .filter_map(|p| match &p.chosen.build.as_ref()?.made_for {
            MadeFor::Toolkit(family, toolkit) => Some((p.chosen.project.as_str(), family, toolkit)),
            MadeFor::Processor => None,
        });
    let builds: Vec<_> = builds.collect();
    if target.accelerators.is_empty() {
        let names: Vec<String> = builds
            .iter()
            .map(|(name, family, t)| format!("{name} ({} {t})", family.name))
            .collect();
        return (!names.is_empty()).then(|| {
            format!(
                "built for one, and this target has none: {}. They bring its runtime packages and \
                    run on the processor; a depot with builds without it (often labelled +cpu) \
                    saves their size.",
                names.join(", ")
            )
        });
    }
    // Some builds tell only the major number: the most exact one is told.
    let (_, family, toolkit) = builds.iter().max_by_key(|(_, _, t)| t.to_string().len())?;
    let names: Vec<&str> = builds.iter().map(|(name, ..)| *name).collect();
    let here = target
        .accelerators
        .here
        .iter()
        .find(|a| a.family.name == family.name);
    let driver = here.and_then(|a| a.driver.as_ref());
    let needs = match (
        family.enough_driver(toolkit, target.platform.system),
        driver,
    ) {
        (Some(lowest), Some(driver)) => {
            format!("; it needs a driver of {lowest} or newer, here {driver}")
        }
        (Some(lowest), None) => {
            format!("; it needs a driver of {lowest} or newer, which this target does not name")
        }
        (None, _) => String::new(),
    };
    Some(format!(
        "{} {toolkit} for {}{needs}. The wheels bring its runtime: the toolkit need not be \
            installed. Told by {}.",
        family.name,
        names.join(", "),
        evidence(settled)
    ))
}

/// By what the toolkits of the builds are told.
fn evidence(settled: &Settled<'_>) -> String {
    let builds = settled.pins.iter().filter_map(|p| p.chosen.build.as_ref());
    let mut all: Vec<Evidence> = builds.map(|b| b.evidence).collect();
    all.sort();
    all.dedup();
    let word = |evidence: &Evidence| match evidence {
        Evidence::Stated => "what is stated of them",
        Evidence::Variant => "properties of variants",
        Evidence::Label => "labels",
        Evidence::Dependency => "the runtime packages that their metadata ask for",
        Evidence::Companion => "packages beside the runtime that their metadata ask for",
        Evidence::Library => "the libraries in their files",
    };
    all.iter().map(word).collect::<Vec<_>>().join(" and ")
}

/// What of the pins is a wheel variant, and by which properties.
fn variants(settled: &Settled<'_>) -> Vec<String> {
    let told = |chosen: &Chosen| {
        let label = chosen.variant()?;
        let properties: Vec<String> = chosen.properties.iter().map(ToString::to_string).collect();
        let by = match properties.as_slice() {
            [] => "without properties: it runs wherever its tags do".to_owned(),
            all => all.join("; "),
        };
        let release = format!("{} {}", chosen.project, chosen.version);
        Some(format!(
            "{release} is its variant {label}, {by} (draft PEP 825)."
        ))
    };
    settled.pins.iter().filter_map(|p| told(p.chosen)).collect()
}

fn subject(chosen: &Chosen) -> String {
    if chosen.extras.is_empty() {
        return chosen.project.to_string();
    }
    let extras: Vec<&str> = chosen.extras.iter().map(|e| e.as_str()).collect();
    format!("{}[{}]", chosen.project, extras.join(","))
}

/// Places of the user's own asks, names of projects; at most `most`.
fn asked_by(chosen: &Chosen, settled: &Settled<'_>, most: usize) -> String {
    let mut words: Vec<String> = Vec::new();
    for asker in &chosen.asked_by {
        let word = match asker {
            Asker::Ask(i) => settled
                .origin(*i)
                .map_or(String::new(), crate::words::place),
            Asker::Project(name, _) => name.to_string(),
        };
        if !words.contains(&word) {
            words.push(word);
        }
    }
    let more = words.len().saturating_sub(most);
    words.truncate(most);
    if more > 0 {
        format!("{} +{more}", words.join(", "))
    } else {
        words.join(", ")
    }
}

/// Why the newest release was not taken, and what is out of the ordinary.
fn note(pin: &Pinned<'_>, settled: &Settled<'_>) -> String {
    let chosen = pin.chosen;
    let mut notes = Vec::new();
    match pin.tree.as_deref().map(|t| &t.kind) {
        Some(TreeKind::Folder { editable: true, .. }) => {
            notes.push("your own: used where it lies".to_owned());
        }
        Some(TreeKind::Folder { .. }) => notes.push("your own folder: a copy is built".to_owned()),
        Some(TreeKind::Repository { commit, .. }) => {
            let short = commit.get(..12).unwrap_or(commit);
            notes.push(format!("commit {short}: it must be built"));
        }
        None if !pin.is_wheel() => notes.push("only source: it must be built".to_owned()),
        None => {}
    }
    if let (Some(better), Some(newest)) = (chosen.better(), chosen.newest()) {
        notes.push(releases::better_out(
            better,
            newest,
            settled.problem,
            pin.kept,
        ));
    }
    notes.join("; ")
}

/// Projects that would come from another depot than their pins: project, before, after.
pub(crate) fn moved_depots(moves: &[(String, String, String)], shown: &str) -> String {
    let width = width();
    let head = "Not settled";
    let what = count(moves.len(), "project");
    let line = format!(
        "{head} for {shown}: {what} would come from another depot than the pins say. Nothing was \
            written."
    );
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(head, &style::barred(head), 1)
    );
    let mut table = Table::new(&["project", "pinned", "now"]);
    for (project, before, after) in moves {
        table.row([project.clone(), before.clone(), after.clone()]);
    }
    text.push_str(&table.text(width));
    let renew: String = moves
        .iter()
        .map(|(project, _, _)| format!(" --renew {project}"))
        .collect();
    text.push('\n');
    let advice = format!(
        "find out why: a project that turns up elsewhere may be somebody else's. If it is meant, \
            the same command with {renew}",
        renew = renew.trim_start()
    );
    text.push_str(&labelled("try", &style::care("try"), &advice, width));
    text
}
