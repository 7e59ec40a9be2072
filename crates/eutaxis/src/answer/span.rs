//! Interpreters against targets, and toolkits against interpreters.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::knowledge::{Family, Number};
use eutaxis_core::span::{Best, Cell, Matrix, Series, Split};
use eutaxis_world::interpreter::Found;

use super::build::Foreseen;
use crate::asks::Asks;
use crate::cli::Span;
use crate::plan::Chosen;

/// What was found.
pub(crate) struct Report<'a> {
    pub(crate) arguments: &'a Span,
    pub(crate) asks: &'a Asks,
    /// Targets, in the order of the columns.
    pub(crate) columns: &'a [Chosen],
    /// Interpreters, the newest first.
    pub(crate) rows: Vec<Head>,
    pub(crate) matrix: Matrix,
    pub(crate) best: Option<Best>,
    /// When no row holds everything.
    pub(crate) split: Option<Split>,
    /// What is foreseen of builds under the interpreter to take, each with its target.
    pub(crate) builds: Vec<(String, Foreseen)>,
    /// For each target with an accelerator whose toolkits matter.
    pub(crate) toolkits: Vec<Toolkits>,
    /// Where the pins would go, where those of another question lie at the usual place.
    pub(crate) out: Option<PathBuf>,
}

impl Report<'_> {
    /// A cell.
    pub(crate) fn cell(&self, row: usize, column: usize) -> Option<&Cell> {
        self.matrix.rows().get(row).and_then(|r| r.get(column))
    }
}

/// A row.
#[derive(Debug)]
pub(crate) struct Head {
    pub(crate) series: Series,
    /// An interpreter of the series that is here, if the machine is looked at.
    pub(crate) here: Option<Found>,
}

/// Toolkits of a family against interpreters, on one target.
pub(crate) struct Toolkits {
    /// The target, by its column.
    pub(crate) column: usize,
    pub(crate) family: Arc<Family>,
    /// The newest first.
    pub(crate) toolkits: Vec<Number>,
    /// Interpreters, the newest first.
    pub(crate) interpreters: Vec<Series>,
    /// A row per toolkit; a cell per interpreter.
    pub(crate) rows: Vec<Vec<Cell>>,
}

impl Toolkits {
    /// The toolkit to take with an interpreter: the newest that holds everything.
    pub(crate) fn best(&self, interpreter: Series) -> Option<&Number> {
        let column = self.interpreters.iter().position(|s| *s == interpreter)?;
        let holds = |row: &[Cell]| row.get(column).is_some_and(|c| c.solution().is_some());
        self.toolkits
            .iter()
            .zip(&self.rows)
            .find(|(_, row)| holds(row))
            .map(|(toolkit, _)| toolkit)
    }
}
