//! Ways out in words, and the options that they stand for.

use eutaxis_core::Name;
use eutaxis_core::solve::{Change, Environment, Way};

use super::{day, place};

/// The change in words.
pub(crate) fn sentence(way: &Way) -> String {
    if let [first, second] = way.environments.as_slice() {
        let asks = |e: &Environment| {
            // The same project in both is told with its bounds.
            let both = |name: &Name| {
                way.environments
                    .iter()
                    .all(|e| e.problem.asks.iter().any(|a| a.requirement.name == *name))
            };
            let word = |a: &eutaxis_core::Ask| match both(&a.requirement.name) {
                true => a.requirement.short(),
                false => a.requirement.name.to_string(),
            };
            let names: Vec<String> = e.problem.asks.iter().map(word).collect();
            let on = e
                .interpreter
                .as_ref()
                .map_or(String::new(), |a| format!(" with {}", interpreter(a)));
            format!("{{{}}}{on}", names.join(", "))
        };
        return format!("two environments: {} and {}", asks(first), asks(second));
    }
    changes(&way.changes)
}

/// Several changes in words.
pub(crate) fn changes(all: &[Change]) -> String {
    let all: Vec<String> = all.iter().map(change).collect();
    all.join(", and ")
}

fn interpreter(other: &eutaxis_core::solve::Alternative) -> String {
    let version = other.target.interpreter.to_string();
    if other.here {
        format!("{version}, here at {}", other.name)
    } else {
        version
    }
}

fn change(change: &Change) -> String {
    let bounds =
        |r: &eutaxis_core::Requirement| r.versions().map_or(String::new(), ToString::to_string);
    match change {
        Change::Ask(old, new) => format!(
            "ask {} instead of {}",
            new.short(),
            bounds(&old.requirement)
        ),
        Change::Bound(old, new) => format!(
            "bound {} instead of {}",
            new.short(),
            bounds(&old.requirement)
        ),
        Change::DropAsk(old) => format!("do without {}", old.requirement.short()),
        Change::DropBound(old) => format!("without the bound {}", old.requirement.short()),
        Change::Pin(new) => format!("ask for {} exactly, though it is yanked", new.short()),
        Change::Interpreter(other) => format!("use {}", interpreter(other)),
        Change::Accelerators(all) if all.is_empty() => {
            "take builds without accelerators".to_owned()
        }
        Change::Unrequired(_) => "take releases that leave the accelerator unused".to_owned(),
        Change::Accelerators(all) => {
            format!(
                "a place with {}",
                all.here
                    .iter()
                    .map(ToString::to_string)
                    .collect::<Vec<_>>()
                    .join(" and ")
            )
        }
        Change::Build(name) => format!("permit building {name} from source"),
        Change::Prereleases(name) => format!("permit pre-releases of {name}"),
        Change::AsOf(moment) => format!("take what was there on {}", day(*moment)),
        Change::TakeUndated => "take files whose depot gives no date too".to_owned(),
        Change::Adjust(adjustment) => match &adjustment.effect {
            eutaxis_core::offer::Effect::Needs(needs) => format!(
                "last resort: take {} {} with {}, against what it says",
                adjustment.project,
                adjustment.versions,
                needs.short()
            ),
            eutaxis_core::offer::Effect::MadeFor(made_for) => {
                format!("{} is {made_for}", adjustment.project)
            }
            eutaxis_core::offer::Effect::NeedsOnly(_) => {
                format!("{} needs only what is stated", adjustment.project)
            }
            eutaxis_core::offer::Effect::Take => {
                format!("take {} though it is quarantined", adjustment.project)
            }
            eutaxis_core::offer::Effect::FailsToBuild => {
                format!(
                    "{} {} has no source that builds",
                    adjustment.project, adjustment.versions
                )
            }
            eutaxis_core::offer::Effect::Hashed(_) => {
                format!("take {} by its hashes alone", adjustment.project)
            }
            eutaxis_core::offer::Effect::Avoid => {
                format!("avoid {} {}", adjustment.project, adjustment.versions)
            }
        },
        Change::DropAdjust(adjustment) => {
            format!(
                "without the adjustment of {} ({})",
                adjustment.project,
                place(&adjustment.origin)
            )
        }
    }
}

/// The options that a way stands for, as typed.
pub(crate) fn options(way: &Way) -> Vec<String> {
    let typed = |words: Vec<String>| crate::typed::line(&words).trim_start().to_owned();
    way.changes.iter().filter_map(option).map(typed).collect()
}

/// The option that makes a change, where one does, and its value if it has one.
pub(crate) fn option(change: &Change) -> Option<Vec<String>> {
    let two = |option: &str, value: String| Some(vec![option.to_owned(), value]);
    match change {
        Change::Interpreter(other) => two("--interpreter", other.name.clone()),
        Change::Accelerators(all) | Change::Unrequired(all) => {
            two("--accelerator", all.as_option())
        }
        Change::Build(name) => two("--build", name.to_string()),
        Change::Prereleases(name) => two("--prereleases", name.to_string()),
        Change::AsOf(moment) => two("--as-of", moment.to_string()),
        Change::TakeUndated => Some(vec!["--take-undated".to_owned()]),
        Change::Ask(..)
        | Change::DropAsk(_)
        | Change::Bound(..)
        | Change::DropBound(_)
        | Change::Pin(_)
        | Change::Adjust(_)
        | Change::DropAdjust(_) => None,
    }
}
