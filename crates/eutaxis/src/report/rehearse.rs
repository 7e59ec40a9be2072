//! What would move, for programs.

use std::collections::BTreeMap;

use eutaxis_core::rehearse::Break as Broken;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::Foreseen;
use super::clash::Clash;
use super::texts;
use crate::answer::clash::Refusal;
use crate::answer::rehearse::{Alternative as Other, Outdated, Play, Step as Played, Told};
use crate::words;

/// What `rehearse` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Rehearse {
    Played(Box<PlayedOut>),
    Refused(Box<Refused>),
    Outdated(OutOfDate),
}

/// What newer releases would move.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct OutOfDate {
    base: String,
    target: String,
    projects: usize,
    /// What would move.
    safe: Vec<OlderRelease>,
    /// Whose newest release is held.
    held: Vec<HeldRelease>,
    /// The command that takes what would move.
    take: Option<String>,
}

/// A project that would move.
#[derive(Debug, Serialize, JsonSchema)]
struct OlderRelease {
    project: String,
    before: String,
    after: String,
    newest: String,
    /// How many days the newest came later.
    days_behind: Option<i64>,
}

/// A project whose newest release is held.
#[derive(Debug, Serialize, JsonSchema)]
struct HeldRelease {
    project: String,
    version: String,
    newest: String,
    days_behind: Option<i64>,
    by: Vec<String>,
}

impl From<&Outdated> for OutOfDate {
    fn from(outdated: &Outdated) -> Self {
        let safe = outdated.all.iter().filter_map(|o| {
            Some(OlderRelease {
                project: o.project.clone(),
                before: o.version.clone(),
                after: o.would_be.clone()?,
                newest: o.newest.clone(),
                days_behind: o.days,
            })
        });
        let held = outdated.all.iter().filter(|o| !o.held.is_empty());
        OutOfDate {
            base: outdated.base.clone(),
            target: outdated.target.clone(),
            projects: outdated.count,
            safe: safe.collect(),
            held: held
                .map(|o| HeldRelease {
                    project: o.project.clone(),
                    version: o.would_be.clone().unwrap_or_else(|| o.version.clone()),
                    newest: o.newest.clone(),
                    days_behind: o.days,
                    by: o.held.clone(),
                })
                .collect(),
            take: outdated.take.clone(),
        }
    }
}

/// What would move.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PlayedOut {
    /// What it was played on.
    base: String,
    moves: Vec<Move>,
    /// What is broken at the end.
    breaks: Vec<Break>,
    cautions: Vec<String>,
    /// What is foreseen of the builds that it would take.
    builds: Vec<Foreseen>,
    /// With `--prove`: what importing runs into afterwards and did not before.
    #[serde(skip_serializing_if = "Option::is_none")]
    gaps: Option<Vec<String>>,
    /// Where there are several: one thing placed after the other.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    steps: Vec<Step>,
    /// Everything at once.
    #[serde(skip_serializing_if = "Option::is_none")]
    joint: Option<Alternative>,
    /// Another answer that breaks nothing.
    #[serde(skip_serializing_if = "Option::is_none")]
    alternative: Option<Alternative>,
    /// There is none, and why.
    #[serde(skip_serializing_if = "Option::is_none")]
    impossible: Option<Alternative>,
    target: String,
}

/// It cannot be placed at all.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Refused {
    #[serde(flatten)]
    pub(crate) clash: Clash,
    pub(crate) moves: Vec<Move>,
    pub(crate) breaks: Vec<Break>,
    /// How many steps could be played before.
    pub(crate) steps_done: usize,
}

/// A project whose release changes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Move {
    project: String,
    before: Option<String>,
    after: Option<String>,
    kind: String,
    because: String,
    /// Nobody would be told of it.
    silent: bool,
    /// What is lost by it.
    loses: Vec<String>,
}

/// A need that is not met any more.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Break {
    project: String,
    version: String,
    needs: String,
    found: String,
    text: String,
}

/// One thing placed by itself.
#[derive(Debug, Serialize, JsonSchema)]
struct Step {
    asks: String,
    moves: Vec<Move>,
    breaks: Vec<Break>,
    /// Releases by project.
    state: BTreeMap<String, String>,
}

/// Another answer.
#[derive(Debug, Serialize, JsonSchema)]
struct Alternative {
    #[schemars(extend("enum" = ["ok", "no"]))]
    outcome: String,
    asks: Vec<String>,
    moves: Vec<Move>,
    facts: Vec<String>,
    /// Releases by project.
    pins: BTreeMap<String, String>,
}

impl PlayedOut {
    pub(crate) fn new(play: &Play, target: String) -> Self {
        let steps = if play.steps.len() > 1 {
            play.steps.iter().map(Step::from).collect()
        } else {
            Vec::new()
        };
        let other = play.alternative.as_ref();
        let holds = |o: &&Other| o.facts.is_empty();
        PlayedOut {
            base: play.shown.clone(),
            moves: play
                .steps
                .iter()
                .flat_map(|s| &s.moves)
                .map(Move::from)
                .collect(),
            breaks: play.broken().iter().map(Break::from).collect(),
            cautions: texts(play.steps.iter().flat_map(|s| &s.cautions)),
            builds: play
                .steps
                .iter()
                .flat_map(|s| Foreseen::all(&s.builds))
                .collect(),
            gaps: play.gaps.clone(),
            steps,
            joint: play.joint.as_ref().map(Alternative::from),
            alternative: other.filter(holds).map(Alternative::from),
            impossible: other.filter(|o| !holds(o)).map(Alternative::from),
            target,
        }
    }
}

impl Refused {
    pub(crate) fn new(refusal: &Refusal<'_>, steps_done: usize) -> Self {
        Refused {
            clash: refusal.into(),
            moves: Vec::new(),
            breaks: Vec::new(),
            steps_done,
        }
    }
}

impl From<&Told> for Move {
    fn from(told: &Told) -> Self {
        let moved = &told.moved;
        Move {
            project: moved.project.to_string(),
            before: moved.before.as_ref().map(ToString::to_string),
            after: moved.after.as_ref().map(ToString::to_string),
            kind: moved.kind.as_str().to_owned(),
            because: moved.because.join("; "),
            silent: moved.silent,
            loses: told.loses.clone(),
        }
    }
}

impl From<&Broken> for Break {
    fn from(broken: &Broken) -> Self {
        Break {
            project: broken.project.to_string(),
            version: broken.version.to_string(),
            needs: broken.needs.to_string(),
            found: broken.found.to_string(),
            text: words::releases::broken(broken),
        }
    }
}

impl From<&Played> for Step {
    fn from(step: &Played) -> Self {
        let state = step.set.iter();
        Step {
            asks: step.words.clone(),
            moves: step.moves.iter().map(Move::from).collect(),
            breaks: step.breaks.iter().map(Break::from).collect(),
            state: state
                .map(|(name, placed)| (name.to_string(), placed.version.to_string()))
                .collect(),
        }
    }
}

impl From<&Other> for Alternative {
    fn from(other: &Other) -> Self {
        let outcome = if other.facts.is_empty() { "ok" } else { "no" };
        let pins = other.releases.iter();
        Alternative {
            outcome: outcome.to_owned(),
            asks: other.asks.clone(),
            moves: other.moves.iter().map(Move::from).collect(),
            facts: other.facts.clone(),
            pins: pins.map(|(n, v)| (n.to_string(), v.to_string())).collect(),
        }
    }
}
