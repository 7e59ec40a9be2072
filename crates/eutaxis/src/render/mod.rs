//! From reports to text: columns, words, sizes. Nothing here decides anything.

use std::sync::atomic::{AtomicBool, Ordering};

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

/// Lines are not broken: only the first one will be printed.
static LINES_ARE_WHOLE: AtomicBool = AtomicBool::new(false);

/// From now on no line is broken.
pub(crate) fn keep_lines_whole() {
    LINES_ARE_WHOLE.store(true, Ordering::Relaxed);
}

/// How many columns there are: those of the terminal, of COLUMNS, or 100; at least 40 and at most
/// 120.
pub(crate) fn width() -> usize {
    if LINES_ARE_WHOLE.load(Ordering::Relaxed) {
        return usize::from(u16::MAX);
    }
    let terminal = terminal_size::terminal_size().map(|(w, _)| usize::from(w.0));
    let stated = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
    terminal.or(stated).unwrap_or(100).clamp(40, 120)
}

/// What words of our own mean, where they stand in a table.
pub(crate) fn own_words(table: &str, width: usize) -> String {
    let words: Vec<&str> = table.split_whitespace().collect();
    let stands = |word: &str, before: Option<&str>| {
        words
            .windows(2)
            .any(|two| matches!(two, [b, w] if w.trim_end_matches([':', ',']) == word && before.is_none_or(|x| x == *b)))
    };
    let told = [
        (
            stands("barred", None),
            "barred: cannot be taken on the target",
        ),
        (
            stands("out", Some("is")),
            "out: left out by a bound, or by what is chosen",
        ),
    ];
    let told: Vec<&str> = told.iter().filter(|(is, _)| *is).map(|(_, t)| *t).collect();
    if told.is_empty() {
        return String::new();
    }
    let lines = table::wrap(&told.join(";  "), width).join("\n");
    style::dim_lines(&format!("{lines}\n"))
}
