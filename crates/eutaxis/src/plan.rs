//! From arguments and settings to what a run needs: target, policy, depots (what is asked for is
//! `asks`). All input errors are found here.

mod depots;

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::examine::Snapshot;
use eutaxis_core::knowledge;
use eutaxis_core::offer::{BarKind, Chronology, Policy, Prefer, Prereleases, Wheels};
use eutaxis_core::solve::{Alternative, Clash, FactKind};
use eutaxis_core::targets::{Accelerators, Interpreter, Platform};
use eutaxis_core::{Name, Target, Version};
use eutaxis_world::config::{Config, as_of};
use eutaxis_world::environment::snapshot::{Look, snapshot};
use eutaxis_world::interpreter::{Facts, Finder, Found, ProbeCache};
use eutaxis_world::network::{FetchLimits, Network};
use eutaxis_world::root::{root, stand_in};
use eutaxis_world::{Doing, Error, ErrorKind};
use eutaxis_world::{accelerator, processor};

use crate::cli::{
    BuildOptions, ChronologyArg, Common, PolicyOptions, PreferArg, TargetOptions, WheelsArg,
};
use crate::voice::say;

pub(crate) use depots::{DepotFrom, NamedDepot, all_depots, depots, named_depots, no_depot};

/// A path that an option names, else a variable; one that is set to nothing is not set.
pub(crate) fn named_path(option: &Option<PathBuf>, variable: &str) -> Option<PathBuf> {
    let stated = std::env::var_os(variable).filter(|v| !v.is_empty());
    option.clone().or(stated.map(PathBuf::from))
}

/// What every command starts with.
#[derive(Debug, Clone)]
pub(crate) struct Surroundings {
    /// The settings.
    pub(crate) config: Config,
    /// The cache folder.
    pub(crate) cache: PathBuf,
    /// `--offline`
    offline: bool,
    /// `--quiet`
    quiet: bool,
    /// Something is only read: nothing out of the current folder is started.
    reading: bool,
}

impl Surroundings {
    pub(crate) fn new(common: &Common) -> Result<Self, Error> {
        let here =
            std::env::current_dir().doing("cannot find the current folder", Path::new("."))?;
        let named = named_path(&common.config, "EUTAXIS_CONFIG");
        let config = Config::load(&here, named.as_deref())?;
        let config = config.with_facts(!common.no_facts)?;
        let system =
            directories::ProjectDirs::from("", "", "eutaxis").map(|d| d.cache_dir().to_owned());
        let cache = named_path(&common.cache, "EUTAXIS_CACHE")
            .or(system)
            .ok_or_else(|| {
                Error::new(ErrorKind::Disk, "this system names no folder for caches")
                    .help("name one with --cache DIR or EUTAXIS_CACHE")
            })?;
        let cache = std::path::absolute(&cache).doing("cannot find", &cache)?;
        Ok(Surroundings {
            config,
            cache,
            offline: common.offline,
            quiet: common.quiet,
            reading: false,
        })
    }

    /// The same for a command that only reads something: nothing out of the current folder is
    /// started for it.
    pub(crate) fn reading(common: &Common) -> Result<Self, Error> {
        Ok(Surroundings {
            reading: true,
            ..Surroundings::new(common)?
        })
    }

    /// The same with little patience, for questions whose answers are worth no waiting.
    pub(crate) fn impatient(&self) -> Self {
        self.waiting(3)
    }

    /// The same with one attempt at anything, of at most so many seconds without news.
    pub(crate) fn waiting(&self, seconds: u64) -> Self {
        let mut config = self.config.clone();
        let timeout = config.network.timeout.min(seconds);
        (config.network.timeout, config.network.attempts) = (timeout, 1);
        let Surroundings {
            cache,
            offline,
            quiet,
            reading,
            ..
        } = self;
        Surroundings {
            config,
            cache: cache.clone(),
            offline: *offline,
            quiet: *quiet,
            reading: *reading,
        }
    }

    /// The network. With `renew` the servers are asked again, however fresh their pages are.
    pub(crate) fn network(&self, renew: bool, fetch_limit: Option<u64>) -> Arc<Network> {
        let mut settings = self.config.network;
        settings.limits = fetch_limit.map_or(settings.limits, FetchLimits::of);
        let network = Network::new(&self.cache, self.offline, renew, settings);
        if !self.quiet {
            network.tell_much(say);
        }
        Arc::new(network)
    }

    /// A finder of interpreters with the globs of the settings.
    pub(crate) fn finder(&self) -> Finder {
        Finder::new(self.config.search.clone())
    }

    /// The target that an interpreter is on this machine, with the accelerators that are found
    /// here.
    pub(crate) fn target_of(&self, facts: &Facts) -> Result<Target, Error> {
        let (root, system) = (root(), facts.target_platform().system);
        let accelerators = accelerator::of_machine(&root, &self.config.families, system);
        processor::target_of(&root, facts, accelerators)
    }

    pub(crate) fn probes(&self) -> ProbeCache {
        let probes = ProbeCache::open(&self.cache);
        match std::env::current_dir() {
            Ok(here) if self.reading => probes.guarded(here, &self.config.own_search),
            _ => probes,
        }
    }

    /// What is in an environment now: without the hashes of its files if `quick`.
    pub(crate) fn snapshot(&self, place: &Path, quick: bool) -> Result<Snapshot, Error> {
        let (finder, probes) = (self.finder(), self.probes());
        snapshot(&Look {
            place,
            finder: &finder,
            probes: &probes,
            families: &self.config.families,
            libraries: &self.config.libraries,
            from_folder: None,
            quick,
        })
    }
}

/// A target with where it comes from.
#[derive(Debug, Clone)]
pub(crate) struct Chosen {
    pub(crate) target: Target,
    /// For people: `this machine`, a name, or the description.
    pub(crate) shown: String,
    /// For file names.
    pub(crate) name: String,
    /// It is this machine.
    pub(crate) here: bool,
}

/// The interpreter of a target, when it is one of this machine; else why nothing can be run.
pub(crate) fn interpreter_here(
    options: &TargetOptions,
    surroundings: &Surroundings,
    chosen: &Chosen,
) -> Result<Found, &'static str> {
    if !chosen.here {
        return Err("the target is not this machine");
    }
    if stand_in().is_some() {
        return Err("EUTAXIS_ROOT stands in for another machine");
    }
    let wanted = &chosen.target.interpreter;
    let is_it = |found: &Found| {
        let own = found.facts.interpreter();
        own.is_ok_and(|i| i.version == wanted.version && i.abis == wanted.abis)
    };
    let first = interpreter(options.interpreter.as_deref(), surroundings).ok();
    if let Some(found) = first.filter(is_it) {
        return Ok(found);
    }
    let (all, _) = surroundings.finder().all(&surroundings.probes());
    let found = all.into_iter().find(is_it);
    found.ok_or("the target's interpreter is not on this machine")
}

/// All targets that the options name.
pub(crate) fn targets(
    options: &TargetOptions,
    surroundings: &Surroundings,
) -> Result<Vec<Chosen>, Error> {
    if options.target.len() < 2 {
        return Ok(vec![target(options, surroundings)?]);
    }
    let mut targets: Vec<Chosen> = Vec::new();
    for name in &options.target {
        let one = target(
            &TargetOptions {
                target: vec![name.clone()],
                ..options.clone()
            },
            surroundings,
        )?;
        if targets.iter().any(|t| t.name == one.name) {
            return Err(
                Error::request(format!("the target {name} is named twice")).help("leave one out")
            );
        }
        targets.push(one);
    }
    Ok(targets)
}

/// A description as part of a file's name.
pub(crate) fn as_file_name(text: &str) -> String {
    let plain = |c: char| {
        if c.is_ascii_alphanumeric() || c == '.' || c == '_' {
            c
        } else {
            '-'
        }
    };
    let words: Vec<String> = text
        .split(['/', ' '])
        .filter(|w| !w.is_empty())
        .map(|w| w.chars().map(plain).collect())
        .collect();
    words.join("-")
}

/// Other interpreters for a place, when the clash says that this one does not do: those on this
/// machine, if the place is this machine, and every series that is known.
pub(crate) fn alternatives_of(
    clash: &Clash,
    target: &Target,
    here: bool,
    surroundings: &Surroundings,
) -> Vec<Alternative> {
    let barred = clash
        .facts
        .iter()
        .any(|f| f.kind == FactKind::Bar(BarKind::Interpreter));
    if barred {
        alternatives(target, here, surroundings)
    } else {
        Vec::new()
    }
}

/// Other interpreters for the same place: those on this machine, when it is the place, and every
/// series that is known.
pub(crate) fn alternatives(
    target: &Target,
    here: bool,
    surroundings: &Surroundings,
) -> Vec<Alternative> {
    let mut found: Vec<Alternative> = Vec::new();
    if here {
        let (all, _) = surroundings.finder().all(&surroundings.probes());
        for one in all.iter().filter(|f| !f.facts.in_environment()) {
            let accelerators = target.accelerators.clone();
            let Ok(target) = processor::target_of(&root(), &one.facts, accelerators) else {
                continue;
            };
            if !found
                .iter()
                .any(|a| a.target.interpreter.version == target.interpreter.version)
            {
                found.push(Alternative {
                    target,
                    name: one.path.display().to_string(),
                    here: true,
                });
            }
        }
    }
    let implementation = &target.interpreter.implementation;
    for series in knowledge::series_of(implementation.name()) {
        let Ok(version) = Version::parse(&series.version) else {
            continue;
        };
        let Ok(interpreter) = Interpreter::planned(implementation.clone(), &version, false) else {
            continue;
        };
        let target = target.with_interpreter(interpreter);
        found.push(Alternative {
            target,
            name: series.version.clone(),
            here: false,
        });
    }
    found
}

/// The target that the options name; by default this machine with the interpreter that the bare
/// name starts.
pub(crate) fn target(
    options: &TargetOptions,
    surroundings: &Surroundings,
) -> Result<Chosen, Error> {
    let named = match options.target.as_slice() {
        [] => None,
        [one] => Some(one),
        _ => {
            let error =
                Error::request("several targets are named, and this command answers for one");
            return Err(error.help("name one --target; settle takes several"));
        }
    };
    let mut chosen = match named {
        Some(text) => named_target(text, surroundings)?,
        None => this_machine(options, surroundings)?,
    };
    if named.is_some()
        && let Some(text) = &options.interpreter
    {
        let interpreter =
            Interpreter::parse(text).map_err(|f| Error::in_file("--interpreter", text, &f))?;
        chosen.target = chosen.target.with_interpreter(interpreter);
        chosen.shown = chosen.target.to_string();
    }
    if let Some(text) = &options.accelerator {
        let families = &surroundings.config.families;
        let stated = Accelerators::parse(text, families)
            .map_err(|f| Error::in_file("--accelerator", text, &f))?;
        chosen.target.accelerators = stated.over(&chosen.target.accelerators);
        chosen.shown = if chosen.here {
            chosen.shown
        } else {
            chosen.target.to_string()
        };
    }
    Ok(chosen)
}

fn named_target(text: &str, surroundings: &Surroundings) -> Result<Chosen, Error> {
    if let Some(target) = surroundings.config.targets.get(text) {
        return Ok(Chosen {
            target: target.clone(),
            shown: text.to_owned(),
            name: text.to_owned(),
            here: false,
        });
    }
    if text.contains('/') {
        let families = &surroundings.config.families;
        let target =
            Target::parse_with(text, families).map_err(|f| Error::in_file("--target", text, &f))?;
        return Ok(Chosen {
            shown: target.to_string(),
            name: as_file_name(text),
            target,
            here: false,
        });
    }
    let known: Vec<&str> = surroundings
        .config
        .targets
        .keys()
        .map(String::as_str)
        .collect();
    let list = if known.is_empty() {
        "none is named in the settings".to_owned()
    } else {
        format!("named are {}", known.join(", "))
    };
    let error = Error::request(format!("there is no target `{text}`; {list}"));
    Err(error.help(
        "describe one: --target \"cpython 3.9 / linux armv7l glibc 2.31\", or name it under \
            [target.NAME] in eutaxis.toml",
    ))
}

fn this_machine(options: &TargetOptions, surroundings: &Surroundings) -> Result<Chosen, Error> {
    if let Some(text) = &options.platform {
        let platform = Platform::parse(text).map_err(|f| Error::in_file("--platform", text, &f))?;
        let interpreter = match &options.interpreter {
            Some(text) if Interpreter::parse(text).is_ok() => {
                Interpreter::parse(text).map_err(|f| Error::in_file("--interpreter", text, &f))?
            }
            Some(text) => surroundings
                .finder()
                .named(text, &surroundings.probes())?
                .facts
                .interpreter()?,
            None => surroundings
                .finder()
                .default(&surroundings.probes())?
                .facts
                .interpreter()?,
        };
        let none = Accelerators::none(Arc::clone(&surroundings.config.families));
        let target = Target::planned(interpreter, platform, none);
        return Ok(Chosen {
            shown: target.to_string(),
            name: as_file_name(text),
            target,
            here: false,
        });
    }
    let found = match (
        interpreter(options.interpreter.as_deref(), surroundings),
        &options.interpreter,
    ) {
        (Ok(found), _) => found,
        (Err(error), Some(text)) => return described(text, surroundings).ok_or(error),
        (Err(error), None) => return Err(error),
    };
    let shown = format!("this machine ({})", found.path.display());
    Ok(Chosen {
        target: surroundings.target_of(&found.facts)?,
        shown,
        name: "here".to_owned(),
        here: true,
    })
}

/// This machine with an interpreter that is not here, of a series that there is: questions can be
/// answered for it, and nothing can be run.
fn described(text: &str, surroundings: &Surroundings) -> Option<Chosen> {
    let interpreter = Interpreter::parse(text).ok()?;
    let (major, minor) = interpreter.series();
    knowledge::series("cpython", &format!("{major}.{minor}"))?;
    let default = surroundings.finder().default(&surroundings.probes()).ok()?;
    let here = surroundings.target_of(&default.facts).ok()?;
    let target = here.with_interpreter(interpreter);
    Some(Chosen {
        shown: format!("{target} (this machine; that interpreter is not here)"),
        name: as_file_name(text),
        target,
        here: false,
    })
}

/// The interpreter that is named; by default the active environment's, else that of the environment
/// in this folder, else the one that the bare name starts.
pub(crate) fn interpreter(name: Option<&str>, surroundings: &Surroundings) -> Result<Found, Error> {
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    match (name, &finder.active) {
        (Some(name), _) => finder.named(name, &probes),
        (None, Some(root)) if root.is_dir() => finder.named(&root.display().to_string(), &probes),
        (None, _) => match finder.of_folder(&probes) {
            Some(found) => Ok(found),
            None => finder.default(&probes),
        },
    }
}

/// The policy of the settings with the options over it.
pub(crate) fn policy(options: &PolicyOptions, config: &Config) -> Result<Policy, Error> {
    let mut policy = config.policy.clone();
    match options.wheels {
        Some(WheelsArg::Only) => policy.wheels = Wheels::Only,
        Some(WheelsArg::First) => policy.wheels = Wheels::First,
        Some(WheelsArg::Any) => policy.wheels = Wheels::Any,
        None => {}
    }
    match options.prefer {
        Some(PreferArg::Newest) => policy.prefer = Prefer::Newest,
        Some(PreferArg::Oldest) => policy.prefer = Prefer::Oldest,
        Some(PreferArg::Period) => {
            (policy.prefer, policy.chronology) = (Prefer::Newest, Chronology::Follow)
        }
        None => {}
    }
    match options.chronology {
        Some(ChronologyArg::Heed) => policy.chronology = Chronology::Heed,
        Some(ChronologyArg::Caution) => policy.chronology = Chronology::Caution,
        Some(ChronologyArg::Follow) => policy.chronology = Chronology::Follow,
        Some(ChronologyArg::Ignore) => policy.chronology = Chronology::Ignore,
        None => {}
    }
    let name = |option: &str, text: &String| {
        Name::parse(text).map_err(|f| Error::in_file(option, text, &f))
    };
    permit(&options.permit, &mut policy)?;
    if options.prereleases.iter().any(|p| p == "all") {
        policy.prereleases = Prereleases::All;
    } else if !options.prereleases.is_empty() {
        let mut projects = match policy.prereleases {
            Prereleases::Of(projects) => projects,
            Prereleases::All => {
                return Ok(Policy {
                    prereleases: Prereleases::All,
                    ..policy
                });
            }
            Prereleases::ByRule => Vec::new(),
        };
        for text in &options.prereleases {
            projects.push(name("--prereleases", text)?);
        }
        policy.prereleases = Prereleases::Of(projects);
    }
    if let Some(text) = &options.as_of {
        policy.as_of = Some(as_of(text).map_err(|f| Error::in_file("--as-of", text, &f))?);
    }
    policy.take_undated |= options.take_undated;
    Ok(policy)
}

/// Adds what options permit to be built.
pub(crate) fn permit(options: &BuildOptions, policy: &mut Policy) -> Result<(), Error> {
    for text in &options.build {
        let name = Name::parse(text).map_err(|f| Error::in_file("--build", text, &f))?;
        if !policy.build.contains(&name) {
            policy.build.push(name);
        }
    }
    for text in &options.rebuild {
        let name = Name::parse(text).map_err(|f| Error::in_file("--rebuild", text, &f))?;
        if !policy.rebuild.contains(&name) {
            policy.rebuild.push(name);
        }
    }
    policy.build_light |= options.build_light;
    policy.build_all |= options.build_all;
    Ok(())
}
