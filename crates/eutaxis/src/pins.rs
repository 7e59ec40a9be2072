//! Pins files, and where the files that they pin are.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use eutaxis_core::artifact::Metadata;
use eutaxis_core::fault::{Fault, escaped};
use eutaxis_core::index::Hashes;
use eutaxis_core::knowledge::Families;
use eutaxis_core::pins::{Lock, LockFile, Package};
use eutaxis_core::record::{self, Unrecorded};
use eutaxis_core::requirement::Accepts;
use eutaxis_core::solve::Problem;
use eutaxis_core::{Name, Requirement, Target, Version};
use eutaxis_world::depot::{Depots, KnownTree, Place, TreeKind, local_path};
use eutaxis_world::environment::WheelAt;
use eutaxis_world::files::read_text;
use eutaxis_world::trees::TreeAt;
use eutaxis_world::{Error, ErrorKind};
use url::Url;

use crate::building::trees;
use crate::cli::TargetOptions;
use crate::output::Output;
use crate::plan::{self, Surroundings};
use crate::words::{count, near};

/// Reads a pins file.
pub(crate) fn read_lock(path: &Path) -> Result<Lock, Error> {
    if !path.exists() {
        let error = Error::request(format!("there are no pins at {}", path.display()));
        return Err(error.help("make them:  eutaxis settle"));
    }
    let text = read_text(path).map_err(Error::of_request)?;
    parsed(&text).map_err(|f| Error::in_file(&path.display().to_string(), &text, &f))
}

/// Pins by their text. Several parts of a command ask for the same ones: what was read last is not
/// read again.
///
/// # Errors
/// When the text is no lock file.
pub(crate) fn parsed(text: &str) -> Result<Lock, Fault> {
    static LAST: Mutex<Option<(String, Lock)>> = Mutex::new(None);
    let last = || LAST.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some((known, lock)) = &*last()
        && known == text
    {
        return Ok(lock.clone());
    }
    let lock = Lock::parse(text)?;
    *last() = Some((text.to_owned(), lock.clone()));
    Ok(lock)
}

/// Reads a pins file; of pins for several targets those that count in a place.
pub(crate) fn read_lock_at(
    path: &Path,
    place: &Target,
    families: &Arc<Families>,
) -> Result<Lock, Error> {
    let lock = read_lock(path)?;
    Ok(record::share_at(&lock, place, families))
}

/// Reads a pins file; of pins for several targets those of the one that is named, else of this
/// machine where it is one of them, else of the first.
pub(crate) fn read_share(
    path: &Path,
    named: Option<&str>,
    surroundings: &Surroundings,
    output: &Output,
) -> Result<Lock, Error> {
    let lock = read_lock(path)?;
    let families = &surroundings.config.families;
    let shares = record::shares(&lock, families);
    let names: Vec<&str> = shares.iter().map(|s| s.name.as_str()).collect();
    if let Some(named) = named {
        let name = plan::as_file_name(named);
        let found = shares.iter().find(|s| s.name == named || s.name == name);
        return found.map(|s| s.lock.clone()).ok_or_else(|| {
            let error = Error::request(format!(
                "{} has no pins for a target `{}`",
                near(path),
                escaped(named)
            ));
            error.help(match names.is_empty() {
                true => "its pins are for one target: leave out --target".to_owned(),
                false => format!("their targets:  {}", names.join(", ")),
            })
        });
    }
    let Some(first) = shares.first() else {
        return Ok(lock);
    };
    if shares.len() == 1 {
        return Ok(first.lock.clone());
    }
    let here = plan::target(&TargetOptions::default(), surroundings).ok();
    let own = here.and_then(|h| record::of_place(&shares, &h.target));
    let told = own.unwrap_or(first);
    let others = names.iter().filter(|n| **n != told.name);
    output.notice(&format!(
        "{} is for {}: told for {} (--target NAME tells for {})",
        near(path),
        count(shares.len(), "target"),
        told.name,
        others.copied().collect::<Vec<_>>().join(", ")
    ));
    Ok(told.lock.clone())
}

/// The question that pins answer, with the pins as what was there before.
pub(crate) fn problem_of(lock: &Lock, families: &Arc<Families>) -> Result<Problem, Error> {
    record::problem_of(lock, families).map_err(|why| match why {
        Unrecorded::Question => {
            Error::request("the pins do not record the question that they answer")
                .help("pins that `eutaxis settle` wrote do: settle again")
        }
        Unrecorded::Target(fault) => Error::fault(
            ErrorKind::Request,
            "the target that the pins record",
            &fault,
        ),
    })
}

/// Makes the source trees that pins were asked for known to depots as the pins have them, so that
/// their question can be asked once more without their build systems; gives those in folders, whose
/// builds need no permit, with their version as far as it is known.
pub(crate) fn know_trees(lock: &Lock, depots: &Depots) -> BTreeMap<Name, Version> {
    let mut own = BTreeMap::new();
    for ask in record::asks_of(lock) {
        let name = &ask.requirement.name;
        let package = lock.packages.iter().find(|p| p.name == *name);
        let (Accepts::Url(url), Some(package)) = (&ask.requirement.accepts, package) else {
            continue;
        };
        let Ok(Some(at)) = TreeAt::of(url) else {
            continue;
        };
        let (path, kind) = match at {
            TreeAt::Folder(folder) => {
                let directory = package.directory.as_ref();
                let editable = directory.is_some_and(|d| d.editable == Some(true));
                (folder.clone(), TreeKind::Folder { folder, editable })
            }
            TreeAt::Repository(repository) => {
                let commit = package.vcs.as_ref().map(|v| v.commit_id.clone());
                let commit = commit.unwrap_or_default();
                (PathBuf::new(), TreeKind::Repository { repository, commit })
            }
        };
        // A folder is pinned without the version that it had: it may be another one by now.
        let pinned = package.version.as_deref();
        let pinned = pinned.and_then(|v| Version::parse(v).ok());
        let version = match &kind {
            TreeKind::Folder { folder, .. } => pinned.or_else(|| stated_version(folder)),
            TreeKind::Repository { .. } => pinned,
        };
        let version = version.unwrap_or_else(|| Version::from_release(&[0]));
        if matches!(kind, TreeKind::Folder { .. }) {
            own.insert(name.clone(), version.clone());
        }
        let (needs, extras) = record::said_of(package).unwrap_or_default();
        let mut metadata = Metadata::unsaid(name.clone(), version.clone());
        let needs = needs
            .iter()
            .filter_map(|n| Requirement::parse_lenient(n).ok());
        metadata.requires = needs.collect();
        metadata.extras = extras;
        depots.know(KnownTree {
            project: name.clone(),
            version,
            url: url.clone(),
            path,
            identity: String::new(),
            metadata,
            kind,
        });
    }
    own
}

/// The version that the project file of a folder states.
fn stated_version(folder: &Path) -> Option<Version> {
    let text = std::fs::read(folder.join("pyproject.toml")).ok()?;
    trees::stated(text).map(|m| m.version)
}

/// The SHA-256 by which a pinned file is known.
pub(crate) fn sha256(file: &LockFile, package: &Package) -> Result<String, Error> {
    file.hashes.get("sha256").cloned().ok_or_else(|| {
        let version = package.version.as_deref().unwrap_or("");
        Error::request(format!(
            "{} {version} is pinned without a SHA-256 hash, by which files are known here",
            package.name
        ))
        .help("settle again: it writes one for every file")
    })
}

/// All hashes that are pinned of a file.
pub(crate) fn hashes(file: &LockFile) -> Hashes {
    file.hashes.iter().collect()
}

/// Where a pinned file is: beside the pins, in a depot on this disk, or on the network.
pub(crate) fn place(
    file: &LockFile,
    folder: &Path,
    project: &Name,
    depots: &Depots,
) -> Result<WheelAt, Error> {
    let stated = file.path.as_ref().map(|p| folder.join(p));
    if let Some(path) = stated.as_ref().filter(|p| p.is_file()) {
        return Ok(WheelAt::Disk(path.clone()));
    }
    let local = file
        .url
        .as_ref()
        .and_then(|u| local_path(u, folder))
        .filter(|p| p.is_file());
    if let Some(path) = local.or_else(|| in_depots(file, project, depots)) {
        return Ok(WheelAt::Disk(path));
    }
    if let Some(mut url) = file
        .url
        .as_ref()
        .and_then(|u| Url::parse(u).ok())
        .filter(is_http)
    {
        url.set_fragment(None);
        depots.network().keep_secret(&mut url, None);
        return Ok(WheelAt::Url(url));
    }
    let at = stated
        .map(|p| p.display().to_string())
        .or_else(|| file.url.clone())
        .unwrap_or_default();
    let error = Error::contents(format!(
        "{project} is pinned at {at}, where there is no file"
    ));
    Err(error.help("bring the file back, name a folder that has it with --depot, or settle again"))
}

fn is_http(url: &Url) -> bool {
    matches!(url.scheme(), "http" | "https")
}

/// The file of that name in a depot on this disk; its hash is checked where it is used.
fn in_depots(file: &LockFile, project: &Name, depots: &Depots) -> Option<std::path::PathBuf> {
    let filename = file.filename()?;
    depots
        .serving(project)
        .filter(|l| !l.depot.is_remote())
        .find_map(|listed| {
            let page = listed.depot.page(project).ok()??;
            let found = page.file(&filename)?;
            match listed.depot.place(project, found).ok()? {
                Place::Disk(path) => Some(path).filter(|p| p.is_file()),
                Place::Url(_) => None,
            }
        })
}
