//! How far a set was proven, for programs.

use eutaxis_core::offer::{Adjustment, Effect};
use eutaxis_core::record;
use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::proof as found;

/// What a set rests on.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Evidence {
    #[schemars(extend("enum" = ["declared", "read", "ran"]))]
    level: String,
    /// When it was proven.
    at: Option<String>,
    /// What it was run by.
    #[serde(skip_serializing_if = "Option::is_none")]
    interpreter: Option<String>,
}

impl Evidence {
    /// As pins record it; what records nothing rests on the metadata.
    pub(crate) fn of(proof: Option<&record::Proof>) -> Self {
        let level = proof.map_or(eutaxis_core::evidence::Evidence::Solved, |p| p.level);
        Evidence {
            level: level.level().to_owned(),
            at: proof.map(|p| p.at.to_string()),
            interpreter: proof.and_then(|p| p.interpreter.clone()),
        }
    }
}

/// How far a set was proven.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Proof {
    rounds: Vec<Round>,
    #[schemars(extend("enum" = ["declared", "read", "ran"]))]
    level: String,
    /// Sources whose imports were followed.
    sources: usize,
    /// Modules that were imported.
    modules: Option<usize>,
    /// Modules below them that were imported as well.
    below: Option<usize>,
    /// Of those below, what is between two projects, and was not mended.
    slight: Vec<String>,
    /// Of those below, the ones that do not import by themselves.
    apart: Vec<Apart>,
    /// Scripts that do not start, by what they lack.
    scripts: Vec<String>,
    /// Why it was not proven further.
    short_of: Vec<String>,
    /// What the imports left behind in an empty home.
    leaves: Vec<String>,
    /// Options under which what the interpreter lacks is there.
    ways: Vec<String>,
}

/// A module that does not import by itself.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Apart {
    module: String,
    /// What it wants, and nobody brings.
    lacks: Option<String>,
    told: String,
}

impl Apart {
    pub(crate) fn of(all: &[found::Apart]) -> Vec<Self> {
        let one = |found: &found::Apart| Apart {
            module: found.module.clone(),
            lacks: found.lacks.clone(),
            told: found.told.clone(),
        };
        all.iter().map(one).collect()
    }
}

/// Something that was wrong with a set.
#[derive(Debug, Serialize, JsonSchema)]
struct Round {
    /// The set, from 1.
    set: usize,
    project: String,
    failed: String,
    #[schemars(extend("enum" = ["read", "ran"]))]
    evidence: String,
    /// An id of `diagnose`.
    cause: Option<String>,
    learnt: Option<Lesson>,
}

/// What was learnt, as an adjustment of the settings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Lesson {
    project: String,
    versions: String,
    needs: Option<String>,
    avoid: bool,
    because: String,
}

impl From<&Adjustment> for Lesson {
    fn from(adjustment: &Adjustment) -> Self {
        let needs = if let Effect::Needs(needs) = &adjustment.effect {
            Some(needs.to_string())
        } else {
            None
        };
        Lesson {
            project: adjustment.project.to_string(),
            versions: adjustment.versions.to_string(),
            needs,
            avoid: adjustment.effect == Effect::Avoid,
            because: adjustment.because.clone(),
        }
    }
}

impl From<&found::Proof> for Proof {
    fn from(proof: &found::Proof) -> Self {
        let round = |round: &found::Round| Round {
            set: round.number,
            project: round.project.clone(),
            failed: round.failed.clone(),
            evidence: round.evidence.to_string(),
            cause: round.cause.clone(),
            learnt: round.learnt.as_ref().map(Into::into),
        };
        Proof {
            rounds: proof.rounds.iter().map(round).collect(),
            level: proof.level.level().to_owned(),
            sources: proof.followed,
            modules: proof.tried.as_ref().map(|t| t.modules),
            below: proof
                .tried
                .as_ref()
                .and_then(|t| t.below)
                .map(|b| b.modules),
            slight: proof.slight.clone(),
            apart: Apart::of(&proof.apart),
            scripts: proof.scripts.clone(),
            short_of: proof.short_of.clone(),
            leaves: proof.leaves.clone(),
            ways: proof.ways.clone(),
        }
    }
}

/// No set was found that holds.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Unproven {
    target: String,
    proof: Proof,
}

impl Unproven {
    pub(crate) fn of(proof: &found::Proof, target: &str) -> Self {
        Unproven {
            target: target.to_owned(),
            proof: proof.into(),
        }
    }
}
