//! `furnish`: makes or updates an environment to match the pins.

mod build;
mod check;
mod judge;

use std::cell::RefCell;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::escaped;
use eutaxis_core::pins::{Lock, Package, Selected, Selection, select};
use eutaxis_core::record::{self, Share, Since};
use eutaxis_core::{Name, Target, Version};
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{
    DirectUrl, FETCHING, Furnish as Request, Item, LinkMode, Place, furnish, look, remember_pins,
};
use eutaxis_world::interpreter::{Found, environment_python};
use eutaxis_world::kernel;
use eutaxis_world::network::without_secret;
use eutaxis_world::root::stand_in;
use eutaxis_world::supply::Run;
use eutaxis_world::{Doing, Error, ErrorKind};

use crate::answer::furnish::{Done, Judged};
use crate::asks;
use crate::cli::{Common, Furnish, LinkArg};
use crate::output::{Answer, Outcome, Output};
use crate::paired;
use crate::pins::{hashes, place, read_lock, sha256};
use crate::plan::{Surroundings, named_depots};
use crate::remembered;
use crate::voice::say;
use crate::words;
use crate::{render, report, typed};
use build::Sourced;
use judge::Judge;

pub(crate) fn run(arguments: &Furnish, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    if let Some(root) = stand_in() {
        let error = Error::request(format!(
            "EUTAXIS_ROOT stands in for another machine ({}), whose interpreters cannot be run \
                here",
            root.display()
        ));
        return Err(error.help("unset it, or furnish on that machine"));
    }
    if let Some(name) = &arguments.kernel {
        kernel::check_name(name)?;
        if arguments.pins.len() > 1 {
            let error =
                Error::request("--kernel describes one environment, and several pins are named");
            return Err(error.help("furnish them one by one, each with a name of its own"));
        }
    }
    let depots = named_depots(&arguments.depots, &surroundings, false)?;
    // Everything is looked into before the first environment is touched.
    let places = places(arguments)?;
    let pins = arguments.pins.iter().map(|p| on_disk(p, &surroundings));
    let pins = pins.collect::<Result<Vec<PathBuf>, Error>>()?;
    let zipped = pins.iter().zip(places);
    let mut prepared: Vec<Prepared> = zipped
        .map(|(pins, at)| prepare(pins, at, arguments, &surroundings, &depots))
        .collect::<Result<_, Error>>()?;
    if arguments.check {
        return check::answer(&prepared, arguments, &surroundings, &depots);
    }
    for one in &mut prepared {
        if let Some(refusal) = one.build(arguments, &surroundings, &depots, output)? {
            return Ok(refusal);
        }
    }
    let pinned: Vec<(Name, String, String)> = prepared
        .iter()
        .flat_map(|p| &p.items)
        .map(|item| {
            (
                item.name.clone(),
                item.version.clone(),
                item.filename.clone(),
            )
        })
        .collect();
    let elsewhere: Vec<String> = prepared.iter().flat_map(for_another_accelerator).collect();
    let mut done: Vec<Done> = Vec::new();
    for one in prepared {
        let made = one
            .furnish(arguments, &surroundings, &depots, output)
            .map_err(|error| match done.as_slice() {
                [] => error,
                others => {
                    let names: Vec<String> = others
                        .iter()
                        .map(|d| words::near(&d.report.environment))
                        .collect();
                    output.notice(&format!("in order before that: {}", names.join(", ")));
                    error
                }
            })?;
        match made {
            Made::Placed(made) => done.push(*made),
            Made::Refused(at, judged) => return Ok(refused(&at, &judged, &done)),
        }
    }
    if let (Some(name), [one]) = (&arguments.kernel, done.as_mut_slice()) {
        let root = &one.report.environment;
        let described = kernel::describe(name, root, &environment_python(root))?;
        one.kernel = Some(described);
    }
    elsewhere
        .iter()
        .for_each(|line| output.notice(&format!("caution: {line}")));
    let retired = retired(
        &pinned,
        &named_depots(&arguments.depots, &surroundings.impatient(), false)?,
    );
    retired
        .iter()
        .for_each(|line| output.notice(&format!("caution: {line}")));
    output.report_network(depots.network());
    match done.as_slice() {
        [one] => Ok(Answer {
            outcome: Outcome::Ok,
            text: render::furnish::text(one, output.verbose()),
            report: report::Furnish::One(Box::new(one.into())).into(),
        }),
        several => {
            let all = several.iter().map(Into::into);
            let report = report::Furnish::Several {
                environments: all.collect(),
            };
            let text = render::furnish::several(several, output.verbose());
            Ok(Answer {
                outcome: Outcome::Ok,
                text,
                report: report.into(),
            })
        }
    }
}

/// Pinned builds for an accelerator that the place has not, or whose driver does not run them.
fn for_another_accelerator(prepared: &Prepared) -> Vec<String> {
    let accelerators = &prepared.target.accelerators;
    let told = |item: &Item| {
        let version = Version::parse(&item.version).ok()?;
        let made = accelerators.families.of_version(&version)?;
        let miss = accelerators.miss(&made, prepared.target.platform.system)?;
        Some(format!(
            "{} {} is pinned and placed: {miss}.",
            item.name, item.version
        ))
    };
    prepared.items.iter().filter_map(told).collect()
}

/// What came of one environment.
enum Made {
    Placed(Box<Done>),
    Refused(PathBuf, Box<Judged>),
}

/// That a set was not placed, and what to do.
fn refused(at: &Path, judged: &Judged, done: &[Done]) -> Answer {
    let before: Vec<String> = done
        .iter()
        .map(|d| words::near(&d.report.environment))
        .collect();
    Answer {
        outcome: Outcome::No,
        text: render::furnish::refused(at, judged, &before),
        report: report::Furnish::Refused(report::NotPlaced::of(at, judged)).into(),
    }
}

/// Pins that their depots have yanked or quarantined by now, in words. What cannot be asked is not
/// told: the pins hold all the same.
fn retired(pinned: &[(Name, String, String)], depots: &Arc<Depots>) -> Vec<String> {
    if depots.is_empty() {
        return Vec::new();
    }
    let mut names: Vec<Name> = pinned.iter().map(|(name, _, _)| name.clone()).collect();
    names.sort();
    names.dedup();
    let run = Run::new(Arc::clone(depots));
    // One is asked for first: where nobody answers, the others are not waited for.
    let answers = names.get(..1).is_some_and(|first| run.pages(first).is_ok());
    let Some(pages) = answers.then(|| run.pages(&names).ok()).flatten() else {
        return Vec::new();
    };
    let mut told = Vec::new();
    for page in pages.into_iter().flatten() {
        for (name, version, filename) in pinned.iter().filter(|(name, _, _)| *name == page.project)
        {
            let file = page.file(filename);
            let why = |reason: &str| {
                if reason.is_empty() {
                    String::new()
                } else {
                    format!(": \"{}\"", escaped(reason))
                }
            };
            let line = match (page.quarantined(), file.and_then(|f| f.yanked.as_deref())) {
                (Some(reason), _) => {
                    format!(
                        "{name} {version} is pinned, and its depot has quarantined the project{}.",
                        why(reason)
                    )
                }
                (None, Some(reason)) => format!(
                    "{name} {version} is pinned, and was yanked since{}.",
                    why(reason)
                ),
                (None, None) => continue,
            };
            if !told.contains(&line) {
                told.push(line);
            }
        }
    }
    told
}

/// Pins on this disk: those at an address as they are there now, kept by their hash.
fn on_disk(pins: &Path, surroundings: &Surroundings) -> Result<PathBuf, Error> {
    if !asks::is_address(pins) {
        return Ok(pins.to_owned());
    }
    let text = asks::text_at(pins, surroundings)?;
    let folder = surroundings
        .cache
        .join("pins-1")
        .join(eutaxis_world::trees::identity_of(&text));
    std::fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
    let name = pins.file_name().unwrap_or("pylock.toml".as_ref());
    let path = folder.join(name);
    eutaxis_world::files::write_whole(&path, text.as_bytes())?;
    Ok(path)
}

/// Where the environment of each of the pins goes.
fn places(arguments: &Furnish) -> Result<Vec<PathBuf>, Error> {
    if let [pins] = arguments.pins.as_slice() {
        let usual = || paired::environment_of(pins);
        return Ok(vec![arguments.at.clone().unwrap_or_else(usual)]);
    }
    let mut places: Vec<PathBuf> = Vec::new();
    for pins in &arguments.pins {
        let file = pins.file_name().map(|n| n.to_string_lossy().into_owned());
        let stem = file.unwrap_or_default();
        let stem = stem.strip_suffix(".toml").unwrap_or(&stem).to_owned();
        let name = paired::name_of(pins).unwrap_or(stem);
        let place = match &arguments.at {
            Some(folder) => folder.join(&name),
            None => paired::environment_named(&name),
        };
        if places.contains(&place) {
            let error = Error::request(format!("two of the pins would make {}", place.display()));
            return Err(error.help("furnish them one by one, each with a place of its own (--at)"));
        }
        places.push(place);
    }
    Ok(places)
}

/// An environment that is about to be made or updated.
struct Prepared {
    at: PathBuf,
    items: Vec<Item>,
    /// What is pinned as source.
    sources: Vec<Sourced>,
    /// The place, as the interpreter has it.
    target: Target,
    python: Found,
    pins: PathBuf,
    lock: Lock,
    /// The place that the pins were settled for, when they record it.
    settled_for: Option<Target>,
}

fn prepare(
    pins: &Path,
    at: PathBuf,
    arguments: &Furnish,
    surroundings: &Surroundings,
    depots: &Depots,
) -> Result<Prepared, Error> {
    let lock = read_lock(pins)?;
    let asked = selection(arguments, &lock)?;
    let shown = pins.display().to_string();
    let refusal = |f| Error::fault(ErrorKind::Request, &shown, &f);
    let fits = |target: &Target| select(&lock, target, &asked).map(|_| ()).map_err(refusal);
    let given = remembered::of(&lock, Path::new("")).and_then(|q| q.target.interpreter);
    let python = interpreter(arguments, &at, given.as_deref(), surroundings, &fits)?;
    let target = surroundings.target_of(&python.facts)?;
    let part = record::share_at(&lock, &target, &surroundings.config.families);
    if record::is_shared(&part)
        && let Err(fault) = select(&lock, &target, &asked)
    {
        let shares = record::shares(&lock, &surroundings.config.families);
        return Err(refusal(fault).help(with_this_place(&lock, pins, &shares, &target)));
    }
    let lock = part;
    let selected = select(&lock, &target, &asked).map_err(refusal)?;
    let folder = pins.parent().map(Path::to_owned).unwrap_or_default();
    let is_own = |s: &Selected<'_>| {
        let directory = s.package.directory.as_ref();
        directory.is_some_and(|d| d.editable == Some(true))
    };
    let selected = selected
        .into_iter()
        .filter(|s| !(arguments.deps_only && is_own(s)));
    let (wheels, sources): (Vec<Selected<'_>>, Vec<Selected<'_>>) =
        selected.partition(|s| s.wheel.is_some());
    let items = items(&wheels, &folder, depots)?;
    let sources = sources
        .iter()
        .map(|s| build::sourced(s, &folder, depots, &surroundings.cache))
        .collect::<Result<_, _>>()?;
    let settled_for = record::target_of(&lock, &surroundings.config.families);
    Ok(Prepared {
        at,
        items,
        sources,
        target,
        python,
        pins: pins.to_owned(),
        lock,
        settled_for,
    })
}

/// For whom pins for several targets are, and the command that takes one more among them.
fn with_this_place(lock: &Lock, pins: &Path, shares: &[Share], place: &Target) -> String {
    let each = shares.iter().map(|s| format!("{} ({})", s.name, s.target));
    let told = format!("they are for {}", each.collect::<Vec<_>>().join(", "));
    let folder = pins.parent().unwrap_or(Path::new(""));
    let Some(question) = remembered::of(lock, folder).filter(|q| q.together) else {
        return format!("{told}: settle again for this target");
    };
    let mut words = typed::target(&question.target);
    words.extend(["--target".to_owned(), place.to_string()]);
    if pins != Path::new("pylock.toml") {
        words.extend(["--out".to_owned(), words::near(pins)]);
    }
    format!(
        "{told}\nto have this place among them:  eutaxis settle{}",
        typed::line(&words)
    )
}

impl Prepared {
    /// What the files of the question say otherwise by now.
    fn since(&self) -> Since {
        remembered::since(&self.lock, self.pins.parent().unwrap_or(Path::new("")))
    }

    /// The command that settles the question of the pins again.
    fn settle_again(&self) -> String {
        paired::settle_again_line(&self.pins, &[])
    }

    /// Makes it so; what was done, or why not.
    fn furnish(
        self,
        arguments: &Furnish,
        surroundings: &Surroundings,
        depots: &Depots,
        output: &Output,
    ) -> Result<Made, Error> {
        let judge = Judge {
            arguments,
            surroundings,
            depots,
            output,
            items: &self.items,
            at: &self.at,
            python: &self.python,
            lock: &self.lock,
            pins: &self.pins,
            judged: RefCell::default(),
        };
        let request = Request {
            at: self.at.clone(),
            items: self.items.clone(),
            python: &self.python.facts,
            tidy: arguments.tidy,
            share_system: arguments.share_system.then_some(true),
            link: match arguments.link {
                LinkArg::Auto => LinkMode::Auto,
                LinkArg::Hard => LinkMode::Hard,
                LinkArg::Copy => LinkMode::Copy,
            },
            cache: surroundings.cache.clone(),
            network: depots.network(),
            settled_for: self.settled_for.as_ref().map(|t| &t.markers),
        };
        let bar = output.progress();
        let told = AtomicBool::new(output.is_quiet());
        let progress = |what: &str, done: u64, of: u64| {
            if what == FETCHING && of > 0 && !told.swap(true, Ordering::Relaxed) {
                say(&format!("{} to fetch", words::size(of)));
            }
            bar.set_length(of);
            bar.set_position(done);
            bar.set_message(what.to_owned());
        };
        let waiting =
            || output.notice("another run is working on this environment: waiting for it");
        // The judge has bars of its own.
        let judging = |there| bar.suspend(|| judge.judge(there));
        let report = furnish(&request, &progress, &waiting, &judging);
        bar.finish_and_clear();
        // Where nothing had to be placed, nothing was looked into.
        let is_open = judge.judged.borrow().level == Evidence::Solved;
        if report.is_ok() && arguments.prove && is_open {
            // What it refuses is told below.
            let _ = judge.judge(true);
        }
        let judged = judge.judged.into_inner();
        if judged.refused.is_some() {
            return Ok(Made::Refused(self.at, Box::new(judged)));
        }
        let report = report?;
        // Where it cannot be kept, examine is told which pins count.
        let _ = remember_pins(
            &surroundings.cache,
            &report.environment,
            &self.pins,
            parts(arguments).as_deref(),
        );
        let facts = &self.python.facts;
        let python = format!(
            "{} {}",
            facts.markers.platform_python_implementation, facts.version
        );
        let (since, settle) = (self.since(), self.settle_again());
        Ok(Made::Placed(Box::new(Done {
            kernel: None,
            report,
            python,
            judged,
            since,
            settle,
        })))
    }
}

/// The parts that are named, a word for each; none where none is.
fn parts(arguments: &Furnish) -> Option<Vec<String>> {
    let extras = arguments.extra.iter().map(|e| format!("extra {e}"));
    let groups = arguments.group.iter().map(|g| format!("group {g}"));
    let all: Vec<String> = extras.chain(groups).collect();
    (!all.is_empty()).then_some(all)
}

/// The parts of the pins that are chosen: those that are named; else every one that was settled.
fn selection(arguments: &Furnish, lock: &Lock) -> Result<Selection, Error> {
    if arguments.extra.is_empty() && arguments.group.is_empty() {
        return Ok(record::usual_parts(lock));
    }
    let names = |option: &str, texts: &[String]| -> Result<Vec<Name>, Error> {
        texts
            .iter()
            .map(|t| Name::parse(t).map_err(|f| Error::in_file(option, t, &f)))
            .collect()
    };
    let groups = names("--group", &arguments.group)?;
    Ok(Selection {
        extras: names("--extra", &arguments.extra)?,
        groups: (!groups.is_empty()).then_some(groups),
    })
}

/// The interpreter: the one that is named, the one the environment has, the one that the pins were
/// settled with by name, else the first here that the pins fit.
fn interpreter(
    arguments: &Furnish,
    at: &Path,
    given: Option<&str>,
    surroundings: &Surroundings,
    check: &dyn Fn(&Target) -> Result<(), Error>,
) -> Result<Found, Error> {
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    if let Some(name) = &arguments.interpreter {
        return finder.named(name, &probes);
    }
    if let Ok(Place::Environment { .. }) = look(at) {
        let python = environment_python(at);
        if let Ok(found) = finder.named(&python.display().to_string(), &probes) {
            return Ok(found);
        }
    }
    if let Some(Ok(found)) = given.map(|given| finder.named(given, &probes))
        && check(&surroundings.target_of(&found.facts)?).is_ok()
    {
        return Ok(found);
    }
    let default = finder.default(&probes);
    if let Ok(found) = &default
        && check(&surroundings.target_of(&found.facts)?).is_ok()
    {
        return default;
    }
    let (all, _) = finder.all(&probes);
    let fits = |f: &Found| {
        surroundings
            .target_of(&f.facts)
            .is_ok_and(|t| check(&t).is_ok())
    };
    // A base interpreter rather than an environment that may go away.
    let mut fitting: Vec<Found> = all.into_iter().filter(fits).collect();
    fitting.sort_by_key(|f| f.facts.in_environment());
    match fitting.into_iter().next() {
        Some(found) => Ok(found),
        // The default's refusal says what the pins are for.
        None => default,
    }
}

/// What is pinned as what is to be placed.
pub(crate) fn items(
    selected: &[Selected<'_>],
    folder: &Path,
    depots: &Depots,
) -> Result<Vec<Item>, Error> {
    selected.iter().map(|s| item(s, folder, depots)).collect()
}

fn item(selected: &Selected<'_>, folder: &Path, depots: &Depots) -> Result<Item, Error> {
    let package = selected.package;
    let version = package.version.clone().unwrap_or_default();
    let Some((file, wheel_name)) = &selected.wheel else {
        let error = Error::request(format!(
            "{} {version} is pinned as source, and only what is in wheels can be looked into here",
            package.name
        ));
        return Err(error.help("settle with --wheels only, or leave it out"));
    };
    let (requested, direct_url) = said_of_asks(package);
    Ok(Item {
        name: package.name.clone(),
        version,
        wheel: place(file, folder, &package.name, depots)?,
        filename: file.filename().unwrap_or_default(),
        wheel_name: wheel_name.clone(),
        sha256: sha256(file, package)?,
        hashes: hashes(file),
        size: file.size,
        said: record::said_of(package),
        requested,
        direct_url,
        built: None,
    })
}

/// Whether the user asks for a pinned project, and the address it was asked for by.
fn said_of_asks(package: &Package) -> (bool, Option<DirectUrl>) {
    let own = package.tool.as_ref().and_then(|t| t.get("eutaxis"));
    let of = |key: &str| own.and_then(|t| t.get(key));
    let asked_by = of("asked-by").and_then(toml::Value::as_array);
    let direct_url = of("direct-url").and_then(toml::Value::as_str);
    (
        asked_by.is_some_and(|a| a.iter().any(|w| w.as_str() == Some("ask"))),
        direct_url.map(|url| DirectUrl::Archive(without_secret(url))),
    )
}
