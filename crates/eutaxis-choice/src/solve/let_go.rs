//! What binds as long as a full solution keeps it: strong facts and earlier pins (docs/choice.md,
//! dates, earlier pins).
//!
//! Where no solution keeps all of them, the smallest clash says which one goes, until a solution is
//! there. Which stay must not depend on the order of the asks, so that is found out with the asks
//! in an order of their own; then what was asked is answered with what stayed.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::rc::Rc;

use super::clash::Ground;
use super::clause::{ClauseId, Rests, Source};
use super::doubts::Doubt;
use super::problem::Problem;
use super::search::{Search, Step};
use crate::offer::BarKind;
use eutaxis_standards::name::Name;

/// What was let go, and how far it is to find that out.
#[derive(Debug, Default)]
pub(super) struct LetGo {
    /// Strong facts, in the order in which they went.
    pub(super) doubts: Vec<Doubt>,
    /// Projects whose earlier pin went.
    pub(super) priors: BTreeSet<Name>,
    /// While the asks stand in an order of their own: the problem as it was asked.
    asked: Option<Rc<Problem>>,
    /// That was done: what stayed stays.
    done: bool,
    /// What went and may still come back, the strongest last: which of several proofs came first
    /// must not matter.
    back: Option<Vec<Soft>>,
    /// It is being tried without this one gone.
    tried: Option<Soft>,
}

/// One that may be let go.
#[derive(Debug, Clone)]
enum Soft {
    Doubt(Doubt),
    Prior(Name),
}

impl LetGo {
    /// Everything that went, the strongest last: strong facts by their weight, then earlier pins.
    fn all(&self) -> Vec<Soft> {
        let mut doubts = self.doubts.clone();
        doubts.sort_by(Doubt::by_weight);
        let priors = self.priors.iter().rev().cloned().map(Soft::Prior);
        doubts.into_iter().map(Soft::Doubt).chain(priors).collect()
    }

    fn go(&mut self, one: Soft) {
        match one {
            Soft::Doubt(doubt) => self.doubts.push(doubt),
            Soft::Prior(project) => {
                self.priors.insert(project);
            }
        }
    }

    fn come_back(&mut self, one: &Soft) {
        match one {
            Soft::Doubt(doubt) => self.doubts.retain(|d| d != doubt),
            Soft::Prior(project) => {
                self.priors.remove(project);
            }
        }
    }
}

#[cfg(test)]
impl LetGo {
    /// What was let go, in words and sorted.
    pub(super) fn told(&self) -> Vec<String> {
        let doubts = self
            .doubts
            .iter()
            .map(|d| format!("{} {} {} {:?}", d.project, d.version, d.other, d.kind));
        let mut told: Vec<String> = doubts
            .chain(self.priors.iter().map(Name::to_string))
            .collect();
        told.sort();
        told
    }
}

impl Search {
    /// Lets go of what may be let go in a proof of impossibility: nothing when there is no such
    /// thing in it. Some step when the search must wait, none within when it goes on.
    pub(super) fn let_go_of(&mut self, origins: &[ClauseId]) -> Option<Option<Step>> {
        let soft = |id: &ClauseId| {
            matches!(
                self.state.clauses[*id].source,
                Source::Doubt(_) | Source::Prior(_)
            )
        };
        if !origins.iter().any(soft) {
            return None;
        }
        if let Some(tried) = self.let_go.tried.take() {
            self.let_go.go(tried);
            self.try_next();
            self.must_restart = true;
            return Some(None);
        }
        if self.let_go.asked.is_none() && !self.let_go.done {
            let ordered = self.problem.sorted();
            if ordered.asks != self.problem.asks || ordered.bounds != self.problem.bounds {
                self.let_go.asked = Some(std::mem::replace(&mut self.problem, Rc::new(ordered)));
                self.must_restart = true;
                return Some(None);
            }
        }
        // What goes must not depend on when facts came: it is found out on a way on which all are
        // known.
        if self.was_supplied {
            self.must_restart = true;
            return Some(None);
        }
        let grounds = self.smallest_proof(self.grounds(origins));
        let doubts = grounds.iter().filter_map(|g| {
            if let Ground::Doubt(doubt) = g {
                Some(doubt)
            } else {
                None
            }
        });
        let weakest = doubts.min_by(|a, b| a.by_weight(b)).cloned();
        let prior = self.nearest_prior(&grounds).filter(|_| weakest.is_none());
        // Grounds may say more than the proof did: what they take for granted is looked into before
        // they count.
        let bars = |kind: BarKind| {
            grounds
                .iter()
                .any(|g| matches!(g, Ground::Barred { kind: k, .. } if *k == kind))
        };
        let hard = weakest.is_none() && prior.is_none();
        let rests = Rests {
            on_nobody_pinning: !self.yanked_open && (hard || bars(BarKind::Yanked)),
            on_unseen_finals: hard || bars(BarKind::Prerelease),
        };
        if let Some(waits) = self.look_into(rests) {
            return Some(waits);
        }
        self.let_go.go(match (weakest, prior) {
            (Some(doubt), _) => Soft::Doubt(doubt),
            (None, Some(project)) => Soft::Prior(project),
            (None, None) => return None,
        });
        self.must_restart = true;
        Some(None)
    }

    /// With a solution at hand: what went is tried again, the strongest first, as one proof may
    /// have taken what another shows to be needless. False when there is nothing to try.
    fn try_next(&mut self) -> bool {
        let all = self.let_go.all();
        let back = self.let_go.back.get_or_insert(all);
        // The last one that went was needed.
        let Some(next) = back.pop() else { return false };
        self.let_go.come_back(&next);
        self.let_go.tried = Some(next);
        self.must_restart = true;
        true
    }

    /// Once it is known what stays: back to the problem as it was asked. False when that is the one
    /// at hand.
    pub(super) fn ask_as_asked(&mut self) -> bool {
        self.let_go.tried = None;
        let went = self.let_go.doubts.len() + self.let_go.priors.len();
        if !self.let_go.done && (went > 1 || self.let_go.back.is_some()) && self.try_next() {
            return true;
        }
        let Some(asked) = self.let_go.asked.take() else {
            return false;
        };
        self.problem = asked;
        self.let_go.done = true;
        self.must_restart = true;
        true
    }

    /// Of the earlier pins in a clash the one that the changed asks reach in fewest steps; of
    /// several the first by name.
    fn nearest_prior(&self, grounds: &[Ground]) -> Option<Name> {
        let priors = grounds.iter().filter_map(|g| {
            if let Ground::Prior(project) = g {
                Some(project)
            } else {
                None
            }
        });
        let steps = self.steps_from_changes(grounds);
        priors
            .min_by_key(|p| (steps.get(*p).copied().unwrap_or(usize::MAX), (*p).clone()))
            .cloned()
    }

    /// How many needs lie between the asks and bounds that the earlier pins do not meet and each
    /// project of a clash.
    fn steps_from_changes(&self, grounds: &[Ground]) -> BTreeMap<Name, usize> {
        let is_changed = |g: &&Ground| {
            matches!(g, Ground::Ask(_) | Ground::Bound(_))
                && self.requirement_of(g).is_some_and(|r| {
                    let prior = self.problem.prior.get(&r.name);
                    prior.is_none_or(|v| r.versions().is_some_and(|set| !set.matches(v)))
                })
        };
        let starts = grounds
            .iter()
            .filter(is_changed)
            .filter_map(|g| self.requirement_of(g))
            .map(|r| r.name.clone());
        let mut open: VecDeque<(Name, usize)> = starts.map(|name| (name, 0)).collect();
        let mut steps: BTreeMap<Name, usize> = BTreeMap::new();
        while let Some((name, step)) = open.pop_front() {
            if steps.contains_key(&name) {
                continue;
            }
            for ground in grounds {
                if let Ground::Needs {
                    project,
                    requirement,
                    ..
                } = ground
                    && *project == name
                {
                    open.push_back((requirement.name.clone(), step + 1));
                }
            }
            steps.insert(name, step);
        }
        steps
    }
}
