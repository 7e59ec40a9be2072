//! What of a set must be built from source: who may be asked while it is chosen, and what is foreseen
//! of the builds.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::offer::Policy;
use eutaxis_core::remedy::{Invocation, Step, Verb};
use eutaxis_core::solve::{Asker as Asked, Change, Way};
use eutaxis_core::source::foresee;
use eutaxis_world::Error;
use eutaxis_world::build::broken_off;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::Item;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::Run;

use super::Job;
use crate::answer::build::{Foreseen, permits};
use crate::answer::settle::{Pinned, Settled};
use crate::asks;
use crate::building::foresee::{Place, archive_of, is_permitted};
use crate::building::make::{Maker, Recipe, placed};
use crate::building::needs::Asker;
use crate::cli::Settle;
use crate::output::Output;
use crate::plan::{self, Surroundings};
use crate::words;

/// A run that may ask build systems, where one of the permits is given and the target is here.
pub(super) fn run(
    depots: &Arc<Depots>,
    (arguments, surroundings): (&Settle, &Surroundings),
    chosen: &plan::Chosen,
    policy: &Policy,
    output: &Output,
) -> Result<Run, Error> {
    let run = Run::new(Arc::clone(depots));
    let permits = !policy.build.is_empty()
        || !policy.rebuild.is_empty()
        || policy.build_light
        || policy.build_all;
    if !permits {
        return Ok(run);
    }
    let Ok(python) = plan::interpreter_here(&arguments.target, surroundings, chosen) else {
        return Ok(run);
    };
    let asker = Asker {
        surroundings: surroundings.clone(),
        depots: Arc::clone(depots),
        python,
        target: chosen.target.clone(),
        policy: policy.clone(),
        bounds: asks::build_bounds(&arguments.policy.permit)?,
        steps: output.steps(),
        stop: broken_off()?,
    };
    Ok(run.with_builds(Arc::new(asker)))
}

impl Job<'_> {
    /// What is foreseen of the builds of a set, for each project that is pinned as source.
    pub(super) fn foreseen(
        &self,
        settled: &Settled<'_>,
        chosen: &plan::Chosen,
    ) -> Result<Vec<Foreseen>, Error> {
        if settled.pins.iter().all(Pinned::is_wheel) {
            return Ok(Vec::new());
        }
        let python = plan::interpreter_here(&self.arguments.target, self.surroundings, chosen).ok();
        let policy = &settled.problem.policy;
        let bounds = asks::build_bounds(&self.arguments.policy.permit)?;
        let place = Place {
            surroundings: self.surroundings,
            depots: &self.depots,
            target: &chosen.target,
            python: python.as_ref(),
            policy,
            bounds: &bounds,
        };
        place.of_solution(settled.solution, settled.problem, &self.run)
    }
}

impl Job<'_> {
    /// For each way out that permits builds, what is foreseen of them.
    pub(super) fn of_ways(
        &self,
        ways: &[Way],
        chosen: &plan::Chosen,
    ) -> Result<Vec<Vec<Foreseen>>, Error> {
        let options = &self.arguments.target;
        let python = plan::interpreter_here(options, self.surroundings, chosen).ok();
        let bounds = asks::build_bounds(&self.arguments.policy.permit)?;
        let one = |way: &Way| {
            let permits = way.changes.iter().any(|c| matches!(c, Change::Build(_)));
            let [environment] = way.environments.as_slice() else {
                return Ok(Vec::new());
            };
            if !permits {
                return Ok(Vec::new());
            }
            let problem = &environment.problem;
            let place = Place {
                surroundings: self.surroundings,
                depots: &self.depots,
                target: &problem.target,
                python: python.as_ref(),
                policy: &problem.policy,
                bounds: &bounds,
            };
            place.of_solution(&environment.solution, problem, &self.run)
        };
        ways.iter().map(one).collect()
    }

    /// What furnishes the pins and permits the builds that nothing permits yet; none where the
    /// target is another machine.
    pub(super) fn permit(
        &self,
        builds: &[Foreseen],
        chosen: &plan::Chosen,
        out: &Path,
    ) -> Option<String> {
        let mut words = permits(builds);
        if words.is_empty() || !chosen.here {
            return None;
        }
        words.insert(0, words::near(out));
        let named = self.arguments.target.interpreter.clone();
        let taken = self.taken.as_ref().map(|t| t.path.clone());
        if let Some(python) = named.or(taken) {
            words.extend(["--interpreter".to_owned(), python]);
        }
        let furnish = Invocation::new(Verb::Furnish, words);
        Some(words::steps::typed(&Step::Run(vec![furnish])))
    }
}

impl Job<'_> {
    /// The wheels of what a set pins as source, built where that is permitted; else why there are
    /// none, in words.
    pub(super) fn built(
        &self,
        settled: &Settled<'_>,
        python: &Found,
    ) -> Result<Result<Vec<Item>, String>, Error> {
        let policy = &settled.problem.policy;
        let bounds = asks::build_bounds(&self.arguments.policy.permit)?;
        let (steps, stop) = (self.output.steps(), broken_off()?);
        let maker = Maker {
            recipe: Recipe {
                surroundings: self.surroundings,
                python,
                target: &settled.problem.target,
                policy,
                bounds: &bounds,
                depots: &self.depots,
            },
            steps: &steps,
            stop: &stop,
        };
        let mut items = Vec::new();
        for pin in settled.pins.iter().filter(|p| !p.is_wheel()) {
            let archive = archive_of(
                &pin.chosen.project,
                &pin.chosen.file,
                &self.run,
                &self.surroundings.cache,
            )?;
            let is_light = foresee(&archive.digest(self.depots.network())?).is_light;
            let (name, version) = (&archive.project, &archive.version);
            if !is_permitted(policy, name, is_light) && !maker.recipe.is_built(&archive)? {
                let why = format!("{name} would have to be built, which --build {name} permits");
                return Ok(Err(why));
            }
            let built = match maker.wheel(&archive, false)? {
                Ok(built) => built,
                Err(failed) => {
                    let root = failed.causes.first().map(|c| c.title.clone());
                    let why = root.unwrap_or(failed.why);
                    return Ok(Err(format!("{name} {version} could not be built: {why}")));
                }
            };
            let requested = pin
                .chosen
                .asked_by
                .iter()
                .any(|a| matches!(a, Asked::Ask(_)));
            items.push(placed(&archive, built, requested)?);
        }
        Ok(Ok(items))
    }
}
