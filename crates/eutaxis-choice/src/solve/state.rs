//! The assignment: what values each node has left, the trail of how it came to that, and
//! propagation.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bits::Bits;
use super::clause::{Clause, Rests, Source, Term};
use super::table::{ClauseId, Key, NodeId, StepId, Table, Value};
use eutaxis_standards::name::Name;

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
    /// Steps of the trail by which values of this node went, earliest first.
    steps: Vec<StepId>,
    /// Clauses that watch a term of this node, each once.
    watchers: Vec<ClauseId>,
}

/// Why values of a node went.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Reason {
    Decision,
    Clause(ClauseId),
}

/// A step of the trail: values of a node went.
#[derive(Debug)]
pub(super) struct Step {
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
    pub(super) nodes: Table<NodeId, Node>,
    ids: FxHashMap<NodeKind, NodeId>,
    pub(super) clauses: Table<ClauseId, Clause>,
    pub(super) trail: Table<StepId, Step>,
    /// The first step of each decision level, ascending; level 0 has none here.
    pub(super) levels: Vec<StepId>,
    /// How many steps of the trail have been propagated.
    done: usize,
    /// Clauses that are new or were made stricter and must be looked at.
    unchecked: Vec<ClauseId>,
    /// Clauses that came late: but for one term they were false on a level below the one on which
    /// they were added, which is noted here. What they conclude is undone with the later levels,
    /// and nothing that they watch changes then; so they are looked at again.
    late: Vec<(usize, ClauseId)>,
    /// Nodes that have come down to one value and may have to be expanded.
    pub(super) settled: Vec<NodeId>,
}

impl State {
    /// The node of a project or extra, made on first use.
    pub(super) fn node(&mut self, kind: NodeKind, size: usize) -> NodeId {
        if let Some(id) = self.ids.get(&kind) {
            return *id;
        }
        let id = self.nodes.push(Node {
            kind: kind.clone(),
            size,
            domain: Bits::all(size),
            steps: Vec::new(),
            watchers: Vec::new(),
        });
        self.ids.insert(kind, id);
        id
    }

    pub(super) fn find(&self, kind: &NodeKind) -> Option<NodeId> {
        self.ids.get(kind).copied()
    }

    pub(super) fn get(&self, id: NodeId) -> &Node {
        &self.nodes[id]
    }

    pub(super) fn level(&self) -> usize {
        self.levels.len()
    }

    /// The decision level of a step.
    pub(super) fn level_of(&self, step: StepId) -> usize {
        self.levels.partition_point(|start| *start <= step)
    }

    /// The step by which the term became false: none when it is not false, `Some(None)` when it
    /// always was.
    pub(super) fn falsified(&self, term: &Term) -> Option<Option<StepId>> {
        let node = self.get(term.node);
        if node.domain.meets(&term.values) {
            return None;
        }
        let mut steps = node.steps.iter().rev().copied();
        Some(steps.find(|step| self.trail[*step].before.meets(&term.values)))
    }

    /// Every step that took one of the term's values away, latest first.
    pub(super) fn steps_against(&self, term: &Term) -> Vec<StepId> {
        let node = self.get(term.node);
        let mut after = &node.domain;
        let mut steps = Vec::new();
        for step in node.steps.iter().rev() {
            let before = &self.trail[*step].before;
            let mut gone = before.clone();
            gone.drop_all(after);
            if gone.meets(&term.values) {
                steps.push(*step);
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
        let id = self.clauses.push(Clause {
            terms,
            watched: [0, 0],
            source,
            rests,
        });
        self.watch(id);
        self.unchecked.push(id);
        id
    }

    /// Takes a value out of the first term of a clause: it now speaks of one more release.
    pub(super) fn tighten(&mut self, id: ClauseId, value: Value) {
        if let Some(term) = self.clauses[id].terms.first_mut() {
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
        let clause = &self.clauses[id];
        let terms = clause.terms.iter().enumerate();
        let mut order: Vec<(Option<Option<StepId>>, usize)> =
            terms.map(|(i, term)| (self.falsified(term), i)).collect();
        // Those that are always false come last, those that are not false first.
        order.sort_by_key(|(falsified, _)| {
            std::cmp::Reverse((falsified.is_none(), falsified.flatten()))
        });
        let (first, second) = (order.first(), order.get(1));
        let watched = [first, second.or(first)].map(|term| term.map_or(0, |(_, i)| *i));
        let since = match second {
            Some((None, _)) => self.level(),
            Some((Some(Some(step)), _)) => self.level_of(*step),
            Some((Some(None), _)) | None => 0,
        };
        if since < self.level() {
            self.late.push((since, id));
        }
        for place in watched {
            if let Some(node) = clause.terms.get(place).map(|t| t.node) {
                let watchers = &mut self.nodes[node].watchers;
                if !watchers.contains(&id) {
                    watchers.push(id);
                }
            }
        }
        self.clauses[id].watched = watched;
    }

    /// Opens a decision level and gives the node one value; all conclusions must have been drawn.
    pub(super) fn decide(&mut self, node: NodeId, value: Value) {
        debug_assert!(!self.has_unchecked(), "conclusions come before decisions");
        self.levels.push(self.trail.next());
        let size = self.get(node).size;
        self.restrict(node, &Bits::only(size, value), Reason::Decision);
    }

    fn restrict(&mut self, id: NodeId, values: &Bits, reason: Reason) {
        let step = self.trail.next();
        let node = &mut self.nodes[id];
        let before = node.domain.clone();
        node.domain.keep(values);
        node.steps.push(step);
        if node.domain.single().is_some() {
            self.settled.push(id);
        }
        self.trail.push(Step {
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
        while let Some(step) = self.trail.pop_from(start) {
            let node = &mut self.nodes[step.node];
            node.domain = step.before;
            node.steps.pop();
        }
        self.levels.truncate(level);
        self.done = self.done.min(start.place());
        // On a lower level both terms that are watched can hold again.
        self.late.retain(|(since, _)| *since <= level);
        self.unchecked.extend(self.late.iter().map(|(_, id)| *id));
    }

    /// Draws all conclusions. A clause that cannot hold is returned.
    pub(super) fn propagate(&mut self) -> Option<ClauseId> {
        loop {
            while let Some(id) = self.unchecked.pop() {
                if self.visit(id) {
                    return Some(id);
                }
            }
            let Some(Step { node, .. }) = self.trail.get(StepId::at(self.done)) else {
                self.check_invariants();
                return None;
            };
            let node = *node;
            self.done += 1;
            let mut watchers = std::mem::take(&mut self.nodes[node].watchers);
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
            self.nodes[node].watchers.append(&mut watchers);
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
        let Clause { terms, watched, .. } = &mut self.clauses[id];
        let can_hold = |i: usize| {
            let term = terms.get(i);
            term.is_some_and(|t| self.nodes[t.node].domain.meets(&t.values))
        };
        let of_node = |i: &usize| terms.get(*i).is_some_and(|t| t.node == node);
        let Some(mine) = watched.iter().copied().find(of_node) else {
            return Watched::Moved;
        };
        if can_hold(mine) {
            return Watched::Holds;
        }
        let free = (0..terms.len()).find(|i| !watched.contains(i) && can_hold(*i));
        let Some((free, next)) = free.and_then(|i| Some((i, terms.get(i)?.node))) else {
            return Watched::Last;
        };
        watched
            .iter_mut()
            .filter(|i| **i == mine)
            .for_each(|i| *i = free);
        self.nodes[next].watchers.push(id);
        Watched::Moved
    }

    /// Looks at a whole clause: true when no term can hold; when just one can, its node is
    /// restricted to it.
    fn visit(&mut self, id: ClauseId) -> bool {
        let clause = &self.clauses[id];
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

    /// What holds whenever all conclusions have been drawn without a conflict, checked in debug
    /// builds while the system is small enough for that.
    fn check_invariants(&self) {
        const SMALL: usize = 400;
        if !cfg!(debug_assertions) || self.clauses.len() > SMALL {
            return;
        }
        debug_assert!(self.levels.is_sorted(), "levels begin one after the other");
        for (_, node) in self.nodes.iter() {
            debug_assert!(!node.domain.is_empty(), "every node has a value left");
            debug_assert!(node.steps.is_sorted(), "steps stand in their order");
        }
        for (id, clause) in self.clauses.iter() {
            let domain = |term: &Term| &self.nodes[term.node].domain;
            let mut open = clause.terms.iter().filter(|t| domain(t).meets(&t.values));
            debug_assert!(
                match (open.next(), open.next()) {
                    (None, _) => false,
                    (Some(only), None) => domain(only).is_within(&only.values),
                    (Some(_), Some(_)) => true,
                },
                "{id:?} can hold, and where one term is left its node is restricted to it"
            );
            let mut watched = clause.watched.iter().filter_map(|i| clause.terms.get(*i));
            debug_assert!(
                watched.all(|t| self.nodes[t.node].watchers.contains(&id)),
                "{id:?} is told of changes of what it watches"
            );
        }
    }
}
