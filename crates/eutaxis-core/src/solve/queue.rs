//! The queue of projects, which is the order of preference (choice, rule 1).

use indexmap::IndexSet;

use super::chronology;
use super::facts::{Facts, Need, Needs};
use super::problem::Problem;
use crate::name::Name;

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

    /// When the files appeared of those that had their turn and need a project, and whether they leave all its later series
    /// open.
    pub(super) fn dated_askers(
        &self,
        project: &Name,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<usize>,
    ) -> Vec<(jiff::Timestamp, bool)> {
        let mut found = Vec::new();
        for asker in self.projects.iter().take(self.turned).filter(|a| *a != project) {
            let Some((known, value)) = facts.get(asker).zip(value_of(asker)) else { continue };
            let (Some(date), Some(needs)) = (known.published(value), known.needs(value)) else { continue };
            let extras = self.extras_of(asker);
            let mine = in_force(needs, &extras).filter(|n| n.requirement.name == *project);
            found.extend(mine.map(|n| (date, chronology::is_open(n.requirement.versions()))));
        }
        found
    }

    pub(super) fn extras_of(&self, project: &Name) -> Vec<Name> {
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

/// The needs that count when these extras are asked for.
pub(super) fn in_force<'a>(needs: &'a Needs, extras: &'a [Name]) -> impl Iterator<Item = &'a Need> {
    needs.all.iter().filter(|n| n.base || n.extras.iter().any(|e| extras.contains(e)))
}
