//! What is wrong in a list, for programs.

use eutaxis_core::proofread::Remark as Told;
use schemars::JsonSchema;
use serde::Serialize;

use crate::words;

/// What `proofread` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Proofread {
    pub(crate) target: String,
    pub(crate) files: Vec<String>,
    /// How many were read.
    pub(crate) requirements: usize,
    pub(crate) checked_against_depots: bool,
    pub(crate) remarks: Vec<Remark>,
}

/// What a check found.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Remark {
    id: String,
    #[schemars(extend("enum" = ["breaks", "risk", "note"]))]
    severity: String,
    place: String,
    project: Option<String>,
    text: String,
    remedy: String,
}

impl From<&Told> for Remark {
    fn from(remark: &Told) -> Self {
        let (text, remedy) = words::troubles::told(remark);
        Remark {
            id: remark.trouble.id().to_owned(),
            severity: remark.trouble.severity().as_str().to_owned(),
            place: remark.place.to_string(),
            project: remark.project.as_ref().map(ToString::to_string),
            text,
            remedy,
        }
    }
}
