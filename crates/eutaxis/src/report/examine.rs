//! What is wrong in an environment, for programs.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Finding as Found, Sight};
use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::examine::{
    Compared as AgainstIt, Difference, Holding, Listed, Report, Share, kind_word,
};
use crate::words;

/// What `examine` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Examine {
    Found(Box<Examined>),
    Listed(Holdings),
    Against(Differences),
}

/// What an environment holds.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Holdings {
    environment: String,
    target: String,
    projects: Vec<Held>,
}

/// A project that it holds.
#[derive(Debug, Serialize, JsonSchema)]
struct Held {
    project: String,
    version: Option<String>,
    /// The wheel that it came from, where that was noted.
    file: Option<String>,
    sha256: Option<String>,
    /// It was asked for by itself.
    asked: bool,
    from: String,
}

impl From<&Listed> for Holdings {
    fn from(listed: &Listed) -> Self {
        let one = |h: &Holding| Held {
            project: h.project.clone(),
            version: h.version.clone(),
            file: h.file.clone(),
            sha256: h.sha256.clone(),
            asked: h.is_asked,
            from: h.from.clone(),
        };
        Holdings {
            environment: listed.environment.clone(),
            target: listed.target.clone(),
            projects: listed.all.iter().map(one).collect(),
        }
    }
}

/// How two differ.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Differences {
    here: String,
    there: String,
    /// How many projects are the same.
    same: usize,
    differences: Vec<DifferenceOf>,
}

/// A difference.
#[derive(Debug, Serialize, JsonSchema)]
struct DifferenceOf {
    #[schemars(extend("enum" = ["place", "only-here", "only-there", "version", "file", "library"]))]
    kind: String,
    project: Option<String>,
    here: Option<String>,
    there: Option<String>,
}

impl From<&AgainstIt> for Differences {
    fn from(compared: &AgainstIt) -> Self {
        let one = |d: &Difference| DifferenceOf {
            kind: d.kind.as_str().to_owned(),
            project: d.project.clone(),
            here: d.here.clone(),
            there: d.there.clone(),
        };
        Differences {
            here: compared.here.clone(),
            there: compared.there.clone(),
            same: compared.same,
            differences: compared.all.iter().map(one).collect(),
        }
    }
}

/// What was found in an environment.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Examined {
    environment: Environment,
    /// What it is compared with.
    pins: Option<Compared>,
    findings: Vec<Finding>,
    /// What takes the room, largest first.
    #[serde(skip_serializing_if = "Option::is_none")]
    sizes: Option<Vec<Room>>,
    /// How many modules were imported.
    imported: Option<usize>,
    /// How many trials were run.
    trials: Option<usize>,
    /// What projects that were asked see of accelerators.
    #[serde(skip_serializing_if = "Option::is_none")]
    devices: Option<Vec<Devices>>,
    /// Trials that were started and seen.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    started: Vec<Started>,
    hashes_checked: bool,
}

/// What a project sees of a family of accelerators.
#[derive(Debug, Serialize, JsonSchema)]
struct Devices {
    project: String,
    version: Option<String>,
    family: String,
    /// How many; null when asking did not end well.
    seen: Option<usize>,
    names: Vec<String>,
    /// Whether a small computation went well; null where none was made.
    computed: Option<bool>,
    /// Whether the machine has one.
    here: bool,
    /// Whether that is how it must be.
    right: bool,
}

impl From<&Sight> for Devices {
    fn from(sight: &Sight) -> Self {
        Devices {
            project: sight.project.to_string(),
            version: sight.version.as_ref().map(ToString::to_string),
            family: sight.family.clone(),
            seen: sight.devices,
            names: sight.names.clone(),
            computed: sight.computed,
            here: sight.is_here,
            right: sight.is_right(),
        }
    }
}

/// The environment.
#[derive(Debug, Serialize, JsonSchema)]
struct Environment {
    root: String,
    interpreter: String,
    projects: usize,
    target: String,
    kind: String,
    /// Its interpreter is the one that a bare name starts here.
    default: bool,
}

/// The pins with which an environment is compared.
#[derive(Debug, Serialize, JsonSchema)]
struct Compared {
    file: String,
    /// Those that count here.
    count: usize,
    /// What the pins say that they rest on.
    evidence: super::proof::Evidence,
}

/// What a check found.
#[derive(Debug, Serialize, JsonSchema)]
struct Finding {
    id: String,
    #[schemars(extend("enum" = ["breaks", "risk", "note"]))]
    severity: String,
    project: Option<String>,
    version: Option<String>,
    evidence: String,
    /// What explains it, by the ids of `diagnose`.
    cause: Option<String>,
    remedy: String,
    /// What the remedy's word rests on; null where it is only suggested.
    #[schemars(extend("enum" = ["solved", "read", "ran", null]))]
    remedy_evidence: Option<String>,
    /// It rests on more than what the metadata say.
    verified: bool,
    paths: Vec<String>,
}

/// What a project takes.
#[derive(Debug, Serialize, JsonSchema)]
struct Room {
    /// Null for files that nobody owns.
    project: Option<String>,
    version: Option<String>,
    bytes: u64,
    files: usize,
}

impl From<&Report> for Examined {
    fn from(report: &Report) -> Self {
        let snapshot = &report.snapshot;
        let sizes = report.sizes.as_ref();
        Examined {
            environment: Environment {
                root: snapshot.root.to_string(),
                interpreter: snapshot.python.to_string(),
                projects: snapshot.here().count(),
                target: snapshot.target.to_string(),
                kind: kind_word(snapshot.kind).to_owned(),
                default: report.other.is_none(),
            },
            pins: snapshot.pins.as_ref().map(|pins| Compared {
                file: pins.shown.clone(),
                count: pins.entries.len(),
                evidence: super::proof::Evidence::of(report.proof.as_ref()),
            }),
            findings: report.findings.iter().map(Finding::from).collect(),
            sizes: sizes.map(|all| all.iter().map(Room::from).collect()),
            imported: report.tried.modules,
            trials: report.tried.trials.as_ref().map(Vec::len),
            devices: report
                .tried
                .seen
                .as_ref()
                .map(|all| all.iter().map(Devices::from).collect()),
            started: report
                .tried
                .trials
                .iter()
                .flatten()
                .filter_map(Started::of)
                .collect(),
            hashes_checked: !report.quick,
        }
    }
}

impl From<&Found> for Finding {
    fn from(finding: &Found) -> Self {
        Finding {
            id: finding.id().to_owned(),
            severity: finding.severity.as_str().to_owned(),
            project: finding.project.as_ref().map(ToString::to_string),
            version: finding.version.clone(),
            evidence: finding.evidence(),
            cause: finding.cause.as_ref().map(|(id, _)| id.clone()),
            remedy: words::steps::remedy(&finding.remedy),
            remedy_evidence: finding.remedy.evidence.map(|e| e.to_string()),
            verified: finding.remedy.evidence.is_some_and(Evidence::is_verified),
            paths: finding.paths.clone(),
        }
    }
}

impl From<&Share> for Room {
    fn from(share: &Share) -> Self {
        Room {
            project: share.project.clone(),
            version: share.version.clone(),
            bytes: share.bytes,
            files: share.files,
        }
    }
}

/// A trial that was started, and seen to be up.
#[derive(Debug, Serialize, JsonSchema)]
struct Started {
    trial: String,
    until: String,
    /// Seconds until then, at the first start and at a second one.
    seconds: Vec<f64>,
}

impl Started {
    fn of(trial: &eutaxis_core::examine::Trial) -> Option<Self> {
        let awaited = trial.awaited.as_ref()?;
        Some(Started {
            trial: trial.name.clone(),
            until: awaited.what.clone(),
            seconds: awaited.seconds.clone(),
        })
    }
}
