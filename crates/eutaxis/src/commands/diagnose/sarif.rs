//! Causes in the open format for findings of checks (SARIF 2.1.0): each at the line of the log that
//! shows it.

use std::path::Path;

use eutaxis_world::Error;
use serde_json::{Value, json};

use super::Found;
use crate::sarif::{Result, located, write as write_log};

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
        let change = r
            .change
            .as_ref()
            .map_or(String::new(), |c| format!(": {c}"));
        format!(" To do: {}{change}", r.text)
    });
    let region = json!({"startLine": found.cause.line, "snippet": {"text": found.cause.excerpt}});
    let locations: Vec<Value> = log.iter().map(|log| located(log, Some(&region))).collect();
    Result {
        id: found.cause.id.clone(),
        level: if root { "error" } else { "warning" },
        message: format!("{}: {}.{todo}", found.told.title, found.told.explanation),
        locations,
    }
}
