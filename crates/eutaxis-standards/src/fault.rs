//! What is wrong with a piece of text, and where in it.
//!
//! Every parser of this crate reports a [`Fault`]: what was found, at which byte, and a hint when
//! one remedy is likely. Whoever knows the file adds the [`Origin`]; only the program turns both
//! into lines and carets.

use std::fmt;
use std::sync::Arc;

/// What kind of fault it is: callers tell faults apart by this, never by their words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum FaultKind {
    /// The text does not follow its grammar, or a value is not of its kind.
    Grammar,
    /// A word, key or name means nothing there.
    Unknown,
    /// What has to be there, or what is spoken of, is not.
    Absent,
    /// Two things that it says do not go together.
    Contradiction,
    /// It is about something else than what is at hand: another release, another place.
    Other,
    /// It is longer, deeper or more than is read.
    Limit,
    /// It follows a later version of its standard than is read here.
    Newer,
    /// What is wanted of it is known only by building.
    Dynamic,
}

/// A fault in a text: its kind, message, place in the text, and a hint.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    kind: FaultKind,
    message: String,
    offset: usize,
    hint: Option<String>,
}

impl Fault {
    /// A fault at byte `offset` of the text that was being read, which does not follow its grammar.
    pub fn new(message: impl Into<String>, offset: usize) -> Self {
        Fault::of(FaultKind::Grammar, message, offset)
    }

    /// A fault of some kind at byte `offset` of the text that was being read.
    pub fn of(kind: FaultKind, message: impl Into<String>, offset: usize) -> Self {
        Fault {
            kind,
            message: message.into(),
            offset,
            hint: None,
        }
    }

    /// The same fault with advice on what was probably meant.
    #[must_use]
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// The same fault, `by` bytes further right: for a text that stands inside a longer one.
    #[must_use]
    pub fn shifted(mut self, by: usize) -> Self {
        self.offset += by;
        self
    }

    /// The same fault, its message led by what was being read.
    #[must_use]
    pub fn within(mut self, what: impl fmt::Display) -> Self {
        self.message = format!("{what}: {}", self.message);
        self
    }

    /// What kind of fault it is.
    pub fn kind(&self) -> FaultKind {
        self.kind
    }

    /// What is wrong, in a sentence without a final stop.
    pub fn message(&self) -> &str {
        &self.message
    }

    /// Byte offset into the text that was read; its length when something is missing at the end.
    pub fn offset(&self) -> usize {
        self.offset
    }

    /// Advice, when one remedy is likely.
    pub fn advice(&self) -> Option<&str> {
        self.hint.as_deref()
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)?;
        if let Some(hint) = &self.hint {
            write!(f, " ({hint})")?;
        }
        Ok(())
    }
}

impl std::error::Error for Fault {}

/// Where something was stated: a file with a line, or the command line.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Origin {
    /// A line (counted from 1) of a file, named as the user named it.
    Line {
        /// The file's path as given.
        file: Arc<str>,
        /// Line, counted from 1.
        line: u32,
    },
    /// An argument of the command line.
    Argument,
}

impl Origin {
    /// The place `line` (from 1) of `file`.
    pub fn line(file: &str, line: u32) -> Self {
        Origin::Line {
            file: Arc::from(file),
            line,
        }
    }
}

impl fmt::Display for Origin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Origin::Line { file, line } => write!(f, "{file}:{line}"),
            // The facts of a clash promise an origin that ends in a line number; arguments count as
            // line 1.
            Origin::Argument => f.write_str("command line:1"),
        }
    }
}

/// Line and column (both from 1) of a byte offset, for showing a fault.
pub fn line_and_column(text: &str, offset: usize) -> (u32, u32) {
    let before = text.get(..offset).unwrap_or(text);
    let line = before.bytes().filter(|b| *b == b'\n').count();
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let column = before.get(start..).unwrap_or("").chars().count();
    (line as u32 + 1, column as u32 + 1)
}

/// The text with control and direction-changing characters shown as escapes: text from files is
/// hostile.
pub fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        let direction = matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
        if c.is_control() || direction {
            out.extend(c.escape_unicode());
        } else {
            out.push(c);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fault_knows_its_line_and_column() {
        let text = "frostgrid\nfirnio ==\u{e9}!\n";
        assert_eq!(line_and_column(text, 0), (1, 1));
        assert_eq!(line_and_column(text, 10), (2, 1));
        assert_eq!(
            line_and_column(text, 21),
            (2, 11),
            "columns count characters, not bytes"
        );
        assert_eq!(
            line_and_column(text, 999),
            (3, 1),
            "an offset past the end is the end"
        );
    }

    #[test]
    fn hostile_text_is_escaped() {
        assert_eq!(
            escaped("a\u{1b}[31mb\u{202e}c \u{e9}"),
            "a\\u{1b}[31mb\\u{202e}c \u{e9}"
        );
    }
}
