//! What an environment is: its folder, its interpreter, and what is wrong with them.

use std::fs;
use std::path::{Path, PathBuf};

use eutaxis_core::Version;
use eutaxis_core::examine::{Kind, PlaceFault};

use super::super::list::{Fault, Stated, stated};
use super::super::read::{Place, look};
use super::is_dead;
use crate::interpreter::{
    Facts, Finder, Paths, ProbeCache, environment_around, environment_python, planned,
};
use crate::root::stand_in;
use crate::{Error, Result};

/// An environment, or an interpreter with its own packages.
#[derive(Debug, Clone)]
pub struct Seen {
    /// Its folder: of an interpreter its prefix.
    pub root: PathBuf,
    /// Its interpreter.
    pub python: PathBuf,
    /// What the interpreter says of itself; of one that does not run, what was recorded of it.
    pub facts: Facts,
    /// Where it looks for modules.
    pub paths: Paths,
    /// What kind it is.
    pub kind: Kind,
    /// What is wrong with interpreter and place.
    pub faults: Vec<PlaceFault>,
    /// The interpreter can be run.
    pub runs: bool,
}

/// Looks at an environment's folder, or at an interpreter.
///
/// # Errors
/// When it is neither, or the interpreter of a system does not run.
pub fn seen(place: &Path, finder: &Finder, probes: &ProbeCache) -> Result<Seen> {
    let root = match environment_around(place).filter(|_| place.is_file()) {
        None if place.is_dir() => Some(place.to_owned()),
        above => above,
    };
    let as_version = place
        .to_str()
        .is_some_and(|t| Version::parse(t.trim_start_matches("python")).is_ok());
    let on_path = || finder.path.iter().any(|folder| folder.join(place).exists());
    if !place.exists() && !as_version && !place.is_symlink() && stand_in().is_none() && !on_path() {
        let error = Error::request(format!(
            "there is neither an environment nor an interpreter at {}",
            place.display()
        ));
        return Err(error.help(
            "name the folder of an environment, or an interpreter; `eutaxis survey --environments` \
                lists them",
        ));
    }
    match root {
        Some(root) => environment(&std::path::absolute(&root).unwrap_or(root), finder, probes),
        None => interpreter(place, finder, probes),
    }
}

fn interpreter(python: &Path, finder: &Finder, probes: &ProbeCache) -> Result<Seen> {
    let advised = |error: Error| match error.help {
        Some(_) => error,
        None => error.help("name the folder of an environment, or an interpreter"),
    };
    let found = finder
        .named(&python.display().to_string(), probes)
        .map_err(advised)?;
    if found.facts.in_environment() {
        return environment(&found.facts.prefix, finder, probes);
    }
    let kind = Kind::System {
        managed: found.facts.externally_managed,
    };
    let runs = stand_in().is_none();
    let paths = if runs {
        probes.paths(&found.path, &found.facts)?
    } else {
        planned(&found.facts)
    };
    let root = found.facts.prefix.clone();
    Ok(Seen {
        root,
        python: found.path,
        facts: found.facts,
        paths,
        kind,
        faults: Vec::new(),
        runs,
    })
}

fn environment(root: &Path, finder: &Finder, probes: &ProbeCache) -> Result<Seen> {
    let Place::Environment { shares_system, .. } = look(root)? else {
        let error = Error::request(format!(
            "{} is no environment: it has no pyvenv.cfg",
            root.display()
        ));
        return Err(error.help("name the folder of an environment, or an interpreter"));
    };
    let python = environment_python(root);
    let stated = stated(root);
    let mut faults: Vec<PlaceFault> = stated
        .faults
        .iter()
        .filter_map(|f| fault(f, root))
        .collect();
    let here = stand_in().is_none();
    let asked = match is_dead(&faults) {
        false => match finder.named(&python.display().to_string(), probes) {
            Ok(found) => Some(found.facts),
            Err(error) => {
                faults.push(PlaceFault::NoInterpreter(error.message));
                None
            }
        },
        true => None,
    };
    let told = asked.as_ref().and_then(|facts| {
        if here {
            probes.paths(&facts.base(), facts).ok()
        } else {
            None
        }
    });
    let runs = here && told.is_some();
    let facts = match asked {
        Some(facts) => {
            faults.extend(other_base(&stated, &facts));
            facts
        }
        None => recorded(root, &stated, finder, probes)?,
    };
    let paths = told.unwrap_or_else(|| planned(&facts));
    Ok(Seen {
        root: root.to_owned(),
        python,
        facts,
        paths,
        kind: Kind::Virtual { shares_system },
        faults,
        runs,
    })
}

fn fault(fault: &Fault, root: &Path) -> Option<PlaceFault> {
    match fault {
        Fault::BaseGone(base) => Some(PlaceFault::BaseGone(base.display().to_string())),
        Fault::NoInterpreter => Some(PlaceFault::NoInterpreter("there is none".to_owned())),
        Fault::Moved(made) => Some(PlaceFault::Moved(
            made.display().to_string(),
            leading_to(root, made),
        )),
        Fault::Gone => None,
    }
}

/// Scripts of the environment that start an interpreter at another place.
fn leading_to(root: &Path, made: &Path) -> Vec<String> {
    let old = made.join("bin").display().to_string();
    let Ok(entries) = fs::read_dir(root.join("bin")) else {
        return Vec::new();
    };
    let leads = |path: &PathBuf| {
        let start = crate::root::start_of(path);
        start
            .lines()
            .take(2)
            .any(|l| l.contains(&format!("{old}/")))
    };
    let mut found: Vec<PathBuf> = entries
        .flatten()
        .map(|e| e.path())
        .filter(|p| p.is_file() && !p.is_symlink())
        .filter(leads)
        .collect();
    found.sort();
    found.iter().map(|p| p.display().to_string()).collect()
}

/// The base interpreter is of another series than the one with which the environment was made.
fn other_base(stated: &Stated, facts: &Facts) -> Option<PlaceFault> {
    let recorded = stated
        .version
        .as_deref()
        .and_then(|v| Version::parse(v).ok())?;
    let found = Version::parse(&facts.version).ok()?;
    let series = |v: &Version| (v.release_number(0), v.release_number(1));
    (series(&recorded) != series(&found))
        .then(|| PlaceFault::OtherBase(recorded.to_string(), facts.version.clone()))
}

/// What is recorded of an interpreter that does not run, on the platform of the one that does.
fn recorded(root: &Path, stated: &Stated, finder: &Finder, probes: &ProbeCache) -> Result<Facts> {
    let other = finder.default(probes)?.facts;
    let version = stated
        .version
        .clone()
        .or_else(|| series_of(root))
        .unwrap_or_else(|| other.version.clone());
    let parsed = Version::parse(&version).unwrap_or_else(|_| Version::from_release(&[3]));
    let series = format!("{}.{}", parsed.release_number(0), parsed.release_number(1));
    let mut markers = other.markers.clone();
    markers.python_version = series.into();
    markers.python_full_version = version.clone().into();
    markers.implementation_version = version.clone().into();
    let base = stated
        .base
        .as_ref()
        .and_then(|b| b.parent()?.parent().map(Path::to_owned));
    let flags = if (3, 3) <= (parsed.release_number(0), parsed.release_number(1))
        && parsed.release_number(1) < 8
    {
        "m"
    } else {
        ""
    };
    Ok(Facts {
        version,
        abiflags: flags.to_owned(),
        executable: environment_python(root),
        base_executable: stated.base.clone(),
        prefix: root.to_owned(),
        base_prefix: base.unwrap_or_default(),
        soabi: None,
        ext_suffix: None,
        debug: false,
        free_threaded: false,
        externally_managed: false,
        include: None,
        markers,
        ..other
    })
}

/// The series that the folder of packages tells.
fn series_of(root: &Path) -> Option<String> {
    let sites = crate::root::matching(root, "lib/python3*/site-packages");
    let name = sites
        .first()?
        .parent()?
        .file_name()?
        .to_str()?
        .strip_prefix("python")?
        .to_owned();
    Some(name.trim_end_matches('t').to_owned())
}
