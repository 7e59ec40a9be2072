//! What is in a place: an environment, other files, nothing; and which projects an environment
//! holds.

use std::fs;
use std::path::{Path, PathBuf};

use eutaxis_core::Name;
use eutaxis_core::artifact::{Metadata, Record};
use eutaxis_core::examine::Built;
use serde::{Deserialize, Serialize};

use crate::error::Doing;
use crate::files::read_plain;
use crate::interpreter::config_value;
use crate::{Error, Result};

/// What a folder is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Place {
    /// It does not exist, or is empty.
    Free,
    /// An environment: it has a `pyvenv.cfg`.
    Environment {
        /// `home`: the folder of its base interpreter.
        home: Option<PathBuf>,
        /// It sees the base interpreter's packages.
        shares_system: bool,
    },
    /// It holds other files.
    Other,
}

/// Looks at a place.
///
/// # Errors
/// When it is a file or cannot be read.
pub fn look(root: &Path) -> Result<Place> {
    match fs::symlink_metadata(root) {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Place::Free),
        Err(e) => return Err(Error::io("cannot look at", root, &e)),
        Ok(_) => {}
    }
    if !root.is_dir() {
        let what = if root.exists() {
            "is a file, not a folder"
        } else {
            "is a link that leads nowhere"
        };
        return Err(Error::request(format!("{} {what}", root.display()))
            .help("name a new or empty folder with --at"));
    }
    if let Ok(text) = fs::read_to_string(root.join("pyvenv.cfg")) {
        let value = |wanted: &str| config_value(&text, wanted);
        let shares_system =
            value("include-system-site-packages").is_none_or(|v| v.eq_ignore_ascii_case("true"));
        return Ok(Place::Environment {
            home: value("home").map(PathBuf::from),
            shares_system,
        });
    }
    let empty = fs::read_dir(root)
        .doing("cannot read the folder", root)?
        .next()
        .is_none();
    Ok(if empty { Place::Free } else { Place::Other })
}

/// A project in an environment.
#[derive(Debug, Clone)]
pub struct Installed {
    /// The project.
    pub name: Name,
    /// Its release, as its metadata says; empty when it does not.
    pub version: String,
    /// Its `.dist-info` folder.
    pub info: PathBuf,
    /// Its files, absolute; none when it has no RECORD.
    pub files: Option<Vec<PathBuf>>,
    /// SHA-256 of the wheel it came from, when we placed it.
    pub sha256: Option<String>,
    /// The wheel's file name, when we placed it.
    pub file: Option<String>,
    /// It was asked for by itself, not brought by another (PEP 376, REQUESTED).
    pub requested: bool,
    /// What it says of itself.
    pub metadata: Option<Metadata>,
}

/// What we note beside the standard's files.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Note {
    /// The wheel's file name.
    pub(super) file: String,
    /// Its SHA-256.
    pub(super) sha256: String,
    /// What it was built from, when it was built here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) built: Option<Built>,
}

/// Name of our note in a `.dist-info` folder.
pub(super) const NOTE: &str = "eutaxis.json";

/// The projects under a site folder, in the order of their folders' names.
///
/// # Errors
/// When the folder cannot be read.
pub fn installed(site: &Path) -> Result<Vec<Installed>> {
    let entries = match fs::read_dir(site) {
        Ok(entries) => entries,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(Error::io("cannot read the folder", site, &e)),
    };
    let mut infos: Vec<PathBuf> = entries
        .flatten()
        .map(|e| e.path())
        .filter(|p| p.extension().is_some_and(|x| x == "dist-info"))
        .collect();
    infos.sort();
    Ok(infos
        .into_iter()
        .filter_map(|info| project(site, info))
        .collect())
}

fn project(site: &Path, info: PathBuf) -> Option<Installed> {
    let stem = info.file_stem()?.to_str()?;
    let from_folder = Name::parse(stem.split('-').next()?).ok();
    let metadata = read_plain(&info.join("METADATA"))
        .ok()
        .and_then(|b| Metadata::parse(&b).ok());
    let name = metadata.as_ref().map(|m| m.name.clone()).or(from_folder)?;
    let record = read_plain(&info.join("RECORD"))
        .ok()
        .and_then(|b| Record::parse(&b).ok());
    let files = record.map(|r| {
        r.lines
            .iter()
            .map(|l| tidy_path(&site.join(&l.path)))
            .collect()
    });
    let note = noted(&info);
    let version = metadata
        .as_ref()
        .map_or(String::new(), |m| m.version.to_string());
    let requested = info.join("REQUESTED").is_file();
    let (sha256, file) = note.map_or((None, None), |n| (Some(n.sha256), Some(n.file)));
    Some(Installed {
        name,
        version,
        info,
        files,
        sha256,
        file,
        requested,
        metadata,
    })
}

/// What we noted when we placed a project.
pub(super) fn noted(info: &Path) -> Option<Note> {
    read_plain(&info.join(NOTE))
        .ok()
        .and_then(|b| serde_json::from_slice(&b).ok())
}

/// A path without `.` and `..`, by its words alone.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
pub(super) fn tidy_path(path: &Path) -> PathBuf {
    let mut out = PathBuf::new();
    for part in path.components() {
        match part {
            std::path::Component::CurDir => {}
            std::path::Component::ParentDir => {
                out.pop();
            }
            other => out.push(other),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn write(root: &Path, files: &[(&str, &str)]) {
        for (path, text) in files {
            let path = root.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, text).unwrap();
        }
    }

    #[rstest]
    #[case::empty(&[], Place::Free)]
    #[case::other(&[("notes.txt", "ice")], Place::Other)]
    #[case::closed(
        &[("pyvenv.cfg", "home = /usr/bin\ninclude-system-site-packages = false\n")],
        Place::Environment { home: Some("/usr/bin".into()), shares_system: false }
    )]
    #[case::open(
        &[("pyvenv.cfg", "home=/usr/bin\nINCLUDE-SYSTEM-SITE-PACKAGES = True\n")],
        Place::Environment { home: Some("/usr/bin".into()), shares_system: true }
    )]
    #[case::says_nothing(
        &[("pyvenv.cfg", "")],
        Place::Environment { home: None, shares_system: true }
    )]
    fn a_place_is_told_by_what_it_holds(#[case] files: &[(&str, &str)], #[case] expected: Place) {
        let folder = tempfile::tempdir().unwrap();
        write(folder.path(), files);
        assert_eq!(look(folder.path()).unwrap(), expected);
    }

    #[test]
    fn a_file_is_no_place_and_what_is_not_there_is_free() {
        let folder = tempfile::tempdir().unwrap();
        write(folder.path(), &[("camp", "")]);
        let error = look(&folder.path().join("camp")).unwrap_err();
        assert!(error.message.ends_with("is a file, not a folder"));
        assert!(error.help.unwrap().contains("--at"));
        assert_eq!(look(&folder.path().join("hut")).unwrap(), Place::Free);
    }

    #[test]
    fn projects_are_read_as_far_as_they_can_be() {
        let folder = tempfile::tempdir().unwrap();
        let site = folder.path();
        write(
            site,
            &[
                (
                    "firnio-1.3.dist-info/METADATA",
                    "Metadata-Version: 2.1\nName: Firnio\nVersion: 1.3\n",
                ),
                (
                    "firnio-1.3.dist-info/RECORD",
                    "firnio/__init__.py,,\n../../bin/firnio,,\n",
                ),
                ("firnio-1.3.dist-info/REQUESTED", ""),
                (
                    "firnio-1.3.dist-info/eutaxis.json",
                    "{\"file\":\"firnio-1.3-py3-none-any.whl\",\"sha256\":\"ab\"}",
                ),
                // Its metadata are gone: the folder's name tells which project it was.
                ("sastrugi-0.8.dist-info/RECORD", "sastrugi.py,,\n"),
                // What it lists cannot be told.
                (
                    "icelens-2.0.dist-info/METADATA",
                    "Metadata-Version: 2.1\nName: icelens\nVersion: 2.0\n",
                ),
                ("no project at all", ""),
            ],
        );
        let all = installed(site).unwrap();
        let told: Vec<(&str, &str, bool)> = all
            .iter()
            .map(|p| (p.name.as_str(), p.version.as_str(), p.requested))
            .collect();
        assert_eq!(
            told,
            [
                ("firnio", "1.3", true),
                ("icelens", "2.0", false),
                ("sastrugi", "", false)
            ]
        );
        let firnio = &all[0];
        assert_eq!(firnio.sha256.as_deref(), Some("ab"));
        let up = site.parent().unwrap().parent().unwrap();
        let files = firnio.files.as_ref().unwrap();
        assert_eq!(files[0], site.join("firnio/__init__.py"));
        assert_eq!(files[1], up.join("bin/firnio"));
        assert!(all[1].files.is_none());
        assert!(installed(&site.join("absent")).unwrap().is_empty());
    }
}
