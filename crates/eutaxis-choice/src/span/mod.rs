//! Which interpreters, on which targets, can hold all that is asked for; and if none can, into how
//! many environments the asks must be split. The cells are searches like any other; here is what is
//! read off them.
//!
//! ```
//! use eutaxis_choice::span::Series;
//!
//! // Rows of the matrix are series of interpreters.
//! let (older, newer) = (Series { major: 3, minor: 9 }, Series { major: 3, minor: 12 });
//! assert!(older < newer);
//! assert_eq!(newer.to_string(), "3.12");
//! ```

mod series;
mod split;

use std::collections::BTreeMap;

pub use series::{Series, mentioned};
pub use split::{Part, Split, split};

use jiff::Timestamp;

use crate::offer::{BarKind, Verdict};
use crate::solve::{Clash, FactKind, Solution};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::Version;

/// What one interpreter comes to on one target.
#[derive(Debug, Clone)]
pub enum Cell {
    /// All asks hold.
    Settled(Solution),
    /// They do not.
    Clash(Clash),
    /// The interpreter is out before anything is searched for: why, in a sentence.
    Barred(String),
    /// Neither could be shown.
    GaveUp,
}

impl Cell {
    /// The solution, if there is one.
    pub fn solution(&self) -> Option<&Solution> {
        if let Cell::Settled(solution) = self {
            Some(solution)
        } else {
            None
        }
    }
}

/// A project that is older in a cell than in another row of its column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lost {
    /// The project.
    pub project: Name,
    /// Its release in the cell.
    pub here: Version,
    /// The newest of its column.
    pub newest: Version,
}

/// The row to take.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Best {
    /// Which row.
    pub row: usize,
    /// How many projects have only source in it, over all columns.
    pub built: usize,
    /// How many leave the accelerator of the place unused, over all columns.
    pub unaccelerated: usize,
    /// How many projects are older in it than in other rows, over all columns.
    pub lost: usize,
    /// On so many targets its interpreter is younger than the time of the held asks.
    pub younger: usize,
    /// Newer rows that hold everything too, and are less good.
    pub passed_over: Vec<usize>,
    /// What speaks against them.
    pub cost: Cost,
}

/// What speaks against a newer interpreter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cost {
    /// More must be built.
    Built,
    /// More leave the accelerator of the place unused.
    Unaccelerated,
    /// It is younger than the time of what is asked for.
    Younger,
    /// More releases have to be older.
    Older,
    /// It is not on this machine.
    Absent,
}

/// Rows of cells, the newest interpreter first; one column per target.
#[derive(Debug)]
pub struct Matrix {
    rows: Vec<Vec<Cell>>,
    /// For each column the newest release of every project that some row takes as a wheel.
    newest: Vec<BTreeMap<Name, Version>>,
}

impl Matrix {
    /// A matrix of rows with one cell per column.
    pub fn new(rows: Vec<Vec<Cell>>) -> Self {
        let columns = rows.iter().map(Vec::len).max().unwrap_or(0);
        let mut newest: Vec<BTreeMap<Name, Version>> = vec![BTreeMap::new(); columns];
        for (column, cell) in rows.iter().flat_map(|row| row.iter().enumerate()) {
            let (Some(solution), Some(newest)) = (cell.solution(), newest.get_mut(column)) else {
                continue;
            };
            // What has only source there is no gain over an older wheel.
            for chosen in solution
                .chosen
                .iter()
                .filter(|c| c.verdict == Verdict::Ready)
            {
                let version = chosen.version.public();
                let known = newest
                    .entry(chosen.project.clone())
                    .or_insert_with(|| version.clone());
                if *known < version {
                    *known = version;
                }
            }
        }
        Matrix { rows, newest }
    }

    /// The rows.
    pub fn rows(&self) -> &[Vec<Cell>] {
        &self.rows
    }

    /// Projects that are older in a cell than in another row of its column.
    pub fn lost(&self, row: usize, column: usize) -> Vec<Lost> {
        let solution = self
            .rows
            .get(row)
            .and_then(|r| r.get(column))
            .and_then(Cell::solution);
        let (Some(solution), Some(newest)) = (solution, self.newest.get(column)) else {
            return Vec::new();
        };
        let older = solution.chosen.iter().filter_map(|chosen| {
            let newest = newest.get(&chosen.project)?;
            let here = chosen.version.public();
            (here < *newest).then(|| Lost {
                project: chosen.project.clone(),
                here,
                newest: newest.clone(),
            })
        });
        older.collect()
    }

    /// Whether a row holds everything in every column.
    pub fn holds(&self, row: usize) -> bool {
        self.rows
            .get(row)
            .is_some_and(|r| !r.is_empty() && r.iter().all(|c| c.solution().is_some()))
    }

    /// How many projects of a cell have only source.
    pub fn built(&self, row: usize, column: usize) -> usize {
        let solution = self
            .rows
            .get(row)
            .and_then(|r| r.get(column))
            .and_then(Cell::solution);
        solution.map_or(0, Solution::built)
    }

    /// The projects of a cell that leave the accelerator of its place unused.
    pub fn unaccelerated(&self, row: usize, column: usize) -> Vec<&Name> {
        let row = self.rows.get(row);
        let solution = row.and_then(|r| r.get(column)).and_then(Cell::solution);
        solution.map_or(Vec::new(), |s| s.unaccelerated().collect())
    }

    /// In how many columns a row's interpreter is younger than the time of the held asks.
    fn younger(&self, row: usize, began: Option<Timestamp>) -> usize {
        let is_younger = |cell: &&Cell| cell.solution().is_some_and(|s| s.is_of_before(began));
        self.rows
            .get(row)
            .map_or(0, |cells| cells.iter().filter(is_younger).count())
    }

    /// The row to take: of those that hold everything, the one in which the fewest projects must be
    /// built, then in which the fewest leave an accelerator unused, then whose interpreter is of the time of what is asked for (docs/choice.md, dates),
    /// then in which the fewest are older, then one that is here, then the newest. `interpreters`
    /// says of each row when its series began, and whether it is on this machine.
    pub fn best(&self, interpreters: &[(Option<Timestamp>, bool)]) -> Option<Best> {
        let interpreter = |row: usize| interpreters.get(row).copied().unwrap_or((None, false));
        let over_all = |row: usize, of: &dyn Fn(usize, usize) -> usize| {
            let columns = self.rows.get(row).map_or(0, Vec::len);
            (0..columns).map(|c| of(row, c)).sum::<usize>()
        };
        let mut holding: Vec<Best> = (0..self.rows.len())
            .filter(|r| self.holds(*r))
            .map(|row| Best {
                row,
                built: over_all(row, &|r, c| self.built(r, c)),
                unaccelerated: over_all(row, &|r, c| self.unaccelerated(r, c).len()),
                younger: self.younger(row, interpreter(row).0),
                lost: over_all(row, &|r, c| self.lost(r, c).len()),
                passed_over: Vec::new(),
                cost: Cost::Absent,
            })
            .collect();
        holding.sort_by_key(|b| {
            let here = interpreter(b.row).1;
            (b.built, b.unaccelerated, b.younger, b.lost, !here, b.row)
        });
        let mut holding = holding.into_iter();
        let best = holding.next()?;
        let mut newer: Vec<Best> = holding.filter(|b| b.row < best.row).collect();
        newer.sort_by_key(|b| b.row);
        let cost = if newer.iter().any(|b| b.built > best.built) {
            Cost::Built
        } else if newer.iter().any(|b| b.unaccelerated > best.unaccelerated) {
            Cost::Unaccelerated
        } else if newer.iter().any(|b| b.younger > best.younger) {
            Cost::Younger
        } else if newer.iter().any(|b| b.lost > best.lost) {
            Cost::Older
        } else {
            Cost::Absent
        };
        Some(Best {
            passed_over: newer.into_iter().map(|b| b.row).collect(),
            cost,
            ..best
        })
    }
}

/// The first clash in a few words: what kind of thing it is, and about which project.
pub fn in_few_words(clash: &Clash) -> (&'static str, String) {
    // A bar of the place says most; of several the one on the project that is read first.
    let place = clash.facts.iter().find_map(|f| match f.kind {
        FactKind::Bar(BarKind::Interpreter | BarKind::Platform) => Some(("no file", &f.project)),
        FactKind::Bar(BarKind::Libc) => Some(("C library", &f.project)),
        FactKind::Bar(BarKind::Accelerator) | FactKind::Built => Some(("no build", &f.project)),
        FactKind::Ask | FactKind::Bound | FactKind::Needs | FactKind::Bar(_) => None,
    });
    let source = clash
        .facts
        .iter()
        .find(|f| f.kind == FactKind::Bar(BarKind::Wheels))
        .map(|f| ("only source", &f.project));
    let absent = clash
        .facts
        .iter()
        .find(|f| f.kind == FactKind::Bar(BarKind::Absent))
        .map(|f| ("absent", &f.project));
    match place.or(source).or(absent) {
        Some((word, project)) => (word, project.clone()),
        None => {
            let contested = clash.contested.first().map(|c| c.project.to_string());
            let first = clash.facts.first().map(|f| f.project.clone());
            ("clash", contested.or(first).unwrap_or_default())
        }
    }
}
