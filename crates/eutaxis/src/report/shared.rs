//! Parts that several answers have.

use eutaxis_core::knowledge::MadeFor;
use eutaxis_core::offer::{Adjustment, Bar, Build, Effect};
use eutaxis_core::solve::Solution;
use schemars::JsonSchema;
use serde::Serialize;

use super::texts;

/// A release of a project.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Release {
    pub(crate) name: String,
    pub(crate) version: String,
}

/// The releases of a solution.
pub(super) fn releases(solution: &Solution) -> Vec<Release> {
    let one = |c: &eutaxis_core::solve::Chosen| Release {
        name: c.project.to_string(),
        version: c.version.to_string(),
    };
    solution.chosen.iter().map(one).collect()
}

/// Why a file or a release does not run on the target.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Barred {
    /// The kind of bar (docs/offers.md).
    kind: String,
    detail: String,
}

impl From<&Bar> for Barred {
    fn from(bar: &Bar) -> Self {
        Barred {
            kind: bar.kind().as_str().to_owned(),
            detail: bar.to_string(),
        }
    }
}

/// An entry `[[adjust]]` of the settings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Adjusted {
    project: String,
    /// The releases of which it speaks, as a specifier; empty for all.
    versions: String,
    avoid: bool,
    needs: Option<String>,
    accelerator: Option<String>,
    because: String,
    /// Where it is stated.
    origin: String,
    /// In a way out: whether it goes or comes.
    #[serde(skip_serializing_if = "Option::is_none")]
    dropped: Option<bool>,
}

impl Adjusted {
    /// The same in a way out.
    pub(super) fn dropped(self, dropped: bool) -> Self {
        Adjusted {
            dropped: Some(dropped),
            ..self
        }
    }
}

impl From<&Adjustment> for Adjusted {
    fn from(adjustment: &Adjustment) -> Self {
        let needs = match &adjustment.effect {
            Effect::Needs(requirement) => Some(requirement.to_string()),
            Effect::NeedsOnly(needs) => Some(texts(needs).join(", ")),
            Effect::Avoid
            | Effect::FailsToBuild
            | Effect::Take
            | Effect::MadeFor(_)
            | Effect::Hashed(_) => None,
        };
        let accelerator = if let Effect::MadeFor(made_for) = &adjustment.effect {
            Some(made_for.stated())
        } else {
            None
        };
        Adjusted {
            project: adjustment.project.to_string(),
            versions: adjustment.versions.to_string(),
            avoid: adjustment.effect == Effect::Avoid,
            needs,
            accelerator,
            because: adjustment.because.clone(),
            origin: adjustment.origin.to_string(),
            dropped: None,
        }
    }
}

/// What a build was made for, and by which evidence.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BuiltFor {
    /// The family of accelerators; null for the processor alone.
    family: Option<String>,
    toolkit: Option<String>,
    evidence: String,
}

impl From<&Build> for BuiltFor {
    fn from(build: &Build) -> Self {
        let (family, toolkit) = match &build.made_for {
            MadeFor::Processor => (None, None),
            MadeFor::Toolkit(family, toolkit) => {
                (Some(family.name.clone()), Some(toolkit.to_string()))
            }
        };
        BuiltFor {
            family: family.map(|f| f.to_string()),
            toolkit,
            evidence: build.evidence.as_str().to_owned(),
        }
    }
}
