//! The assignment: what values each node has left, the trail of how it came to that, and
//! propagation.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bits::Bits;
use super::clause::{Clause, ClauseId, NodeId, Rests, Source, Term};
use crate::name::Name;

/// What a node stands for.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) enum NodeKind {
    /// A project: absent, or one of its offers.
    Project(Name),
    /// An extra of a project: 0 not asked for, 1 asked for.
    Extra(Name, Name),
    /// The toolkit of the environment: 0 none, else one of those that usable builds were made for.
    Toolkit,
}

#[derive(Debug)]
pub(super) struct Node {
    pub(super) kind: NodeKind,
    pub(super) size: usize,
    /// Values that are left.
    pub(super) domain: Bits,
    /// Places on the trail where values of this node went.
    entries: Vec<u32>,
    watchers: Vec<ClauseId>,
}

/// Why values of a node went.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Reason {
    Decision,
    Clause(ClauseId),
}

/// One step of the trail.
#[derive(Debug)]
pub(super) struct Entry {
    pub(super) node: NodeId,
    /// The node's values before the step.
    before: Bits,
    pub(super) reason: Reason,
}

/// What a change of a node means for a clause that watches it.
enum Watched {
    /// The watched term can still hold: there is nothing to do.
    Holds,
    /// It cannot, and another term is watched from now on.
    Moved,
    /// It cannot, and no other can take its place: the clause must be looked at.
    Last,
}

/// The assignment with its history.
#[derive(Debug, Default)]
pub(super) struct State {
    pub(super) nodes: Vec<Node>,
    ids: FxHashMap<NodeKind, NodeId>,
    pub(super) clauses: Vec<Clause>,
    pub(super) trail: Vec<Entry>,
    /// Where on the trail each decision level begins; level 0 has no entry here.
    pub(super) levels: Vec<u32>,
    /// How far the trail has been propagated.
    done: usize,
    /// Clauses that are new or were made stricter and must be looked at.
    unchecked: Vec<ClauseId>,
    /// Clauses of one term: what they say must be said again whenever the trail is cut back.
    units: Vec<ClauseId>,
    /// Nodes that have come down to one value and may have to be expanded.
    pub(super) settled: Vec<NodeId>,
}

impl State {
    /// The node of a project or extra, made on first use.
    pub(super) fn node(&mut self, kind: NodeKind, size: usize) -> NodeId {
        if let Some(id) = self.ids.get(&kind) {
            return *id;
        }
        let id = NodeId(self.nodes.len() as u32);
        self.ids.insert(kind.clone(), id);
        self.nodes.push(Node {
            kind,
            size,
            domain: Bits::all(size),
            entries: Vec::new(),
            watchers: Vec::new(),
        });
        id
    }

    pub(super) fn find(&self, kind: &NodeKind) -> Option<NodeId> {
        self.ids.get(kind).copied()
    }

    pub(super) fn get(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    pub(super) fn level(&self) -> usize {
        self.levels.len()
    }

    /// The decision level of a place on the trail.
    pub(super) fn level_of(&self, place: u32) -> usize {
        self.levels.partition_point(|start| *start <= place)
    }

    /// The place on the trail where the term became false: none when it is not false, `Some(None)`
    /// when it always was.
    pub(super) fn falsified(&self, term: &Term) -> Option<Option<u32>> {
        let node = self.get(term.node);
        if node.domain.meets(&term.values) {
            return None;
        }
        let steps = node.entries.iter().rev();
        Some(
            steps
                .copied()
                .find(|place| self.trail[*place as usize].before.meets(&term.values)),
        )
    }

    /// Every step that took one of the term's values away, latest first.
    pub(super) fn steps_against(&self, term: &Term) -> Vec<u32> {
        let node = self.get(term.node);
        let mut after = &node.domain;
        let mut steps = Vec::new();
        for place in node.entries.iter().rev() {
            let before = &self.trail[*place as usize].before;
            let mut gone = before.clone();
            gone.drop_all(after);
            if gone.meets(&term.values) {
                steps.push(*place);
            }
            after = before;
        }
        steps
    }

    /// Adds a clause. Terms of one node must have been joined.
    pub(super) fn add_clause(
        &mut self,
        terms: SmallVec<[Term; 2]>,
        source: Source,
        rests: Rests,
    ) -> ClauseId {
        let id = ClauseId(self.clauses.len() as u32);
        self.clauses.push(Clause {
            terms,
            watched: [0, 0],
            source,
            rests,
        });
        self.watch(id);
        self.unchecked.push(id);
        id
    }

    /// Adds a clause of one term.
    pub(super) fn add_unit(&mut self, term: Term, source: Source, rests: Rests) {
        let id = self.add_clause(std::iter::once(term).collect(), source, rests);
        self.units.push(id);
    }

    /// Takes a value out of the first term of a clause: it now speaks of one more release.
    pub(super) fn tighten(&mut self, id: ClauseId, value: usize) {
        if let Some(term) = self.clauses[id.0 as usize].terms.first_mut() {
            term.values.remove(value);
        }
        self.watch(id);
        self.unchecked.push(id);
    }

    pub(super) fn has_unchecked(&self) -> bool {
        !self.unchecked.is_empty() || self.done < self.trail.len()
    }

    /// Watches the two terms that are not false or became so last.
    fn watch(&mut self, id: ClauseId) {
        let clause = &self.clauses[id.0 as usize];
        let mut order: Vec<usize> = (0..clause.terms.len()).collect();
        let late = |i: &usize| match self.falsified(&clause.terms[*i]) {
            None => u32::MAX,
            Some(place) => place.map_or(0, |p| p + 1),
        };
        order.sort_by_key(|i| std::cmp::Reverse(late(i)));
        let watched = [
            order.first().copied().unwrap_or(0),
            order.get(1).or(order.first()).copied().unwrap_or(0),
        ];
        for place in watched {
            if let Some(node) = clause.terms.get(place).map(|t| t.node) {
                let watchers = &mut self.nodes[node.0 as usize].watchers;
                if !watchers.contains(&id) {
                    watchers.push(id);
                }
            }
        }
        self.clauses[id.0 as usize].watched = watched;
    }

    /// Opens a decision level and gives the node one value.
    pub(super) fn decide(&mut self, node: NodeId, value: usize) {
        self.levels.push(self.trail.len() as u32);
        let size = self.get(node).size;
        self.restrict(node, &Bits::only(size, value), Reason::Decision);
    }

    fn restrict(&mut self, id: NodeId, values: &Bits, reason: Reason) {
        let place = self.trail.len() as u32;
        let node = &mut self.nodes[id.0 as usize];
        let before = node.domain.clone();
        node.domain.keep(values);
        node.entries.push(place);
        if node.domain.single().is_some() {
            self.settled.push(id);
        }
        self.trail.push(Entry {
            node: id,
            before,
            reason,
        });
    }

    /// Forgets everything above a decision level.
    pub(super) fn backtrack(&mut self, level: usize) {
        let Some(start) = self.levels.get(level).copied() else {
            return;
        };
        while self.trail.len() > start as usize {
            if let Some(entry) = self.trail.pop() {
                let node = &mut self.nodes[entry.node.0 as usize];
                node.domain = entry.before;
                node.entries.pop();
            }
        }
        self.levels.truncate(level);
        self.done = self.done.min(self.trail.len());
        self.unchecked.extend(&self.units);
    }

    /// Draws all conclusions. A clause that cannot hold is returned.
    pub(super) fn propagate(&mut self) -> Option<ClauseId> {
        loop {
            while let Some(id) = self.unchecked.pop() {
                if self.visit(id) {
                    return Some(id);
                }
            }
            let node = self.trail.get(self.done)?.node;
            self.done += 1;
            let mut watchers = std::mem::take(&mut self.nodes[node.0 as usize].watchers);
            let mut conflict = None;
            // Those that watch another term from now on go out of the list, in place.
            watchers.retain(|id| {
                if conflict.is_some() {
                    return true;
                }
                match self.watched(*id, node) {
                    Watched::Holds => true,
                    Watched::Moved => false,
                    Watched::Last => {
                        if self.visit(*id) {
                            conflict = Some(*id);
                        }
                        true
                    }
                }
            });
            self.nodes[node.0 as usize].watchers.append(&mut watchers);
            if conflict.is_some() {
                // The rest of the trail must be looked at again once it has been cut back.
                self.done = self.done.saturating_sub(1);
                return conflict;
            }
        }
    }

    /// When the watched term of `node` has become false and another term has not, watches that one
    /// instead.
    fn watched(&mut self, id: ClauseId, node: NodeId) -> Watched {
        let clause = &self.clauses[id.0 as usize];
        let is_false = |i: usize| {
            clause
                .terms
                .get(i)
                .is_none_or(|t| !self.get(t.node).domain.meets(&t.values))
        };
        let Some(slot) = (0..2).find(|s| {
            clause
                .terms
                .get(clause.watched[*s])
                .is_some_and(|t| t.node == node)
        }) else {
            return Watched::Moved;
        };
        if !is_false(clause.watched[slot]) {
            return Watched::Holds;
        }
        let other = (0..clause.terms.len()).find(|i| !clause.watched.contains(i) && !is_false(*i));
        let Some(other) = other else {
            return Watched::Last;
        };
        let next = clause.terms[other].node;
        self.clauses[id.0 as usize].watched[slot] = other;
        self.nodes[next.0 as usize].watchers.push(id);
        Watched::Moved
    }

    /// Looks at a whole clause: true when no term can hold; when just one can, its node is
    /// restricted to it.
    fn visit(&mut self, id: ClauseId) -> bool {
        let clause = &self.clauses[id.0 as usize];
        let mut open = None;
        for (i, term) in clause.terms.iter().enumerate() {
            let domain = &self.get(term.node).domain;
            if domain.meets(&term.values) {
                if open.is_some() || domain.is_within(&term.values) {
                    return false;
                }
                open = Some(i);
            }
        }
        let Some(term) = open.and_then(|i| clause.terms.get(i)).cloned() else {
            return true;
        };
        self.restrict(term.node, &term.values, Reason::Clause(id));
        false
    }
}
