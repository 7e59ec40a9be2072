//! `settle`: which exact files, together? or what clashes, and the ways out.

mod addresses;
mod builds;
mod change;
mod check;
mod clash;
mod depot;
mod from;
mod interpreter;
mod joint;
mod learner;
mod lock;
mod parts;
mod pinned;
mod prove;
pub(crate) mod take;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::fault::{Origin, escaped};
use eutaxis_core::offer::{Adjustment, Chronology};
use eutaxis_core::pins::{Lock, is_lock_file_name, lock_file_name_for};
use eutaxis_core::record;
use eutaxis_core::solve::{Problem, Solution};
use eutaxis_core::{Ask, Name, Target, Version};
use eutaxis_world::config::Config;
use eutaxis_world::depot::Depots;
use eutaxis_world::files::read_text;
use eutaxis_world::supply::{Outcome as End, Run};
use eutaxis_world::{Error, Errors};
use indicatif::ProgressBar;

use interpreter::Another;

use crate::answer::edits::FileEdit;
use crate::answer::proof::Proof;
use crate::answer::settle::Taken;
use crate::asks::{self, Asks};
use crate::building::trees;
use crate::cli::{Common, Settle, TargetOptions};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::remembered::{self, Kept, Remembered};
use crate::{pins, render, report, typed};

/// One `settle` under way.
struct Job<'a> {
    arguments: &'a Settle,
    surroundings: &'a Surroundings,
    output: &'a Output,
    asks: Asks,
    depots: Arc<Depots>,
    run: Run,
    bar: ProgressBar,
    /// Another interpreter was taken than the one that comes first.
    taken: Option<Taken>,
    /// The question as the pins will remember it.
    question: Remembered,
    /// Files that the question itself changes.
    edits: Vec<FileEdit>,
    /// Asks that are left out of this set.
    left_out: Vec<Ask>,
    /// What the environment that is settled anew holds and no depot has.
    absent: Vec<String>,
}

/// What is written of a solution, and where.
struct Writing<'a> {
    out: &'a Path,
    /// The pins that were there.
    old: Option<&'a Lock>,
    /// Lines of files that change with them.
    edits: Vec<FileEdit>,
    /// How far it was proven in this run.
    proof: Option<Proof>,
    /// Another question than that of the run.
    question: Option<Remembered>,
}

impl<'a> Writing<'a> {
    /// Pins alone.
    fn new(out: &'a Path, old: Option<&'a Lock>) -> Self {
        Writing {
            out,
            old,
            edits: Vec::new(),
            proof: None,
            question: None,
        }
    }
}

pub(crate) fn run(arguments: &Settle, common: &Common, output: &Output) -> Result<Answer, Errors> {
    let surroundings = Surroundings::new(common)?;
    let kept = remembered::kept(arguments.out());
    let mut arguments = arguments.clone();
    match arguments.check.take() {
        Some(address) if asks::is_address(Path::new(&address)) => {
            return learner::answer(&address, &arguments, &surroundings);
        }
        // What is no address is a requirement.
        Some(other) => {
            arguments
                .asks
                .requirements
                .extend((!other.is_empty()).then_some(other));
            arguments.check = Some(String::new());
        }
        None => {}
    }
    let groups = arguments.asks.group.clone();
    let mut found = None;
    if let Some(place) = arguments.from.clone() {
        let depots = plan::depots(&arguments.depots, &surroundings, false)?;
        found = Some(from::read(&place, &mut arguments, &surroundings, &depots)?);
    }
    take_up(&mut arguments, kept.as_ref(), &surroundings.config)?;
    let changes = change::made(&mut arguments, &groups, &surroundings)?;
    let mut asks = asks::read(&arguments.asks, &surroundings, &changes.texts())?;
    if let Some(kept) = kept.as_ref().filter(|_| arguments.is_check()) {
        // What the set was settled without is no change.
        let without = record::left_out_of(&kept.lock);
        let without = without.iter().map(|a| a.requirement.name.to_string());
        arguments.but_not.extend(without);
        let is_asked = |name: &String| {
            asks.asks
                .iter()
                .any(|a| a.requirement.name.as_str() == name)
        };
        arguments.but_not.retain(is_asked);
    }
    let left_out = change::left_out(&arguments, &mut asks)?;
    // What counts without being typed is remembered as if it were.
    if let Some(before) = kept.as_ref().and_then(|k| k.question.as_ref()) {
        let renews_all = arguments.renew.iter().any(String::is_empty);
        let is_said = arguments.policy.says_chronology()
            || surroundings.config.names_chronology
            || renews_all;
        if !is_said {
            arguments.policy.chronology = before.policy.chronology;
        }
    }
    let question = Remembered {
        asks: arguments.asks.clone(),
        target: arguments.target.clone(),
        policy: arguments.policy.clone(),
        permit_urls: arguments.permit_urls,
        together: arguments.together,
    };
    // The interpreter of an environment goes with it: what is remembered is the place that it is.
    let question = match found {
        None => question,
        Some(_) => question.here(),
    };
    let mut targets = targets(&mut arguments, kept.as_ref(), &surroundings)?;
    let arguments = &arguments;
    let mut taken = None;
    if let [chosen] = targets.as_mut_slice()
        && interpreter::is_open(arguments, chosen, &surroundings)
        && let Some((other, why)) = interpreter::that_python_allows(&asks, chosen, &surroundings)?
    {
        *chosen = other;
        taken = Some(why);
    }
    let policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let depots = plan::depots(
        &arguments.depots,
        &surroundings,
        !arguments.renew.is_empty(),
    )?;
    asks::keep_secrets(
        asks.asks.iter_mut().map(|a| &mut a.requirement),
        depots.network(),
    );
    let typed = (&arguments.target, &arguments.policy.permit);
    let own = trees::know(
        &asks,
        typed,
        &targets,
        (&surroundings, &depots),
        &policy,
        output,
    )?;
    let mut problems = Vec::new();
    for chosen in &targets {
        ensure_python(&asks, &chosen.target)?;
        let out = out_of(arguments, chosen, targets.len());
        let old = match joint::earlier(arguments, chosen, &surroundings.config.families)? {
            Some(share) => Some(share),
            None => earlier_pins(&out)?,
        };
        if arguments.is_check() && old.is_none() {
            let file = if arguments.together {
                arguments.out()
            } else {
                &out
            };
            return Err(check::no_pins(file).into());
        }
        let mut policy = policy.clone();
        if let Some(chronology) = recorded_chronology(arguments, old.as_ref(), &surroundings.config)
        {
            policy.chronology = chronology;
        }
        // What lies in folders of the user is built without being asked.
        let more = own
            .iter()
            .filter(|n| !policy.builds(n))
            .cloned()
            .collect::<Vec<_>>();
        policy.build.extend(more);
        let mut problem = Problem::new(chosen.target.clone(), policy, asks.asks.clone());
        problem.bounds = asks.bounds.clone();
        problem.prior = match &found {
            Some(found) => found.releases.clone(),
            None => prior(old.as_ref(), &arguments.renew)?,
        };
        problem.adjustments = surroundings.config.adjustments.clone();
        problem.adjustments.extend(asks.hashed.iter().cloned());
        problem
            .adjustments
            .extend(learnt(old.as_ref(), &arguments.renew, &surroundings.config));
        problems.push((chosen, problem, old));
    }
    let run = match problems.as_slice() {
        [(chosen, problem, _)] => {
            let asked = (arguments, &surroundings);
            builds::run(&depots, asked, chosen, &problem.policy, output)?
        }
        _ => Run::new(Arc::clone(&depots)),
    };
    let bar = output.searching();
    let mut job = Job {
        arguments,
        surroundings: &surroundings,
        output,
        asks,
        depots,
        run,
        bar,
        taken,
        question,
        edits: changes.edits(),
        left_out,
        absent: found.map(|f| f.absent).unwrap_or_default(),
    };
    let answer = match problems.as_slice() {
        [(chosen, problem, old)] => job.single(chosen, problem, old.as_ref()),
        several => job.several(several),
    };
    job.bar.finish_and_clear();
    output.report_network(job.depots.network());
    Ok(answer?)
}

/// Where the pins of a target go: with several targets each has a file of its own.
fn out_of(arguments: &Settle, chosen: &plan::Chosen, targets: usize) -> PathBuf {
    if targets == 1 {
        arguments.out().to_owned()
    } else {
        named(arguments.out(), &chosen.name)
    }
}

fn file_name(out: &Path) -> String {
    out.file_name()
        .map(|s| s.to_string_lossy().into_owned())
        .unwrap_or_default()
}

/// The file of one of several targets: `pylock.NAME.toml`.
fn named(out: &Path, name: &str) -> PathBuf {
    let file = file_name(out);
    out.with_file_name(lock_file_name_for(&file, name))
}

/// What should be known of the file's name.
fn file_name_caution(out: &Path) -> Option<String> {
    let file = file_name(out);
    (!is_lock_file_name(&file)).then(|| {
        format!(
            "{} is no name of a lock file (PEP 751: pylock.toml, or pylock.NAME.toml with a NAME \
                without dots): other programs will not find it.",
            escaped(&file)
        )
    })
}

/// Takes up the question of the pins that are there, where none is asked; another question beside
/// them is refused unless it is said where its pins go.
fn take_up(arguments: &mut Settle, kept: Option<&Kept>, config: &Config) -> Result<(), Error> {
    let (asks, target, policy) = (&arguments.asks, &arguments.target, &arguments.policy);
    let taken = remembered::taken_up(asks, target, policy, kept, &config.members);
    let (question, is_taken) = match taken {
        // What is only added needs nothing before it.
        Err(_) if !arguments.and.is_empty() => return Ok(()),
        taken => taken?,
    };
    if let Some(kept) = kept.filter(|_| is_taken && nothing_names_depots(arguments, config)) {
        let folder = kept.out.parent().unwrap_or(Path::new(""));
        arguments.depots.depot = remembered::depots(&kept.lock, folder);
    }
    if let Some(kept) = kept
        && !is_taken
        && arguments.out.is_none()
        // Pins for several targets are written over by those for several.
        && (kept.out.exists() || arguments.target.target.len() > 1)
        && !arguments.is_check()
        // Who lets go of all pins lets go of their question.
        && !arguments.renew.iter().any(String::is_empty)
        && remembered::is_another(&question.asks, kept)
    {
        let rest = [
            typed::target(target),
            typed::policy(policy),
            typed::depots(&arguments.depots),
        ];
        return Err(remembered::refused(&question.asks, &rest.concat(), kept));
    }
    let Remembered {
        mut asks,
        target,
        policy,
        permit_urls,
        together,
    } = question;
    arguments.permit_urls |= permit_urls;
    if arguments.together && target.target.len() < 2 {
        let error = Error::request("--together makes one lock for several targets");
        return Err(error.help("name each with --target, or leave out --together"));
    }
    arguments.together |= together && target.target.len() > 1;
    // A group that is named with what is added to it joins those that are asked for.
    let before = kept.and_then(|k| k.question.as_ref());
    if let Some(before) = before.filter(|_| is_taken && !arguments.and.is_empty()) {
        let joins = asks.group.clone().into_iter();
        let joins = joins.filter(|g| !before.asks.group.contains(g));
        asks.group = before.asks.group.iter().cloned().chain(joins).collect();
        asks.extra.clone_from(&before.asks.extra);
    }
    (arguments.asks, arguments.target, arguments.policy) = (asks, target, policy);
    Ok(())
}

/// Projects of the asks that are not placed themselves.
fn unbuilt(asks: &Asks) -> Vec<String> {
    let one = |(name, origin): &(Name, Origin)| {
        format!("{origin}: {name} itself is not placed: no [build-system] says how it is built.")
    };
    asks.unbuilt.iter().map(one).collect()
}

/// Whether neither an option nor the environment nor the settings name a depot.
fn nothing_names_depots(arguments: &Settle, config: &Config) -> bool {
    let is_set = std::env::var_os("EUTAXIS_DEPOT").is_some_and(|d| !d.is_empty());
    arguments.depots.depot.is_empty() && !is_set && config.depots.is_empty()
}

/// The places: those that are named; else, to check pins, the one that they were settled for; else
/// this machine, with an interpreter of the version that the pins are for while there is one.
fn targets(
    arguments: &mut Settle,
    kept: Option<&Kept>,
    surroundings: &Surroundings,
) -> Result<Vec<plan::Chosen>, Error> {
    let options = &arguments.target;
    let is_open = options.target.is_empty()
        && options.platform.is_none()
        && options.interpreter.is_none()
        && options.accelerator.is_none();
    let families = &surroundings.config.families;
    let recorded = kept.and_then(|k| record::target_of(&k.lock, families));
    let Some(recorded) = recorded.filter(|_| is_open) else {
        return plan::targets(options, surroundings);
    };
    if arguments.is_check() {
        return Ok(vec![plan::Chosen {
            shown: recorded.to_string(),
            target: recorded,
            name: "here".to_owned(),
            here: false,
        }]);
    }
    let usual = plan::targets(options, surroundings)?;
    let is_it = |chosen: &plan::Chosen| {
        let (here, there) = (&chosen.target.interpreter, &recorded.interpreter);
        here.series() == there.series() && here.implementation == there.implementation
    };
    if usual.iter().all(is_it) {
        return Ok(usual);
    }
    let named = TargetOptions {
        interpreter: Some(recorded.interpreter.series_text()),
        ..options.clone()
    };
    match plan::targets(&named, surroundings) {
        Ok(found) if found.iter().all(is_it) => Ok(found),
        // It is not on this machine: what is here comes in its place.
        _ => Ok(usual),
    }
}

impl Job<'_> {
    /// Pins, with the files that the question itself changes.
    fn writing<'a>(&self, out: &'a Path, old: Option<&'a Lock>) -> Writing<'a> {
        Writing {
            edits: self.edits.clone(),
            ..Writing::new(out, old)
        }
    }

    fn single(
        &mut self,
        chosen: &plan::Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Answer, Error> {
        let search = || self.run.solve(problem, &|_| ());
        let mut end = self.output.watch(
            "settling",
            &self.bar,
            &self.run,
            self.depots.network(),
            search,
        )?;
        let mut permitted = problem.clone();
        while let End::Clash(clash) = &end
            && self.arguments.permit_urls
        {
            let new = self.addresses(clash, &permitted, chosen)?;
            if new.is_empty() {
                break;
            }
            permitted.asks.extend(new);
            end = self.run.solve(&permitted, &|_| ())?;
        }
        let problem = &permitted;
        let another = match &end {
            End::Clash(clash) => self.under_another(clash, chosen, problem)?,
            End::Settled(_) if self.arguments.take.is_some() => {
                return Err(
                    Error::request("nothing clashes, so there is no way out to take")
                        .help("leave out --take"),
                );
            }
            End::Settled(solution) => self.of_its_time(solution, chosen, problem, old)?,
        };
        if let Some(another) = another {
            self.taken = Some(another.taken);
            let Another {
                chosen,
                problem,
                solution,
                ..
            } = another;
            return self.settled_or_proven(&solution, &chosen, &problem, old);
        }
        match end {
            End::Clash(clash) => self.refused(&clash, chosen, problem, old),
            End::Settled(solution) => self.settled_or_proven(&solution, chosen, problem, old),
        }
    }

    /// A solution as it is, or as far as it can be proven.
    fn settled_or_proven(
        &mut self,
        solution: &Solution,
        chosen: &plan::Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Answer, Error> {
        let out = self.arguments.out();
        if !self.arguments.prove {
            return self.settled(solution, chosen, problem, self.writing(out, old));
        }
        let mut proven = self.proven(solution, chosen, problem, out)?;
        let mut chosen = chosen.clone();
        if proven.proof.failed {
            let found = self.proven_elsewhere(&proven.proof, &chosen, problem, out)?;
            let Some((another, holds)) = found else {
                return Ok(prove::refused(&proven.proof, &chosen));
            };
            self.taken = Some(another.taken);
            chosen = another.chosen;
            proven = holds;
        }
        let (solution, problem) = (&proven.solution, &proven.problem);
        let writing = Writing {
            proof: Some(proven.proof),
            ..self.writing(out, old)
        };
        self.settled(solution, &chosen, problem, writing)
    }

    /// Writes the edits and the pins of a solution, and says what they are.
    fn settled(
        &self,
        solution: &Solution,
        chosen: &plan::Chosen,
        problem: &Problem,
        writing: Writing<'_>,
    ) -> Result<Answer, Error> {
        let Writing {
            out,
            old,
            edits,
            proof,
            question,
        } = writing;
        for edit in &edits {
            edit.ensure()?;
        }
        let mut settled = pinned::settle(
            solution,
            problem,
            &self.asks.directives,
            &self.run,
            &chosen.shown,
            self.output,
        )?;
        settled.taken.clone_from(&self.taken);
        settled.but_not.clone_from(&self.left_out);
        settled.proof = proof;
        settled.builds = self.foreseen(&settled, chosen)?;
        settled.permit = self.permit(&settled.builds, chosen, out);
        let strays = depot::strays(&settled, old, out, &self.arguments.renew)?;
        if self.arguments.is_check() {
            let old = old.ok_or_else(|| check::no_pins(out))?;
            let mut checked = check::check(&settled, old, out, &self.run);
            checked.add_strays(&strays);
            return Ok(check::answer(&[checked]));
        }
        if !strays.is_empty() {
            return Ok(depot::refused(&strays, &chosen.shown));
        }
        settled.cautions.extend(self.depots.network().cautions());
        settled.cautions.extend(unbuilt(&self.asks));
        if !self.absent.is_empty() {
            let absent = self.absent.join(", ");
            settled.cautions.push(format!(
                "no depot has {absent}: not asked for, and not pinned."
            ));
        }
        settled.cautions.extend(file_name_caution(out));
        pinned::report_left_out(&self.run, solution, self.output);
        settled.moves = pinned::moves(old, &settled);
        let question = question.as_ref().unwrap_or(&self.question);
        let lock = lock::lock(&settled, out, old, (question, &self.asks))?;
        settled.evidence = record::proof_of(&lock);
        for edit in &edits {
            edit.write()?;
        }
        lock::write(&mut settled, &lock, out)?;
        if let Some(list) = &self.arguments.list {
            lock::write_list(&mut settled, &lock, list, self.arguments.exact)?;
        }
        let text = format!(
            "{}{}",
            render::ways::edits(&edits),
            render::settle::text(&settled)
        );
        let mut pinned = report::Pinned::from(&settled);
        pinned.edits = Some(edits.iter().map(Into::into).collect());
        Ok(Answer {
            outcome: Outcome::Ok,
            text,
            report: report::Settle::Pinned(Box::new(pinned)).into(),
        })
    }
}

/// `requires-python` of the project file must take the target's interpreter.
fn ensure_python(asks: &Asks, target: &Target) -> Result<(), Error> {
    match &asks.requires_python {
        Some((set, origin)) if !set.matches(&target.interpreter.version) => {
            let error = Error::request(format!(
                "{origin} says requires-python {set}; the target has {}",
                target.interpreter
            ));
            Err(error.help("name another interpreter with --interpreter, or change that line"))
        }
        _ => Ok(()),
    }
}

fn earlier_pins(path: &Path) -> Result<Option<Lock>, Error> {
    if !path.exists() {
        return Ok(None);
    }
    let text = read_text(path)?;
    let shown = path.display().to_string();
    pins::parsed(&text).map(Some).map_err(|f| {
        let error = Error::in_file(&shown, &text, &f);
        let help = error.help.clone().unwrap_or_else(|| {
            "it would be written over: move it away, or name another file with --out".to_owned()
        });
        error.help(help)
    })
}

/// What the pins that are there were settled by: it counts where neither an option nor the settings
/// say otherwise, so that a new default moves nothing.
fn recorded_chronology(
    arguments: &Settle,
    old: Option<&Lock>,
    config: &Config,
) -> Option<Chronology> {
    let is_said = arguments.policy.says_chronology() || config.names_chronology;
    let renews_all = arguments.renew.iter().any(String::is_empty);
    old.filter(|lock| !is_said && !renews_all && record::target_is_recorded(lock))
        .map(|lock| record::policy_of(lock).chronology)
}

/// What earlier proofs learnt, but of projects that are renewed: that is tried anew.
fn learnt(old: Option<&Lock>, renew: &[String], config: &Config) -> Vec<Adjustment> {
    let renews = |a: &Adjustment| {
        let named = |r: &String| Name::parse(r).is_ok_and(|name| a.speaks_about(&name));
        renew.iter().any(|r| r.is_empty() || named(r))
    };
    let recorded = old.map(|lock| record::adjustments_of(lock, &config.families));
    let learnt = recorded
        .into_iter()
        .flatten()
        .filter(|a| a.learnt.is_some());
    learnt.filter(|a| !renews(a)).collect()
}

/// The releases of earlier pins that are to be kept while they hold.
fn prior(old: Option<&Lock>, renew: &[String]) -> Result<BTreeMap<Name, Version>, Error> {
    let Some(lock) = old else {
        return match renew.iter().find(|r| !r.is_empty()) {
            None => Ok(BTreeMap::new()),
            Some(name) => Err(Error::request(format!(
                "there are no earlier pins in which {name} could be renewed"
            ))
            .help("if it is asked for, put --renew behind the requirements, or leave it out")),
        };
    };
    if renew.iter().any(String::is_empty) {
        return Ok(BTreeMap::new());
    }
    let mut let_go = Vec::new();
    for text in renew {
        let name = Name::parse(text).map_err(|f| Error::in_file("--renew", text, &f))?;
        if !lock.packages.iter().any(|p| p.name == name) {
            return Err(Error::request(format!(
                "{name} is not among the earlier pins, so there is nothing to renew"
            )));
        }
        let_go.push(name);
    }
    let mut pinned = record::releases(lock);
    pinned.retain(|name, _| !let_go.contains(name));
    Ok(pinned)
}
