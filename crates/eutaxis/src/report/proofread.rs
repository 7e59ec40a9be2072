//! What is wrong in a list or in code, for programs.

use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::proofread as found;

/// What `proofread` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Proofread {
    target: String,
    files: Vec<String>,
    /// How many were read.
    requirements: usize,
    checked_against_depots: bool,
    /// One's own code, where some was named.
    code: Option<Code>,
    remarks: Vec<Remark>,
}

/// One's own code, as it was read.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Code {
    files: usize,
    imports: usize,
    /// Pins, lists, an environment.
    against: Vec<String>,
}

/// What a check found.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Remark {
    id: String,
    #[schemars(extend("enum" = ["breaks", "risk", "note"]))]
    severity: String,
    place: String,
    /// Further places in code.
    also: Vec<String>,
    project: Option<String>,
    text: String,
    remedy: String,
}

impl From<&found::Told> for Remark {
    fn from(told: &found::Told) -> Self {
        let (text, remedy) = told.told();
        Remark {
            id: told.id().to_owned(),
            severity: told.severity().as_str().to_owned(),
            place: match told {
                // The whole of it, the file too.
                found::Told::Line(remark) => remark.place.to_string(),
                found::Told::Own(_) | found::Told::Unread(..) => told.place(),
            },
            also: told.also(),
            project: told.project().map(ToString::to_string),
            text,
            remedy,
        }
    }
}

impl From<&found::Proofread> for Proofread {
    fn from(found: &found::Proofread) -> Self {
        Proofread {
            target: found.target.clone(),
            files: found.files.clone(),
            requirements: found.asked,
            checked_against_depots: !found.alone,
            code: found.code.as_ref().map(|code| Code {
                files: code.files,
                imports: code.imports,
                against: code.against.clone(),
            }),
            remarks: found.remarks.iter().map(Into::into).collect(),
        }
    }
}
