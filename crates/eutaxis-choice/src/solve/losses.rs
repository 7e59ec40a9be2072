//! What is asked for to tell which builds of a solution use the accelerators of the place, and what is
//! barred where one is required (docs/accelerators.md).

use std::rc::Rc;
use std::sync::Arc;

use super::facts::{ProjectFacts, Want};
use super::search::Search;
use super::state::NodeKind;
use super::table::Value;
use crate::offer::{Bar, Lost, Open, Reach};
use eutaxis_standards::name::Name;

fn want_of(facts: &ProjectFacts, open: &Open) -> Want {
    match open {
        Open::Metadata(file) => facts.want_of(file),
        Open::Files(file) => {
            let project = facts.judged().project().clone();
            Want::Files(project, Arc::clone(file), Reach::Parts)
        }
    }
}

impl Search {
    /// What was taken, where the place has accelerators.
    fn taken(&self) -> impl Iterator<Item = (&Name, &ProjectFacts, Value)> {
        let any = !self.problem.target.accelerators.is_empty();
        let projects = self.queue.projects().filter(move |_| any);
        projects.filter_map(|project| {
            let node = self.state.find(&NodeKind::Project(project.clone()))?;
            let value = self.state.get(node).domain.single()?;
            let facts = self.facts.get(project).filter(|_| value.is_present())?;
            Some((project, facts, value))
        })
    }

    /// What would tell what was taken was made for; after that, what would tell whether it leaves the
    /// accelerators of the place unused. Each is asked for once.
    pub(super) fn wants_of_builds(&mut self) -> Vec<Want> {
        let untold = |(project, facts, value): (&Name, &ProjectFacts, Value)| {
            let (file, reach) = facts.untold(value, &self.problem)?;
            let open = Open::Files(Arc::clone(&file));
            let want = Want::Files(project.clone(), file, reach);
            (!self.asked_of.contains(&open)).then_some((want, open))
        };
        let mut asked: Vec<(Want, Open)> = self.taken().filter_map(untold).collect();
        if asked.is_empty() {
            let ask = |(_, facts, value): (&Name, &ProjectFacts, Value)| match facts.lost(
                value,
                &self.problem,
                &self.asked_of,
            ) {
                Lost::Ask(open) => Some((want_of(facts, &open), open)),
                Lost::No | Lost::Yes(_) => None,
            };
            asked = self.taken().filter_map(ask).collect();
        }
        let (wants, open): (Vec<Want>, Vec<Open>) = asked.into_iter().unzip();
        self.asked_of.extend(open);
        wants
    }

    /// Bars what leaves a required accelerator unused; whether there was anything.
    pub(super) fn bar_lost(&mut self) -> bool {
        let problem = Rc::clone(&self.problem);
        if !problem.target.accelerators.is_required() {
            return false;
        }
        let lost = |(project, facts, value): (&Name, &ProjectFacts, Value)| match facts.lost(
            value,
            &problem,
            &self.asked_of,
        ) {
            Lost::Yes(loss) => Some((project.clone(), value, loss.shown)),
            Lost::No | Lost::Ask(_) => None,
        };
        let all: Vec<_> = self.taken().filter_map(lost).collect();
        let mut any = false;
        for (project, value, shown) in all {
            let bar = Bar::Unused(Box::new(shown));
            let facts = self.facts.get_mut(&project);
            any |= facts.is_some_and(|f| f.bar(value, bar, &problem));
        }
        self.must_restart |= any;
        any
    }
}
