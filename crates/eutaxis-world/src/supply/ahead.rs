//! The look-ahead: what a search will probably want next, so that it is under way before the search asks.
//!
//! Of a page that came, the metadata of its probably best file; of metadata, the pages of what it needs. A wrong guess
//! costs a request and changes no answer.

use std::collections::HashMap;
use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::Page;
use eutaxis_core::offer::{Policy, Verdict, offers};
use eutaxis_core::solve::{MetadataAnswer, Problem, Want};
use eutaxis_core::{Name, Requirement, SpecifierSet, Target, Version};

use super::crew::Fact;

/// No more projects than this are looked ahead for.
const MOST: usize = 2_000;

/// What is known of the problem, and of what was heard so far.
pub(super) struct Ahead {
    target: Target,
    policy: Policy,
    /// What is asked of each project, as far as heard.
    bounds: HashMap<Name, Vec<SpecifierSet>>,
    prior: HashMap<Name, Version>,
    extras: HashMap<Name, Vec<Name>>,
}

impl Ahead {
    pub(super) fn new(problem: &Problem) -> Self {
        let mut ahead = Ahead {
            target: problem.target.clone(),
            policy: problem.policy.clone(),
            bounds: HashMap::new(),
            prior: problem.prior.iter().map(|(n, v)| (n.clone(), v.clone())).collect(),
            extras: HashMap::new(),
        };
        for ask in problem.asks.iter().chain(&problem.bounds) {
            ahead.hear(&ask.requirement);
        }
        ahead
    }

    fn hear(&mut self, requirement: &Requirement) {
        if let Some(set) = requirement.versions().filter(|s| !s.is_empty()) {
            self.bounds.entry(requirement.name.clone()).or_default().push(set.clone());
        }
        self.extras.entry(requirement.name.clone()).or_default().extend(requirement.extras.iter().cloned());
    }

    /// What will probably be wanted after this.
    pub(super) fn after(&mut self, fact: &Fact) -> Vec<Want> {
        match fact {
            Fact::Page(project, Some((_, page))) => self.best_file(project, page).into_iter().collect(),
            Fact::Metadata(project, _, MetadataAnswer::Known(metadata)) => self.needs(project, metadata),
            _ => Vec::new(),
        }
    }

    fn best_file(&self, project: &Name, page: &Page) -> Option<Want> {
        let bounds = self.bounds.get(project).map_or(&[][..], Vec::as_slice);
        let prior = self.prior.get(project);
        let offers = offers(page, &self.target, &self.policy, &[]);
        let possible: Vec<_> = offers
            .iter()
            .filter(|o| o.verdict != Verdict::Barred && o.yanked.is_none())
            .filter(|o| bounds.iter().all(|b| b.matches(&o.version)))
            .collect();
        let kept = possible.iter().find(|o| Some(&o.version) == prior);
        let is_final = |v: &Version| !v.is_prerelease();
        let best = kept
            .or_else(|| possible.iter().find(|o| o.verdict == Verdict::Ready && is_final(&o.version)))
            .or_else(|| possible.iter().find(|o| is_final(&o.version)))
            .or_else(|| possible.first())?;
        Some(Want::Metadata(project.clone(), Arc::clone(&best.best()?.file.filename)))
    }

    fn needs(&mut self, project: &Name, metadata: &Metadata) -> Vec<Want> {
        let extras = self.extras.get(project).cloned().unwrap_or_default();
        let wanted = |r: &&Requirement| match &r.marker {
            Some(marker) => marker.wanted(&self.target.markers, &extras),
            None => true,
        };
        let needs: Vec<&Requirement> = metadata.requires.iter().filter(wanted).collect();
        let mut wants = Vec::new();
        for need in needs {
            if self.extras.len() < MOST && need.versions().is_some() {
                wants.push(Want::Page(need.name.clone()));
            }
            self.hear(need);
        }
        wants
    }
}
