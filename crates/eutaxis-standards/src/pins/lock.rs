//! The lock file of the standard as data (PEP 751). Fields are named as the standard names the
//! keys.

use std::collections::BTreeMap;

use crate::name::Name;

/// A `pylock.toml`.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Lock {
    /// `lock-version`, `1.0`.
    pub lock_version: String,
    /// Markers, one of which must hold.
    pub environments: Vec<String>,
    /// Interpreters that the whole file is for.
    pub requires_python: Option<String>,
    /// Extras that can be asked for.
    pub extras: Vec<String>,
    /// Groups that can be asked for.
    pub dependency_groups: Vec<String>,
    /// Groups taken when none is asked for.
    pub default_groups: Vec<String>,
    /// The program that wrote the file.
    pub created_by: String,
    /// The entries.
    pub packages: Vec<Package>,
    /// Tables of programs.
    pub tool: Option<toml::Table>,
}

/// An entry of a lock file.
#[derive(Debug, Clone, PartialEq)]
pub struct Package {
    /// The project.
    pub name: Name,
    /// The release; absent for source trees.
    pub version: Option<String>,
    /// Counts only if this holds.
    pub marker: Option<String>,
    /// Must be met when the entry counts.
    pub requires_python: Option<String>,
    /// For information: keys that identify other entries.
    pub dependencies: Vec<toml::Table>,
    /// A repository.
    pub vcs: Option<Vcs>,
    /// A folder.
    pub directory: Option<Directory>,
    /// An archive that is no index file.
    pub archive: Option<Archive>,
    /// Base URL of the index.
    pub index: Option<String>,
    /// The source distribution.
    pub sdist: Option<LockFile>,
    /// The wheels.
    pub wheels: Vec<LockFile>,
    /// Who vouches for the files.
    pub attestation_identities: Vec<toml::Table>,
    /// Tables of programs.
    pub tool: Option<toml::Table>,
}

impl Package {
    /// All files that it pins: wheels, source distribution, archive.
    pub fn files(&self) -> impl Iterator<Item = &LockFile> {
        let archive = self.archive.as_ref().map(|a| &a.file);
        self.wheels.iter().chain(&self.sdist).chain(archive)
    }

    /// The same, to be changed.
    pub fn files_mut(&mut self) -> impl Iterator<Item = &mut LockFile> {
        let archive = self.archive.as_mut().map(|a| &mut a.file);
        self.wheels.iter_mut().chain(&mut self.sdist).chain(archive)
    }
}

/// A repository at a commit.
#[derive(Debug, Clone, PartialEq)]
pub struct Vcs {
    /// `git` and the like.
    pub kind: String,
    /// Where it is.
    pub url: Option<String>,
    /// Where it is, as a path.
    pub path: Option<String>,
    /// What was asked for.
    pub requested_revision: Option<String>,
    /// What it was.
    pub commit_id: String,
    /// Folder inside.
    pub subdirectory: Option<String>,
}

/// A source tree on disk.
#[derive(Debug, Clone, PartialEq)]
pub struct Directory {
    /// The folder.
    pub path: String,
    /// To be linked instead of copied; none when not stated.
    pub editable: Option<bool>,
    /// Folder inside.
    pub subdirectory: Option<String>,
}

/// An archive by URL or path.
#[derive(Debug, Clone, PartialEq)]
pub struct Archive {
    /// Where it is, size, date and hashes. Its `name` is never written.
    pub file: LockFile,
    /// Folder inside.
    pub subdirectory: Option<String>,
}

/// A file of an entry.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LockFile {
    /// File name; may be left to the last part of path or URL.
    pub name: Option<String>,
    /// When it was published.
    pub upload_time: Option<toml::value::Datetime>,
    /// Where it is.
    pub url: Option<String>,
    /// Where it is, relative to the lock file.
    pub path: Option<String>,
    /// Bytes.
    pub size: Option<u64>,
    /// Hex digests by algorithm; never empty.
    pub hashes: BTreeMap<String, String>,
}

impl LockFile {
    /// The file's name: stated, or the last part of the path or URL, percent-decoded.
    pub fn filename(&self) -> Option<String> {
        let last = |text: &str| {
            text.split(['?', '#'])
                .next()
                .and_then(|t| t.rsplit(['/', '\\']).next())
                .map(str::to_owned)
        };
        self.name
            .clone()
            .or_else(|| self.path.as_deref().and_then(last))
            .or_else(|| {
                let text = last(self.url.as_deref()?)?;
                Some(
                    percent_encoding::percent_decode_str(&text)
                        .decode_utf8_lossy()
                        .into_owned(),
                )
            })
    }
}
