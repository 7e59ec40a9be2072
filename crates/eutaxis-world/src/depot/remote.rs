//! Files on the network: their metadata without fetching them whole, if that can be.
//!
//! In this order: the catalogue, by the file's hash; the sidecar that the page announces; a sidecar that is not announced,
//! tried once per host; parts of the archive; the whole file.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{FileKind, Page, PageFile};
use eutaxis_core::solve::MetadataAnswer;
use url::Url;

use super::{Depot, Place, ensure_truthful, inside, sdist_metadata, wheel_metadata};
use crate::hash::sha256_hex;
use crate::network::{Network, Opened, Request, Wanted, open_parts};
use crate::{Error, ErrorKind, Result};

/// A depot whose files lie on the network: what is particular to its kind. The rest is the same for all.
pub(super) trait Remote: Send + Sync + std::fmt::Debug {
    fn network(&self) -> &Network;
    fn label(&self) -> &str;
    fn page(&self, project: &Name) -> Result<Option<Page>>;
    fn projects(&self) -> Vec<Name>;
    /// Base of the simple API, if it is one.
    fn index(&self) -> Option<String> {
        None
    }
    /// Whether its pages come over the network too.
    fn is_remote(&self) -> bool {
        true
    }
}

impl<R: Remote> Depot for R {
    fn label(&self) -> &str {
        Remote::label(self)
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        Remote::page(self, project)
    }

    fn metadata(&self, project: &Name, file: &PageFile) -> Result<MetadataAnswer> {
        metadata(self.network(), project, file)
    }

    fn place(&self, _: &Name, file: &PageFile) -> Result<Place> {
        place(file)
    }

    fn obtain(&self, _: &Name, file: &PageFile) -> Result<PathBuf> {
        obtain(self.network(), file)
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
}

/// Metadata of more bytes is refused.
const LARGEST: u64 = 16 << 20;
/// The first byte of a row of the catalogue that holds metadata, of one that says that only building would tell, and of one
/// that says why nobody can use it.
const KNOWN: u8 = b'k';
const UNKNOWN: u8 = b'u';
const UNUSABLE: u8 = b'x';

/// Makes the URLs of a page's files whole, beside the address that the page came from in the end. A page of the network
/// cannot name files of this disk.
pub(super) fn resolve(page: &mut Page, base: &Url) {
    let mut lost = Vec::new();
    let possible =
        |url: &Url| matches!(url.scheme(), "http" | "https") || (url.scheme() == "file" && base.scheme() == "file");
    page.files.retain_mut(|file| {
        let Some(mut url) = base.join(&file.url).ok().filter(possible) else {
            let reason = format!("its address `{}` leads nowhere", eutaxis_core::fault::escaped(&file.url));
            lost.push(eutaxis_core::index::Skipped { filename: file.filename.to_string(), reason });
            return false;
        };
        crate::network::strip(&mut url);
        url.set_fragment(None);
        Arc::make_mut(file).url = url.as_str().into();
        true
    });
    page.skipped.append(&mut lost);
}

/// Where a file of a page that was made whole is.
fn place(file: &PageFile) -> Result<Place> {
    match Url::parse(&file.url) {
        Ok(url) if url.scheme() == "file" => Ok(Place::Disk(PathBuf::from(
            percent_encoding::percent_decode_str(url.path()).decode_utf8_lossy().into_owned(),
        ))),
        Ok(url) if matches!(url.scheme(), "http" | "https") => Ok(Place::Url(url)),
        _ => Err(Error::contents(format!(
            "{} lies at `{}`, which is no address for files",
            file.filename,
            eutaxis_core::fault::escaped(&file.url)
        ))),
    }
}

fn wanted(file: &PageFile, url: &Url) -> Wanted {
    Wanted {
        url: url.clone(),
        filename: file.filename.to_string(),
        sha256: file.hashes.get("sha256").cloned(),
        size: file.size,
    }
}

/// The whole file, on this disk.
fn obtain(network: &Network, file: &PageFile) -> Result<PathBuf> {
    match place(file)? {
        Place::Disk(path) => Ok(path),
        Place::Url(url) => Ok(network.bring(&wanted(file, &url), &|_| {})?.0),
    }
}

/// The metadata of a file.
pub(super) fn metadata(network: &Network, project: &Name, file: &PageFile) -> Result<MetadataAnswer> {
    let url = match place(file)? {
        Place::Url(url) => url,
        Place::Disk(path) => return Ok(answer(super::folder::metadata_at(&path, &file.kind)?)),
    };
    let of_file = |m: &Metadata| m.name == *project && m.version == *file.kind.version();
    let look = || {
        let checked = find(network, project, file, &url).and_then(|found| {
            found.iter().try_for_each(|m| ensure_truthful(m, project, file, &url))?;
            Ok(found)
        });
        match checked {
            Ok(found) => Ok(answer(found)),
            Err(error) if error.kind == ErrorKind::Metadata => Ok(MetadataAnswer::Unusable(error.message)),
            Err(error) => Err(error),
        }
    };
    match file.hashes.get("sha256") {
        Some(sha256) => {
            let kept = network.catalogue().metadata(sha256);
            if let Some(known) = kept.as_deref().and_then(|bytes| recall(bytes, &of_file)) {
                return Ok(known);
            }
            let found = look()?;
            // A row of an older form, or of other bytes than the hash stands for, is written over.
            network.catalogue().keep_metadata(sha256, &kept_form(&found));
            Ok(found)
        }
        None => {
            let (key, what) = (format!("metadata {url}"), &*file.filename);
            let kept = network.unchanged(&key, &url, what)?;
            if let Some(known) = kept.as_deref().and_then(|bytes| recall(bytes, &of_file)) {
                return Ok(known);
            }
            let head = network.head_of(&url, what)?;
            let found = look()?;
            network.keep_of(&key, &head, kept_form(&found));
            Ok(found)
        }
    }
}

fn answer(found: Option<Metadata>) -> MetadataAnswer {
    found.map_or(MetadataAnswer::UnknownUntilBuilt, |m| MetadataAnswer::Known(Arc::new(m)))
}

/// The form in which an answer is kept.
fn kept_form(answer: &MetadataAnswer) -> Vec<u8> {
    let (mark, text) = match answer {
        MetadataAnswer::Known(metadata) => (KNOWN, metadata.to_text()),
        MetadataAnswer::UnknownUntilBuilt => (UNKNOWN, String::new()),
        MetadataAnswer::Unusable(why) => (UNUSABLE, why.clone()),
    };
    std::iter::once(mark).chain(text.into_bytes()).collect()
}

/// What was kept, if it can be read and is of this file.
fn recall(bytes: &[u8], of_file: &dyn Fn(&Metadata) -> bool) -> Option<MetadataAnswer> {
    match bytes.split_first()? {
        (&UNKNOWN, []) => Some(MetadataAnswer::UnknownUntilBuilt),
        (&UNUSABLE, why) => Some(MetadataAnswer::Unusable(String::from_utf8_lossy(why).into_owned())),
        (&KNOWN, text) => Metadata::parse(text).ok().filter(of_file).map(|m| MetadataAnswer::Known(Arc::new(m))),
        _ => None,
    }
}

fn find(network: &Network, project: &Name, file: &PageFile, url: &Url) -> Result<Option<Metadata>> {
    // A whole file that was fetched before is nearest of all.
    if let Some(path) = file.hashes.get("sha256").and_then(|h| network.kept_file(h, &file.filename)) {
        return within(&path, &file.kind);
    }
    let what = format!("the metadata of {}", file.filename);
    let host = url.origin().ascii_serialization();
    let stated = |metadata: &Metadata| metadata.name == *project && metadata.version == *file.kind.version();
    if let Some(hashes) = &file.metadata {
        if let Some(bytes) = sidecar(network, url, &what)? {
            ensure_hash(&bytes, hashes.get("sha256").map(String::as_str), &what)?;
            return inside::read_metadata(&bytes, url).map(Some);
        }
    } else {
        let tried = network.habit(&host, "sidecar", || {
            let bytes = sidecar(network, url, &what)?;
            Ok(bytes.and_then(|b| Metadata::parse(&b).ok()).filter(|m| stated(m)))
        })?;
        if tried.is_some() {
            return Ok(tried);
        }
    }
    if matches!(file.kind, FileKind::Wheel(_)) {
        let parts = network.habit(&host, "parts", || by_parts(network, url, &file.filename))?;
        if let Some(Some(metadata)) = parts {
            return Ok(Some(metadata));
        }
    }
    let (path, _) = network.bring(&wanted(file, url), &|_| {})?;
    within(&path, &file.kind)
}

/// The metadata within a file that came whole and with the right bytes: what is wrong with it is wrong for everybody.
fn within(path: &std::path::Path, kind: &FileKind) -> Result<Option<Metadata>> {
    let found = match kind {
        FileKind::Wheel(_) => wheel_metadata(path).map(Some),
        FileKind::Sdist(_) => sdist_metadata(path),
    };
    found.map_err(|error| match error.kind {
        ErrorKind::Contents => Error { kind: ErrorKind::Metadata, ..error },
        _ => error,
    })
}

/// The bytes of `FILE.metadata`, if the server has it.
fn sidecar(network: &Network, url: &Url, what: &str) -> Result<Option<Vec<u8>>> {
    let mut beside = url.clone();
    beside.set_path(&format!("{}.metadata", url.path()));
    let client = network.client(what)?;
    let mut request = Request::new(&beside, what, LARGEST);
    request.compressed = true;
    let answer = client.get(&request)?;
    match answer.head.status {
        200 => Ok(Some(answer.body)),
        // Some servers forbid what they do not have.
        403 | 404 | 410 => Ok(None),
        _ => Err(client.refusal(&answer.head, what)),
    }
}

fn ensure_hash(bytes: &[u8], wanted: Option<&str>, what: &str) -> Result<()> {
    let found = sha256_hex(bytes);
    match wanted {
        Some(wanted) if !wanted.eq_ignore_ascii_case(&found) => {
            let message = format!("{what} has the SHA-256 {found}; the page says {wanted}");
            Err(Error::contents(message).help("it was changed on the server or on the way (a proxy?): try again, and if it stays so, tell those who run the depot"))
        }
        _ => Ok(()),
    }
}

/// METADATA from parts of the archive. None: the server gives no parts. Some(None): parts do not do for this file.
fn by_parts(network: &Network, url: &Url, filename: &str) -> Result<Option<Option<Metadata>>> {
    let client = network.client(filename)?;
    match open_parts(client, url, filename)? {
        Opened::WholeOnly => Ok(None),
        Opened::Small => Ok(Some(None)),
        Opened::Absent(error) => Err(error),
        Opened::Parts(mut reader) => match inside::member_of_archive(&mut *reader) {
            Ok(bytes) => inside::read_metadata(&bytes, url).map(|m| Some(Some(m))),
            // The whole file tells what is wrong with it, if it still is.
            Err(_) if reader.failure.is_none() => Ok(Some(None)),
            Err(_) => match reader.failure.take() {
                Some(error) if error.kind == ErrorKind::Network => Err(error),
                _ => Ok(Some(None)),
            },
        },
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
            <a href='https://ann:pw@f.example/m-2-py3-none-any.whl?sig=x'></a><a href='http://[bad/m-3-py3-none-any.whl'></a>
            <a href='file:///etc/m-4-py3-none-any.whl'></a>";
        let mut page = parse_html(html, &name).unwrap();
        resolve(&mut page, &Url::parse("https://d.example/simple/m/").unwrap());
        let urls: Vec<&str> = page.files.iter().map(|f| &*f.url).collect();
        assert_eq!(urls, ["https://d.example/f/m-1-py3-none-any.whl", "https://f.example/m-2-py3-none-any.whl?sig=x"]);
        assert_eq!(page.skipped.len(), 2);
    }
}
