//! The whole way on made-up data, for programs.

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;

/// What `demo` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Demo {
    pub(crate) folder: String,
    /// The folder stays.
    pub(crate) kept: bool,
    pub(crate) projects: usize,
    pub(crate) files: usize,
    pub(crate) steps: Vec<DemoStep>,
    pub(crate) seconds: f64,
}

/// A command that was run.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DemoStep {
    pub(crate) command: String,
    pub(crate) exit: i32,
    pub(crate) answer: StepAnswer,
}

/// What it printed.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum StepAnswer {
    /// The answer of a command, by the schema of that command.
    Object(Value),
    /// Lines of the code that was run.
    Lines(Vec<String>),
}
