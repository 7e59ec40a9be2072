//! Accelerators that a solution would leave unused: what is asked for to tell, and what is barred
//! where one is required (docs/accelerators.md).

use std::rc::Rc;
use std::sync::Arc;

use super::facts::{ProjectFacts, Want};
use super::search::Search;
use super::state::NodeKind;
use super::table::Value;
use crate::offer::{Bar, Lost};
use eutaxis_standards::name::Name;

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

    /// Metadata of wheels for other places, that would tell whether what was taken leaves the
    /// accelerators of this one unused. Each is asked for once.
    pub(super) fn wants_beside(&mut self) -> Vec<Want> {
        let ask = |(_, facts, value): (&Name, &ProjectFacts, Value)| match facts.lost(
            value,
            &self.problem,
            &self.beside,
        ) {
            Lost::Ask(file) => Some(facts.want_of(&file)),
            Lost::No | Lost::Yes(_) => None,
        };
        let wants: Vec<Want> = self.taken().filter_map(ask).collect();
        let files = wants.iter().filter_map(|want| match want {
            Want::Metadata(_, file) | Want::Archive(_, file) => Some(Arc::clone(file)),
            Want::Page(_) | Want::Direct(..) => None,
        });
        self.beside.extend(files);
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
            &self.beside,
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
