//! `rehearse`: what would move if this were added to that environment or those pins?
//!
//! Placing something by itself looks at nothing but its own needs, keeps what is there where that
//! holds, and moves what it must: that is what is told first, with what it breaks among the rest.
//! Then what moves least, with everything heeded.

mod outdated;
mod read;

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::offer::{Adjustment, Chronology, Policy, Rules, Verdict};
use eutaxis_core::pins::Lock;
use eutaxis_core::record;
use eutaxis_core::rehearse::{
    Move, MoveKind, Placed, Set, after, base_needs, breaks, moves, moves_to,
};
use eutaxis_core::requirement::Requirement;
use eutaxis_core::solve::{Clash, Problem, Solution};
use eutaxis_core::{Ask, Name, Target, Version};
use eutaxis_world::config::Config;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{Layout, Place, installed, look};
use eutaxis_world::interpreter::{Found, environment_around, environment_python};
use eutaxis_world::supply::{Outcome as End, Run};
use eutaxis_world::{Error, Errors};

use crate::answer::build::Foreseen;
use crate::answer::clash::Refusal;
use crate::answer::rehearse::{Alternative, Play, Step, Told};
use crate::asks;
use crate::cli::{Common, Rehearse};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::words;
use crate::{building, pins, render, report};
use read::Reader;

/// What is there.
struct Base {
    /// For people.
    shown: String,
    set: Set,
    target: Target,
    /// What the whole is asked for, with its bounds: of an environment what was placed
    /// deliberately.
    asks: Vec<Ask>,
    bounds: Vec<Ask>,
    policy: Policy,
    adjustments: Vec<Adjustment>,
}

struct Rehearsal<'a> {
    base: Base,
    /// What somebody does about dates who places something and looks at nothing else.
    naive: Chronology,
    run: Run,
    surroundings: &'a Surroundings,
    /// The contents are to be read.
    prove: bool,
    depots: Arc<Depots>,
}

pub(crate) fn run(
    arguments: &Rehearse,
    common: &Common,
    output: &Output,
) -> Result<Answer, Errors> {
    let surroundings = Surroundings::new(common)?;
    let first = requirements(&arguments.requirements)?;
    let mut steps = vec![first];
    for text in &arguments.then {
        steps.push(requirements(std::slice::from_ref(text))?);
    }
    let depots = plan::depots(&arguments.depots, &surroundings, false)?;
    steps.iter_mut().for_each(|s| {
        asks::keep_secrets(s.iter_mut().map(|a| &mut a.requirement), depots.network())
    });
    let run = Run::new(Arc::clone(&depots));
    let base = base(arguments, &surroundings, &run, output)?;
    let said = arguments.policy.says_chronology();
    let naive = if said {
        base.policy.chronology
    } else {
        Chronology::Caution
    };
    let mut rehearsal = Rehearsal {
        base,
        naive,
        run,
        surroundings: &surroundings,
        prove: arguments.prove,
        depots: Arc::clone(&depots),
    };
    let bar = output.progress();
    bar.set_message("rehearsing");
    let is_bare = arguments.requirements.is_empty() && arguments.then.is_empty();
    let answer = if is_bare {
        let pins = match (&arguments.environment, &arguments.pins) {
            (None, Some(file)) => Some(words::near(file)),
            (None, None) => Some("pylock.toml".to_owned()).filter(|p| Path::new(p).exists()),
            (Some(_), _) => None,
        };
        rehearsal.outdated(pins.as_deref())
    } else {
        rehearsal.play(&steps)
    };
    bar.finish_and_clear();
    output.report_network(depots.network());
    Ok(answer?)
}

fn requirements(texts: &[String]) -> Result<Vec<Ask>, Errors> {
    let read = |text: &String| match Requirement::parse(text) {
        Ok(requirement) => Ok(Ask {
            requirement,
            origin: Origin::Argument,
        }),
        Err(fault) => Err(Error::in_file("command line", text, &fault).into()),
    };
    texts.iter().map(read).collect()
}

/// What is there: the environment or the pins that are named, else those of this folder.
fn base(
    arguments: &Rehearse,
    surroundings: &Surroundings,
    run: &Run,
    output: &Output,
) -> Result<Base, Error> {
    let policy = |stated: &Config| plan::policy(&arguments.policy, stated);
    if let Some(root) = &arguments.environment {
        return of_environment(root, policy(&surroundings.config)?, surroundings);
    }
    let default = Path::new("pylock.toml");
    let named = arguments.target.as_deref();
    let lock = |file: &Path| pins::read_share(file, named, surroundings, output);
    match &arguments.pins {
        Some(file) => of_pins(file, &lock(file)?, &policy, surroundings, run),
        None if default.exists() => of_pins(default, &lock(default)?, &policy, surroundings, run),
        None if Path::new(".venv").is_dir() => of_environment(
            Path::new(".venv"),
            policy(&surroundings.config)?,
            surroundings,
        ),
        None => {
            let error = Error::request(
                "there is nothing to add to: no pylock.toml and no .venv in this folder",
            );
            Err(error.help("name pins with --pins FILE, or an environment with --in ENV"))
        }
    }
}

fn of_pins(
    file: &Path,
    lock: &Lock,
    policy: &dyn Fn(&Config) -> Result<Policy, Error>,
    surroundings: &Surroundings,
    run: &Run,
) -> Result<Base, Error> {
    let families = &surroundings.config.families;
    // What the pins were settled under counts, with the options over it.
    let mut stated = surroundings.config.clone();
    if record::target_of(lock, families).is_some() {
        stated.policy = record::policy_of(lock);
    }
    let mut policy = policy(&stated)?;
    let own = pins::know_trees(lock, run.depots());
    policy.build.extend(own.keys().cloned());
    let target = match record::target_of(lock, families) {
        Some(target) => target,
        None => plan::target(&crate::cli::TargetOptions::default(), surroundings)?.target,
    };
    let mut set = Set::new();
    let asks = record::asks_of(lock);
    // Who asks for what was recorded with our pins; of others the metadata of the pinned file says
    // it.
    let mut recorded: BTreeMap<String, Vec<Requirement>> = BTreeMap::new();
    for (by, requirement) in lock.packages.iter().flat_map(record::asked_as) {
        recorded
            .entry(by)
            .or_default()
            .extend(Requirement::parse_lenient(&requirement).ok());
    }
    for package in &lock.packages {
        let pinned = package.version.as_deref();
        let pinned = pinned.and_then(|v| Version::parse(v).ok());
        let Some(version) = pinned.or_else(|| own.get(&package.name).cloned()) else {
            continue;
        };
        let file = package
            .files()
            .find_map(eutaxis_core::pins::LockFile::filename);
        let needs = match (asks.is_empty(), &file) {
            (true, Some(file)) => run
                .metadata(&package.name, file)?
                .map_or(Vec::new(), |m| base_needs(&m.requires, &target.markers)),
            _ => recorded.remove(package.name.as_str()).unwrap_or_default(),
        };
        let deliberate = record::is_asked(package);
        set.insert(
            package.name.clone(),
            Placed {
                version,
                file,
                deliberate,
                needs,
            },
        );
    }
    let mut adjustments = record::adjustments_of(lock, families);
    if adjustments.is_empty() {
        adjustments.clone_from(&surroundings.config.adjustments);
    }
    Ok(Base {
        shown: words::near(file),
        bounds: record::bounds_of(lock),
        set,
        target,
        asks,
        policy,
        adjustments,
    })
}

fn of_environment(root: &Path, policy: Policy, surroundings: &Surroundings) -> Result<Base, Error> {
    // An interpreter stands for its environment.
    let above = environment_around(root).filter(|_| root.is_file());
    let root = above.unwrap_or_else(|| root.to_owned());
    if !matches!(look(&root)?, Place::Environment { .. }) {
        let error = Error::request(format!(
            "{} is no environment: it has no pyvenv.cfg",
            root.display()
        ));
        return Err(error.help("name the folder of an environment, or pins with --pins FILE"));
    }
    let python = environment_python(&root);
    let found = surroundings
        .finder()
        .named(&python.display().to_string(), &surroundings.probes())?;
    let target = surroundings.target_of(&found.facts)?;
    let site = root.join(Layout::of(&found.facts)?.site);
    let mut set = Set::new();
    for project in installed(&site)? {
        let Ok(version) = Version::parse(&project.version) else {
            continue;
        };
        let needs = project
            .metadata
            .as_ref()
            .map_or(Vec::new(), |m| base_needs(&m.requires, &target.markers));
        let placed = Placed {
            version,
            file: project.file,
            deliberate: project.requested,
            needs,
        };
        set.insert(project.name, placed);
    }
    // What nobody needs was surely placed by itself, whoever placed it and whatever was noted.
    let needed: Vec<Name> = set
        .values()
        .flat_map(|p| p.needs.iter().map(|n| n.name.clone()))
        .collect();
    set.iter_mut()
        .filter(|(name, _)| !needed.contains(name))
        .for_each(|(_, placed)| placed.deliberate = true);
    let asks = set
        .iter()
        .filter(|(_, p)| p.deliberate)
        .map(|(name, _)| bare(name))
        .collect();
    Ok(Base {
        shown: words::near(&root),
        set,
        target,
        asks,
        bounds: Vec::new(),
        policy,
        adjustments: surroundings.config.adjustments.clone(),
    })
}

fn bare(name: &Name) -> Ask {
    Ask {
        requirement: Requirement::any(name),
        origin: Origin::Argument,
    }
}

impl Rehearsal<'_> {
    fn problem(&self, set: &Set, asks: Vec<Ask>) -> Problem {
        let mut problem = Problem::new(self.base.target.clone(), self.base.policy.clone(), asks);
        problem.adjustments.clone_from(&self.base.adjustments);
        problem.prior = set
            .iter()
            .map(|(name, placed)| (name.clone(), placed.version.clone()))
            .collect();
        problem
    }

    /// A step as one takes it who places something and looks at nothing else: what is added gets
    /// the best that it can have, and of the rest what it needs moves.
    fn step(&self, set: &Set, asks: Vec<Ask>) -> Problem {
        let mut problem = self.problem(set, asks);
        problem.policy.chronology = self.naive;
        problem.nearest = std::mem::take(&mut problem.prior)
            .into_iter()
            .map(|(name, v)| (name, vec![v]))
            .collect();
        problem
    }

    fn solve(&mut self, problem: &Problem) -> Result<Result<Solution, Clash>, Error> {
        Ok(match self.run.solve(problem, &|_| ())? {
            End::Settled(solution) => Ok(solution),
            End::Clash(clash) => Err(clash),
        })
    }

    fn play(&mut self, asked: &[Vec<Ask>]) -> Result<Answer, Error> {
        let mut set = self.base.set.clone();
        let mut steps: Vec<Step> = Vec::new();
        for asks in asked {
            let problem = self.step(&set, asks.clone());
            let solution = match self.solve(&problem)? {
                Ok(solution) => solution,
                Err(clash) => return self.refused(&clash, &problem, steps),
            };
            let names: Vec<Name> = asks.iter().map(|a| a.requirement.name.clone()).collect();
            let next = after(&set, &solution, &names);
            let moved = moves(&set, &problem, &solution);
            let told = self.told(moved, &solution);
            let words = asks
                .iter()
                .map(|a| a.requirement.short())
                .collect::<Vec<_>>()
                .join(", ");
            let cautions = words::releases::cautions(&solution.cautions, &problem, false);
            let mut builds = self.foreseen(&solution, &problem)?;
            builds.retain(|b| told.iter().any(|t| t.moved.project == b.project));
            steps.push(Step {
                builds,
                words,
                moves: told,
                breaks: breaks(&set, &next),
                cautions,
                set: next.clone(),
            });
            set = next;
        }
        let all: Vec<Ask> = asked.iter().flatten().cloned().collect();
        let joint = if asked.len() > 1 {
            self.joint(&all)?
        } else {
            None
        };
        let alternative = self.alternative(&all, &steps)?;
        // What was told already is not told again.
        let alternative =
            alternative.filter(|a| joint.as_ref().is_none_or(|j| j.releases != a.releases));
        let reader = Reader {
            run: &self.run,
            network: self.depots.network(),
            surroundings: self.surroundings,
            target: &self.base.target,
        };
        let gaps = match steps.last().filter(|_| self.prove) {
            Some(last) => Some(reader.new_gaps(&self.base.set, &last.set)?),
            None => None,
        };
        let play = Play {
            gaps,
            shown: self.base.shown.clone(),
            before: self.base.set.clone(),
            steps,
            joint,
            alternative,
        };
        let outcome = if play.breaks_nothing() {
            Outcome::Ok
        } else {
            Outcome::No
        };
        let played = report::PlayedOut::new(&play, self.base.target.to_string());
        Ok(Answer {
            outcome,
            text: render::rehearse::text(&play),
            report: report::Rehearse::Played(Box::new(played)).into(),
        })
    }

    /// What is foreseen of the builds that a solution takes. What is here is told when an
    /// interpreter of this machine is the one of the place.
    fn foreseen(&self, solution: &Solution, problem: &Problem) -> Result<Vec<Foreseen>, Error> {
        if solution.chosen.iter().all(|c| c.verdict == Verdict::Ready) {
            return Ok(Vec::new());
        }
        let (all, _) = self.surroundings.finder().all(&self.surroundings.probes());
        let wanted = self.base.target.to_string();
        let is_it = |found: &Found| {
            let own = self.surroundings.target_of(&found.facts);
            own.is_ok_and(|t| t.to_string() == wanted)
        };
        let python = all.into_iter().find(is_it);
        let place = building::foresee::Place {
            surroundings: self.surroundings,
            depots: &self.depots,
            target: &self.base.target,
            python: python.as_ref(),
            policy: &self.base.policy,
            bounds: &[],
        };
        place.of_solution(solution, problem, &self.run)
    }

    /// Everything at once: what was asked for before, and all that is to be added.
    fn joint(&mut self, new: &[Ask]) -> Result<Option<Alternative>, Error> {
        let mut asks = new.to_vec();
        asks.extend(self.base.asks.clone());
        let mut problem = self.problem(&self.base.set.clone(), asks);
        problem.bounds.clone_from(&self.base.bounds);
        Ok(match self.solve(&problem)? {
            Err(clash) => Some(Alternative::impossible(&clash)),
            Ok(solution) => Some(self.as_alternative(&problem, &solution, new)),
        })
    }

    /// What moves least: with everything held that is there, else what was placed deliberately,
    /// else with everything heeded. None when that is no better.
    fn alternative(&mut self, new: &[Ask], steps: &[Step]) -> Result<Option<Alternative>, Error> {
        let changes = |moves: &[Told]| {
            moves
                .iter()
                .filter(|m| m.moved.kind != MoveKind::Added)
                .count()
        };
        let now: usize = steps.iter().map(|s| changes(&s.moves)).sum();
        let broken = steps.iter().any(|s| !s.breaks.is_empty());
        if now == 0 && !broken {
            return Ok(None);
        }
        let set = self.base.set.clone();
        let mut asks: Vec<Ask> = set.keys().map(bare).collect();
        asks.retain(|a| !new.iter().any(|n| n.requirement.name == a.requirement.name));
        asks.extend(self.base.asks.clone());
        asks.extend(new.to_vec());
        let named = |name: &Name| new.iter().any(|a| a.requirement.name == *name);
        let holds: [&dyn Fn(&Placed) -> bool; 3] = [&|_| true, &|p| p.deliberate, &|_| false];
        let mut impossible = Alternative::default();
        for held in holds {
            let mut problem = self.problem(&set, asks.clone());
            problem.bounds.clone_from(&self.base.bounds);
            let keep = set
                .iter()
                .filter(|(name, placed)| held(placed) && !named(name));
            problem.held = keep
                .map(|(name, placed)| (name.clone(), placed.version.clone()))
                .collect();
            match self.solve(&problem)? {
                Ok(solution) => {
                    let alternative = self.as_alternative(&problem, &solution, new);
                    let better = changes(&alternative.moves) < now || broken;
                    return Ok(better.then_some(alternative));
                }
                Err(clash) => impossible = Alternative::impossible(&clash),
            }
        }
        Ok(broken.then_some(impossible))
    }

    fn as_alternative(&self, problem: &Problem, solution: &Solution, new: &[Ask]) -> Alternative {
        let moved = moves_to(&self.base.set, problem, solution);
        let asks = new.iter().filter_map(|ask| {
            let chosen = solution
                .chosen
                .iter()
                .find(|c| c.project == ask.requirement.name)?;
            Some(format!("{}=={}", ask.requirement.subject(), chosen.version))
        });
        let released = solution
            .chosen
            .iter()
            .map(|c| (c.project.clone(), c.version.clone()))
            .collect();
        Alternative {
            asks: asks.collect(),
            moves: self.told(moved, solution),
            facts: Vec::new(),
            releases: released,
        }
    }

    /// Moves with what is lost on the way.
    fn told(&self, moved: Vec<Move>, solution: &Solution) -> Vec<Told> {
        let told = |moved: Move| {
            let mut loses = self.loses(&moved);
            let accelerator = self.loses_accelerator(&moved, solution);
            loses.extend(accelerator.filter(|_| loses.is_empty()));
            Told { loses, moved }
        };
        moved.into_iter().map(told).collect()
    }

    /// The accelerator of the place, where the release before used it and the one afterwards does
    /// not.
    fn loses_accelerator(&self, moved: &Move, solution: &Solution) -> Option<String> {
        solution.unaccelerated().find(|p| **p == moved.project)?;
        let rules = Rules {
            target: &self.base.target,
            policy: &self.base.policy,
            adjustments: &self.base.adjustments,
        };
        let judged = self.run.judged(&moved.project, &rules)?;
        let before = judged.offer(moved.before.as_ref()?)?;
        let used = self.run.loss(&judged, before, &rules).is_none();
        let families = self.base.target.accelerators.names();
        used.then(|| format!("{families}: it leaves the accelerator unused"))
    }

    fn loses(&self, moved: &Move) -> Vec<String> {
        let mut loses = Vec::new();
        let label =
            |v: &Option<Version>| v.as_ref().and_then(Version::local).filter(|l| l != "cpu");
        if let (Some(before), Some(after)) = (&moved.before, &moved.after)
            && let Some(label) = label(&moved.before)
            && Version::local(after).as_deref() != Some(label.as_str())
        {
            loses.push(format!(
                "the build {label} of {} for an accelerator",
                before.public()
            ));
        }
        let (Some(before), Some(after)) = (&moved.before, &moved.after) else {
            return loses;
        };
        for (name, target) in &self.surroundings.config.targets {
            let adjustments = &self.surroundings.config.adjustments;
            let rules = Rules {
                target,
                policy: &self.base.policy,
                adjustments,
            };
            let Some(judged) = self.run.judged(&moved.project, &rules) else {
                return loses;
            };
            let ready = |v: &Version| judged.offer(v).is_some_and(|o| o.verdict == Verdict::Ready);
            if ready(before) && !ready(after) {
                loses.push(format!("a wheel for {name}"));
            }
        }
        loses
    }

    /// What is to be added cannot be placed at all.
    fn refused(
        &mut self,
        clash: &Clash,
        problem: &Problem,
        steps: Vec<Step>,
    ) -> Result<Answer, Error> {
        let others = plan::alternatives_of(clash, &problem.target, false, self.surroundings);
        let ways = self.run.ways_out(problem, clash, &others, &|_| ())?;
        let refusal = Refusal::new(
            clash,
            problem,
            &ways,
            &self.base.shown,
            self.surroundings,
            None,
        );
        let answer = report::Refused::new(&refusal, steps.len());
        Ok(Answer {
            outcome: Outcome::No,
            text: render::rehearse::refused(&refusal, &steps),
            report: report::Rehearse::Refused(Box::new(answer)).into(),
        })
    }
}
