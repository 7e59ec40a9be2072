//! Depots: places that offer files (design, section 1). One file per kind, one trait, one place that picks.

mod folder;
mod inside;
mod tree;

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::solve::MetadataAnswer;

pub use inside::{sdist_metadata, unpacked_size, wheel_metadata};
pub use tree::local_path;

use crate::{Error, Result};

/// A place that offers files.
pub trait Depot: Send + Sync + std::fmt::Debug {
    /// How the user named it.
    fn label(&self) -> &str;

    /// The page of a project; none when the depot does not have it.
    ///
    /// # Errors
    /// When the depot cannot be read.
    fn page(&self, project: &Name) -> Result<Option<Page>>;

    /// The metadata of a file on a page of this depot.
    ///
    /// # Errors
    /// When it cannot be read, or speaks of another project or release than the file's name.
    fn metadata(&self, project: &Name, file: &PageFile) -> Result<MetadataAnswer>;

    /// Where a file on a page of this depot lies.
    ///
    /// # Errors
    /// When it lies elsewhere than on this disk.
    fn path(&self, project: &Name, file: &PageFile) -> Result<PathBuf>;

    /// Base of the simple API, for pins; none for a folder of files.
    fn index(&self) -> Option<String>;

    /// The projects it has, for "did you mean".
    fn projects(&self) -> Vec<Name>;
}

/// A depot with the projects that it alone serves, if that was said.
#[derive(Debug, Clone)]
pub struct Listed {
    /// The depot.
    pub depot: Arc<dyn Depot>,
    /// `only`: it serves these projects and no other depot does.
    pub only: Vec<Name>,
}

/// Depots in their order. A project comes from one of them: the first that has it, unless `only` says otherwise.
#[derive(Debug, Clone, Default)]
pub struct Depots {
    listed: Vec<Listed>,
}

impl Depots {
    /// These depots in this order.
    pub fn new(listed: Vec<Listed>) -> Self {
        Depots { listed }
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.listed.is_empty()
    }

    /// How the user named them.
    pub fn labels(&self) -> Vec<&str> {
        self.listed.iter().map(|l| l.depot.label()).collect()
    }

    /// The page of a project with the depot it comes from.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn page(&self, project: &Name) -> Result<Option<(Arc<dyn Depot>, Page)>> {
        let claimed = self.listed.iter().any(|l| l.only.contains(project));
        for listed in &self.listed {
            let serves = if claimed { listed.only.contains(project) } else { listed.only.is_empty() };
            if !serves {
                continue;
            }
            if let Some(page) = listed.depot.page(project)? {
                return Ok(Some((Arc::clone(&listed.depot), page)));
            }
        }
        Ok(None)
    }

    /// Every project that some depot has, sorted.
    pub fn projects(&self) -> Vec<Name> {
        let mut names: Vec<Name> = self.listed.iter().flat_map(|l| l.depot.projects()).collect();
        names.sort();
        names.dedup();
        names
    }
}

/// Opens the depot that a path or URL names: the one place that picks a kind.
///
/// # Errors
/// When it is a URL of the network, which this version does not serve, or no folder.
pub fn open(label: &str, base: &Path) -> Result<Arc<dyn Depot>> {
    if label.starts_with("http://") || label.starts_with("https://") {
        let error = Error::request(format!(
            "the depot {} is on the network, which this version cannot read",
            without_credentials(label)
        ));
        return Err(error.help("name a folder of wheels, or an index tree on disk"));
    }
    let path = match label.strip_prefix("file://") {
        Some(rest) => PathBuf::from(percent_encoding::percent_decode_str(rest).decode_utf8_lossy().into_owned()),
        None => base.join(label),
    };
    if !path.is_dir() {
        let found = if path.exists() { "is a file" } else { "does not exist" };
        let error = Error::request(format!("the depot {label} {found}: a depot on disk is a folder"));
        return Err(
            error.help("name a folder of wheels, or the root of an index tree (NAME/index.json or NAME/index.html)")
        );
    }
    let path = std::path::absolute(&path).unwrap_or(path);
    if tree::is_tree(&path) {
        Ok(Arc::new(tree::Tree::open(label, path)))
    } else {
        Ok(Arc::new(folder::Folder::open(label, path)?))
    }
}

/// A URL without user name and password, for messages.
fn without_credentials(url: &str) -> String {
    match url.split_once("://").and_then(|(scheme, rest)| rest.split_once('@').map(|(_, host)| (scheme, host))) {
        Some((scheme, host)) => format!("{scheme}://{host}"),
        None => url.to_owned(),
    }
}

/// Checks that metadata speaks of the project and release that the file's name says.
fn ensure_truthful(metadata: Metadata, project: &Name, file: &PageFile, path: &Path) -> Result<Arc<Metadata>> {
    let version = file.kind.version();
    if metadata.name == *project && metadata.version == *version {
        return Ok(Arc::new(metadata));
    }
    let message = format!(
        "{} is {project} {version} by its name, but its metadata says {} {}",
        path.display(),
        metadata.name,
        metadata.version
    );
    Err(Error::contents(message)
        .help("the file was renamed or built wrongly: fetch it again, or take it out of the depot"))
}

/// The page for an ask that demands the file at a URL (`name @ file:///...`).
///
/// # Errors
/// When the URL is not a file on this disk, or not a file of that project.
pub fn direct(project: &Name, url: &str) -> Result<(Arc<dyn Depot>, Page)> {
    tree::direct_page(project, url)
}
