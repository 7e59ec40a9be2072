//! How bad something is that was found.

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// It does not work as it stands.
    Breaks,
    /// It works, and may not do what was meant.
    Risk,
    /// Worth knowing.
    Note,
}

impl Severity {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Severity::Breaks => "breaks",
            Severity::Risk => "risk",
            Severity::Note => "note",
        }
    }
}
