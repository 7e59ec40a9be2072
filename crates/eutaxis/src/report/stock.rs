//! What cache and store hold, for programs.

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
