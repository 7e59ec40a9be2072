//! The queue of projects, which is the order of preference (docs/choice.md), and the time that each
//! is of (docs/choice.md, dates).

use indexmap::IndexSet;

use super::facts::{Facts, Need, Needs};
use super::held::held_asks;
use super::problem::Problem;
use super::table::Value;
use eutaxis_standards::name::Name;

/// The time that a project is of: that of a held ask which needs it, directly or through others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnTime {
    /// Until then its releases come first.
    pub until: jiff::Timestamp,
    /// The ask.
    pub of: Name,
}

/// Projects in the order of their turns, and the extras asked for so far.
#[derive(Debug, Default)]
pub(super) struct Queue {
    projects: IndexSet<Name, rustc_hash::FxBuildHasher>,
    /// Of each of these, in the same order, the time that it is of.
    times: Vec<Option<OwnTime>>,
    /// Times as they were, by place, to go back to.
    changed: Vec<(usize, Option<OwnTime>)>,
    /// Project and extra, in the order in which they were asked for.
    extras: IndexSet<(Name, Name), rustc_hash::FxBuildHasher>,
    /// Asked projects that join once all before them, with what they need, have had their turn.
    asked: Vec<Name>,
    /// Of those that an ask holds below their newest: they have a time to pass on.
    held: Vec<Name>,
    /// How many of the asked ones have joined.
    joined: usize,
    /// How many projects have had their turn.
    turned: usize,
    /// The lengths at the start of each decision level.
    marks: Vec<[usize; 5]>,
}

impl Queue {
    /// The queue at the start. The asks join in the order listed; where dates have a part in the
    /// choice, those that are held come before the others, the oldest first, each followed by all
    /// that it needs.
    pub(super) fn start(problem: &Problem, facts: &Facts) -> Self {
        let mut queue = Queue::default();
        let mut listed: Vec<Name> = Vec::new();
        for (_, ask) in problem.asks_in_force() {
            let project = &ask.requirement.name;
            if !listed.contains(project) {
                listed.push(project.clone());
            }
            queue.extras.extend(
                ask.requirement
                    .extras
                    .iter()
                    .map(|e| (project.clone(), e.clone())),
            );
        }
        queue.held = held_asks(problem, facts);
        let first = |p: &&Name| problem.nearest.contains_key(*p);
        let place = |p: &Name| queue.held.iter().position(|h| h == p).unwrap_or(usize::MAX);
        listed.sort_by_key(|p| (!first(&p), place(p)));
        queue.asked = listed;
        queue.join_asked();
        queue
    }

    /// When everything had its turn, the next ask joins: a held one alone, the others together.
    fn join_asked(&mut self) {
        while self.turned >= self.projects.len() {
            let Some(next) = self.asked.get(self.joined).cloned() else {
                return;
            };
            self.joined += 1;
            let alone = self.held.contains(&next);
            self.insert(&next);
            while let Some(open) = self
                .asked
                .get(self.joined)
                .filter(|p| !alone && !self.held.contains(p))
                .cloned()
            {
                self.joined += 1;
                self.insert(&open);
            }
        }
    }

    fn insert(&mut self, project: &Name) -> usize {
        let (place, new) = self.projects.insert_full(project.clone());
        if new {
            self.times.push(None);
        }
        place
    }

    /// The project whose turn it is.
    pub(super) fn next(&self) -> Option<&Name> {
        self.projects.get_index(self.turned)
    }

    /// Projects that have not had their turn, in order; those that are only asked for after these.
    pub(super) fn waiting(&self) -> impl Iterator<Item = &Name> {
        self.projects
            .iter()
            .skip(self.turned)
            .chain(self.asked.iter().skip(self.joined))
    }

    pub(super) fn projects(&self) -> impl Iterator<Item = &Name> {
        self.projects.iter()
    }

    /// The time that a project is of, if a held ask needs it.
    pub(super) fn time_of(&self, project: &Name) -> Option<&OwnTime> {
        self.projects
            .get_index_of(project)
            .and_then(|place| self.times.get(place)?.as_ref())
    }

    /// The time of the oldest held ask.
    pub(super) fn oldest_time(
        &self,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<Value>,
    ) -> Option<OwnTime> {
        self.held
            .iter()
            .filter_map(|p| self.own_time(p, facts, value_of))
            .min_by_key(|time| time.until)
    }

    /// Notes the start of a decision level.
    pub(super) fn mark(&mut self) {
        let lengths = [
            self.turned,
            self.projects.len(),
            self.extras.len(),
            self.changed.len(),
            self.joined,
        ];
        self.marks.push(lengths);
    }

    /// Goes back to the start of a level.
    pub(super) fn back_to(&mut self, level: usize) {
        if let Some([turned, projects, extras, changed, joined]) = self.marks.get(level).copied() {
            while self.changed.len() > changed {
                if let Some((place, before)) = self.changed.pop()
                    && let Some(time) = self.times.get_mut(place)
                {
                    *time = before;
                }
            }
            self.turned = turned;
            self.joined = joined;
            self.projects.truncate(projects);
            self.times.truncate(projects);
            self.extras.truncate(extras);
            self.marks.truncate(level);
        }
    }

    /// The turn of the next project, whose release is decided: what it needs joins the end.
    pub(super) fn turn(
        &mut self,
        needs: &Needs,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<Value>,
    ) {
        let Some(project) = self.next().cloned() else {
            return;
        };
        let time = self.passed_on(&project, facts, value_of);
        self.turned += 1;
        // Extras that the project asks of itself are asked for at this turn.
        let mut asked: Vec<Name> = self.extras_of(&project);
        close_over_itself(&project, needs, &mut asked);
        self.extras
            .extend(asked.iter().map(|e| (project.clone(), e.clone())));
        for need in needs.all.iter().filter(|n| n.base) {
            self.join(need, time.as_ref(), facts, value_of);
        }
        for need in needs
            .all
            .iter()
            .filter(|n| !n.base && n.extras.iter().any(|e| asked.contains(e)))
        {
            self.join(need, time.as_ref(), facts, value_of);
        }
        self.join_asked();
    }

    /// The time that a project at its turn passes on to what it needs: the older of its own, where
    /// it is held, and of the one that it is of.
    fn passed_on(
        &self,
        project: &Name,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<Value>,
    ) -> Option<OwnTime> {
        let inherited = self.time_of(project).cloned();
        let own = self.own_time(project, facts, value_of);
        [inherited, own]
            .into_iter()
            .flatten()
            .min_by_key(|time| time.until)
    }

    /// The time of a held ask by its chosen release.
    fn own_time(
        &self,
        project: &Name,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<Value>,
    ) -> Option<OwnTime> {
        let facts = facts.get(project).filter(|_| self.held.contains(project))?;
        let appeared = facts.appeared(facts.head(value_of(project)?)?)?;
        let until = appeared.checked_add(super::held::GRACE).ok()?;
        Some(OwnTime {
            until,
            of: project.clone(),
        })
    }

    pub(super) fn extras_of(&self, project: &Name) -> Vec<Name> {
        self.extras
            .iter()
            .filter(|(p, _)| p == project)
            .map(|(_, e)| e.clone())
            .collect()
    }

    fn join(
        &mut self,
        need: &Need,
        time: Option<&OwnTime>,
        facts: &Facts,
        value_of: &dyn Fn(&Name) -> Option<Value>,
    ) {
        let project = &need.requirement.name;
        let place = self.insert(project);
        self.pass(place, time);
        for extra in &need.requirement.extras {
            let new = self.extras.insert((project.clone(), extra.clone()));
            if !new || place >= self.turned {
                continue;
            }
            // First asked for after the project's turn: its needs join at once.
            let Some(needs) = value_of(project)
                .and_then(|v| facts.get(project)?.needs(v))
                .cloned()
            else {
                continue;
            };
            let mut asked = vec![extra.clone()];
            close_over_itself(project, &needs, &mut asked);
            self.extras
                .extend(asked.iter().map(|e| (project.clone(), e.clone())));
            let late: Vec<&Need> = needs
                .all
                .iter()
                .filter(|n| !n.base && n.extras.iter().any(|e| asked.contains(e)))
                .collect();
            for need in late {
                self.join(need, time, facts, value_of);
            }
        }
    }

    /// Gives a project the time of one that needs it, where it had none or a later one.
    fn pass(&mut self, place: usize, time: Option<&OwnTime>) {
        let Some(time) = time else { return };
        let Some(mine) = self.times.get_mut(place) else {
            return;
        };
        if mine.as_ref().is_none_or(|m| time.until < m.until) {
            self.changed.push((place, mine.take()));
            *mine = Some(time.clone());
        }
    }
}

/// Adds the extras that a project asks of itself under the ones in the list.
fn close_over_itself(project: &Name, needs: &Needs, asked: &mut Vec<Name>) {
    loop {
        let more: Vec<Name> = needs
            .all
            .iter()
            .filter(|n| {
                n.requirement.name == *project
                    && (n.base || n.extras.iter().any(|e| asked.contains(e)))
            })
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
    needs
        .all
        .iter()
        .filter(|n| n.base || n.extras.iter().any(|e| extras.contains(e)))
}
