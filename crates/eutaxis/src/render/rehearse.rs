//! What would move, as text and for programs.

use eutaxis_core::fault::escaped;
use eutaxis_core::rehearse::MoveKind;
use eutaxis_core::{Name, Version};

use super::table::{Table, labelled, wrap};
use super::{clash, style, ways, width};
use crate::answer::clash::Refusal;
use crate::answer::rehearse::{Alternative, Outdated, Play, Step, Told};
use crate::words::{count, releases};

pub(crate) fn text(play: &Play) -> String {
    let width = width();
    let mut text = headline(play, width);
    for (i, step) in play.steps.iter().enumerate() {
        if play.steps.len() > 1 {
            text.push_str(&format!(
                "\n{}\n",
                style::strong(&format!("{}  {}", i + 1, step.words))
            ));
        } else {
            text.push('\n');
        }
        text.push_str(&table(&step.moves, width));
        text.push_str(if step.breaks.is_empty() { "" } else { "\n" });
        text.push_str(&super::build::foreseen(&step.builds, width));
        for one in &step.breaks {
            text.push_str(&labelled(
                "breaks",
                &style::barred("breaks"),
                &releases::broken(one),
                width,
            ));
        }
        for caution in &step.cautions {
            text.push_str(&labelled(
                "caution",
                &style::care("caution"),
                caution,
                width,
            ));
        }
    }
    if let Some(gaps) = &play.gaps {
        text.push('\n');
        for gap in gaps {
            let line = format!("{} (read)", escaped(gap));
            text.push_str(&labelled("breaks", &style::barred("breaks"), &line, width));
        }
        if gaps.is_empty() {
            let line = "importing what is there takes nothing then that is not there (read)";
            text.push_str(&labelled("proof", &style::good("proof"), line, width));
        }
    }
    if let Some(joint) = &play.joint {
        text.push('\n');
        text.push_str(&beside(play, joint, width));
    }
    if let Some(alternative) = &play.alternative {
        text.push('\n');
        text.push_str(&instead(alternative, width));
    }
    text.push_str(&style::dim_lines("\nnothing was changed\n"));
    text
}

fn headline(play: &Play, width: usize) -> String {
    let moves = || play.steps.iter().flat_map(|s| &s.moves);
    let changed = moves().filter(|m| m.moved.kind != MoveKind::Added).count();
    let added = moves().count() - changed;
    let silent = moves().filter(|m| m.moved.silent).count();
    let broken = play.broken().len();
    let words: Vec<&str> = play.steps.iter().map(|s| s.words.as_str()).collect();
    let gaps = play.gaps.as_ref().map_or(0, Vec::len);
    let head = match (broken, changed) {
        (0, _) if gaps > 0 => "Imports would break".to_owned(),
        (0, 0) => "Nothing moves".to_owned(),
        (0, n) => format!("{} would move", count(n, "project")),
        (b, _) => format!("{} would break", count(b, "need")),
    };
    let paint = match (broken, changed) {
        _ if gaps > 0 => style::barred(&head),
        (0, 0) => style::good(&head),
        (0, _) => style::care(&head),
        _ => style::barred(&head),
    };
    let mut rest = format!(
        " in {} with {}: {added} added",
        play.shown,
        words.join(", then ")
    );
    if broken > 0 || gaps > 0 {
        rest.push_str(&format!(", {changed} moved"));
    }
    if silent > 0 {
        rest.push_str(&format!(", {silent} of them placed on purpose"));
    }
    format!(
        "{}\n",
        wrap(&format!("{head}{rest}"), width)
            .join("\n")
            .replacen(&head, &paint, 1)
    )
}

fn table(moves: &[Told], width: usize) -> String {
    if moves.is_empty() {
        return "nothing moves: it is there already\n".to_owned();
    }
    let mut table = Table::new(&["", "project", "now", "then", "because"]);
    for told in moves {
        let m = &told.moved;
        let version = |v: &Option<Version>| v.as_ref().map_or("-".to_owned(), ToString::to_string);
        let mut why = m.because.join("; ");
        if m.silent {
            why.push_str("; it was placed on purpose");
        }
        if !told.loses.is_empty() {
            why.push_str(&format!("; loses {}", told.loses.join(", ")));
        }
        let (now, then) = match (m.kind, &m.files) {
            (MoveKind::Replaced, (Some(before), Some(after))) => (
                crate::words::file_part(before).to_owned(),
                crate::words::file_part(after).to_owned(),
            ),
            _ => (version(&m.before), version(&m.after)),
        };
        let word = if m.silent {
            format!("{} !", m.kind.as_str())
        } else {
            m.kind.as_str().to_owned()
        };
        table.row([word, m.project.to_string(), now, then, why]);
    }
    table.text(width)
}

/// The state after each step beside the joint answer, where they are not all the same.
fn beside(play: &Play, joint: &Alternative, width: usize) -> String {
    if !joint.facts.is_empty() {
        let facts = joint.facts.join("; ");
        return labelled(
            "together",
            &style::barred("together"),
            &format!("it cannot be: {facts}"),
            width,
        );
    }
    let mut heads: Vec<String> = vec!["project".into(), "now".into()];
    heads.extend((1..=play.steps.len()).map(|i| format!("after {i}")));
    heads.push("all at once".into());
    let heads: Vec<&str> = heads.iter().map(String::as_str).collect();
    let mut table = Table::new(&heads);
    let mut names: Vec<&Name> = joint
        .releases
        .keys()
        .chain(play.steps.iter().flat_map(|s| s.set.keys()))
        .collect();
    names.sort();
    names.dedup();
    for name in names {
        let mut cells = vec![
            play.before
                .get(name)
                .map_or("-".to_owned(), |p| p.version.to_string()),
        ];
        cells.extend(play.steps.iter().map(|s| {
            s.set
                .get(name)
                .map_or("-".to_owned(), |p| p.version.to_string())
        }));
        cells.push(
            joint
                .releases
                .get(name)
                .map_or("-".to_owned(), ToString::to_string),
        );
        if cells.iter().any(|c| Some(c) != cells.first()) {
            cells.insert(0, name.to_string());
            table.cells(cells);
        }
    }
    let same = play.steps.last().is_some_and(|last| {
        joint
            .releases
            .iter()
            .all(|(n, v)| last.set.get(n).is_some_and(|p| p.version == *v))
    });
    let line = if same {
        "one after the other comes to the same as all at once"
    } else {
        "one after the other does not come to the same as all at once"
    };
    format!("{}\n{}", style::strong(line), table.text(width))
}

fn instead(alternative: &Alternative, width: usize) -> String {
    if !alternative.facts.is_empty() {
        let told = format!(
            "no set keeps all that is there: {}",
            alternative.facts.join("; ")
        );
        return labelled("least", &style::barred("least"), &told, width);
    }
    let changed = alternative
        .moves
        .iter()
        .filter(|m| m.moved.kind != MoveKind::Added)
        .count();
    let moves = if changed == 0 {
        "nothing that is there moves".to_owned()
    } else {
        format!("{} move", count(changed, "project"))
    };
    let asks: Vec<String> = alternative
        .asks
        .iter()
        .map(|a| format!("\"{a}\""))
        .collect();
    let line = format!(
        "least  ask for  {}  and {moves}; nothing breaks",
        asks.join(" ")
    );
    let mut text = format!(
        "{}\n",
        wrap(&line, width)
            .join("\n")
            .replacen("least", &style::good("least"), 1)
    );
    text.push_str(&table(&alternative.moves, width));
    text
}

/// What is to be added cannot be placed at all.
pub(crate) fn refused(refusal: &Refusal<'_>, steps: &[Step]) -> String {
    let width = width();
    let head = "Cannot be placed";
    let done = match steps.last() {
        None => String::new(),
        Some(step) => format!(" after {}", step.words),
    };
    let line = format!(
        "{head} in {}{done}: {} clash",
        refusal.shown,
        count(refusal.clash.facts.len(), "fact")
    );
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(head, &style::barred(head), 1)
    );
    text.push_str(&clash::facts(refusal.clash, width));
    if !refusal.ways.is_empty() {
        text.push('\n');
        text.push_str(&ways::text(
            refusal.ways,
            &refusal.edits,
            &refusal.builds,
            &[],
            width,
        ));
    }
    text
}

/// What newer releases would move.
pub(crate) fn outdated(outdated: &Outdated) -> String {
    let width = width();
    let moving = outdated.all.iter().filter(|o| o.would_be.is_some()).count();
    let held = outdated.all.iter().filter(|o| !o.held.is_empty()).count();
    let of = count(outdated.count, "project");
    let line = match (moving, held) {
        (0, 0) => format!("Nothing of {} is out of date: {of}", outdated.base),
        (0, held) => format!(
            "Nothing of {} would move; {held} of {of} are held",
            outdated.base
        ),
        (moving, 0) => format!("Of {of} of {} {moving} would move", outdated.base),
        (moving, held) => format!(
            "Of {of} of {} {moving} would move, and {held} are held",
            outdated.base
        ),
    };
    let mut text = format!("{}\n", wrap(&line, width).join("\n"));
    if outdated.all.is_empty() {
        return text;
    }
    let mut table = Table::new(&[
        "project",
        "has",
        "published",
        "would be",
        "newest",
        "behind",
        "what holds the newest",
    ]);
    for one in &outdated.all {
        table.row([
            one.project.clone(),
            one.version.clone(),
            one.published.clone().unwrap_or_else(|| "-".to_owned()),
            one.would_be.clone().unwrap_or_else(|| "-".to_owned()),
            one.newest.clone(),
            one.days.map_or_else(|| "-".to_owned(), behind),
            one.held.join("; "),
        ]);
    }
    text.push_str(&format!("\n{}", table.text(width)));
    if let Some(take) = &outdated.take {
        text.push_str(&format!("\ntake what would move:  {take}\n"));
    }
    text
}

/// A span of days in the largest unit that says something.
fn behind(days: i64) -> String {
    match days {
        ..1 => "hours".to_owned(),
        1..=59 => count(usize::try_from(days).unwrap_or(0), "day"),
        60..=729 => count(usize::try_from(days / 30).unwrap_or(0), "month"),
        _ => count(usize::try_from(days / 365).unwrap_or(0), "year"),
    }
}
