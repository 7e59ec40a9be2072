//! Turning what releases need into clauses, when the search has come to them.

use std::rc::Rc;

use rustc_hash::FxHashSet;
use smallvec::smallvec;

use super::bits::Bits;
use super::clause::{ClauseId, NodeId, Rests, Source, Term};
use super::encode::{Draft, Part, demands};
use super::facts::{Facts, Need, Want};
use super::problem::Problem;
use super::search::Search;
use super::state::NodeKind;
use super::table::Value;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;

/// Who pins a yanked release: a release of a project, and the extra under which it does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Support {
    pub(super) project: Name,
    pub(super) value: Value,
    pub(super) extra: Option<Name>,
}

/// A yanked release of a project, by its value, with all who are known to pin it.
#[derive(Debug)]
pub(super) struct YankedPin {
    pub(super) project: Name,
    pub(super) value: Value,
    pub(super) supports: Vec<Support>,
}

const ON_NOBODY_PINNING: Rests = Rests {
    on_nobody_pinning: true,
    on_unseen_finals: false,
};
const ON_UNSEEN_FINALS: Rests = Rests {
    on_nobody_pinning: false,
    on_unseen_finals: true,
};

/// Releases of a project (with an extra) that have one requirement share its clauses.
pub(super) type ShareKey = (NodeId, Option<Name>, Requirement, Part, Option<usize>);

impl Search {
    /// The clauses of asks and bounds; all their pages are known.
    pub(super) fn root(&mut self) {
        let problem = Rc::clone(&self.problem);
        for (i, ask) in problem.asks_in_force() {
            let requirement = &ask.requirement;
            let (presence, no_prerelease) = self.presence(requirement, false);
            let extra = |extra: &Name| self.extra_node(&requirement.name, extra);
            let mut no_prerelease = no_prerelease;
            for (_, term) in demands(requirement, presence, extra) {
                let terms = term.into_iter().collect();
                self.state
                    .add_clause(terms, Source::Ask(i), Rests::default());
                if let Some(term) = no_prerelease.take() {
                    self.state
                        .add_clause(smallvec![term], Source::Ask(i), ON_UNSEEN_FINALS);
                }
            }
        }
        for (project, version) in &problem.held {
            let Some(value) = self.facts.get(project).map(|f| f.value_of(version)) else {
                continue;
            };
            let node = self.project_node(project);
            let size = self.state.get(node).size;
            let source = Source::Held(project.clone());
            let held = Term::has(node, size, value).or_absent();
            self.state
                .add_clause(smallvec![held], source, Rests::default());
        }
        for (i, bound) in problem.bounds_in_force() {
            if self.facts.get(&bound.requirement.name).is_none() {
                continue;
            }
            // A bound that no release satisfies keeps the project out altogether.
            let (term, _) = self.presence(&bound.requirement, true);
            let node = self.project_node(&bound.requirement.name);
            let none = || Term::has(node, self.state.get(node).size, []);
            let term = term.unwrap_or_else(none).or_absent();
            self.state
                .add_clause(smallvec![term], Source::Bound(i), Rests::default());
        }
    }

    /// "One of the releases that the requirement takes is there"; none when it takes none. When
    /// pre-releases are kept out by final releases of which not enough is known, they are taken by
    /// this term and kept out by a second.
    fn presence(&mut self, requirement: &Requirement, bound: bool) -> (Option<Term>, Option<Term>) {
        let problem = Rc::clone(&self.problem);
        let Some(facts) = self.facts.get_mut(&requirement.name) else {
            return (None, None);
        };
        let mut values = facts.values(requirement, bound, &problem).as_ref().clone();
        let mut prereleases = None;
        if let Some(unproven) = facts
            .unproven_final(requirement, &problem)
            .filter(|_| !bound)
        {
            let mut out = facts.values(requirement, true, &problem).as_ref().clone();
            out.drop_all(&values);
            values.add(&out);
            prereleases = Some(out);
            self.unseen_finals
                .push((requirement.name.clone(), unproven));
        }
        if values.is_empty() {
            return (None, None);
        }
        let node = self.project_node(&requirement.name);
        let size = self.state.get(node).size;
        let no_prerelease = prereleases.map(|out| {
            let mut values = Bits::all(size);
            values.drop_all(&out);
            Term { node, values }
        });
        (Some(Term { node, values }), no_prerelease)
    }

    /// Metadata of the final releases that keep pre-releases out, where it is not known.
    pub(super) fn unseen_finals(&mut self) -> Vec<Want> {
        let facts = &self.facts;
        let unseen = std::mem::take(&mut self.unseen_finals);
        let want = |(project, value): (Name, Value)| {
            let facts = facts.get(&project)?;
            facts.want(value).filter(|_| facts.needs(value).is_none())
        };
        unseen.into_iter().filter_map(want).collect()
    }

    /// The node of a project. With it come the clauses of its yanked releases: each is taken only
    /// when one of those who pin it is (docs/choice.md, yanked releases).
    pub(super) fn project_node(&mut self, project: &Name) -> NodeId {
        let kind = NodeKind::Project(project.clone());
        if let Some(node) = self.state.find(&kind) {
            return node;
        }
        let Some(facts) = self.facts.get(project) else {
            return self.state.node(kind, 1);
        };
        let node = self.state.node(kind, facts.size());
        // Where it would cost too much to know who pins them, they are taken for pinned, and it is
        // looked whether that matters.
        let closed = !self.yanked_open;
        let unpinned = |v: &Value| {
            facts
                .head(*v)
                .is_some_and(|h| !self.facts.asked.pins(project, &h.version))
        };
        let yanked: Vec<Value> = facts
            .yanked
            .iter()
            .copied()
            .filter(|_| closed)
            .filter(unpinned)
            .collect();
        for value in yanked {
            self.yanked_clauses(project, node, value);
        }
        self.add_builds(project, node);
        self.add_prior(project, node);
        node
    }

    /// The clause that keeps an earlier pin, unless it was let go or cannot be had any more.
    fn add_prior(&mut self, project: &Name, node: NodeId) {
        let prior = self
            .problem
            .prior
            .get(project)
            .filter(|_| !self.let_go.priors.contains(project));
        let Some(value) = prior.and_then(|v| self.facts.get(project)?.value_of(v)) else {
            return;
        };
        let pinned = Term::has(node, self.state.get(node).size, [value]).or_absent();
        let source = Source::Prior(project.clone());
        self.state
            .add_clause(smallvec![pinned], source, Rests::default());
    }

    fn yanked_clauses(&mut self, project: &Name, node: NodeId, value: Value) {
        let out = Term::lacks(node, self.state.get(node).size, [value]);
        let source = Source::Yanked {
            project: project.clone(),
            value,
        };
        let pin = self
            .yanked_pins
            .iter()
            .find(|y| y.project == *project && y.value == value);
        let Some(supports) = pin.map(|p| p.supports.clone()) else {
            self.state
                .add_clause(smallvec![out], source, ON_NOBODY_PINNING);
            return;
        };
        // "One of the releases that pin it is taken"; and, where they pin it under an extra, "the
        // extra is asked for".
        for by_extra in [false, true] {
            if by_extra && supports.iter().all(|s| s.extra.is_none()) {
                continue;
            }
            let mut draft = Draft::new(out.clone());
            for support in &supports {
                draft = draft.or(match &support.extra {
                    Some(extra) if by_extra => {
                        Term::active(self.extra_node(&support.project, extra))
                    }
                    _ => {
                        let node = self.project_node(&support.project);
                        Term::has(node, self.state.get(node).size, [support.value])
                    }
                });
            }
            self.state
                .add_clause(draft.terms(), source.clone(), ON_NOBODY_PINNING);
        }
    }

    fn extra_node(&mut self, project: &Name, extra: &Name) -> NodeId {
        self.state
            .node(NodeKind::Extra(project.clone(), extra.clone()), 2)
    }

    /// Adds the clauses of every node that has come down to one value. What must be known first is
    /// returned, and apart from it what would be dear to know; nodes that wait for it stay on the
    /// list.
    pub(super) fn expand_settled(&mut self) -> (Vec<Want>, Vec<Want>) {
        let mut wants = Vec::new();
        let settled = std::mem::take(&mut self.state.settled);
        let mut waiting = Vec::new();
        for node in settled {
            let Some(value) = self.state.get(node).domain.single() else {
                continue;
            };
            let before = wants.len();
            match self.state.get(node).kind.clone() {
                _ if !value.is_present() => {}
                NodeKind::Toolkit => {}
                NodeKind::Project(project) => {
                    self.expand(&project, value, None, &mut wants);
                    for extra in self.active_extras(&project, value) {
                        self.expand(&project, value, Some(&extra), &mut wants);
                    }
                }
                NodeKind::Extra(project, extra) => {
                    let chosen = self
                        .state
                        .find(&NodeKind::Project(project.clone()))
                        .and_then(|n| self.state.get(n).domain.single());
                    if let Some(value) = chosen.filter(|v| v.is_present()) {
                        self.expand(&project, value, Some(&extra), &mut wants);
                    }
                }
            }
            if wants.len() > before {
                waiting.push(node);
            }
        }
        self.state.settled.extend(waiting);
        let mut seen = FxHashSet::default();
        wants.retain(|want| seen.insert(want.clone()));
        wants
            .into_iter()
            .partition(|want| !matches!(want, Want::Archive(..)))
    }

    /// Extras that a release offers and that are asked for as things stand.
    fn active_extras(&self, project: &Name, value: Value) -> Vec<Name> {
        let Some(needs) = self.facts.get(project).and_then(|f| f.needs(value)) else {
            return Vec::new();
        };
        let active = |extra: &&Name| {
            let node = self
                .state
                .find(&NodeKind::Extra(project.clone(), (*extra).clone()));
            node.is_some_and(|n| self.state.get(n).domain.single() == Some(Value::FIRST))
        };
        needs.offered.iter().filter(active).cloned().collect()
    }

    /// Adds the clauses of one release under its base or one extra, once.
    fn expand(
        &mut self,
        project: &Name,
        value: Value,
        extra: Option<&Name>,
        wants: &mut Vec<Want>,
    ) {
        let key = (project.clone(), value, extra.cloned());
        if self.expanded.contains(&key) {
            return;
        }
        let Some(facts) = self.facts.get(project) else {
            return;
        };
        let Some(needs) = facts.needs(value).cloned() else {
            wants.extend(facts.want(value));
            return;
        };
        let before = wants.len();
        wants.extend(
            needs
                .under(extra)
                .filter_map(|n| page_want(&self.facts, &self.problem, &n.requirement.name)),
        );
        let learnt = self.learnt(project, value, extra, wants);
        if wants.len() > before {
            return;
        }
        self.expanded.insert(key);
        if extra.is_none() {
            self.add_learned_build(project, value);
        }
        for need in needs.under(extra) {
            self.note_yanked_pin(project, value, extra, need);
            self.add_need(project, value, extra, need);
        }
        self.add_doubts(project, value, extra, learnt);
    }

    fn add_need(&mut self, project: &Name, value: Value, extra: Option<&Name>, need: &Need) {
        let source_node = self.project_node(project);
        let requirement = Requirement {
            marker: None,
            ..need.requirement.clone()
        };
        let key = |part: Part| {
            (
                source_node,
                extra.cloned(),
                requirement.clone(),
                part,
                need.adjusted,
            )
        };
        let (presence, no_prerelease) = self.presence(&need.requirement, false);
        let extra_node = |extra: &Name| self.extra_node(&need.requirement.name, extra);
        let mut no_prerelease = Some(no_prerelease);
        for (part, term) in demands(&need.requirement, presence, extra_node) {
            self.share(key(part), value, term, Rests::default());
            // A shared clause that takes pre-releases counts only with the one that keeps them out,
            // also when the final ones have been looked into since.
            let Some(term) = no_prerelease.take() else {
                continue;
            };
            let key = key(Part::NoPrerelease);
            if term.is_some() || self.shared.contains_key(&key) {
                self.share(key, value, term, ON_UNSEEN_FINALS);
            }
        }
    }

    /// Adds a need to the clause of the releases that have the same, or makes that clause.
    fn share(&mut self, key: ShareKey, value: Value, term: Option<Term>, rests: Rests) {
        if let Some(id) = self.shared.get(&key) {
            self.state.tighten(*id, value);
            return;
        }
        let (node, extra, requirement, _, adjusted) = &key;
        let NodeKind::Project(project) = self.state.get(*node).kind.clone() else {
            return;
        };
        let out = Term::lacks(*node, self.state.get(*node).size, [value]);
        let extra_node = extra.as_ref().map(|e| self.extra_node(&project, e));
        let mut draft = Draft::premise(out, extra_node);
        let to_itself = term.as_ref().is_some_and(|t| t.node == *node);
        if let Some(term) = term {
            draft = draft.or(term);
        }
        let source = Source::Need {
            project,
            extra: extra.clone(),
            requirement: Box::new(requirement.clone()),
            adjusted: *adjusted,
        };
        let id: ClauseId = self.state.add_clause(draft.terms(), source, rests);
        // A need for the project itself is joined into the first term, which other releases must
        // not share.
        if !to_itself {
            self.shared.insert(key, id);
        }
    }

    /// Remembers that a release pins a yanked one; everything concluded without it must be
    /// forgotten.
    fn note_yanked_pin(&mut self, project: &Name, value: Value, extra: Option<&Name>, need: &Need) {
        let Some(set) = need.requirement.versions() else {
            return;
        };
        let Some(facts) = self.facts.get(&need.requirement.name) else {
            return;
        };
        let pinned: Vec<Value> = facts
            .yanked
            .iter()
            .copied()
            .filter(|v| {
                facts.head(*v).is_some_and(|h| {
                    set.pins(&h.version)
                        && !self.facts.asked.pins(&need.requirement.name, &h.version)
                })
            })
            .collect();
        for yanked in pinned {
            let support = Support {
                project: project.clone(),
                value,
                extra: extra.cloned(),
            };
            let target = &need.requirement.name;
            match self
                .yanked_pins
                .iter_mut()
                .find(|y| y.project == *target && y.value == yanked)
            {
                Some(pin) if pin.supports.contains(&support) => continue,
                Some(pin) => pin.supports.push(support),
                None => self.yanked_pins.push(YankedPin {
                    project: target.clone(),
                    value: yanked,
                    supports: vec![support],
                }),
            }
            self.must_restart = true;
        }
    }

    /// What must be known before it is certain that all who pin a yanked release are known; notes
    /// those that are.
    pub(super) fn close_over_yanked(&mut self) -> Vec<Want> {
        let mut wants = Vec::new();
        let mut count = 0;
        let mut found = Vec::new();
        for (project, facts) in self.facts.projects() {
            for value in facts.present() {
                count += 1;
                let Some(needs) = facts.needs(value) else {
                    wants.extend(facts.want(value));
                    continue;
                };
                for need in &needs.all {
                    wants.extend(page_want(
                        &self.facts,
                        &self.problem,
                        &need.requirement.name,
                    ));
                }
                found.push((project.clone(), value, Rc::clone(needs)));
            }
        }
        if count > self.most_for_yanked {
            wants.clear();
        }
        for (project, value, needs) in &found {
            for need in &needs.all {
                let extras: Vec<Option<&Name>> = if need.base {
                    vec![None]
                } else {
                    need.extras.iter().map(Some).collect()
                };
                for extra in extras {
                    self.note_yanked_pin(project, *value, extra, need);
                }
            }
        }
        wants.sort();
        wants.dedup();
        wants
    }
}

/// What must be known of a project before anything is concluded of it: its page, and where it is
/// pinned from before what that release says of itself, by which it may turn out to be barred.
pub(super) fn page_want(facts: &Facts, problem: &Problem, project: &Name) -> Option<Want> {
    if !facts.knows(project) {
        return Some(match facts.asked.direct_url(project) {
            Some(url) => Want::Direct(project.clone(), url.to_owned()),
            None => Want::Page(project.clone()),
        });
    }
    let known = facts.get(project)?;
    let value = known.value_of(problem.prior.get(project)?)?;
    known
        .want(value)
        .filter(|want| known.needs(value).is_none() && !matches!(want, Want::Archive(..)))
}
