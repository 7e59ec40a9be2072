//! The network: what all depots on it share. One client, the catalogue of what was fetched before,
//! and a folder of files that had to be fetched whole.
//!
//! Client and catalogue are only opened when something needs them.

mod allowance;
mod back_off;
mod checks;
mod client;
mod download;
mod memory;
mod netrc;
mod secrets;
mod settings;
mod words;
mod zip_parts;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::Duration;

use reqwest::header;
use url::Url;

use allowance::Allowance;
pub use allowance::FetchLimits;
pub use checks::as_stated;
pub(crate) use checks::{Checks, differs};
pub use client::Traffic;
pub(crate) use client::{Answer, Client, Head, Request, Sink, Trust, over_https};
pub use download::{Bytes, Came, Wanted};
pub(crate) use download::{check_file, copy, wrong};
use memory::Memory;
use secrets::Secrets;
pub use secrets::{strip, variable as secret_variable, without_secret};
pub use settings::NetworkSettings;
pub use words::without_versions;
pub(crate) use zip_parts::{Entry, Parted, Source as ZipSource, read as read_parts};

use crate::catalogue::{Catalogue, KeptPage, Validators};
use crate::error::Doing;
use crate::files::{lock, lock_path, sha256_of};
use crate::hash::{is_sha256, sha256_hex};
use crate::{Error, Result};

/// A page is asked after once its own word of its life is over, and after a day at the latest.
const LONGEST_LIFE: i64 = 24 * 3600;
/// A page that says nothing of its life, and gives nothing to ask after it by, would have to come
/// whole every time: so long it is good, in seconds.
const UNSAID_LIFE: i64 = 600;
/// No page is larger, unpacked.
pub(crate) const LARGEST_PAGE: u64 = 64 << 20;
/// No list of projects is larger, unpacked.
const LARGEST_LIST: u64 = 128 << 20;

/// How long it is remembered what a host can do, and what it cannot.
const HABITS_LAST: Duration = Duration::from_secs(7 * 24 * 3600);

/// Folder of whole files in the cache.
pub(crate) const FILES: &str = "files-1";

/// What a host may have or do, and what is tried until it is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Try {
    /// Metadata that is not announced lies beside its files.
    Sidecar,
    /// It gives files in parts.
    Parts,
}

impl Try {
    /// The name under which it is remembered.
    fn as_str(self) -> &'static str {
        match self {
            Try::Sidecar => "sidecar",
            Try::Parts => "parts",
        }
    }

    /// After so many files of a host for which it failed, and none for which it did not, it is not
    /// tried any more.
    fn enough(self) -> u32 {
        match self {
            Try::Sidecar => 8,
            Try::Parts => 3,
        }
    }
}

/// How a document is read, kept and read again.
pub(crate) struct Form<'a, T> {
    /// From an answer of the server.
    pub(crate) read: &'a dyn Fn(&Answer<'_>) -> Result<T>,
    /// To bytes for the catalogue.
    pub(crate) pack: &'a dyn Fn(&T) -> Vec<u8>,
    /// From those bytes, of which it may take hold; none when they are not whole.
    pub(crate) unpack: &'a dyn Fn(&Arc<Vec<u8>>) -> Option<T>,
    /// It is the list of all projects, which may be longer than a page.
    pub(crate) is_list: bool,
}

/// What all depots on the network share.
#[derive(Debug)]
pub struct Network {
    cache: PathBuf,
    offline: bool,
    /// Ask the servers again, however fresh the pages are.
    renew: bool,
    settings: NetworkSettings,
    secrets: Mutex<Option<Secrets>>,
    client: OnceLock<std::result::Result<Client, Error>>,
    catalogue: OnceLock<(Catalogue, Option<String>)>,
    allowance: Arc<Allowance>,
    memory: Arc<Memory>,
    /// One at a time learns what a host can do.
    learning: Mutex<BTreeMap<String, Arc<Mutex<()>>>>,
    /// By host, how often it did what was tried, and how often not.
    tries: Mutex<BTreeMap<(String, Try), (u32, u32)>>,
    /// What was learnt in this run, by its key: with `renew` the rest is asked anew.
    learnt: Mutex<BTreeSet<String>>,
    /// What should be known of pages, in words, once each; and what of it was given out.
    told: Mutex<BTreeSet<String>>,
    given: Mutex<BTreeSet<String>>,
}

/// A document that was kept.
struct Kept<T> {
    page: KeptPage,
    /// What it says; none when it is kept that the server does not have it.
    read: Option<T>,
}

/// How a depot may be reached, and under which name what it says is kept.
#[derive(Debug, Clone, Default)]
pub(crate) struct Manner {
    /// The depot's own address: what it says is believed for it alone.
    pub(crate) origin: String,
    /// The user insists on it whatever the way.
    pub(crate) insecure: bool,
}

impl Manner {
    /// A request of a depot that is reached so, for at most `most` bytes, by which something is
    /// learnt.
    pub(crate) fn learning<'a>(&self, url: &'a Url, what: &'a str, most: u64) -> Request<'a> {
        Request {
            trust: self.trust(),
            learning: Some(0),
            ..Request::new(url, what, most)
        }
    }

    /// What may be done on the way to what no hash is known of.
    pub(crate) fn trust(&self) -> Trust {
        if self.insecure {
            Trust::Insists
        } else {
            Trust::Guarded
        }
    }
}

impl Network {
    /// The network with a cache folder.
    pub fn new(cache: &Path, offline: bool, renew: bool, settings: NetworkSettings) -> Self {
        Network {
            cache: cache.to_owned(),
            offline,
            renew,
            settings,
            secrets: Mutex::new(Some(Secrets::default())),
            client: OnceLock::new(),
            catalogue: OnceLock::new(),
            allowance: Arc::new(Allowance::new(settings.limits)),
            memory: Arc::default(),
            learning: Mutex::default(),
            tries: Mutex::default(),
            learnt: Mutex::default(),
            told: Mutex::default(),
            given: Mutex::default(),
        }
    }

    /// What may be fetched to learn something.
    pub fn limits(&self) -> FetchLimits {
        self.allowance.limits()
    }

    /// Bytes that were fetched to learn something so far.
    pub fn learnt(&self) -> u64 {
        self.allowance.spent()
    }

    /// Who is told once much was fetched to learn something.
    pub fn tell_much(&self, voice: impl Fn(&str) + Send + Sync + 'static) {
        self.allowance.set_voice(Box::new(voice));
    }

    /// Takes in a page that lists so many files.
    ///
    /// # Errors
    /// When all pages of the run together list more than a question can mean, so that they would
    /// fill the memory.
    pub(crate) fn admit(&self, files: usize, what: &str) -> Result<()> {
        self.memory.admit(files, what)
    }

    /// Whether the servers are asked again, however fresh what they said is.
    pub(crate) fn renews(&self) -> bool {
        self.renew
    }

    /// Whether something was learnt in this run.
    pub(crate) fn was_learnt(&self, key: &str) -> bool {
        self.learnt
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .contains(key)
    }

    /// Remembers for this run that something was learnt.
    pub(crate) fn note_learnt(&self, key: &str) {
        self.learnt
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .insert(key.to_owned());
    }

    /// Notes what should be known of the run, once.
    pub(crate) fn caution(&self, text: String) {
        self.told
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .insert(text);
    }

    /// What should be known of the way that things came, and of what was read, each once: what was
    /// given out is not given out again.
    pub fn cautions(&self) -> Vec<String> {
        let mut all: Vec<String> = self
            .told
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .iter()
            .cloned()
            .collect();
        if let Some(Ok(client)) = self.client.get() {
            all.extend(client.cautions());
        }
        let mut given = self.given.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|text| given.insert(text.clone()));
        all
    }

    /// Names a depot: its address, to which secrets may go, and the further origins of its files.
    pub fn name_place(&self, url: &Url, files: &[Url]) {
        if let Some(secrets) = &mut *self.secrets.lock().unwrap_or_else(PoisonError::into_inner) {
            secrets.name(url, files);
        }
    }

    /// Whether nothing may be fetched.
    pub fn is_offline(&self) -> bool {
        self.offline
    }

    /// Takes name and password out of a URL, to be sent to its origin only. This is done before
    /// anything is fetched: later they are taken out and not kept.
    pub fn keep_secret(&self, url: &mut Url, name: Option<&str>) {
        match &mut *self.secrets.lock().unwrap_or_else(PoisonError::into_inner) {
            Some(secrets) => secrets.add(url, name),
            None => strip(url),
        }
    }

    /// Where the name and password that go to a URL are from; none where none do, or nothing was
    /// asked of any server.
    pub(crate) fn login_for(&self, url: &Url) -> Option<String> {
        let client = self.client.get()?.as_ref().ok()?;
        client.login_for(url)
    }

    /// How much went over the network so far.
    pub fn traffic(&self) -> Traffic {
        self.client
            .get()
            .and_then(|c| c.as_ref().ok())
            .map(Client::traffic)
            .unwrap_or_default()
    }

    /// Whether anything was asked of a server so far.
    pub(crate) fn is_in_use(&self) -> bool {
        self.client.get().is_some()
    }

    /// Bytes that came over the network so far.
    pub fn fetched(&self) -> u64 {
        self.client
            .get()
            .and_then(|c| c.as_ref().ok())
            .map_or(0, Client::fetched)
    }

    /// Why the catalogue cannot be used, if it was needed and cannot.
    pub fn trouble(&self) -> Option<&str> {
        self.catalogue
            .get()
            .and_then(|(_, trouble)| trouble.as_deref())
    }

    /// The catalogue.
    pub fn catalogue(&self) -> &Catalogue {
        &self
            .catalogue
            .get_or_init(|| Catalogue::open(&self.cache))
            .0
    }

    pub(crate) fn client(&self, what: &str) -> Result<&Client> {
        if self.offline {
            return Err(words::offline(what));
        }
        let made = self.client.get_or_init(|| {
            let secrets = self
                .secrets
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .take()
                .unwrap_or_default();
            Client::new(
                secrets,
                self.settings,
                Arc::clone(&self.allowance),
                Arc::clone(&self.memory),
            )
        });
        made.as_ref().map_err(Clone::clone)
    }

    /// A kept document, read again: none within when it is kept that the server does not have it,
    /// none at all when it cannot be read any more. Large ones come into memory one at a time, and
    /// none once pages were too many.
    fn read_again<T>(
        &self,
        key: &str,
        size: usize,
        what: &str,
        form: &Form<'_, T>,
    ) -> Result<Option<Kept<T>>> {
        self.admit(0, what)?;
        let _alone = self.memory.turn(Some(size), what)?;
        let Some(page) = self.catalogue().page(key) else {
            return Ok(None);
        };
        let read = match &page.body {
            None => None,
            Some(body) => match (form.unpack)(body) {
                None => return Ok(None),
                read => read,
            },
        };
        Ok(Some(Kept { page, read }))
    }

    /// A document: from the catalogue while it is fresh, else from the server, which is asked
    /// whether it changed. None when the server does not have it.
    pub(crate) fn document<T>(
        &self,
        url: &Url,
        what: &str,
        accept: &'static str,
        manner: &Manner,
        form: &Form<'_, T>,
    ) -> Result<Option<T>> {
        let key = url.as_str();
        let now = self.catalogue().now();
        let mut kept = None;
        if let Some(head) = self.catalogue().page_head(key) {
            if self.offline || (head.fresh_until > now && !self.renew) {
                // What cannot be read any more counts as absent.
                if let Some(kept) = self.read_again(key, head.size, what, form)? {
                    return Ok(kept.read);
                }
            } else {
                // It is taken apart when the server said that it still holds: until then it would
                // only fill the memory.
                kept = Some(head);
            }
        }
        // Where pages were too many already, no further one is asked for.
        self.admit(0, what)?;
        let client = self.client(what)?;
        let mut request = manner.learning(
            url,
            what,
            if form.is_list {
                LARGEST_LIST
            } else {
                LARGEST_PAGE
            },
        );
        request.accept = Some(accept);
        request.compressed = true;
        request.validators = kept
            .as_ref()
            .map(|head| head.validators.clone())
            .unwrap_or_default();
        let mut answer = client.get(&request)?;
        if let Some(head) = kept.filter(|_| answer.head.status == 304) {
            let (fresh_until, _) = life(&answer.head, now);
            drop(answer);
            if let Some(Kept { page, read }) = self.read_again(key, head.size, what, form)? {
                self.catalogue().keep_page(
                    key,
                    &KeptPage {
                        fresh_until,
                        ..page
                    },
                );
                return Ok(read);
            }
            request.validators = Validators::default();
            answer = client.get(&request)?;
        }
        let (fresh_until, keep) = life(&answer.head, now);
        match answer.head.status {
            200 => {
                let read = (form.read)(&answer)?;
                if keep {
                    let validators = answer.head.validators();
                    self.catalogue().keep_page(
                        key,
                        &KeptPage {
                            body: Some(Arc::new((form.pack)(&read))),
                            validators,
                            fresh_until,
                        },
                    );
                }
                Ok(Some(read))
            }
            404 | 410 => {
                if keep && !client.knows_secret(url) {
                    self.catalogue().keep_page(
                        key,
                        &KeptPage {
                            body: None,
                            validators: answer.head.validators(),
                            fresh_until,
                        },
                    );
                }
                Ok(None)
            }
            _ => Err(client.refusal(&answer.head, what)),
        }
    }

    /// A plain text, a list for instance, as it stands at an address now; none when the server does
    /// not have it. Without the network what was fetched last.
    ///
    /// # Errors
    /// When the network fails, or it is longer than any page.
    pub fn text(&self, url: &Url) -> Result<Option<Vec<u8>>> {
        let form = Form {
            read: &|answer: &Answer<'_>| Ok(answer.body.to_vec()),
            pack: &Clone::clone,
            unpack: &|bytes| Some(bytes.as_ref().clone()),
            is_list: false,
        };
        let manner = Manner {
            origin: url.to_string(),
            insecure: false,
        };
        self.document(url, url.as_str(), "text/plain, */*;q=0.5", &manner, &form)
    }

    /// What was learned about a host; when nothing was, `learn` finds out, for one caller at a
    /// time.
    pub(crate) fn habit<T>(
        &self,
        host: &str,
        what: &str,
        learn: impl FnOnce() -> Result<Option<T>>,
    ) -> Result<Option<T>> {
        let known = self.catalogue().habit(host, what);
        let turn = match known {
            Some(false) => return Ok(None),
            Some(true) => return learn(),
            None => {
                let mut turns = self.learning.lock().unwrap_or_else(PoisonError::into_inner);
                Arc::clone(turns.entry(format!("{host} {what}")).or_default())
            }
        };
        let turn = turn.lock().unwrap_or_else(PoisonError::into_inner);
        match self.catalogue().habit(host, what) {
            Some(false) => return Ok(None),
            // Learned while this one waited: the others need not wait for each other.
            Some(true) => {
                drop(turn);
                return learn();
            }
            None => {}
        }
        let found = learn()?;
        self.catalogue()
            .keep_habit(host, what, found.is_some(), HABITS_LAST);
        Ok(found)
    }

    /// Whether something that a host may have for some files, or do for some, is to be tried for a
    /// file of it. One file for which it does not says nothing of the others.
    pub(crate) fn may_try(&self, host: &str, what: Try) -> bool {
        if let Some(known) = self.catalogue().habit(host, what.as_str()) {
            return known;
        }
        let tries = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        tries
            .get(&(host.to_owned(), what))
            .is_none_or(|(hits, misses)| *hits > 0 || *misses < what.enough())
    }

    /// Remembers whether it did.
    pub(crate) fn tried(&self, host: &str, what: Try, hit: bool) {
        let mut tries = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        let (hits, misses) = tries.entry((host.to_owned(), what)).or_default();
        let count = if hit { &mut *hits } else { &mut *misses };
        *count = count.saturating_add(1);
        let learnt = match (*hits, *misses) {
            (1, _) if hit => Some(true),
            (0, misses) if misses == what.enough() => Some(false),
            _ => None,
        };
        drop(tries);
        if let Some(holds) = learnt {
            self.catalogue()
                .keep_habit(host, what.as_str(), holds, HABITS_LAST);
        }
    }

    fn file(&self, sha256: &str, filename: &str) -> PathBuf {
        let folder = self
            .cache
            .join(FILES)
            .join(sha256.get(..2).unwrap_or("00"))
            .join(sha256);
        folder.join(
            Path::new(filename)
                .file_name()
                .unwrap_or_else(|| "file".as_ref()),
        )
    }

    /// The cache folder.
    pub(crate) fn cache(&self) -> &Path {
        &self.cache
    }

    /// A whole file that was fetched before, if its bytes are still right.
    pub fn kept_file(&self, sha256: &str, filename: &str) -> Option<PathBuf> {
        let path = self.file(sha256, filename);
        if !is_sha256(sha256) || !path.is_file() {
            return None;
        }
        if sha256_of(&path).is_ok_and(|(found, _)| found.eq_ignore_ascii_case(sha256)) {
            return Some(path);
        }
        let _ = std::fs::remove_file(&path);
        None
    }

    /// Forgets a whole file that is of no more use: what it held is in the store.
    pub fn forget_file(&self, sha256: &str) {
        if let Some(folder) = self
            .file(sha256, "x")
            .parent()
            .filter(|_| is_sha256(sha256))
        {
            crate::files::remove_tree(folder);
        }
    }

    /// Says at once all that is missing without the network.
    ///
    /// # Errors
    /// When nothing may be fetched and one of these files (its hash, its name) was not fetched
    /// before.
    pub(crate) fn ensure_within_reach<'a>(
        &self,
        files: impl Iterator<Item = (&'a str, &'a str)>,
    ) -> Result<()> {
        if !self.offline {
            return Ok(());
        }
        let missing: Vec<&str> = files
            .filter(|(sha256, name)| self.kept_file(sha256, name).is_none())
            .map(|(_, name)| name)
            .collect();
        if missing.is_empty() {
            Ok(())
        } else {
            Err(words::offline(&missing.join(", ")))
        }
    }

    /// A whole file, from those that were fetched before or fetched now.
    ///
    /// # Errors
    /// When the network or the disk fails, or the bytes are not those of the hash.
    pub fn bring(&self, wanted: &Wanted, bytes: Bytes<'_>) -> Result<(PathBuf, Came)> {
        match wanted.hashes.sha256() {
            Some(sha256) if !is_sha256(sha256) => Err(Error::contents(format!(
                "`{}` is not a SHA-256 hash, by which {} would be known",
                eutaxis_core::fault::escaped(sha256),
                wanted.filename
            ))
            .help(
                "the page or the pins are not in order: settle again, or tell those who run the \
                    depot",
            )),
            Some(sha256) => {
                let sha256 = sha256.to_ascii_lowercase();
                let path = self.bring_known(wanted, &sha256, bytes)?;
                let size = std::fs::metadata(&path).doing("cannot read", &path)?.len();
                Ok((path, Came { sha256, size }))
            }
            None => self.bring_unknown(wanted, bytes),
        }
    }

    fn bring_known(&self, wanted: &Wanted, sha256: &str, bytes: Bytes<'_>) -> Result<PathBuf> {
        let there = |path: PathBuf| {
            bytes(std::fs::metadata(&path).map_or(0, |m| i64::try_from(m.len()).unwrap_or(0)));
            path
        };
        if let Some(path) = self.kept_file(sha256, &wanted.filename) {
            return Ok(there(path));
        }
        let client = self.client(&wanted.filename)?;
        let _lock = self.file_lock(sha256)?;
        if let Some(path) = self.kept_file(sha256, &wanted.filename) {
            return Ok(there(path));
        }
        let path = self.file(sha256, &wanted.filename);
        let part = path.with_file_name("part");
        download::download(client, wanted, &part, bytes)?;
        crate::halt::at("file-came");
        std::fs::rename(&part, &path).doing("cannot write", &path)?;
        Ok(path)
    }

    /// A file without a known hash: the catalogue remembers which bytes the address gave, and the
    /// server is asked whether it still gives them.
    fn bring_unknown(&self, wanted: &Wanted, bytes: Bytes<'_>) -> Result<(PathBuf, Came)> {
        let key = format!("file {}", wanted.url);
        if let Some(body) = self.unchanged(&key, &wanted.url, &wanted.filename, wanted.trust())?
            && let Ok(sha256) = String::from_utf8(body)
            && let Some(path) = self.kept_file(&sha256, &wanted.filename)
        {
            let size = std::fs::metadata(&path).doing("cannot read", &path)?.len();
            return Ok((path, Came { sha256, size }));
        }
        let client = self.client(&wanted.filename)?;
        let name = sha256_hex(wanted.url.as_str().as_bytes());
        let _lock = self.file_lock(&name)?;
        let part = self.cache.join(FILES).join("parts").join(&name);
        // What an earlier run left may be of other bytes, and nothing would show it.
        let _ = std::fs::remove_file(&part);
        // First what it is asked after by: a change between that and the file is seen at the next
        // run.
        let head = self.head_of(&wanted.url, &wanted.filename, wanted.trust())?;
        let came = download::download(client, wanted, &part, bytes)?;
        let path = self.file(&came.sha256, &wanted.filename);
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
        }
        crate::halt::at("file-came");
        std::fs::rename(&part, &path).doing("cannot write", &path)?;
        self.keep_of(&key, &head, came.sha256.clone().into_bytes());
        Ok((path, came))
    }

    /// What was kept of a file whose bytes no hash names, if the server still has the same one.
    pub(crate) fn unchanged(
        &self,
        key: &str,
        url: &Url,
        what: &str,
        trust: Trust,
    ) -> Result<Option<Vec<u8>>> {
        let Some(page) = self.catalogue().page(key) else {
            return Ok(None);
        };
        if self.offline || (page.fresh_until > self.catalogue().now() && !self.renew) {
            return Ok(page.body.map(Arc::unwrap_or_clone));
        }
        if page.validators.is_empty() {
            return Ok(None);
        }
        let mut request = one_byte(url, what, trust);
        request.validators = page.validators;
        let (head, _) = self.client(what)?.part(&request)?;
        Ok(page
            .body
            .filter(|_| head.status == 304)
            .map(Arc::unwrap_or_clone))
    }

    /// The head of the answer to a request for the first byte of a file.
    pub(crate) fn head_of(&self, url: &Url, what: &str, trust: Trust) -> Result<Head> {
        Ok(self.client(what)?.part(&one_byte(url, what, trust))?.0)
    }

    /// Keeps something of a file whose bytes no hash names, for [`Network::unchanged`].
    pub(crate) fn keep_of(&self, key: &str, head: &Head, body: Vec<u8>) {
        let (fresh_until, keep) = life(head, self.catalogue().now());
        if keep {
            self.catalogue().keep_page(
                key,
                &KeptPage {
                    body: Some(Arc::new(body)),
                    validators: head.validators(),
                    fresh_until,
                },
            );
        }
    }

    fn file_lock(&self, name: &str) -> Result<crate::files::Lock> {
        lock(&lock_path(&self.cache, "file-", name), &|| {})
    }

    /// Fetches a file to a part file, for a caller that has a place of its own for it.
    pub(crate) fn download(&self, wanted: &Wanted, part: &Path, bytes: Bytes<'_>) -> Result<Came> {
        download::download(self.client(&wanted.filename)?, wanted, part, bytes)
    }
}

fn one_byte<'a>(url: &'a Url, what: &'a str, trust: Trust) -> Request<'a> {
    let mut request = Request::new(url, what, 1);
    request.trust = trust;
    request.range = Some("bytes=0-0".to_owned());
    request
}

/// Until when an answer may be used without asking (`Cache-Control`, `Age`), and whether it may be
/// kept at all.
fn life(head: &client::Head, now: i64) -> (i64, bool) {
    let control = head
        .header(header::CACHE_CONTROL)
        .unwrap_or("")
        .to_ascii_lowercase();
    let mut age = None;
    for part in control.split(',').map(str::trim) {
        match part.split_once('=') {
            None if part == "no-store" => return (0, false),
            None if part == "no-cache" => return (0, true),
            Some(("max-age", seconds)) => age = seconds.trim_matches('"').parse::<i64>().ok(),
            _ => {}
        }
    }
    let old = head
        .header(header::AGE)
        .and_then(|a| a.parse::<i64>().ok())
        .unwrap_or(0)
        .max(0);
    let unsaid = if control.is_empty() && head.validators().is_empty() {
        UNSAID_LIFE
    } else {
        0
    };
    let left = age
        .unwrap_or(unsaid)
        .saturating_sub(old)
        .clamp(0, LONGEST_LIFE);
    (now.saturating_add(left), true)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("max-age=600, public", None, (1600, true))]
    #[case("max-age=600", Some("500"), (1100, true))]
    #[case("max-age=999999", None, (1000 + LONGEST_LIFE, true))]
    #[case("No-Cache, max-age=600", None, (0, true))]
    #[case("no-store", None, (0, false))]
    #[case("public", None, (1000, true))]
    #[case("", None, (1600, true))]
    fn the_life_of_an_answer_is_read(
        #[case] control: &str,
        #[case] age: Option<&str>,
        #[case] expected: (i64, bool),
    ) {
        let mut headers = header::HeaderMap::new();
        headers.insert(header::CACHE_CONTROL, control.parse().unwrap());
        if let Some(age) = age {
            headers.insert(header::AGE, age.parse().unwrap());
        }
        let head = client::Head {
            status: 200,
            url: Url::parse("http://d.example/").unwrap(),
            headers,
        };
        assert_eq!(life(&head, 1000), expected);
    }
}
