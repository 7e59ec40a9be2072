//! The queue of projects, which is the order of preference (choice, rule 1), and the solution read off at its end.

use std::sync::Arc;

use indexmap::IndexSet;
use rustc_hash::FxHashMap;

use super::facts::{Facts, Need, Needs, ProjectFacts};
use super::problem::Problem;
use crate::index::PageFile;
use crate::name::Name;
use crate::offer::Verdict;
use crate::version::Version;

/// Projects in the order of their turns, and the extras asked for so far.
#[derive(Debug, Default)]
pub(super) struct Queue {
    projects: IndexSet<Name, rustc_hash::FxBuildHasher>,
    /// Project and extra, in the order in which they were asked for.
    extras: IndexSet<(Name, Name), rustc_hash::FxBuildHasher>,
    /// How many projects have had their turn.
    turned: usize,
    /// The three lengths at the start of each decision level.
    marks: Vec<[usize; 3]>,
}

impl Queue {
    pub(super) fn start(problem: &Problem) -> Self {
        let mut queue = Queue::default();
        for (_, ask) in problem.asks_in_force() {
            queue.projects.insert(ask.requirement.name.clone());
            queue.extras.extend(ask.requirement.extras.iter().map(|e| (ask.requirement.name.clone(), e.clone())));
        }
        queue
    }

    /// The project whose turn it is.
    pub(super) fn next(&self) -> Option<&Name> {
        self.projects.get_index(self.turned)
    }

    /// Projects that have not had their turn, in order.
    pub(super) fn waiting(&self) -> impl Iterator<Item = &Name> {
        self.projects.iter().skip(self.turned)
    }

    pub(super) fn projects(&self) -> impl Iterator<Item = &Name> {
        self.projects.iter()
    }

    /// Notes the start of a decision level.
    pub(super) fn mark(&mut self) {
        self.marks.push([self.turned, self.projects.len(), self.extras.len()]);
    }

    /// Goes back to the start of a level.
    pub(super) fn back_to(&mut self, level: usize) {
        if let Some([turned, projects, extras]) = self.marks.get(level).copied() {
            self.turned = turned;
            self.projects.truncate(projects);
            self.extras.truncate(extras);
            self.marks.truncate(level);
        }
    }

    /// The turn of the next project, whose release is decided: what it needs joins the end.
    pub(super) fn turn(&mut self, needs: &Needs, facts: &Facts, value_of: &dyn Fn(&Name) -> Option<usize>) {
        let Some(project) = self.next().cloned() else { return };
        self.turned += 1;
        // Extras that the project asks of itself are asked for at this turn.
        let mut asked: Vec<Name> = self.extras_of(&project);
        close_over_itself(&project, needs, &mut asked);
        self.extras.extend(asked.iter().map(|e| (project.clone(), e.clone())));
        for need in needs.all.iter().filter(|n| n.base) {
            self.join(need, facts, value_of);
        }
        for need in needs.all.iter().filter(|n| !n.base && n.extras.iter().any(|e| asked.contains(e))) {
            self.join(need, facts, value_of);
        }
    }

    fn extras_of(&self, project: &Name) -> Vec<Name> {
        self.extras.iter().filter(|(p, _)| p == project).map(|(_, e)| e.clone()).collect()
    }

    fn join(&mut self, need: &Need, facts: &Facts, value_of: &dyn Fn(&Name) -> Option<usize>) {
        let project = &need.requirement.name;
        let (place, _) = self.projects.insert_full(project.clone());
        for extra in &need.requirement.extras {
            let new = self.extras.insert((project.clone(), extra.clone()));
            if !new || place >= self.turned {
                continue;
            }
            // First asked for after the project's turn: its needs join at once.
            let Some(needs) = value_of(project).and_then(|v| facts.get(project)?.needs(v)).cloned() else { continue };
            let mut asked = vec![extra.clone()];
            close_over_itself(project, &needs, &mut asked);
            self.extras.extend(asked.iter().map(|e| (project.clone(), e.clone())));
            let late: Vec<&Need> =
                needs.all.iter().filter(|n| !n.base && n.extras.iter().any(|e| asked.contains(e))).collect();
            for need in late {
                self.join(need, facts, value_of);
            }
        }
    }
}

/// Adds the extras that a project asks of itself under the ones in the list.
fn close_over_itself(project: &Name, needs: &Needs, asked: &mut Vec<Name>) {
    loop {
        let more: Vec<Name> = needs
            .all
            .iter()
            .filter(|n| n.requirement.name == *project && (n.base || n.extras.iter().any(|e| asked.contains(e))))
            .flat_map(|n| n.requirement.extras.iter().cloned())
            .filter(|e| !asked.contains(e))
            .collect();
        if more.is_empty() {
            return;
        }
        asked.extend(more);
        asked.sort();
        asked.dedup();
    }
}

/// Who asks for a chosen project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Asker {
    /// An ask of the user, by its index.
    Ask(usize),
    /// A chosen project, with its requirement in words.
    Project(Name, String),
}

/// A project of the solution with its release and file.
#[derive(Debug, Clone)]
pub struct Chosen {
    /// The project.
    pub project: Name,
    /// The release.
    pub version: Version,
    /// The file.
    pub file: Arc<PageFile>,
    /// `Ready` for a wheel, `Build` for source.
    pub verdict: Verdict,
    /// Who asks for it; never empty.
    pub asked_by: Vec<Asker>,
    /// Extras asked of it, in order of name.
    pub extras: Vec<Name>,
    /// Projects it needs on the target, in the order of its metadata.
    pub needs: Vec<Name>,
    /// The newest final release of the project, when it is another one.
    pub newest: Option<Newest>,
}

/// A newer release that was not taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Newest {
    /// Its version.
    pub version: Version,
    /// What it is on the target.
    pub verdict: Verdict,
    /// The first of its bars.
    pub bar: Option<String>,
    /// The reason for which it is yanked, if it is.
    pub yanked: Option<String>,
    /// A need of it that the other choices do not meet: the requirement, and the release that was chosen.
    pub unmet: Option<(String, Version)>,
}

/// Something that does not forbid the choice but should be known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Caution {
    /// An asked extra that the chosen release lacks.
    ExtraAbsent {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// The extra.
        extra: Name,
    },
    /// A yanked release is chosen because it is pinned.
    Yanked {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// The publisher's reason; may be empty.
        reason: String,
    },
}

/// A set of releases in which every need is met.
#[derive(Debug, Clone)]
pub struct Solution {
    /// The projects in the order of their turns.
    pub chosen: Vec<Chosen>,
    /// What should be known.
    pub cautions: Vec<Caution>,
}

impl Solution {
    /// Reads the solution off a queue in which all have had their turn.
    pub(super) fn read(
        queue: &Queue,
        problem: &Problem,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<usize>,
    ) -> Self {
        let mut chosen: Vec<Chosen> = Vec::new();
        let mut cautions = Vec::new();
        let mut askers = askers(queue, problem, facts, value_of);
        for project in queue.projects() {
            let Some(known) = facts.get(project) else { continue };
            let Some(value) = value_of(project) else { continue };
            let (Some(offer), Some(needs)) = (known.offer(value), known.needs(value)) else { continue };
            let Some(best) = offer.best() else { continue };
            let mut extras = queue.extras_of(project);
            extras.sort();
            for extra in extras.iter().filter(|e| !needs.offered.contains(e)) {
                cautions.push(Caution::ExtraAbsent {
                    project: project.clone(),
                    version: offer.version.clone(),
                    extra: extra.clone(),
                });
            }
            if let Some(reason) = &offer.yanked {
                cautions.push(Caution::Yanked {
                    project: project.clone(),
                    version: offer.version.clone(),
                    reason: reason.clone(),
                });
            }
            let mut needed: Vec<Name> = Vec::new();
            for need in in_force(needs, &extras).filter(|n| n.requirement.name != *project) {
                if !needed.contains(&need.requirement.name) {
                    needed.push(need.requirement.name.clone());
                }
            }
            let newest = known.offers.iter().find(|o| !o.version.is_prerelease()).filter(|o| o.version > offer.version);
            chosen.push(Chosen {
                project: project.clone(),
                version: offer.version.clone(),
                file: Arc::clone(&best.file),
                verdict: offer.verdict,
                asked_by: askers.remove(project).unwrap_or_default(),
                extras,
                needs: needed,
                newest: newest.map(|o| Newest {
                    version: o.version.clone(),
                    verdict: o.verdict,
                    bar: o.bars.first().map(|b| b.detail.clone()),
                    yanked: o.yanked.clone(),
                    unmet: unmet_need(known, &o.version, facts, value_of),
                }),
            });
        }
        Solution { chosen, cautions }
    }
}

/// A need of a release that the chosen releases do not meet, as far as its metadata is known.
fn unmet_need(
    known: &ProjectFacts,
    version: &Version,
    facts: &Facts,
    value_of: &dyn Fn(&Name) -> Option<usize>,
) -> Option<(String, Version)> {
    let needs = known.needs(known.value_of(version)?)?;
    needs.all.iter().filter(|n| n.base).find_map(|need| {
        let other = facts.get(&need.requirement.name)?.offer(value_of(&need.requirement.name)?)?;
        let met = need.requirement.versions().is_none_or(|s| s.matches(&other.version));
        (!met).then(|| (need.requirement.short(), other.version.clone()))
    })
}

/// The needs that count when these extras are asked for.
pub(super) fn in_force<'a>(needs: &'a Needs, extras: &'a [Name]) -> impl Iterator<Item = &'a Need> {
    needs.all.iter().filter(|n| n.base || n.extras.iter().any(|e| extras.contains(e)))
}

/// Who asks for each chosen project: the user's asks first, then projects in the order of their turns.
fn askers(
    queue: &Queue,
    problem: &Problem,
    facts: &Facts,
    value_of: &dyn Fn(&Name) -> Option<usize>,
) -> FxHashMap<Name, Vec<Asker>> {
    let mut askers: FxHashMap<Name, Vec<Asker>> = FxHashMap::default();
    for (i, ask) in problem.asks_in_force() {
        askers.entry(ask.requirement.name.clone()).or_default().push(Asker::Ask(i));
    }
    for project in queue.projects() {
        let Some(needs) = value_of(project).and_then(|v| facts.get(project)?.needs(v)) else { continue };
        let extras = queue.extras_of(project);
        for need in in_force(needs, &extras).filter(|n| n.requirement.name != *project) {
            let asker = Asker::Project(project.clone(), need.requirement.short());
            askers.entry(need.requirement.name.clone()).or_default().push(asker);
        }
    }
    askers
}
