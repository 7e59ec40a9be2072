//! Interpreters against targets, for programs.

use std::collections::BTreeMap;

use eutaxis_core::span::{Cell as Judged, Split as Found};
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::Foreseen;
use super::shared::{Release, releases};
use super::{shown, texts};
use crate::answer::span::{Report, Toolkits as Matrix};

/// What `span` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Span {
    targets: Vec<Target>,
    interpreters: Vec<Interpreter>,
    cells: Vec<Cell>,
    /// The interpreter to take.
    best: Option<String>,
    /// How many projects are older with it than they need be.
    best_older: Option<usize>,
    /// When no interpreter holds everything: parts that two can hold; empty when there are none.
    #[serde(skip_serializing_if = "Option::is_none")]
    split: Option<Vec<Part>>,
    /// The ask that no interpreter can hold.
    #[serde(skip_serializing_if = "Option::is_none")]
    nowhere: Option<String>,
    /// What is foreseen of builds under the interpreter to take.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    builds: Vec<Build>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    toolkits: Vec<Toolkits>,
    /// The drawing that was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) picture: Option<String>,
}

/// A build on a target.
#[derive(Debug, Serialize, JsonSchema)]
struct Build {
    target: String,
    #[serde(flatten)]
    build: Foreseen,
}

/// A column.
#[derive(Debug, Serialize, JsonSchema)]
struct Target {
    name: String,
    target: String,
}

/// A row.
#[derive(Debug, Serialize, JsonSchema)]
struct Interpreter {
    version: String,
    /// Where one of the series is on this machine.
    here: Option<String>,
}

/// Everything on one interpreter and one target.
#[derive(Debug, Serialize, JsonSchema)]
struct Cell {
    #[serde(flatten)]
    outcome: Outcome,
    interpreter: String,
    target: String,
    older: Vec<Older>,
    /// How many would have to be built.
    built: usize,
    /// Projects that leave the accelerator of the target unused, which builds of them use.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unaccelerated: Vec<String>,
}

/// What came of it.
#[derive(Debug, Serialize, JsonSchema)]
struct Outcome {
    #[schemars(extend("enum" = ["settles", "clash", "barred", "unknown"]))]
    verdict: String,
    pins: Vec<Release>,
    /// The facts in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    clash: Option<Vec<String>>,
}

/// A project that is older here than it need be.
#[derive(Debug, Serialize, JsonSchema)]
struct Older {
    project: String,
    version: String,
    newest: String,
}

/// Asks that one interpreter holds together on all targets.
#[derive(Debug, Serialize, JsonSchema)]
struct Part {
    interpreter: Option<String>,
    asks: Vec<String>,
    /// By target.
    #[schemars(with = "BTreeMap<String, Vec<Release>>")]
    pins: IndexMap<String, Vec<Release>>,
}

/// Toolkits against interpreters, on one target.
#[derive(Debug, Serialize, JsonSchema)]
struct Toolkits {
    target: Option<String>,
    family: String,
    cells: Vec<ToolkitCell>,
    best: Option<String>,
}

/// Everything with one toolkit and one interpreter.
#[derive(Debug, Serialize, JsonSchema)]
struct ToolkitCell {
    #[serde(flatten)]
    outcome: Outcome,
    toolkit: String,
    interpreter: String,
}

impl From<&Judged> for Outcome {
    fn from(cell: &Judged) -> Self {
        let (verdict, pins, clash) = match cell {
            Judged::Settled(solution) => ("settles", releases(solution), None),
            Judged::Clash(clash) => (
                "clash",
                Vec::new(),
                Some(texts(clash.facts.iter().map(|f| &f.text))),
            ),
            Judged::Barred(why) => ("barred", Vec::new(), Some(vec![why.to_string()])),
            Judged::GaveUp => ("unknown", Vec::new(), None),
        };
        Outcome {
            verdict: verdict.to_owned(),
            pins,
            clash,
        }
    }
}

impl From<&Report<'_>> for Span {
    fn from(report: &Report<'_>) -> Self {
        let best = report.best.as_ref();
        let head = best.and_then(|b| report.rows.get(b.row));
        let ask = |i: usize| report.asks.asks.get(i).map(|a| a.requirement.to_string());
        let nowhere = match &report.split {
            Some(Found::Nowhere(i)) => ask(*i),
            Some(Found::Parts(_) | Found::GaveUp) | None => None,
        };
        let targets = report.columns.iter().map(|c| Target {
            name: c.shown.clone(),
            target: c.target.to_string(),
        });
        let interpreters = report.rows.iter().map(|h| Interpreter {
            version: h.series.to_string(),
            here: h.here.as_ref().map(|f| shown(&f.path)),
        });
        let toolkits = report.toolkits.iter();
        Span {
            targets: targets.collect(),
            interpreters: interpreters.collect(),
            cells: cells(report),
            builds: report
                .builds
                .iter()
                .map(|(target, one)| Build {
                    target: target.clone(),
                    build: one.into(),
                })
                .collect(),
            best: head.map(|h| h.series.to_string()),
            best_older: best.filter(|_| head.is_some()).map(|b| b.lost),
            split: report.split.as_ref().map(|s| parts(s, report)),
            nowhere,
            toolkits: toolkits.map(|t| Toolkits::new(t, report)).collect(),
            picture: None,
        }
    }
}

fn cells(report: &Report<'_>) -> Vec<Cell> {
    let mut cells = Vec::new();
    for (row, head) in report.rows.iter().enumerate() {
        for (column, chosen) in report.columns.iter().enumerate() {
            let lost = report.matrix.lost(row, column);
            let older = lost.iter().map(|l| Older {
                project: l.project.to_string(),
                version: l.here.to_string(),
                newest: l.newest.to_string(),
            });
            cells.extend(report.cell(row, column).map(|cell| Cell {
                outcome: cell.into(),
                interpreter: head.series.to_string(),
                target: chosen.shown.clone(),
                older: older.collect(),
                built: report.matrix.built(row, column),
                unaccelerated: texts(report.matrix.unaccelerated(row, column)),
            }));
        }
    }
    cells
}

fn parts(split: &Found, report: &Report<'_>) -> Vec<Part> {
    let ask = |i: &usize| report.asks.asks.get(*i).map(|a| a.requirement.to_string());
    let Found::Parts(parts) = split else {
        return Vec::new();
    };
    let part = |part: &eutaxis_core::span::Part| {
        let columns = report.columns.iter().map(|c| c.shown.clone());
        Part {
            interpreter: report.rows.get(part.row).map(|h| h.series.to_string()),
            asks: part.asks.iter().filter_map(ask).collect(),
            pins: columns.zip(part.solutions.iter().map(releases)).collect(),
        }
    };
    parts.iter().map(part).collect()
}

impl Toolkits {
    fn new(toolkits: &Matrix, report: &Report<'_>) -> Self {
        let mut cells = Vec::new();
        for (toolkit, row) in toolkits.toolkits.iter().zip(&toolkits.rows) {
            for (series, cell) in toolkits.interpreters.iter().zip(row) {
                cells.push(ToolkitCell {
                    outcome: cell.into(),
                    toolkit: toolkit.to_string(),
                    interpreter: series.to_string(),
                });
            }
        }
        let row = report.best.as_ref().and_then(|b| report.rows.get(b.row));
        let best = row.and_then(|head| toolkits.best(head.series));
        let column = report.columns.get(toolkits.column);
        Toolkits {
            target: column.map(|c| c.shown.clone()),
            family: toolkits.family.name.to_string(),
            cells,
            best: best.map(ToString::to_string),
        }
    }
}
