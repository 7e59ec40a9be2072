//! What an answer rests on: three words, the same everywhere.

use std::fmt;

/// What an answer rests on, weakest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Evidence {
    /// What the metadata declare: a set exists by them.
    Solved,
    /// The contents of the files show it.
    Read,
    /// It was run.
    Ran,
}

impl Evidence {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Evidence::Solved => "solved",
            Evidence::Read => "read",
            Evidence::Ran => "ran",
        }
    }

    /// By its word; pins call what is only solved `declared`.
    pub fn of(word: &str) -> Option<Self> {
        match word {
            "solved" | "declared" => Some(Evidence::Solved),
            "read" => Some(Evidence::Read),
            "ran" => Some(Evidence::Ran),
            _ => None,
        }
    }

    /// The word for it in pins, which may hold what nobody looked into.
    pub fn level(self) -> &'static str {
        match self {
            Evidence::Solved => "declared",
            Evidence::Read | Evidence::Ran => self.as_str(),
        }
    }

    /// Whether it is more than what metadata declare.
    pub fn is_verified(self) -> bool {
        self > Evidence::Solved
    }
}

impl fmt::Display for Evidence {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_read_as_they_are_written() {
        for one in [Evidence::Solved, Evidence::Read, Evidence::Ran] {
            assert_eq!(Evidence::of(one.as_str()), Some(one));
            assert_eq!(Evidence::of(one.level()), Some(one));
        }
        assert_eq!(Evidence::of("guessed"), None);
        assert!(Evidence::Ran.is_verified() && !Evidence::Solved.is_verified());
    }
}
