//! What would move, as text and for programs.

use std::collections::BTreeMap;

use eutaxis_core::rehearse::{Break, Move, MoveKind, Set};
use eutaxis_core::solve::Clash;
use eutaxis_core::{Name, Version};
use serde_json::{Map, Value, json};

use super::table::{Table, labelled, wrap};
use super::{clash, count, style, ways, width};
use crate::commands::settle::Refusal;

/// A move with what is lost by it.
pub(crate) struct Told {
    pub(crate) moved: Move,
    pub(crate) loses: Vec<String>,
}

/// One thing placed by itself.
pub(crate) struct Step {
    pub(crate) words: String,
    pub(crate) moves: Vec<Told>,
    pub(crate) breaks: Vec<Break>,
    pub(crate) cautions: Vec<String>,
    pub(crate) set: Set,
}

/// Another answer: everything heeded together.
#[derive(Default)]
pub(crate) struct Alternative {
    /// What to ask for, exactly.
    pub(crate) asks: Vec<String>,
    pub(crate) moves: Vec<Told>,
    /// There is none: the facts that clash.
    pub(crate) facts: Vec<String>,
    pub(crate) releases: BTreeMap<Name, Version>,
}

impl Alternative {
    /// There is none.
    pub(crate) fn impossible(clash: &Clash) -> Self {
        Alternative {
            facts: clash.facts.iter().map(|f| f.text.clone()).collect(),
            ..Alternative::default()
        }
    }
}

/// The whole play.
pub(crate) struct Play {
    pub(crate) shown: String,
    pub(crate) before: Set,
    pub(crate) steps: Vec<Step>,
    pub(crate) joint: Option<Alternative>,
    pub(crate) alternative: Option<Alternative>,
}

impl Play {
    pub(crate) fn breaks_nothing(&self) -> bool {
        self.steps.last().is_none_or(|_| self.broken().is_empty())
    }

    /// What is broken at the end.
    fn broken(&self) -> Vec<Break> {
        self.steps.last().map_or(Vec::new(), |last| {
            eutaxis_core::rehearse::breaks(&self.before, &last.set)
        })
    }

    pub(crate) fn json(&self) -> Map<String, Value> {
        let mut object = Map::new();
        object.insert("base".into(), json!(self.shown));
        let moves: Vec<Value> = self
            .steps
            .iter()
            .flat_map(|s| &s.moves)
            .map(move_json)
            .collect();
        object.insert("moves".into(), json!(moves));
        object.insert(
            "breaks".into(),
            json!(self.broken().iter().map(break_json).collect::<Vec<_>>()),
        );
        let cautions: Vec<&String> = self.steps.iter().flat_map(|s| &s.cautions).collect();
        object.insert("cautions".into(), json!(cautions));
        if self.steps.len() > 1 {
            let steps = self.steps.iter().map(|s| {
                let state: Map<String, Value> = s
                    .set
                    .iter()
                    .map(|(n, p)| (n.to_string(), json!(p.version.to_string())))
                    .collect();
                json!({
                    "asks": s.words, "moves": s.moves.iter().map(move_json).collect::<Vec<_>>(),
                    "breaks": s.breaks.iter().map(break_json).collect::<Vec<_>>(), "state": state,
                })
            });
            object.insert("steps".into(), Value::Array(steps.collect()));
        }
        if let Some(joint) = &self.joint {
            object.insert("joint".into(), alternative_json(joint));
        }
        if let Some(alternative) = &self.alternative {
            let key = if alternative.facts.is_empty() {
                "alternative"
            } else {
                "impossible"
            };
            object.insert(key.into(), alternative_json(alternative));
        }
        object
    }
}

fn move_json(told: &Told) -> Value {
    let m = &told.moved;
    json!({
        "project": m.project.as_str(), "before": m.before.as_ref().map(ToString::to_string),
        "after": m.after.as_ref().map(ToString::to_string), "kind": m.kind.as_str(), "because": m.because.join("; "),
        "silent": m.silent, "loses": told.loses,
    })
}

fn break_json(b: &Break) -> Value {
    json!({
        "project": b.project.as_str(), "version": b.version.to_string(), "needs": b.needs.to_string(),
        "found": b.found.to_string(), "text": break_words(b),
    })
}

fn break_words(b: &Break) -> String {
    format!(
        "{} {} needs {}, and finds {}",
        b.project,
        b.version,
        b.needs.short(),
        b.found
    )
}

fn alternative_json(alternative: &Alternative) -> Value {
    let releases: Map<String, Value> = alternative
        .releases
        .iter()
        .map(|(n, v)| (n.to_string(), json!(v.to_string())))
        .collect();
    json!({
        "outcome": if alternative.facts.is_empty() { "ok" } else { "no" }, "asks": alternative.asks,
        "moves": alternative.moves.iter().map(move_json).collect::<Vec<_>>(), "facts": alternative.facts, "pins": releases,
    })
}

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
        for one in &step.breaks {
            text.push_str(&labelled(
                "breaks",
                &style::barred("breaks"),
                &break_words(one),
                width,
            ));
        }
        for caution in &step.cautions {
            text.push_str(&labelled("care", &style::care("care"), caution, width));
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
    let head = match (broken, changed) {
        (0, 0) => "Nothing moves".to_owned(),
        (0, n) => format!("{} would move", count(n, "project")),
        (b, _) => format!("{} would break", count(b, "need")),
    };
    let paint = match (broken, changed) {
        (0, 0) => style::good(&head),
        (0, _) => style::care(&head),
        _ => style::barred(&head),
    };
    let mut rest = format!(
        " in {} with {}: {added} added",
        play.shown,
        words.join(", then ")
    );
    if broken > 0 {
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
                super::file_part(before).to_owned(),
                super::file_part(after).to_owned(),
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
        text.push_str(&ways::text(refusal.ways, &refusal.edits, &[], width));
    }
    text
}
