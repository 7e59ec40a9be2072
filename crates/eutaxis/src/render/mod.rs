//! From reports to text: columns, words, sizes. Nothing here decides anything.

pub(crate) mod assay;
pub(crate) mod axis;
pub(crate) mod build;
pub(crate) mod check;
pub(crate) mod clash;
pub(crate) mod depots;
pub(crate) mod diagnose;
pub(crate) mod examine;
pub(crate) mod furnish;
pub(crate) mod gather;
pub(crate) mod help;
pub(crate) mod here;
pub(crate) mod joint;
pub(crate) mod locate;
pub(crate) mod picture;
pub(crate) mod proof;
pub(crate) mod proofread;
pub(crate) mod reason;
pub(crate) mod rehearse;
pub(crate) mod settle;
pub(crate) mod shortlist;
pub(crate) mod span;
pub(crate) mod stock;
pub(crate) mod style;
pub(crate) mod survey;
pub(crate) mod table;
pub(crate) mod ways;

/// How many columns there are: those of the terminal, of COLUMNS, or 100; at least 40 and at most
/// 120.
pub(crate) fn width() -> usize {
    let terminal = terminal_size::terminal_size().map(|(w, _)| usize::from(w.0));
    let stated = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
    terminal.or(stated).unwrap_or(100).clamp(40, 120)
}
