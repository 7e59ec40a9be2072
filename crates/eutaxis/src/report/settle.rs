//! Pins, or what stands against them, for programs.

use std::collections::BTreeMap;

use eutaxis_core::offer::Adjustment;
use eutaxis_core::solve::{Caution, Doubt, HeldBack as Held, Out, Solution, Strength};
use eutaxis_world::depot::Place;
use eutaxis_world::files::slashed;
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::Foreseen;
use super::clash::Clash;
use super::edits::FileEdits;
use super::proof::{Evidence, Proof, Unproven};
use super::shared::{Adjusted, BuiltFor};
use super::texts;
use crate::answer::settle::{self as settled, Checked as Found, Settled, asker_words};
use crate::words::chronology;

/// What `settle` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Settle {
    Pinned(Box<Pinned>),
    Targets(Targets),
    Environments(Environments),
    Checked(Checked),
    DepotMoves(DepotMoves),
    Clash(Clash),
    Unproven(Unproven),
    Differs(EnvironmentDiffers),
}

/// With `--check ADDRESS`: where the environment differs from what is asked there.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EnvironmentDiffers {
    holds: bool,
    address: String,
    environment: String,
    target: String,
    /// How many asks are met.
    met: usize,
    differs: Vec<DiffersFrom>,
}

/// An ask that is not met.
#[derive(Debug, Serialize, JsonSchema)]
struct DiffersFrom {
    project: String,
    asked: String,
    here: Option<String>,
    place: String,
}

impl From<&settled::Differs> for EnvironmentDiffers {
    fn from(differs: &settled::Differs) -> Self {
        let one = |a: &settled::Apart| DiffersFrom {
            project: a.project.clone(),
            asked: a.asked.clone(),
            here: a.here.clone(),
            place: a.place.clone(),
        };
        EnvironmentDiffers {
            holds: differs.apart.is_empty(),
            address: differs.address.clone(),
            environment: differs.environment.clone(),
            target: differs.target.clone(),
            met: differs.met,
            differs: differs.apart.iter().map(one).collect(),
        }
    }
}

/// Pins of one target.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub(crate) struct Pinned {
    target: String,
    pins: Vec<Pin>,
    cautions: Vec<String>,
    /// Every pair of which the one cannot have known the other, strong or not.
    chronology: Vec<NeverMet>,
    held_back: Vec<HeldBack>,
    let_go: Vec<LetGo>,
    adjusted: Vec<Adjusted>,
    moves: Vec<Move>,
    /// Another interpreter was taken than the one that comes first.
    #[serde(skip_serializing_if = "Option::is_none")]
    interpreter: Option<Interpreter>,
    /// What the set rests on in this run.
    #[serde(skip_serializing_if = "Option::is_none")]
    evidence: Option<Evidence>,
    #[serde(skip_serializing_if = "Option::is_none")]
    proof: Option<Proof>,
    /// What is foreseen of builds.
    builds: Vec<Foreseen>,
    /// What furnishes the pins and permits those builds, as typed.
    #[serde(skip_serializing_if = "Option::is_none")]
    permit: Option<String>,
    /// Lines of lists that mean something and were left out.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    left_out: Vec<LeftOut>,
    pub(crate) written: Vec<String>,
    /// With several targets: what the target is called.
    #[serde(skip_serializing_if = "Option::is_none")]
    name: Option<String>,
    /// Lines of files that `--take` changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) edits: Option<Vec<FileEdits>>,
    /// Options that the way stands for that `--take` took.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) options: Option<Vec<String>>,
}

/// A line that speaks to an installer.
#[derive(Debug, Serialize, JsonSchema)]
struct LeftOut {
    place: String,
    text: String,
}

/// A chosen file.
#[derive(Debug, Serialize, JsonSchema)]
struct Pin {
    name: String,
    version: String,
    file: String,
    #[schemars(extend("enum" = ["wheel", "sdist"]))]
    kind: String,
    /// Where it lies on a disk.
    #[serde(skip_serializing_if = "Option::is_none")]
    path: Option<String>,
    /// Where it is fetched from.
    #[serde(skip_serializing_if = "Option::is_none")]
    url: Option<String>,
    sha256: String,
    size: Option<u64>,
    published: Option<String>,
    /// `ask` for the user's own asks, and names of projects.
    asked_by: Vec<String>,
    depot: String,
    accelerator: Option<BuiltFor>,
    /// A wheel variant, by a draft of the standard (PEP 825).
    #[serde(skip_serializing_if = "Option::is_none")]
    variant: Option<Variant>,
}

/// A wheel variant.
#[derive(Debug, Serialize, JsonSchema)]
struct Variant {
    label: String,
    /// Each `namespace :: feature :: value`.
    properties: Vec<String>,
}

/// A release that came before a series that it takes began.
#[derive(Debug, Serialize, JsonSchema)]
struct NeverMet {
    project: String,
    version: String,
    published: String,
    needs: String,
    needs_version: String,
    began: String,
    #[schemars(extend("enum" = ["strong", "middling", "weak"]))]
    strength: String,
}

/// A newer release that dates keep out.
#[derive(Debug, Serialize, JsonSchema)]
struct HeldBack {
    project: String,
    version: String,
    instead_of: String,
    because: String,
    kind: String,
}

/// A strong fact that had to be let go.
#[derive(Debug, Serialize, JsonSchema)]
struct LetGo {
    project: String,
    version: String,
    needs: String,
    because: String,
    kind: String,
}

/// A project whose pin is another than before.
#[derive(Debug, Serialize, JsonSchema)]
struct Move {
    project: String,
    before: Option<String>,
    after: Option<String>,
    #[schemars(extend("enum" = ["added", "raised", "lowered", "dropped"]))]
    kind: String,
}

/// The interpreter that was taken, and what is wrong with the first.
#[derive(Debug, Serialize, JsonSchema)]
struct Interpreter {
    path: String,
    version: String,
    because: String,
}

/// Pins of several targets.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Targets {
    pub(crate) targets: Vec<Pinned>,
    pub(crate) differences: Vec<Difference>,
    pub(crate) written: Vec<String>,
    /// With `--together`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) together: Option<Together>,
}

/// Whether the pins of several targets are one lock.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Together {
    /// The lock; null where each target has its own.
    pub(crate) lock: Option<String>,
    /// Why they are not one.
    pub(crate) because: Option<String>,
}

/// A project that has not the same release everywhere.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Difference {
    pub(crate) project: String,
    /// By target; null where it is not needed.
    #[schemars(with = "BTreeMap<String, Option<String>>")]
    pub(crate) releases: IndexMap<String, Option<String>>,
    pub(crate) because: String,
}

/// Pins of two environments, which a way out makes of one.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Environments {
    pub(crate) environments: Vec<Pinned>,
    pub(crate) written: Vec<String>,
}

/// Whether pins still hold.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Checked {
    holds: bool,
    checked: Vec<CheckedTarget>,
    /// Nothing is written.
    written: Vec<String>,
}

/// The pins of one target against what would be pinned now.
#[derive(Debug, Serialize, JsonSchema)]
struct CheckedTarget {
    target: String,
    pins: String,
    holds: bool,
    /// What the pins say that they rest on.
    evidence: Evidence,
    drift: Vec<Drift>,
}

/// A pin that does not hold any more, or one that is missing.
#[derive(Debug, Serialize, JsonSchema)]
struct Drift {
    project: String,
    #[schemars(extend("enum" = ["added", "raised", "lowered", "dropped", "file", "depot"]))]
    kind: String,
    before: Option<String>,
    after: Option<String>,
    because: String,
}

/// Projects that would come from another depot than their pins.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DepotMoves {
    pub(crate) depot_moves: Vec<DepotMove>,
}

/// One of them.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DepotMove {
    pub(crate) project: String,
    pub(crate) before: String,
    pub(crate) depot_before: String,
    pub(crate) after: String,
    pub(crate) depot_after: String,
}

impl From<&Settled<'_>> for Pinned {
    fn from(settled: &Settled<'_>) -> Self {
        let moves = settled.moves.iter().map(|m| Move {
            project: m.project.clone(),
            before: m.before.clone(),
            after: m.after.clone(),
            kind: m.kind.to_owned(),
        });
        Pinned {
            target: settled.problem.target.to_string(),
            pins: settled.pins.iter().map(Pin::from).collect(),
            cautions: settled.cautions.clone(),
            chronology: never_met(settled.solution()),
            held_back: held_back(settled.solution()),
            let_go: settled.solution().let_go.iter().map(LetGo::from).collect(),
            adjusted: settled.adjusted().into_iter().map(adjusted).collect(),
            moves: moves.collect(),
            interpreter: settled.taken.as_ref().map(|taken| Interpreter {
                path: taken.path.clone(),
                version: taken.version.clone(),
                because: taken.because.clone(),
            }),
            evidence: Some(Evidence::of(settled.evidence.as_ref())),
            proof: settled.proof.as_ref().map(Into::into),
            builds: Foreseen::all(&settled.builds),
            permit: settled.permit.clone(),
            left_out: settled
                .left_out
                .iter()
                .map(|d| LeftOut {
                    place: d.origin.to_string(),
                    text: crate::words::troubles::directive(d),
                })
                .collect(),
            written: settled.files.clone(),
            ..Pinned::default()
        }
    }
}

impl Pinned {
    /// The same as one of several targets.
    pub(crate) fn named(self, name: &str) -> Self {
        Pinned {
            name: Some(name.to_owned()),
            ..self
        }
    }
}

fn adjusted(adjustment: &Adjustment) -> Adjusted {
    adjustment.into()
}

impl From<&settled::Pinned<'_>> for Pin {
    fn from(pin: &settled::Pinned<'_>) -> Self {
        let chosen = pin.chosen;
        let (path, url) = match &pin.place {
            Place::Disk(path) => (Some(slashed(path)), None),
            Place::Url(url) => (None, Some(url.to_string())),
        };
        Pin {
            name: chosen.project.to_string(),
            version: chosen.version.to_string(),
            file: chosen.file.filename.to_string(),
            kind: if pin.is_wheel() { "wheel" } else { "sdist" }.to_owned(),
            path,
            url,
            sha256: pin.sha256.clone(),
            size: pin.size,
            published: chosen.file.published.map(|t| t.to_string()),
            asked_by: asker_words(chosen),
            depot: pin.depot.clone(),
            accelerator: chosen.build.as_ref().map(BuiltFor::from),
            variant: chosen.variant().map(|label| Variant {
                label: label.to_owned(),
                properties: texts(&chosen.properties),
            }),
        }
    }
}

fn never_met(solution: &Solution) -> Vec<NeverMet> {
    let one = |caution: &Caution| {
        let Caution::NeverMet {
            project,
            version,
            published,
            other,
            other_version,
            began,
            strength,
        } = caution
        else {
            return None;
        };
        let strength = match strength {
            Strength::Strong => "strong",
            Strength::Middling => "middling",
            Strength::Weak => "weak",
        };
        Some(NeverMet {
            project: project.to_string(),
            version: version.to_string(),
            published: published.to_string(),
            needs: other.to_string(),
            needs_version: other_version.to_string(),
            began: began.to_string(),
            strength: strength.to_owned(),
        })
    };
    solution.cautions.iter().filter_map(one).collect()
}

fn held_back(solution: &Solution) -> Vec<HeldBack> {
    let one = |held: &Held| {
        let because = chronology::held_back(held)?;
        let kind = if let Out::Doubted(fact) = &held.because {
            fact.kind.as_str()
        } else {
            "time"
        };
        Some(HeldBack {
            project: held.project.to_string(),
            version: held.version.to_string(),
            instead_of: held.instead_of.to_string(),
            because,
            kind: kind.to_owned(),
        })
    };
    solution.held_back.iter().filter_map(one).collect()
}

impl From<&Doubt> for LetGo {
    fn from(fact: &Doubt) -> Self {
        LetGo {
            project: fact.project.to_string(),
            version: fact.version.to_string(),
            needs: fact.other.to_string(),
            because: chronology::doubt(fact),
            kind: fact.kind.as_str().to_owned(),
        }
    }
}

impl From<&[Found]> for Checked {
    fn from(all: &[Found]) -> Self {
        let drift = |d: &settled::Drift| Drift {
            project: d.project.clone(),
            kind: d.kind.to_owned(),
            before: d.before.clone(),
            after: d.after.clone(),
            because: d.because.clone(),
        };
        let one = |c: &Found| CheckedTarget {
            target: c.shown.clone(),
            pins: c.file.clone(),
            holds: c.drifts.is_empty(),
            evidence: Evidence::of(c.proof.as_ref()),
            drift: c.drifts.iter().map(drift).collect(),
        };
        Checked {
            holds: all.iter().all(|c| c.drifts.is_empty()),
            checked: all.iter().map(one).collect(),
            written: Vec::new(),
        }
    }
}
