//! The one line that comes next, by what is here.

use eutaxis_core::shell::quoted;
use eutaxis_world::environment::Fault;

use crate::answer::here::{Here, Next, Start, Who};
use crate::words::enter;
use crate::words::near;
use crate::{paired, typed};

/// Where nothing is here.
fn first() -> Next {
    line(
        "eutaxis demo",
        "the whole way on made-up data; then  eutaxis settle PROJECT",
    )
}

fn line(line: impl Into<String>, why: impl Into<String>) -> Next {
    Next {
        line: line.into(),
        why: why.into(),
    }
}

/// What makes good what is wrong, the first thing first; else the next step of the work.
pub(super) fn of(here: &Here) -> Next {
    if let Some(mends) = broken(here) {
        return mends;
    }
    let settle = |why: &str| {
        if !here.has_depot && here.pins.is_none() {
            // Pins remember where their files come from; a first question has to name it.
            let why = "names the place that files come from: an index, a page of links, or a folder \
                of wheels";
            return line("eutaxis depots --keep URL", why);
        }
        let again = here
            .pins
            .as_ref()
            .map(|p| paired::settle_again_line(&p.path, &[]));
        line(again.unwrap_or_else(|| "eutaxis settle".to_owned()), why)
    };
    if let Some(pins) = &here.unread {
        let file = quoted(&near(pins));
        return line(
            format!("eutaxis proofread {file}"),
            "tells what is wrong in them",
        );
    }
    match (&here.asks, &here.pins) {
        (Some(asks), _) if asks.number.is_err() => {
            let file = quoted(&near(&asks.path));
            return line(
                format!("eutaxis proofread {file}"),
                "tells what is wrong in it",
            );
        }
        (Some(_), None) => return settle("pins what is asked"),
        (Some(asks), Some(_)) if asks.moved.is_some() => {
            return settle("pins what is asked now; what is pinned stays where it can");
        }
        (None, None) if here.environment.is_none() => return first(),
        _ => {}
    }
    if let Some(pins) = &here.pins {
        let furnish = match near(&pins.path).as_str() {
            "pylock.toml" => "eutaxis furnish".to_owned(),
            file => format!("eutaxis furnish {}", quoted(file)),
        };
        match &pins.held {
            None => return line(furnish, "makes the environment"),
            Some(held) if !held.is_all() => return line(furnish, "places what is pinned"),
            Some(_) => {}
        }
    }
    let Some(environment) = &here.environment else {
        return first();
    };
    let starts_another = here
        .starts
        .iter()
        .any(|s| s.who == Who::Shell && s.standing == Start::Another);
    let wanted = here.other.as_ref().unwrap_or(&environment.root);
    if here.other.is_some() || !environment.entered || starts_another {
        return line(enter::line(wanted), "enters it");
    }
    let name = quoted(&near(&environment.root));
    line(
        format!("eutaxis examine {name}"),
        "looks whether all of it is sound",
    )
}

/// An environment that is not whole.
fn broken(here: &Here) -> Option<Next> {
    let environment = here.environment.as_ref()?;
    let fault = environment.standing.faults.first()?;
    let root = near(&environment.root);
    let again = || {
        let own = here.pins.as_ref().and_then(|p| p.held.as_ref());
        let of_pins = own.is_some_and(|h| h.root == environment.root);
        let file = here.pins.as_ref().filter(|_| of_pins);
        let mut words = vec!["furnish".to_owned()];
        words.extend(file.map(|p| near(&p.path)).filter(|p| p != "pylock.toml"));
        if !of_pins && root != ".venv" {
            words.extend(["--at".to_owned(), root.clone()]);
        }
        format!("eutaxis{}", typed::line(&words))
    };
    Some(match fault {
        Fault::Gone => line("deactivate", "leaves it; then look again:  eutaxis"),
        Fault::BaseGone(_) | Fault::NoInterpreter | Fault::Moved(_) => line(
            format!("rm -r {} && {}", quoted(&root), again()),
            "makes it anew",
        ),
    })
}
