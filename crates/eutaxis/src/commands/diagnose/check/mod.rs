//! Causes held against what is there: the environment, the target, the depots.
//!
//! A new check is a file and a line in [`CHECKS`].

mod modules;
mod moved;
mod names;
mod offers;
mod together;

use std::cell::OnceCell;
use std::sync::Arc;

use eutaxis_core::diagnose::{Cause, Remedy};
use eutaxis_core::examine::Snapshot;
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::Policy;
use eutaxis_core::solve::{Alternative, Clash, Problem, Solution};
use eutaxis_core::target::Interpreter;
use eutaxis_core::{Ask, Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::snapshot::{Look, snapshot};
use eutaxis_world::supply::{Outcome as End, Run};

use super::Found;
use crate::cli::Diagnose;
use crate::output::Output;
use crate::plan::{self, Surroundings};
use crate::typed::{self, quoted};

/// What a check adds to a cause.
type Check = fn(&Checker<'_>, &mut Cause, &mut Checked) -> Result<(), Error>;

/// Which causes each check is for.
const CHECKS: [(&[&str], Check); 5] = [
    (
        &[
            "no-release-fits",
            "version-unknown",
            "wheel-not-for-target",
            "build-tool-missing",
            "header-missing",
            "build-dependency-missing",
            "build-failed",
            "memory-exhausted",
            "wrong-architecture",
            "libc-too-old",
            "cxx-runtime-too-old",
            "driver-too-old",
            "device-unsupported",
            "accelerator-build-absent",
            "toolkit-absent",
            "syntax-too-new",
        ],
        offers::check,
    ),
    (&["name-unknown"], names::check),
    (&["module-absent", "module-shadowed"], modules::check),
    (&["abi-changed", "api-removed", "library-version-differs", "symbol-absent"], moved::check),
    (&["clash", "stale-dependency"], together::check),
];

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
}

impl Checked {
    fn say(&mut self, sentence: impl Into<String>) {
        self.sentences.push(sentence.into());
    }

    /// A remedy that was solved to the end, or tried.
    fn solved(&mut self, text: impl Into<String>, change: impl Into<String>) {
        self.remedies.push(Remedy { text: text.into(), change: Some(change.into()), verified: true });
    }

    /// A remedy that was not.
    fn suggest(&mut self, text: impl Into<String>, change: Option<String>) {
        self.remedies.push(Remedy { text: text.into(), change, verified: false });
    }
}

/// Where a cause is checked.
struct Spot {
    target: Target,
    /// For people.
    shown: String,
    /// It is this machine.
    here: bool,
    /// Its options, as typed.
    typed: String,
}

/// What causes are held against.
struct Checker<'a> {
    arguments: &'a Diagnose,
    surroundings: &'a Surroundings,
    /// The environment that was named.
    snapshot: Option<Snapshot>,
    policy: Policy,
    depots: Arc<Depots>,
    run: Run,
    /// This machine, or the target that was named.
    target: OnceCell<Result<plan::Chosen, String>>,
}

/// All causes with their words, and why something could not be checked.
pub(super) fn all(
    causes: &[Cause],
    arguments: &Diagnose,
    surroundings: &Surroundings,
    output: &Output,
) -> Result<(Vec<Found>, Vec<String>), Error> {
    // What was named must be right, whether it is needed or not.
    let checker = Checker::new(arguments, surroundings)?;
    let mut notes: Vec<String> = Vec::new();
    let bar = output.progress();
    bar.set_message("checking");
    let mut found = Vec::new();
    for cause in causes {
        let mut cause = cause.clone();
        let mut checked = Checked::default();
        let checks = CHECKS.iter().filter(|(ids, _)| ids.contains(&cause.id.as_str())).map(|(_, check)| check);
        for check in checks.collect::<Vec<_>>() {
            if let Err(error) = check(&checker, &mut cause, &mut checked) {
                let note = format!("not checked to the end: {}", error.message);
                if !notes.contains(&note) {
                    notes.push(note);
                }
            }
        }
        found.push(checker.told(cause, checked));
    }
    bar.finish_and_clear();
    output.report_network(checker.depots.network());
    if checker.depots.is_empty() && found.iter().any(|f| is_checked_with_depots(&f.cause.id)) {
        notes.push(
            "no depot is named, so that no remedy was solved: name one with --depot, in EUTAXIS_DEPOT or eutaxis.toml"
                .to_owned(),
        );
    }
    Ok((found, notes))
}

fn is_checked_with_depots(id: &str) -> bool {
    CHECKS.iter().any(|(ids, _)| ids.contains(&id))
}

impl<'a> Checker<'a> {
    fn new(arguments: &'a Diagnose, surroundings: &'a Surroundings) -> Result<Self, Error> {
        let policy = plan::policy(&arguments.policy, &surroundings.config)?;
        let depots = plan::named_depots(&arguments.depots, surroundings, false)?;
        let snapshot = arguments.environment.as_deref().map(|place| read(place, surroundings)).transpose()?;
        let target = OnceCell::new();
        let options = &arguments.target;
        if !options.target.is_empty()
            || options.interpreter.is_some()
            || options.platform.is_some()
            || options.accelerator.is_some()
        {
            let _ = target.set(Ok(plan::target(options, surroundings)?));
        }
        let run = Run::new(Arc::clone(&depots));
        Ok(Checker { arguments, surroundings, snapshot, policy, depots, run, target })
    }

    /// Where a cause is checked: the target or the environment that was named, else this machine, with the interpreter that the log
    /// tells of.
    fn spot(&self, cause: &Cause) -> Result<Spot, Error> {
        let named = self.target.get().is_some();
        if let Some(snapshot) = self.snapshot.as_ref().filter(|_| !named) {
            let interpreter = crate::render::near(std::path::Path::new(&snapshot.python));
            return Ok(Spot {
                target: snapshot.target.clone(),
                shown: format!("{} ({})", snapshot.name, snapshot.target.interpreter),
                here: true,
                typed: format!(" --interpreter {}", quoted(&interpreter)),
            });
        }
        let chosen =
            self.target.get_or_init(|| plan::target(&self.arguments.target, self.surroundings).map_err(|e| e.message));
        let chosen = chosen.as_ref().map_err(|message| Error::request(message.clone()))?;
        let mut typed = typed::target(&self.arguments.target);
        if let Some(interpreter) = &self.arguments.target.interpreter {
            typed.push_str(&format!(" --interpreter {}", quoted(interpreter)));
        }
        let mut spot = Spot { target: chosen.target.clone(), shown: chosen.shown.clone(), here: chosen.here, typed };
        if let Some(version) = self.told_interpreter(cause).filter(|_| !named) {
            self.with_interpreter(&mut spot, &version);
        } else if spot.here {
            spot.shown = format!("{} on this machine", spot.target.interpreter);
        }
        Ok(spot)
    }

    /// The interpreter that the log tells of.
    fn told_interpreter(&self, cause: &Cause) -> Option<Version> {
        let of_bar = cause.facts.get("found").filter(|_| cause.id == "no-release-fits");
        let text = of_bar.or_else(|| cause.facts.get("interpreter"))?;
        Version::parse(&text).ok().filter(|v| v.parts().release.len() >= 2)
    }

    fn with_interpreter(&self, spot: &mut Spot, version: &Version) {
        let implementation = spot.target.interpreter.implementation.clone();
        let Ok(planned) = Interpreter::planned(implementation, version, false) else { return };
        if planned.series() != spot.target.interpreter.series() {
            spot.shown = format!("{planned} on this machine, as the log tells");
            let series = planned.series();
            spot.typed = format!(" --interpreter {}.{}", series.0, series.1);
            spot.target = spot.target.with_interpreter(planned);
        } else if spot.here {
            spot.shown = format!("{} on this machine", spot.target.interpreter);
        }
    }

    /// The question of these requirements on a target.
    fn problem(&self, target: &Target, requirements: &[Requirement], policy: &Policy) -> Problem {
        let ask = |r: &Requirement| Ask { requirement: r.clone(), origin: Origin::Argument };
        let mut problem = Problem::new(target.clone(), policy.clone(), requirements.iter().map(ask).collect());
        problem.adjustments.clone_from(&self.surroundings.config.adjustments);
        problem
    }

    fn solve(&self, problem: &Problem) -> Result<Result<Solution, Clash>, Error> {
        Ok(match self.run.solve(problem, &|_| ())? {
            End::Settled(solution) => Ok(solution),
            End::Clash(clash) => Err(clash),
        })
    }

    /// Other interpreters for a place: those that are here first.
    fn others(&self, spot: &Spot) -> Vec<Alternative> {
        let mine = spot.target.interpreter.series();
        let mut all = plan::alternatives(&spot.target, spot.here, self.surroundings);
        all.retain(|a| a.target.interpreter.series() != mine);
        // The newest first, of those that are here and of the others.
        all.sort_by(|a, b| (b.here, b.target.interpreter.series()).cmp(&(a.here, a.target.interpreter.series())));
        all
    }

    /// The command that settles and places requirements.
    fn settle(&self, asks: &[String], spot: &Spot, more: &str) -> String {
        let asks: Vec<String> = asks.iter().map(|a| quoted(a)).collect();
        let depots = typed::depots(&self.arguments.depots);
        let settle = format!("eutaxis settle {}{}{more}{depots} --out mend.toml", asks.join(" "), spot.typed);
        match &self.snapshot {
            Some(snapshot) => {
                format!("{settle} && eutaxis furnish mend.toml --at {}{depots}", quoted(&snapshot.name))
            }
            None => settle,
        }
    }

    /// The project of a cause: that which is named, else the one that a module of this name belongs to in the environment.
    fn project(&self, cause: &Cause) -> Option<Name> {
        let named = cause.facts.get("project").filter(|p| p != "python");
        let told = named.or_else(|| cause.facts.get("of"))?;
        Some(self.owner(&told).unwrap_or(Name::parse(&told).ok()?))
    }

    /// The project that a module at the top belongs to in the environment that was named.
    fn owner(&self, module: &str) -> Option<Name> {
        let snapshot = self.snapshot.as_ref()?;
        let top = module.split('.').next().unwrap_or(module);
        let named = |p: &eutaxis_core::examine::Project| Name::parse(top).is_ok_and(|n| n == p.name);
        let owns = |p: &eutaxis_core::examine::Project| {
            let folder = snapshot.path.get(p.entry).map_or("", |e| e.folder.as_str());
            let inside = |f: &eutaxis_core::examine::Owned| {
                let rest = f.path.strip_prefix(folder).map(|r| r.trim_start_matches('/')).unwrap_or_default();
                rest.strip_prefix(top).is_some_and(|r| r.starts_with(['/', '.']))
            };
            p.claims.iter().any(|c| c == top) || p.files.iter().any(inside)
        };
        let found = snapshot.projects.iter().find(|p| owns(p)).or_else(|| snapshot.projects.iter().find(|p| named(p)));
        found.map(|p| p.name.clone())
    }

    /// The release that is placed in the environment that was named.
    fn placed(&self, project: &Name) -> Option<&Version> {
        self.snapshot.as_ref()?.visible(project)?.version.as_ref()
    }

    /// The cause in words, with what was checked first.
    fn told(&self, cause: Cause, checked: Checked) -> Found {
        let mut told = cause.told(&self.surroundings.config.causes);
        let solved = checked.remedies.iter().any(|r| r.verified);
        let mut remedies = checked.remedies;
        for mut remedy in told.remedies {
            // What was solved takes the place of what would have been looked up.
            let lookup =
                |c: &String| ["eutaxis settle", "eutaxis shortlist", "eutaxis span"].iter().any(|l| c.starts_with(l));
            if remedy.change.as_ref().is_some_and(lookup) {
                if solved {
                    continue;
                }
                remedy.change = remedy.change.map(|c| self.completed(&c));
            }
            let same = |r: &Remedy| r.change.is_some() && r.change == remedy.change || r.text == remedy.text;
            if !remedies.iter().any(same) {
                remedies.push(remedy);
            }
        }
        remedies.truncate(MOST_REMEDIES);
        told.remedies = remedies;
        told.would_not_help.splice(0..0, checked.would_not_help);
        Found { cause, told, checked: checked.sentences }
    }

    /// A command with the target and the depots of this one.
    fn completed(&self, command: &str) -> String {
        let target = typed::target(&self.arguments.target);
        format!("{command}{target}{}", typed::depots(&self.arguments.depots))
    }
}

/// The environment that was named, without the hashes of its files.
fn read(place: &std::path::Path, surroundings: &Surroundings) -> Result<Snapshot, Error> {
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    snapshot(&Look {
        place,
        finder: &finder,
        probes: &probes,
        families: &surroundings.config.families,
        libraries: &surroundings.config.libraries,
        from_folder: None,
        quick: true,
    })
}
