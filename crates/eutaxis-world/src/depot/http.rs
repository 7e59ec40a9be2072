//! An index over HTTP (simple repository API; PEP 691, content negotiation): a page per project
//! under a root, in JSON if the server has it.
//!
//! An address that turns out to be a page of links, as web servers make of a folder, is served as
//! one.

use std::sync::{Arc, OnceLock};

use eutaxis_core::Name;
use eutaxis_core::index::{
    Page, holds_files, parse_html, parse_html_list, parse_json, parse_json_list,
};
use reqwest::header;
use url::Url;

use super::links::Links;
use super::remote::{self, Remote};
use crate::network::{Answer, Form, Manner, Network, Request};
use crate::{Error, Result};

/// What index pages are asked for as (PEP 691, content negotiation).
pub(super) const ACCEPT: &str = "application/vnd.pypi.simple.v1+json, \
    application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.01";

/// So much of the root tells a page of links from a list of projects.
const A_LOOK: usize = 256 << 10;

/// What is remembered of a root that is a page of links.
const LINKS: &str = "links";

/// What to do when an answer is no index page.
const DOUBT: &str = "is the address that of an index (it often ends in /simple/)?";

/// An index root.
#[derive(Debug)]
pub(super) struct Index {
    label: String,
    root: Url,
    manner: Manner,
    network: Arc<Network>,
    /// The root as a page of links, if it is one; looked at when a project has no page.
    links: OnceLock<Option<Links>>,
}

/// The two forms of a page.
enum Format {
    Json,
    Html,
}

impl Index {
    pub(super) fn open(
        label: String,
        mut root: Url,
        manner: Manner,
        network: Arc<Network>,
    ) -> Self {
        if !root.path().ends_with('/') {
            root.set_path(&format!("{}/", root.path()));
        }
        Index {
            label,
            root,
            manner,
            network,
            links: OnceLock::new(),
        }
    }

    /// The root as a page of links, if it is one.
    fn links(&self) -> Result<Option<&Links>> {
        if let Some(known) = self.links.get() {
            return Ok(known.as_ref());
        }
        let what = format!("the root of {}", self.label);
        let key = self.root.as_str();
        let found = match self.network.catalogue().habit(key, LINKS) {
            Some(known) => known,
            None if self.network.is_offline() => false,
            None => self
                .network
                .habit(key, LINKS, || {
                    let client = self.network.client(&what)?;
                    let mut request = Request::new(&self.root, &what, u64::MAX);
                    request.accept = Some("text/html");
                    request.trust = self.manner.trust();
                    request.learning = Some(0);
                    let beginning = client.beginning(&request, A_LOOK)?;
                    Ok(holds_files(&beginning).then_some(()))
                })?
                .is_some(),
        };
        let open = || {
            Links::open(
                self.label.clone(),
                self.root.clone(),
                self.manner.clone(),
                Arc::clone(&self.network),
            )
        };
        let links = found.then(open);
        Ok(self.links.get_or_init(|| links).as_ref())
    }
}

fn format(answer: &Answer<'_>, what: &str) -> Result<Format> {
    let stated = answer
        .head
        .header(header::CONTENT_TYPE)
        .unwrap_or("")
        .to_ascii_lowercase();
    let kind = stated.split(';').next().unwrap_or("").trim();
    match kind {
        "application/vnd.pypi.simple.v1+json"
        | "application/vnd.pypi.simple.latest+json"
        | "application/json" => Ok(Format::Json),
        "application/vnd.pypi.simple.v1+html"
        | "application/vnd.pypi.simple.latest+html"
        | "text/html"
        | "application/xhtml+xml" => Ok(Format::Html),
        other => {
            let message = format!(
                "{what} came as `{}`, which is no form of an index page",
                eutaxis_core::fault::escaped(other)
            );
            Err(Error::contents(message).help(DOUBT))
        }
    }
}

impl Remote for Index {
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
        if self.network.catalogue().habit(self.root.as_str(), LINKS) == Some(true)
            && let Some(links) = self.links()?
        {
            return links.page(project);
        }
        let what = format!("the page of {project} from {}", self.label);
        let url = self
            .root
            .join(&format!("{project}/"))
            .map_err(|e| Error::request(format!("{}: {e}", self.label)))?;
        let form = Form {
            read: &|answer: &Answer<'_>| {
                // Where others were too many already, this one is not even taken apart.
                self.network.admit(0, &what)?;
                let mut page = match format(answer, &what)? {
                    Format::Json => parse_json(&answer.body, project),
                    Format::Html => parse_html(&answer.body, project),
                }
                .map_err(|f| {
                    Error::contents(format!("{what} cannot be read: {}", f.message())).help(DOUBT)
                })?;
                self.network
                    .admit(page.files.len() + page.skipped.len(), &what)?;
                remote::resolve(&mut page, &answer.head.url, &self.manner);
                Ok(page)
            },
            pack: &|page: &Page| page.to_compact(),
            // A page too many is asked for again, and refused then.
            unpack: &|bytes: &[u8]| {
                self.network.admit(0, &what).ok()?;
                let page = Page::from_compact(bytes, project)?;
                self.network
                    .admit(page.files.len() + page.skipped.len(), &what)
                    .ok()
                    .map(|()| page)
            },
            is_list: false,
        };
        if let Some(page) = self
            .network
            .document(&url, &what, ACCEPT, &self.manner, &form)?
        {
            return Ok(Some(page));
        }
        match self.links()? {
            Some(links) => links.page(project),
            None => Ok(None),
        }
    }

    fn index(&self) -> Option<String> {
        Some(self.root.to_string())
    }

    fn projects(&self) -> Vec<Name> {
        if let Ok(Some(links)) = self.links() {
            return links.projects();
        }
        let form = Form {
            read: &|answer: &Answer<'_>| {
                Ok(match format(answer, &self.label)? {
                    Format::Json => parse_json_list(&answer.body).unwrap_or_default(),
                    Format::Html => parse_html_list(&answer.body),
                })
            },
            pack: &|names: &Vec<Name>| {
                names
                    .iter()
                    .map(Name::as_str)
                    .collect::<Vec<_>>()
                    .join("\n")
                    .into_bytes()
            },
            unpack: &|bytes: &[u8]| {
                let text = std::str::from_utf8(bytes).ok()?;
                text.lines().map(|n| Name::parse(n).ok()).collect()
            },
            is_list: true,
        };
        // Only a help for people: without the list nothing is suggested.
        let what = format!("the list of projects from {}", self.label);
        self.network
            .document(&self.root, &what, ACCEPT, &self.manner, &form)
            .ok()
            .flatten()
            .unwrap_or_default()
    }
}
