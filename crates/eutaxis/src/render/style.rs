//! Colour underlines what words say: one hue for good, one for care, one for barred, dim for
//! context.

use anstyle::{AnsiColor, Style};

fn paint(style: Style, text: &str) -> String {
    if text.is_empty() {
        String::new()
    } else {
        format!("{style}{text}{style:#}")
    }
}

/// Good: ready, settled, done.
pub(crate) fn good(text: &str) -> String {
    paint(AnsiColor::Green.on_default(), text)
}

/// Care: cautions, advice.
pub(crate) fn care(text: &str) -> String {
    paint(AnsiColor::Yellow.on_default(), text)
}

/// Barred: clashes, errors.
pub(crate) fn barred(text: &str) -> String {
    paint(AnsiColor::Red.on_default(), text)
}

/// Context.
pub(crate) fn dim(text: &str) -> String {
    paint(Style::new().dimmed(), text)
}

/// Context of several lines.
pub(crate) fn dim_lines(text: &str) -> String {
    text.lines()
        .map(|line| format!("{}\n", dim(line)))
        .collect()
}

/// The answer.
pub(crate) fn strong(text: &str) -> String {
    paint(Style::new().bold(), text)
}
