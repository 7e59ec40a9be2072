//! What is here, in a few lines: one for each matter, the next step last.

use eutaxis_core::fault::escaped;
use eutaxis_world::environment::Fault;

use crate::answer::here::{Asks, Environment, Held, Here, Next, Pins, Start, Starts, Who};
use crate::words::{count, near};

use super::style;
use super::table::labelled;
use super::width;

/// Columns before what a line says.
const INDENT: usize = 11;
/// So many names are told of those that differ.
const MOST_NAMES: usize = 3;

pub(crate) fn text(here: &Here, next: &Next) -> String {
    let label = format!("{:INDENT$}", "next");
    let last = labelled(
        &label,
        &style::strong(&label),
        &format!("{}   ({})", next.line, next.why),
        width(),
    );
    let mut rows: Vec<(&str, String)> = Vec::new();
    match &here.environment {
        Some(found) => rows.push(("environment", environment(found, here))),
        None => rows.push((
            "environment",
            "none in this folder, and none is entered".into(),
        )),
    }
    match &here.pins {
        Some(found) => rows.push(("pins", pins(found))),
        None if here.unread.is_some() => {
            let file = here.unread.iter().map(|p| near(p)).collect::<String>();
            rows.push(("pins", format!("{file} cannot be read")));
        }
        None if here.asks.is_none() => rows.push(("pins", "none, and nothing is asked".into())),
        None => rows.push(("pins", "none".into())),
    }
    rows.extend(
        here.asks
            .iter()
            .map(|a| ("asks", asks(a, here.pins.is_some()))),
    );
    for (who, label) in [
        (Who::Shell, ""),
        (Who::Editor, "editor"),
        (Who::Notebook, "notebook"),
    ] {
        let of: Vec<&Starts> = here.starts.iter().filter(|s| s.who == who).collect();
        // Of several the one that goes astray is worth the line.
        let astray = of.iter().find(|s| s.standing != Start::Own);
        let Some(told) = astray.or(of.first()) else {
            continue;
        };
        let label = if who == Who::Shell {
            told.by.as_str()
        } else {
            label
        };
        rows.push((label, starts(told, here)));
    }
    let lines = rows.iter().map(|(label, says)| {
        let label = format!("{label:INDENT$}");
        labelled(&label, &style::dim(&label), &escaped(says), width())
    });
    lines.chain([last]).collect()
}

fn environment(found: &Environment, here: &Here) -> String {
    let standing = &found.standing;
    let entered = if found.entered { " (entered)" } else { "" };
    let mut text = format!("{}{entered}", near(&found.root));
    let broken = standing.faults.first().map(|fault| match fault {
        Fault::Gone => "its folder is gone".to_owned(),
        Fault::NoInterpreter => "it has no interpreter".to_owned(),
        Fault::BaseGone(base) => format!("its interpreter is gone ({})", base.display()),
        Fault::Moved(from) => format!("made at {}, where its scripts lead", from.display()),
    });
    match (broken, &standing.version) {
        (Some(broken), _) => text.push_str(&format!(": {broken}")),
        (None, version) => {
            let version = version.as_deref().map(|v| format!("Python {v}"));
            let base = standing.base.as_ref().map(|b| b.display().to_string());
            let of = [version, base].into_iter().flatten().collect::<Vec<_>>();
            text.push_str(&format!(": {}", of.join(" of ")));
            let holds = match standing.projects.len() {
                0 => "empty".to_owned(),
                some => count(some, "project"),
            };
            text.push_str(&format!(", {holds}"));
        }
    }
    if let Some(own) = &here.other {
        text.push_str(&format!("; that of this folder is {}", near(own)));
    }
    let beside: Vec<String> = here.beside.iter().map(|root| near(root)).collect();
    if found.entered && !beside.is_empty() {
        text.push_str(&format!("; within another one: {}", beside.join(", ")));
    }
    text
}

fn pins(found: &Pins) -> String {
    let mut text = format!(
        "{}: {}",
        near(&found.path),
        count(found.projects, "project")
    );
    match &found.held {
        None => text.push_str("; no environment holds them"),
        Some(held) if held.is_all() => {
            text.push_str(&format!("; {} holds them", near(&held.root)));
        }
        Some(held) => text.push_str(&lacks(held)),
    }
    text
}

fn lacks(held: &Held) -> String {
    let some = |what: &str, names: &[String]| {
        let shown = names.iter().take(MOST_NAMES).map(String::as_str);
        let mut told = format!("{what} {}", shown.collect::<Vec<_>>().join(", "));
        if names.len() > MOST_NAMES {
            told.push_str(&format!(" and {} more", names.len() - MOST_NAMES));
        }
        (!names.is_empty()).then_some(told)
    };
    let both = [some("lacks", &held.absent), some("has", &held.other)];
    let both: Vec<String> = both.into_iter().flatten().collect();
    format!("; {} {}", near(&held.root), both.join(" and "))
}

fn asks(found: &Asks, pinned: bool) -> String {
    let path = near(&found.path);
    let number = match &found.number {
        Ok(number) => count(*number, "ask"),
        Err(why) => return format!("{path}: {why}"),
    };
    match (&found.moved, pinned) {
        (Some(moved), _) => format!("{path}: {number}; since they were pinned: {moved}"),
        (None, true) => format!("{path}: {number}, as pinned"),
        (None, false) => format!("{path}: {number}, not pinned"),
    }
}

fn starts(told: &Starts, here: &Here) -> String {
    let shown = near(&told.interpreter);
    let own = || {
        let root = here.environment.as_ref().map(|e| near(&e.root));
        root.unwrap_or_default()
    };
    let says = match told.standing {
        Start::Own => format!("starts {shown}"),
        Start::Another => format!("starts {shown}, not that of {}", own()),
        Start::Forwards => format!("starts {shown}, a script that starts another one"),
        Start::Gone => format!("is to start {shown}, which is not there"),
    };
    let choose = match (&here.environment, told.standing) {
        (Some(e), Start::Another | Start::Gone) if told.who != Who::Shell => {
            let python = eutaxis_world::interpreter::environment_python(&e.root);
            let whole = std::path::absolute(&python).unwrap_or(python);
            format!("; choose {} there", whole.display())
        }
        _ => String::new(),
    };
    match told.who {
        Who::Shell => says,
        Who::Editor | Who::Notebook => format!("{says} ({}){choose}", told.by),
    }
}
