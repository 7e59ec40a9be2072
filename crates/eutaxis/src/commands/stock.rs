//! `stock`: what cache and store hold, and making room in them.

use eutaxis_world::Error;
use eutaxis_world::build::{BUILT, Record, Shelf};
use eutaxis_world::stock::{Trim, look, trim};

use crate::cli::{Common, Stock};
use crate::output::{Answer, Outcome};
use crate::plan::Surroundings;
use crate::{render, report};

pub(crate) fn run(arguments: &Stock, common: &Common) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let wanted = arguments
        .trim
        .as_deref()
        .map(Trim::parse)
        .transpose()
        .map_err(|why| {
            Error::request(format!("--trim: {why}"))
                .help("--trim 30d drops what was not used for 30 days")
        })?;
    let freed = wanted.map(|t| trim(&surroundings.cache, t)).transpose()?;
    let parts = look(&surroundings.cache);
    let built: Vec<Record> = if surroundings.cache.join(BUILT).is_dir() {
        let all = Shelf::open(&surroundings.cache)?.all();
        all.into_iter().map(|(record, _)| record).collect()
    } else {
        Vec::new()
    };
    let report = report::Stock {
        cache: surroundings.cache.display().to_string(),
        parts: parts.iter().map(Into::into).collect(),
        bytes: parts.iter().map(|p| p.bytes).sum(),
        built: built.iter().map(Into::into).collect(),
        freed,
    };
    Ok(Answer {
        outcome: Outcome::Ok,
        text: render::stock::text(&surroundings.cache, &parts, &built, freed),
        report: report.into(),
    })
}
