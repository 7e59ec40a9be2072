//! What cache and store hold, for programs.

use eutaxis_world::build::Record;
use eutaxis_world::stock::Part as Held;
use schemars::JsonSchema;
use serde::Serialize;

/// What `stock` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Stock {
    pub(crate) cache: String,
    pub(crate) parts: Vec<Part>,
    /// All of it.
    pub(crate) bytes: u64,
    /// Wheels that were built here from source.
    pub(crate) built: Vec<Built>,
    /// With `--trim`: what went.
    pub(crate) freed: Option<u64>,
}

/// A part of it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Part {
    what: String,
    entries: u64,
    bytes: u64,
}

impl From<&Held> for Part {
    fn from(part: &Held) -> Self {
        Part {
            what: part.what.to_owned(),
            entries: part.entries,
            bytes: part.bytes,
        }
    }
}

/// A wheel that was built here.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Built {
    name: String,
    version: String,
    wheel: String,
    sha256: String,
    /// The archive it was built from, by its SHA-256.
    archive: String,
    /// What the build environment held: project and release.
    by: Vec<String>,
    compiler: Option<String>,
    /// Libraries of the system that it came to need.
    libraries: Vec<String>,
    /// What was taken away from the build.
    without: Vec<String>,
    /// Whether another build gave the same bytes; null when there was one build.
    reproduced: Option<bool>,
    seconds: f64,
    at: String,
}

impl From<&Record> for Built {
    fn from(record: &Record) -> Self {
        let by = record
            .by
            .iter()
            .map(|(name, version, _)| format!("{name} {version}"));
        Built {
            name: record.project.clone(),
            version: record.version.clone(),
            wheel: record.wheel.clone(),
            sha256: record.sha256.clone(),
            archive: record.key.archive.clone(),
            by: by.collect(),
            compiler: record.key.compiler.clone(),
            libraries: record.libraries.clone(),
            without: record.without.clone(),
            reproduced: record.reproduced,
            seconds: record.seconds,
            at: record.at.clone(),
        }
    }
}
