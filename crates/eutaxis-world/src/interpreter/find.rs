//! Which interpreters are here: on PATH, the active environment, `.venv` in this folder, configured
//! globs, and where people have them (`knowledge/interpreters.toml`).

use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use eutaxis_core::{Version, knowledge};
use rayon::prelude::*;

use super::numbered::{self, Numbered};
use super::{Facts, ProbeCache, environment_around, environment_python, rest};
use crate::root::{matching, stand_in};
use crate::{Error, ErrorKind, Result};

/// Where an interpreter was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Seat {
    /// The environment that VIRTUAL_ENV names.
    Active,
    /// `.venv` in the current folder.
    Here,
    /// A folder of PATH.
    Path,
    /// A configured glob.
    Configured,
    /// A place where people have them.
    Home,
}

/// An interpreter that answered.
#[derive(Debug, Clone)]
pub struct Found {
    /// The path under which it was found.
    pub path: PathBuf,
    /// What it says of itself.
    pub facts: Facts,
    /// Where it was found first.
    pub seat: Seat,
    /// The bare names (`python3`, `python`) that start it here.
    pub bare_names: Vec<String>,
}

/// Looks for interpreters.
#[derive(Debug)]
pub struct Finder {
    /// The folders of PATH.
    pub path: Vec<PathBuf>,
    /// VIRTUAL_ENV.
    pub active: Option<PathBuf>,
    /// The current folder.
    pub here: PathBuf,
    /// Globs of the configuration.
    pub globs: Vec<String>,
    /// The root that stands in for another machine's, whose programs cannot be run: they are read.
    pub root: Option<PathBuf>,
}

impl Finder {
    /// A finder over this process's surroundings, or over the machine whose root stands in
    /// (EUTAXIS_ROOT).
    pub fn new(globs: Vec<String>) -> Self {
        if let Some(root) = stand_in() {
            return Finder::under(root, globs);
        }
        let path = std::env::var_os("PATH")
            .map(|p| std::env::split_paths(&p).collect())
            .unwrap_or_default();
        let active = std::env::var_os("VIRTUAL_ENV")
            .filter(|v| !v.is_empty())
            .map(PathBuf::from);
        Finder {
            path,
            active,
            here: std::env::current_dir().unwrap_or_default(),
            globs,
            root: None,
        }
    }

    /// A finder over another machine's files: its usual folders of programs, and the globs under
    /// its root.
    pub fn under(root: PathBuf, globs: Vec<String>) -> Self {
        let usual = ["usr/local/bin", "usr/bin", "bin"]
            .iter()
            .map(|f| root.join(f));
        let more = ["opt/*/bin", "opt/*/*/bin"]
            .iter()
            .flat_map(|p| matching(&root, p));
        let path = usual.chain(more).collect();
        let globs = globs
            .iter()
            .filter_map(|g| Some(root.join(g.strip_prefix('/')?).display().to_string()))
            .collect();
        Finder {
            path,
            active: None,
            here: std::env::current_dir().unwrap_or_default(),
            globs,
            root: Some(root),
        }
    }

    /// What the interpreter at a path says of itself, or what its files say of it.
    fn ask(&self, path: &Path, cache: &ProbeCache) -> Result<Facts> {
        match &self.root {
            Some(root) => rest::facts(root, path),
            None => cache.probe(path),
        }
    }

    /// Whether a path leads to a file; links of another machine lead to its own files.
    fn is_file(&self, path: &Path) -> bool {
        match &self.root {
            Some(root) => rest::resolved(root, path).is_file(),
            None => path.is_file(),
        }
    }

    /// Scripts on PATH in numbered forms, with the interpreters that they belong to.
    pub fn numbered(&self) -> Vec<Numbered> {
        numbered::on_path(&self.path)
    }

    /// All interpreters, each once, in the order of their seats; and those that do not run, with
    /// the reason.
    pub fn all(&self, cache: &ProbeCache) -> (Vec<Found>, Vec<Error>) {
        let places = self.places();
        let answers: Vec<(PathBuf, Seat, Result<Facts>)> = places
            .into_par_iter()
            .map(|(path, seat)| {
                let facts = self.ask(&path, cache);
                (path, seat, facts)
            })
            .collect();
        cache.save();
        let mut found: Vec<Found> = Vec::new();
        let mut failed = Vec::new();
        for (path, seat, answer) in answers {
            match answer {
                Ok(facts) => match found.iter_mut().find(|f| same(&f.facts, &facts)) {
                    Some(known) => known.bare_names.extend(self.bare_name(&path)),
                    None => found.push(Found {
                        bare_names: self.bare_name(&path).into_iter().collect(),
                        path,
                        facts,
                        seat,
                    }),
                },
                Err(error) => failed.push(error),
            }
        }
        found.iter_mut().for_each(|f| f.bare_names.sort());
        // Those at home stand in the order of their versions: no place makes one of them the first.
        let others = found.iter().filter(|f| f.seat != Seat::Home).count();
        if let Some(homes) = found.get_mut(others..) {
            homes.sort_by_cached_key(|f| Version::parse(&f.facts.version).ok());
        }
        (found, failed)
    }

    /// The interpreter of the environment in the current folder (`.venv`), if there is one that
    /// runs.
    pub fn of_folder(&self, cache: &ProbeCache) -> Option<Found> {
        let path = environment_python(&self.here.join(".venv"));
        if self.root.is_some() || !path.is_file() {
            return None;
        }
        let facts = cache.probe(&path).ok()?;
        cache.save();
        Some(Found {
            path,
            facts,
            seat: Seat::Here,
            bare_names: Vec::new(),
        })
    }

    /// The interpreter that the bare name starts here: `python3`, else `python`.
    ///
    /// # Errors
    /// When there is none that runs.
    pub fn default(&self, cache: &ProbeCache) -> Result<Found> {
        let mut failed: Option<Error> = None;
        for name in ["python3", "python"] {
            let Some(path) = self.first_on_path(name) else {
                continue;
            };
            match self.ask(&path, cache) {
                Ok(facts) => {
                    cache.save();
                    return Ok(Found {
                        path,
                        facts,
                        seat: Seat::Path,
                        bare_names: vec![name.to_owned()],
                    });
                }
                Err(error) => failed = failed.or(Some(error)),
            }
        }
        let none = Error::new(
            ErrorKind::Interpreter,
            "no Python interpreter was found on PATH",
        );
        Err(failed
            .unwrap_or(none)
            .help("name one with --interpreter PATH, or plan for another place with --target"))
    }

    /// The interpreter that a name stands for: a path, or a version such as `3.12` among those
    /// found.
    ///
    /// # Errors
    /// When there is none.
    pub fn named(&self, name: &str, cache: &ProbeCache) -> Result<Found> {
        let is_path = name.contains(['/', '\\']) || self.here.join(name).exists();
        let given = self.here.join(name);
        let given = match &self.root {
            // A path of the machine that is looked at lies under its root.
            Some(root) if Path::new(name).is_absolute() && !given.starts_with(root) => {
                rest::under(root, &given)
            }
            _ => given,
        };
        let path = if is_path {
            Some(given)
        } else {
            self.first_on_path(name)
        };
        if let Some(path) = path {
            let path = if path.is_dir() {
                environment_python(&path)
            } else {
                path
            };
            if !self.is_file(&path) {
                let error = Error::new(
                    ErrorKind::Request,
                    format!("there is no interpreter at {}", path.display()),
                );
                return Err(error.help("`eutaxis survey` lists the interpreters that are here"));
            }
            match self.ask(&path, cache) {
                Ok(facts) => {
                    cache.save();
                    return Ok(Found {
                        path,
                        facts,
                        seat: Seat::Path,
                        bare_names: Vec::new(),
                    });
                }
                Err(error) if is_path => return Err(error),
                Err(_) => {}
            }
        }
        let wanted = name
            .trim_start_matches("python")
            .trim_start_matches("cpython ")
            .trim();
        let (found, _) = self.all(cache);
        let here: Vec<String> = found.iter().map(|f| f.facts.version.clone()).collect();
        let fits = |f: &Found| {
            f.facts.version == wanted || f.facts.version.starts_with(&format!("{wanted}."))
        };
        // An environment's interpreter is one way to the base; the base itself is the plainer
        // answer.
        let mut fitting: Vec<Found> = found.into_iter().filter(fits).collect();
        fitting.sort_by_key(|f| f.facts.in_environment());
        fitting.into_iter().next().ok_or_else(|| {
            let known: BTreeSet<String> = here.into_iter().collect();
            let known: Vec<String> = known.into_iter().collect();
            let list = if known.is_empty() {
                "none".to_owned()
            } else {
                known.join(", ")
            };
            Error::new(
                ErrorKind::Request,
                format!("no interpreter `{name}` was found here; there are: {list}"),
            )
            .help(how_to_have(wanted))
        })
    }

    /// Every path that may be an interpreter, with its seat, without doubles.
    fn places(&self) -> Vec<(PathBuf, Seat)> {
        let mut places = Vec::new();
        if let Some(root) = &self.active {
            places.push((environment_python(root), Seat::Active));
        }
        if self.root.is_none() {
            places.push((environment_python(&self.here.join(".venv")), Seat::Here));
        }
        for folder in &self.path {
            let Ok(entries) = std::fs::read_dir(folder) else {
                continue;
            };
            let mut names: Vec<PathBuf> = entries
                .flatten()
                .filter(|e| is_interpreter_name(&e.file_name()))
                .map(|e| e.path())
                .collect();
            // `python3` before `python3.11`: the bare name is how people reach it.
            names.sort_by_key(|p| (p.as_os_str().len(), p.clone()));
            places.extend(names.into_iter().map(|p| (p, Seat::Path)));
        }
        for pattern in &self.globs {
            places.extend(globbed(pattern).into_iter().map(|p| (p, Seat::Configured)));
        }
        places.extend(self.homes());
        let mut seen = BTreeSet::new();
        places.retain(|(path, seat)| {
            self.is_file(path)
                && (matches!(seat, Seat::Active | Seat::Here) || seen.insert(real_key(path)))
        });
        places
    }

    /// What is where people have interpreters and is not reached on PATH or by a glob of the settings:
    /// each program once.
    fn homes(&self) -> Vec<(PathBuf, Seat)> {
        let system = match &self.root {
            Some(_) => "linux",
            None => std::env::consts::OS,
        };
        let mut found = Vec::new();
        for pattern in knowledge::interpreter_homes(system) {
            let paths = match (&self.root, pattern.strip_prefix("~/")) {
                (Some(root), Some(rest)) => {
                    let mut all = matching(root, &format!("home/*/{rest}"));
                    all.extend(matching(root, &format!("root/{rest}")));
                    all
                }
                (Some(root), None) => matching(root, pattern.trim_start_matches('/')),
                (None, _) => globbed(pattern),
            };
            found.extend(paths);
        }
        // The other names of a program that is reached already are no further ones.
        let known: BTreeSet<PathBuf> = self.path.iter().flat_map(|f| programs(f)).collect();
        let mut seen = BTreeSet::new();
        let real = |path: &PathBuf| std::fs::canonicalize(path).unwrap_or_else(|_| path.clone());
        found.retain(|path| {
            let real = real(path);
            environment_around(path).is_none() && !known.contains(&real) && seen.insert(real)
        });
        found.into_iter().map(|p| (p, Seat::Home)).collect()
    }

    /// The globs of the settings that lead to nothing.
    pub fn empty_globs(&self) -> Vec<&str> {
        let globs = self.globs.iter().map(String::as_str);
        globs.filter(|glob| globbed(glob).is_empty()).collect()
    }

    fn first_on_path(&self, name: &str) -> Option<PathBuf> {
        let file = if cfg!(windows) {
            format!("{name}.exe")
        } else {
            name.to_owned()
        };
        self.path
            .iter()
            .map(|folder| folder.join(&file))
            .find(|p| self.is_file(p))
    }

    /// The bare name that this path is the first of PATH for.
    fn bare_name(&self, path: &Path) -> Option<String> {
        ["python3", "python"]
            .into_iter()
            .find(|name| self.first_on_path(name).as_deref() == Some(path))
            .map(str::to_owned)
    }
}

/// How a series that is not here is had: by the packages of this system, or by its path.
fn how_to_have(wanted: &str) -> String {
    let path = "give a path, or list where interpreters lie under [interpreters] search in \
                eutaxis.toml";
    let series: Vec<&str> = wanted.split('.').take(2).collect();
    let series = series.join(".");
    let distributions = crate::root::distribution(&crate::root::root());
    let distributions = distributions.iter().map(String::as_str);
    let is_series = knowledge::series("cpython", &series).is_some();
    match knowledge::interpreter_packages(distributions, &series) {
        packages if is_series && !packages.is_empty() => format!(
            "place it: this system calls it {}, where its release has that series\n{path}",
            packages.join(" with ")
        ),
        _ => path.to_owned(),
    }
}

/// The files that a pattern leads to.
fn globbed(pattern: &str) -> Vec<PathBuf> {
    let paths = glob::glob(&expand_home(pattern));
    paths.map(|p| p.flatten().collect()).unwrap_or_default()
}

/// The interpreters in a folder of programs, without the links that lead to them.
fn programs(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let named = entries.filter(|e| is_interpreter_name(&e.file_name()));
    named
        .filter_map(|e| std::fs::canonicalize(e.path()).ok())
        .collect()
}

/// Two paths to one interpreter: the same program with the same prefix.
fn same(a: &Facts, b: &Facts) -> bool {
    let real =
        |f: &Facts| std::fs::canonicalize(&f.executable).unwrap_or_else(|_| f.executable.clone());
    a.prefix == b.prefix && real(a) == real(b)
}

/// Links in one folder that lead to one file are one place; a bare name stays its own, to be told
/// apart later.
fn real_key(path: &Path) -> PathBuf {
    let bare = path
        .file_name()
        .is_some_and(|n| n == "python3" || n == "python");
    if bare {
        path.to_owned()
    } else {
        std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
    }
}

/// `python`, `python3`, `python3.12`, `python3.13t`, `pypy`, `pypy3.10`; not `python3-config` and
/// the like.
fn is_interpreter_name(name: &OsStr) -> bool {
    let Some(name) = name.to_str() else {
        return false;
    };
    let name = name.strip_suffix(".exe").unwrap_or(name);
    let Some(rest) = name
        .strip_prefix("python")
        .or_else(|| name.strip_prefix("pypy"))
    else {
        return false;
    };
    let rest = rest.strip_suffix('t').unwrap_or(rest);
    rest.split('.')
        .all(|part| part.bytes().all(|b| b.is_ascii_digit()))
        && !rest.ends_with('.')
}

/// `~` at the start stands for the home folder.
pub(crate) fn expand_home(pattern: &str) -> String {
    // Where HOME is not set the system knows it.
    match pattern.strip_prefix("~/").zip(std::env::home_dir()) {
        Some((rest, home)) => home.join(rest).to_string_lossy().into_owned(),
        None => pattern.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("python3", true)]
    #[case("python3.13t", true)]
    #[case("pypy3.10", true)]
    #[case("python2.7", true)]
    #[case("python3-config", false)]
    #[case("python3.", false)]
    #[case("pythonw", false)]
    #[case("ipython", false)]
    fn names_of_interpreters_are_known(#[case] name: &str, #[case] is_one: bool) {
        assert_eq!(is_interpreter_name(OsStr::new(name)), is_one);
    }

    #[test]
    fn what_is_no_interpreter_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let cache = ProbeCache::open(folder.path());
        let finder = Finder {
            path: vec![],
            active: None,
            here: folder.path().to_owned(),
            globs: vec![],
            root: None,
        };
        assert!(
            finder
                .default(&cache)
                .unwrap_err()
                .message
                .contains("no Python interpreter")
        );
        std::fs::write(folder.path().join("x"), "").unwrap();
        assert_eq!(
            finder.named("./x", &cache).unwrap_err().kind,
            ErrorKind::Interpreter
        );
        assert_eq!(
            finder.named("./y", &cache).unwrap_err().kind,
            ErrorKind::Request
        );
    }
}
