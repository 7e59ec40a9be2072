//! The answer for programs.

use eutaxis_core::solve::Solution;
use eutaxis_core::span::{Cell, Split};
use serde_json::{Map, Value, json};

use super::{Report, Toolkits};

impl Report<'_> {
    pub(super) fn json(&self) -> Map<String, Value> {
        let mut cells = Vec::new();
        for (row, head) in self.rows.iter().enumerate() {
            for (column, chosen) in self.columns.iter().enumerate() {
                let Some(cell) = self.cell(row, column) else {
                    continue;
                };
                let mut object = cell_json(cell);
                object["interpreter"] = json!(head.series.to_string());
                object["target"] = json!(chosen.shown);
                let lost = self.matrix.lost(row, column);
                let older = lost.iter().map(|l| {
                    json!({"project": l.project.as_str(), "version": l.here.to_string(), "newest": l.newest.to_string()})
                });
                object["older"] = older.collect();
                object["built"] = json!(self.matrix.built(row, column));
                cells.push(object);
            }
        }
        let mut object = Map::new();
        object.insert(
            "targets".into(),
            self.columns
                .iter()
                .map(|c| json!({"name": c.shown, "target": c.target.to_string()}))
                .collect(),
        );
        object.insert(
            "interpreters".into(),
            self.rows
                .iter()
                .map(|h| json!({"version": h.series.to_string(), "here": h.here.as_ref().map(|f| f.path.clone())}))
                .collect(),
        );
        object.insert("cells".into(), Value::Array(cells));
        let best = self
            .best
            .as_ref()
            .and_then(|b| self.rows.get(b.row).map(|h| (b, h)));
        object.insert(
            "best".into(),
            json!(best.map(|(_, head)| head.series.to_string())),
        );
        object.insert("best_older".into(), json!(best.map(|(best, _)| best.lost)));
        if let Some(split) = &self.split {
            object.insert("split".into(), self.split_json(split));
            if let Split::Nowhere(ask) = split {
                let ask = self.asks.asks.get(*ask).map(|a| a.requirement.to_string());
                object.insert("nowhere".into(), json!(ask));
            }
        }
        if !self.toolkits.is_empty() {
            object.insert(
                "toolkits".into(),
                self.toolkits
                    .iter()
                    .map(|t| self.toolkits_json(t))
                    .collect(),
            );
        }
        object
    }

    fn split_json(&self, split: &Split) -> Value {
        let text = |i: &usize| self.asks.asks.get(*i).map(|a| a.requirement.to_string());
        match split {
            Split::Parts(parts) => parts
                .iter()
                .map(|part| {
                    let columns = part.solutions.iter().zip(self.columns);
                    let pins: Map<String, Value> = columns
                        .map(|(solution, c)| (c.shown.clone(), pins(solution)))
                        .collect();
                    json!({
                        "interpreter": self.rows.get(part.row).map(|h| h.series.to_string()),
                        "asks": part.asks.iter().filter_map(text).collect::<Vec<_>>(),
                        "pins": pins,
                    })
                })
                .collect(),
            Split::Nowhere(_) | Split::GaveUp => json!([]),
        }
    }

    fn toolkits_json(&self, toolkits: &Toolkits) -> Value {
        let mut cells = Vec::new();
        for (toolkit, row) in toolkits.toolkits.iter().zip(&toolkits.rows) {
            for (series, cell) in toolkits.interpreters.iter().zip(row) {
                let mut object = cell_json(cell);
                object["toolkit"] = json!(toolkit.to_string());
                object["interpreter"] = json!(series.to_string());
                cells.push(object);
            }
        }
        let row = self.best.as_ref().and_then(|b| self.rows.get(b.row));
        let best = row
            .and_then(|head| toolkits.best(head.series))
            .map(ToString::to_string);
        json!({
            "target": self.columns.get(toolkits.column).map(|c| c.shown.clone()),
            "family": toolkits.family.name,
            "cells": cells,
            "best": best,
        })
    }
}

fn cell_json(cell: &Cell) -> Value {
    match cell {
        Cell::Settled(solution) => json!({"verdict": "settles", "pins": pins(solution)}),
        Cell::Clash(clash) => {
            let facts: Vec<&str> = clash.facts.iter().map(|f| f.text.as_str()).collect();
            json!({"verdict": "clash", "pins": [], "clash": facts})
        }
        Cell::Barred(why) => json!({"verdict": "barred", "pins": [], "clash": [why]}),
        Cell::GaveUp => json!({"verdict": "unknown", "pins": []}),
    }
}

fn pins(solution: &Solution) -> Value {
    solution
        .chosen
        .iter()
        .map(|c| json!({"name": c.project.as_str(), "version": c.version.to_string()}))
        .collect()
}
