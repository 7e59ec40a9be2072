//! The smallest clash: grounds are left out as long as the rest cannot hold together.
//!
//! The grounds are taken alone: every release that is on a page can be taken unless a ground bars
//! it, and it needs only what a ground says. That small system goes through the same propagation
//! and learning as the search, and each proof says which grounds it used, so that few trials are
//! needed.

use std::cell::Cell;

use indexmap::IndexMap;
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::super::analyze::Lesson;
use super::super::bits::Bits;
use super::super::clause::{NodeId, Rests, Source, Term};
use super::super::encode::{Draft, demands};
use super::super::search::Search;
use super::super::state::{NodeKind, State};
use super::super::table::Value;
use super::ground::Ground;
use crate::offer::{BarKind, Head, Offer, Verdict};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::{Version, VersionSpecifier};

/// A trial ends after so many conflicts; what could not be decided is kept.
const MOST_CONFLICTS: usize = 3_000;
/// All trials together end after so many: what could not be tried by then is kept.
const MOST_CONFLICTS_IN_ALL: usize = 40_000;
/// So many grounds at most are worth trying in several orders.
const FEW: usize = 40;
/// So many grounds are first left out by what they speak of, and only then one by one.
const MANY: usize = 200;
/// One by one only while all trials together looked at no more than so many clauses.
const MOST_CLAUSES: usize = 2_000_000;
/// From so many needs of one project for another on, what differs only in the bound is told as one.
const MANY_NEEDS: usize = 3;

/// What a trial showed.
enum Trial {
    /// These grounds, by index, cannot hold together.
    Impossible(Vec<usize>),
    /// They can, or nobody knows.
    Open,
}

impl Search {
    /// A set of grounds that cannot hold together and of which none can be left out: the smallest
    /// of those found, to be told.
    pub(in crate::solve) fn smallest(&self, grounds: Vec<Ground>) -> Vec<Ground> {
        if let Some(smallest) = Smaller::new(self, Pinners::Wanted).smallest(&grounds) {
            return smallest;
        }
        // Those who pin a yanked release have no part in it: that nothing pins it is taken as it
        // stands.
        let plain = Smaller::new(self, Pinners::None);
        plain.smallest(&grounds).unwrap_or(grounds)
    }

    /// The same to find out what has to go. Here a set must not be told shorter than it is true: if
    /// one that pins a yanked release is kept out by something that may go, that is part of it.
    pub(in crate::solve) fn smallest_proof(&self, grounds: Vec<Ground>) -> Vec<Ground> {
        let whole = Smaller::new(self, Pinners::All);
        whole.smallest(&grounds).unwrap_or(grounds)
    }

    /// All releases on the page of a project, oldest first. A build that is out for its accelerator
    /// is left out where another build of the release can be taken, which stands for it, unless
    /// builds are asked for by their labels.
    pub(super) fn releases(&self, project: &Name) -> Vec<Version> {
        let Some(facts) = self.facts.get(project) else {
            return Vec::new();
        };
        let can_be_taken = |public: &Version| {
            let mut heads = facts.heads().iter();
            heads.any(|h| h.can_be_had() && h.version.public() == *public)
        };
        let stood_for = |o: &Offer| {
            o.verdict == Verdict::Barred
                && o.bars.iter().all(|b| b.kind() == BarKind::Accelerator)
                && can_be_taken(&o.version.public())
        };
        let by_label = self.facts.asked.names_label(project);
        // Offers stand newest first.
        let all = facts.heads().iter().enumerate().rev();
        let stands = |at: usize, head: &Head| {
            by_label || head.can_be_had() || !facts.judged().at(at).is_some_and(&stood_for)
        };
        all.filter(|(at, head)| stands(*at, head))
            .map(|(_, head)| head.version.clone())
            .collect()
    }
}

/// How trials are made.
struct Smaller<'a> {
    search: &'a Search,
    pinners: Pinners,
    /// Conflicts that are left to all trials.
    left: Cell<usize>,
    /// Clauses that may still be looked at.
    clauses: Cell<usize>,
}

/// The two projects of a plain need.
fn pair(ground: &Ground) -> Option<(&Name, &Name)> {
    if let Ground::Needs {
        project,
        extra: None,
        requirement,
        adjusted: None,
        ..
    } = ground
        && requirement.extras.is_empty()
        && requirement.versions().is_some()
    {
        Some((project, &requirement.name))
    } else {
        None
    }
}

/// With which of the releases that pin it a yanked release may be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pinners {
    /// All that are known.
    All,
    /// Those of projects that a ground asks for: what nothing asks for is not there to pin anything.
    Wanted,
    /// None: that nothing pins it is taken as it stands.
    None,
}

impl<'a> Smaller<'a> {
    fn new(search: &'a Search, pinners: Pinners) -> Self {
        let left = Cell::new(MOST_CONFLICTS_IN_ALL);
        Smaller {
            search,
            pinners,
            left,
            clauses: Cell::new(MOST_CLAUSES),
        }
    }

    /// None when even all of them can hold together, or nobody knows.
    fn smallest(&self, grounds: &[Ground]) -> Option<Vec<Ground>> {
        let mut best = self.shrunk(grounds, false)?;
        if best.len() > 2 && best.len() <= FEW {
            // Another order of trials may find a smaller one, and asks that clash among themselves
            // say most.
            for from in [grounds, &best.clone()] {
                if let Some(other) = self.shrunk(from, true).filter(|o| o.len() < best.len()) {
                    best = other;
                }
            }
        }
        Some(self.trimmed(self.joined(best)))
    }

    fn shrunk(&self, grounds: &[Ground], backwards: bool) -> Option<Vec<Ground>> {
        let all: Vec<usize> = (0..grounds.len()).collect();
        let trials = self.trials(grounds);
        // Without the first proof there is nothing to shrink: it may take all that there is.
        let Trial::Impossible(mut core) = trials.of(&all, MOST_CONFLICTS_IN_ALL) else {
            return None;
        };
        if core.len() > MANY {
            for block in blocks(grounds, &core) {
                core = trials.without(core, &block);
            }
        }
        let mut order = core.clone();
        if core.len() > MANY {
            // Many needs of one project for another are told as one in the end.
            let all = blocks(grounds, &core).into_iter();
            order = all.filter(|b| b.len() < MANY_NEEDS).flatten().collect();
        }
        order.sort_unstable();
        if backwards {
            order.reverse();
        }
        for ground in order {
            if core.len() > MANY && self.clauses.get() == 0 {
                break;
            }
            core = trials.without(core, &[ground]);
        }
        core.sort_unstable();
        Some(
            core.into_iter()
                .filter_map(|i| grounds.get(i).cloned())
                .collect(),
        )
    }

    /// Where many releases of a project each need another bound of the same project, one ground
    /// that says what any of them allows, if that still clashes: all such at once, else one after the
    /// other.
    fn joined(&self, grounds: Vec<Ground>) -> Vec<Ground> {
        let mut counts: IndexMap<(Name, Name), usize> = IndexMap::new();
        for (project, other) in grounds.iter().filter_map(pair) {
            *counts.entry((project.clone(), other.clone())).or_default() += 1;
        }
        counts.retain(|_, n| *n >= MANY_NEEDS);
        let wanted: Vec<(Name, Name)> = counts.into_keys().collect();
        if wanted.len() > 1
            && let Some(all) = self.joined_by(&grounds, &wanted)
        {
            return all;
        }
        wanted.iter().fold(grounds, |grounds, wanted| {
            // What was not tried is told in full.
            if grounds.len() > MANY && self.clauses.get() == 0 {
                return grounds;
            }
            let one = self.joined_by(&grounds, std::slice::from_ref(wanted));
            one.unwrap_or(grounds)
        })
    }

    /// The needs of each of these pairs as one, as small as that gets; none where it clashes no more.
    fn joined_by(&self, grounds: &[Ground], wanted: &[(Name, Name)]) -> Option<Vec<Ground>> {
        let wanted: FxHashSet<(&Name, &Name)> = wanted.iter().map(|(p, o)| (p, o)).collect();
        let mut same: IndexMap<(&Name, &Name), Vec<Ground>> = IndexMap::new();
        let mut candidate = Vec::new();
        for ground in grounds {
            match pair(ground).filter(|p| wanted.contains(p)) {
                Some(of) => same.entry(of).or_default().push(ground.clone()),
                None => candidate.push(ground.clone()),
            }
        }
        for ((project, other), needs) in same {
            candidate.push(self.join(project, other, &needs)?);
        }
        self.shrunk(&candidate, false)
    }

    fn join(&self, project: &Name, other: &Name, needs: &[Ground]) -> Option<Ground> {
        let mut releases: Vec<Version> = Vec::new();
        let mut allowed: Vec<Version> = Vec::new();
        let all = self.search.releases(other);
        for ground in needs {
            if let Ground::Needs {
                requirement,
                releases: mine,
                ..
            } = ground
            {
                releases.extend(mine.iter().cloned());
                allowed.extend(
                    all.iter()
                        .filter(|v| requirement.versions().is_some_and(|s| s.matches(v)))
                        .cloned(),
                );
            }
        }
        let (low, high) = (allowed.iter().min()?, allowed.iter().max()?);
        let set =
            VersionSpecifier::parse(&format!(">={},<={}", low.public(), high.public())).ok()?;
        releases.sort();
        releases.dedup();
        let requirement = Requirement::any(other).with_versions(set);
        Some(Ground::Needs {
            project: project.clone(),
            extra: None,
            requirement,
            releases,
            adjusted: None,
            joined: true,
        })
    }

    /// The same grounds, those on needs and bars without the releases that asks and bounds among
    /// them leave out anyway.
    fn trimmed(&self, grounds: Vec<Ground>) -> Vec<Ground> {
        let stated: Vec<Requirement> = grounds
            .iter()
            .filter(|g| matches!(g, Ground::Ask(_) | Ground::Bound(_)))
            .filter_map(|g| self.search.requirement_of(g).cloned())
            .collect();
        let left = |project: &Name, releases: Vec<Version>| {
            let mine = || stated.iter().filter(|r| r.name == *project);
            let kept = |v: &Version| mine().all(|r| r.versions().is_none_or(|s| s.matches(v)));
            let some: Vec<Version> = releases.iter().filter(|v| kept(v)).cloned().collect();
            if some.is_empty() { releases } else { some }
        };
        let trim = |ground: Ground| match ground {
            Ground::Needs {
                project,
                extra,
                requirement,
                releases,
                adjusted,
                joined,
            } => {
                let releases = left(&project, releases);
                Ground::Needs {
                    project,
                    extra,
                    requirement,
                    releases,
                    adjusted,
                    joined,
                }
            }
            Ground::Barred {
                project,
                kind,
                releases,
            } => {
                let releases = left(&project, releases);
                Ground::Barred {
                    project,
                    kind,
                    releases,
                }
            }
            Ground::Built {
                project,
                made_for,
                releases,
            } => {
                let releases = left(&project, releases);
                Ground::Built {
                    project,
                    made_for,
                    releases,
                }
            }
            stated @ (Ground::Ask(_)
            | Ground::Bound(_)
            | Ground::Held(_)
            | Ground::Prior(_)
            | Ground::Doubt(_)) => stated,
        };
        let trimmed: Vec<Ground> = apart(grounds.iter().cloned().map(trim).collect());
        let all: Vec<usize> = (0..trimmed.len()).collect();
        match self.trial(&trimmed, &all, MOST_CONFLICTS) {
            Trial::Impossible(_) => trimmed,
            Trial::Open => grounds,
        }
    }

    /// Whether these of the grounds cannot hold together.
    fn trial(&self, grounds: &[Ground], of: &[usize], most: usize) -> Trial {
        let mut system = System::new(self, grounds, of);
        of.iter().for_each(|i| system.add(*i));
        self.solved(system, of, most)
    }

    fn solved(&self, system: System<'_>, of: &[usize], most: usize) -> Trial {
        self.clauses
            .set(self.clauses.get().saturating_sub(of.len()));
        let (trial, conflicts) = system.solve(self.left.get().min(most));
        self.left.set(self.left.get().saturating_sub(conflicts));
        trial
    }

    /// Many trials of the same grounds.
    fn trials<'s>(&'s self, grounds: &'s [Ground]) -> Trials<'s> {
        let beside = |g: &Ground| {
            let kinds = [BarKind::Prerelease, BarKind::Yanked];
            matches!(g, Ground::Barred { kind, .. } if kinds.contains(kind))
        };
        let is_few = grounds.len() <= MANY;
        Trials {
            smaller: self,
            grounds,
            prepared: (!is_few && !grounds.iter().any(beside)).then(|| self.prepared(grounds)),
        }
    }

    fn prepared(&self, grounds: &[Ground]) -> Prepared {
        let all: Vec<usize> = (0..grounds.len()).collect();
        let mut system = System::new(self, grounds, &all);
        all.iter().for_each(|i| system.add(*i));
        let state = system.state;
        let mut clauses = vec![Vec::new(); grounds.len()];
        for (_, clause) in state.clauses.iter() {
            if let Source::Ground(i) = clause.source
                && let Some(mine) = clauses.get_mut(i)
            {
                mine.push(clause.terms.clone());
            }
        }
        let nodes = state.nodes.iter();
        Prepared {
            nodes: nodes.map(|(_, n)| (n.kind.clone(), n.size)).collect(),
            clauses,
        }
    }
}

/// What of the grounds goes together: the needs of one project for another, else each by itself.
fn blocks(grounds: &[Ground], core: &[usize]) -> Vec<Vec<usize>> {
    let mut needs: IndexMap<(&Name, &Name), Vec<usize>> = IndexMap::new();
    let mut alone = Vec::new();
    for i in core {
        match grounds.get(*i).and_then(pair) {
            Some(of) => needs.entry(of).or_default().push(*i),
            None => alone.push(vec![*i]),
        }
    }
    alone.into_iter().chain(needs.into_values()).collect()
}

/// Trials of the same grounds. Where no ground says other things beside some than beside others, the
/// clauses are put together once.
struct Trials<'a> {
    smaller: &'a Smaller<'a>,
    grounds: &'a [Ground],
    prepared: Option<Prepared>,
}

/// The clauses of grounds, by the nodes of which they speak.
struct Prepared {
    nodes: Vec<(NodeKind, usize)>,
    clauses: Vec<Vec<SmallVec<[Term; 2]>>>,
}

impl Trials<'_> {
    fn of(&self, of: &[usize], most: usize) -> Trial {
        let Some(prepared) = &self.prepared else {
            return self.smaller.trial(self.grounds, of, most);
        };
        let mut system = System::new(self.smaller, self.grounds, of);
        for (kind, size) in &prepared.nodes {
            system.state.node(kind.clone(), *size);
        }
        for i in of {
            for terms in prepared.clauses.get(*i).into_iter().flatten() {
                let (terms, source) = (terms.clone(), Source::Ground(*i));
                system.state.add_clause(terms, source, Rests::default());
            }
        }
        self.smaller.solved(system, of, most)
    }

    /// The core without some grounds, if what is left cannot hold together either.
    fn without(&self, core: Vec<usize>, out: &[usize]) -> Vec<usize> {
        let without: Vec<usize> = core.iter().copied().filter(|g| !out.contains(g)).collect();
        if without.len() == core.len() {
            return core;
        }
        match self.of(&without, MOST_CONFLICTS) {
            Trial::Impossible(smaller) => smaller,
            Trial::Open => core,
        }
    }
}

/// Of several bars of a project each tells only the releases that those with more of them leave
/// over.
fn apart(mut grounds: Vec<Ground>) -> Vec<Ground> {
    let count = |g: &Ground| {
        if let Ground::Barred { releases, .. } = g {
            releases.len()
        } else {
            0
        }
    };
    let mut order: Vec<&mut Ground> = grounds.iter_mut().filter(|g| count(g) > 0).collect();
    order.sort_by_key(|g| std::cmp::Reverse(count(g)));
    let mut told: Vec<(Name, Version)> = Vec::new();
    for ground in order {
        if let Ground::Barred {
            project, releases, ..
        } = ground
        {
            releases.retain(|v| !told.iter().any(|(p, t)| p == project && t == v));
            told.extend(releases.iter().map(|v| (project.clone(), v.clone())));
        }
    }
    grounds
}

/// The small system of a trial. Value `v` of a project is its release `v - 1`, oldest first; a
/// project that no depot has gets one release, so that its absence is a ground like any other.
struct System<'a> {
    search: &'a Search,
    pinners: Pinners,
    state: State,
    releases: FxHashMap<Name, Vec<Version>>,
    grounds: &'a [Ground],
    of: &'a [usize],
    /// A ground, and the one on pre-releases without which it would take more.
    leans: Vec<(usize, usize)>,
}

impl<'a> System<'a> {
    fn new(smaller: &'a Smaller<'a>, grounds: &'a [Ground], of: &'a [usize]) -> Self {
        System {
            search: smaller.search,
            pinners: smaller.pinners,
            state: State::default(),
            releases: FxHashMap::default(),
            grounds,
            of,
            leans: Vec::new(),
        }
    }

    fn node(&mut self, project: &Name) -> NodeId {
        if !self.releases.contains_key(project) {
            self.releases
                .insert(project.clone(), self.search.releases(project));
        }
        let count = self.releases.get(project).map_or(0, Vec::len).max(1);
        self.state
            .node(NodeKind::Project(project.clone()), count + 1)
    }

    fn extra(&mut self, project: &Name, extra: &Name) -> NodeId {
        self.state
            .node(NodeKind::Extra(project.clone(), extra.clone()), 2)
    }

    /// The releases of a project for which something holds; `unknown` for the one of a project that
    /// no depot has.
    fn values(&mut self, project: &Name, unknown: bool, holds: &dyn Fn(&Version) -> bool) -> Term {
        let node = self.node(project);
        let mut values = Bits::none(self.state.get(node).size);
        let releases = self.releases.get(project).map_or(&[][..], Vec::as_slice);
        if releases.is_empty() && unknown {
            values.insert(Value::FIRST);
        }
        releases
            .iter()
            .enumerate()
            .filter(|(_, v)| holds(v))
            .for_each(|(i, _)| values.insert(Value::of(i)));
        Term { node, values }
    }

    /// "One of the releases that the requirement of a ground takes is there." That pre-releases are
    /// out is a ground of its own, on which this one then leans.
    fn presence(&mut self, index: usize, requirement: &Requirement) -> Term {
        let search = self.search;
        let told = self.of.iter().copied().find(|i| {
            matches!(self.grounds.get(*i), Some(Ground::Barred { project, kind: BarKind::Prerelease, .. })
                if *project == requirement.name)
        });
        let facts = search.facts.get(&requirement.name);
        let out = match facts.filter(|_| told.is_some()) {
            Some(facts) => facts.prereleases_kept_out(requirement, &search.problem),
            None => Vec::new(),
        };
        if let Some(told) = told.filter(|_| !out.is_empty()) {
            self.leans.push((index, told));
        }
        let takes =
            |v: &Version| requirement.versions().is_none_or(|s| s.matches(v)) && !out.contains(v);
        self.values(&requirement.name, true, &takes)
    }

    fn complement(&self, term: Term) -> Term {
        let size = self.state.get(term.node).size;
        term.contrary(size)
    }

    fn clause(&mut self, ground: usize, draft: Draft) {
        let source = Source::Ground(ground);
        self.state
            .add_clause(draft.terms(), source, Rests::default());
    }

    fn add(&mut self, index: usize) {
        let Some(ground) = self.grounds.get(index).cloned() else {
            return;
        };
        match &ground {
            Ground::Ask(i) => {
                let Some(ask) = self.search.problem.ask(*i) else {
                    return;
                };
                let requirement = &ask.requirement;
                let presence = self.presence(index, requirement);
                let extra = |extra: &Name| self.extra(&requirement.name, extra);
                for (_, term) in demands(requirement, Some(presence), extra) {
                    term.into_iter()
                        .for_each(|t| self.clause(index, Draft::new(t)));
                }
            }
            Ground::Bound(i) => {
                let Some(bound) = self.search.problem.bound(*i) else {
                    return;
                };
                let requirement = &bound.requirement;
                let term = self.values(&requirement.name, true, &|v| {
                    requirement.versions().is_none_or(|s| s.matches(v))
                });
                self.clause(index, Draft::new(term.or_absent()));
            }
            Ground::Held(project) | Ground::Prior(project) => {
                let kept = self.search.kept_by(&ground).cloned();
                let term = self.values(project, true, &|v| Some(v) == kept.as_ref());
                self.clause(index, Draft::new(term.or_absent()));
            }
            Ground::Doubt(doubt) => {
                let having = self.values(&doubt.project, false, &|v| *v == doubt.version);
                let out = self.values(&doubt.other, false, &|v| {
                    doubt.out_or_built().any(|o| o == v)
                });
                let draft = Draft::new(self.complement(having)).or(self.complement(out));
                self.clause(index, draft);
            }
            Ground::Built {
                project,
                made_for,
                releases,
            } => {
                let having = self.values(project, false, &|v| releases.contains(v));
                let serving = self.search.serving(made_for);
                let node = self
                    .state
                    .node(NodeKind::Toolkit, self.search.facts.toolkits().len() + 1);
                let toolkit = Term {
                    node,
                    values: serving,
                };
                self.clause(index, Draft::new(self.complement(having)).or(toolkit));
            }
            Ground::Needs {
                project,
                extra,
                requirement,
                releases,
                ..
            } => {
                let having = self.values(project, false, &|v| releases.contains(v));
                let extra = extra.as_ref().map(|e| self.extra(project, e));
                let premise = Draft::premise(self.complement(having), extra);
                let presence = self.presence(index, requirement);
                let theirs = |extra: &Name| self.extra(&requirement.name, extra);
                for (_, term) in demands(requirement, Some(presence), theirs) {
                    let all = term.into_iter().fold(premise.clone(), Draft::or);
                    self.clause(index, all);
                }
            }
            // It counts where a requirement takes releases.
            Ground::Barred {
                kind: BarKind::Prerelease,
                ..
            } => {}
            Ground::Barred {
                project,
                kind: BarKind::Yanked,
                releases,
            } => {
                for release in releases {
                    self.add_yanked(index, project, release);
                }
            }
            Ground::Barred {
                project, releases, ..
            } => {
                let absent = releases.is_empty();
                let out = self.values(project, absent, &|v| releases.contains(v));
                self.clause(index, Draft::new(self.complement(out)));
            }
        }
    }

    /// A yanked release is taken only with one that pins it.
    fn add_yanked(&mut self, index: usize, project: &Name, release: &Version) {
        let out = self.values(project, false, &|v| v == release);
        let mut draft = Draft::new(self.complement(out));
        let search = self.search;
        let version_of = |name: &Name, value: Value| {
            search
                .facts
                .get(name)
                .and_then(|f| f.head(value))
                .map(|h| h.version.clone())
        };
        let pins = search.yanked_pins.iter().filter(|p| {
            p.project == *project && version_of(project, p.value).as_ref() == Some(release)
        });
        for support in pins.flat_map(|p| &p.supports) {
            if !self.may_pin(&support.project) {
                continue;
            }
            if let Some(version) = version_of(&support.project, support.value) {
                draft = draft.or(self.values(&support.project, false, &|v| *v == version));
            }
        }
        self.clause(index, draft);
    }

    /// Whether a release of this project may be what pins a yanked one.
    fn may_pin(&self, pinner: &Name) -> bool {
        let wants = |g: &Ground| match g {
            Ground::Bound(_) => false,
            // What may be let go keeps out just those that would pin it.
            Ground::Prior(project) => project == pinner,
            Ground::Doubt(doubt) => [&doubt.project, &doubt.other].contains(&pinner),
            Ground::Ask(_)
            | Ground::Needs { .. }
            | Ground::Held(_)
            | Ground::Built { .. }
            | Ground::Barred { .. } => {
                let requirement = self.search.requirement_of(g);
                requirement.is_some_and(|r| r.name == *pinner)
            }
        };
        match self.pinners {
            Pinners::All => true,
            Pinners::Wanted => self.grounds.iter().any(wants),
            Pinners::None => false,
        }
    }

    /// What it came to, and after how many conflicts.
    fn solve(mut self, most: usize) -> (Trial, usize) {
        let mut conflicts = 0;
        loop {
            if let Some(conflict) = self.state.propagate() {
                conflicts += 1;
                if conflicts > most {
                    return (Trial::Open, conflicts);
                }
                if let Lesson::Impossible(used) = self.state.learn(conflict) {
                    let mut core: Vec<usize> = self
                        .state
                        .origins(&used)
                        .into_iter()
                        .filter_map(|id| {
                            if let Source::Ground(i) = self.state.clauses[id].source {
                                Some(i)
                            } else {
                                None
                            }
                        })
                        .collect();
                    core.extend(
                        self.leans
                            .iter()
                            .filter(|(i, _)| core.contains(i))
                            .map(|(_, told)| *told)
                            .collect::<Vec<_>>(),
                    );
                    core.sort_unstable();
                    core.dedup();
                    return (Trial::Impossible(core), conflicts);
                }
                continue;
            }
            self.state.settled.clear();
            // Absence, which is value 0, needs nothing; and the fewest values left are the quickest
            // to fail.
            let open = self.state.nodes.iter().filter_map(|(id, n)| {
                let values = n.domain.count();
                (values > 1).then_some((values, id))
            });
            let Some((_, node)) = open.min() else {
                return (Trial::Open, conflicts);
            };
            let Some(value) = self.state.nodes[node].domain.first() else {
                return (Trial::Open, conflicts);
            };
            self.state.decide(node, value);
        }
    }
}
