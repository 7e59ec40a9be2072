//! What went wrong, for programs.

use eutaxis_world::{Error, ErrorKind};
use schemars::JsonSchema;
use serde::Serialize;

/// No answer: the object that is printed then. The outcome is `no` where the answer would cost more
/// than is permitted.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Failed {
    /// Null where the arguments name none.
    command: Option<String>,
    /// The program's.
    version: String,
    #[schemars(extend("enum" = ["no", "error"]))]
    outcome: String,
    error: Failure,
}

impl Failed {
    pub(crate) fn new(command: Option<&str>, outcome: &str, error: Failure) -> Self {
        Failed {
            command: command.map(str::to_owned),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            outcome: outcome.to_owned(),
            error,
        }
    }
}

/// An error: the first, with the others behind it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Failure {
    /// Who has to act.
    #[schemars(extend("enum" = [
        "request", "network", "disk", "permission", "interpreter", "contents", "metadata",
        "budget", "internal",
    ]))]
    kind: String,
    message: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<Place>,
    /// What to do.
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<String>,
    /// Without the network: what was not fetched before.
    #[serde(skip_serializing_if = "Option::is_none")]
    missing: Option<String>,
    /// What else went wrong.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    more: Vec<Failure>,
}

/// A place in a text file.
#[derive(Debug, Serialize, JsonSchema)]
struct Place {
    file: String,
    /// From 1.
    line: u32,
    /// In characters, from 1.
    column: u32,
    text: String,
}

impl From<&Error> for Failure {
    fn from(error: &Error) -> Self {
        Failure {
            kind: error.kind.as_str().to_owned(),
            message: error.message.clone(),
            place: error.places.first().map(|place| Place {
                file: place.file.clone(),
                line: place.line,
                column: place.column,
                text: place.text.clone(),
            }),
            help: error.help.clone(),
            missing: error.missing.clone(),
            more: Vec::new(),
        }
    }
}

impl Failure {
    /// The arguments are wrong.
    pub(crate) fn of_usage(message: &str) -> Self {
        (&Error::request(message).help("see --help")).into()
    }

    /// All errors of a run.
    pub(crate) fn of(errors: &[Error]) -> Self {
        let mut all = errors.iter().map(Failure::from);
        let first = all
            .next()
            .unwrap_or_else(|| (&Error::new(ErrorKind::Request, "")).into());
        Failure {
            more: all.collect(),
            ..first
        }
    }
}
