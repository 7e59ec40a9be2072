//! Advice from the knowledge files, fitted to where it is given: a command about a list, pins or an
//! environment names those that are there. Where there are none, the words stand alone.

use std::path::PathBuf;

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::{Pins, Snapshot};
use eutaxis_core::remedy::{Invocation, Step, Verb};

use super::Checker;
use crate::cli::{AskOptions, Command};
use crate::{asks, typed};

impl Checker<'_> {
    /// A step as it can be taken here; none where what it speaks of is not there.
    pub(super) fn fitted(&self, cause: &Cause, step: Step) -> Option<Step> {
        let Step::Run(all) = step else {
            return Some(step);
        };
        let each = all.into_iter().map(|one| self.fit(cause, one));
        let all: Option<Vec<Vec<Invocation>>> = each.collect();
        Some(Step::Run(all?.concat()))
    }

    fn fit(&self, cause: &Cause, one: Invocation) -> Option<Vec<Invocation>> {
        let words = [one.verb.as_str().to_owned()];
        let words = words.into_iter().chain(one.words.iter().cloned());
        let one = match Command::of_words(words)? {
            Command::Settle(settle) if asks_nothing(&settle.asks) => {
                if let Some(Step::Run(again)) = self.mine(|s| s.settle_again(one.words.clone())) {
                    return Some(again);
                }
                asks::default_file().ok()?;
                self.completed(cause, one)
            }
            Command::Span(span) if asks_nothing(&span.asks) => match self.pins() {
                Some(pins) if !pins.question.is_empty() => {
                    Invocation::new(Verb::Span, pins.question.iter().cloned())
                }
                _ => {
                    asks::default_file().ok()?;
                    self.completed(cause, one)
                }
            },
            Command::Examine(examine) if examine.environment.is_none() => {
                let name = self.snapshot.iter().map(|s| s.name.clone());
                Invocation::new(one.verb, name.chain(one.words))
            }
            Command::Furnish(furnish) => match self.mine(|s| Some(s.furnish(furnish.tidy))) {
                Some(Step::Run(again)) if self.pins().is_some() => return Some(again),
                _ => with_files(one, &furnish.pins)?,
            },
            Command::Gather(gather) => match self.pins() {
                Some(pins) => {
                    let into = gather.into.display().to_string();
                    Invocation::new(Verb::Gather, [pins.shown.clone(), "--into".into(), into])
                }
                None => with_files(one, &gather.pins)?,
            },
            Command::Proofread(proofread) => with_files(one, &proofread.files)?,
            Command::Settle(_) | Command::Shortlist(_) | Command::Span(_) => {
                self.completed(cause, one)
            }
            Command::Survey(_)
            | Command::Reason(_)
            | Command::Examine(_)
            | Command::Rehearse(_)
            | Command::Diagnose(_)
            | Command::Assay(_)
            | Command::Locate(_)
            | Command::Stock(_)
            | Command::Depots(_)
            | Command::Within(_)
            | Command::Demo(_)
            | Command::Help(_)
            | Command::Completions(_)
            | Command::Manual(_) => one,
        };
        Some(vec![one])
    }

    fn mine<T>(&self, of: impl FnOnce(&Snapshot) -> Option<T>) -> Option<T> {
        self.snapshot.as_ref().and_then(of)
    }

    fn pins(&self) -> Option<&Pins> {
        self.snapshot.as_ref()?.pins.as_ref()
    }

    /// A command with the target and the depots of this one.
    pub(super) fn completed(&self, cause: &Cause, one: Invocation) -> Invocation {
        let there = self.elsewhere(cause).ok().flatten();
        let target = there.map_or_else(|| typed::target(&self.arguments.target), |s| s.typed);
        one.with(target).with(typed::depots(&self.arguments.depots))
    }
}

fn asks_nothing(asks: &AskOptions) -> bool {
    asks.requirements.is_empty() && asks.asks.is_empty()
}

/// A command about files that are all there.
fn with_files(one: Invocation, files: &[PathBuf]) -> Option<Invocation> {
    files.iter().all(|file| file.is_file()).then_some(one)
}
