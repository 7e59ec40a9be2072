//! The grounds on which a proof of impossibility stands, before they are put into words.

use std::sync::Arc;

use super::super::clause::{ClauseId, Source};
use super::super::doubts::Doubt;
use super::super::problem::{AskId, BoundId};
use super::super::search::Search;
use super::super::table::Value;
use crate::offer::BarKind;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::Version;

/// One ground: what a person can act on, never an internal clause.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::solve) enum Ground {
    /// An ask, by its index.
    Ask(AskId),
    /// A bound, by its index.
    Bound(BoundId),
    /// Releases of a project, with an extra, need this.
    Needs {
        project: Name,
        extra: Option<Name>,
        requirement: Requirement,
        /// Oldest first.
        releases: Vec<Version>,
        /// The adjustment that says so instead of the release's own metadata.
        adjusted: Option<usize>,
        /// Several needs of the kind, put together as what any of them allows.
        joined: bool,
    },
    /// Another release of the project was chosen before.
    Held(Name),
    /// The earlier pin of the project is kept. It never stands in a clash that is told: it is let
    /// go.
    Prior(Name),
    /// A strong fact, which is let go likewise.
    Doubt(Doubt),
    /// Releases of a project were made for this toolkit, and an environment holds one.
    Built {
        project: Name,
        made_for: Arc<MadeFor>,
        /// Oldest first.
        releases: Vec<Version>,
    },
    /// Releases of a project are out.
    Barred {
        project: Name,
        kind: BarKind,
        /// Oldest first; empty when no depot has the project.
        releases: Vec<Version>,
    },
}

impl Search {
    /// The grounds behind original clauses, with all that bars releases of the projects they speak
    /// of, in an order that depends on nothing but what they say.
    pub(in crate::solve) fn grounds(&self, clauses: &[ClauseId]) -> Vec<Ground> {
        let mut grounds: Vec<Ground> = Vec::new();
        let mut yanked: Vec<(Name, Version)> = Vec::new();
        for id in clauses {
            let ground = match &self.state.clauses[*id].source {
                Source::Ask(i) => Ground::Ask(*i),
                Source::Bound(i) => Ground::Bound(*i),
                Source::Held(project) => Ground::Held(project.clone()),
                Source::Prior(project) => Ground::Prior(project.clone()),
                Source::Doubt(i) => match self.doubts.get(*i) {
                    Some(doubt) => Ground::Doubt(doubt.clone()),
                    None => continue,
                },
                Source::Build { project, made_for } => Ground::Built {
                    project: project.clone(),
                    made_for: Arc::clone(made_for),
                    releases: self.left_out(*id, project),
                },
                Source::Need {
                    project,
                    extra,
                    requirement,
                    adjusted,
                } => Ground::Needs {
                    project: project.clone(),
                    extra: extra.clone(),
                    requirement: requirement.as_ref().clone(),
                    releases: self.left_out(*id, project),
                    adjusted: *adjusted,
                    joined: false,
                },
                Source::Yanked { project, value } => {
                    let version = self
                        .facts
                        .get(project)
                        .and_then(|f| f.head(*value))
                        .map(|h| h.version.clone());
                    yanked.extend(version.map(|v| (project.clone(), v)));
                    continue;
                }
                // Origins are never learned clauses, nor grounds.
                Source::Learned(_) | Source::Ground(_) => continue,
            };
            add(&mut grounds, ground);
        }
        for project in self.projects_of(&grounds) {
            grounds.extend(self.bars_of(&project, &grounds, &yanked));
        }
        grounds.sort_by_cached_key(|g| self.rank(g));
        grounds
    }

    /// The releases that the first term of a clause leaves out: those that have the need.
    fn left_out(&self, id: ClauseId, project: &Name) -> Vec<Version> {
        let Some(term) = self.state.clauses[id].terms.first() else {
            return Vec::new();
        };
        let facts = self.facts.get(project);
        let size = self.state.get(term.node).size;
        let values = Value::present(size).filter(|v| !term.values.contains(*v));
        let mut versions: Vec<Version> = values
            .filter_map(|v| facts.and_then(|f| f.head(v)))
            .map(|h| h.version.clone())
            .collect();
        versions.sort();
        versions
    }

    /// The requirement of a ground, if it has one.
    pub(in crate::solve) fn requirement_of<'a>(
        &'a self,
        ground: &'a Ground,
    ) -> Option<&'a Requirement> {
        match ground {
            Ground::Ask(i) => self.problem.ask(*i).map(|a| &a.requirement),
            Ground::Bound(i) => self.problem.bound(*i).map(|a| &a.requirement),
            Ground::Needs { requirement, .. } => Some(requirement),
            Ground::Held(_)
            | Ground::Prior(_)
            | Ground::Doubt(_)
            | Ground::Built { .. }
            | Ground::Barred { .. } => None,
        }
    }

    /// The only release that a ground leaves of its project: one that was chosen before.
    pub(super) fn kept_by(&self, ground: &Ground) -> Option<&Version> {
        match ground {
            Ground::Held(project) => self.problem.held.get(project),
            Ground::Prior(project) => self.problem.prior.get(project),
            Ground::Ask(_)
            | Ground::Bound(_)
            | Ground::Needs { .. }
            | Ground::Doubt(_)
            | Ground::Built { .. }
            | Ground::Barred { .. } => None,
        }
    }

    fn projects_of(&self, grounds: &[Ground]) -> Vec<Name> {
        let mut names: Vec<Name> = grounds
            .iter()
            .filter_map(|g| self.requirement_of(g))
            .map(|r| r.name.clone())
            .collect();
        names.sort();
        names.dedup();
        names
    }

    /// What bars releases of a project: for each kind of bar the releases that have it.
    fn bars_of(
        &self,
        project: &Name,
        grounds: &[Ground],
        yanked: &[(Name, Version)],
    ) -> Vec<Ground> {
        let Some(facts) = self.facts.get(project) else {
            return vec![Ground::Barred {
                project: project.clone(),
                kind: BarKind::Absent,
                releases: Vec::new(),
            }];
        };
        if let Some((kind, _)) = facts.empty() {
            return vec![Ground::Barred {
                project: project.clone(),
                kind,
                releases: Vec::new(),
            }];
        }
        let mut barred: Vec<(BarKind, Version)> = Vec::new();
        let told = self.releases(project);
        let all = facts.heads().iter().enumerate();
        let barred_ones = all.filter(|(_, h)| !h.can_be_had() && told.contains(&h.version));
        for offer in barred_ones.filter_map(|(at, _)| facts.judged().at(at)) {
            barred.extend(offer.bars.iter().map(|b| (b.kind(), offer.version.clone())));
        }
        for requirement in grounds
            .iter()
            .filter_map(|g| self.requirement_of(g))
            .filter(|r| r.name == *project)
        {
            let out = facts.prereleases_kept_out(requirement, &self.problem);
            barred.extend(out.into_iter().map(|v| (BarKind::Prerelease, v)));
        }
        barred.extend(
            yanked
                .iter()
                .filter(|(p, _)| p == project)
                .map(|(_, v)| (BarKind::Yanked, v.clone())),
        );
        barred.sort();
        barred.dedup();
        barred
            .chunk_by(|a, b| a.0 == b.0)
            .filter_map(|run| {
                let kind = run.first()?.0;
                let releases = run.iter().map(|(_, v)| v.clone()).collect();
                Some(Ground::Barred {
                    project: project.clone(),
                    kind,
                    releases,
                })
            })
            .collect()
    }

    /// The place of a ground among others: the same whatever the order in which things were asked.
    fn rank(&self, ground: &Ground) -> (u8, String, String) {
        let stated = |ask: Option<&eutaxis_standards::requirement::Ask>| {
            ask.map_or((String::new(), String::new()), |a| {
                (a.requirement.to_string(), a.origin.to_string())
            })
        };
        match ground {
            Ground::Ask(i) => {
                let (text, origin) = stated(self.problem.ask(*i));
                (3, text, origin)
            }
            Ground::Bound(i) => {
                let (text, origin) = stated(self.problem.bound(*i));
                (2, text, origin)
            }
            Ground::Held(project) | Ground::Prior(project) => {
                (4, project.to_string(), String::new())
            }
            // What may be let go is left out first, so that a clash without it is found where there
            // is one.
            Ground::Doubt(doubt) => {
                let kind = format!("{} {:?}", doubt.version, doubt.kind);
                (0, format!("{} {}", doubt.project, doubt.other), kind)
            }
            Ground::Built {
                project, made_for, ..
            } => (1, project.to_string(), made_for.to_string()),
            Ground::Needs {
                project,
                extra,
                requirement,
                ..
            } => (
                1,
                format!("{project} {}", extra.as_ref().map_or("", Name::as_str)),
                requirement.to_string(),
            ),
            // Of several bars the policy says least of why there is nothing: it is the first that
            // is tried without.
            Ground::Barred {
                project,
                kind: BarKind::Wheels,
                ..
            } => (0, project.to_string(), String::new()),
            Ground::Barred { project, kind, .. } => {
                (0, project.to_string(), kind.as_str().to_owned())
            }
        }
    }
}

/// Adds a ground, or its releases to the one that says the same of others.
fn add(grounds: &mut Vec<Ground>, mut ground: Ground) {
    let Some(same) = grounds.iter_mut().find(|g| says_the_same(g, &ground)) else {
        grounds.push(ground);
        return;
    };
    if let (Some(all), Some(more)) = (releases_of(same), releases_of(&mut ground)) {
        all.append(more);
        all.sort();
        all.dedup();
    }
}

/// Whether two grounds say the same, be it of different releases.
fn says_the_same(one: &Ground, other: &Ground) -> bool {
    match (one, other) {
        (
            Ground::Built {
                project, made_for, ..
            },
            Ground::Built {
                project: p,
                made_for: m,
                ..
            },
        ) => project == p && made_for == m,
        (
            Ground::Needs {
                project,
                extra,
                requirement,
                adjusted,
                ..
            },
            Ground::Needs {
                project: p,
                extra: e,
                requirement: r,
                adjusted: a,
                ..
            },
        ) => project == p && extra == e && requirement == r && adjusted == a,
        _ => one == other,
    }
}

/// The releases that grounds put together: of what was built, and of what needs.
fn releases_of(ground: &mut Ground) -> Option<&mut Vec<Version>> {
    if let Ground::Built { releases, .. } | Ground::Needs { releases, .. } = ground {
        Some(releases)
    } else {
        None
    }
}
