//! The one encoder: what asks, needs, pins and bars say, as clauses. The search uses it over all
//! offers, and the trials by which a clash is made smaller use it over the grounds of the clash.
//!
//! The first value of a project is its absence, every other a release; an extra has two, not asked
//! for and asked for. "Release 3 of A needs B below 2" becomes "A is not at 3, or B is at
//! one of those below 2": a premise, and what is demanded under it.

use smallvec::{SmallVec, smallvec};

use super::bits::Bits;
use super::clause::{NodeId, Term};
use super::table::Value;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;

impl Term {
    /// "The node has one of these values."
    pub(super) fn has(node: NodeId, size: usize, values: impl IntoIterator<Item = Value>) -> Self {
        let mut bits = Bits::none(size);
        values.into_iter().for_each(|v| bits.insert(v));
        Term { node, values: bits }
    }

    /// "The node has none of these values."
    pub(super) fn lacks(
        node: NodeId,
        size: usize,
        values: impl IntoIterator<Item = Value>,
    ) -> Self {
        let mut bits = Bits::all(size);
        values.into_iter().for_each(|v| bits.remove(v));
        Term { node, values: bits }
    }

    /// "This extra is asked for."
    pub(super) fn active(extra: NodeId) -> Self {
        Term::has(extra, 2, [Value::FIRST])
    }

    /// "This extra is not asked for."
    pub(super) fn idle(extra: NodeId) -> Self {
        Term::has(extra, 2, [Value::ABSENT])
    }

    /// "…, or the project is absent": what bounds a project and does not ask for it.
    pub(super) fn or_absent(mut self) -> Self {
        self.values.insert(Value::ABSENT);
        self
    }

    /// The contrary, for a node of this size.
    pub(super) fn contrary(self, size: usize) -> Self {
        let mut values = Bits::all(size);
        values.drop_all(&self.values);
        Term {
            node: self.node,
            values,
        }
    }
}

/// A clause under way. Terms of one node are joined: a clause has at most one for each.
#[derive(Debug, Clone)]
pub(super) struct Draft(SmallVec<[Term; 2]>);

impl Draft {
    /// A clause that so far has one term.
    pub(super) fn new(term: Term) -> Self {
        Draft(smallvec![term])
    }

    /// The premise of a need: "the release that needs it is not there", and under an extra "or the
    /// extra is not asked for".
    pub(super) fn premise(release_is_out: Term, extra: Option<NodeId>) -> Self {
        let draft = Draft::new(release_is_out);
        match extra {
            Some(extra) => draft.or(Term::idle(extra)),
            None => draft,
        }
    }

    /// The same with another term.
    pub(super) fn or(mut self, term: Term) -> Self {
        match self.0.iter_mut().find(|t| t.node == term.node) {
            Some(mine) => mine.values.add(&term.values),
            None => self.0.push(term),
        }
        self
    }

    /// Its terms.
    pub(super) fn terms(self) -> SmallVec<[Term; 2]> {
        self.0
    }
}

/// What a clause says of a requirement.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) enum Part {
    /// One of the releases it takes is there.
    Presence,
    /// This extra is asked for.
    Extra(Name),
    /// No pre-release is taken.
    NoPrerelease,
}

/// What a requirement demands: that one of the releases it takes is there (none when it takes
/// none, which then cannot be met), and that its extras are asked for.
pub(super) fn demands(
    requirement: &Requirement,
    presence: Option<Term>,
    mut extra_node: impl FnMut(&Name) -> NodeId,
) -> Vec<(Part, Option<Term>)> {
    let mut parts = vec![(Part::Presence, presence)];
    for extra in &requirement.extras {
        let term = Term::active(extra_node(extra));
        parts.push((Part::Extra(extra.clone()), Some(term)));
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::solve::state::{NodeKind, State};
    use crate::solve::table::Key;

    fn nodes() -> (State, NodeId, NodeId) {
        let mut state = State::default();
        let name = |text: &str| Name::parse(text).unwrap();
        let project = state.node(NodeKind::Project(name("firnio")), 4);
        let extra = state.node(NodeKind::Extra(name("firnio"), name("fast")), 2);
        (state, project, extra)
    }

    fn values(term: &Term, size: usize) -> Vec<usize> {
        let all = Value::all(size).filter(|v| term.values.contains(*v));
        all.map(Key::place).collect()
    }

    #[test]
    fn terms_say_what_their_names_say() {
        let (_, project, extra) = nodes();
        assert_eq!(
            values(&Term::has(project, 4, [1, 3].map(Value::at)), 4),
            [1, 3]
        );
        assert_eq!(
            values(&Term::lacks(project, 4, [1, 3].map(Value::at)), 4),
            [0, 2]
        );
        assert_eq!(
            values(&Term::has(project, 4, [2].map(Value::at)).or_absent(), 4),
            [0, 2]
        );
        assert_eq!(
            values(&Term::has(project, 4, [2].map(Value::at)).contrary(4), 4),
            [0, 1, 3]
        );
        assert_eq!(values(&Term::active(extra), 2), [1]);
        assert_eq!(values(&Term::idle(extra), 2), [0]);
    }

    #[test]
    fn a_need_for_the_project_itself_is_one_term() {
        let (_, project, extra) = nodes();
        let premise = Draft::premise(Term::lacks(project, 4, [3].map(Value::at)), Some(extra));
        let terms = premise
            .or(Term::has(project, 4, [3].map(Value::at)))
            .terms();
        assert_eq!(terms.len(), 2);
        assert_eq!(values(&terms[0], 4), [0, 1, 2, 3]);
    }

    #[test]
    fn a_requirement_demands_presence_and_its_extras() {
        let (mut state, project, _) = nodes();
        let requirement = Requirement::parse("firnio[fast,slow]>=1").unwrap();
        let presence = Term::has(project, 4, [1, 2].map(Value::at));
        let parts = demands(&requirement, Some(presence), |extra| {
            let name = Name::parse("firnio").unwrap();
            state.node(NodeKind::Extra(name, extra.clone()), 2)
        });
        assert_eq!(parts.len(), 3);
        assert!(matches!(parts[0].0, Part::Presence));
        assert!(
            parts[1..]
                .iter()
                .all(|(_, t)| t.as_ref().is_some_and(|t| values(t, 2) == [1]))
        );
    }
}
