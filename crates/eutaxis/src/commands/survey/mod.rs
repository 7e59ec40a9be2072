//! `survey`: what is this machine, as a target, and which interpreters, accelerators and
//! environments are here?

mod cautions;
mod save;

use std::path::{Path, PathBuf};

use eutaxis_core::Target;
use eutaxis_core::targets::{Level, Libc, Platform, System};
use eutaxis_world::Error;
use eutaxis_world::environment::{Listed, environments};
use eutaxis_world::interpreter::{Finder, Found, Seat, machine};
use eutaxis_world::resources::Resources;
use eutaxis_world::root::{root, stand_in};
use eutaxis_world::{accelerator, foreign, processor};

use crate::answer::survey::{NOT_ON_PATH, Report, Row};
use crate::cli::{Common, Survey};
use crate::output::{Answer, Outcome, Output};
use crate::plan::Surroundings;
use crate::words;
use crate::{render, report};

pub(crate) fn run(arguments: &Survey, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    if let Some(root) = stand_in().filter(|r| !r.is_dir()) {
        let error = Error::request(format!(
            "EUTAXIS_ROOT names {}, which is no folder",
            root.display()
        ));
        return Err(error.help(
            "name the folder that stands in for the root of a machine, or unset the variable",
        ));
    }
    let foreign = stand_in().as_deref().and_then(foreign::platform);
    let (found, failed) = match &arguments.interpreter {
        Some(_) if foreign.is_some() => (Vec::new(), Vec::new()),
        Some(name) => (vec![finder.named(name, &probes)?], Vec::new()),
        None => finder.all(&probes),
    };
    if output.verbose() {
        failed
            .iter()
            .for_each(|e| output.notice(&format!("left out: {}", e.message)));
    }
    let chosen = arguments.interpreter.is_some() && foreign.is_none();
    let named = |name: &str| {
        found
            .iter()
            .position(|f| f.bare_names.iter().any(|n| n == name))
    };
    let default = if chosen {
        Some(0)
    } else {
        named("python3").or(named("python"))
    };
    let default_facts = default
        .or(if found.is_empty() { None } else { Some(0) })
        .and_then(|i| found.get(i));
    let mut target = default
        .and_then(|i| found.get(i))
        .map(|f| surroundings.target_of(&f.facts))
        .transpose()?;
    if let (Some(platform), Some(name)) = (&foreign, &arguments.interpreter) {
        target = Some(described(name, platform, &surroundings)?);
    }
    let (mut platform, bits) = match (default_facts, &foreign) {
        (_, Some(platform)) => (Some(platform.clone()), bits_of(platform)),
        (Some(found), None) => (Some(found.facts.target_platform()), found.facts.bits),
        (None, None) => platform_alone(),
    };
    if let Some(platform) = &mut platform {
        platform.level = processor::level(&root(), platform).map(Level::stated);
    }
    // What is told and saved is all of it.
    if let Some(target) = &mut target {
        target.platform.level = platform.as_ref().and_then(|p| p.level.clone());
    }
    let system = platform
        .as_ref()
        .map_or(System::Linux(Libc::Static), |p| p.system);
    let accelerators = accelerator::find(&root(), &surroundings.config.families, system);
    let environments = arguments
        .environments
        .as_ref()
        .map(|folder| list(folder, &finder))
        .transpose()?;
    let told = (accelerators.as_slice(), system);
    let mut cautions = cautions::all(&found, default, &finder, chosen, told);
    cautions.extend(finder.empty_globs().iter().map(|glob| {
        format!("[interpreters] search in the settings has `{glob}`, which leads to nothing here")
    }));
    cautions.extend(foreign.as_ref().filter(|_| target.is_none()).map(|_| {
        "its interpreters are not read from files; name one: eutaxis survey --interpreter 3.12"
            .to_owned()
    }));
    let mut report = Report {
        os: match (stand_in(), system) {
            (Some(_), System::Linux(_)) => "linux",
            (Some(_), System::Windows) => "windows",
            (Some(_), System::Macos(..)) => "macos",
            (None, _) => std::env::consts::OS,
        }
        .to_owned(),
        os_release: os_release(),
        stand_in: stand_in(),
        platform,
        resources: match stand_in() {
            Some(_) => None,
            None => Some(Resources::of(&finder.here)),
        },
        bits,
        tags: target.as_ref().filter(|_| arguments.tags).map(Target::tags),
        cautions,
        interpreters: found
            .iter()
            .enumerate()
            .map(|(i, f)| row(f, Some(i) == default && !chosen))
            .collect(),
        accelerators,
        environments,
        target,
        saved: None,
    };
    if let Some(name) = &arguments.save {
        report.saved = Some(save::target(
            name,
            report.target.as_ref(),
            &surroundings.cache,
        )?);
    }
    Ok(Answer {
        outcome: Outcome::Ok,
        text: render::survey::text(&report),
        report: report::Survey::from(&report).into(),
    })
}

/// The environments of a folder.
fn list(folder: &Path, finder: &Finder) -> Result<(PathBuf, Vec<Listed>), Error> {
    let whole = finder.here.join(folder);
    if !whole.is_dir() {
        let error = Error::request(format!("{} is no folder", folder.display()));
        return Err(error.help("name the folder below which environments are to be looked for"));
    }
    // `here/.` and `here` are one folder.
    let whole: PathBuf = whole.components().collect();
    let listed = environments(&whole, finder.active.as_deref());
    Ok((whole, listed))
}

/// The target that an interpreter of a series is on a machine whose interpreters are not read.
fn described(
    text: &str,
    platform: &Platform,
    surroundings: &Surroundings,
) -> Result<Target, Error> {
    let families = &surroundings.config.families;
    let accelerators = accelerator::of_machine(&root(), families, platform.system);
    let target =
        Target::parse_with(&format!("{text} / {platform}"), families).map_err(|fault| {
            let error = Error::request(format!("--interpreter {text}: {fault}"));
            error.help(
                "this system's interpreters are not read from its files: name a series, as 3.12",
            )
        })?;
    Ok(Target::planned(
        target.interpreter,
        target.platform,
        accelerators,
    ))
}

fn bits_of(platform: &Platform) -> u32 {
    match platform.arch() {
        "i686" => 32,
        _ => 64,
    }
}

/// The platform of a machine on which no interpreter was found.
fn platform_alone() -> (Option<Platform>, u32) {
    match stand_in().as_deref().and_then(machine) {
        Some(machine) => (Some(machine.platform()), machine.bits),
        None => (None, usize::BITS),
    }
}

fn os_release() -> String {
    let text = std::fs::read_to_string(root().join("etc/os-release")).unwrap_or_default();
    let value = |key: &str| {
        let line = text
            .lines()
            .find_map(|l| l.strip_prefix(key)?.strip_prefix('='));
        line.map(|v| v.trim_matches('"').to_owned())
            .filter(|v| !v.is_empty())
    };
    let named = value("NAME")
        .zip(value("VERSION_ID"))
        .map(|(n, v)| format!("{} {v}", n.split_whitespace().next().unwrap_or(&n)));
    named.or_else(|| value("PRETTY_NAME")).unwrap_or_default()
}

fn row(found: &Found, default: bool) -> Row {
    let facts = &found.facts;
    let name = match found.seat {
        Seat::Active => "active".to_owned(),
        Seat::Here => ".venv".to_owned(),
        Seat::Path | Seat::Configured | Seat::Home => found
            .bare_names
            .iter()
            .find(|n| *n == "python3")
            .cloned()
            .unwrap_or_else(|| {
                // A plain name that starts another interpreter here says nothing: the series does.
                let file = found
                    .path
                    .file_name()
                    .map_or_else(|| "?".to_owned(), |n| n.to_string_lossy().into_owned());
                if matches!(file.as_str(), "python3" | "python") {
                    format!("python{}", facts.markers.python_version)
                } else {
                    file
                }
            }),
    };
    let kind = match (found.seat, facts.in_environment(), facts.externally_managed) {
        (Seat::Active, ..) => "active environment",
        (Seat::Here, ..) => "environment of this folder",
        (_, true, _) => "environment",
        (_, _, true) => "system, externally managed",
        (Seat::Configured, ..) => "configured",
        (Seat::Home, ..) => NOT_ON_PATH,
        _ => "free-standing",
    };
    let flags = match (facts.debug, facts.bits) {
        (true, _) => " debug",
        (_, 32) => " 32-bit",
        _ => "",
    };
    let implementation = if facts.implementation == "cpython" {
        String::new()
    } else {
        format!("{} ", facts.implementation)
    };
    let shown = if facts.executable.as_os_str().is_empty() {
        &found.path
    } else {
        &facts.executable
    };
    let abi = facts
        .interpreter()
        .ok()
        .and_then(|i| i.abis.first().cloned());
    // A path of another machine is told as it is there.
    let inside = stand_in().and_then(|root| {
        shown
            .strip_prefix(&root)
            .ok()
            .map(|rest| Path::new("/").join(rest))
    });
    Row {
        name,
        version: format!("{implementation}{}{flags}", facts.version),
        abi: abi.unwrap_or_else(|| "-".to_owned()),
        kind: kind.to_owned(),
        path: inside.map_or_else(|| words::near(shown), |path| path.display().to_string()),
        default,
        bare_names: found.bare_names.clone(),
        full_path: shown.clone(),
        facts: facts.clone(),
    }
}

impl Report {
    /// `Linux x86_64, 64-bit, glibc 2.36 (Debian 12), no accelerator`
    pub(crate) fn machine_words(&self) -> String {
        let Some(platform) = &self.platform else {
            return format!("{} {}", self.os, std::env::consts::ARCH);
        };
        let (system, library) = match platform.system {
            System::Linux(Libc::Static) => ("Linux", "C library not known".to_owned()),
            System::Linux(libc) => ("Linux", libc.to_string()),
            System::Macos(major, minor) => ("macOS", format!("macOS {major}.{minor}")),
            System::Windows => ("Windows", String::new()),
        };
        // Windows has a word of its own for the same architecture.
        let is_own = platform.system == System::Windows;
        let arch = if is_own || platform.arch() == platform.machine() {
            platform.arch().to_owned()
        } else {
            let article = if platform.machine().starts_with(['a', 'i']) {
                "an"
            } else {
                "a"
            };
            format!(
                "{} programs on {article} {} kernel",
                platform.arch(),
                platform.machine()
            )
        };
        let level = platform.level.as_ref();
        let level = level.map_or(String::new(), |l| format!(" level {}", l.name));
        let mut words = vec![
            format!("{system} {arch}{level}"),
            format!("{}-bit", self.bits),
        ];
        let release = if self.os_release.is_empty() {
            String::new()
        } else {
            format!(" ({})", self.os_release)
        };
        words.extend(Some(format!("{library}{release}")).filter(|l| !l.is_empty()));
        let usable: Vec<&str> = self
            .accelerators
            .iter()
            .filter(|a| a.unusable.is_none())
            .map(|a| a.accelerator.family.name.as_str())
            .collect();
        words.push(if usable.is_empty() {
            "no accelerator".to_owned()
        } else {
            usable.join(" and ")
        });
        words.join(", ")
    }

    /// Bare names beside `python3`, with the version that each starts.
    pub(crate) fn other_names(&self) -> Vec<String> {
        let of = |row: &Row| {
            let others = row
                .bare_names
                .iter()
                .filter(|n| *n != "python3")
                .cloned()
                .collect::<Vec<_>>();
            others
                .into_iter()
                .map(|n| format!("`{n}` starts {}", row.version))
                .collect::<Vec<_>>()
        };
        self.interpreters.iter().flat_map(of).collect()
    }
}
