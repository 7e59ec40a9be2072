//! A project's page of an index as data (simple repository API: PEP 503 and 691), read from JSON or
//! HTML.
//!
//! What cannot be used is left out, counted and named in [`Page::skipped`]: no file vanishes
//! silently.
//!
//! ```
//! use eutaxis_standards::Name;
//! use eutaxis_standards::index::parse_json;
//!
//! let page = br#"{"files": [{"filename": "firnio-1.0-py3-none-any.whl", "url": "f/firnio-1.0.whl"},
//!                           {"filename": "firnio.exe", "url": "f/firnio.exe"}]}"#;
//! let page = parse_json(page, &Name::parse("firnio")?)?;
//! assert_eq!((page.files.len(), page.skipped.len()), (1, 1));
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod compact;
mod files;
mod html;
mod json;
mod links;
mod outline;

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use jiff::Timestamp;

pub use files::Files;
pub use html::{parse_html, parse_html_list};
pub use json::{parse_json, parse_json_list, parse_json_list_start};
pub use links::{holds_files, parse_links};
pub use outline::{Outline, Outlined, Row, Shape};

pub use crate::hashes::{Algorithm, Hashes};

use crate::artifact::{SdistName, Variants, VariantsName, WheelName, WheelTags};
use crate::fault::{Fault, FaultKind};
use crate::name::Name;
use crate::version::{Version, VersionSpecifier};

/// No page lists more files than this: what claims to would only fill the memory.
pub const MOST_FILES: usize = 60_000;

/// The remark on an HTML page without any link: it is no page of an index that has lost its files.
const NO_LINK: &str = "the page holds no link at all";

/// The fault of a page that lists more.
fn too_many() -> Fault {
    Fault::of(
        FaultKind::Limit,
        format!("it lists more than {MOST_FILES} files, more than any page can mean"),
        0,
    )
}

/// A project's page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Page {
    /// The project.
    pub project: Name,
    /// Its files, in the order of the page.
    pub files: Files,
    /// Files that were left out, with the reason.
    pub skipped: Vec<Skipped>,
    /// Status of the project (PEP 792) when it is not `active`: the status and its reason.
    pub status: Option<(String, Option<String>)>,
    /// What was odd, for people.
    pub remarks: Vec<String>,
    /// Pages of the same project elsewhere, by the page's own word: what it tracks, and its
    /// alternate locations (PEP 708).
    pub elsewhere: Vec<String>,
    /// What the builds of its depot were made for, where the user says so of the depot: `FAMILY
    /// TOOLKIT`, or `none`.
    pub made_for: Option<String>,
    /// What describes the variants of its releases (draft PEP 825).
    pub variants: Vec<Described>,
    /// When its releases (by public versions) appeared, as others tell that; for a page that gives no
    /// dates itself.
    pub dates_elsewhere: BTreeMap<Version, Timestamp>,
}

/// The description of a release's variants.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Described {
    /// The file; its kind is [`FileKind::Variants`].
    pub file: Arc<PageFile>,
    /// What it says, or why it cannot be read; none while nobody has read it.
    pub read: Option<Result<Arc<Variants>, String>>,
}

/// A file on a page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageFile {
    /// The file's name, percent-decoded.
    pub filename: Arc<str>,
    /// Where it is, as written: may be relative to the page.
    pub url: Arc<str>,
    /// What its name says.
    pub kind: FileKind,
    /// Hashes by algorithm.
    pub hashes: Hashes,
    /// Interpreters it runs on, when the page says so and it can be read.
    pub requires_python: Option<Arc<VersionSpecifier>>,
    /// Metadata is offered beside the file (PEP 658), with its hashes when stated.
    pub metadata: Option<Hashes>,
    /// Yanked, with the reason (may be empty).
    pub yanked: Option<String>,
    /// Size in bytes.
    pub size: Option<u64>,
    /// When it was published.
    pub published: Option<Timestamp>,
}

/// What kind of file it is, with what its name says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileKind {
    /// A wheel.
    Wheel(Arc<WheelName>),
    /// A source distribution.
    Sdist(Arc<SdistName>),
    /// The description of a release's variants, which is never placed; among a page's files there is
    /// none (draft PEP 825).
    Variants(Arc<VariantsName>),
}

impl FileKind {
    /// What the name of a file says, for a file on the page of `project`.
    ///
    /// # Errors
    /// Why the file cannot be used.
    pub fn of(filename: &str, project: &Name) -> Result<Self, String> {
        let lower = filename.to_ascii_lowercase();
        if lower.ends_with(".whl") {
            let name = WheelName::parse(filename).map_err(|f| f.message().to_owned())?;
            return if name.name == *project {
                Ok(FileKind::Wheel(Arc::new(name)))
            } else {
                Err(format!("it is a file of {}", name.name))
            };
        }
        if lower.ends_with(".tar.gz") || lower.ends_with(".zip") {
            let name =
                SdistName::parse(filename, Some(project)).map_err(|f| f.message().to_owned())?;
            return Ok(FileKind::Sdist(Arc::new(name)));
        }
        if let Some(name) = VariantsName::parse(filename).filter(|n| n.name == *project) {
            return Ok(FileKind::Variants(Arc::new(name)));
        }
        Err("its kind is not one that can be placed".to_owned())
    }

    /// What a wheel is for; none of source.
    pub fn tags(&self) -> Option<&WheelTags> {
        match self {
            FileKind::Wheel(name) => Some(&name.tags),
            FileKind::Sdist(_) | FileKind::Variants(_) => None,
        }
    }

    /// The label of a wheel variant (draft PEP 825).
    pub fn variant(&self) -> Option<&str> {
        match self {
            FileKind::Wheel(name) => name.variant.as_deref(),
            FileKind::Sdist(_) | FileKind::Variants(_) => None,
        }
    }

    /// Whether it is a wheel with compiled parts.
    pub fn is_compiled_wheel(&self) -> bool {
        self.tags().is_some_and(|tags| !tags.is_pure())
    }

    /// The release that the file belongs to.
    pub fn version(&self) -> &Version {
        match self {
            FileKind::Wheel(name) => &name.version,
            FileKind::Sdist(name) => &name.version,
            FileKind::Variants(name) => &name.version,
        }
    }
}

/// A file that was left out of a page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Skipped {
    /// Its name.
    pub filename: String,
    /// Why.
    pub reason: String,
}

/// One file as a page states it, before its name is taken apart.
struct RawFile<'a> {
    filename: &'a str,
    url: &'a str,
    hashes: Hashes,
    requires_python: Option<&'a str>,
    metadata: Option<Hashes>,
    yanked: Option<String>,
    size: Option<u64>,
    published: Option<&'a str>,
}

impl Page {
    /// An empty page of a project.
    pub fn new(project: Name) -> Self {
        Page {
            project,
            files: Files::default(),
            skipped: Vec::new(),
            status: None,
            remarks: Vec::new(),
            elsewhere: Vec::new(),
            made_for: None,
            variants: Vec::new(),
            dates_elsewhere: BTreeMap::new(),
        }
    }

    /// What describes the variants of a release, once it was read.
    ///
    /// # Errors
    /// Why it cannot be read; none when there is nothing.
    pub fn variants_of(&self, version: &Version) -> Result<&Arc<Variants>, Option<&str>> {
        let mut all = self.variants.iter();
        let found = all.find(|d| d.file.kind.version() == version).ok_or(None)?;
        match &found.read {
            Some(Ok(variants)) => Ok(variants),
            Some(Err(why)) => Err(Some(why)),
            None => Err(Some("it was not asked for")),
        }
    }

    /// Why the project is quarantined by those who run the depot (PEP 792), if it is; the reason
    /// may be empty.
    pub fn quarantined(&self) -> Option<&str> {
        self.status
            .as_ref()
            .filter(|(status, _)| status == "quarantined")
            .map(|(_, r)| r.as_deref().unwrap_or(""))
    }

    /// When a release appeared, as others tell that.
    pub fn date_elsewhere(&self, version: &Version) -> Option<Timestamp> {
        if self.dates_elsewhere.is_empty() {
            return None;
        }
        self.dates_elsewhere.get(&version.public()).copied()
    }

    /// Why a page without a file that can be used has none, as far as it says.
    pub fn why_empty(&self) -> Option<String> {
        if !self.files.is_empty() {
            return None;
        }
        let project = &self.project;
        if let Some(reason) = self.quarantined() {
            let why = if reason.is_empty() {
                String::new()
            } else {
                format!(": \"{}\"", crate::fault::escaped(reason))
            };
            return Some(format!(
                "{project} is quarantined by its depot{why}, and no file of it is served"
            ));
        }
        let first = self
            .skipped
            .first()
            .map(|s| format!("{}: {}", crate::fault::escaped(&s.filename), s.reason));
        Some(match (self.skipped.len(), first) {
            (1, Some(first)) => {
                format!("the page of {project} lists one file, which cannot be used ({first})")
            }
            (n, Some(first)) => {
                format!("the page of {project} lists {n} files, and none can be used ({first})")
            }
            _ if self.remarks.iter().any(|r| r == NO_LINK) => {
                format!(
                    "the page of {project} holds no link at all, as a page that asks to log in \
                        does: is that what the depot answers?"
                )
            }
            _ => format!("the page of {project} lists no file"),
        })
    }

    /// A file by its name.
    pub fn file(&self, filename: &str) -> Option<&Arc<PageFile>> {
        let kind = FileKind::of(filename, &self.project).ok()?;
        let mut releases = self.files.outline().releases();
        let mine = releases.find(|r| r.version == kind.version())?;
        let mut files = mine.rows().filter_map(|(at, _)| self.files.get(at));
        files.find(|f| *f.filename == *filename)
    }

    /// Adds a file, or says why it is left out.
    fn add(&mut self, raw: RawFile<'_>, specifiers: &mut SpecifierCache) {
        let kind = match FileKind::of(raw.filename, &self.project) {
            Ok(kind) => kind,
            Err(reason) => {
                return self.skipped.push(Skipped {
                    filename: raw.filename.to_owned(),
                    reason,
                });
            }
        };
        let requires_python = raw
            .requires_python
            .filter(|t| !t.trim().is_empty())
            .and_then(|text| {
                let set = specifiers.get(text);
                if set.is_none() {
                    self.remarks.push(format!(
                        "{}: requires-python `{text}` cannot be read and is left out",
                        raw.filename
                    ));
                }
                set
            });
        let published = raw.published.and_then(|text| {
            let moment = text.parse().ok();
            if moment.is_none() {
                self.remarks.push(format!(
                    "{}: upload time `{text}` cannot be read and is left out",
                    raw.filename
                ));
            }
            moment
        });
        let file = Arc::new(PageFile {
            filename: raw.filename.into(),
            url: raw.url.into(),
            kind,
            hashes: raw.hashes,
            requires_python,
            metadata: raw.metadata,
            yanked: raw.yanked,
            size: raw.size,
            published,
        });
        if matches!(file.kind, FileKind::Variants(_)) {
            self.variants.push(Described { file, read: None });
        } else {
            self.files.push(file);
        }
    }
}

/// Files of one project state few distinct specifiers: each is read once.
#[derive(Default)]
struct SpecifierCache {
    known: HashMap<String, Option<Arc<VersionSpecifier>>>,
}

impl SpecifierCache {
    fn get(&mut self, text: &str) -> Option<Arc<VersionSpecifier>> {
        if let Some(set) = self.known.get(text) {
            return set.clone();
        }
        let set = VersionSpecifier::parse_lenient(text).ok().map(Arc::new);
        self.known.insert(text.to_owned(), set.clone());
        set
    }
}
