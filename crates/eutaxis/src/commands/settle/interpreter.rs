//! The interpreter as part of the question: where none is named, and no environment is active, the
//! first one of this machine that the project file and the asks allow.

use eutaxis_core::knowledge::{self, Lacking};
use eutaxis_core::offer::BarKind;
use eutaxis_core::pins::Lock;
use eutaxis_core::record;
use eutaxis_core::solve::{Clash, FactKind, Problem, Solution};
use eutaxis_core::version::Version;
use eutaxis_world::Error;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::{Outcome as End, Read};

use super::Job;
use crate::answer::proof::Proof;
use crate::answer::settle::Taken;
use crate::asks::Asks;
use crate::cli::Settle;
use crate::plan::{Chosen, Surroundings};
use crate::words;

impl Taken {
    fn of(found: &Found, because: String) -> Self {
        Taken {
            path: words::near(&found.path),
            version: found.facts.version.clone(),
            because,
        }
    }
}

/// Whether the interpreter is left open.
pub(super) fn is_open(arguments: &Settle, chosen: &Chosen, surroundings: &Surroundings) -> bool {
    let entered = surroundings
        .finder()
        .active
        .is_some_and(|root| root.is_dir());
    chosen.here && arguments.target.interpreter.is_none() && arguments.take.is_none() && !entered
}

/// The other interpreters of this machine, in the order in which they are found, each version once.
fn others(chosen: &Chosen, surroundings: &Surroundings) -> Vec<Found> {
    let (all, _) = surroundings.finder().all(&surroundings.probes());
    let mut versions = vec![chosen.target.interpreter.version.to_string()];
    let mut fresh = |f: &Found| {
        let new = !versions.contains(&f.facts.version);
        versions.push(f.facts.version.clone());
        new
    };
    all.into_iter().filter(|f| fresh(f)).collect()
}

fn as_chosen(found: &Found, surroundings: &Surroundings) -> Result<Chosen, Error> {
    Ok(Chosen {
        target: surroundings.target_of(&found.facts)?,
        shown: format!("this machine ({})", found.path.display()),
        name: "here".to_owned(),
        here: true,
    })
}

/// The other interpreters of this machine whose own library has what a proof found lacking, the
/// newest first; so many at most.
pub(super) fn that_have(proof: &Proof, chosen: &Chosen, surroundings: &Surroundings) -> Vec<Found> {
    const MOST: usize = 3;
    let lacking: Vec<Lacking> = proof.rounds.iter().filter_map(|r| r.lacking).collect();
    if lacking.is_empty() {
        return Vec::new();
    }
    let series = |found: &Found| found.facts.interpreter().ok().map(|i| i.series());
    let has = |found: &Found| {
        series(found).is_some_and(|series| {
            lacking.iter().all(|l| match l {
                Lacking::Gone(since) => series < *since && series.0 == since.0,
                Lacking::Later(since) => series >= *since,
            })
        })
    };
    let mut all: Vec<Found> = others(chosen, surroundings);
    all.retain(|f| has(f) && !f.facts.in_environment());
    all.sort_by_key(|f| std::cmp::Reverse(series(f)));
    all.truncate(MOST);
    all
}

/// When the series of an interpreter began, if it is known.
fn began(chosen: &Chosen) -> Option<jiff::Timestamp> {
    let (major, minor) = chosen.target.interpreter.series();
    knowledge::series_began(&format!("{major}.{minor}"))
}

/// The first interpreter that `requires-python` of the project file allows, when the one that comes
/// first is not.
pub(super) fn that_python_allows(
    asks: &Asks,
    chosen: &Chosen,
    surroundings: &Surroundings,
) -> Result<Option<(Chosen, Taken)>, Error> {
    let Some((set, origin)) = &asks.requires_python else {
        return Ok(None);
    };
    if set.matches(&chosen.target.interpreter.version) {
        return Ok(None);
    }
    for found in others(chosen, surroundings) {
        let other = as_chosen(&found, surroundings)?;
        if set.matches(&other.target.interpreter.version) {
            let because = format!(
                "{origin} says requires-python {set}, and {} comes first here",
                chosen.target.interpreter.version
            );
            return Ok(Some((other, Taken::of(&found, because))));
        }
    }
    Ok(None)
}

/// Another interpreter with what was settled for it.
pub(super) struct Another {
    pub(super) chosen: Chosen,
    pub(super) problem: Problem,
    pub(super) solution: Solution,
    pub(super) taken: Taken,
}

impl Another {
    fn is_younger(&self) -> bool {
        self.solution.is_of_before(began(&self.chosen))
    }
}

impl Job<'_> {
    /// A solution under the first other interpreter of this machine that has one, when the clash is
    /// about the interpreter. One of the time of what is asked for comes before one that is
    /// younger.
    pub(super) fn under_another(
        &self,
        clash: &Clash,
        chosen: &Chosen,
        problem: &Problem,
    ) -> Result<Option<Another>, Error> {
        let barred = clash
            .facts
            .iter()
            .find(|f| f.kind == FactKind::Bar(BarKind::Interpreter));
        let Some(fact) = barred.filter(|_| is_open(self.arguments, chosen, self.surroundings))
        else {
            return Ok(None);
        };
        let because = format!(
            "under {}, which comes first here, {}",
            chosen.target.interpreter.version, fact.text
        );
        let mut younger = None;
        for found in others(chosen, self.surroundings) {
            match self.under(&found, problem, &because)? {
                Some(another) if !another.is_younger() => return Ok(Some(another)),
                another => younger = younger.or(another),
            }
        }
        Ok(younger)
    }

    /// The newest other interpreter of the time of the held asks, when the one that comes first is
    /// younger (docs/choice.md, dates). Pins that are there for the first keep it; one for which
    /// more has to be built is no better.
    pub(super) fn of_its_time(
        &self,
        solution: &Solution,
        chosen: &Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Option<Another>, Error> {
        let first = &chosen.target.interpreter;
        let began = began(chosen).filter(|_| is_open(self.arguments, chosen, self.surroundings));
        let (Some(began), Some(time)) = (
            began.filter(|b| solution.is_of_before(Some(*b))),
            &solution.of_time,
        ) else {
            return Ok(None);
        };
        let recorded =
            old.and_then(|lock| record::target_of(lock, &self.surroundings.config.families));
        if recorded.is_some_and(|target| target.interpreter.series() == first.series()) {
            return Ok(None);
        }
        let because = format!(
            "{}, which comes first here, is of a series that began in {}, after the time of {}",
            first.version,
            words::chronology::month(began),
            words::chronology::asked(solution, time)
        );
        let mut older = others(chosen, self.surroundings);
        older.sort_by_cached_key(|found| {
            std::cmp::Reverse(Version::parse(&found.facts.version).ok())
        });
        for found in older {
            if let Some(another) = self.under(&found, problem, &because)?
                && !another.is_younger()
                && another.solution.built() <= solution.built()
            {
                return Ok(Some(another));
            }
        }
        Ok(None)
    }

    /// What is settled under an interpreter, if it can be.
    pub(super) fn under(
        &self,
        found: &Found,
        problem: &Problem,
        because: &str,
    ) -> Result<Option<Another>, Error> {
        let chosen = as_chosen(found, self.surroundings)?;
        if super::ensure_python(&self.asks, &chosen.target).is_err() {
            return Ok(None);
        }
        let problem = Problem {
            target: chosen.target.clone(),
            ..problem.clone()
        };
        let bar = self.bar.clone();
        let progress = |read: Read| bar.set_position((read.pages + read.metadata) as u64);
        let End::Settled(solution) = self.run.solve(&problem, &progress)? else {
            return Ok(None);
        };
        Ok(Some(Another {
            chosen,
            problem,
            solution,
            taken: Taken::of(found, because.to_owned()),
        }))
    }
}
