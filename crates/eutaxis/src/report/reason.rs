//! Why a release is here, for programs.

use schemars::JsonSchema;
use serde::Serialize;

use super::clash::Clash;
use super::proof::{Evidence, Lesson};
use crate::answer::reason::{Branch, Learnt, Moved as Told, Report, Tree};

/// What `reason` answers. `version` is that of the project; the program's is `program_version`.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Reason {
    Here(Box<Here>),
    Absent(Absent),
    Instead(Box<Instead>),
    Learnt(Lessons),
    Tree(NeedsTree),
}

/// Who needs what.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NeedsTree {
    /// The project that it is about; null for the whole set.
    project: Option<String>,
    program_version: String,
    /// Who asks for it.
    askers: Vec<TreeBranch>,
    /// What is asked for, or what it needs.
    branches: Vec<TreeBranch>,
    /// The file of the picture.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) picture: Option<String>,
}

/// A project in a tree.
#[derive(Debug, Serialize, JsonSchema)]
struct TreeBranch {
    project: String,
    version: Option<String>,
    requirement: String,
    /// Where the user asks.
    by: Option<String>,
    /// It stands further up, with what is below it.
    seen: bool,
    /// What is below it is not told.
    cut: bool,
    branches: Vec<TreeBranch>,
}

impl From<&Branch> for TreeBranch {
    fn from(branch: &Branch) -> Self {
        TreeBranch {
            project: branch.project.clone(),
            version: branch.version.clone(),
            requirement: branch.requirement.clone(),
            by: branch.by.clone(),
            seen: branch.is_seen,
            cut: branch.is_cut,
            branches: branch.branches.iter().map(TreeBranch::from).collect(),
        }
    }
}

impl From<&Tree> for NeedsTree {
    fn from(tree: &Tree) -> Self {
        NeedsTree {
            project: tree.project.clone(),
            program_version: env!("CARGO_PKG_VERSION").to_owned(),
            askers: tree.askers.iter().map(TreeBranch::from).collect(),
            branches: tree.branches.iter().map(TreeBranch::from).collect(),
            picture: None,
        }
    }
}

/// Of a pinned release.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Here {
    project: String,
    version: String,
    program_version: String,
    published: Option<String>,
    /// From an ask to the project, by names.
    chains: Vec<Vec<String>>,
    /// The same in words.
    steps: Vec<Vec<String>>,
    bounds: Vec<Bound>,
    /// Newer releases, and what keeps them out.
    newer: Vec<Newer>,
    cautions: Vec<String>,
    adjusted: Vec<String>,
    /// It is told from the record in the pins, not from the depots.
    recorded: bool,
}

/// A bound, and what it leaves.
#[derive(Debug, Serialize, JsonSchema)]
struct Bound {
    by: String,
    requirement: String,
    /// The oldest and the newest release that it leaves.
    leaves: Option<[String; 2]>,
    count: usize,
    of: usize,
}

/// A newer release.
#[derive(Debug, Serialize, JsonSchema)]
struct Newer {
    version: String,
    published: Option<String>,
    kept_out_by: Vec<String>,
    /// Only the choices made before it keep it out.
    by_earlier_choices: bool,
}

/// The project is not among the pins.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Absent {
    project: String,
    version: Option<String>,
    program_version: String,
    nearest: Vec<String>,
    chains: Vec<Vec<String>>,
    newer: Vec<Newer>,
}

impl Absent {
    pub(crate) fn new(project: String, nearest: Vec<String>) -> Self {
        Absent {
            project,
            version: None,
            program_version: program_version(),
            nearest,
            chains: Vec::new(),
            newer: Vec::new(),
        }
    }
}

/// Another version in its place (`--not`).
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Instead {
    project: String,
    version: String,
    program_version: String,
    not: String,
    /// There is no such version: those around it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) nearest: Option<Vec<String>>,
    /// It can be had: what moves.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) moves: Option<Vec<Moved>>,
    /// It can be had: what to ask for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) change: Option<String>,
    /// It cannot.
    #[serde(flatten)]
    pub(crate) clash: Option<Clash>,
}

impl Instead {
    pub(crate) fn new(project: String, version: String, not: String) -> Self {
        Instead {
            project,
            version,
            program_version: program_version(),
            not,
            nearest: None,
            moves: None,
            change: None,
            clash: None,
        }
    }
}

impl From<Instead> for super::Report {
    fn from(instead: Instead) -> Self {
        Reason::Instead(Box::new(instead)).into()
    }
}

/// A release that would move.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Moved {
    project: String,
    before: Option<String>,
    after: Option<String>,
}

impl From<&Told> for Moved {
    fn from((project, before, after): &Told) -> Self {
        Moved {
            project: project.clone(),
            before: before.clone(),
            after: after.clone(),
        }
    }
}

fn program_version() -> String {
    env!("CARGO_PKG_VERSION").to_owned()
}

impl From<&Report> for Here {
    fn from(report: &Report) -> Self {
        let bounds = report.bounds.iter().map(|b| Bound {
            by: b.by.clone(),
            requirement: b.requirement.clone(),
            leaves: b.left.clone().map(|(oldest, newest)| [oldest, newest]),
            count: b.count,
            of: b.of,
        });
        let newer = report.newer.iter().map(|n| Newer {
            version: n.version.clone(),
            published: n.published.clone(),
            kept_out_by: n.out.clone(),
            by_earlier_choices: n.by_choices,
        });
        Here {
            project: report.project.clone(),
            version: report.version.clone(),
            program_version: program_version(),
            published: report.published.clone(),
            chains: report
                .chains
                .iter()
                .map(|(names, _)| names.clone())
                .collect(),
            steps: report
                .chains
                .iter()
                .map(|(_, steps)| steps.clone())
                .collect(),
            bounds: bounds.collect(),
            newer: newer.collect(),
            cautions: report.cautions.clone(),
            adjusted: report.adjusted.clone(),
            recorded: report.recorded,
        }
    }
}

/// What proofs of pins learnt.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Lessons {
    pins: String,
    /// How far they are proven.
    evidence: Evidence,
    learnt: Vec<ProvenLesson>,
}

/// Something that was learnt, and how.
#[derive(Debug, Serialize, JsonSchema)]
struct ProvenLesson {
    #[serde(flatten)]
    lesson: Lesson,
    #[schemars(extend("enum" = ["read", "ran"]))]
    evidence: String,
    on: String,
}

impl From<&Learnt> for Lessons {
    fn from(learnt: &Learnt) -> Self {
        let one = |a: &eutaxis_core::offer::Adjustment| {
            let how = a.learnt?;
            Some(ProvenLesson {
                lesson: a.into(),
                evidence: how.evidence.to_string(),
                on: how.on.to_string(),
            })
        };
        Lessons {
            pins: learnt.pins.clone(),
            evidence: Evidence::of(learnt.proof.as_ref()),
            learnt: learnt.lessons.iter().filter_map(one).collect(),
        }
    }
}
