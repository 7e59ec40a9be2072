//! The open format for findings of checks (SARIF 2.1.0), which CI services and editors show.
//!
//! The parts of the format that are used, by its own names (sections 3.13 to 3.31).

use std::collections::BTreeSet;
use std::path::Path;

use eutaxis_world::Error;
use eutaxis_world::files::{file_url, write_whole};
use serde::Serialize;

/// A finding in that format (3.27).
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub(crate) struct Result {
    rule_id: String,
    level: Level,
    locations: Vec<Location>,
    message: Message,
}

/// How bad it is (3.27.10).
#[derive(Debug, Clone, Copy, Serialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Level {
    Error,
    Warning,
    Note,
}

/// Where it is (3.28).
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub(crate) struct Location {
    physical_location: PhysicalLocation,
}

/// A file, and a place in it (3.29).
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct PhysicalLocation {
    artifact_location: ArtifactLocation,
    #[serde(skip_serializing_if = "Option::is_none")]
    region: Option<Region>,
}

#[derive(Debug, Serialize)]
struct ArtifactLocation {
    uri: String,
}

/// Lines of a file (3.30).
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub(crate) struct Region {
    /// From 1.
    start_line: u64,
    snippet: Message,
}

#[derive(Debug, Serialize)]
struct Message {
    text: String,
}

/// The whole file (3.13).
#[derive(Debug, Serialize)]
struct Log {
    version: &'static str,
    runs: [Run; 1],
}

/// What one run of a program found (3.14).
#[derive(Debug, Serialize)]
struct Run {
    tool: Tool,
    results: Vec<Result>,
}

#[derive(Debug, Serialize)]
struct Tool {
    driver: Driver,
}

/// The program (3.19).
#[derive(Debug, Serialize)]
struct Driver {
    name: &'static str,
    version: &'static str,
    rules: Vec<Rule>,
}

/// A check (3.49).
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Rule {
    id: String,
    short_description: Message,
}

impl Result {
    pub(crate) fn new(id: &str, level: Level, message: String, locations: Vec<Location>) -> Self {
        Result {
            rule_id: id.to_owned(),
            level,
            locations,
            message: Message { text: message },
        }
    }
}

impl Location {
    /// A file, or lines of it.
    pub(crate) fn new(file: &Path, region: Option<Region>) -> Self {
        Location {
            physical_location: PhysicalLocation {
                artifact_location: ArtifactLocation {
                    uri: file_url(file),
                },
                region,
            },
        }
    }
}

impl Region {
    /// A line, with its text.
    pub(crate) fn line(number: u64, text: &str) -> Self {
        Region {
            start_line: number,
            snippet: Message {
                text: text.to_owned(),
            },
        }
    }
}

/// Writes findings, whole or not at all.
pub(crate) fn write(
    results: impl Iterator<Item = Result>,
    file: &Path,
) -> std::result::Result<(), Error> {
    let results: Vec<Result> = results.collect();
    let ids: BTreeSet<&str> = results.iter().map(|r| r.rule_id.as_str()).collect();
    let rules = ids.into_iter().map(|id| Rule {
        id: id.to_owned(),
        short_description: Message {
            text: id.replace('-', " "),
        },
    });
    let driver = Driver {
        name: "eutaxis",
        version: env!("CARGO_PKG_VERSION"),
        rules: rules.collect(),
    };
    let log = Log {
        version: "2.1.0",
        runs: [Run {
            tool: Tool { driver },
            results,
        }],
    };
    let text = serde_json::to_string_pretty(&log).unwrap_or_default();
    write_whole(file, format!("{text}\n").as_bytes())
}
