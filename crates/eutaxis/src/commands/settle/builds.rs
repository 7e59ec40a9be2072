//! What of a set must be built from source: who may be asked while it is chosen, and what is foreseen
//! of the builds.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::Version;
use eutaxis_core::artifact::WheelName;
use eutaxis_core::index::Hashes;
use eutaxis_core::offer::{Policy, Verdict};
use eutaxis_core::remedy::{Invocation, Step, Verb};
use eutaxis_core::requirement::Requirement;
use eutaxis_core::solve::Asker as Asked;
use eutaxis_core::source::foresee;
use eutaxis_world::build::broken_off;
use eutaxis_world::depot::Depots;
use eutaxis_world::depot::Place as FilePlace;
use eutaxis_world::environment::{Item, WheelAt};
use eutaxis_world::interpreter::Found;
use eutaxis_world::source::digest;
use eutaxis_world::supply::{Depth, Run};
use eutaxis_world::{Error, ErrorKind};
use rayon::prelude::*;

use super::Job;
use crate::answer::build::{Built, Foreseen, permits};
use crate::answer::settle::{Pinned, Settled};
use crate::building::foresee::{Place, is_permitted};
use crate::building::make::{Archive, Maker};
use crate::building::needs::Asker;
use crate::cli::{BuildOptions, Settle};
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
        bounds: bounds(&arguments.policy.permit)?,
        steps: output.steps(),
        stop: broken_off()?,
    };
    Ok(run.with_builds(Arc::new(asker)))
}

fn bounds(options: &BuildOptions) -> Result<Vec<eutaxis_core::Ask>, Error> {
    plan::build_bounds(options)
}

impl Job<'_> {
    /// What is foreseen of the builds of a set, for each project that is pinned as source.
    pub(super) fn foreseen(
        &self,
        settled: &Settled<'_>,
        chosen: &plan::Chosen,
    ) -> Result<Vec<Foreseen>, Error> {
        let sources: Vec<&Pinned<'_>> = settled.pins.iter().filter(|p| !p.is_wheel()).collect();
        if sources.is_empty() {
            return Ok(Vec::new());
        }
        let python = plan::interpreter_here(&self.arguments.target, self.surroundings, chosen).ok();
        let policy = &settled.problem.policy;
        let bounds = bounds(&self.arguments.policy.permit)?;
        let place = Place {
            surroundings: self.surroundings,
            depots: &self.depots,
            target: &chosen.target,
            python: python.as_ref(),
            policy,
            bounds: &bounds,
        };
        let steps = self.output.steps();
        let stop = std::sync::atomic::AtomicBool::new(false);
        let maker = python.as_ref().map(|python| Maker {
            surroundings: self.surroundings,
            depots: &self.depots,
            steps: &steps,
            python,
            target: &chosen.target,
            policy,
            bounds: &bounds,
            stop: &stop,
        });
        let run = &self.run;
        let one = |pin: &&Pinned<'_>| -> Result<Foreseen, Error> {
            let too_large = place
                .too_large(pin.size)
                .filter(|_| matches!(pin.place, FilePlace::Url(_)));
            if let Some(bytes) = too_large {
                let mut one = place.unlooked(&pin.chosen.project, &pin.chosen.version, bytes);
                one.with_wheel = with_wheel(pin, settled, run);
                return Ok(one);
            }
            let archive = archive(pin, run)?;
            let mut one = place.foresee(&archive, with_wheel(pin, settled, run))?;
            one.is_built = match &maker {
                Some(maker) => maker.is_built(&archive)?,
                None => false,
            };
            Ok(one)
        };
        sources.par_iter().map(one).collect()
    }
}

impl Job<'_> {
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
        let bounds = bounds(&self.arguments.policy.permit)?;
        let (steps, stop) = (self.output.steps(), broken_off()?);
        let maker = Maker {
            surroundings: self.surroundings,
            depots: &self.depots,
            steps: &steps,
            python,
            target: &settled.problem.target,
            policy,
            bounds: &bounds,
            stop: &stop,
        };
        let mut items = Vec::new();
        for pin in settled.pins.iter().filter(|p| !p.is_wheel()) {
            let archive = archive(pin, &self.run)?;
            let is_light = foresee(&digest(&archive.path)?).is_light;
            let (name, version) = (&archive.project, &archive.version);
            if !is_permitted(policy, name, is_light) && !maker.is_built(&archive)? {
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

/// A wheel that was built, as what is to be placed.
fn placed(archive: &Archive, built: Built, requested: bool) -> Result<Item, Error> {
    let wheel_name = WheelName::parse(&built.record.wheel)
        .map_err(|f| Error::fault(ErrorKind::Contents, "a wheel that was built", &f))?;
    let mut hashes = Hashes::default();
    hashes.add("sha256", &built.record.sha256);
    Ok(Item {
        name: archive.project.clone(),
        version: archive.version.to_string(),
        size: std::fs::metadata(&built.wheel).ok().map(|m| m.len()),
        wheel: WheelAt::Disk(built.wheel),
        filename: built.record.wheel,
        wheel_name,
        sha256: built.record.sha256,
        hashes,
        said: None,
        requested,
        direct_url: None,
    })
}

/// The archive of a pin, on this disk.
pub(super) fn archive(pin: &Pinned<'_>, run: &Run) -> Result<Archive, Error> {
    let chosen = pin.chosen;
    let path = match &pin.place {
        FilePlace::Disk(path) => path.clone(),
        FilePlace::Url(_) => run.obtain(&chosen.project, &chosen.file)?,
    };
    Ok(Archive {
        project: chosen.project.clone(),
        version: chosen.version.clone(),
        path,
        sha256: pin.sha256.clone(),
        published: chosen.file.published,
    })
}

/// The newest release of a pin's project that has a wheel for the place.
fn with_wheel(pin: &Pinned<'_>, settled: &Settled<'_>, run: &Run) -> Option<Version> {
    let requirement = Requirement::parse(pin.chosen.project.as_str()).ok()?;
    let looked = run.look(&[requirement], &settled.problem.rules(), Depth::Gaps);
    let looked = looked.ok()?.into_iter().next()??;
    let mut offers = looked.judged.offers().iter();
    let ready = offers
        .find(|o| o.verdict == Verdict::Ready && !o.version.is_prerelease() && o.yanked.is_none());
    ready.map(|o| o.version.clone())
}
