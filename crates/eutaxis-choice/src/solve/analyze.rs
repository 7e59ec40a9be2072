//! Learning from a conflict: resolution back to the first unique implication point.
//!
//! After Marques-Silva and Sakallah, "GRASP" (1996), carried over from truth values to terms (node,
//! set): resolving `N in S or C` with `N in T or R` on the node N gives `N in (S and T) or C or R`.
//! The loop ends when a single term of the clause became false on the level of the conflict.

use std::collections::BTreeMap;

use smallvec::SmallVec;

use super::bits::Bits;
use super::clause::{Rests, Source, Term};
use super::state::{Reason, State};
use super::table::{ClauseId, NodeId, StepId};

/// What a conflict teaches.
pub(super) enum Lesson {
    /// This clause; it holds by one term on `level`.
    Clause { id: ClauseId },
    /// The problem has no solution; these clauses show it.
    Impossible(Vec<ClauseId>),
}

impl State {
    /// Learns from a clause that cannot hold, and goes back to where the lesson tells something
    /// new.
    pub(super) fn learn(&mut self, conflict: ClauseId) -> Lesson {
        let mut used = vec![conflict];
        let mut terms: BTreeMap<NodeId, Bits> = BTreeMap::new();
        self.join(&mut terms, conflict, None);
        loop {
            let Some((node, step, below)) = self.latest(&mut terms) else {
                return Lesson::Impossible(used);
            };
            let level = self.level_of(step);
            if level == 0 {
                self.trace_root(&terms, &mut used);
                return Lesson::Impossible(used);
            }
            let single = below.is_none_or(|l| l < level);
            let Reason::Clause(reason) = self.trail[step].reason else {
                // A decision is the first step of its level, so nothing else of the clause lies on
                // it.
                return self.conclude(terms, used, below.unwrap_or(0));
            };
            if single {
                return self.conclude(terms, used, below.unwrap_or(0));
            }
            used.push(reason);
            if let (Some(mine), Some(theirs)) =
                (terms.get_mut(&node), self.clauses[reason].term_of(node))
            {
                mine.keep(&theirs.values);
            }
            self.join(&mut terms, reason, Some(node));
        }
    }

    /// Adds the terms of a clause, but for the node that is resolved on.
    fn join(&self, terms: &mut BTreeMap<NodeId, Bits>, clause: ClauseId, but: Option<NodeId>) {
        for term in &self.clauses[clause].terms {
            if Some(term.node) == but {
                continue;
            }
            match terms.get_mut(&term.node) {
                Some(values) => values.add(&term.values),
                None => {
                    terms.insert(term.node, term.values.clone());
                }
            }
        }
    }

    /// The term that became false last, by which step, and the highest level among the others. Empty
    /// terms are dropped.
    fn latest(
        &self,
        terms: &mut BTreeMap<NodeId, Bits>,
    ) -> Option<(NodeId, StepId, Option<usize>)> {
        terms.retain(|_, values| !values.is_empty());
        let mut steps: Vec<(StepId, NodeId)> = terms
            .iter()
            .filter_map(|(node, values)| {
                let term = Term {
                    node: *node,
                    values: values.clone(),
                };
                Some((self.falsified(&term)??, *node))
            })
            .collect();
        steps.sort();
        let (step, node) = steps.pop()?;
        Some((node, step, steps.last().map(|(s, _)| self.level_of(*s))))
    }

    fn conclude(
        &mut self,
        terms: BTreeMap<NodeId, Bits>,
        used: Vec<ClauseId>,
        level: usize,
    ) -> Lesson {
        self.backtrack(level);
        let terms: SmallVec<[Term; 2]> = terms
            .into_iter()
            .map(|(node, values)| Term { node, values })
            .collect();
        let rests = self.rests(&used);
        Lesson::Clause {
            id: self.add_clause(terms, Source::Learned(used), rests),
        }
    }

    /// All that these clauses rest on.
    pub(super) fn rests(&self, clauses: &[ClauseId]) -> Rests {
        clauses
            .iter()
            .fold(Rests::default(), |all, id| all.or(self.clauses[*id].rests))
    }

    /// At the root every term that is false became so by clauses: all of them belong to the proof.
    fn trace_root(&self, terms: &BTreeMap<NodeId, Bits>, used: &mut Vec<ClauseId>) {
        let open = terms
            .iter()
            .map(|(node, values)| Term {
                node: *node,
                values: values.clone(),
            })
            .collect();
        used.extend(self.causes(open));
    }

    /// The clauses by which values of these terms went, and those that made them say so, back to
    /// the decisions.
    pub(super) fn causes(&self, mut open: Vec<Term>) -> Vec<ClauseId> {
        let mut seen = std::collections::BTreeSet::new();
        while let Some(term) = open.pop() {
            for step in self.steps_against(&term) {
                let Reason::Clause(reason) = self.trail[step].reason else {
                    continue;
                };
                if seen.insert(reason) {
                    open.extend(
                        self.clauses[reason]
                            .terms
                            .iter()
                            .filter(|t| t.node != term.node)
                            .cloned(),
                    );
                }
            }
        }
        seen.into_iter().collect()
    }

    /// The original clauses behind these, each once, in their order.
    pub(super) fn origins(&self, clauses: &[ClauseId]) -> Vec<ClauseId> {
        let mut open = clauses.to_vec();
        let mut seen = std::collections::BTreeSet::new();
        let mut found = std::collections::BTreeSet::new();
        while let Some(id) = open.pop() {
            if !seen.insert(id) {
                continue;
            }
            if let Source::Learned(from) = &self.clauses[id].source {
                open.extend(from)
            } else {
                found.insert(id);
            }
        }
        found.into_iter().collect()
    }
}
