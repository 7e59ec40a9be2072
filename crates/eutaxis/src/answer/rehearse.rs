//! What would move.

use std::collections::BTreeMap;

use eutaxis_core::rehearse::{Break, Move, Set};
use eutaxis_core::solve::Clash;
use eutaxis_core::{Name, Version};

use super::build::Foreseen;

/// A move with what is lost by it.
pub(crate) struct Told {
    pub(crate) moved: Move,
    pub(crate) loses: Vec<String>,
}

/// One thing placed by itself.
pub(crate) struct Step {
    pub(crate) words: String,
    pub(crate) moves: Vec<Told>,
    pub(crate) breaks: Vec<Break>,
    pub(crate) cautions: Vec<String>,
    /// What is foreseen of the builds that it would take.
    pub(crate) builds: Vec<Foreseen>,
    pub(crate) set: Set,
}

/// Another answer: everything heeded together.
#[derive(Default)]
pub(crate) struct Alternative {
    /// What to ask for, exactly.
    pub(crate) asks: Vec<String>,
    pub(crate) moves: Vec<Told>,
    /// There is none: the facts that clash.
    pub(crate) facts: Vec<String>,
    pub(crate) releases: BTreeMap<Name, Version>,
}

impl Alternative {
    /// There is none.
    pub(crate) fn impossible(clash: &Clash) -> Self {
        Alternative {
            facts: clash.facts.iter().map(|f| f.text.clone()).collect(),
            ..Alternative::default()
        }
    }
}

/// The whole play.
pub(crate) struct Play {
    pub(crate) shown: String,
    pub(crate) before: Set,
    pub(crate) steps: Vec<Step>,
    pub(crate) joint: Option<Alternative>,
    pub(crate) alternative: Option<Alternative>,
    /// What importing what is there runs into afterwards and did not before, in words; none when
    /// nobody looked.
    pub(crate) gaps: Option<Vec<String>>,
}

impl Play {
    pub(crate) fn breaks_nothing(&self) -> bool {
        let imports = self.gaps.as_ref().is_none_or(Vec::is_empty);
        imports && self.steps.last().is_none_or(|_| self.broken().is_empty())
    }

    /// What is broken at the end.
    pub(crate) fn broken(&self) -> Vec<Break> {
        self.steps.last().map_or(Vec::new(), |last| {
            eutaxis_core::rehearse::breaks(&self.before, &last.set)
        })
    }
}

/// What newer releases would move.
#[derive(Debug)]
pub(crate) struct Outdated {
    pub(crate) base: String,
    pub(crate) target: String,
    /// How many projects there are.
    pub(crate) count: usize,
    /// Those of which there is a newer release, what is farthest behind first.
    pub(crate) all: Vec<Older>,
    /// The command that takes what would move.
    pub(crate) take: Option<String>,
}

/// A project of which there is a newer release.
#[derive(Debug)]
pub(crate) struct Older {
    pub(crate) project: String,
    pub(crate) version: String,
    pub(crate) published: Option<String>,
    /// The release that it would have; none where it stays.
    pub(crate) would_be: Option<String>,
    pub(crate) newest: String,
    /// How many days the newest came later.
    pub(crate) days: Option<i64>,
    /// What holds the newest.
    pub(crate) held: Vec<String>,
}
