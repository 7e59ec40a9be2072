//! `examine`: what is wrong in this environment? does it match the pins? do the imports work?

mod compare;
mod dates;
mod libraries;
mod remedies;
mod sarif;
mod sizes;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use eutaxis_core::diagnose::Context;
use eutaxis_core::examine::{
    Finding, Severity, Snapshot, Tried, asked, checks, examine, gaps, imports, module_set, modules,
    of_entry_points, optional, sights, trials, untried,
};
use eutaxis_core::knowledge::DeviceCheck;
use eutaxis_core::record::proof_of;
use eutaxis_world::attempt::{Limits, Runner};
use eutaxis_world::catalogue::Catalogue;
use eutaxis_world::config;
use eutaxis_world::environment::pins_of;
use eutaxis_world::environment::snapshot::{Look, snapshot};
use eutaxis_world::interpreter::{Finder, ProbeCache};
use eutaxis_world::root::{distribution, root, stand_in};
use eutaxis_world::stock::Trim;
use eutaxis_world::supply::Run;
use eutaxis_world::{Error, ErrorKind};

use crate::answer::examine::{Attempted, Report};
use crate::cli::{Common, Examine, ImportsArg};
use crate::output::{Answer, Outcome, Output};
use crate::placed::{self, Held};
use crate::plan::{self, Surroundings};
use crate::proof::reading;
use crate::{render, report, typed, words};

pub(crate) fn run(arguments: &Examine, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let runner_limits = limits(arguments)?;
    if arguments.trials && surroundings.config.trials.is_empty() {
        let error = Error::request("no trials are named in the settings");
        return Err(error.help(
            "write [trial.NAME] with code = \"...\" and expect = \"...\" into eutaxis.toml",
        ));
    }
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    let place = match (&arguments.environment, &finder.active) {
        (Some(place), _) => place.clone(),
        (None, Some(root)) if !root.is_dir() => return Err(gone(root, &surroundings)),
        (None, _) => plan::interpreter(None, &surroundings)?.path,
    };
    if let Some(folder) = arguments.from_folder.as_ref().filter(|f| !f.is_dir()) {
        return Err(
            Error::request(format!("there is no folder {}", folder.display()))
                .help("name the folder with --from-folder"),
        );
    }
    let look = Look {
        place: &place,
        finder: &finder,
        probes: &probes,
        families: &surroundings.config.families,
        libraries: &surroundings.config.libraries,
        from_folder: arguments.from_folder.as_deref(),
        quick: arguments.quick,
    };
    let bar = output.progress();
    bar.set_message("reading");
    let read = snapshot(&look);
    bar.finish_and_clear();
    let mut snapshot = read?;
    if arguments.list {
        return Ok(compare::listed(&snapshot));
    }
    if let Some(other) = &arguments.against {
        return compare::against(&snapshot, other, &look);
    }
    let remembered = placed::pins::remembered(&snapshot, &surroundings);
    let pins = arguments.pins.as_ref().or(remembered.as_ref());
    let hold = |pins: &PathBuf| {
        placed::pins::hold_to(&mut snapshot, pins, &surroundings, &arguments.depots)
    };
    let lock = pins.map(hold).transpose()?;
    let depots = plan::named_depots(&arguments.depots, &surroundings, false)?;
    // Dates and remedies rest on the same pages.
    let run = Run::new(Arc::clone(&depots));
    if !depots.is_empty() {
        dates::add(&mut snapshot, &run, output);
    }
    let mut findings = examine(&snapshot);
    let (catalogue, _) = Catalogue::open(&surroundings.cache);
    let set = module_set(&snapshot);
    let mut read = Read::default();
    if !arguments.quick {
        let (walk, effort) = reading::walked(&snapshot, &set, &catalogue);
        optional(&snapshot, &walk, &mut findings);
        findings.extend(gaps(&snapshot, &walk.gaps()));
        sort(&mut findings);
        read.followed = effort.sources;
        read.reached = walk.reached();
    }
    if !depots.is_empty() {
        remedies::solve(
            &mut findings,
            &Held {
                snapshot: &snapshot,
                lock: lock.as_ref(),
                surroundings: &surroundings,
                run: &run,
                depots: &arguments.depots,
            },
            output,
        );
    }
    let tried = try_it(
        arguments,
        &snapshot,
        &surroundings,
        runner_limits,
        output,
        &read,
        &mut findings,
    )?;
    output.report_network(depots.network());
    if let Some(file) = &arguments.sarif {
        sarif::write(&findings, file)?;
    }
    let other = other_interpreter(&snapshot, &finder, &probes);
    let sizes = arguments.sizes.then(|| sizes::shares(&snapshot));
    let report = Report {
        snapshot,
        proof: lock.as_ref().and_then(proof_of),
        findings,
        sizes,
        tried,
        followed: read.followed,
        written: arguments.sarif.clone(),
        quick: arguments.quick,
        other,
    };
    let breaks = report
        .findings
        .iter()
        .any(|f| f.severity == Severity::Breaks);
    let text = render::examine::text(&report, output.verbose());
    Ok(Answer {
        outcome: if breaks { Outcome::No } else { Outcome::Ok },
        text,
        report: report::Examine::Found(Box::new((&report).into())).into(),
    })
}

/// Really imports modules, runs trials and asks for devices, as far as that is asked for.
fn try_it(
    arguments: &Examine,
    snapshot: &Snapshot,
    surroundings: &Surroundings,
    limits: Limits,
    output: &Output,
    read: &Read,
    findings: &mut Vec<Finding>,
) -> Result<Attempted, Error> {
    if arguments.imports.is_none() && !arguments.trials && !arguments.device {
        return Ok(Attempted::default());
    }
    let runner = runner(snapshot, limits)?;
    let mut tried = Attempted::default();
    if let Some(which) = arguments.imports {
        let mut modules = modules(snapshot);
        let public: BTreeSet<String> = modules.iter().map(|(m, _)| m.clone()).collect();
        let mut starts = of_entry_points(snapshot);
        starts.retain(|(module, _)| !public.contains(module));
        let scripts: BTreeSet<String> = starts.iter().map(|(m, _)| m.clone()).collect();
        modules.extend(starts);
        let asked = asked(snapshot);
        if which == ImportsArg::All {
            let set = module_set(snapshot);
            modules.extend(
                asked
                    .iter()
                    .flat_map(|p| set.all(*p).into_iter().map(|m| (m, *p))),
            );
        }
        let mut seen = BTreeSet::new();
        modules.retain(|(module, _)| seen.insert(module.clone()));
        let bar = output.progress();
        bar.set_length(modules.len() as u64);
        bar.set_message("importing");
        let count = AtomicU64::new(0);
        let attempts = runner.import(&modules, &|| {
            bar.set_position(count.fetch_add(1, Ordering::Relaxed) + 1)
        });
        bar.finish_and_clear();
        let config = &surroundings.config;
        let distributions = distribution(&root());
        let (families, libraries) = (&config.families, &config.libraries);
        let context = Context {
            families,
            libraries,
            distributions: &distributions,
        };
        let attempts = attempts?;
        untried(findings, &attempts);
        let wanted: BTreeSet<usize> = asked.union(&read.reached).copied().collect();
        let done = Tried {
            attempts: &attempts,
            wanted: &wanted,
            asked: &asked,
            public: &public,
            scripts: &scripts,
        };
        findings.extend(imports(snapshot, &done, &config.causes(), &context));
        tried.modules = Some(modules.len());
    }
    if arguments.trials {
        let named = surroundings.config.trials.iter();
        let named: Vec<_> = named.map(|(n, t)| (n.clone(), t.clone())).collect();
        let ran = runner.trials(&named)?;
        findings.extend(trials(&ran));
        tried.trials = Some(ran);
    }
    if arguments.device {
        let asked = checks(snapshot);
        let trial = |(check, _): &(DeviceCheck, usize)| {
            let code = check.code.clone();
            let trial = config::Trial {
                what: config::Tried::Code(code),
                expect: None,
            };
            (check.project.to_string(), trial)
        };
        let named: Vec<_> = asked.iter().map(trial).collect();
        let (seen, found) = sights(snapshot, &asked, &runner.trials(&named)?);
        findings.extend(found);
        tried.seen = Some(seen);
    }
    sort(findings);
    Ok(tried)
}

/// The active environment is not there any more.
fn gone(root: &Path, surroundings: &Surroundings) -> Error {
    let place = words::near(root);
    let error = Error::request(format!(
        "the active environment is gone: {place} is no folder"
    ));
    let quoted = typed::quoted(&place);
    error.help(match pins_of(&surroundings.cache, root) {
        Some(pins) => format!(
            "make it again:  eutaxis furnish {} --at {quoted}",
            typed::quoted(&words::near(&pins))
        ),
        None => "leave it (deactivate), or name an environment:  eutaxis examine ENV".to_owned(),
    })
}

/// Worst first; within one severity by project.
fn sort(findings: &mut [Finding]) {
    findings.sort_by(|a, b| (a.severity, &a.project).cmp(&(b.severity, &b.project)));
}

/// What following imports came to.
#[derive(Debug, Default)]
struct Read {
    /// So many sources.
    followed: usize,
    /// The projects that importing what was asked for leads to.
    reached: BTreeSet<usize>,
}

fn limits(arguments: &Examine) -> Result<Limits, Error> {
    match Trim::parse(&arguments.memory) {
        Ok(Trim::Size(memory)) => Ok(Limits {
            seconds: arguments.seconds,
            memory,
        }),
        _ => Err(Error::request(format!("`{}` is no size", arguments.memory))
            .help("write --memory 2GB, or 500MB")),
    }
}

/// The environment's interpreter, which must be one that runs here.
fn runner(snapshot: &Snapshot, limits: Limits) -> Result<Runner, Error> {
    if stand_in().is_some() {
        let error = Error::request(
            "EUTAXIS_ROOT stands in for another machine, whose interpreters cannot be run here",
        );
        return Err(error.help("unset it, or leave out --imports, --trials and --device"));
    }
    let python = PathBuf::from(&snapshot.python);
    if !python.exists() {
        let message = format!(
            "the interpreter {} is not there, so that nothing can be imported",
            python.display()
        );
        return Err(Error::new(ErrorKind::Interpreter, message)
            .help("leave out --imports, --trials and --device to see why"));
    }
    let user = snapshot
        .path
        .iter()
        .find(|e| e.seat == eutaxis_core::examine::Seat::User);
    let user_base = user
        .and_then(|e| Path::new(&e.folder).ancestors().nth(3))
        .map(Path::to_owned);
    Ok(Runner {
        python,
        user_base,
        limits,
        clean: false,
    })
}

/// The interpreter that `python3` starts here, when it is not this one: what is placed with the
/// one, the other does not see.
fn other_interpreter(snapshot: &Snapshot, finder: &Finder, probes: &ProbeCache) -> Option<PathBuf> {
    let found = finder.default(probes).ok()?;
    let real = |path: &Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    (real(&found.facts.prefix) != real(Path::new(&snapshot.root))).then_some(found.path)
}
