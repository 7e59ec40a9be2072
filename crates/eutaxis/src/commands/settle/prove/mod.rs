//! `settle --prove`: the contents of the set are read and its imports tried; what fails is learnt,
//! and it is settled again, until it imports or nothing is left.

mod several;

use std::collections::BTreeSet;
use std::path::Path;

use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::Origin;
use eutaxis_core::index::FileKind;
use eutaxis_core::offer::{Adjustment, Effect};
use eutaxis_core::solve::{Asker, Clash, Problem, Solution};
use eutaxis_world::depot::Place;
use eutaxis_world::environment::{FETCHING, Item, WheelAt, stock_up, to_fetch};
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::Outcome as End;
use eutaxis_world::{Error, ErrorKind};
use jiff::Timestamp;

use super::interpreter::{self, Another};
use super::{Job, file_name, pinned};
use crate::answer::proof::{Proof, Round};
use crate::answer::settle::Settled;
use crate::output::{Answer, Outcome};
use crate::plan;
use crate::proof::below;
use crate::proof::contents::Contents;
use crate::proof::failure::{Failure, Kind};
use crate::proof::learn::School;
use crate::proof::releases::began;
use crate::proof::rounds::{Subject, prove};
use crate::proof::signs::Signs;
use crate::proof::trial::{self, Trial};
use crate::voice::say;
use crate::{render, report, typed, words};

/// A set, and how far it was proven.
pub(super) struct Proven {
    pub(super) problem: Problem,
    pub(super) solution: Solution,
    pub(super) proof: Proof,
}

/// A set, and the question that it answers.
#[derive(Clone)]
struct Set {
    problem: Problem,
    solution: Solution,
}

/// What is asked for, on its way from set to set.
struct Candidate<'a, 'b> {
    job: &'a Job<'b>,
    chosen: &'a plan::Chosen,
    out: &'a Path,
    /// The interpreter that tries the imports.
    python: Option<Found>,
    /// So many reasons to prove no further hold for any set.
    standing: usize,
    proof: Proof,
    looked: Option<Looked>,
    /// So many were looked into.
    sets: usize,
}

impl Subject for Candidate<'_, '_> {
    type Set = Set;
    type Failure = Failure;
    type Lesson = Adjustment;
    type Error = Error;

    fn look(&mut self, set: &Set) -> Result<Vec<Failure>, Error> {
        self.proof.short_of.truncate(self.standing);
        let python = self.python.as_ref();
        let job = self.job;
        let looked = job.look_into(set, self.chosen, python, &mut self.proof)?;
        let failures = looked.failures.clone();
        self.looked = Some(looked);
        self.sets += 1;
        if !failures.is_empty() && !job.output.is_quiet() && !job.output.is_json() {
            let faults = words::count(failures.len(), "fault");
            let target = match job.arguments.target.target.as_slice() {
                [] | [_] => String::new(),
                _ => format!(" on {}", self.chosen.name),
            };
            say(&format!(
                "set {}{target}: {faults}, to be learnt from",
                self.sets
            ));
        }
        Ok(failures)
    }

    fn is_slight(failure: &Failure) -> bool {
        failure.slight
    }

    fn go_back(&mut self, number: usize, set: &Set) -> Result<(), Error> {
        self.proof.rounds.retain(|r| r.number < number);
        self.proof.short_of.truncate(self.standing);
        let (job, python) = (self.job, self.python.as_ref());
        let mut looked = job.look_into(set, self.chosen, python, &mut self.proof)?;
        looked.failures.clear();
        self.looked = Some(looked);
        Ok(())
    }

    fn learn(
        &mut self,
        number: usize,
        set: &Set,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let Some(looked) = &self.looked else {
            return Ok(None);
        };
        let school = School {
            run: &self.job.run,
            problem: &set.problem,
            solution: &set.solution,
            projects: looked.projects.clone(),
            now: self.proof.at,
            place: Origin::line(&file_name(self.out), 1),
        };
        let lesson = school.learn(failure)?;
        if failure.slight && !lesson.as_ref().is_some_and(|l| costs_nothing_asked(l, set)) {
            return Ok(None);
        }
        let round = Round {
            number,
            project: looked.names.get(failure.taker).cloned().unwrap_or_default(),
            failed: failure.told.clone(),
            evidence: failure.evidence,
            cause: failure.cause.clone(),
            learnt: lesson.clone(),
            lacking: failure.lacking(),
        };
        self.proof.rounds.push(round);
        Ok(lesson)
    }

    fn next(&mut self, set: &Set, learnt: &[Adjustment]) -> Result<Result<Set, String>, Error> {
        let mut problem = set.problem.clone();
        let new = learnt
            .iter()
            .filter(|l| !set.problem.adjustments.contains(l));
        problem.adjustments.extend(new.cloned());
        Ok(match self.job.run.solve(&problem, &|_| ())? {
            End::Settled(solution) => Ok(Set { problem, solution }),
            End::Clash(clash) => Err(in_a_line(&clash)),
        })
    }
}

/// The facts of a clash, behind each other.
fn in_a_line(clash: &Clash) -> String {
    let facts = clash.facts.iter().map(|f| f.text.as_str());
    facts.collect::<Vec<_>>().join("; ")
}

/// Whether a lesson gives up no release of a project that is asked for.
fn costs_nothing_asked(lesson: &Adjustment, set: &Set) -> bool {
    let mut asks = set.problem.asks.iter();
    let bounds_another =
        matches!(&lesson.effect, Effect::Needs(needs) if needs.name != lesson.project);
    bounds_another || asks.all(|a| a.requirement.name != lesson.project)
}

impl Candidate<'_, '_> {
    /// The last set, and why it does not hold if it does not.
    fn proven(self, set: Set, why: Option<String>) -> Proven {
        let mut proof = self.proof;
        proof.failed = why.is_some();
        proof.short_of.extend(why);
        if proof.failed && self.chosen.here {
            let surroundings = self.job.surroundings;
            let others = interpreter::that_have(&proof, self.chosen, surroundings);
            proof.ways = others
                .iter()
                .map(|f| format!("--interpreter {}", typed::quoted(&words::near(&f.path))))
                .collect();
        }
        Proven {
            problem: set.problem,
            solution: set.solution,
            proof,
        }
    }
}

/// What looking into a set came to.
struct Looked {
    failures: Vec<Failure>,
    projects: Vec<eutaxis_core::Name>,
    names: Vec<String>,
}

impl Job<'_> {
    /// Proves a solution, or the next one after what was learnt from it.
    pub(super) fn proven(
        &self,
        solution: &Solution,
        chosen: &plan::Chosen,
        problem: &Problem,
        out: &Path,
    ) -> Result<Proven, Error> {
        let (problem, solution) = (problem.clone(), solution.clone());
        let mut candidate = self.candidate(chosen, out)?;
        let (set, why) = prove(&mut candidate, Set { problem, solution })?;
        Ok(candidate.proven(set, why))
    }

    /// What is asked for, of which no set was looked into yet.
    fn candidate<'a>(
        &'a self,
        chosen: &'a plan::Chosen,
        out: &'a Path,
    ) -> Result<Candidate<'a, 'a>, Error> {
        let mut proof = Proof {
            rounds: Vec::new(),
            level: Evidence::Solved,
            at: now(),
            followed: 0,
            tried: None,
            scripts: Vec::new(),
            slight: Vec::new(),
            apart: Vec::new(),
            short_of: Vec::new(),
            leaves: Vec::new(),
            failed: false,
            ways: Vec::new(),
        };
        let python = self.python(chosen, &mut proof)?;
        Ok(Candidate {
            job: self,
            chosen,
            out,
            python,
            standing: proof.short_of.len(),
            proof,
            looked: None,
            sets: 0,
        })
    }

    /// The same under another interpreter of this machine, when the first one has dropped, or does not
    /// have yet, what is taken; none when no other one does, or the interpreter is named.
    pub(super) fn proven_elsewhere(
        &self,
        failed: &Proof,
        chosen: &plan::Chosen,
        problem: &Problem,
        out: &Path,
    ) -> Result<Option<(Another, Proven)>, Error> {
        let open = interpreter::is_open(self.arguments, chosen, self.surroundings);
        let Some(round) = failed
            .rounds
            .iter()
            .find(|r| r.lacking.is_some())
            .filter(|_| open)
        else {
            return Ok(None);
        };
        let because = format!(
            "under {}, which comes first here, {} {}",
            chosen.target.interpreter.version, round.project, round.failed
        );
        for found in interpreter::that_have(failed, chosen, self.surroundings) {
            let Some(another) = self.under(&found, problem, &because)? else {
                continue;
            };
            let solution = &another.solution;
            let proven = self.proven(solution, &another.chosen, &another.problem, out)?;
            if !proven.proof.failed {
                return Ok(Some((another, proven)));
            }
        }
        Ok(None)
    }

    /// The interpreter that tries the imports: the target's, when it is one of this machine.
    fn python(&self, chosen: &plan::Chosen, proof: &mut Proof) -> Result<Option<Found>, Error> {
        match plan::interpreter_here(&self.arguments.target, self.surroundings, chosen) {
            Ok(found) => Ok(Some(found)),
            Err(why) => {
                proof.short_of.push(format!("{why}: nothing was run"));
                Ok(None)
            }
        }
    }

    /// Reads the contents of a set, and tries its imports when these show nothing.
    fn look_into(
        &self,
        set: &Set,
        chosen: &plan::Chosen,
        python: Option<&Found>,
        proof: &mut Proof,
    ) -> Result<Looked, Error> {
        let Set { problem, solution } = set;
        let (run, shown) = (&self.run, &chosen.shown);
        let settled = pinned::settle(solution, problem, &[], run, shown, self.output)?;
        let mut items = items(&settled);
        let mut unbuilt = None;
        if items.len() < settled.pins.len()
            && let Some(python) = python
        {
            match self.built(&settled, python)? {
                Ok(built) => items.extend(built),
                Err(why) => unbuilt = Some(why),
            }
        }
        let mut looked = Looked {
            failures: Vec::new(),
            projects: items.iter().map(|i| i.name.clone()).collect(),
            names: items
                .iter()
                .map(|i| format!("{} {}", i.name, i.version))
                .collect(),
        };
        let contents = match self.contents(&items, items.len() == settled.pins.len()) {
            Err(error) if error.kind == ErrorKind::Refused => {
                looked.failures = self.refused_of(&items)?;
                return Ok(looked);
            }
            other => other?,
        };
        let sources = settled.pins.len() - items.len();
        let python = python.filter(|_| sources == 0);
        let parts = self.read(&contents, problem, python.is_none(), proof, &mut looked);
        if looked.failures.iter().any(|f| f.kind == Kind::Shared) {
            // It cannot even be placed.
            return Ok(looked);
        }
        let Some(python) = python else {
            self.let_be(set, &contents, proof, &mut looked)?;
            if looked.failures.iter().all(|f| f.slight) {
                proof.level = Evidence::Read;
                proof.short_of.extend(unbuilt);
            }
            return Ok(looked);
        };
        let (cache, network) = (&self.surroundings.cache, self.depots.network());
        let by = (python, false);
        let trial = Trial::of(&contents, &items, by, cache, network, self.output)?;
        let ran = trial.run()?;
        let series = problem.target.interpreter.series();
        let signs = Signs::of(&self.surroundings.config, series);
        tried(ran, &contents, &signs, parts, proof, &mut looked);
        if proof.level == Evidence::Ran {
            let (reached, failures) = trial.run_below(&signs)?;
            let (slight, apart) = below::sorted(failures, &contents);
            proof.tried.iter_mut().for_each(|t| t.below = Some(reached));
            proof.slight = slight.iter().map(|f| below::told(f, &contents)).collect();
            proof.apart = apart;
            looked.failures = slight;
            self.let_be(set, &contents, proof, &mut looked)?;
        }
        Ok(looked)
    }

    /// The wheels of a set, brought into the store.
    fn contents(&self, items: &[Item], is_whole: bool) -> Result<Contents, Error> {
        self.tell_bytes(items)?;
        let (cache, network) = (&self.surroundings.cache, self.depots.network());
        let bar = self.output.progress();
        let progress = |what: &str, done: u64, of: u64| {
            bar.set_length(of);
            bar.set_position(done);
            let word = if what == FETCHING {
                FETCHING
            } else {
                "reading"
            };
            bar.set_message(word);
        };
        let unpacked = stock_up(items, cache, network, &progress);
        bar.finish_and_clear();
        Ok(Contents::of(items, &unpacked?, is_whole))
    }

    /// The wheels of a set that are none, of which one was met.
    fn refused_of(&self, items: &[Item]) -> Result<Vec<Failure>, Error> {
        let (cache, network) = (&self.surroundings.cache, self.depots.network());
        let mut refused = Vec::new();
        for (place, item) in items.iter().enumerate() {
            match stock_up(std::slice::from_ref(item), cache, network, &|_, _, _| {}) {
                Err(error) if error.kind == ErrorKind::Refused => {
                    refused.push(Failure::of_refused(place, &item.filename, &error));
                }
                other => drop(other?),
            }
        }
        Ok(refused)
    }

    /// What the sources show; the parts that they keep from starting.
    fn read(
        &self,
        contents: &Contents,
        problem: &Problem,
        below: bool,
        proof: &mut Proof,
        looked: &mut Looked,
    ) -> Vec<Failure> {
        let catalogue = self.depots.network().catalogue();
        let gaps = contents.gaps(&problem.target, catalogue, below);
        proof.followed = gaps.sources;
        proof.scripts.clear();
        looked.failures.extend(Failure::of_shared(contents));
        let (mut seen, mut parts) = (BTreeSet::new(), Vec::new());
        for gap in gaps.first {
            let failure = Failure::of_gap(&gap, contents);
            if failure.is_of_a_part(contents) {
                proof.scripts.push(script(&failure, contents));
                parts.push(failure);
                continue;
            }
            // One fact for each pair of projects teaches enough at a time.
            let owner = gap.owner();
            let top = owner.is_none().then(|| gap.lack_top());
            if seen.insert((gap.taker, owner, top)) {
                looked.failures.push(failure);
            }
        }
        let (slight, apart) = below::read(&gaps.below, contents);
        proof.slight = slight.iter().map(|f| below::told(f, contents)).collect();
        proof.apart = apart;
        looked.failures.extend(slight);
        parts
    }

    /// Of slight things those that were so when the project was published are let be: it had met the
    /// series of the other one.
    fn let_be(
        &self,
        set: &Set,
        contents: &Contents,
        proof: &mut Proof,
        looked: &mut Looked,
    ) -> Result<(), Error> {
        let chosen = |project: usize| {
            let name = looked.projects.get(project)?;
            set.solution.chosen.iter().find(|c| c.project == *name)
        };
        let (mut old, mut rest) = (Vec::new(), Vec::new());
        for failure in &looked.failures {
            let other = failure.other().filter(|_| failure.slight).and_then(chosen);
            let met = match other {
                Some(other) => began(&self.run, &set.problem, &other.project, &other.version)?,
                None => None,
            };
            let taker = chosen(failure.taker).and_then(|c| c.file.published);
            match (taker, met) {
                (Some(taker), Some(met)) if met <= taker => old.push(failure.clone()),
                _ => rest.push(failure.clone()),
            }
        }
        looked.failures = rest;
        let slight = looked.failures.iter().filter(|f| f.slight);
        proof.slight = slight.map(|f| below::told(f, contents)).collect();
        let old = old.into_iter().map(|f| below::apart(f, contents));
        proof.apart.extend(old);
        Ok(())
    }

    /// What is to be fetched is said before it is.
    fn tell_bytes(&self, items: &[Item]) -> Result<(), Error> {
        if self.output.is_quiet() || self.output.is_json() {
            return Ok(());
        }
        match to_fetch(items, &self.surroundings.cache)? {
            Some(0) => {}
            Some(bytes) => say(&format!("{} to fetch, to look into", words::size(bytes))),
            None => say("files of unknown size to fetch, to look into"),
        }
        Ok(())
    }
}

/// What the imports showed, with what was read before, parts and others.
fn tried(
    ran: trial::Outcome,
    contents: &Contents,
    signs: &Signs<'_>,
    parts: Vec<Failure>,
    proof: &mut Proof,
    looked: &mut Looked,
) {
    let mut all = parts;
    all.append(&mut looked.failures);
    ran.outrank(&mut all, signs, contents);
    proof.scripts.clear();
    let mut machine = Vec::new();
    for failure in all {
        if failure.is_of_a_part(contents) {
            proof.scripts.push(script(&failure, contents));
        } else if failure.kind == Kind::Machine {
            machine.push(format!("{}, a fault of this machine", failure.told));
        } else if !looked.failures.iter().any(|f| f.kind == failure.kind) {
            looked.failures.push(failure);
        }
    }
    proof.tried = Some(ran.tried);
    proof.leaves = ran.leaves;
    if looked.failures.is_empty() {
        proof.level = if machine.is_empty() {
            Evidence::Ran
        } else {
            Evidence::Read
        };
        proof.short_of.extend(machine);
    }
}

/// What keeps a script, or a part that was not asked for, from starting, in words.
fn script(failure: &Failure, contents: &Contents) -> String {
    let project = contents.names.get(failure.taker);
    let project = project.map_or("a project", String::as_str);
    format!(
        "{} of {project} does not start here: {}",
        failure.root, failure.told
    )
}

/// The moment, to the second.
fn now() -> Timestamp {
    let now = Timestamp::now();
    Timestamp::from_second(now.as_second()).unwrap_or(now)
}

/// The wheels of a set as what is to be placed.
fn items(settled: &Settled<'_>) -> Vec<Item> {
    let item = |pin: &crate::answer::settle::Pinned<'_>| {
        let chosen = pin.chosen;
        let FileKind::Wheel(wheel_name) = &chosen.file.kind else {
            return None;
        };
        let hashes = &chosen.file.hashes;
        Some(Item {
            name: chosen.project.clone(),
            version: chosen.version.to_string(),
            wheel: match &pin.place {
                Place::Disk(path) => WheelAt::Disk(path.clone()),
                Place::Url(url) => WheelAt::Url(url.clone()),
            },
            filename: chosen.file.filename.to_string(),
            wheel_name: (**wheel_name).clone(),
            sha256: pin.sha256.clone(),
            hashes: hashes.clone(),
            size: pin.size,
            said: None,
            requested: chosen.asked_by.iter().any(|a| matches!(a, Asker::Ask(_))),
            direct_url: pin
                .direct_url
                .clone()
                .map(eutaxis_world::environment::DirectUrl::Archive),
            built: None,
        })
    };
    settled.pins.iter().filter_map(item).collect()
}

/// What is said when no set was found that holds.
pub(super) fn refused(proof: &Proof, chosen: &plan::Chosen) -> Answer {
    Answer {
        outcome: Outcome::No,
        text: render::proof::refused(proof, &chosen.shown),
        report: report::Settle::Unproven(report::Unproven::of(proof, &chosen.shown)).into(),
    }
}
