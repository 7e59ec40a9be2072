//! A folder of wheels and source distributions.
//!
//! Metadata comes from a `.metadata` sidecar when there is one, else from inside the file. A folder
//! knows no dates.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::artifact::{Metadata, SdistName, VariantsName, WheelName};
use eutaxis_core::index::{Described, FileKind, Hashes, Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use rayon::prelude::*;

use super::abilities::{self, Address, DepotKind};
use super::{Depot, Place, ensure_truthful, sdist_metadata, wheel_metadata};
use crate::catalogue::ListedFile;
use crate::error::Doing;
use crate::{Error, ErrorKind, Result};

/// A folder with its files by project.
#[derive(Debug)]
pub(super) struct Folder {
    label: String,
    root: PathBuf,
    files: BTreeMap<Name, Vec<String>>,
}

impl Folder {
    pub(super) fn open(label: &str, root: PathBuf) -> Result<Self> {
        let mut files: BTreeMap<Name, Vec<String>> = BTreeMap::new();
        for entry in std::fs::read_dir(&root).doing("cannot read the folder", &root)? {
            let entry = entry.doing("cannot read the folder", &root)?;
            let Ok(file) = entry.file_name().into_string() else {
                continue;
            };
            if let Some(project) = project_of(&file) {
                files.entry(project).or_default().push(file);
            }
        }
        files.values_mut().for_each(|list| list.sort());
        if files.is_empty() {
            let message =
                format!("the depot {label} holds no wheel, no source distribution and no index");
            return Err(Error::request(message).help(
                "name the folder in which the files themselves lie, or the root of an index tree",
            ));
        }
        Ok(Folder {
            label: label.to_owned(),
            root,
            files,
        })
    }
}

/// The project of a file, by its name. A wheel whose name cannot be read belongs to none.
fn project_of(file: &str) -> Option<Name> {
    WheelName::parse(file)
        .map(|w| w.name)
        .ok()
        .or_else(|| SdistName::parse(file, None).map(|s| s.name).ok())
        .or_else(|| VariantsName::parse(file).map(|v| v.name))
}

/// Metadata of a file on disk: the sidecar, else from inside. None when only building would tell.
pub(super) fn read_at(path: &Path, kind: &FileKind) -> Result<Option<Metadata>> {
    let sidecar = sidecar(path);
    if let Ok(bytes) = std::fs::read(&sidecar) {
        return super::inside::read_metadata(&bytes, sidecar.display()).map(Some);
    }
    match kind {
        FileKind::Wheel(_) => wheel_metadata(path).map(Some),
        FileKind::Sdist(_) => sdist_metadata(path),
        FileKind::Variants(_) => Ok(None),
    }
}

/// What a file on disk needs. One that is damaged, or speaks of another release, bars its release
/// and no more.
///
/// # Errors
/// When the disk fails.
pub(super) fn metadata_at(path: &Path, project: &Name, file: &PageFile) -> Result<MetadataAnswer> {
    let found = read_at(path, &file.kind).and_then(|found| {
        found
            .iter()
            .try_for_each(|m| ensure_truthful(m, project, file, path.display()))?;
        Ok(found)
    });
    match found {
        Ok(Some(metadata)) => Ok(MetadataAnswer::Known(Arc::new(metadata))),
        Ok(None) => Ok(MetadataAnswer::UnknownUntilBuilt),
        Err(error) if matches!(error.kind, ErrorKind::Contents | ErrorKind::Metadata) => {
            Ok(MetadataAnswer::Unusable(error.message))
        }
        Err(error) => Err(error),
    }
}

pub(super) fn sidecar(path: &Path) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".metadata");
    PathBuf::from(name)
}

impl Depot for Folder {
    fn label(&self) -> &str {
        &self.label
    }

    fn origin(&self) -> String {
        self.root.to_string_lossy().into_owned()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        Some(self.files.contains_key(project))
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        let Some(names) = self.files.get(project) else {
            return Ok(None);
        };
        let mut page = Page::new(project.clone());
        // Whether a file is for this interpreter stands inside it: all are looked into at once. One
        // that cannot be read shows its fault when it is wanted.
        let files: Vec<Arc<PageFile>> = names
            .par_iter()
            .filter_map(|name| {
                let kind = FileKind::of(name, project).ok()?;
                let path = self.root.join(name);
                let metadata = read_at(&path, &kind).ok().flatten();
                Some(Arc::new(PageFile {
                    filename: name.as_str().into(),
                    url: name.as_str().into(),
                    kind,
                    hashes: Hashes::default(),
                    requires_python: metadata.and_then(|m| m.requires_python).map(Arc::new),
                    metadata: None,
                    yanked: None,
                    size: std::fs::metadata(&path).ok().map(|m| m.len()),
                    published: None,
                }))
            })
            .collect();
        let is_described = |f: &Arc<PageFile>| matches!(f.kind, FileKind::Variants(_));
        let (described, files): (Vec<_>, Vec<_>) = files.into_iter().partition(is_described);
        page.files = files.into_iter().collect();
        let unread = |file| Described { file, read: None };
        page.variants = described.into_iter().map(unread).collect();
        Ok(Some(page))
    }

    fn metadata(&self, project: &Name, file: &PageFile, _: Effort) -> Result<MetadataAnswer> {
        metadata_at(&self.obtain(project, file)?, project, file)
    }

    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        super::listed_on_disk(&self.obtain(project, file).ok()?)
    }

    fn place(&self, project: &Name, file: &PageFile) -> Result<Place> {
        self.obtain(project, file).map(Place::Disk)
    }

    fn obtain(&self, _: &Name, file: &PageFile) -> Result<PathBuf> {
        Ok(self.root.join(&*file.filename))
    }

    fn index(&self) -> Option<String> {
        None
    }

    fn projects(&self) -> Vec<Name> {
        self.files.keys().cloned().collect()
    }

    fn look(&self, asked: Option<&Name>) -> Vec<Address> {
        vec![abilities::of_disk(self, DepotKind::Folder, asked)]
    }
}
