//! The answer when it cannot be: the clash, and the ways out.

use eutaxis_core::Name;
use eutaxis_core::pins::Lock;
use eutaxis_core::solve::{Clash, Problem, Ways};
use eutaxis_world::files::write_whole;
use eutaxis_world::supply::Run;
use eutaxis_world::{Error, ErrorKind};

use super::{Job, take};
use crate::answer::clash::{Absent, Refusal, Untried};
use crate::output::{Answer, Outcome};
use crate::plan::{self, Surroundings};
use crate::proof::bringing::Bringers;
use crate::words;
use crate::{render, report};

/// So many names are told that are near to one that no depot has.
const MOST_NEAR: usize = 3;

impl<'a> Refusal<'a> {
    pub(crate) fn new(
        clash: &'a Clash,
        problem: &'a Problem,
        all: &'a Ways,
        shown: &'a str,
        surroundings: &Surroundings,
        run: Option<&Run>,
    ) -> Self {
        let ways = all.found.as_slice();
        let untried = all.untried.iter().map(|(changes, because)| Untried {
            text: words::ways::changes(changes),
            because: because.clone(),
        });
        // A large index is a large list: it is asked for once, and only when a name is unknown.
        let asked = run.filter(|_| !clash.absent.is_empty());
        let known = asked.map(|r| r.depots().projects()).unwrap_or_default();
        let near = |name: &Name| {
            let of = |r: &Run| r.near_names(&known, name, MOST_NEAR);
            asked.map(of).unwrap_or_default()
        };
        let bringers = asked.map(|run| Bringers::new(run, problem.rules()));
        let absent = clash.absent.iter().map(|name| Absent {
            name: name.clone(),
            near: near(name),
            brought: bringers.as_ref().and_then(|b| b.of_name(name)),
        });
        let absent = absent.collect();
        let edits = ways
            .iter()
            .map(|way| take::edits(way, problem, surroundings, &[]))
            .collect();
        Refusal {
            clash,
            problem,
            ways,
            untried: untried.collect(),
            shown,
            builds: Vec::new(),
            edits,
            absent,
            listed: !known.is_empty(),
            is_of_several: false,
        }
    }
}

impl Job<'_> {
    /// The clash with its ways out; with `--take` one of them is gone.
    pub(super) fn refused(
        &mut self,
        clash: &Clash,
        chosen: &plan::Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Answer, Error> {
        if self.arguments.take.is_none() {
            // The facts are told as soon as they are proven.
            self.bar
                .suspend(|| self.output.now(&render::clash::begin(clash, &chosen.shown)));
        }
        let alternatives =
            plan::alternatives_of(clash, &chosen.target, chosen.here, self.surroundings);
        let search = || self.run.ways_out(problem, clash, &alternatives, &|_| ());
        let ways = match self.output.watch(
            "ways out",
            &self.bar,
            &self.run,
            self.depots.network(),
            search,
        ) {
            // The clash is proven all the same.
            Err(error)
                if self.arguments.take.is_none()
                    && matches!(error.kind, ErrorKind::Network | ErrorKind::Budget) =>
            {
                self.output.notice(&format!(
                    "ways out were not looked for to the end: {}",
                    error.message
                ));
                Ways::default()
            }
            other => other?,
        };
        self.bar.finish_and_clear();
        if let Some(letter) = &self.arguments.take {
            return self.take(letter, &ways.found, chosen, problem, old);
        }
        let mut refusal = Refusal::new(
            clash,
            problem,
            &ways,
            &chosen.shown,
            self.surroundings,
            Some(&self.run),
        );
        let found = ways.found.iter();
        let edits = found.map(|way| take::edits(way, problem, self.surroundings, &self.edits));
        refusal.edits = edits.collect();
        refusal.builds = self.of_ways(&ways.found, chosen)?;
        refusal.is_of_several = self.arguments.target.target.len() > 1;
        let mut text = render::clash::rest(&refusal);
        let addresses = super::addresses::needed(clash, problem);
        if let Some(first) = addresses.first().filter(|_| !self.arguments.permit_urls) {
            text.push_str(&render::clash::by_address(&first.name));
        }
        let mut answer = report::Clash::from(&refusal);
        if let Some(file) = &self.arguments.picture {
            write_whole(file, render::picture::clash(&refusal).as_bytes())?;
            answer.picture = Some(file.display().to_string());
            self.output.notice(&format!("wrote {}", file.display()));
        }
        Ok(Answer {
            outcome: Outcome::No,
            text,
            report: report::Settle::Clash(answer).into(),
        })
    }
}
