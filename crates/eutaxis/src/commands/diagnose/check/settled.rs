//! What mends a cause, as a question that is solved, and the command that brings its answer there.

use std::collections::BTreeMap;

use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::Snapshot;
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::{Chronology, Policy, Wheels};
use eutaxis_core::remedy::{Invocation, Step, Verb};
use eutaxis_core::solve::{Chosen, Clash, Problem, Solution};
use eutaxis_core::{Ask, Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Outcome as End;

use super::{Checked, Checker, Spot, offers};
use crate::{placed, typed};

impl Checker<'_> {
    /// The question of these requirements on a target. In the environment that was named, together
    /// with everything else that is placed there: what mends one thing must not break another.
    pub(super) fn problem(
        &self,
        spot: &Spot,
        requirements: &[Requirement],
        policy: &Policy,
    ) -> Result<Problem, Error> {
        let ask = |r: &Requirement| Ask {
            requirement: r.clone(),
            origin: Origin::Argument,
        };
        let asks = requirements.iter().map(ask);
        let mut problem = match self.environment(spot) {
            Some(snapshot) if self.held(snapshot).asks_its_pins() => {
                let mut problem = self.held(snapshot).question_with(requirements)?;
                if policy.wheels == Wheels::Only {
                    problem.policy.wheels = Wheels::Only;
                }
                return Ok(problem);
            }
            Some(snapshot) => {
                let mut problem = self.held(snapshot).question()?;
                let named = |name: &Name| requirements.iter().any(|r| r.name == *name);
                problem.asks.retain(|a| !named(&a.requirement.name));
                problem.prior.retain(|name, _| !named(name));
                problem.asks.splice(0..0, asks);
                problem
            }
            None => Problem::new(spot.target.clone(), policy.clone(), asks.collect()),
        };
        problem.target.clone_from(&spot.target);
        problem.policy.clone_from(policy);
        problem
            .adjustments
            .clone_from(&self.surroundings.config.adjustments);
        Ok(problem)
    }

    /// These requirements on a target from wheels alone, which can be placed as they are; from
    /// source, too, where the options say so.
    pub(super) fn settled(
        &self,
        spot: &Spot,
        asks: &[Requirement],
    ) -> Result<Option<Solution>, Error> {
        let wheels = offers::wheels_only(&self.policy);
        let policy = match self.says_policy() {
            true => &self.policy,
            false => &wheels,
        };
        let problem = self.problem(spot, asks, policy)?;
        let Ok(solution) = self.solve(&problem)? else {
            return Ok(None);
        };
        if self.is_as_placed(spot, &solution) {
            return Ok(Some(solution));
        }
        let (mut problem, solution) = self.with_earlier(spot, asks, (problem, solution))?;
        // What an older release needs is of its time, unless something else is asked: what is pinned
        // of that was chosen for the newer one.
        let there = self.environment(spot).map(placed::releases);
        let needs: Vec<&Name> = there
            .iter()
            .flat_map(|t| needs_of_lowered(&solution, asks, t))
            .collect();
        if needs.is_empty() {
            return Ok(Some(solution));
        }
        needs.into_iter().for_each(|name| {
            problem.prior.remove(name);
        });
        problem.policy.chronology = Chronology::Heed;
        Ok(Some(self.solve(&problem)?.unwrap_or(solution)))
    }

    /// The same answer beside what the remedies of the causes before ask for, where both can be.
    pub(super) fn with_earlier(
        &self,
        spot: &Spot,
        asks: &[Requirement],
        (problem, solution): (Problem, Solution),
    ) -> Result<(Problem, Solution), Error> {
        let together = self.and_earlier(spot, asks);
        if together.len() == asks.len() {
            return Ok((problem, solution));
        }
        let both = self.problem(spot, &together, &problem.policy)?;
        Ok(match self.solve(&both)? {
            Ok(found) => (both, found),
            Err(_) => (problem, solution),
        })
    }

    /// These and what the remedies of the causes before ask for: where pins are asked anew, a
    /// command that does not say it takes that back.
    fn and_earlier(&self, spot: &Spot, asks: &[Requirement]) -> Vec<Requirement> {
        let asks_pins = |s: &Snapshot| self.held(s).asks_its_pins();
        if !self.environment(spot).is_some_and(asks_pins) {
            return asks.to_vec();
        }
        let before = self.asked_before.borrow();
        let is_other = |before: &&Requirement| !asks.iter().any(|ask| ask.name == before.name);
        let earlier = before.iter().filter(is_other);
        asks.iter().chain(earlier).cloned().collect()
    }

    /// The options say which releases are taken.
    pub(super) fn says_policy(&self) -> bool {
        !typed::policy(&self.arguments.policy).is_empty()
    }

    /// A solution is what is placed in the environment that was named: it mends nothing there.
    pub(super) fn is_as_placed(&self, spot: &Spot, solution: &Solution) -> bool {
        self.environment(spot).is_some_and(|snapshot| {
            let there = placed::releases(snapshot);
            let same = |c: &Chosen| there.get(&c.project).is_some_and(|v| **v == c.version);
            solution.chosen.iter().all(same)
        })
    }

    pub(super) fn solve(&self, problem: &Problem) -> Result<Result<Solution, Clash>, Error> {
        Ok(match self.run.solve(problem, &|_| ())? {
            End::Settled(solution) => Ok(solution),
            End::Clash(clash) => Err(clash),
        })
    }

    /// A remedy that was solved, with the command for it, and what else moves in the environment
    /// that was named.
    pub(super) fn solved(
        &self,
        checked: &mut Checked,
        text: impl Into<String>,
        asks: &[Requirement],
        spot: &Spot,
        solution: &Solution,
    ) {
        let mut text = text.into();
        let built = solution
            .chosen
            .iter()
            .filter(|c| !c.file.filename.ends_with(".whl"));
        let built: Vec<&str> = built.map(|c| c.project.as_str()).collect();
        if !built.is_empty() {
            text.push_str(&format!("; to be built from source: {}", built.join(", ")));
        }
        let Some(snapshot) = self.environment(spot) else {
            return checked.solved(text, self.settle(asks, spot));
        };
        let there = placed::releases(snapshot);
        if checked.asks.is_empty() {
            checked.asks = asks.to_vec();
        }
        let together = self.and_earlier(spot, asks);
        let keeps = |ask: &Requirement| {
            let chosen = solution.chosen.iter().find(|c| c.project == ask.name);
            chosen.is_none_or(|c| ask.versions().is_none_or(|v| v.matches(&c.version)))
        };
        let asks = match together.iter().all(keeps) {
            true => &together,
            false => asks,
        };
        let asked = |c: &&Chosen| asks.iter().any(|a| a.name == c.project);
        let moved =
            |c: &&Chosen| !asked(c) && there.get(&c.project).is_some_and(|v| **v != c.version);
        let mut all: Vec<&Chosen> = solution.chosen.iter().filter(asked).collect();
        let moves: Vec<&Chosen> = solution.chosen.iter().filter(moved).collect();
        if !moves.is_empty() {
            let told: Vec<String> = moves
                .iter()
                .map(|c| format!("{} {}", c.project, c.version))
                .collect();
            text.push_str(&format!(
                "; so that all that is placed holds, also {}",
                told.join(", ")
            ));
        }
        let lowered: Vec<&Name> = needs_of_lowered(solution, asks, &there).collect();
        let renewed = moves.iter().filter(|c| lowered.contains(&&c.project));
        let mut more: Vec<String> = renewed
            .flat_map(|c| ["--renew".to_owned(), c.project.to_string()])
            .collect();
        let asked = self.held(snapshot).question().ok();
        let heeds = asked.is_none_or(|p| p.policy.chronology == Chronology::Heed);
        if !lowered.is_empty() && !heeds {
            more.extend(["--chronology".to_owned(), "heed".to_owned()]);
        }
        if !moves.is_empty() && !self.says_policy() {
            // What could only be built is not looked through for what would move less.
            more.extend(["--wheels".to_owned(), "only".to_owned()]);
        }
        all.extend(moves);
        let mut command = self.held(snapshot).step(asks, &all, solution);
        if let Some(Step::Run(all)) = &mut command
            && self.held(snapshot).asks_its_pins()
        {
            let settles = all.iter_mut().filter(|one| one.verb == Verb::Settle);
            settles.for_each(|one| one.words.extend(more.iter().cloned()));
        }
        checked.solved(text, command.unwrap_or_else(|| self.settle(asks, spot)));
    }

    /// The same of a remedy of which the contents of files show that it mends, where they could be
    /// read.
    pub(super) fn shown_by_files(
        &self,
        checked: &mut Checked,
        (text, is_read): (String, bool),
        asks: &[Requirement],
        spot: &Spot,
        solution: &Solution,
    ) {
        self.solved(checked, text, asks, spot, solution);
        if let Some(remedy) = checked.remedies.last_mut().filter(|_| is_read) {
            remedy.evidence = Some(Evidence::Read);
        }
    }

    /// The command that settles requirements.
    pub(super) fn settle(&self, asks: &[Requirement], spot: &Spot) -> Step {
        Step::Run(vec![self.settle_into(placed::MEND, asks, spot, &[])])
    }

    /// The same, with the file in which the pins go.
    pub(super) fn settle_into(
        &self,
        file: &str,
        asks: &[Requirement],
        spot: &Spot,
        more: &[String],
    ) -> Invocation {
        Invocation::new(
            Verb::Settle,
            asks.iter().map(|a| a.short().replace(' ', "")),
        )
        .with(spot.typed.iter().cloned())
        .with(typed::policy(&self.arguments.policy))
        .with(more.iter().cloned())
        .with(typed::depots(&self.arguments.depots))
        .with(["--out", file])
    }
}

/// What those of the asked projects need that are older than what is placed of them.
fn needs_of_lowered<'s>(
    solution: &'s Solution,
    asks: &'s [Requirement],
    there: &'s BTreeMap<&Name, &Version>,
) -> impl Iterator<Item = &'s Name> {
    let lowered = solution.chosen.iter().filter(|c| {
        let is_asked = asks.iter().any(|a| a.name == c.project);
        is_asked && there.get(&c.project).is_some_and(|v| **v > c.version)
    });
    lowered.flat_map(|c| &c.needs)
}
