//! What building an archive will take here, told before anything of it is run.

use std::path::Path;

use std::sync::Arc;

use eutaxis_core::Version;
use eutaxis_core::index::PageFile;
use eutaxis_core::offer::{Policy, Rules, Verdict};
use eutaxis_core::requirement::{Accepts, Ask, Requirement};
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_core::source;
use eutaxis_core::{Name, Target};
use eutaxis_world::build::{Shelf, has_header, has_library, program};
use eutaxis_world::depot::{Depots, Place as FilePlace};
use eutaxis_world::files::sha256_of;
use eutaxis_world::interpreter::Found;
use eutaxis_world::root::{distribution, root};
use eutaxis_world::supply::{Depth, Run};
use eutaxis_world::trees::packed_folder;
use eutaxis_world::{Error, ErrorKind};
use rayon::prelude::*;

use super::make::{Archive, Recipe};
use super::requirements::Chooser;
use crate::answer::build::{Estimate, Foreseen, Wanted};
use crate::plan::Surroundings;

/// Where, and by what, a build is foreseen.
pub(crate) struct Place<'a> {
    pub(crate) surroundings: &'a Surroundings,
    pub(crate) depots: &'a Arc<Depots>,
    pub(crate) target: &'a Target,
    /// The interpreter of the place, when it is here: what is missing can be told then.
    pub(crate) python: Option<&'a Found>,
    pub(crate) policy: &'a Policy,
    /// What bounds build requirements.
    pub(crate) bounds: &'a [Ask],
}

impl Place<'_> {
    /// What an archive's build will take.
    ///
    /// # Errors
    /// When the archive cannot be read, or the depots fail.
    pub(crate) fn foresee(&self, archive: &Archive) -> Result<Foreseen, Error> {
        let found = match archive.digest(self.depots.network()) {
            Err(error) if error.kind == ErrorKind::Refused => {
                let unknown = self.unlooked(&archive.project, &archive.version, 0);
                return Ok(Foreseen {
                    unlooked: None,
                    unreadable: Some(error.message),
                    ..unknown
                });
            }
            other => other?,
        };
        let plain = source::foresee(&found);
        let project = &archive.project;
        let chooser = Chooser {
            depots: self.depots,
            target: self.target,
            policy: self.policy,
            bounds: self.bounds.to_vec(),
            published: archive.published,
        };
        let (requires, clash) = match chooser.names(&plain.requires)? {
            Ok(names) => (names, None),
            Err(clash) => (plain.requires.clone(), Some(clash)),
        };
        let estimate = self.estimate(project, &plain);
        Ok(Foreseen {
            project: project.clone(),
            version: archive.version.clone(),
            is_light: plain.is_light,
            languages: plain.languages.clone(),
            wants: self.wants(&plain, &requires),
            requires,
            clash,
            unreadable: plain
                .unreadable
                .as_ref()
                .map(|why| format!("its pyproject.toml cannot be read: {why}")),
            estimate,
            is_here: self.python.is_some(),
            with_wheel: None,
            is_permitted: is_permitted(self.policy, project, plain.is_light),
            is_built: self.is_built(archive)?,
            unlooked: None,
        })
    }

    /// Whether the wheel lies in the store already.
    fn is_built(&self, archive: &Archive) -> Result<bool, Error> {
        let Some(python) = self.python else {
            return Ok(false);
        };
        let maker = Recipe {
            surroundings: self.surroundings,
            python,
            target: self.target,
            policy: self.policy,
            bounds: self.bounds,
            depots: self.depots,
        };
        maker.is_built(archive)
    }

    /// What is known of a build whose archive is larger than may be fetched to learn something.
    pub(crate) fn unlooked(&self, project: &Name, version: &Version, bytes: u64) -> Foreseen {
        Foreseen {
            project: project.clone(),
            version: version.clone(),
            is_light: false,
            languages: Vec::new(),
            requires: Vec::new(),
            clash: None,
            unreadable: None,
            wants: Vec::new(),
            estimate: None,
            is_here: self.python.is_some(),
            with_wheel: None,
            is_permitted: is_permitted(self.policy, project, false),
            is_built: false,
            unlooked: Some(bytes),
        }
    }

    /// What is foreseen for each project of a solution that has only source, told with the newest
    /// release that has a wheel.
    ///
    /// # Errors
    /// When the depots or the disk fail.
    pub(crate) fn of_solution(
        &self,
        solution: &Solution,
        problem: &Problem,
        run: &Run,
    ) -> Result<Vec<Foreseen>, Error> {
        let chosen = solution.chosen.iter();
        // What is used where it lies is no archive.
        let in_place = |c: &Chosen| {
            let place = run.place_of(&c.project, &c.file);
            matches!(place, Ok(FilePlace::Disk(path)) if path.is_dir())
        };
        let sources = chosen.filter(|c| c.verdict == Verdict::Build && !in_place(c));
        let sources: Vec<&Chosen> = sources.collect();
        sources
            .par_iter()
            .map(|chosen| {
                let one = self.of_file(&chosen.project, &chosen.file, run)?;
                // What is asked for by an address is not what depots have under its name.
                let is_address = |a: &Ask| {
                    a.requirement.name == chosen.project
                        && matches!(a.requirement.accepts, Accepts::Url(_))
                };
                let with_wheel = match problem.asks.iter().any(is_address) {
                    true => None,
                    false => with_wheel(&chosen.project, &problem.rules(), run),
                };
                Ok(Foreseen { with_wheel, ..one })
            })
            .collect()
    }

    /// What is foreseen of the archive that a page lists.
    ///
    /// # Errors
    /// When the depots or the disk fail.
    pub(crate) fn of_file(
        &self,
        project: &Name,
        file: &PageFile,
        run: &Run,
    ) -> Result<Foreseen, Error> {
        let at = run.place_of(project, file)?;
        let limit = self.depots.network().limits().file;
        let too_large = file.size.filter(|bytes| *bytes > limit);
        if let (Some(bytes), FilePlace::Url(_)) = (too_large, &at) {
            return Ok(self.unlooked(project, file.kind.version(), bytes));
        }
        self.foresee(&archive_of(project, file, run, &self.surroundings.cache)?)
    }

    /// Tools, headers and libraries, and whether they are here.
    fn wants(&self, plain: &source::Foreseen, requires: &[String]) -> Vec<Wanted> {
        let root = root();
        let distributions = match self.python {
            Some(_) => distribution(&root),
            None => Vec::new(),
        };
        let package = |known: &eutaxis_core::knowledge::Needed| {
            known.package(&distributions).map(str::to_owned)
        };
        let mut wants: Vec<Wanted> = Vec::new();
        // What brings a tool may come along with what is stated.
        let comes = |tool: &source::Tool| {
            let project = tool.known.project.as_deref();
            let names = requires.iter().filter_map(|r| r.split(' ').next());
            project.is_some_and(|p| names.into_iter().any(|n| n == p))
        };
        for tool in plain.tools.iter().filter(|t| !t.is_brought && !comes(t)) {
            wants.push(Wanted {
                name: tool.names.first().cloned().unwrap_or_default(),
                what: tool.what.to_owned(),
                here: self.python.map(|_| program(tool.names).is_some()),
                package: package(tool.known),
                project: tool.known.project.clone(),
            });
        }
        for header in &plain.headers {
            let is_here = |_: &Found| {
                if header.is_library {
                    has_library(&root, &header.name)
                } else {
                    has_header(&root, &header.name)
                }
            };
            wants.push(Wanted {
                name: header.name.clone(),
                what: header.known.what.clone(),
                here: self.python.map(is_here),
                package: package(header.known),
                project: None,
            });
        }
        if plain.needs_headers_of_python {
            let is_here = |found: &Found| {
                let folder = found.facts.include.as_deref();
                folder.is_some_and(|f| f.join("Python.h").is_file())
            };
            let known = eutaxis_core::knowledge::header("Python.h");
            wants.push(Wanted {
                name: "Python.h".to_owned(),
                what: "headers of the interpreter".to_owned(),
                here: self.python.map(is_here),
                package: known.and_then(package),
                project: None,
            });
        }
        wants
    }

    /// How long, by an earlier build here, else by the sources. None where neither tells it, or the
    /// place is another machine.
    fn estimate(&self, project: &Name, plain: &source::Foreseen) -> Option<Estimate> {
        self.python?;
        let shelf = Shelf::open(&self.surroundings.cache).ok()?;
        if let Some(took) = shelf.took(project.as_str()) {
            return Some(Estimate {
                seconds: took.seconds,
                from: format!("{} took so long here", took.version),
            });
        }
        let time = plain.time.as_ref()?;
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let cores = u32::try_from(cores).map_or(1.0, f64::from);
        Some(Estimate {
            seconds: time.seconds - time.parallel + time.parallel / cores,
            from: time.from.clone(),
        })
    }
}

/// The archive that a page lists, on this disk.
///
/// # Errors
/// When the depots or the disk fail.
pub(crate) fn archive_of(
    project: &Name,
    file: &PageFile,
    run: &Run,
    cache: &Path,
) -> Result<Archive, Error> {
    let path = run.obtain(project, file)?;
    if path.is_dir() {
        let packed = packed_folder(cache, &path)?;
        return Ok(Archive::in_place(project, &packed, &path));
    }
    let sha256 = match file.hashes.sha256() {
        Some(known) => known.to_ascii_lowercase(),
        None => sha256_of(&path)?.0,
    };
    Ok(Archive {
        project: project.clone(),
        version: file.kind.version().clone(),
        path,
        sha256,
        published: file.published,
        is_tree: false,
        in_place: None,
    })
}

/// The newest release of a project that has a wheel for the place.
pub(crate) fn with_wheel(project: &Name, rules: &Rules<'_>, run: &Run) -> Option<Version> {
    let requirement = Requirement::parse(project.as_str()).ok()?;
    let looked = run.look(&[requirement], rules, Depth::Gaps).ok()?;
    let looked = looked.into_iter().next()??;
    let mut heads = looked.judged.heads().iter();
    let ready = heads.find(|h| h.verdict == Verdict::Ready && h.is_final());
    ready.map(|o| o.version.clone())
}

/// Whether the user permits a build.
pub(crate) fn is_permitted(policy: &Policy, project: &Name, is_light: bool) -> bool {
    policy.builds(project) || policy.build_light && is_light
}
