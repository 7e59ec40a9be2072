//! A page of links over HTTP or on disk: one HTML page that lists files of many projects.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::{Arc, OnceLock};

use eutaxis_core::Name;
use eutaxis_core::fault::Fault;
use eutaxis_core::index::{Page, parse_links};
use url::Url;

use super::remote::{self, Remote};
use crate::error::Doing;
use crate::network::{Answer, Form, Manner, Network};
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

    fn read(&self) -> Result<BTreeMap<Name, Page>> {
        if self.url.scheme() == "file" {
            let path = PathBuf::from(
                percent_encoding::percent_decode_str(self.url.path())
                    .decode_utf8_lossy()
                    .into_owned(),
            );
            return self.resolved(
                &std::fs::read(&path).doing("cannot read", &path)?,
                &self.url,
            );
        }
        let what = format!("the page of links {}", self.label);
        let form = Form {
            read: &|answer: &Answer<'_>| self.resolved(&answer.body, &answer.head.url),
            pack: &pack,
            unpack: &unpack,
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
        let page = Page::from_compact(part(&mut rest)?, &name)?;
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
