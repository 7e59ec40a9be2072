//! A page of links over HTTP or on disk: one HTML page that lists files of many projects.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::{Arc, OnceLock};

use eutaxis_core::Name;
use eutaxis_core::fault::Fault;
use eutaxis_core::index::{Page, parse_links};
use url::Url;

use super::abilities::{self, Abilities, Address, DepotKind, Watch};
use super::remote::{self, Remote};
use crate::error::Doing;
use crate::network::{Answer, Form, LARGEST_PAGE, Manner, Network};
use crate::{Error, Result};

/// A page of links, read when it is first needed.
#[derive(Debug)]
pub(super) struct Links {
    label: String,
    url: Url,
    manner: Manner,
    network: Arc<Network>,
    pages: OnceLock<Result<BTreeMap<Name, Page>>>,
}

impl Links {
    pub(super) fn open(label: String, url: Url, manner: Manner, network: Arc<Network>) -> Self {
        Links {
            label,
            url,
            manner,
            network,
            pages: OnceLock::new(),
        }
    }

    fn pages(&self) -> Result<&BTreeMap<Name, Page>> {
        self.pages
            .get_or_init(|| self.read())
            .as_ref()
            .map_err(Clone::clone)
    }

    fn resolved(&self, bytes: &[u8], base: &Url) -> Result<BTreeMap<Name, Page>> {
        resolved(bytes, base, &self.manner).map_err(|f| {
            Error::contents(format!(
                "the page of links {} cannot be read: {}",
                self.label,
                f.message()
            ))
        })
    }

    /// What the page shows of its depot, asked for anew.
    pub(super) fn abilities(&self, asked: Option<&Name>, watch: &mut Watch) -> Result<Abilities> {
        let what = format!("the page of links {}", self.label);
        let client = self.network.client(&what)?;
        let mut request = self.manner.learning(&self.url, &what, LARGEST_PAGE);
        request.accept = Some("text/html");
        request.compressed = true;
        let answer = client.get(&request)?;
        watch.answered();
        if answer.head.status != 200 {
            return Err(client.refusal(&answer.head, &what));
        }
        let pages = self.resolved(&answer.body, &answer.head.url)?;
        self.shown(&pages, asked)
    }

    fn shown(&self, pages: &BTreeMap<Name, Page>, asked: Option<&Name>) -> Result<Abilities> {
        let page = asked.and_then(|n| pages.get(n));
        let page = page.or_else(|| pages.values().find(|p| !p.files.is_empty()));
        let mut shown = Abilities::shown_by(DepotKind::Links, page);
        if self.url.scheme() != "file" {
            shown.json = Some(false);
            shown.ranges = abilities::gives_parts(&self.network, &self.manner, page)?;
        }
        Ok(shown)
    }

    fn on_disk(&self) -> Result<BTreeMap<Name, Page>> {
        let path = PathBuf::from(
            percent_encoding::percent_decode_str(self.url.path())
                .decode_utf8_lossy()
                .into_owned(),
        );
        let bytes = std::fs::read(&path).doing("cannot read", &path)?;
        self.resolved(&bytes, &self.url)
    }

    fn read(&self) -> Result<BTreeMap<Name, Page>> {
        if self.url.scheme() == "file" {
            return self.on_disk();
        }
        let what = format!("the page of links {}", self.label);
        let form = Form {
            read: &|answer: &Answer<'_>| self.resolved(&answer.body, &answer.head.url),
            pack: &pack,
            unpack: &|bytes| unpack(bytes),
            is_list: false,
        };
        self.network
            .document(&self.url, &what, "text/html", &self.manner, &form)?
            .ok_or_else(|| {
                Error::request(format!("{what} does not exist"))
                    .help("look at the address of the depot")
            })
    }
}

fn resolved(
    bytes: &[u8],
    base: &Url,
    manner: &Manner,
) -> std::result::Result<BTreeMap<Name, Page>, Fault> {
    let mut pages = parse_links(bytes)?;
    pages
        .values_mut()
        .for_each(|page| remote::resolve(page, base, manner));
    Ok(pages)
}

/// Each project's name and page, with their lengths before them.
fn pack(pages: &BTreeMap<Name, Page>) -> Vec<u8> {
    let mut bytes = Vec::new();
    for (name, page) in pages {
        for part in [name.as_str().as_bytes(), &page.to_compact()] {
            bytes.extend_from_slice(&(part.len() as u64).to_le_bytes());
            bytes.extend_from_slice(part);
        }
    }
    bytes
}

fn unpack(bytes: &[u8]) -> Option<BTreeMap<Name, Page>> {
    fn part<'a>(rest: &mut &'a [u8]) -> Option<&'a [u8]> {
        let (length, after) = rest.split_first_chunk::<8>()?;
        let (part, after) =
            after.split_at_checked(usize::try_from(u64::from_le_bytes(*length)).ok()?)?;
        *rest = after;
        Some(part)
    }
    let mut pages = BTreeMap::new();
    let mut rest = bytes;
    while !rest.is_empty() {
        let name = Name::parse(std::str::from_utf8(part(&mut rest)?).ok()?).ok()?;
        let page = Page::from_compact(Arc::new(part(&mut rest)?.to_vec()), &name)?;
        pages.insert(name, page);
    }
    Some(pages)
}

impl Remote for Links {
    fn network(&self) -> &Network {
        &self.network
    }

    fn manner(&self) -> &Manner {
        &self.manner
    }

    fn label(&self) -> &str {
        &self.label
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        Ok(self.pages()?.get(project).cloned())
    }

    fn is_remote(&self) -> bool {
        self.url.scheme() != "file"
    }

    fn look(&self, asked: Option<&Name>) -> Option<Address> {
        if self.url.scheme() == "file" {
            let read = || self.shown(&self.on_disk()?, asked);
            return Some(abilities::on_disk(self.label.clone(), read));
        }
        Some(abilities::on_network(&self.network, &self.url, |watch| {
            self.abilities(asked, watch)
        }))
    }

    fn projects(&self) -> Vec<Name> {
        self.pages()
            .map(|pages| pages.keys().cloned().collect())
            .unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_come_back_from_their_bytes() {
        let html = b"<a href='a-1-py3-none-any.whl#sha256=ab'></a><a href='b-2.tar.gz'></a>";
        let pages = resolved(
            html,
            &Url::parse("https://d.example/w/").unwrap(),
            &Manner::default(),
        )
        .unwrap();
        let bytes = pack(&pages);
        assert_eq!(unpack(&bytes).unwrap(), pages);
        assert_eq!(unpack(&bytes[..bytes.len() - 1]), None);
    }
}
