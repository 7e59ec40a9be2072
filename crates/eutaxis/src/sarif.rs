//! The open format for findings of checks (SARIF 2.1.0), which CI services and editors show.

use std::collections::BTreeSet;
use std::path::Path;

use eutaxis_world::Error;
use eutaxis_world::files::{file_url, write_whole};
use serde_json::{Value, json};

/// A finding in that format.
#[derive(Debug)]
pub(crate) struct Result {
    /// The id of the rule.
    pub(crate) id: String,
    /// `error`, `warning` or `note`.
    pub(crate) level: &'static str,
    pub(crate) message: String,
    pub(crate) locations: Vec<Value>,
}

/// A file, and a place in it.
pub(crate) fn located(file: &Path, region: Option<&Value>) -> Value {
    let mut place = json!({"artifactLocation": {"uri": file_url(file)}});
    if let Some(region) = region {
        place["region"] = region.clone();
    }
    json!({"physicalLocation": place})
}

/// Writes findings, whole or not at all.
pub(crate) fn write(
    results: impl Iterator<Item = Result>,
    file: &Path,
) -> std::result::Result<(), Error> {
    let results: Vec<Result> = results.collect();
    let ids: BTreeSet<&str> = results.iter().map(|r| r.id.as_str()).collect();
    let rules: Vec<Value> = ids
        .iter()
        .map(|id| json!({"id": id, "shortDescription": {"text": id.replace('-', " ")}}))
        .collect();
    let results: Vec<Value> = results
        .iter()
        .map(|r| json!({"ruleId": r.id, "level": r.level, "locations": r.locations, "message": {"text": r.message}}))
        .collect();
    let log = json!({
        "version": "2.1.0",
        "runs": [{
            "tool": {"driver": {"name": "eutaxis", "version": env!("CARGO_PKG_VERSION"), "rules": rules}},
            "results": results,
        }],
    });
    let text = serde_json::to_string_pretty(&log).unwrap_or_default();
    write_whole(file, format!("{text}\n").as_bytes())
}
