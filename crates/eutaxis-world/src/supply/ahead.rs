//! The look-ahead: what a search will probably want next, so that it is under way before the search
//! asks.
//!
//! Of a page that came, the metadata of its probably best file; of metadata, the pages of what it
//! needs. A wrong guess costs a request and changes no answer.

use std::collections::HashMap;
use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::offer::{JudgedPage, MetadataAnswer, Preferred};
use eutaxis_core::solve::{Problem, Want};
use eutaxis_core::{Name, Requirement, Version, VersionSpecifier};

use super::crew::Fact;
use super::judge::Judge;

/// No more projects than this are looked ahead for.
const MOST: usize = 2_000;

/// What is known of the problem, and of what was heard so far.
pub(super) struct Ahead {
    judge: Arc<Judge>,
    /// What is asked of each project, as far as heard.
    bounds: HashMap<Name, Vec<VersionSpecifier>>,
    prior: HashMap<Name, Version>,
    extras: HashMap<Name, Vec<Name>>,
}

impl Ahead {
    pub(super) fn new(problem: &Problem, judge: Arc<Judge>) -> Self {
        let mut ahead = Ahead {
            judge,
            bounds: HashMap::new(),
            prior: problem
                .prior
                .iter()
                .map(|(n, v)| (n.clone(), v.clone()))
                .collect(),
            extras: HashMap::new(),
        };
        for ask in problem.asks.iter().chain(&problem.bounds) {
            ahead.hear(&ask.requirement);
        }
        ahead
    }

    fn hear(&mut self, requirement: &Requirement) {
        if let Some(set) = requirement.versions().filter(|s| !s.is_empty()) {
            self.bounds
                .entry(requirement.name.clone())
                .or_default()
                .push(set.clone());
        }
        self.extras
            .entry(requirement.name.clone())
            .or_default()
            .extend(requirement.extras.iter().cloned());
    }

    /// What will probably be wanted after this.
    pub(super) fn after(&mut self, fact: &Fact) -> Vec<Want> {
        match fact {
            Fact::Page(_, Some((_, page))) => {
                self.best_file(&self.judge.page(page)).into_iter().collect()
            }
            Fact::Metadata(project, _, MetadataAnswer::Known(metadata)) => {
                self.needs(project, metadata)
            }
            Fact::Page(..) | Fact::Metadata(..) | Fact::Files(..) => Vec::new(),
        }
    }

    /// The release that would be taken if nothing else were asked for.
    fn best_file(&self, judged: &JudgedPage) -> Option<Want> {
        let project = judged.project();
        let bounds = self.bounds.get(project).map_or(&[][..], Vec::as_slice);
        let ranking = judged.ranking(
            &self.judge.rules(),
            &Preferred {
                prior: self.prior.get(project),
                nearest: None,
            },
        );
        let head = |at: usize| Some((at, judged.heads().get(at)?));
        let ranked = ranking.order.iter().filter_map(|at| head(*at));
        let mut possible =
            ranked.filter(|(_, h)| !h.is_yanked && bounds.iter().all(|b| b.matches(&h.version)));
        let kept = |v: &Version| self.prior.get(project) == Some(v);
        let first = possible.clone().next();
        let sound = possible.find(|(_, h)| !h.version.is_prerelease() || kept(&h.version));
        let (best, _) = sound.or(first)?;
        let best = judged.at(best)?.best()?;
        Some(Want::Metadata(
            project.clone(),
            Arc::clone(&best.file.filename),
        ))
    }

    fn needs(&mut self, project: &Name, metadata: &Metadata) -> Vec<Want> {
        let extras = self.extras.get(project).cloned().unwrap_or_default();
        let wanted = |r: &&Requirement| match &r.marker {
            Some(marker) => marker.wanted(&self.judge.rules().target.markers, &extras),
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
