//! A clash with its ways out, for programs (docs/clash.md).

use eutaxis_core::Version;
use eutaxis_core::solve::{Change as Changed, Clash as Proven, Environment, Way as Found};
use schemars::JsonSchema;
use serde::Serialize;

use super::build::Foreseen;
use super::edits::FileEdits;
use super::shared::Adjusted;
use super::texts;
use crate::answer::build::Foreseen as Answer;
use crate::answer::clash::Refusal;
use crate::answer::edits::FileEdit;
use crate::words;

/// The answer when it cannot be.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Clash {
    target: String,
    clash: ClashKey,
    absent: Vec<Absent>,
    ways_out: Vec<Way>,
    /// Changes that were not tried to the end.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    untried: Vec<Untried>,
    /// The drawing that was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) picture: Option<String>,
}

/// The facts that cannot hold together.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ClashKey {
    facts: Vec<Fact>,
    contested: Vec<Contested>,
}

/// One of them.
#[derive(Debug, Serialize, JsonSchema)]
struct Fact {
    /// From 1.
    id: usize,
    kind: String,
    project: String,
    /// The releases it speaks of, as specifiers joined by ` || `; empty for all.
    versions: String,
    text: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    needs: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    origin: Option<String>,
}

/// A project of which the facts leave nothing.
#[derive(Debug, Serialize, JsonSchema)]
struct Contested {
    project: String,
    /// Oldest first.
    releases: Vec<String>,
    rows: Vec<Allowed>,
}

/// What a fact leaves of it.
#[derive(Debug, Serialize, JsonSchema)]
struct Allowed {
    fact: usize,
    allows: Vec<String>,
}

/// An asked project that no depot has.
#[derive(Debug, Serialize, JsonSchema)]
struct Absent {
    name: String,
    nearest: Vec<String>,
    /// Names that are nearly it, of projects that are young or have one release.
    doubtful: Vec<String>,
    /// The project that brings the module of that name.
    brought_by: Option<String>,
}

/// A change that was not tried to the end.
#[derive(Debug, Serialize, JsonSchema)]
struct Untried {
    text: String,
    because: String,
}

/// A way out, solved to the end.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Way {
    /// What `--take` takes.
    letter: String,
    kind: String,
    text: String,
    changes: Vec<Change>,
    edits: Vec<FileEdits>,
    /// Options that it stands for, as typed.
    options: Vec<String>,
    /// Projects that leave the accelerator of the target unused, which builds of them use.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unaccelerated: Vec<String>,
    /// Where it takes two environments: what goes into each.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    environments: Vec<Part>,
    /// What one gets; empty where it takes two environments.
    pins: Vec<File>,
    /// What is foreseen of the builds that it permits.
    builds: Vec<Foreseen>,
}

/// One of two environments.
#[derive(Debug, Serialize, JsonSchema)]
struct Part {
    asks: Vec<String>,
    interpreter: String,
    pins: Vec<File>,
}

/// A file of a solution.
#[derive(Debug, Serialize, JsonSchema)]
struct File {
    name: String,
    version: String,
    file: String,
}

/// One change of a way out.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
enum Change {
    Requirement {
        project: String,
        before: Option<String>,
        after: Option<String>,
        #[serde(skip_serializing_if = "Option::is_none")]
        origin: Option<String>,
    },
    Interpreter {
        interpreter: String,
        /// It is on this machine.
        here: bool,
        target: String,
    },
    Value {
        option: String,
        value: String,
    },
    Project {
        option: String,
        project: String,
    },
    Adjust(Box<Adjusted>),
}

impl From<&Refusal<'_>> for Clash {
    fn from(refusal: &Refusal<'_>) -> Self {
        let absent = refusal.absent.iter().map(|absent| Absent {
            name: absent.name.to_string(),
            nearest: texts(&absent.near.offered),
            doubtful: super::doubtful(&absent.near),
            brought_by: absent.brought.as_ref().map(|b| b.project.to_string()),
        });
        let untried = refusal.untried.iter().map(|u| Untried {
            text: u.text.clone(),
            because: u.because.clone(),
        });
        Clash {
            target: refusal.problem.target.to_string(),
            clash: refusal.clash.into(),
            absent: absent.collect(),
            ways_out: Way::all(refusal.ways, &refusal.edits, &refusal.builds),
            untried: untried.collect(),
            picture: None,
        }
    }
}

impl From<&Proven> for ClashKey {
    fn from(clash: &Proven) -> Self {
        let facts = clash.facts.iter().enumerate().map(|(i, f)| Fact {
            id: i + 1,
            kind: f.kind.as_str().to_owned(),
            project: f.project.clone(),
            versions: f.versions.clone(),
            text: f.text.clone(),
            needs: f.needs.clone(),
            origin: f.origin.as_ref().map(ToString::to_string),
        });
        let row = |(fact, allows): &(usize, Vec<Version>)| Allowed {
            fact: fact + 1,
            allows: texts(allows),
        };
        let contested = clash.contested.iter().map(|c| Contested {
            project: c.project.to_string(),
            releases: texts(&c.releases),
            rows: c.rows.iter().map(row).collect(),
        });
        ClashKey {
            facts: facts.collect(),
            contested: contested.collect(),
        }
    }
}

impl Way {
    /// All ways, by their letters.
    fn all(ways: &[Found], edits: &[Vec<FileEdit>], builds: &[Vec<Answer>]) -> Vec<Self> {
        let edits = edits
            .iter()
            .map(Vec::as_slice)
            .chain(std::iter::repeat(&[][..]));
        let builds = builds
            .iter()
            .map(Vec::as_slice)
            .chain(std::iter::repeat(&[][..]));
        let all = ways.iter().zip('a'..='z').zip(edits.zip(builds));
        all.map(|((way, letter), (edits, builds))| Way {
            builds: Foreseen::all(builds),
            ..Way::new(way, letter, edits)
        })
        .collect()
    }

    fn new(way: &Found, letter: char, edits: &[FileEdit]) -> Self {
        let (pins, environments) = match way.environments.as_slice() {
            [only] => (File::all(only), Vec::new()),
            several => (Vec::new(), several.iter().map(Part::from).collect()),
        };
        Way {
            letter: letter.to_string(),
            kind: way.kind.as_str().to_owned(),
            text: words::ways::sentence(way),
            changes: way.changes.iter().map(Change::from).collect(),
            edits: edits.iter().map(FileEdits::from).collect(),
            options: words::ways::options(way),
            unaccelerated: unaccelerated(way),
            environments,
            builds: Vec::new(),
            pins,
        }
    }
}

/// The projects that leave the accelerator of their place unused.
fn unaccelerated(way: &Found) -> Vec<String> {
    let solutions = way.environments.iter().map(|e| &e.solution);
    texts(solutions.flat_map(|s| s.unaccelerated()))
}

impl File {
    fn all(environment: &Environment) -> Vec<Self> {
        let chosen = environment.solution.chosen.iter();
        chosen
            .map(|c| File {
                name: c.project.to_string(),
                version: c.version.to_string(),
                file: c.file.filename.to_string(),
            })
            .collect()
    }
}

impl From<&Environment> for Part {
    fn from(environment: &Environment) -> Self {
        let interpreter = match &environment.interpreter {
            Some(other) => other.name.clone(),
            None => environment.problem.target.interpreter.to_string(),
        };
        Part {
            asks: texts(environment.problem.asks.iter().map(|a| &a.requirement)),
            interpreter,
            pins: File::all(environment),
        }
    }
}

impl From<&Changed> for Change {
    fn from(change: &Changed) -> Self {
        let option = |name: &str, project: &eutaxis_core::Name| Change::Project {
            option: name.to_owned(),
            project: project.to_string(),
        };
        let value = |name: &str, value: String| Change::Value {
            option: name.to_owned(),
            value,
        };
        let requirement = |old: &eutaxis_core::Ask, after: Option<String>| Change::Requirement {
            project: old.requirement.name.to_string(),
            before: Some(old.requirement.to_string()),
            after,
            origin: Some(old.origin.to_string()),
        };
        match change {
            Changed::Ask(old, new) | Changed::Bound(old, new) => {
                requirement(old, Some(new.to_string()))
            }
            Changed::DropAsk(old) | Changed::DropBound(old) => requirement(old, None),
            Changed::Pin(new) => Change::Requirement {
                project: new.name.to_string(),
                before: None,
                after: Some(new.to_string()),
                origin: None,
            },
            Changed::Interpreter(other) => Change::Interpreter {
                interpreter: other.name.clone(),
                here: other.here,
                target: other.target.to_string(),
            },
            Changed::Accelerators(all) | Changed::Unrequired(all) => {
                value("--accelerator", all.as_option())
            }
            Changed::Build(name) => option("--build", name),
            Changed::Prereleases(name) => option("--prereleases", name),
            Changed::AsOf(moment) => value("--as-of", moment.to_string()),
            Changed::TakeUndated => value("--take-undated", String::new()),
            Changed::Adjust(adjustment) => {
                Change::Adjust(Box::new(Adjusted::from(adjustment.as_ref()).dropped(false)))
            }
            Changed::DropAdjust(adjustment) => {
                Change::Adjust(Box::new(Adjusted::from(adjustment.as_ref()).dropped(true)))
            }
        }
    }
}
