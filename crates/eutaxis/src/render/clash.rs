//! A clash, as text: the facts with their origins, the contested releases as an axis, the ways out.

use eutaxis_core::Name;
use eutaxis_core::solve::{Clash, Contested, Fact, FactKind};
use eutaxis_world::supply::{Doubtful, Near};
use unicode_width::UnicodeWidthStr;

use super::axis::{Stretch, each, folded};
use super::table::{Table, labelled, wrap};
use super::ways::block;
use super::{style, ways, width};
use crate::answer::clash::{Refusal, Untried};

/// What is known as soon as the clash is: the facts, and the contested releases.
pub(crate) fn begin(clash: &Clash, shown: &str) -> String {
    let width = width();
    let mut text = headline(clash, shown, width);
    text.push_str(&facts(clash, width));
    for name in told(clash) {
        for contested in clash.contested.iter().filter(|c| c.project == name) {
            text.push('\n');
            text.push_str(&axis(contested, width));
        }
    }
    text
}

/// That a need by an address may be permitted.
pub(crate) fn by_address(name: &Name) -> String {
    let line = format!(
        "{name} is needed by an address of its own, which is taken where you permit it: the same \
            command with --permit-urls"
    );
    format!("\n{}", labelled("try", &style::care("try"), &line, width()))
}

/// Names that are nearly what was asked for, and no offer.
pub(crate) fn doubts(near: &Near, width: usize) -> String {
    let one = |doubtful: &Doubtful| {
        let text = crate::words::doubt(doubtful);
        labelled("caution", &style::care("caution"), &text, width)
    };
    near.doubtful.iter().map(one).collect()
}

/// What follows when the ways out are known.
pub(crate) fn rest(refusal: &Refusal<'_>) -> String {
    let width = width();
    let mut text = String::new();
    for absent in &refusal.absent {
        let name = &absent.name;
        let words: Vec<&str> = absent.near.offered.iter().map(Name::as_str).collect();
        let brought = absent.brought.as_ref().map(|b| b.instead_of(name));
        let advice = match (words.as_slice(), refusal.listed) {
            _ if brought.is_some() => brought.unwrap_or_default(),
            ([], true) => format!(
                "look at the name {name}: no depot has it; nothing there has a name like it"
            ),
            ([], false) => format!("no depot has {name}: {}", crate::words::NO_LIST),
            (words, _) => format!(
                "look at the name {name}: no depot has it; nearest: {}",
                words.join(", ")
            ),
        };
        text.push('\n');
        text.push_str(&labelled("try", &style::care("try"), &advice, width));
        text.push_str(&doubts(&absent.near, width));
    }
    let untried = || {
        let one = |u: &Untried| block("    ", &format!("{} ({})", u.text, u.because), width);
        let told: String = refusal.untried.iter().map(one).collect();
        let head = "not tried, because it would cost too much to learn what they need \
            (--fetch-limit permits more)";
        if told.is_empty() {
            told
        } else {
            format!("{}\n{told}", wrap(head, width).join("\n"))
        }
    };
    if refusal.ways.is_empty() {
        if refusal.absent.is_empty() {
            text.push('\n');
            let advice = "no way out was found: change one of the facts that are yours (a line \
                above, --interpreter, --wheels, --prereleases, --as-of) and settle again; nothing \
                was written";
            text.push_str(&labelled("try", &style::care("try"), advice, width));
        }
        return text + &untried();
    }
    text.push('\n');
    text.push_str(&ways::text(
        refusal.ways,
        &refusal.edits,
        &refusal.builds,
        &involved(refusal.clash),
        width,
    ));
    let several = refusal.ways.first().is_some_and(|w| w.changes.len() > 1);
    let behind = if several {
        "behind this clash lies another, which they mend too; "
    } else {
        ""
    };
    let example = if refusal.ways.len() == 1 {
        "take it"
    } else {
        "any one mends it; take one"
    };
    let which = match refusal.is_of_several {
        true => "the same command with this target alone and  --take a, then for all of them",
        false => "the same command with  --take a",
    };
    let line = format!("{behind}{example}: {which}  (nothing was written so far)");
    for line in wrap(&line, width) {
        text.push_str(&format!("{line}\n"));
    }
    text + &untried()
}

fn headline(clash: &Clash, shown: &str, width: usize) -> String {
    let head = "Cannot be settled";
    let clash = match clash.facts.len() {
        1 => "one fact rules it out".to_owned(),
        facts => format!("{facts} facts clash"),
    };
    let line = format!("{head} for {shown}: {clash}.");
    format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(head, &style::barred(head), 1)
    )
}

/// The facts, numbered, each with its place.
pub(crate) fn facts(clash: &Clash, width: usize) -> String {
    let mut table = Table::new(&["", "", ""]);
    for (i, fact) in clash.facts.iter().enumerate() {
        let (word, rest) = words(fact);
        let origin = fact.origin.as_ref().map_or(String::new(), |o| {
            format!("   ({})", crate::words::place(o))
        });
        table.row([
            format!("{:>2}", i + 1),
            word.to_owned(),
            format!("{rest}{origin}"),
        ]);
    }
    let mut text = table.text(width);
    // What makes facts of this kind clash is no fact of any project.
    if clash.facts.iter().any(|f| f.kind == FactKind::Built) {
        text.push_str(&block("    ", "One environment holds one toolkit.", width));
    }
    text
}

/// The word for a fact's kind, and the rest of it.
pub(crate) fn words(fact: &Fact) -> (&'static str, &str) {
    let word = match fact.kind {
        FactKind::Ask => "you ask",
        FactKind::Bound if fact.origin.is_none() => "held",
        FactKind::Bound => "you bound",
        FactKind::Needs => "needs",
        FactKind::Built => "built",
        FactKind::Bar(_) => "barred",
    };
    (word, &fact.said)
}

/// The contested projects that are drawn: those on which needs bear, else all.
pub(crate) fn told(clash: &Clash) -> Vec<Name> {
    // Bars alone say in words already that nothing is left.
    let is_bar = |fact: &usize| {
        clash
            .facts
            .get(*fact)
            .is_some_and(|f| matches!(f.kind, FactKind::Bar(_)))
    };
    let says_more = |c: &&Contested| c.rows.iter().any(|(fact, _)| !is_bar(fact));
    let by_needs = |c: &&Contested| {
        c.rows.iter().any(|(fact, _)| {
            clash
                .facts
                .get(*fact)
                .is_some_and(|f| f.kind == FactKind::Needs)
        })
    };
    let shared: Vec<Name> = clash
        .contested
        .iter()
        .filter(by_needs)
        .map(|c| c.project.clone())
        .collect();
    if shared.is_empty() {
        clash
            .contested
            .iter()
            .filter(says_more)
            .map(|c| c.project.clone())
            .collect()
    } else {
        shared
    }
}

/// Projects of which the clash speaks, the contested ones first.
fn involved(clash: &Clash) -> Vec<Name> {
    let mut names: Vec<Name> = clash.contested.iter().map(|c| c.project.clone()).collect();
    let asked = clash.facts.iter().filter(|f| f.kind == FactKind::Ask);
    for name in
        asked.filter_map(|f| Name::parse(f.project.split('[').next().unwrap_or(&f.project)).ok())
    {
        if !names.contains(&name) {
            names.push(name);
        }
    }
    names
}

/// Releases from left to right, one row per fact, and what is left: nothing.
fn axis(contested: &Contested, width: usize) -> String {
    let lead = contested.project.as_str().width().max("  fact 00".len()) + 3;
    let room = |stretches: &[Stretch]| {
        lead + stretches
            .iter()
            .map(|s| s.label().width().max(4) + 3)
            .sum::<usize>()
            <= width + 3
    };
    let all = each(contested);
    let stretches = if room(&all) { all } else { folded(contested) };
    if !room(&stretches) {
        return upright(contested, &stretches, width);
    }
    let mut lines = vec![format!("{:lead$}", format!(" {}", contested.project))];
    lines.extend(
        contested
            .rows
            .iter()
            .map(|(fact, _)| format!("{:lead$}", format!("   fact {}", fact + 1))),
    );
    lines.push(format!("{:lead$}", "   left"));
    let last = lines.len() - 1;
    for stretch in &stretches {
        let room = stretch.label().width().max(4);
        for (i, line) in lines.iter_mut().enumerate() {
            let cell = match i {
                0 => stretch.label(),
                i if i == last => ".".to_owned(),
                i => mark(stretch.allowed.get(i - 1).copied().unwrap_or(false), room),
            };
            line.push_str(&format!("{cell:<room$}   "));
        }
    }
    lines
        .iter()
        .enumerate()
        .map(|(i, line)| {
            let line = line.trim_end();
            let painted = if i == 0 {
                style::strong(line)
            } else {
                line.replace('#', &style::good("#"))
            };
            format!("{painted}\n")
        })
        .collect()
}

/// A stretch that a fact allows is filled.
fn mark(allowed: bool, room: usize) -> String {
    if allowed {
        "#".repeat(room.min(12))
    } else {
        ".".to_owned()
    }
}

/// The same turned by a right angle, for many stretches or few columns: a line for each stretch.
fn upright(contested: &Contested, stretches: &[Stretch], width: usize) -> String {
    let heads: Vec<String> = contested
        .rows
        .iter()
        .map(|(fact, _)| format!("fact {}", fact + 1))
        .collect();
    let label = stretches
        .iter()
        .map(|s| s.label().width())
        .max()
        .unwrap_or(0)
        .max(contested.project.as_str().width());
    let lead = (label + 4).min(width / 2);
    let mut text = format!(
        "{:lead$}{}  left",
        format!(" {}", contested.project),
        heads.join("  ")
    );
    text = format!("{}\n", style::strong(&text));
    for stretch in stretches {
        let mut line = format!("{:lead$}", format!("   {}", stretch.label()));
        if stretch.label().width() + 3 >= lead {
            line = format!("   {}\n{:lead$}", stretch.label(), "");
        }
        for (head, allowed) in heads.iter().zip(&stretch.allowed) {
            let room = head.width();
            line.push_str(&format!("{:<room$}  ", if *allowed { "####" } else { "." }));
        }
        text.push_str(&format!(
            "{}\n",
            format!("{line}.")
                .trim_end()
                .replace('#', &style::good("#"))
        ));
    }
    text
}
