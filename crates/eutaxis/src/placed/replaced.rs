//! Asks that take the place of those of the pins: what is asked now and cannot be together with what
//! was.

use eutaxis_core::fault::Origin;
use eutaxis_core::remedy::Step;
use eutaxis_core::solve::{Change, Problem, Way};
use eutaxis_core::{Ask, Requirement};
use eutaxis_world::Error;
use eutaxis_world::supply::Outcome as End;

use super::Held;
use crate::plan;

/// The asks of a question that say something else of the same project than these.
fn replaced<'p>(problem: &'p Problem, asks: &[Requirement]) -> Vec<&'p Ask> {
    let says_else = |ask: &&Ask| {
        let same = |r: &&Requirement| r.name == ask.requirement.name;
        let now = asks.iter().find(same);
        now.is_some_and(|r| r.versions().is_some() && *r != ask.requirement)
    };
    let bounds = |ask: &&Ask| ask.requirement.versions().is_some();
    problem
        .asks
        .iter()
        .filter(bounds)
        .filter(says_else)
        .collect()
}

/// The question with something more asked.
fn with(question: &Problem, asks: &[Requirement]) -> Problem {
    let mut problem = question.clone();
    let new = asks.iter().map(|requirement| Ask {
        requirement: requirement.clone(),
        origin: Origin::Argument,
    });
    problem.asks.extend(new);
    problem
}

impl Held<'_> {
    /// The question with something more asked; what its own asks say of the same projects gives way
    /// where both cannot be had.
    pub(crate) fn question_with(&self, asks: &[Requirement]) -> Result<Problem, Error> {
        let question = self.question()?;
        let both = with(&question, asks);
        if matches!(self.run.solve(&both, &|_| ())?, End::Settled(_)) {
            return Ok(both);
        }
        let gone: Vec<Ask> = replaced(&question, asks).into_iter().cloned().collect();
        let mut instead = both;
        instead.asks.retain(|a| !gone.contains(a));
        Ok(instead)
    }

    /// The command that asks the pins' question with these in the place of its own: what was typed
    /// is left out, a line of a list is changed. None where that cannot be said in a command.
    pub(super) fn instead(&self, asks: &[Requirement]) -> Option<Step> {
        let question = self.question().ok()?;
        let asked = self.question_with(asks).ok()?.asks;
        let more: Vec<String> = asks.iter().map(|r| r.short().replace(' ', "")).collect();
        let gone: Vec<&Ask> = question
            .asks
            .iter()
            .filter(|a| !asked.contains(a))
            .collect();
        if gone.iter().all(|a| a.origin == Origin::Argument) {
            let words: Vec<String> = gone.iter().map(|a| a.requirement.to_string()).collect();
            return self.snapshot.settle_instead(&words, more);
        }
        let letter = self.way_that_changes(&with(&question, asks), &gone)?;
        let take = ["--take".to_owned(), letter];
        self.snapshot.settle_again(more.into_iter().chain(take))
    }

    /// The letter of the way out that changes nothing but some lines.
    fn way_that_changes(&self, problem: &Problem, lines: &[&Ask]) -> Option<String> {
        let End::Clash(clash) = self.run.solve(problem, &|_| ()).ok()? else {
            return None;
        };
        let others = plan::alternatives_of(&clash, &problem.target, true, self.surroundings);
        let ways = self.run.ways_out(problem, &clash, &others, &|_| ()).ok()?;
        let changes = |way: &Way| {
            way.changes.iter().all(|change| {
                matches!(change, Change::Ask(old, _) | Change::DropAsk(old) if lines.contains(&old))
            })
        };
        let place = ways.found.iter().position(changes)?;
        let letter = b'a'.checked_add(u8::try_from(place).ok()?)?;
        letter
            .is_ascii_lowercase()
            .then(|| char::from(letter).to_string())
    }
}
