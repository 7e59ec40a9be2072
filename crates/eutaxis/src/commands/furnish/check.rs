//! `--check`: whether the environment is as pinned, and the pins as asked. Nothing is changed.

use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{Furnish as Request, LinkMode, foresee};

use super::Prepared;
use crate::answer::furnish::Checked;
use crate::cli::Furnish;
use crate::output::{Answer, Outcome};
use crate::plan::Surroundings;
use crate::words::near;
use crate::{render, report, typed};

pub(super) fn answer(
    prepared: &[Prepared],
    arguments: &Furnish,
    surroundings: &Surroundings,
    depots: &Arc<Depots>,
) -> Result<Answer, Error> {
    let all = prepared
        .iter()
        .map(|one| checked(one, arguments, surroundings, depots))
        .collect::<Result<Vec<Checked>, Error>>()?;
    let holds = all.iter().all(Checked::holds);
    Ok(Answer {
        outcome: if holds { Outcome::Ok } else { Outcome::No },
        text: render::furnish::checked(&all),
        report: report::Furnish::Checked(report::FurnishChecked::of(&all)).into(),
    })
}

fn checked(
    one: &Prepared,
    arguments: &Furnish,
    surroundings: &Surroundings,
    depots: &Arc<Depots>,
) -> Result<Checked, Error> {
    let request = Request {
        at: one.at.clone(),
        items: one.items.clone(),
        python: &one.python.facts,
        tidy: arguments.tidy,
        share_system: None,
        link: LinkMode::Auto,
        cache: surroundings.cache.clone(),
        network: depots.network(),
        settled_for: None,
    };
    let sources = one.sources.iter();
    let built: Vec<(Name, String)> = sources.map(|s| s.release()).collect();
    let report = foresee(&request, &built)?;
    let mut words = vec![near(&one.pins)];
    if arguments.at.is_some() {
        words.extend(["--at".to_owned(), near(&one.at)]);
    }
    if arguments.tidy {
        words.push("--tidy".to_owned());
    }
    Ok(Checked {
        report,
        since: one.since(),
        settle: one.settle_again(),
        furnish: format!("eutaxis furnish{}", typed::line(&words)),
    })
}
