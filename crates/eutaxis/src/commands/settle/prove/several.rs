//! Proving sets for several targets: what one of them teaches is heeded for that one, and all are
//! settled anew together, so that they stay as equal as they can be.

use std::path::Path;

use eutaxis_core::offer::Adjustment;
use eutaxis_core::solve::{Joint, Problem, Solution};
use eutaxis_world::Error;

use super::{Candidate, Job, Proven, Set, in_a_line};
use crate::plan;
use crate::proof::failure::Failure;
use crate::proof::rounds::{Subject, prove};

/// What is asked for on each target.
struct Several<'a> {
    job: &'a Job<'a>,
    each: Vec<Candidate<'a, 'a>>,
}

impl Subject for Several<'_> {
    type Set = Vec<Set>;
    type Failure = (usize, Failure);
    type Lesson = (usize, Adjustment);
    type Error = Error;

    fn look(&mut self, sets: &Vec<Set>) -> Result<Vec<(usize, Failure)>, Error> {
        let mut all = Vec::new();
        for (place, (candidate, set)) in self.each.iter_mut().zip(sets).enumerate() {
            let failures = candidate.look(set)?;
            all.extend(failures.into_iter().map(|f| (place, f)));
        }
        Ok(all)
    }

    fn is_slight((_, failure): &(usize, Failure)) -> bool {
        failure.slight
    }

    fn go_back(&mut self, number: usize, sets: &Vec<Set>) -> Result<(), Error> {
        let mut each = self.each.iter_mut().zip(sets);
        each.try_for_each(|(candidate, set)| candidate.go_back(number, set))
    }

    fn learn(
        &mut self,
        number: usize,
        sets: &Vec<Set>,
        (place, failure): &(usize, Failure),
    ) -> Result<Option<(usize, Adjustment)>, Error> {
        let (Some(candidate), Some(set)) = (self.each.get_mut(*place), sets.get(*place)) else {
            return Ok(None);
        };
        let lesson = candidate.learn(number, set, failure)?;
        Ok(lesson.map(|lesson| (*place, lesson)))
    }

    fn next(
        &mut self,
        sets: &Vec<Set>,
        learnt: &[(usize, Adjustment)],
    ) -> Result<Result<Vec<Set>, String>, Error> {
        let mut problems: Vec<Problem> = sets.iter().map(|s| s.problem.clone()).collect();
        for (place, lesson) in learnt {
            if let Some(problem) = problems.get_mut(*place)
                && !problem.adjustments.contains(lesson)
            {
                problem.adjustments.push(lesson.clone());
            }
        }
        Ok(match self.job.run.joint(&problems, &|_| ())? {
            Joint::Settled(solutions) => Ok(sets_of(problems, solutions)),
            Joint::Clash(_, clash) => Err(in_a_line(&clash)),
            Joint::GaveUp(_) => Err("the search gave up".to_owned()),
        })
    }
}

fn sets_of(problems: Vec<Problem>, solutions: Vec<Solution>) -> Vec<Set> {
    let both = problems.into_iter().zip(solutions);
    both.map(|(problem, solution)| Set { problem, solution })
        .collect()
}

impl Job<'_> {
    /// Proves the solutions of several targets, or the next ones after what was learnt from them.
    pub(in crate::commands::settle) fn all_proven(
        &self,
        places: &[(&plan::Chosen, &Path)],
        problems: Vec<Problem>,
        solutions: Vec<Solution>,
    ) -> Result<Vec<Proven>, Error> {
        let each = places
            .iter()
            .map(|(chosen, out)| self.candidate(chosen, out));
        let mut several = Several {
            job: self,
            each: each.collect::<Result<_, Error>>()?,
        };
        let (sets, why) = prove(&mut several, sets_of(problems, solutions))?;
        let proven = several.each.into_iter().zip(sets).map(|(candidate, set)| {
            // Only what still fails does not hold.
            let fails = candidate
                .looked
                .as_ref()
                .is_some_and(|l| !l.failures.is_empty());
            candidate.proven(set, why.clone().filter(|_| fails))
        });
        Ok(proven.collect())
    }
}
