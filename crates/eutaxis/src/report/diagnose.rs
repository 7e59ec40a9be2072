//! What broke, for programs.

use std::collections::BTreeMap;

use eutaxis_core::diagnose::{Aside as Seen, Facts};
use eutaxis_core::evidence::Evidence;
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::diagnose::{Found, Report};

/// What `diagnose` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Diagnose {
    /// The root first.
    causes: Vec<Cause>,
    of: Of,
    /// What goes away with them.
    consequences: Vec<Aside>,
    overcome: Vec<Aside>,
    /// What may be a sign of something, and is not needed to explain the rest.
    perhaps: Vec<Aside>,
    #[schemars(extend("enum" = ["well", "badly", "unknown"]))]
    ended: String,
    /// How many lines the log has.
    lines: u64,
    /// Why something was not checked.
    notes: Vec<String>,
}

impl Diagnose {
    /// The ids of the causes, the root first.
    pub(crate) fn ids(&self) -> impl Iterator<Item = &str> {
        self.causes.iter().map(|c| c.id.as_str())
    }
}

/// Where the log was written; null what it does not tell.
#[derive(Debug, Serialize, JsonSchema)]
struct Of {
    #[schemars(extend("enum" = ["linux", "macos", "windows", null]))]
    system: Option<String>,
    /// By the name that Linux has for it: `aarch64`, `x86_64`.
    arch: Option<String>,
    /// `glibc 2.31`, `musl 1.2`.
    libc: Option<String>,
    /// `cpython 3.14`.
    interpreter: Option<String>,
    /// The version of the accelerator's driver.
    driver: Option<String>,
    distribution: Option<String>,
    /// It was on this machine, as far as is known.
    here: bool,
    /// What it does not tell and was taken to be so.
    assumed: Vec<String>,
}

/// A cause.
#[derive(Debug, Serialize, JsonSchema)]
struct Cause {
    id: String,
    confidence: String,
    /// The line that shows it, from 1.
    line: u64,
    excerpt: String,
    #[schemars(with = "BTreeMap<String, Values>")]
    facts: IndexMap<String, Values>,
    title: String,
    explanation: String,
    /// What the environment, the target or the depots say of it.
    checked: Vec<String>,
    /// What to do, best first.
    remedies: Vec<Remedy>,
    would_not_help: Vec<String>,
    times: usize,
}

/// The values of a fact.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
enum Values {
    One(String),
    Several(Vec<String>),
}

/// Something to do.
#[derive(Debug, Serialize, JsonSchema)]
struct Remedy {
    text: String,
    /// The command to type, or the line to change.
    change: Option<String>,
    /// What its word rests on; null where it is only suggested.
    #[schemars(extend("enum" = ["solved", "read", "ran", null]))]
    evidence: Option<String>,
    /// It rests on more than what the metadata say.
    verified: bool,
}

/// A line that was seen and is no cause.
#[derive(Debug, Serialize, JsonSchema)]
struct Aside {
    id: String,
    line: u64,
    excerpt: String,
    times: usize,
}

impl From<&Report> for Diagnose {
    fn from(report: &Report) -> Self {
        let diagnosis = &report.diagnosis;
        let asides = |all: &[Seen]| all.iter().map(Aside::from).collect();
        Diagnose {
            causes: report.found.iter().map(Cause::from).collect(),
            of: Of::from(report),
            consequences: asides(&diagnosis.consequences),
            overcome: asides(&diagnosis.overcome),
            perhaps: asides(&diagnosis.guessed),
            ended: diagnosis.ended.as_str().to_owned(),
            lines: diagnosis.lines,
            notes: report.notes.clone(),
        }
    }
}

impl From<&Report> for Of {
    fn from(report: &Report) -> Self {
        let origin = &report.diagnosis.of;
        let name = origin.implementation.as_deref().unwrap_or("cpython");
        let of = report.of.as_ref();
        Of {
            system: origin.system.clone(),
            arch: origin.arch.clone(),
            libc: origin.libc.clone(),
            interpreter: origin.interpreter.as_ref().map(|i| format!("{name} {i}")),
            driver: origin.driver.clone(),
            distribution: origin.distribution.clone(),
            here: of.is_none_or(|of| of.elsewhere.is_none()),
            assumed: of.map_or_else(Vec::new, |of| of.assumed.clone()),
        }
    }
}

impl From<&Seen> for Aside {
    fn from(aside: &Seen) -> Self {
        Aside {
            id: aside.id.clone(),
            line: aside.line,
            excerpt: aside.excerpt.clone(),
            times: aside.times,
        }
    }
}

impl From<&Found> for Cause {
    fn from(found: &Found) -> Self {
        let (cause, told) = (&found.cause, &found.told);
        let remedies = told.remedies.iter().map(|r| Remedy {
            text: r.words.clone(),
            change: r.step.as_ref().map(crate::words::steps::typed),
            evidence: r.evidence.map(|e| e.to_string()),
            verified: r.evidence.is_some_and(Evidence::is_verified),
        });
        Cause {
            id: cause.id.clone(),
            confidence: cause.confidence.as_str().to_owned(),
            line: cause.line,
            excerpt: cause.excerpt.clone(),
            facts: values(&cause.facts),
            title: told.title.clone(),
            explanation: told.explanation.clone(),
            checked: found.checked.clone(),
            remedies: remedies.collect(),
            would_not_help: told.would_not_help.clone(),
            times: cause.times,
        }
    }
}

fn values(facts: &Facts) -> IndexMap<String, Values> {
    let all = facts.iter().map(|(name, values, list)| {
        let told = match values {
            [one] if !list => Values::One(one.clone()),
            several => Values::Several(several.to_vec()),
        };
        (name.to_owned(), told)
    });
    all.collect()
}
