//! What is asked for: requirements of the command line, and files of them with all that they lead
//! to.

mod correct;
mod lists;
mod text;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::offer::Adjustment;
use eutaxis_core::requirement::{Accepts, Directive, ProjectAsks, Unnamed, Wanted, script_block};
use eutaxis_core::{Ask, Name, Requirement, VersionSpecifier};
use eutaxis_world::files::file_url;
use eutaxis_world::network::Network;
use eutaxis_world::{Error, ErrorKind, Errors};
use url::Url;

pub(crate) use lists::followed;
pub(crate) use text::is_address;

use crate::cli::{AskOptions, BuildOptions};
use crate::plan::Surroundings;
use text::Texts;

/// What is asked for, with the lines that are no requirements.
#[derive(Debug, Default)]
pub(crate) struct Asks {
    pub(crate) asks: Vec<Ask>,
    pub(crate) bounds: Vec<Ask>,
    /// What the hashes of lists say of their projects.
    pub(crate) hashed: Vec<Adjustment>,
    /// Lines that were left out.
    pub(crate) directives: Vec<Directive>,
    pub(crate) requires_python: Option<(VersionSpecifier, Origin)>,
    /// The files that were read, for messages.
    pub(crate) files: Vec<String>,
    /// The projects of project files, which are used where they lie.
    pub(crate) own: Vec<Own>,
    /// Projects whose folders are asked for to be used where they lie.
    pub(crate) editable: Vec<Name>,
    /// The asks that only some parts of project files make: those parts, by place and words.
    pub(crate) optional: BTreeMap<(Origin, String), Vec<Part>>,
    /// Projects of project files that state no build system, and so cannot be placed.
    pub(crate) unbuilt: Vec<(Name, Origin)>,
}

/// A part of a project file that is asked for beside what it always depends on.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Part {
    Extra(Name),
    Group(Name),
}

/// The project of a project file.
#[derive(Debug, Clone)]
pub(crate) struct Own {
    pub(crate) name: Name,
    /// Its folder, whole.
    pub(crate) folder: PathBuf,
    /// What it depends on only its build system tells.
    pub(crate) is_dynamic: bool,
}

/// Reads everything that is asked for, also what lies on the network; of files that are about to be
/// changed, what they will say.
pub(crate) fn read(
    options: &AskOptions,
    surroundings: &Surroundings,
    changed: &BTreeMap<PathBuf, String>,
) -> Result<Asks, Errors> {
    let texts = Texts::new(Some(surroundings));
    read_with(options, &texts.with(changed.clone()))
}

/// A text at an address.
pub(crate) fn text_at(place: &Path, surroundings: &Surroundings) -> Result<String, Error> {
    let texts = Texts::new(Some(surroundings));
    texts.read(place).map(|(text, _)| text)
}

/// The same of what lies on this disk.
pub(crate) fn read_here(options: &AskOptions) -> Result<Asks, Errors> {
    read_with(options, &Texts::new(None))
}

fn read_with(options: &AskOptions, texts: &Texts<'_>) -> Result<Asks, Errors> {
    let mut found = Asks::default();
    let mut errors = Vec::new();
    for text in &options.requirements {
        match argument(text) {
            Ok(ask) => found.asks.push(ask),
            Err(error) => errors.push(error),
        }
    }
    let names = |texts: &[String]| -> Result<Vec<Name>, Error> {
        texts
            .iter()
            .map(|t| {
                Name::parse(t)
                    .map_err(|f| Error::fault(ErrorKind::Request, "reading an option", &f))
            })
            .collect()
    };
    let wanted = Wanted {
        extras: names(&options.extra)?,
        groups: names(&options.group)?,
    };
    let mut files = options.asks.clone();
    if options.requirements.is_empty() && files.is_empty() {
        files.extend(default_file()?);
    }
    for file in &files {
        if let Err(more) = read_file(file, &wanted, texts, &mut found) {
            errors.extend(more);
        }
    }
    let optional = !wanted.extras.is_empty() || !wanted.groups.is_empty();
    if optional && !files.iter().any(|f| is_project_file(f)) {
        let error = Error::request(
            "--extra and --group speak of a pyproject.toml, and none is among the asks",
        );
        errors.push(error.help("give it with --asks pyproject.toml"));
    }
    for file in &options.bounds {
        if let Err(more) = lists::read(file, lists::Role::Bounds, texts, &mut found) {
            errors.extend(more);
        }
    }
    if !options.lenient {
        errors.extend(correct::refused(&found.directives));
    }
    Errors::of(errors)?;
    if found.asks.is_empty() {
        let error = Error::request(format!("nothing is asked for{}", listed(&found.files)));
        return Err(error
            .help("name requirements, or a file of them with --asks")
            .into());
    }
    Ok(found)
}

/// A requirement of the command line, or a path or an address.
pub(crate) fn argument(text: &str) -> Result<Ask, Error> {
    match Requirement::parse(text) {
        Ok(requirement) => Ok(Ask {
            requirement,
            origin: Origin::Argument,
        }),
        Err(fault) => match Unnamed::read(text, false, &Origin::Argument) {
            Some(unnamed) => lists::named(&unnamed, Path::new("")),
            None => Err(Error::in_file("command line", text, &fault)),
        },
    }
}

/// Takes names and passwords out of the URLs that asks demand, so that they are sent where they
/// belong and stand nowhere else.
pub(crate) fn keep_secrets<'a>(
    requirements: impl Iterator<Item = &'a mut Requirement>,
    network: &Network,
) {
    for requirement in requirements {
        if let Accepts::Url(text) = &mut requirement.accepts
            && let Ok(mut url) = Url::parse(text)
        {
            if !url.username().is_empty() || url.password().is_some() {
                network.keep_secret(&mut url, None);
                *text = url.to_string();
            }
            network.name_place(&url, &[]);
        }
    }
}

fn listed(files: &[String]) -> String {
    if files.is_empty() {
        String::new()
    } else {
        format!(": {} holds no requirement", files.join(", "))
    }
}

/// `pyproject.toml` or `requirements.txt` in the current folder.
pub(crate) fn default_file() -> Result<Option<PathBuf>, Errors> {
    let found = ["pyproject.toml", "requirements.txt"]
        .into_iter()
        .map(PathBuf::from)
        .find(|p| p.is_file());
    if found.is_none() {
        let error = Error::request(
            "nothing is asked for: there is no pyproject.toml and no requirements.txt in this \
                folder",
        );
        return Err(error
            .help("name requirements (\"radargram>=2\"), or a file of them with --asks FILE")
            .into());
    }
    Ok(found)
}

fn is_project_file(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "toml")
}

fn read_file(
    file: &Path,
    wanted: &Wanted,
    texts: &Texts<'_>,
    found: &mut Asks,
) -> Result<(), Errors> {
    if is_project_file(file) {
        let (text, shown) = texts.read(file)?;
        let mut asks = ProjectAsks::parse_open(&text, &shown, wanted)
            .map_err(|f| Error::in_file(&shown, &text, &f))?;
        if asks.is_dynamic && !asks.builds {
            asks = ProjectAsks::parse(&text, &shown, wanted)
                .map_err(|f| Error::in_file(&shown, &text, &f))?;
        }
        found.take_parts(&text, &shown, wanted)?;
        found.take_own(&asks, file);
        found.asks.extend(asks.asks);
        found.requires_python = asks.requires_python.or(found.requires_python.take());
        found.files.push(shown);
    } else if file.extension().is_some_and(|e| e == "py") {
        let (text, shown) = texts.read(file)?;
        let block = script_block(&text).map_err(|f| Error::in_file(&shown, &text, &f))?;
        let Some(block) = block else {
            let error = Error::request(format!(
                "{shown} holds no inline metadata (a comment block `# /// script`)"
            ));
            return Err(error.help("add one, or ask with a requirement list").into());
        };
        let asks = block
            .asks(&shown)
            .map_err(|f| Error::fault(ErrorKind::Request, &shown, &f))?;
        found.asks.extend(asks.asks);
        found.requires_python = asks.requires_python.or(found.requires_python.take());
        found.files.push(shown);
    } else {
        lists::read(file, lists::Role::Asks, texts, found)?;
    }
    Ok(())
}

impl Asks {
    /// Which parts of a project file make which asks.
    fn take_parts(&mut self, text: &str, shown: &str, wanted: &Wanted) -> Result<(), Error> {
        let key = |a: &Ask| (a.origin.clone(), a.requirement.to_string());
        let read = |wanted: &Wanted| {
            ProjectAsks::parse_open(text, shown, wanted)
                .map_err(|f| Error::in_file(shown, text, &f))
        };
        let base: Vec<_> = read(&Wanted::default())?.asks.iter().map(key).collect();
        let extras = wanted.extras.iter().map(|e| Part::Extra(e.clone()));
        let groups = wanted.groups.iter().map(|g| Part::Group(g.clone()));
        for part in extras.chain(groups) {
            let mut alone = Wanted::default();
            match &part {
                Part::Extra(name) => alone.extras.push(name.clone()),
                Part::Group(name) => alone.groups.push(name.clone()),
            }
            for ask in read(&alone)?.asks.iter().map(key) {
                if !base.contains(&ask) {
                    self.optional.entry(ask).or_default().push(part.clone());
                }
            }
        }
        Ok(())
    }

    /// The project of a file that states how it is built is asked for where it lies.
    fn take_own(&mut self, asks: &ProjectAsks, file: &Path) {
        let (Some(name), Some(origin)) = (&asks.name, &asks.named_at) else {
            return;
        };
        let whole = std::path::absolute(file).unwrap_or_else(|_| file.to_owned());
        let Some(folder) = whole.parent().filter(|_| !is_address(file)) else {
            return;
        };
        if !asks.builds {
            self.unbuilt.push((name.clone(), origin.clone()));
            return;
        }
        let mut requirement = Requirement::any(name);
        requirement.accepts = Accepts::Url(file_url(folder));
        self.asks.push(Ask {
            requirement,
            origin: origin.clone(),
        });
        self.own.push(Own {
            name: name.clone(),
            folder: folder.to_owned(),
            is_dynamic: asks.is_dynamic,
        });
    }
}

/// What bounds the requirements of all builds.
pub(crate) fn build_bounds(options: &BuildOptions) -> Result<Vec<Ask>, Error> {
    let mut all = Vec::new();
    for file in &options.build_bounds {
        let no_list = || format!("{} is no list", file.display());
        let read = lists::read_bounds(file);
        all.extend(read.map_err(|errors| errors.into_first(&no_list()))?);
    }
    Ok(all)
}

/// The network that an address is fetched by.
fn network_of(surroundings: &Surroundings) -> Arc<Network> {
    surroundings.network(false, None)
}
