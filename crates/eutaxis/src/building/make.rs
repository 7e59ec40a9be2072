//! From an archive of sources to a wheel in the store: the standard's way (PEP 517), with each step
//! told.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::time::Instant;

use eutaxis_core::artifact::{Metadata, NameRules, WheelName};
use eutaxis_core::examine::Built as Noted;
use eutaxis_core::fault::escaped;
use eutaxis_core::index::Hashes;
use eutaxis_core::offer::Policy;
use eutaxis_core::requirement::Ask;
use eutaxis_core::source::{BuildSystem, Digest, foresee};
use eutaxis_core::{Name, Target, Version};
use eutaxis_world::assay::look_into;
use eutaxis_world::build::{By, Ended, Hook, Key, Ran, Record, Shelf, Workshop, compiler};
use eutaxis_world::config::BuildSettings;
use eutaxis_world::depot::{Depots, sdist_metadata};
use eutaxis_world::environment::{Item, WheelAt};
use eutaxis_world::files::sha256_of;
use eutaxis_world::interpreter::{Found, environment_python};
use eutaxis_world::network::Network;
use eutaxis_world::source::digest;
use eutaxis_world::store::Store;
use eutaxis_world::trees::{Packed, identity_of};
use eutaxis_world::{Error, ErrorKind};
use jiff::Timestamp;
use serde_json::{Value, json};

use super::explain;
use super::requirements::{Chooser, Chosen, place};
use crate::answer::build::{Built, Failed, Step};
use crate::output::Steps;
use crate::plan::Surroundings;

/// An archive that is to be built.
#[derive(Debug, Clone)]
pub(crate) struct Archive {
    pub(crate) project: Name,
    pub(crate) version: Version,
    /// On this disk.
    pub(crate) path: PathBuf,
    pub(crate) sha256: String,
    pub(crate) published: Option<Timestamp>,
    /// Which version it is, its build tells: it is a tree.
    pub(crate) is_tree: bool,
    /// The folder that is used where it lies.
    pub(crate) in_place: Option<PathBuf>,
}

impl Archive {
    /// A tree, of whatever version it is; what it states is shown meanwhile.
    pub(crate) fn of_tree(project: &Name, packed: &Packed) -> Self {
        let stated = sdist_metadata(&packed.archive).ok().flatten();
        let stated = stated.map(|m| m.version);
        Archive {
            project: project.clone(),
            version: stated.unwrap_or_else(|| Version::from_release(&[0])),
            path: packed.archive.clone(),
            sha256: packed.identity.clone(),
            published: None,
            is_tree: true,
            in_place: None,
        }
    }

    /// A tree that is used where it lies: its build makes what leads there (PEP 660).
    pub(crate) fn in_place(project: &Name, packed: &Packed, folder: &Path) -> Self {
        // Built again when what the build goes by is another.
        let mut parts = vec![folder.display().to_string()];
        for name in ["pyproject.toml", "setup.cfg", "setup.py"] {
            parts.extend(std::fs::read_to_string(folder.join(name)));
        }
        Archive {
            sha256: identity_of(&format!("in place {}", parts.join("\0"))),
            in_place: Some(folder.to_owned()),
            ..Archive::of_tree(project, packed)
        }
    }

    /// The hook that makes the wheel, and the one that tells what it needs for that.
    fn hooks(&self) -> (&'static str, &'static str) {
        match self.in_place {
            None => ("build_wheel", "get_requires_for_build_wheel"),
            Some(_) => ("build_editable", "get_requires_for_build_editable"),
        }
    }

    /// What counts of it, from the catalogue where it was read before.
    pub(crate) fn digest(&self, network: &Network) -> Result<Digest, Error> {
        let catalogue = network.catalogue();
        let key = format!("digest-6 {}", self.sha256);
        let known = catalogue.metadata(&key);
        if let Some(digest) = known.and_then(|bytes| serde_json::from_slice(&bytes).ok()) {
            return Ok(digest);
        }
        let digest = digest(&self.path)?;
        catalogue.keep_metadata(&key, &serde_json::to_vec(&digest).unwrap_or_default());
        Ok(digest)
    }
}

/// For what, and by what, wheels are built.
#[derive(Clone, Copy)]
pub(crate) struct Recipe<'a> {
    pub(crate) surroundings: &'a Surroundings,
    /// The interpreter for which wheels are built, and that builds them.
    pub(crate) python: &'a Found,
    pub(crate) target: &'a Target,
    pub(crate) policy: &'a Policy,
    /// What bounds the requirements of all builds.
    pub(crate) bounds: &'a [Ask],
    pub(crate) depots: &'a Arc<Depots>,
}

/// Who builds.
pub(crate) struct Maker<'a> {
    pub(crate) recipe: Recipe<'a>,
    /// Told the step that a build is in, and its last line; and that another run is waited for.
    pub(crate) steps: &'a Steps,
    /// Set when the user breaks it off.
    pub(crate) stop: &'a AtomicBool,
}

impl Recipe<'_> {
    /// Whether the wheel lies in the store already.
    pub(crate) fn is_built(&self, archive: &Archive) -> Result<bool, Error> {
        let shelf = Shelf::open(&self.surroundings.cache)?;
        Ok(shelf.built(&self.key(archive)?).is_some())
    }

    fn settings(&self, project: &Name) -> BuildSettings {
        let all = &self.surroundings.config.builds;
        all.get(project).cloned().unwrap_or_default()
    }

    fn key(&self, archive: &Archive) -> Result<Key, Error> {
        let settings = self.settings(&archive.project);
        let compiles = !foresee(&archive.digest(self.depots.network())?).is_light;
        let facts = &self.python.facts;
        let mut bounds: Vec<String> = self
            .bounds
            .iter()
            .map(|b| b.requirement.to_string())
            .collect();
        bounds.extend(settings.bounds.iter().map(ToString::to_string));
        Ok(Key {
            archive: archive.sha256.clone(),
            interpreter: format!(
                "{} {} {} {}",
                facts.implementation,
                facts.version,
                facts.soabi.as_deref().unwrap_or("-"),
                self.target.platform
            ),
            settings: settings.settings,
            environment: settings.environment,
            bounds,
            network: settings.network,
            as_of: self.policy.as_of.map(|m| m.to_string()),
            compiler: compiles.then(compiler).flatten(),
        })
    }
}

/// What came of a build: the wheel, or why there is none.
pub(crate) type Outcome<T> = Result<Result<T, Box<Failed>>, Error>;

impl Maker<'_> {
    /// The wheel of an archive: from the store, or built now. With `again` it is built in any case.
    pub(crate) fn wheel(&self, archive: &Archive, again: bool) -> Outcome<Built> {
        let shelf = Shelf::open(&self.recipe.surroundings.cache)?;
        let key = self.recipe.key(archive)?;
        let waiting = || {
            let what = format!("{} {}", archive.project, archive.version);
            self.steps
                .say(&format!("another run is building {what}: waiting for it"));
        };
        let _lock = shelf.lock(&key, &waiting)?;
        if let Some((record, wheel)) = shelf.built(&key).filter(|_| !again) {
            return Ok(Ok(Built {
                record,
                wheel,
                was_there: true,
            }));
        }
        let first = self.attempt(archive, &shelf, &key, false)?;
        match first {
            Err(failed) if self.may_be_too_old(&failed) => {
                let second = self.attempt(archive, &shelf, &key, true)?;
                // What the first ran into is nearer to what its authors had.
                Ok(second.map_err(|_| failed))
            }
            outcome => Ok(outcome),
        }
    }

    /// What an archive says of itself when its build system is asked; a whole build where that has
    /// no hook for it.
    pub(crate) fn metadata(&self, archive: &Archive) -> Outcome<Metadata> {
        let shelf = Shelf::open(&self.recipe.surroundings.cache)?;
        let key = self.recipe.key(archive)?;
        if let Some((_, wheel)) = shelf.built(&key) {
            return Ok(Ok(eutaxis_world::depot::wheel_metadata(&wheel)?));
        }
        let bench = match Bench::open(self, archive, &shelf, false)? {
            Ok(bench) => bench,
            Err(failed) => return Ok(Err(failed)),
        };
        match bench.prepared()? {
            Ok(Some(found)) => Ok(Ok(found)),
            Ok(None) => {
                drop(bench);
                let built = self.wheel(archive, false)?;
                Ok(match built {
                    Ok(built) => Ok(eutaxis_world::depot::wheel_metadata(&built.wheel)?),
                    Err(failed) => Err(failed),
                })
            }
            Err(failed) => Ok(Err(failed)),
        }
    }

    /// Whether what a build failed by may go away with newer build requirements.
    fn may_be_too_old(&self, failed: &Failed) -> bool {
        const OF_THE_SYSTEM: [&str; 6] = [
            "build-tool-missing",
            "header-missing",
            "network-unreachable",
            "no-space",
            "memory-exhausted",
            "not-permitted",
        ];
        let root = failed.causes.first();
        self.recipe.policy.as_of.is_none()
            && failed.log.is_some()
            && !failed.by.is_empty()
            && root.is_none_or(|c| !OF_THE_SYSTEM.contains(&c.id.as_str()))
    }

    fn attempt(&self, archive: &Archive, shelf: &Shelf, key: &Key, latest: bool) -> Outcome<Built> {
        let started = Instant::now();
        let bench = match Bench::open(self, archive, shelf, latest)? {
            Ok(bench) => bench,
            Err(failed) => return Ok(Err(failed)),
        };
        let arguments = vec![
            json!(bench.workshop.out()),
            bench.settings_value(),
            Value::Null,
        ];
        let (ran, answer) = match bench.ask(Step::Wheel, archive.hooks().0, arguments)? {
            Ok(asked) => asked,
            Err(failed) => return Ok(Err(failed)),
        };
        let (wheel, libraries) = match bench.judge(answer.as_ref()) {
            Ok(judged) => judged,
            Err(why) => return bench.failed(Step::Judging, why),
        };
        let (sha256, _) = sha256_of(&wheel)?;
        let name = wheel.file_name().map(|n| n.to_string_lossy().into_owned());
        let confined = ran.confined;
        let taken = [
            (confined.network, "network"),
            (confined.writing, "writing outside"),
        ];
        let record = Record {
            key: key.clone(),
            project: archive.project.to_string(),
            version: version_of(name.as_deref(), archive),
            wheel: name.unwrap_or_default(),
            sha256: sha256.clone(),
            by: bench.chosen.recorded(),
            libraries,
            without: taken
                .iter()
                .filter(|(is, _)| *is)
                .map(|(_, what)| (*what).to_owned())
                .collect(),
            reproduced: None,
            seconds: started.elapsed().as_secs_f64(),
            foreseen: foresee(&archive.digest(self.recipe.depots.network())?)
                .time
                .map(|t| t.seconds),
            at: Timestamp::now().to_string(),
        };
        let (record, wheel) = shelf.keep(&wheel, record, &bench.workshop)?;
        Ok(Ok(Built {
            record,
            wheel,
            was_there: false,
        }))
    }
}

/// A build under way: the unpacked source with its build environment.
struct Bench<'a> {
    maker: &'a Maker<'a>,
    archive: &'a Archive,
    shelf: &'a Shelf,
    workshop: Workshop,
    system: BuildSystem,
    settings: BuildSettings,
    chosen: Chosen,
    python: PathBuf,
}

impl<'a> Bench<'a> {
    /// Unpacks, and makes the environment with all that the build asks for.
    fn open(
        maker: &'a Maker<'a>,
        archive: &'a Archive,
        shelf: &'a Shelf,
        latest: bool,
    ) -> Outcome<Self> {
        const FIRST: (u64, u64) = (3, 4);
        let system = archive.digest(maker.recipe.depots.network())?.system;
        let settings = maker.recipe.settings(&archive.project);
        let mut bench = Bench {
            maker,
            archive,
            shelf,
            workshop: match &archive.in_place {
                None => Workshop::open(shelf, &archive.path)?,
                Some(folder) => Workshop::over(shelf, folder)?,
            },
            system,
            settings,
            chosen: Chosen { items: Vec::new() },
            python: PathBuf::new(),
        };
        if maker.recipe.target.interpreter.series() < FIRST {
            let own = &maker.recipe.target.interpreter;
            let why = format!("for {own} nothing is built here: Python 3.4 is the first");
            return bench.failed(Step::Unpacking, why);
        }
        if let BuildSystem::Unreadable(why) = &bench.system {
            let why = format!("its pyproject.toml cannot be read: {why}");
            return bench.failed(Step::Unpacking, why);
        }
        let at = bench.workshop.environment();
        bench.python = environment_python(&at);
        let stated = bench.system.requires().to_vec();
        if let Err(failed) = bench.furnish(&stated, latest)? {
            return Ok(Err(failed));
        }
        let hook = archive.hooks().1;
        let arguments = vec![bench.settings_value()];
        let more = match bench.ask(Step::MoreRequirements, hook, arguments)? {
            Ok((_, answer)) => answer,
            Err(failed) => return Ok(Err(failed)),
        };
        let more: Vec<String> = match more {
            None => Vec::new(),
            Some(answer) => match serde_json::from_value(answer.clone()) {
                Ok(texts) => texts,
                Err(_) => {
                    let why = format!("{hook} answers with {answer}, which is no list of texts");
                    return bench.failed(Step::MoreRequirements, why);
                }
            },
        };
        if !more.is_empty() {
            let all: Vec<String> = stated.into_iter().chain(more).collect();
            if let Err(failed) = bench.furnish(&all, latest)? {
                return Ok(Err(failed));
            }
        }
        Ok(Ok(bench))
    }

    /// Chooses and places build requirements.
    fn furnish(&mut self, texts: &[String], latest: bool) -> Outcome<()> {
        self.tell(Step::Requirements, "");
        let maker = self.maker;
        let own = self.settings.bounds.iter().map(|requirement| Ask {
            requirement: requirement.clone(),
            origin: eutaxis_core::fault::Origin::Argument,
        });
        let chooser = Chooser {
            depots: maker.recipe.depots,
            target: maker.recipe.target,
            policy: maker.recipe.policy,
            bounds: maker.recipe.bounds.iter().cloned().chain(own).collect(),
            published: self.archive.published,
        };
        match chooser.choose(texts, latest)? {
            Ok(chosen) => {
                let at = self.workshop.environment();
                let cache = &maker.recipe.surroundings.cache;
                place(
                    &chosen,
                    &at,
                    maker.recipe.python,
                    cache,
                    maker.recipe.depots,
                )?;
                self.chosen = chosen;
                Ok(Ok(()))
            }
            Err(clash) => {
                let why = format!("what it is built by cannot be had here: {clash}");
                self.failed(Step::Requirements, why)
            }
        }
    }

    fn tell(&self, step: Step, line: &str) {
        let Archive {
            project, version, ..
        } = self.archive;
        let line: String = line.chars().filter(|c| !c.is_control()).collect();
        let doing = match self.archive.is_tree {
            true => format!("{project}: {}", step.words()),
            false => format!("{project} {version}: {}", step.words()),
        };
        self.maker.steps.tell(&doing, &escaped(&line));
    }

    fn settings_value(&self) -> Value {
        if self.settings.settings.is_empty() {
            return Value::Null;
        }
        let one = |texts: &Vec<String>| match texts.as_slice() {
            [one] => json!(one),
            several => json!(several),
        };
        let all = self.settings.settings.iter();
        Value::Object(all.map(|(k, v)| (k.clone(), one(v))).collect())
    }

    /// Runs a hook: how it went and its answer, none where the backend does not have it.
    fn ask(&self, step: Step, name: &str, arguments: Vec<Value>) -> Outcome<(Ran, Option<Value>)> {
        let path: &[String] = match &self.system {
            BuildSystem::Stated { backend_path, .. } => backend_path,
            BuildSystem::Unstated | BuildSystem::Unreadable(_) => &[],
        };
        if let Some(out) = path.iter().find(|p| !self.is_inside(p)) {
            let why = format!("its backend-path `{}` leads out of it", escaped(out));
            return self.failed(step, why);
        }
        let hook = Hook {
            name,
            arguments,
            backend: self.system.backend(),
            backend_path: path,
        };
        let progress = |line: &str| self.tell(step, line);
        progress("");
        let by = By {
            python: &self.python,
            variables: &self.settings.environment,
            network: self.settings.network,
            epoch: self.archive.published.map(|p| p.as_second()),
            limits: self.maker.recipe.surroundings.config.build_limits,
            progress: &progress,
            stop: self.maker.stop,
        };
        let ran = self.workshop.run(&hook, &by)?;
        let why = match &ran.ended {
            Ended::Answered(answer) => {
                let answer = answer.clone();
                return Ok(Ok((ran, Some(answer))));
            }
            Ended::Absent if name != self.archive.hooks().0 => return Ok(Ok((ran, None))),
            Ended::Absent => format!("its backend {} has no hook {name}", hook.backend),
            Ended::Failed(0) => format!("{name} ended its process without an answer"),
            Ended::Failed(code) => format!("{name} failed (exit code {code})"),
            Ended::Signal(number) => format!("{name} was ended by signal {number}"),
            Ended::TooLong(seconds) => format!("{name} took longer than {seconds} s"),
            Ended::TooMuchOutput(bytes) => {
                format!("{name} wrote more than {}", crate::words::size(*bytes))
            }
            Ended::TooMuchDisk(bytes) => format!(
                "{name} took more than {} on the disk",
                crate::words::size(*bytes)
            ),
        };
        self.failed(step, why)
    }

    /// Whether a folder of the source stays in it, links followed.
    fn is_inside(&self, folder: &str) -> bool {
        let Ok(root) = self.workshop.source().canonicalize() else {
            return false;
        };
        let found = root.join(folder).canonicalize();
        found.is_ok_and(|path| path.starts_with(&root))
    }

    /// Metadata by the hook for them; none where the backend has none.
    fn prepared(&self) -> Outcome<Option<Metadata>> {
        let arguments = vec![json!(self.workshop.out()), self.settings_value()];
        let step = Step::Metadata;
        let (_, answer) = match self.ask(step, "prepare_metadata_for_build_wheel", arguments)? {
            Ok(asked) => asked,
            Err(failed) => return Ok(Err(failed)),
        };
        let Some(answer) = answer else {
            return Ok(Ok(None));
        };
        let read = || -> Result<Metadata, String> {
            let name = answer.as_str().ok_or("answers with no text")?;
            let folder = self.workshop.made(name)?;
            let bytes = std::fs::read(folder.join("METADATA")).map_err(|e| {
                format!(
                    "answers with {}, which has no METADATA ({e})",
                    escaped(name)
                )
            })?;
            let metadata = Metadata::parse(&bytes).map_err(|f| f.to_string())?;
            self.ensure_own(&metadata.name, &metadata.version)?;
            Ok(metadata)
        };
        match read() {
            Ok(metadata) => Ok(Ok(Some(metadata))),
            Err(why) => self.failed(step, why),
        }
    }

    fn ensure_own(&self, name: &Name, version: &Version) -> Result<(), String> {
        let Archive {
            project,
            version: own,
            ..
        } = self.archive;
        if name == project && (version == own || self.archive.is_tree) {
            return Ok(());
        }
        Err(format!(
            "answers with {name} {version}, and not with {project} {own}"
        ))
    }

    /// The wheel that a build left, checked as any other; with libraries of the system that its
    /// binaries need. On failure says why.
    fn judge(&self, answer: Option<&Value>) -> Result<(PathBuf, Vec<String>), String> {
        self.tell(Step::Judging, "");
        let name = answer
            .and_then(Value::as_str)
            .ok_or("build_wheel answers with no name of a wheel")?;
        let path = self
            .workshop
            .made(name)
            .map_err(|why| format!("build_wheel {why}"))?;
        if !path.is_file() {
            return Err(format!(
                "build_wheel answers with {}, which is a folder",
                escaped(name)
            ));
        }
        let wheel = WheelName::parse(name).map_err(|f| f.to_string())?;
        self.ensure_own(&wheel.name, &wheel.version)
            .map_err(|why| format!("build_wheel {why}"))?;
        let target = self.maker.recipe.target;
        if target.rank(&wheel.tags).is_none() {
            let why = target.misfits([&wheel.tags]);
            let why: Vec<String> = why.iter().map(ToString::to_string).collect();
            return Err(format!(
                "the wheel {} does not fit here: {}",
                escaped(name),
                why.join("; ")
            ));
        }
        let unreadable = |e: Error| e.message;
        let (sha256, _) = sha256_of(&path).map_err(unreadable)?;
        let store = Store::open(&self.maker.recipe.surroundings.cache).map_err(unreadable)?;
        store
            .unpacked(&path, &wheel, &sha256, NameRules::Posix)
            .map_err(unreadable)?;
        let looked = look_into(&path, target, None).map_err(unreadable)?;
        let mut needs: Vec<String> = Vec::new();
        let parts = looked.carried.iter().filter_map(|c| c.parts.as_ref().ok());
        for library in parts.flatten().flat_map(|b| &b.needs) {
            if !needs.contains(library) {
                needs.push(library.clone());
            }
        }
        needs.sort();
        Ok((path, needs))
    }

    /// That it failed, with what its log shows.
    fn failed<T>(&self, step: Step, why: String) -> Outcome<T> {
        let log = self.workshop.log();
        let Archive {
            project, version, ..
        } = self.archive;
        let (log, causes) = if log.is_file() {
            let version = version.to_string();
            let kept = self.shelf.keep_log(project.as_str(), &version, &log)?;
            let causes = explain::causes(&kept, self.maker.recipe.surroundings);
            (Some(kept), causes)
        } else {
            (None, Vec::new())
        };
        let last = match &log {
            Some(log) if causes.is_empty() => explain::last(log),
            _ => Vec::new(),
        };
        let by = self.chosen.recorded();
        Ok(Err(Box::new(Failed {
            last,
            project: project.clone(),
            version: version.clone(),
            step,
            why,
            log,
            causes,
            by: by
                .into_iter()
                .map(|(name, version, _)| (name, version))
                .collect(),
        })))
    }
}

/// The version that a wheel has: of a tree it is known only now.
fn version_of(wheel: Option<&str>, archive: &Archive) -> String {
    let named = wheel.and_then(|w| WheelName::parse(w).ok());
    named.map_or_else(|| archive.version.to_string(), |w| w.version.to_string())
}

/// A wheel that was built, as what is to be placed.
pub(crate) fn placed(archive: &Archive, built: Built, requested: bool) -> Result<Item, Error> {
    let wheel_name = WheelName::parse(&built.record.wheel)
        .map_err(|f| Error::fault(ErrorKind::Contents, "a wheel that was built", &f))?;
    let mut hashes = Hashes::default();
    hashes.add("sha256", &built.record.sha256);
    let by = built.record.by.iter();
    let noted = Noted {
        archive: archive.sha256.clone(),
        by: by
            .map(|(name, version, _)| format!("{name} {version}"))
            .collect(),
        compiler: built.record.key.compiler.clone(),
        at: built.record.at.clone(),
        reproduced: built.record.reproduced,
    };
    Ok(Item {
        name: archive.project.clone(),
        version: wheel_name.version.to_string(),
        size: std::fs::metadata(&built.wheel).ok().map(|m| m.len()),
        wheel: WheelAt::Disk(built.wheel),
        filename: built.record.wheel,
        wheel_name,
        sha256: built.record.sha256,
        hashes,
        said: None,
        requested,
        direct_url: None,
        built: Some(noted),
    })
}
