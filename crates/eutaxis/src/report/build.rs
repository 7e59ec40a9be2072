//! Builds, for programs.

use schemars::JsonSchema;
use serde::Serialize;

use super::{shown, texts};
use crate::answer::build::{Cause as Shown, Failed, Foreseen as Answer, Wanted, Way, permits};
use crate::typed;

/// What is foreseen of a build.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Foreseen {
    name: String,
    version: String,
    /// Nothing is compiled.
    light: bool,
    /// Languages of the sources that are compiled.
    languages: Vec<String>,
    /// Build requirements: project and release, or as written where they clash.
    requires: Vec<String>,
    /// Why they cannot be had together.
    clash: Option<String>,
    /// Tools, headers and libraries of the system.
    tools: Vec<Tool>,
    /// Seconds it will take, roughly; null: unknown.
    estimate: Option<f64>,
    /// From what that is judged.
    estimate_from: Option<String>,
    /// The newest release with a wheel that fits.
    with_wheel: Option<String>,
    permitted: bool,
    /// The wheel lies in the store from a build before.
    built: bool,
}

/// A tool, a header or a library.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Tool {
    name: String,
    what: String,
    /// Whether it is on this machine; null where the target is another.
    here: Option<bool>,
    /// The system package that brings it.
    package: Option<String>,
    /// A project with wheels that bring it.
    project: Option<String>,
}

impl From<&Wanted> for Tool {
    fn from(wanted: &Wanted) -> Self {
        let Wanted {
            name,
            what,
            here,
            package,
            project,
        } = wanted.clone();
        Tool {
            name,
            what,
            here,
            package,
            project,
        }
    }
}

impl Foreseen {
    pub(crate) fn all(all: &[Answer]) -> Vec<Self> {
        all.iter().map(Into::into).collect()
    }
}

impl From<&Answer> for Foreseen {
    fn from(one: &Answer) -> Self {
        Foreseen {
            name: one.project.to_string(),
            version: one.version.to_string(),
            light: one.is_light,
            languages: one.languages.clone(),
            requires: one.requires.clone(),
            clash: one.clash.clone(),
            tools: one.wants.iter().map(Into::into).collect(),
            estimate: one.estimate.as_ref().map(|e| e.seconds.round()),
            estimate_from: one.estimate.as_ref().map(|e| e.from.clone()),
            with_wheel: one.with_wheel.as_ref().map(ToString::to_string),
            permitted: one.is_permitted,
            built: one.is_built,
        }
    }
}

/// A set that was not placed, because nothing permits a build.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Unbuilt {
    environment: String,
    builds: Vec<Foreseen>,
    /// Options that permit them, as typed.
    permit: String,
}

impl Unbuilt {
    pub(crate) fn of(at: &std::path::Path, all: &[Answer]) -> Self {
        Unbuilt {
            environment: shown(at),
            builds: Foreseen::all(all),
            permit: typed::line(&permits(all)).trim_start().to_owned(),
        }
    }
}

/// A build that failed, so that nothing was placed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BuildFailed {
    environment: String,
    failed: FailedBuild,
}

/// Why a build failed.
#[derive(Debug, Serialize, JsonSchema)]
struct FailedBuild {
    name: String,
    version: String,
    /// What was being done.
    step: String,
    because: String,
    causes: Vec<Cause>,
    /// The last lines of the log, where it shows no cause.
    last: Vec<String>,
    /// Releases in the build environment.
    by: Vec<String>,
    log: Option<String>,
    foreseen: Option<Foreseen>,
    ways_out: Vec<Other>,
}

/// A cause that the log shows.
#[derive(Debug, Serialize, JsonSchema)]
struct Cause {
    id: String,
    line: u64,
    excerpt: String,
    explanation: String,
    remedies: Vec<String>,
}

/// A way without the build, solved to the end.
#[derive(Debug, Serialize, JsonSchema)]
struct Other {
    text: String,
    command: String,
}

impl BuildFailed {
    pub(crate) fn of(
        at: &std::path::Path,
        failed: &Failed,
        foreseen: Option<&Answer>,
        ways: &[Way],
    ) -> Self {
        let cause = |c: &Shown| Cause {
            id: c.id.clone(),
            line: c.line.0,
            excerpt: c.line.1.clone(),
            explanation: c.explanation.clone(),
            remedies: c.remedies.clone(),
        };
        let by = failed
            .by
            .iter()
            .map(|(name, version)| format!("{name} {version}"));
        BuildFailed {
            environment: shown(at),
            failed: FailedBuild {
                name: failed.project.to_string(),
                version: failed.version.to_string(),
                step: failed.step.words().to_owned(),
                because: failed.why.clone(),
                causes: failed.causes.iter().map(cause).collect(),
                last: failed.last.clone(),
                by: texts(by),
                log: failed.log.as_deref().map(shown),
                foreseen: foreseen.map(Into::into),
                ways_out: ways
                    .iter()
                    .map(|w| Other {
                        text: w.words.clone(),
                        command: w.command.clone(),
                    })
                    .collect(),
            },
        }
    }
}
