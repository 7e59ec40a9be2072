//! Clauses: of several terms "this node has one of these values", at least one holds.

use std::sync::Arc;

use smallvec::SmallVec;

use super::bits::Bits;
use super::problem::{AskId, BoundId};
use super::table::Value;
pub(super) use super::table::{ClauseId, NodeId};
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::name::Name;

/// The node has one of the values. A clause has at most one term for a node.
#[derive(Debug, Clone)]
pub(super) struct Term {
    pub(super) node: NodeId,
    pub(super) values: Bits,
}

/// Where a clause comes from.
#[derive(Debug, Clone)]
pub(super) enum Source {
    /// An ask, by its index.
    Ask(AskId),
    /// A bound, by its index.
    Bound(BoundId),
    /// What releases of a project need: the releases are those that the first term leaves out.
    Need {
        project: Name,
        extra: Option<Name>,
        requirement: Box<eutaxis_standards::requirement::Requirement>,
        /// The adjustment that says so, by its index.
        adjusted: Option<usize>,
    },
    /// A yanked release is taken only when something in force pins it.
    Yanked { project: Name, value: Value },
    /// Releases of a project were made for this: those that the first term leaves out.
    Build {
        project: Name,
        made_for: Arc<MadeFor>,
    },
    /// Another release of this project is held.
    Held(Name),
    /// The earlier pin of this project is kept.
    Prior(Name),
    /// A strong fact, by its index.
    Doubt(usize),
    /// A ground of a clash that is being made smaller, by its index.
    Ground(usize),
    /// Learned from these.
    Learned(Vec<ClauseId>),
}

/// A clause with the two terms that are watched.
#[derive(Debug)]
pub(super) struct Clause {
    pub(super) terms: SmallVec<[Term; 2]>,
    pub(super) watched: [usize; 2],
    pub(super) source: Source,
    pub(super) rests: Rests,
}

/// What a clause takes for granted though it has not been looked into: a conflict that rests on it
/// counts only after.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct Rests {
    /// A yanked release is out because nothing that is known pins it.
    pub(super) on_nobody_pinning: bool,
    /// Pre-releases are out because of final ones whose metadata is not known.
    pub(super) on_unseen_finals: bool,
}

impl Rests {
    pub(super) fn or(self, other: Rests) -> Rests {
        Rests {
            on_nobody_pinning: self.on_nobody_pinning || other.on_nobody_pinning,
            on_unseen_finals: self.on_unseen_finals || other.on_unseen_finals,
        }
    }
}

impl Clause {
    pub(super) fn term_of(&self, node: NodeId) -> Option<&Term> {
        self.terms.iter().find(|t| t.node == node)
    }
}
