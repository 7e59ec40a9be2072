//! One environment holds one toolkit: builds that were made for different ones cannot be taken
//! together (docs/house.md).
//!
//! A node of its own stands for the toolkit; a build leaves it only those that are within its own.

use std::sync::Arc;

use super::bits::Bits;
use super::clause::{NodeId, Rests, Source, Term};
use super::encode::Draft;
use super::search::Search;
use super::state::NodeKind;
use super::table::Value;
use crate::offer::Evidence;
use eutaxis_standards::knowledge::{MadeFor, Number};
use eutaxis_standards::name::Name;

/// Whether a toolkit that may be chosen for all serves a build.
fn serves((family, toolkit): &(String, Number), build: &MadeFor) -> bool {
    matches!(build, MadeFor::Toolkit(f, t) if f.name == *family && toolkit.is_within(t))
}

impl Search {
    /// The clauses of a project's builds, as far as they are told before metadata is read.
    pub(super) fn add_builds(&mut self, project: &Name, node: NodeId) {
        let Some(facts) = self.facts.get(project) else {
            return;
        };
        let mut groups: Vec<(MadeFor, Vec<Value>)> = Vec::new();
        for value in facts.present() {
            let Some(build) = facts.build(value).filter(|b| !b.is_learnt()) else {
                continue;
            };
            match groups
                .iter_mut()
                .find(|(made_for, _)| *made_for == build.made_for)
            {
                Some((_, values)) => values.push(value),
                None => groups.push((build.made_for.clone(), vec![value])),
            }
        }
        for (made_for, values) in groups {
            self.add_build(project, node, &made_for, &values);
        }
    }

    /// The clause of a release whose metadata says what it was made for.
    pub(super) fn add_learned_build(&mut self, project: &Name, value: Value) {
        let build = self.facts.get(project).and_then(|f| f.build(value));
        let learned =
            build.filter(|b| b.evidence == Evidence::Dependency && b.ties(&self.problem.target));
        let Some(build) = learned.cloned() else {
            return;
        };
        let node = self.project_node(project);
        self.add_build(project, node, &build.made_for, &[value]);
    }

    /// "None of these releases, or a toolkit that serves them."
    fn add_build(&mut self, project: &Name, node: NodeId, made_for: &MadeFor, values: &[Value]) {
        if !matches!(made_for, MadeFor::Toolkit(..)) {
            return;
        }
        let out = Term::lacks(node, self.state.get(node).size, values.iter().copied());
        let serving = self.serving(made_for);
        let toolkit = self
            .state
            .node(NodeKind::Toolkit, self.facts.toolkits().len() + 1);
        let source = Source::Build {
            project: project.clone(),
            made_for: Arc::new(made_for.clone()),
        };
        let draft = Draft::new(out).or(Term {
            node: toolkit,
            values: serving,
        });
        self.state
            .add_clause(draft.terms(), source, Rests::default());
    }

    /// The toolkits that serve a build, each as family and number.
    pub(super) fn toolkits_serving(&self, made_for: &MadeFor) -> Vec<(String, String)> {
        let serving = self.facts.toolkits().iter().filter(|t| serves(t, made_for));
        serving
            .map(|(family, toolkit)| (family.clone(), toolkit.to_string()))
            .collect()
    }

    /// The toolkits that serve a build, as values of the toolkit's node.
    pub(super) fn serving(&self, made_for: &MadeFor) -> Bits {
        let known = self.facts.toolkits();
        let mut bits = Bits::none(known.len() + 1);
        known
            .iter()
            .enumerate()
            .filter(|(_, t)| serves(t, made_for))
            .for_each(|(i, _)| bits.insert(Value::of(i)));
        bits
    }
}
