//! Causes held against what is there: the environment, the target, the depots.
//!
//! A new check is a file, a [`CheckKind`] and a line in [`check_of`].

mod builds;
mod files;
mod fitted;
mod interpreters;
mod libraries;
mod modules;
mod moved;
mod names;
mod offers;
mod settled;
mod together;
mod whereabouts;

use std::cell::{OnceCell, RefCell};
use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::diagnose::{Cause, Diagnosis, Origin};
use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::Snapshot;
use eutaxis_core::index::Page;
use eutaxis_core::knowledge::{Causes, CheckKind, Cure, bringing};
use eutaxis_core::offer::Policy;
use eutaxis_core::pins::{Lock, lock_file_name_for};
use eutaxis_core::remedy::{Remedy, Step, Verb};
use eutaxis_core::solve::{Alternative, Solution};
use eutaxis_core::targets::{Implementation, Interpreter, Platform};
use eutaxis_core::{Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::interpreter::{Found, ProbeCache, machine};
use eutaxis_world::root::{root, stand_in};
use eutaxis_world::supply::Run;

use crate::answer::diagnose::{Found as Told, Report};
use crate::cli::{Diagnose, TargetOptions};
use crate::output::Output;
use crate::placed::{self, Held};
use crate::plan::{self, Surroundings};
use crate::typed;
use whereabouts::Whereabouts;

/// What a check adds to a cause.
type Check = fn(&Checker<'_>, &mut Cause, &mut Checked) -> Result<(), Error>;

/// The check of a kind; which causes it is for stands in `knowledge/causes.toml`, and in the causes of
/// the user's own.
fn check_of(kind: CheckKind) -> Check {
    match kind {
        CheckKind::Offers => offers::check,
        CheckKind::Names => names::check,
        CheckKind::Libraries => libraries::check,
        CheckKind::Modules => modules::check,
        CheckKind::Moved => moved::check,
        CheckKind::Together => together::check,
        CheckKind::Files => files::check,
        CheckKind::Builds => builds::check,
        CheckKind::Interpreters => interpreters::check,
    }
}

/// So many causes are checked: a log that tells of more has one reason for most of them.
const MOST_CHECKED: usize = 8;
/// So many remedies are told at most.
const MOST_REMEDIES: usize = 5;

/// What was checked of a cause.
#[derive(Debug, Default)]
struct Checked {
    /// In sentences.
    sentences: Vec<String>,
    /// Remedies that were solved or tried; others that follow from what was found.
    remedies: Vec<Remedy>,
    /// Cures that what was found rules out.
    would_not_help: Vec<String>,
    /// Another interpreter is among them.
    keeps_interpreter: bool,
    /// What the first remedy that was solved asks for.
    asks: Vec<Requirement>,
}

impl Checked {
    fn say(&mut self, sentence: impl Into<String>) {
        self.sentences.push(sentence.into());
    }

    /// A remedy that was solved to the end.
    fn solved(&mut self, words: impl Into<String>, step: Step) {
        let remedy = Remedy::new(words, step).resting_on(Evidence::Solved);
        self.remedies.push(remedy);
    }

    /// A remedy that the contents of files show to mend.
    fn read(&mut self, words: impl Into<String>, step: Step) {
        let remedy = Remedy::new(words, step).resting_on(Evidence::Read);
        self.remedies.push(remedy);
    }

    /// A remedy that was not.
    fn suggest(&mut self, words: impl Into<String>, step: Option<Step>) {
        self.remedies.push(Remedy {
            words: words.into(),
            step,
            evidence: None,
        });
    }
}

/// Where a cause is checked.
struct Spot {
    target: Target,
    /// For people.
    shown: String,
    /// It is this machine, whose interpreters are others to be had.
    here: bool,
    /// Its options.
    typed: Vec<String>,
}

/// What causes are held against.
struct Checker<'a> {
    arguments: &'a Diagnose,
    surroundings: &'a Surroundings,
    /// The environment that was named.
    snapshot: Option<Snapshot>,
    /// The pins that it was made from.
    lock: Option<Lock>,
    policy: Policy,
    depots: Arc<Depots>,
    run: Run,
    /// This machine, or the target that was named.
    target: OnceCell<Result<plan::Chosen, String>>,
    /// That target has an interpreter that is not on this machine.
    planned: bool,
    /// The platform of this machine.
    machine: OnceCell<Option<Platform>>,
    /// Where what was seen was written, as far as that was asked.
    places: RefCell<Vec<(Origin, Whereabouts)>>,
    /// The interpreters here: asking each what it is takes a while.
    interpreters: OnceCell<Vec<Found>>,
    /// What the first remedies of the causes before ask for.
    asked_before: RefCell<Vec<Requirement>>,
}

/// All causes with their words, what the log is of, and why something could not be checked.
pub(super) fn all(
    diagnosis: Diagnosis,
    arguments: &Diagnose,
    surroundings: &Surroundings,
    output: &Output,
) -> Result<Report, Error> {
    let causes = diagnosis.causes.as_slice();
    // What was named must be right, whether it is needed or not.
    let checker = Checker::new(arguments, surroundings)?;
    let mut notes: Vec<String> = Vec::new();
    let bar = output.searching();
    let work = || {
        causes
            .iter()
            .enumerate()
            .map(|(place, cause)| checker.checked(place, cause, &mut notes))
            .collect()
    };
    let found: Vec<Told> = output.watch(
        "checking",
        &bar,
        &checker.run,
        checker.depots.network(),
        work,
    );
    if causes.len() > MOST_CHECKED {
        notes.push(format!(
            "only the first {MOST_CHECKED} of {} causes were checked",
            causes.len()
        ));
    }
    bar.finish_and_clear();
    output.report_network(checker.depots.network());
    let causes = checker.surroundings.config.causes();
    let is_checked = |f: &Told| !checks_of(&causes, &f.cause.id).is_empty();
    if checker.depots.is_empty() && found.iter().any(is_checked) {
        notes.push(
            "no depot is named, so that no remedy was solved: name one with --depot, in \
                EUTAXIS_DEPOT or eutaxis.toml"
                .to_owned(),
        );
    }
    let of = checker.log_of(&diagnosis.of, diagnosis.causes.first());
    Ok(Report {
        found,
        of,
        notes,
        written: arguments.sarif.clone(),
        diagnosis,
    })
}

fn checks_of(causes: &Causes, id: &str) -> Vec<CheckKind> {
    let kind = causes.kind_of(id).and_then(|k| causes.kind(k));
    kind.map(|k| k.checks.clone()).unwrap_or_default()
}

impl<'a> Checker<'a> {
    /// A cause, held against everything that can say something of it.
    fn checked(&self, place: usize, cause: &Cause, notes: &mut Vec<String>) -> Told {
        let mut cause = cause.clone();
        self.as_there(&mut cause);
        let causes = self.surroundings.config.causes();
        let mut checked = Checked {
            keeps_interpreter: cause.excludes(Cure::Interpreter, &causes),
            ..Checked::default()
        };
        let kinds = checks_of(&causes, &cause.id);
        let kinds_lead_to_a_proof =
            kinds.contains(&CheckKind::Moved) || kinds.contains(&CheckKind::Modules);
        for kind in kinds.into_iter().filter(|_| place < MOST_CHECKED) {
            if let Err(error) = check_of(kind)(self, &mut cause, &mut checked) {
                let note = format!("not checked to the end: {}", error.message);
                if !notes.contains(&note) {
                    notes.push(note);
                }
            }
        }
        if kinds_lead_to_a_proof && let Some(remedy) = self.prove_again(&cause, &checked) {
            checked.remedies.push(remedy);
        }
        // Whoever takes the remedies one by one keeps what the ones before brought.
        let asks = std::mem::take(&mut checked.asks);
        self.asked_before.borrow_mut().extend(asks);
        let mut told = self.told(cause, checked);
        if place > 0 {
            // The remedies of several causes do not write over each other.
            let own = lock_file_name_for(placed::MEND, &(place + 1).to_string());
            let steps = told
                .told
                .remedies
                .iter_mut()
                .filter_map(|r| r.step.as_mut());
            steps.for_each(|step| step.rename(placed::MEND, &own));
        }
        told
    }

    /// The pins' question once more, proven, where a placed project fails when it is imported and
    /// nothing was found that mends it.
    fn prove_again(&self, cause: &Cause, checked: &Checked) -> Option<Remedy> {
        let snapshot = self.snapshot.as_ref()?;
        let is_found = checked.remedies.iter().any(|r| r.evidence.is_some());
        // What one's own code asks for is nothing that importing what is placed runs into.
        let module = cause.facts.get("module");
        let top = module.as_deref().and_then(|m| m.split('.').next());
        let of = cause.facts.get("of").filter(|of| Some(of.as_str()) != top);
        let taker = of.and_then(|of| self.owner(&of));
        if is_found || taker.is_none() || stand_in().is_some() {
            return None;
        }
        snapshot.prove_again()
    }

    fn new(arguments: &'a Diagnose, surroundings: &'a Surroundings) -> Result<Self, Error> {
        let policy = plan::policy(&arguments.policy, &surroundings.config)?;
        let depots = plan::named_depots(&arguments.depots, surroundings, false)?;
        let environment = arguments.environment.as_deref();
        let mut snapshot = environment
            .map(|place| surroundings.snapshot(place, true))
            .transpose()?;
        // Pins that cannot be read do not keep a log from being read.
        let lock = snapshot.as_mut().and_then(|snapshot| {
            let pins = placed::pins::remembered(snapshot, surroundings)?;
            placed::pins::hold_to(snapshot, &pins, surroundings, &arguments.depots).ok()
        });
        let (target, mut planned) = (OnceCell::new(), false);
        let options = &arguments.target;
        if is_named(options) {
            let (chosen, is_planned) = named_target(options, surroundings)?;
            planned = is_planned;
            let _ = target.set(Ok(chosen));
        }
        let run = Run::new(Arc::clone(&depots));
        Ok(Checker {
            arguments,
            surroundings,
            snapshot,
            lock,
            policy,
            depots,
            run,
            target,
            planned,
            machine: OnceCell::new(),
            places: RefCell::new(Vec::new()),
            interpreters: OnceCell::new(),
            asked_before: RefCell::default(),
        })
    }

    /// Where a cause is checked: the target or the environment that was named, else this machine,
    /// with the interpreter that the log tells of.
    fn spot(&self, cause: &Cause) -> Result<Spot, Error> {
        let options = &self.arguments.target;
        if let Some(snapshot) = self.snapshot.as_ref().filter(|_| !is_named(options)) {
            let interpreter = crate::words::near(std::path::Path::new(&snapshot.python));
            return Ok(Spot {
                target: snapshot.target.clone(),
                shown: format!(
                    "{} ({})",
                    snapshot.name,
                    called(&snapshot.target.interpreter)
                ),
                here: true,
                typed: vec!["--interpreter".to_owned(), interpreter],
            });
        }
        if let Some(mut spot) = self.elsewhere(cause)? {
            let is_named = options.interpreter.is_some();
            if let Some(told) = self.told_interpreter(cause).filter(|_| !is_named) {
                self.with_interpreter(&mut spot, &told);
            }
            return Ok(spot);
        }
        let chosen = self.this()?;
        let mut typed = typed::target(&self.arguments.target);
        if self.planned {
            typed = vec!["--target".to_owned(), spec(&chosen.target)];
        } else if let Some(interpreter) = &self.arguments.target.interpreter {
            typed.extend(["--interpreter".to_owned(), interpreter.clone()]);
        }
        let mut spot = Spot {
            target: chosen.target.clone(),
            shown: chosen.shown.clone(),
            here: chosen.here,
            typed,
        };
        let interpreter_named = !options.target.is_empty() || options.interpreter.is_some();
        if let Some(version) = self.told_interpreter(cause).filter(|_| !interpreter_named) {
            self.with_interpreter(&mut spot, &version);
        } else if spot.here {
            spot.shown = format!("{} on this machine", called(&spot.target.interpreter));
        }
        Ok(spot)
    }

    /// The platform of this machine, by its files; else an interpreter tells it.
    fn platform(&self) -> Option<&Platform> {
        let told = self.machine.get_or_init(|| {
            let of_files = machine(&root()).map(|m| m.platform());
            of_files.or_else(|| {
                let chosen = plan::target(&TargetOptions::default(), self.surroundings);
                chosen.ok().map(|chosen| chosen.target.platform)
            })
        });
        told.as_ref()
    }

    /// The target that was named, else this machine.
    fn this(&self) -> Result<&plan::Chosen, Error> {
        let chosen = self.target.get_or_init(|| {
            plan::target(&self.arguments.target, self.surroundings).map_err(|e| e.message)
        });
        chosen
            .as_ref()
            .map_err(|message| Error::request(message.clone()))
    }

    /// The same place with another interpreter.
    fn spot_with(&self, spot: &Spot, other: &Alternative) -> Spot {
        let typed = if spot.here && !other.here {
            // One that is not here is planned for.
            vec!["--target".to_owned(), spec(&other.target)]
        } else {
            let mut typed = typed::target(&self.arguments.target);
            typed.extend(["--interpreter".to_owned(), other.name.clone()]);
            typed
        };
        Spot {
            target: other.target.clone(),
            shown: called(&other.target.interpreter),
            here: other.here,
            typed,
        }
    }

    /// The interpreter that the log tells of.
    fn told_interpreter(&self, cause: &Cause) -> Option<Interpreter> {
        let of_bar = cause
            .facts
            .get("found")
            .filter(|_| cause.id == "no-release-fits");
        let told = cause.origin.interpreter();
        let implementation = told
            .as_ref()
            .map_or(Implementation::Cpython, |i| i.implementation.clone());
        let planned = |text: String| {
            let version = Version::parse(&text).ok();
            let version = version.filter(|v| v.parts().release.len() >= 2)?;
            Interpreter::planned(implementation, &version, false).ok()
        };
        of_bar.and_then(planned).or(told)
    }

    fn with_interpreter(&self, spot: &mut Spot, told: &Interpreter) {
        if told.series() != spot.target.interpreter.series() {
            let machine = if spot.here {
                "this machine".to_owned()
            } else {
                spot.target.platform.to_string()
            };
            spot.shown = format!("{} on {machine}", called(told));
            spot.target = spot.target.with_interpreter(told.clone());
            // It may be here or not: what was placed with it is another one's to say.
            spot.typed = vec!["--target".to_owned(), spec(&spot.target)];
        } else if spot.here {
            spot.shown = format!("{} on this machine", called(&spot.target.interpreter));
        }
    }

    /// What is only looked through is not started for it.
    fn probes(&self) -> ProbeCache {
        self.surroundings.probes().quick()
    }

    /// The interpreters that are found here.
    fn known(&self) -> &[Found] {
        self.interpreters.get_or_init(|| {
            let (found, _) = self.surroundings.finder().all(&self.probes());
            found
        })
    }

    /// The same by their paths, each by its own: what only leads to it would have to be asked anew
    /// each time.
    fn interpreters(&self) -> Vec<PathBuf> {
        let own = |f: &Found| match f.facts.executable.exists() && stand_in().is_none() {
            true => f.facts.executable.clone(),
            false => f.path.clone(),
        };
        let mut all: Vec<PathBuf> = self.known().iter().map(own).collect();
        all.dedup();
        all
    }

    /// The environment that was named, where a cause is checked with its interpreter.
    fn environment(&self, spot: &Spot) -> Option<&Snapshot> {
        self.snapshot
            .as_ref()
            .filter(|s| s.target.interpreter == spot.target.interpreter)
    }

    /// What an environment is to hold.
    fn held<'s>(&'s self, snapshot: &'s Snapshot) -> Held<'s> {
        Held {
            snapshot,
            lock: self.lock.as_ref(),
            surroundings: self.surroundings,
            run: &self.run,
            depots: &self.arguments.depots,
        }
    }

    /// The page of a project; none when no depot has it.
    fn page(&self, project: &Name) -> Result<Option<Arc<Page>>, Error> {
        Ok(self
            .run
            .pages(std::slice::from_ref(project))?
            .pop()
            .flatten())
    }

    /// Other interpreters for a place: those that are here first.
    fn others(&self, spot: &Spot) -> Vec<Alternative> {
        let mine = spot.target.interpreter.series();
        let mut all = plan::alternatives(&spot.target, spot.here, self.surroundings);
        all.retain(|a| a.target.interpreter.series() != mine);
        // The newest first, of those that are here and of the others.
        all.sort_by_key(|a| std::cmp::Reverse((a.here, a.target.interpreter.series())));
        all
    }

    /// The project of a cause: that which is named, else the one that a module of this name belongs
    /// to in the environment.
    fn project(&self, cause: &Cause) -> Option<Name> {
        let named = cause.facts.get("project").filter(|p| p != "python");
        let told = named.or_else(|| cause.facts.get("of"))?;
        self.project_of(&told)
    }

    /// The project that a module at the top belongs to in the environment that was named.
    fn owner(&self, module: &str) -> Option<Name> {
        let snapshot = self.snapshot.as_ref()?;
        let top = module.split('.').next().unwrap_or(module);
        let named =
            |p: &eutaxis_core::examine::Project| Name::parse(top).is_ok_and(|n| n == p.name);
        let owns = |p: &eutaxis_core::examine::Project| {
            let folder = snapshot.path.get(p.entry).map_or("", |e| e.folder.as_str());
            let inside = |f: &eutaxis_core::examine::Owned| {
                let rest = f
                    .path
                    .strip_prefix(folder)
                    .map(|r| r.trim_start_matches('/'))
                    .unwrap_or_default();
                rest.strip_prefix(top)
                    .is_some_and(|r| r.starts_with(['/', '.']))
            };
            p.claims.iter().any(|c| c == top) || p.files.iter().any(inside)
        };
        let found = snapshot
            .projects
            .iter()
            .find(|p| owns(p))
            .or_else(|| snapshot.projects.iter().find(|p| named(p)));
        found.map(|p| p.name.clone())
    }

    /// The project of a name, or of a module at the top: who owns it in the environment that was
    /// named, who usually brings it, who bears its name.
    fn project_of(&self, name: &str) -> Option<Name> {
        let usual = || Name::parse(bringing(name).first()?).ok();
        self.owner(name)
            .or_else(usual)
            .or_else(|| Name::parse(name).ok())
    }

    /// The release that is placed in the environment that was named.
    fn placed(&self, project: &Name) -> Option<&Version> {
        self.snapshot.as_ref()?.visible(project)?.version.as_ref()
    }

    /// The cause in words, with what was checked first.
    fn told(&self, cause: Cause, checked: Checked) -> Told {
        let mut told = cause.told(&self.surroundings.config.causes(), std::env::consts::OS);
        let solved = |r: &Remedy| {
            let is_proof = |step: &Step| matches!(step, Step::Run(all) if all.len() > 1);
            r.evidence.is_some() || r.step.as_ref().is_some_and(is_proof)
        };
        let solved = checked.remedies.iter().any(solved);
        let mut remedies = checked.remedies;
        for mut remedy in told.remedies {
            // What was solved takes the place of what would have been looked up.
            let verb = remedy.step.as_ref().and_then(Step::verb);
            let asks = verb.is_some_and(Verb::asks_depots);
            let enters = matches!(remedy.step, Some(Step::Enter { .. }));
            if solved && (asks || enters || verb == Some(Verb::Locate)) {
                continue;
            }
            remedy.step = remedy.step.and_then(|step| self.fitted(&cause, step));
            remedy = self.advised(&cause, remedy);
            let same =
                |r: &Remedy| r.step.is_some() && r.step == remedy.step || r.words == remedy.words;
            if !remedies.iter().any(same) {
                remedies.push(remedy);
            }
        }
        remedies.truncate(MOST_REMEDIES);
        told.remedies = remedies;
        told.would_not_help.splice(0..0, checked.would_not_help);
        Told {
            cause,
            told,
            checked: checked.sentences,
        }
    }
}

/// The release that a solution has of a project.
fn version_of(solution: &Solution, name: &Name) -> Option<Version> {
    solution
        .chosen
        .iter()
        .find(|c| c.project == *name)
        .map(|c| c.version.clone())
}

/// Whether the options name a target, or a part of one.
fn is_named(options: &TargetOptions) -> bool {
    !options.target.is_empty()
        || options.platform.is_some()
        || options.accelerator.is_some()
        || options.interpreter.is_some()
}

/// The target that the options name, and whether it is planned: an interpreter that is not here.
fn named_target(
    options: &TargetOptions,
    surroundings: &Surroundings,
) -> Result<(plan::Chosen, bool), Error> {
    let error = match plan::target(options, surroundings) {
        Ok(chosen) => return Ok((chosen, false)),
        Err(error) => error,
    };
    let planned = options
        .interpreter
        .as_deref()
        .and_then(|text| Interpreter::parse(text).ok());
    let (Some(interpreter), true) = (planned, options.target.is_empty()) else {
        return Err(error);
    };
    let mut chosen = plan::target(
        &TargetOptions {
            interpreter: None,
            ..options.clone()
        },
        surroundings,
    )?;
    chosen.shown = called(&interpreter);
    chosen.target = chosen.target.with_interpreter(interpreter);
    Ok((chosen, true))
}

/// An interpreter as people call it: `CPython 3.9`.
fn called(interpreter: &Interpreter) -> String {
    let name = match interpreter.implementation.name() {
        "cpython" => "CPython",
        "pypy" => "PyPy",
        other => other,
    };
    format!(
        "{name} {}{}",
        interpreter.series_text(),
        if interpreter.free_threaded { "t" } else { "" }
    )
}

/// A target as it is typed, with the series of its interpreter.
fn spec(target: &Target) -> String {
    let interpreter = &target.interpreter;
    format!(
        "{} {} / {}",
        interpreter.implementation.name(),
        interpreter.series_text(),
        target.place()
    )
}
