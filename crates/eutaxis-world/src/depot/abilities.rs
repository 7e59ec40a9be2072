//! What a depot can do, and whether it answers, found out by asking it for little: its root, one
//! page, and two bytes of one file (`eutaxis depots`).

use std::collections::BTreeSet;
use std::time::{Duration, Instant};

use eutaxis_core::Name;
use eutaxis_core::index::Page;
use url::Url;

use super::Depot;
use crate::network::{Manner, Network};
use crate::{Error, Result};

/// What kind of place a depot is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DepotKind {
    /// An index over HTTP (simple repository API).
    Index,
    /// One page that lists files of many projects.
    Links,
    /// An index tree on this disk.
    Tree,
    /// A folder of files.
    Folder,
}

/// One address of a depot.
#[derive(Debug)]
pub struct Address {
    /// The address, without name and password; or the folder.
    pub address: String,
    /// It is on the network.
    pub is_remote: bool,
    /// Where the login that goes there is from; none where none is known for it.
    pub login: Option<String>,
    /// How long its first answer took.
    pub took: Duration,
    /// What it can do, or why it does not answer.
    pub found: Result<Abilities>,
}

/// What an address can do, as far as one page shows it.
#[derive(Debug, Clone)]
pub struct Abilities {
    /// What kind of place it is.
    pub kind: DepotKind,
    /// The project whose page showed it; none where it has no project that could be found.
    pub page: Option<Name>,
    /// Pages come in JSON (PEP 691); none on a disk, where nothing is asked for.
    pub json: Option<bool>,
    /// It gives parts of files (RFC 9110 section 14); none on a disk, or where no file was found.
    pub ranges: Option<bool>,
    /// Metadata lies beside the files (PEP 658, PEP 714).
    pub sidecars: bool,
    /// Pages say when files were published (PEP 700).
    pub dates: bool,
    /// The algorithms of the hashes that pages state.
    pub hashes: BTreeSet<&'static str>,
}

impl Abilities {
    /// What a page shows of a depot.
    pub(super) fn shown_by(kind: DepotKind, page: Option<&Page>) -> Self {
        let files = || page.iter().flat_map(|p| p.files.iter());
        Abilities {
            kind,
            page: page.map(|p| p.project.clone()),
            json: None,
            ranges: None,
            sidecars: files().any(|f| f.metadata.is_some()),
            dates: files().any(|f| f.published.is_some()),
            hashes: files()
                .flat_map(|f| f.hashes.iter().map(|(algorithm, _)| algorithm.as_str()))
                .collect(),
        }
    }
}

/// What a depot on this disk can do: `read` looks at it.
pub(super) fn on_disk(address: String, read: impl FnOnce() -> Result<Abilities>) -> Address {
    let began = Instant::now();
    let found = read();
    Address {
        address,
        is_remote: false,
        login: None,
        took: began.elapsed(),
        found,
    }
}

/// What a folder or tree can do, by the page of what is asked for, else by the first one with files.
pub(super) fn of_disk(depot: &dyn Depot, kind: DepotKind, asked: Option<&Name>) -> Address {
    on_disk(depot.origin(), || {
        let mut names = depot.projects();
        names.sort();
        let mut shown = Abilities::shown_by(kind, None);
        for name in asked.into_iter().chain(&names) {
            let Some(page) = depot.page(name)? else {
                continue;
            };
            shown = Abilities::shown_by(kind, Some(&page));
            if !page.files.is_empty() {
                break;
            }
        }
        Ok(shown)
    })
}

/// What a depot on the network can do: `read` asks it, and says when its first answer came.
pub(super) fn on_network(
    network: &Network,
    url: &Url,
    read: impl FnOnce(&mut Watch) -> Result<Abilities>,
) -> Address {
    let mut watch = Watch {
        began: Instant::now(),
        first: None,
    };
    let found = read(&mut watch);
    Address {
        address: url.to_string(),
        is_remote: true,
        login: network.login_for(url),
        took: watch.first.unwrap_or_else(|| watch.began.elapsed()),
        found,
    }
}

/// When the first answer came.
#[derive(Debug)]
pub(super) struct Watch {
    began: Instant,
    first: Option<Duration>,
}

impl Watch {
    pub(super) fn answered(&mut self) {
        let first = self.began.elapsed();
        self.first.get_or_insert(first);
    }
}

/// Whether the server gives parts of the first file of a page; none where there is none to ask for,
/// or it cannot be had.
pub(super) fn gives_parts(
    network: &Network,
    manner: &Manner,
    page: Option<&Page>,
) -> Result<Option<bool>> {
    let Some(file) = page.and_then(|p| p.files.first()) else {
        return Ok(None);
    };
    let url = Url::parse(&file.url)
        .map_err(|e| Error::contents(format!("the address of {}: {e}", file.filename)))?;
    if url.scheme() == "file" {
        return Ok(None);
    }
    let what = format!("a part of {}", file.filename);
    let mut request = manner.learning(&url, &what, 2);
    request.range = Some("bytes=0-1".to_owned());
    let (head, _) = network.client(&what)?.part(&request)?;
    Ok(match head.status {
        206 => Some(true),
        200 => Some(false),
        _ => None,
    })
}
