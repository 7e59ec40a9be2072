//! Why a release is here.

use eutaxis_core::offer::Adjustment;
use eutaxis_core::record;

/// What is known of a pinned release.
pub(crate) struct Report {
    pub(crate) project: String,
    pub(crate) version: String,
    pub(crate) published: Option<String>,
    /// From an ask to the project: names, and the same in words.
    pub(crate) chains: Vec<(Vec<String>, Vec<String>)>,
    pub(crate) bounds: Vec<Bound>,
    pub(crate) newer: Vec<Newer>,
    pub(crate) cautions: Vec<String>,
    pub(crate) adjusted: Vec<String>,
    /// From the record in the pins, not from the depots.
    pub(crate) recorded: bool,
}

/// Who needs what.
#[derive(Debug)]
pub(crate) struct Tree {
    /// The project that it is about; none for the whole set.
    pub(crate) project: Option<String>,
    /// Who asks for it.
    pub(crate) askers: Vec<Branch>,
    /// What is asked for, or what it needs.
    pub(crate) branches: Vec<Branch>,
}

/// A project in a tree.
#[derive(Debug)]
pub(crate) struct Branch {
    pub(crate) project: String,
    pub(crate) version: Option<String>,
    /// In which words it is asked for, or asks.
    pub(crate) requirement: String,
    /// Where the user asks.
    pub(crate) by: Option<String>,
    /// It was shown before, with what is below it.
    pub(crate) is_seen: bool,
    /// What is below it is not shown: the tree is deep enough.
    pub(crate) is_cut: bool,
    pub(crate) branches: Vec<Branch>,
}

/// The set, or what one project has to do with, as a graph.
#[derive(Debug)]
pub(crate) struct Graph {
    /// The project that it is about; none for the whole set.
    pub(crate) project: Option<String>,
    pub(crate) nodes: Vec<Node>,
    /// Between places in `nodes`.
    pub(crate) edges: Vec<Edge>,
}

/// A project of the set.
#[derive(Debug)]
pub(crate) struct Node {
    pub(crate) project: String,
    pub(crate) version: Option<String>,
    /// What the user asks of it, with where.
    pub(crate) asked: Vec<String>,
    /// The newest release, where it is not the one that is pinned.
    pub(crate) newest: Option<String>,
    /// It is the one that the graph is about.
    pub(crate) is_subject: bool,
}

/// That one project needs another.
#[derive(Debug)]
pub(crate) struct Edge {
    pub(crate) from: usize,
    pub(crate) to: usize,
    pub(crate) requirement: String,
}

/// A bound, and what it leaves.
pub(crate) struct Bound {
    pub(crate) by: String,
    pub(crate) requirement: String,
    /// The oldest and newest release that it leaves, when the releases are known.
    pub(crate) left: Option<(String, String)>,
    pub(crate) count: usize,
    pub(crate) of: usize,
}

/// A newer release, and what keeps it out.
#[derive(Default)]
pub(crate) struct Newer {
    pub(crate) version: String,
    pub(crate) published: Option<String>,
    pub(crate) out: Vec<String>,
    /// No single reason was found.
    pub(crate) open: bool,
    /// The reasons are the facts that clash when it is taken with the choices made before.
    pub(crate) by_choices: bool,
}

/// A project that another solution has in another release: before and after.
pub(crate) type Moved = (String, Option<String>, Option<String>);

/// What proofs of pins learnt.
#[derive(Debug)]
pub(crate) struct Learnt {
    /// The pins, for people.
    pub(crate) pins: String,
    /// How far they are proven.
    pub(crate) proof: Option<record::Proof>,
    pub(crate) lessons: Vec<Adjustment>,
}
