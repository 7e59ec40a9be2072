//! An environment as it was read: plain data, from which the checks draw their findings.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;

use crate::binary::Binary;
use crate::remedy::{Invocation, MEND, Remedy, Step, Verb};
use eutaxis_standards::artifact::{Metadata, Variants, WheelTags};
use eutaxis_standards::knowledge::Libraries;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::Version;

/// An environment, or the interpreter of a system with what it sees.
#[derive(Debug, Clone)]
pub struct Snapshot {
    /// Its folder.
    pub root: String,
    /// The same as people name it.
    pub name: String,
    /// Its interpreter.
    pub python: String,
    /// What the interpreter is, on its machine.
    pub target: Target,
    /// What kind of environment it is.
    pub kind: Kind,
    /// Endings of compiled modules that the interpreter loads, best first.
    pub suffixes: Vec<String>,
    /// Folders in which modules are looked for, in order.
    pub path: Vec<Entry>,
    /// What is placed, in the order in which it is found.
    pub projects: Vec<Project>,
    /// Files that no project owns.
    pub strays: Vec<Stray>,
    /// Compiled files.
    pub compiled: Vec<Compiled>,
    /// What is wrong with its interpreter or place.
    pub faults: Vec<PlaceFault>,
    /// What it is to hold.
    pub pins: Option<Pins>,
    /// When releases and series appeared.
    pub dates: Dates,
    /// What is known of system libraries.
    pub libraries: Arc<Libraries>,
    /// The machine's distribution and those that it is like, as its `os-release` names them.
    pub distribution: Vec<String>,
}

/// What kind of environment it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A virtual environment (PEP 405).
    Virtual {
        /// It says that it sees the base interpreter's packages.
        shares_system: bool,
    },
    /// The interpreter's own.
    System {
        /// Marked as managed by the system (PEP 668).
        managed: bool,
    },
}

/// A folder in which modules are looked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The folder.
    pub folder: String,
    /// Why it is looked into.
    pub seat: Seat,
    /// What can be imported from it, by name.
    pub modules: BTreeMap<String, Top>,
}

/// Why a folder is looked into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seat {
    /// It is the folder that code would be started from.
    Start,
    /// PYTHONPATH names it.
    Variable,
    /// The standard library.
    Standard,
    /// Where the environment's projects are placed.
    Site,
    /// A `.pth` file of the environment names it.
    Pth,
    /// The user's own packages.
    User,
    /// The base interpreter's packages.
    System,
}

/// A module or package at the top of a folder: the file that is loaded for it, and whether it is a
/// package without a file of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Top {
    /// The file; of a package without one, its folder.
    pub path: String,
    /// A package without a file: parts of it may lie in several folders.
    pub namespace: bool,
}

/// The form of the metadata of a placed project (PEP 376 and 627).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A `.dist-info` folder.
    DistInfo,
    /// A folder or file of the older form.
    EggInfo,
}

/// A project that is placed.
#[derive(Debug, Clone)]
pub struct Project {
    /// Its name.
    pub name: Name,
    /// Its release, if its metadata says one.
    pub version: Option<Version>,
    /// Its metadata's folder or file.
    pub info: String,
    /// The folder of the path that it lies in, as a place in [`Snapshot::path`].
    pub entry: usize,
    /// It lies in the environment itself; others are only seen from it.
    pub here: bool,
    /// What it says of itself, or what is wrong with that.
    pub metadata: Result<Metadata, String>,
    /// The form of its metadata.
    pub form: Form,
    /// What RECORD is like.
    pub record: Recorded,
    /// Its files, as far as they are recorded.
    pub files: Vec<Owned>,
    /// Names at the top that it says are its own, where its files are not known.
    pub claims: Vec<String>,
    /// The modules that its scripts start in (entry points specification).
    pub starts: Vec<String>,
    /// The program that placed it.
    pub installer: Option<String>,
    /// It was asked for by itself.
    pub requested: bool,
    /// Where it came from, when it was named by URL or folder.
    pub direct: Option<Direct>,
    /// What it says of itself as a wheel variant, or why that cannot be read (draft PEP 825).
    pub variants: Option<Result<Variants, String>>,
    /// The wheel that it came from, and its SHA-256, when that was noted.
    pub wheel: Option<(String, String)>,
    /// What its wheel was built from, when it was built here.
    pub built: Option<Built>,
    /// The tags of its wheel; none when it does not say.
    pub tags: Option<Vec<WheelTags>>,
    /// When it was placed.
    pub placed: Option<Timestamp>,
}

/// What a wheel was built from, and how.
#[derive(Debug, Clone, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
pub struct Built {
    /// SHA-256 of the archive.
    pub archive: String,
    /// What the build environment held: project and release.
    pub by: Vec<String>,
    /// The compiler, where it compiled.
    pub compiler: Option<String>,
    /// When, in RFC 3339.
    pub at: String,
    /// Whether two builds gave the same bytes; none when there was one.
    pub reproduced: Option<bool>,
}

/// What a project's RECORD is like.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Recorded {
    /// It has none.
    Absent,
    /// It cannot be read.
    Broken(String),
    /// It was read, with remarks on single lines.
    Read(Vec<String>),
}

/// Where a project came from (PEP 610).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Direct {
    /// The URL.
    pub url: String,
    /// It is used in place.
    pub editable: bool,
    /// SHA-256 of the archive.
    pub sha256: Option<String>,
}

/// A file of a project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Owned {
    /// Where it is.
    pub path: String,
    /// Whether it is as it was placed.
    pub state: State,
    /// Its hash as recorded.
    pub hash: Option<String>,
    /// Its bytes, if it is there.
    pub size: u64,
}

/// Whether a file is as it was placed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// It is, as far as it was looked at.
    Whole,
    /// It is not there.
    Absent,
    /// It is another one than was placed: what differs.
    Altered(String),
}

/// A file that no project owns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stray {
    /// Where it is.
    pub path: String,
    /// The project in whose package it lies, as a place in [`Snapshot::projects`].
    pub inside: Option<usize>,
}

/// A compiled file.
#[derive(Debug, Clone)]
pub struct Compiled {
    /// Where it is.
    pub path: String,
    /// The project that owns it.
    pub owner: Option<usize>,
    /// It lies where modules are looked for, and is named as one.
    pub importable: bool,
    /// A module of the environment loads it.
    pub reached: bool,
    /// What it is, part by part, or why it cannot be read.
    pub parts: Result<Vec<Binary>, String>,
    /// Libraries that it needs and the loader does not find, itself or through others.
    pub absent: Vec<AbsentLibrary>,
    /// Versions that the libraries it finds do not define.
    pub lacking: Vec<LackingVersion>,
    /// Functions and data of the interpreter that it uses and this one does not have.
    pub unknown: Vec<String>,
}

/// A library that is not found.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct AbsentLibrary {
    /// Its name.
    pub library: String,
    /// The file that needs it.
    pub by: String,
    /// The same library in another version, where there is one.
    pub near: Option<String>,
}

/// A version that a library does not define.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct LackingVersion {
    /// The library that was found.
    pub library: String,
    /// Where.
    pub path: String,
    /// The version, `GLIBC_2.38`.
    pub version: String,
    /// The highest of the same name that it defines.
    pub highest: Option<String>,
}

/// What is wrong with an environment's interpreter or place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PlaceFault {
    /// The base interpreter is not there.
    BaseGone(String),
    /// The base interpreter is another one than was recorded: recorded, found.
    OtherBase(String, String),
    /// There is no interpreter, or it does not run.
    NoInterpreter(String),
    /// It was made at another place; files that still lead there.
    Moved(String, Vec<String>),
}

/// What an environment is to hold.
#[derive(Debug, Clone, Default)]
pub struct Pins {
    /// The file, for people.
    pub shown: String,
    /// The entries that count here.
    pub entries: Vec<Pinned>,
    /// What asks for the same once more, as words behind the command that settles; none where the
    /// pins do not record it.
    pub question: Vec<String>,
    /// Words for the places of pins that are for several; none where they are for this one.
    pub places: Vec<String>,
}

/// A pin.
#[derive(Debug, Clone)]
pub struct Pinned {
    /// The project.
    pub name: Name,
    /// Its release; none for trees.
    pub version: Option<Version>,
    /// Names and SHA-256 of its files.
    pub files: Vec<(String, String)>,
}

/// When releases appeared, as far as is known.
#[derive(Debug, Clone, Default)]
pub struct Dates {
    /// When a release's file was published.
    pub published: BTreeMap<(Name, Version), Timestamp>,
    /// When the first release of the series of a release was published.
    pub began: BTreeMap<(Name, Version), Timestamp>,
}

impl Snapshot {
    /// A path as people know it: inside a folder of modules, inside the environment, or whole.
    pub fn shown(&self, path: &str) -> String {
        let sites = self
            .path
            .iter()
            .filter(|e| matches!(e.seat, Seat::Site | Seat::System | Seat::User));
        let folders = sites.map(|e| e.folder.as_str()).chain([self.root.as_str()]);
        let inside = folders
            .filter_map(|f| path.strip_prefix(f)?.strip_prefix('/'))
            .min_by_key(|r| r.len());
        inside.unwrap_or(path).to_owned()
    }

    /// A text in which files of the environment are named as people know them.
    pub fn shown_in(&self, text: &str) -> String {
        let folders = self.path.iter().map(|e| e.folder.as_str());
        let mut folders: Vec<&str> = folders.chain([self.root.as_str()]).collect();
        folders.sort_by_key(|f| std::cmp::Reverse(f.len()));
        folders
            .iter()
            .filter(|f| !f.is_empty())
            .fold(text.to_owned(), |text, folder| {
                text.replace(&format!("{folder}/"), "")
            })
    }

    /// What places a project once more, or brings the environment to its pins.
    pub fn again(&self, project: &Project) -> Remedy {
        match self.kind {
            Kind::Virtual { .. } => Remedy::new("place it again", self.furnish(false)),
            Kind::System { .. } => match &project.installer {
                Some(installer) => {
                    format!("place it again with what placed it ({installer})").into()
                }
                None => "place it again with what placed it".into(),
            },
        }
    }

    /// What brings the environment to its pins.
    pub fn furnish(&self, tidy: bool) -> Step {
        let pins = self.pins.as_ref().map(|p| p.shown.as_str());
        Step::furnish(pins, &self.name, tidy)
    }

    /// What settles once more what the pins answer, with something more said, and brings the
    /// environment there; none where the question is not known. The pins keep their file, so that
    /// what is changed stays.
    pub fn settle_again<T: Into<String>>(&self, more: impl IntoIterator<Item = T>) -> Option<Step> {
        self.settle_instead(&[], more)
    }

    /// What the pins that it is held to say of a project.
    pub fn pinned<'s>(&'s self, project: &'s Name) -> impl Iterator<Item = &'s Pinned> {
        let entries = self.pins.iter().flat_map(|p| &p.entries);
        entries.filter(move |pin| pin.name == *project)
    }

    /// The remedy that settles it once more and proves it.
    pub fn prove_again(&self) -> Option<Remedy> {
        let words = "settle once more, and let what fails be learnt; then bring it there";
        Some(Remedy::new(words, self.settle_again(["--prove"])?))
    }

    /// The same as [`Snapshot::settle_again`] without some words of the question.
    pub fn settle_instead<T: Into<String>>(
        &self,
        without: &[String],
        more: impl IntoIterator<Item = T>,
    ) -> Option<Step> {
        let pins = self.pins.as_ref().filter(|p| !p.question.is_empty())?;
        let stays = pins.question.iter().filter(|w| !without.contains(w));
        let settle = Invocation::new(Verb::Settle, stays.cloned())
            .with(more)
            .with(match pins.places.is_empty() {
                true => vec!["--interpreter".to_owned(), self.interpreter()],
                false => pins.places.clone(),
            })
            .with(["--out", &pins.shown]);
        let furnish = Invocation::new(Verb::Furnish, [&pins.shown, "--at", &self.name]);
        Some(Step::Run(vec![settle, furnish]))
    }

    /// What settles some releases that go together, and places them beside the rest: through the
    /// question of the pins where that is known, else in a file of its own.
    pub fn settle_beside(&self, asks: Vec<String>) -> Step {
        // What the pins ask for need not be named again.
        let says_more = |ask: &&String| ask.contains(['<', '>', '=', '~', '@']);
        let mut more: Vec<String> = asks.iter().filter(says_more).cloned().collect();
        if more.is_empty() {
            more.clone_from(&asks);
        }
        // What was asked of the same projects gives way.
        let spoken_of = |word: &&String| {
            let one = Requirement::parse(word).ok();
            one.filter(|r| r.versions().is_some()).is_some_and(|one| {
                let these = more.iter().filter_map(|m| Requirement::parse(m).ok());
                these.map(|r| r.name).any(|name| name == one.name)
            })
        };
        let question = self.pins.iter().flat_map(|p| &p.question);
        let without: Vec<String> = question.filter(spoken_of).cloned().collect();
        if let Some(step) = self.settle_instead(&without, more) {
            return step;
        }
        let settle = Invocation::new(Verb::Settle, asks).with([
            "--interpreter",
            &self.interpreter(),
            "--out",
            MEND,
        ]);
        let furnish = Invocation::new(Verb::Furnish, [MEND, "--at", &self.name]);
        Step::Run(vec![settle, furnish])
    }

    /// The environment's interpreter as it is typed: below the environment as that was named.
    fn interpreter(&self) -> String {
        match self.python.strip_prefix(&self.root) {
            Some(inside) if inside.starts_with('/') => format!("{}{inside}", self.name),
            _ => self.python.clone(),
        }
    }

    /// Whether the system manages what is placed, by lists of its own.
    pub fn is_managed(&self) -> bool {
        self.kind == Kind::System { managed: true }
    }

    /// The projects that lie in the environment itself.
    pub fn here(&self) -> impl Iterator<Item = (usize, &Project)> {
        self.projects.iter().enumerate().filter(|(_, p)| p.here)
    }

    /// The project of this name that is imported: the first on the path.
    pub fn visible(&self, name: &Name) -> Option<&Project> {
        self.projects
            .iter()
            .filter(|p| p.name == *name)
            .min_by_key(|p| p.entry)
    }

    /// Whether a compiled file is one that an import loads, itself or through others.
    pub fn is_loaded(&self, compiled: &Compiled) -> bool {
        compiled.importable || compiled.reached
    }
}
