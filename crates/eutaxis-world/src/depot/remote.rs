//! What all depots on the network have in common: where their files are, and how what those need is
//! learnt (`learn/`).

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use url::Url;

use super::abilities::Address;
use super::{Depot, Place, learn};
use crate::catalogue::ListedFile;
use crate::network::{Manner, Network, over_https};
use crate::wheel::Sources;
use crate::{Error, Result};

/// A depot whose files lie on the network: what is particular to its kind. The rest is the same for
/// all.
pub(super) trait Remote: Send + Sync + std::fmt::Debug {
    fn network(&self) -> &Network;
    /// How it may be reached.
    fn manner(&self) -> &Manner;
    fn label(&self) -> &str;
    fn page(&self, project: &Name) -> Result<Option<Page>>;
    fn projects(&self) -> Vec<Name>;
    /// Base of the simple API, if it is one.
    fn index(&self) -> Option<String> {
        None
    }
    /// Whether it answers, and what it can do.
    fn look(&self, _asked: Option<&Name>) -> Option<Address> {
        None
    }
    /// Whether its pages come over the network too.
    fn is_remote(&self) -> bool {
        true
    }
}

/// What is to be learnt of a file of a depot.
fn question<'a, R: Remote>(
    depot: &'a R,
    project: &'a Name,
    file: &'a PageFile,
    url: &'a Url,
) -> learn::Question<'a> {
    learn::Question {
        network: depot.network(),
        manner: depot.manner(),
        project,
        file,
        url,
    }
}

impl<R: Remote> Depot for R {
    fn label(&self) -> &str {
        Remote::label(self)
    }

    fn origin(&self) -> String {
        self.manner().origin.clone()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        self.network()
            .catalogue()
            .has_served(&self.manner().origin, project.as_str())
            .then_some(true)
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        let page = Remote::page(self, project)?;
        page.iter().for_each(|page| tell(page, self.network()));
        Ok(page)
    }

    fn metadata(&self, project: &Name, file: &PageFile, effort: Effort) -> Result<MetadataAnswer> {
        metadata(self.network(), self.manner(), project, file, effort)
    }

    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        let url = match place(file).ok()? {
            Place::Url(url) => url,
            Place::Disk(path) => return super::listed_on_disk(&path),
        };
        learn::listed(&question(self, project, file, &url))
    }

    fn list(&self, project: &Name, file: &PageFile) -> Result<Option<Vec<ListedFile>>> {
        let known = self.listed(project, file);
        let url = match place(file)? {
            Place::Url(url) if known.is_none() => url,
            Place::Url(_) | Place::Disk(_) => return Ok(known),
        };
        learn::list(&question(self, project, file, &url))
    }

    fn sources(
        &self,
        project: &Name,
        file: &PageFile,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<Sources> {
        let url = match place(file)? {
            Place::Url(url) => url,
            Place::Disk(path) => return super::sources_on_disk(&path, wanted),
        };
        let question = question(self, project, file, &url);
        match learn::sources(&question, wanted)? {
            Some(sources) => Ok(sources),
            None => super::sources_on_disk(&self.obtain(project, file)?, wanted),
        }
    }

    fn place(&self, _: &Name, file: &PageFile) -> Result<Place> {
        let place = place(file)?;
        if let Place::Url(url) = &place
            && learn::is_in_the_open(url, self.manner())
        {
            self.network().caution(format!(
                "{} lies at http://{}: its hash was stated over https://, so that a changed one is \
                    noticed.",
                file.filename,
                url.host_str().unwrap_or("?")
            ));
        }
        Ok(place)
    }

    fn obtain(&self, _: &Name, file: &PageFile) -> Result<PathBuf> {
        obtain(self.network(), self.manner(), file)
    }

    fn index(&self) -> Option<String> {
        Remote::index(self)
    }

    fn is_remote(&self) -> bool {
        Remote::is_remote(self)
    }

    fn projects(&self) -> Vec<Name> {
        Remote::projects(self)
    }

    fn look(&self, asked: Option<&Name>) -> Vec<Address> {
        Remote::look(self, asked).into_iter().collect()
    }
}

/// The end of a remark on a host that names its files over http:// on pages over https://.
const INSTEAD: &str = " names files of its own over http:// on pages that came over https://; they \
    are asked for over https:// instead";

/// Tells remarks that concern everybody who uses the depot.
pub(super) fn tell(page: &Page, network: &Network) {
    page.remarks
        .iter()
        .filter(|r| r.ends_with(INSTEAD))
        .for_each(|r| network.caution(format!("{r}.")));
}

/// Makes the URLs of a page's files whole, beside the address that the page came from in the end. A
/// page of the network cannot name files of this disk. A page that came over https:// and names
/// files of its own host over http://, as those behind a proxy do, means https://.
pub(super) fn resolve(page: &mut Page, base: &Url, manner: &Manner) {
    let mut lost = Vec::new();
    let mut instead = false;
    let possible = |url: &Url| {
        matches!(url.scheme(), "http" | "https")
            || (url.scheme() == "file" && base.scheme() == "file")
    };
    let mut whole = |file: &mut Arc<PageFile>| {
        let Some(mut url) = base.join(&file.url).ok().filter(possible) else {
            let reason = format!(
                "its address `{}` leads nowhere",
                eutaxis_core::fault::escaped(&file.url)
            );
            lost.push(eutaxis_core::index::Skipped {
                filename: file.filename.to_string(),
                reason,
            });
            return false;
        };
        if base.scheme() == "https" && url.scheme() == "http" && !manner.insecure {
            match over_https(&url, base) {
                Some(same) => {
                    instead = true;
                    url = same;
                }
                // Its hash is stated over https: a changed one would be noticed. Else nobody could
                // tell.
                None if file.hashes.has_strong() => {}
                None => {
                    let reason = format!(
                        "it lies at http://{}, where it could be changed on the way, and no hash \
                            is stated for it (`insecure = true` takes it all the same)",
                        url.host_str().unwrap_or("?")
                    );
                    lost.push(eutaxis_core::index::Skipped {
                        filename: file.filename.to_string(),
                        reason,
                    });
                    return false;
                }
            }
        }
        crate::network::strip(&mut url);
        url.set_fragment(None);
        Arc::make_mut(file).url = url.as_str().into();
        true
    };
    page.files.change(&mut whole);
    page.variants
        .retain_mut(|described| whole(&mut described.file));
    page.skipped.append(&mut lost);
    if instead {
        let host = base.host_str().unwrap_or("?");
        page.remarks.push(format!("{host}{INSTEAD}"));
    }
}

/// Where a file of a page that was made whole is.
fn place(file: &PageFile) -> Result<Place> {
    match Url::parse(&file.url) {
        Ok(url) if url.scheme() == "file" => Ok(Place::Disk(PathBuf::from(
            percent_encoding::percent_decode_str(url.path())
                .decode_utf8_lossy()
                .into_owned(),
        ))),
        Ok(url) if matches!(url.scheme(), "http" | "https") => Ok(Place::Url(url)),
        _ => Err(Error::contents(format!(
            "{} lies at `{}`, which is no address for files",
            file.filename,
            eutaxis_core::fault::escaped(&file.url)
        ))),
    }
}

/// The whole file, on this disk.
fn obtain(network: &Network, manner: &Manner, file: &PageFile) -> Result<PathBuf> {
    match place(file)? {
        Place::Disk(path) => Ok(path),
        Place::Url(url) => Ok(network
            .bring(&learn::wanted(file, &url, manner), &|_| {})?
            .0),
    }
}

/// The metadata of a file.
pub(super) fn metadata(
    network: &Network,
    manner: &Manner,
    project: &Name,
    file: &PageFile,
    effort: Effort,
) -> Result<MetadataAnswer> {
    match place(file)? {
        Place::Disk(path) => super::folder::metadata_at(&path, project, file),
        Place::Url(url) => learn::metadata(
            &learn::Question {
                network,
                manner,
                project,
                file,
                url: &url,
            },
            effort,
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::index::parse_html;

    #[test]
    fn addresses_are_made_whole_and_lose_what_is_secret() {
        let name = Name::parse("m").unwrap();
        let html = b"<a href='../../f/m-1-py3-none-any.whl#sha256=ab'>m-1-py3-none-any.whl</a>
            <a href='https://ann:pw@f.example/m-2-py3-none-any.whl?sig=x'></a><a \
            href='http://[bad/m-3-py3-none-any.whl'></a>
            <a href='file:///etc/m-4-py3-none-any.whl'></a>";
        let mut page = parse_html(html, &name).unwrap();
        resolve(
            &mut page,
            &Url::parse("https://d.example/simple/m/").unwrap(),
            &Manner::default(),
        );
        let urls: Vec<&str> = page.files.iter().map(|f| &*f.url).collect();
        assert_eq!(
            urls,
            [
                "https://d.example/f/m-1-py3-none-any.whl",
                "https://f.example/m-2-py3-none-any.whl?sig=x"
            ]
        );
        assert_eq!(page.skipped.len(), 2);
    }

    #[test]
    fn no_step_leads_from_https_to_http_without_a_hash() {
        let name = Name::parse("m").unwrap();
        let hash = "sha256=2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824";
        let html = format!(
            "<a href='http://d.example/f/m-1-py3-none-any.whl'></a><a \
                href='http://f.example/m-2-py3-none-any.whl'></a>
             <a href='http://f.example/m-3-py3-none-any.whl#{hash}'></a>"
        );
        let urls = |base: &str, insecure: bool| {
            let mut page = parse_html(html.as_bytes(), &name).unwrap();
            resolve(
                &mut page,
                &Url::parse(base).unwrap(),
                &Manner {
                    insecure,
                    ..Manner::default()
                },
            );
            (
                page.files
                    .iter()
                    .map(|f| f.url.to_string())
                    .collect::<Vec<_>>(),
                page.skipped.len(),
                page.remarks.len(),
            )
        };
        let (same, other, hashed) = (
            "d.example/f/m-1-py3-none-any.whl",
            "http://f.example/m-2-py3-none-any.whl",
            "http://f.example/m-3-py3-none-any.whl",
        );
        assert_eq!(
            urls("https://d.example/simple/m/", false),
            (vec![format!("https://{same}"), hashed.to_owned()], 1, 1)
        );
        let all = vec![
            format!("http://{same}"),
            other.to_owned(),
            hashed.to_owned(),
        ];
        assert_eq!(
            urls("https://d.example/simple/m/", true),
            (all.clone(), 0, 0)
        );
        assert_eq!(urls("http://d.example/simple/m/", false), (all, 0, 0));
    }
}
