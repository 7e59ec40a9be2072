//! Causes in the open format for findings of checks (SARIF 2.1.0): each at the line of the log that
//! shows it.

use std::path::Path;

use eutaxis_world::Error;

use crate::answer::diagnose::Found;
use crate::sarif::{Level, Location, Region, Result, write as write_log};

/// Writes the causes, whole or not at all.
pub(super) fn write(
    found: &[Found],
    log: Option<&Path>,
    file: &Path,
) -> std::result::Result<(), Error> {
    write_log(
        found
            .iter()
            .enumerate()
            .map(|(place, f)| result(f, place == 0, log)),
        file,
    )
}

fn result(found: &Found, root: bool, log: Option<&Path>) -> Result {
    let todo = found.told.remedies.first().map_or(String::new(), |r| {
        let change = r.step.as_ref().map_or(String::new(), |s| {
            format!(": {}", crate::words::steps::typed(s))
        });
        format!(" To do: {}{change}", r.words)
    });
    let place = |log: &Path| {
        let region = Region::line(found.cause.line, &found.cause.excerpt);
        Location::new(log, Some(region))
    };
    Result::new(
        &found.cause.id,
        if root { Level::Error } else { Level::Warning },
        format!("{}: {}.{todo}", found.told.title, found.told.explanation),
        log.into_iter().map(place).collect(),
    )
}
