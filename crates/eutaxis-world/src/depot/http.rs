//! An index over HTTP (simple repository API; PEP 691, content negotiation): a page per project
//! under a root, in JSON if the server has it.
//!
//! An address that turns out to be a page of links, as web servers make of a folder, is served as
//! one.

use std::sync::{Arc, OnceLock};

use eutaxis_core::Name;
use eutaxis_core::index::{
    Page, holds_files, parse_html, parse_html_list, parse_json, parse_json_list,
    parse_json_list_start,
};
use reqwest::header;
use url::Url;

use super::abilities::{self, Abilities, Address, DepotKind, Watch};
use super::links::Links;
use super::remote::{self, Remote};
use crate::network::{Answer, Form, LARGEST_PAGE, Manner, Network};
use crate::{Error, Result};

/// What index pages are asked for as (PEP 691, content negotiation).
pub(super) const ACCEPT: &str = "application/vnd.pypi.simple.v1+json, \
    application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.01";

/// So much of the root tells a page of links from a list of projects.
const A_LOOK: usize = 256 << 10;

/// So many projects are tried for a page that shows what an index can do.
const A_FEW: u32 = 4;

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

    fn as_links(&self) -> Links {
        Links::open(
            self.label.clone(),
            self.root.clone(),
            self.manner.clone(),
            Arc::clone(&self.network),
        )
    }

    /// The address of the page of a project.
    fn url_of(&self, project: &Name) -> Result<Url> {
        self.root
            .join(&format!("{project}/"))
            .map_err(|e| Error::request(format!("{}: {e}", self.label)))
    }

    /// The names at the beginning of the list of projects; none where the root does not list them.
    /// `Err` within: the root is a page of links.
    fn first_names(&self, watch: &mut Watch) -> Result<std::result::Result<Vec<Name>, Links>> {
        let what = format!("the root of {}", self.label);
        let client = self.network.client(&what)?;
        let mut request = self.manner.learning(&self.root, &what, u64::MAX);
        request.accept = Some(ACCEPT);
        let (head, beginning) = client.beginning(&request, A_LOOK)?;
        watch.answered();
        if !matches!(head.status, 200 | 206) {
            // Many have no list, or keep it to themselves.
            return Ok(Ok(Vec::new()));
        }
        if holds_files(&beginning) {
            return Ok(Err(self.as_links()));
        }
        let stated = head.header(header::CONTENT_TYPE).unwrap_or("");
        Ok(Ok(match format_of(stated, &what)? {
            Format::Json => parse_json_list_start(&beginning),
            Format::Html => parse_html_list(&beginning),
        }))
    }

    /// The page of a project as the server gives it now, and its form.
    fn fresh(&self, project: &Name, watch: &mut Watch) -> Result<Option<(Format, Page)>> {
        let what = format!("the page of {project} from {}", self.label);
        let url = self.url_of(project)?;
        let client = self.network.client(&what)?;
        let mut request = self.manner.learning(&url, &what, LARGEST_PAGE);
        request.accept = Some(ACCEPT);
        request.compressed = true;
        let answer = client.get(&request)?;
        watch.answered();
        match answer.head.status {
            200 => self.read_page(&answer, project, &what).map(Some),
            404 | 410 => Ok(None),
            _ => Err(client.refusal(&answer.head, &what)),
        }
    }

    /// Takes a page apart.
    fn read_page(&self, answer: &Answer<'_>, project: &Name, what: &str) -> Result<(Format, Page)> {
        let form = format(answer, what)?;
        let read = match form {
            Format::Json => parse_json(&answer.body, project),
            Format::Html => parse_html(&answer.body, project),
        };
        let mut page = read.map_err(|f| {
            Error::contents(format!("{what} cannot be read: {}", f.message())).help(DOUBT)
        })?;
        remote::resolve(&mut page, &answer.head.url, &self.manner);
        Ok((form, page))
    }

    /// What this index can do: by the page of what is asked for, else of what it served before, else
    /// of the first that it lists.
    fn abilities(&self, asked: Option<&Name>, watch: &mut Watch) -> Result<Abilities> {
        let listed = match self.first_names(watch)? {
            Ok(listed) => listed,
            Err(links) => return links.abilities(asked, watch),
        };
        let served = self.network.catalogue().served(&self.manner.origin, A_FEW);
        let served = served.iter().filter_map(|n| Name::parse(n).ok());
        let some = listed.iter().take(A_FEW as usize).cloned();
        let mut empty = None;
        for project in asked.cloned().into_iter().chain(served).chain(some) {
            let Some((form, page)) = self.fresh(&project, watch)? else {
                continue;
            };
            let mut shown = Abilities::shown_by(DepotKind::Index, Some(&page));
            shown.json = Some(matches!(form, Format::Json));
            if page.files.is_empty() {
                empty.get_or_insert(shown);
                continue;
            }
            shown.ranges = abilities::gives_parts(&self.network, &self.manner, Some(&page))?;
            return Ok(shown);
        }
        match empty {
            Some(shown) => Ok(shown),
            None if !listed.is_empty() => Ok(Abilities::shown_by(DepotKind::Index, None)),
            None => {
                let page = asked.map(|n| format!(", and no page of {n}"));
                let message = format!(
                    "{} answers, and there is no list of projects{}",
                    self.label,
                    page.as_deref().unwrap_or_default()
                );
                let help = match asked {
                    Some(_) => DOUBT.to_owned(),
                    None => format!(
                        "{DOUBT} An index without a list shows what it can do with a \
                        project that it has:  eutaxis depots PROJECT"
                    ),
                };
                Err(Error::contents(message).help(help))
            }
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
                    let mut request = self.manner.learning(&self.root, &what, u64::MAX);
                    request.accept = Some("text/html");
                    let (_, beginning) = client.beginning(&request, A_LOOK)?;
                    Ok(holds_files(&beginning).then_some(()))
                })?
                .is_some(),
        };
        let links = found.then(|| self.as_links());
        Ok(self.links.get_or_init(|| links).as_ref())
    }
}

fn format(answer: &Answer<'_>, what: &str) -> Result<Format> {
    let stated = answer.head.header(header::CONTENT_TYPE);
    format_of(stated.unwrap_or(""), what)
}

/// The form that a content type states.
fn format_of(stated: &str, what: &str) -> Result<Format> {
    let stated = stated.to_ascii_lowercase();
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
        let url = self.url_of(project)?;
        let form = Form {
            read: &|answer: &Answer<'_>| {
                // Where others were too many already, this one is not even taken apart.
                self.network.admit(0, &what)?;
                let (_, page) = self.read_page(answer, project, &what)?;
                self.network
                    .admit(page.files.len() + page.skipped.len(), &what)?;
                Ok(page)
            },
            pack: &|page: &Page| page.to_compact(),
            // A page too many is asked for again, and refused then.
            unpack: &|bytes: &Arc<Vec<u8>>| {
                self.network.admit(0, &what).ok()?;
                let page = Page::from_compact(Arc::clone(bytes), project)?;
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

    fn look(&self, asked: Option<&Name>) -> Option<Address> {
        Some(abilities::on_network(&self.network, &self.root, |watch| {
            self.abilities(asked, watch)
        }))
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
            unpack: &|bytes: &Arc<Vec<u8>>| {
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
