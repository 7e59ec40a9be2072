//! Depots: places that offer files (docs/house.md). One file per kind, one trait, one place that
//! picks.

mod abilities;
mod direct;
mod folder;
mod http;
mod inside;
mod learn;
mod links;
mod packed;
mod remote;
mod several;
#[cfg(test)]
pub(crate) mod stub;
mod tree;

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::name::nearest_first;
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

pub use abilities::{Abilities, Address, DepotKind};
pub use inside::{sdist_metadata, wheel_metadata};
pub(crate) use inside::{variant_bytes, wheel_metadata_bytes};
pub use packed::{KnownTree, TreeKind};
pub use tree::local_path;
use url::Url;

use crate::catalogue::ListedFile;
use crate::network::{Manner, Network};
use crate::wheel::Sources;
use crate::{Error, ErrorKind, Result};

/// Where a file is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Place {
    /// On this disk.
    Disk(PathBuf),
    /// On the network, without name and password.
    Url(Url),
}

/// A place that offers files.
pub trait Depot: Send + Sync + std::fmt::Debug {
    /// How the user named it.
    fn label(&self) -> &str;

    /// By what it is known, whatever name it has: an address, or an absolute path.
    fn origin(&self) -> String;

    /// Whether it offers a project, as far as that is known without asking anybody.
    fn offers(&self, project: &Name) -> Option<bool>;

    /// The page of a project; none when the depot does not have it.
    ///
    /// # Errors
    /// When the depot cannot be read.
    fn page(&self, project: &Name) -> Result<Option<Page>>;

    /// The metadata of a file on a page of this depot, as far as this effort goes.
    ///
    /// # Errors
    /// When the network or the disk fails, or a run may fetch no more.
    fn metadata(&self, project: &Name, file: &PageFile, effort: Effort) -> Result<MetadataAnswer>;

    /// The files of a wheel on a page of this depot, where they are known without fetching it.
    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>>;

    /// The files of a wheel on a page of this depot, asked for in parts of it if need be; none where
    /// only the whole wheel would tell.
    ///
    /// # Errors
    /// When the network fails.
    fn list(&self, project: &Name, file: &PageFile) -> Result<Option<Vec<ListedFile>>> {
        Ok(self.listed(project, file))
    }

    /// Where a file on a page of this depot is.
    ///
    /// # Errors
    /// When its address cannot be read.
    fn place(&self, project: &Name, file: &PageFile) -> Result<Place>;

    /// A file on a page of this depot, on this disk: fetched, if need be.
    ///
    /// # Errors
    /// When it cannot be fetched.
    fn obtain(&self, project: &Name, file: &PageFile) -> Result<PathBuf>;

    /// Sources of a wheel on a page of this depot, by parts of the file where that can be.
    ///
    /// # Errors
    /// When it cannot be fetched, or is no archive.
    fn sources(
        &self,
        project: &Name,
        file: &PageFile,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<Sources> {
        sources_on_disk(&self.obtain(project, file)?, wanted)
    }

    /// Whether its answers come over the network, so that many should be under way at once.
    fn is_remote(&self) -> bool {
        false
    }

    /// Base of the simple API, for pins; none for a folder of files.
    fn index(&self) -> Option<String>;

    /// The projects it has, for "did you mean".
    fn projects(&self) -> Vec<Name>;

    /// Whether each of its addresses answers now, and what it can do, preferably by the page of
    /// what is asked for. None of what is no depot of its own, but one file.
    fn look(&self, _asked: Option<&Name>) -> Vec<Address> {
        Vec::new()
    }
}

/// A depot with the projects that it alone serves, if that was said.
#[derive(Debug, Clone)]
pub struct Listed {
    /// The depot.
    pub depot: Arc<dyn Depot>,
    /// `only`: it serves these projects and no other depot does.
    pub only: Vec<Name>,
    /// What all its builds were made for, if that was said: `FAMILY TOOLKIT`, or `none`.
    pub accelerator: Option<String>,
    /// Dates that it does not give may be asked of the other depots, which learn its names by that.
    pub asks_dates: bool,
}

/// Depots in their order. A project comes from one of them: the first that has it, unless `only`
/// says otherwise.
#[derive(Debug, Clone)]
pub struct Depots {
    listed: Vec<Listed>,
    network: Arc<Network>,
    /// Source trees that are asked for by their address.
    trees: Arc<Mutex<Vec<Arc<KnownTree>>>>,
}

impl Depots {
    /// These depots in this order.
    pub fn new(listed: Vec<Listed>, network: Arc<Network>) -> Self {
        Depots {
            listed,
            network,
            trees: Arc::default(),
        }
    }

    /// What those on the network share.
    pub fn network(&self) -> &Arc<Network> {
        &self.network
    }

    /// From now on the address of a tree leads to it.
    pub fn know(&self, tree: KnownTree) {
        let mut trees = self.trees.lock().unwrap_or_else(PoisonError::into_inner);
        trees.retain(|t| t.url != tree.url);
        trees.push(Arc::new(tree));
    }

    /// The tree at an address, when it is known.
    pub fn tree(&self, url: &str) -> Option<Arc<KnownTree>> {
        let trees = self.trees.lock().unwrap_or_else(PoisonError::into_inner);
        trees.iter().find(|t| t.url == url).cloned()
    }

    /// Whether some answers come over the network.
    pub fn are_remote(&self) -> bool {
        self.listed.iter().any(|l| l.depot.is_remote())
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.listed.is_empty()
    }

    /// How the user named them.
    pub fn labels(&self) -> Vec<&str> {
        self.listed.iter().map(|l| l.depot.label()).collect()
    }

    /// All depots, in their order.
    pub fn all(&self) -> impl Iterator<Item = &Listed> {
        self.listed.iter()
    }

    /// The depots that may serve a project, in their order: those that claim it with `only`, else
    /// those that claim none.
    pub fn serving(&self, project: &Name) -> impl Iterator<Item = &Listed> {
        let claimed = self.listed.iter().any(|l| l.only.contains(project));
        self.listed.iter().filter(move |l| {
            if claimed {
                l.only.contains(project)
            } else {
                l.only.is_empty()
            }
        })
    }

    /// The page of a project with the depot it comes from: the first that has it.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn page(&self, project: &Name) -> Result<Option<(Arc<dyn Depot>, Page)>> {
        // Depots that once had it and do not any more.
        let mut lost = Vec::new();
        for listed in self.serving(project) {
            let found = listed.depot.page(project)?;
            if listed.depot.is_remote() {
                let (catalogue, origin) = (self.network.catalogue(), listed.depot.origin());
                match &found {
                    Some(_) => catalogue.note_served(&origin, project.as_str()),
                    None if catalogue.has_served(&origin, project.as_str()) => {
                        lost.push(listed.depot.label())
                    }
                    None => {}
                }
            }
            let Some(mut page) = found else { continue };
            page.made_for.clone_from(&listed.accelerator);
            if !lost.is_empty() {
                let from = listed.depot.label();
                self.network.caution(format!(
                    "{project} was served by {} before, which does not have it any more: it is \
                        taken from {from}.",
                    lost.join(" and ")
                ));
            }
            return Ok(Some((Arc::clone(&listed.depot), page)));
        }
        if !lost.is_empty() {
            self.network.caution(format!(
                "{project} was served by {} before, which does not have it any more.",
                lost.join(" and ")
            ));
        }
        Ok(None)
    }

    /// Whether a project is offered by several depots and given to none of them by `only`, as far
    /// as is known without asking anybody.
    pub fn is_in_several(&self, project: &Name) -> bool {
        let routed = self.listed.iter().any(|l| l.only.contains(project));
        !routed
            && self
                .serving(project)
                .filter(|l| l.depot.offers(project) == Some(true))
                .count()
                > 1
    }

    /// The page for an ask that demands the file at a URL (`name @ https://...`, `name @
    /// file:///...`).
    ///
    /// # Errors
    /// When the URL leads to no file of that project.
    pub fn direct(&self, project: &Name, url: &str) -> Result<(Arc<dyn Depot>, Page)> {
        if let Some(tree) = self.tree(url) {
            if tree.project != *project {
                let message = format!("{project} is asked for at {url}, where {} is", tree.project);
                return Err(Error::request(message));
            }
            return Ok(packed::page(&tree));
        }
        match Url::parse(url) {
            Ok(address) if matches!(address.scheme(), "http" | "https") => {
                direct::page(project, address, &self.network)
            }
            _ => tree::direct_page(project, url),
        }
    }

    /// The projects that a name may be a slip for, best first: of slips of one kind those that a
    /// depot has served before, or lies on this disk with, before what an index only lists.
    /// `known` is what [`Depots::projects`] tells, which of a large index is a large list.
    pub fn nearest_of(&self, known: &[Name], wanted: &Name, limit: usize) -> Vec<Name> {
        let is_met = |name: &str| {
            let name = Name::parse(name).ok();
            let met = |l: &Listed| name.as_ref().and_then(|n| l.depot.offers(n)) == Some(true);
            self.listed.iter().any(met)
        };
        let near = nearest_first(
            wanted.as_str(),
            known.iter().map(Name::as_str),
            limit,
            is_met,
        );
        near.into_iter()
            .filter_map(|n| Name::parse(n).ok())
            .collect()
    }

    /// Every project that some depot has, sorted.
    pub fn projects(&self) -> Vec<Name> {
        let mut names: Vec<Name> = self
            .listed
            .iter()
            .flat_map(|l| l.depot.projects())
            .collect();
        names.sort();
        names.dedup();
        names
    }
}

/// A depot as the user names it.
#[derive(Debug, Clone, Default)]
pub struct Named<'a> {
    /// Its addresses, URLs or paths, to be tried in this order.
    pub places: Vec<&'a str>,
    /// The folder that paths are relative to.
    pub base: PathBuf,
    /// Its name in the settings.
    pub name: Option<&'a str>,
    /// The user insists on it whatever the way.
    pub insecure: bool,
    /// Further origins of its files, which get the same login.
    pub files: Vec<Url>,
}

impl<'a> Named<'a> {
    /// The depot at one place.
    pub fn at(place: &'a str, base: &Path) -> Self {
        Named {
            places: vec![place],
            base: base.to_owned(),
            ..Named::default()
        }
    }
}

/// Opens a depot: the one place that picks a kind.
///
/// # Errors
/// When an address is no URL that can be read, or no folder.
pub fn open(named: &Named<'_>, network: &Arc<Network>) -> Result<Arc<dyn Depot>> {
    let mut opened = Vec::new();
    for place in &named.places {
        opened.push(open_at(place, named, network)?);
    }
    let mut opened = opened.into_iter();
    let Some(first) = opened.next() else {
        return Err(Error::request("a depot has no address").help("give it a `url` or a `path`"));
    };
    let others: Vec<Arc<dyn Depot>> = opened.collect();
    Ok(if others.is_empty() {
        first
    } else {
        Arc::new(several::Several::new(first, others))
    })
}

fn open_at(place: &str, named: &Named<'_>, network: &Arc<Network>) -> Result<Arc<dyn Depot>> {
    let scheme = place
        .split_once("://")
        .map(|(scheme, _)| scheme.to_ascii_lowercase());
    if matches!(scheme.as_deref(), Some("http" | "https")) {
        let mut url = Url::parse(place).map_err(|e| {
            Error::request(format!(
                "the depot {} is no URL: {e}",
                without_credentials(place)
            ))
            .help("write it as https://HOST/PATH/")
        })?;
        network.keep_secret(&mut url, named.name);
        network.name_place(&url, &named.files);
        let label = url.to_string();
        let manner = Manner {
            origin: label.clone(),
            insecure: named.insecure,
        };
        return Ok(if is_html(url.path()) {
            Arc::new(links::Links::open(label, url, manner, Arc::clone(network)))
        } else {
            Arc::new(http::Index::open(label, url, manner, Arc::clone(network)))
        });
    }
    if let Some(scheme) = scheme.filter(|s| s != "file") {
        let error = Error::request(format!(
            "the depot {} is reached by `{scheme}`, which is not spoken here",
            without_credentials(place)
        ));
        return Err(error.help("name an https:// or http:// address, or a folder"));
    }
    let path = match Url::parse(place)
        .ok()
        .filter(|u| u.scheme() == "file")
        .and_then(|u| u.to_file_path().ok())
    {
        Some(path) => path,
        None => named.base.join(place),
    };
    let path = std::path::absolute(&path).unwrap_or(path);
    if path.is_file() && is_html(place) {
        let url = Url::from_file_path(&path)
            .map_err(|()| Error::request(format!("the depot {place} cannot be found")))?;
        let manner = Manner {
            origin: url.to_string(),
            insecure: named.insecure,
        };
        return Ok(Arc::new(links::Links::open(
            place.to_owned(),
            url,
            manner,
            Arc::clone(network),
        )));
    }
    if !path.is_dir() {
        let found = if path.exists() {
            "is a file"
        } else {
            "does not exist"
        };
        let error = Error::request(format!(
            "the depot {place} {found}: a depot on disk is a folder"
        ));
        return Err(error.help(
            "name a folder of wheels, the root of an index tree (NAME/index.json or \
                NAME/index.html), or a page of links (FILE.html)",
        ));
    }
    if tree::is_tree(&path) {
        Ok(Arc::new(tree::Tree::open(place, path)))
    } else {
        Ok(Arc::new(folder::Folder::open(place, path)?))
    }
}

/// The files of a wheel on this disk.
fn listed_on_disk(path: &Path) -> Option<Vec<ListedFile>> {
    let archive = zip::ZipArchive::new(std::io::BufReader::new(std::fs::File::open(path).ok()?));
    let mut archive = archive.ok().filter(|_| {
        path.extension()
            .is_some_and(|e| e.eq_ignore_ascii_case("whl"))
    })?;
    let listed = (0..archive.len()).filter_map(|at| {
        let member = archive.by_index_raw(at).ok()?;
        let file = ListedFile {
            path: member.name().to_owned(),
            size: member.size(),
            crc: member.crc32(),
        };
        member.is_file().then_some(file)
    });
    Some(listed.collect())
}

/// Sources of a wheel on this disk.
fn sources_on_disk(path: &Path, wanted: &dyn Fn(&str) -> bool) -> Result<Sources> {
    let refused = |r: crate::wheel::Refusal| {
        Error::contents(format!("{} cannot be read: {}", path.display(), r.detail))
    };
    crate::wheel::sources(path, wanted).map_err(refused)
}

fn is_html(path: &str) -> bool {
    let lower = path.to_ascii_lowercase();
    lower.ends_with(".html") || lower.ends_with(".htm")
}

/// A URL without user name and password, for messages.
fn without_credentials(url: &str) -> String {
    match url
        .split_once("://")
        .and_then(|(scheme, rest)| rest.rsplit_once('@').map(|(_, host)| (scheme, host)))
    {
        Some((scheme, host)) => format!("{scheme}://{host}"),
        None => url.to_owned(),
    }
}

/// Whether metadata speaks of the project and the release that the file's name states.
fn speaks_of(metadata: &Metadata, project: &Name, file: &PageFile) -> bool {
    metadata.name == *project && metadata.version == *file.kind.version()
}

/// Checks that metadata speaks of the project and release that the file's name says; `from` is
/// where it was read.
fn ensure_truthful(
    metadata: &Metadata,
    project: &Name,
    file: &PageFile,
    from: impl std::fmt::Display,
) -> Result<()> {
    if speaks_of(metadata, project, file) {
        return Ok(());
    }
    let version = file.kind.version();
    let message = format!(
        "it speaks of {} {}, the file's name of {project} {version} ({from})",
        metadata.name, metadata.version
    );
    Err(Error::new(ErrorKind::Metadata, message)
        .help("the file was renamed or built wrongly: fetch it again, or take it out of the depot"))
}
