//! Requests over HTTP: redirects, retries, time limits, secrets. The runtime lives in here; callers
//! block.

use std::io::Read;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use flate2::read::GzDecoder;
use reqwest::header::{self, HeaderMap, HeaderName};
use reqwest::redirect::Policy;
use url::Url;

use super::allowance::{Allowance, Share};
use super::back_off::{BackOff, Seeded};
use super::memory::{Alone, LARGE, Memory};
use super::secrets::{Secret, Secrets};
use super::settings::NetworkSettings;
use super::words::{self, Failure};
use crate::catalogue::Validators;
use crate::{Error, ErrorKind, Result};

/// Redirects in a row.
const MOST_HOPS: usize = 10;
/// A body that brings less than this in the time-out's span is too slow to wait for.
const SLOWEST: u64 = 512;

/// What is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Request<'a> {
    /// Where.
    pub(crate) url: &'a Url,
    /// What it is, for messages: "the page of radargram".
    pub(crate) what: &'a str,
    /// `Accept`.
    pub(crate) accept: Option<&'static str>,
    /// Answer only if it changed.
    pub(crate) validators: Validators,
    /// Only this part, in the words of the header: `bytes=0-99`.
    pub(crate) range: Option<String>,
    /// The most bytes that are taken.
    pub(crate) most: u64,
    /// It may come compressed.
    pub(crate) compressed: bool,
    /// Where it was asked for at first, when that is another address: what may be sent is decided
    /// by it.
    pub(crate) asked: Option<&'a Url>,
    /// What may be done on the way.
    pub(crate) trust: Trust,
    /// It is fetched to learn something: so many bytes are expected.
    pub(crate) learning: Option<u64>,
}

/// What may be done on the way to something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Trust {
    /// A step from https to http is refused: who listens there could change it.
    #[default]
    Guarded,
    /// Its strong hash is known, so that a changed one is noticed: such a step is taken, and told.
    Hashed,
    /// The user insists (`insecure = true`).
    Insists,
}

impl<'a> Request<'a> {
    /// A plain request for at most `most` bytes.
    pub(crate) fn new(url: &'a Url, what: &'a str, most: u64) -> Self {
        let validators = Validators::default();
        Request {
            url,
            what,
            accept: None,
            validators,
            range: None,
            most,
            compressed: false,
            asked: None,
            trust: Trust::Guarded,
            learning: None,
        }
    }
}

/// The head of an answer.
#[derive(Debug, Clone)]
pub(crate) struct Head {
    pub(crate) status: u16,
    /// Where it came from in the end.
    pub(crate) url: Url,
    pub(crate) headers: HeaderMap,
}

impl Head {
    /// A header as text.
    pub(crate) fn header(&self, name: HeaderName) -> Option<&str> {
        self.headers.get(name).and_then(|v| v.to_str().ok())
    }

    /// What to ask later whether it changed.
    pub(crate) fn validators(&self) -> Validators {
        let text = |name| self.header(name).map(str::to_owned);
        Validators {
            etag: text(header::ETAG),
            last_modified: text(header::LAST_MODIFIED),
        }
    }

    /// The length that is stated.
    pub(crate) fn length(&self) -> Option<u64> {
        self.header(header::CONTENT_LENGTH)?.parse().ok()
    }

    /// Where a part begins, and how large the whole is: `bytes 0-99/1234`.
    pub(crate) fn content_range(&self) -> Option<(u64, u64)> {
        let text = self.header(header::CONTENT_RANGE)?.strip_prefix("bytes ")?;
        let (span, whole) = text.split_once('/')?;
        let start = span.split_once('-').map_or(span, |(start, _)| start);
        Some((start.trim().parse().ok()?, whole.trim().parse().ok()?))
    }

    /// How large the whole is, where a range was refused: `bytes */1234`.
    pub(crate) fn content_range_of(&self) -> Option<u64> {
        self.header(header::CONTENT_RANGE)?
            .strip_prefix("bytes */")?
            .trim()
            .parse()
            .ok()
    }
}

/// A whole answer.
#[derive(Debug)]
pub(crate) struct Answer<'a> {
    pub(crate) head: Head,
    pub(crate) body: Vec<u8>,
    /// Held as long as a large body is in memory: there is only one at a time.
    _alone: Option<Alone<'a>>,
}

/// Takes a body as it comes. A failure of its own (a full disk) ends everything.
pub(crate) trait Sink {
    /// The answer begins; false: its body is not wanted.
    fn begin(&mut self, head: &Head) -> Result<bool>;
    /// More of the body; false: the rest is not wanted.
    fn more(&mut self, bytes: &[u8]) -> Result<bool>;
    /// How many bytes are there already, so that only the rest is asked for.
    fn there(&self) -> u64 {
        0
    }
}

/// How much went over the network, and what had to be tried again.
#[derive(Debug, Clone, Default)]
pub struct Traffic {
    /// Requests, each hop and attempt counted.
    pub requests: u64,
    /// Bytes of bodies.
    pub bytes: u64,
    /// What was overcome by trying again, in words.
    pub overcome: Vec<String>,
    /// What should be known of the way that something came, in words.
    pub cautions: Vec<String>,
}

/// The client.
pub(crate) struct Client {
    runtime: tokio::runtime::Runtime,
    http: reqwest::Client,
    secrets: Secrets,
    settings: NetworkSettings,
    traffic: Mutex<Traffic>,
    allowance: Arc<Allowance>,
    memory: Arc<Memory>,
}

impl std::fmt::Debug for Client {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Client")
            .field("settings", &self.settings)
            .finish_non_exhaustive()
    }
}

enum Attempt {
    Done(Head),
    /// The sink failed.
    Sink(Error),
    Failed(Failure),
}

impl Client {
    /// A client with these secrets.
    ///
    /// # Errors
    /// When the system gives no threads.
    pub(crate) fn new(
        secrets: Secrets,
        settings: NetworkSettings,
        allowance: Arc<Allowance>,
        memory: Arc<Memory>,
    ) -> Result<Self> {
        let trouble = |what: &str, e: &dyn std::fmt::Display| {
            Error::new(
                ErrorKind::Network,
                format!("the network cannot be used: {what} ({e})"),
            )
        };
        let runtime = tokio::runtime::Builder::new_multi_thread()
            .worker_threads(1)
            .enable_all()
            .build()
            .map_err(|e| trouble("no thread", &e))?;
        // A second client of one process finds it there already.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let timeout = Duration::from_secs(settings.timeout);
        let builder = || {
            reqwest::Client::builder()
                .redirect(Policy::none())
                .connect_timeout(timeout)
                .read_timeout(timeout)
                .user_agent(concat!("eutaxis/", env!("CARGO_PKG_VERSION")))
                .http2_initial_stream_window_size(4 << 20)
                .http2_initial_connection_window_size(16 << 20)
                .tcp_nodelay(true)
        };
        let http = {
            let _inside = runtime.enter();
            // A system without any certificate can still use plain HTTP; what needs one says so
            // then.
            builder()
                .build()
                .or_else(|_| builder().tls_certs_only(std::iter::empty()).build())
                .map_err(|e| trouble("no secure connections", &e))?
        };
        let traffic = Mutex::default();
        Ok(Client {
            runtime,
            http,
            secrets,
            settings,
            traffic,
            allowance,
            memory,
        })
    }

    /// How much went over the network so far.
    pub(crate) fn traffic(&self) -> Traffic {
        self.traffic
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone()
    }

    /// Bytes that came so far.
    pub(crate) fn fetched(&self) -> u64 {
        self.traffic
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .bytes
    }

    /// What should be known of the way that things came.
    pub(crate) fn cautions(&self) -> Vec<String> {
        let mut all = self.traffic().cautions;
        all.extend(self.secrets.caution());
        all
    }

    fn note(&self, note: impl FnOnce(&mut Traffic)) {
        note(&mut self.traffic.lock().unwrap_or_else(PoisonError::into_inner));
    }

    /// Whether something secret would be sent there.
    pub(crate) fn knows_secret(&self, url: &Url) -> bool {
        self.login_for(url).is_some()
    }

    /// Where the name and password that would be sent there are from.
    pub(crate) fn login_for(&self, url: &Url) -> Option<String> {
        self.secrets.of(url, url).map(|found| found.from)
    }

    /// Fetches into memory. Statuses 200, 206, 304, 403, 404, 410 and 416 are answers; all others
    /// are errors. Only one body at a time may be a large one: many hostile pages together must not
    /// fill the memory.
    ///
    /// # Errors
    /// When the network fails for good, in words.
    pub(crate) fn get(&self, request: &Request<'_>) -> Result<Answer<'_>> {
        struct Body<'w, 'a> {
            bytes: Vec<u8>,
            what: &'w str,
            memory: &'a Memory,
            alone: Option<Alone<'a>>,
        }
        impl Sink for Body<'_, '_> {
            fn begin(&mut self, head: &Head) -> Result<bool> {
                self.bytes.clear();
                let stated = head
                    .length()
                    .and_then(|n| usize::try_from(n).ok())
                    .unwrap_or(0);
                if self.alone.is_none() {
                    self.alone = self.memory.turn(Some(stated), self.what)?;
                }
                // Of what is stated no more is believed than a small one may take anyway.
                self.bytes.reserve(stated.min(LARGE));
                Ok(true)
            }
            fn more(&mut self, bytes: &[u8]) -> Result<bool> {
                if self.alone.is_none() {
                    self.alone = self
                        .memory
                        .turn(Some(self.bytes.len() + bytes.len()), self.what)?;
                }
                self.bytes.extend_from_slice(bytes);
                Ok(true)
            }
        }
        let mut body = Body {
            bytes: Vec::new(),
            what: request.what,
            memory: &self.memory,
            alone: None,
        };
        let head = self.fetch(request, &mut body)?;
        let Body {
            bytes, mut alone, ..
        } = body;
        let body = match head.header(header::CONTENT_ENCODING) {
            Some("gzip" | "x-gzip") => {
                if alone.is_none() {
                    alone = self.memory.turn(unpacks_to(&bytes), request.what)?;
                }
                inflate(&bytes, request)?
            }
            _ => bytes,
        };
        Ok(Answer {
            head,
            body,
            _alone: alone,
        })
    }

    /// Fetches a part. When the server gives the whole instead, nothing of it is read: the status
    /// says so.
    ///
    /// # Errors
    /// When the network fails for good, in words.
    pub(crate) fn part(&self, request: &Request<'_>) -> Result<(Head, Vec<u8>)> {
        struct Part(Vec<u8>);
        impl Sink for Part {
            fn begin(&mut self, head: &Head) -> Result<bool> {
                self.0.clear();
                Ok(head.status == 206)
            }
            fn more(&mut self, bytes: &[u8]) -> Result<bool> {
                self.0.extend_from_slice(bytes);
                Ok(true)
            }
        }
        let mut part = Part(Vec::new());
        let head = self.fetch(request, &mut part)?;
        Ok((head, part.0))
    }

    /// Fetches the beginning of something, whether or not the server gives parts; what is not there
    /// has none.
    ///
    /// # Errors
    /// When the network fails for good, in words.
    pub(crate) fn beginning(
        &self,
        request: &Request<'_>,
        enough: usize,
    ) -> Result<(Head, Vec<u8>)> {
        struct Beginning(Vec<u8>, usize);
        impl Sink for Beginning {
            fn begin(&mut self, head: &Head) -> Result<bool> {
                self.0.clear();
                Ok(matches!(head.status, 200 | 206))
            }
            fn more(&mut self, bytes: &[u8]) -> Result<bool> {
                self.0.extend_from_slice(bytes);
                Ok(self.0.len() < self.1)
            }
        }
        let mut beginning = Beginning(Vec::new(), enough);
        let mut request = request.clone();
        request.most = u64::MAX;
        request.range = Some(format!("bytes=0-{}", enough.saturating_sub(1)));
        let head = self.fetch(&request, &mut beginning)?;
        Ok((head, beginning.0))
    }

    /// Fetches into a sink, with attempts; each asks only for what the sink does not have yet.
    ///
    /// # Errors
    /// When the network or the sink fails for good.
    pub(crate) fn fetch(&self, request: &Request<'_>, sink: &mut dyn Sink) -> Result<Head> {
        let mut back_off = BackOff::new(self.settings.attempts, Seeded);
        let mut share = match request.learning {
            Some(expected) => Some(self.allowance.reserve(expected, request.what)?),
            None => None,
        };
        loop {
            let mut asked = request.clone();
            if sink.there() > 0 {
                asked.range = Some(format!("bytes={}-", sink.there()));
            }
            let failure = match self
                .runtime
                .block_on(self.attempt(&asked, sink, share.as_mut()))
            {
                Attempt::Done(head) => return Ok(head),
                Attempt::Sink(error) => return Err(error),
                Attempt::Failed(failure) => failure,
            };
            let attempt = back_off.attempt();
            let told = failure.wait.map(Duration::from_secs);
            let again = failure.transient.then(|| back_off.after_failure(told));
            let Some(pause) = again.flatten() else {
                return Err(if attempt > 1 {
                    failure.error.also(&format!("tried {attempt} times"))
                } else {
                    failure.error
                });
            };
            self.note(|t| {
                t.overcome
                    .push(format!("{} (attempt {attempt})", failure.error.message))
            });
            std::thread::sleep(pause);
        }
    }

    /// The request for an address, with the headers that it has to have.
    fn asking(
        &self,
        url: &Url,
        request: &Request<'_>,
        found: Option<&super::secrets::Found>,
    ) -> reqwest::RequestBuilder {
        let mut builder = self.http.get(url.clone());
        if let Some(found) = found {
            builder = match &found.secret {
                Secret::Basic(user, password) => builder.basic_auth(user, Some(password)),
                Secret::Bearer(token) => builder.bearer_auth(token),
            };
        }
        if let Some(accept) = request.accept {
            builder = builder.header(header::ACCEPT, accept);
        }
        let encoding = if request.compressed {
            "gzip"
        } else {
            "identity"
        };
        builder = builder.header(header::ACCEPT_ENCODING, encoding);
        if let Some(range) = &request.range {
            builder = builder.header(header::RANGE, range);
        }
        if let Some(etag) = &request.validators.etag {
            builder = builder.header(header::IF_NONE_MATCH, etag);
        }
        if let Some(moment) = &request.validators.last_modified {
            builder = builder.header(header::IF_MODIFIED_SINCE, moment);
        }
        builder
    }

    /// One attempt, with its redirects.
    async fn attempt(
        &self,
        request: &Request<'_>,
        sink: &mut dyn Sink,
        share: Option<&mut Share<'_>>,
    ) -> Attempt {
        let mut url = request.url.clone();
        let asked = request.asked.unwrap_or(request.url);
        // The server sent on to http, and the same address is asked over https instead.
        let mut instead = false;
        for _ in 0..MOST_HOPS {
            let found = self.secrets.of(&url, asked);
            let builder = self.asking(&url, request, found.as_ref());
            self.note(|t| t.requests += 1);
            let response = match builder.send().await {
                Ok(response) => response,
                Err(error) if instead => {
                    let why = words::of_transport(error, &url, request.what).error.message;
                    return Attempt::Failed(words::of_downgrade(&url, request.what, &why));
                }
                Err(error) => {
                    return Attempt::Failed(words::of_transport(error, &url, request.what));
                }
            };
            let head = Head {
                status: response.status().as_u16(),
                url: url.clone(),
                headers: response.headers().clone(),
            };
            if let (301 | 302 | 303 | 307 | 308, Some(to)) =
                (head.status, head.header(header::LOCATION))
            {
                match url.join(to) {
                    Ok(mut next) if matches!(next.scheme(), "http" | "https") => {
                        // The rest of a page's address is the server's business; a name and
                        // password are ours.
                        super::secrets::strip(&mut next);
                        match self.step(&url, next, request) {
                            Ok((next, https_instead)) => {
                                (url, instead) = (next, instead | https_instead)
                            }
                            Err(failure) => return Attempt::Failed(*failure),
                        }
                        continue;
                    }
                    _ => {
                        return Attempt::Failed(words::of_body(
                            format!(
                                "{} redirects to `{}`",
                                words::host(&url),
                                eutaxis_core::fault::escaped(to)
                            ),
                            request.what,
                            false,
                        ));
                    }
                }
            }
            if !matches!(head.status, 200 | 206 | 304 | 403 | 404 | 410 | 416)
                || (head.status == 403 && found.is_some())
            {
                let wait = retry_after(&head);
                let netrc = self.secrets.withheld(&url, asked);
                return Attempt::Failed(words::of_status(
                    head.status,
                    &url,
                    request.what,
                    found.as_ref(),
                    wait,
                    netrc,
                ));
            }
            if instead {
                self.caution(format!(
                    "{} sends requests for {} on to http://, which was asked over https:// \
                        instead: tell those who run it.",
                    words::host(&url),
                    request.what
                ));
            }
            return self.body(response, head, request, sink, share).await;
        }
        Attempt::Failed(words::of_body(
            format!(
                "{} redirects more than {MOST_HOPS} times",
                words::host(request.url)
            ),
            request.what,
            false,
        ))
    }

    /// Where a redirect leads, and whether it is https in the place of http. From https no step
    /// leads to http, unless the bytes are known by a hash or the user insists.
    fn step(
        &self,
        from: &Url,
        next: Url,
        request: &Request<'_>,
    ) -> std::result::Result<(Url, bool), Box<Failure>> {
        if from.scheme() != "https" || next.scheme() == "https" || request.trust == Trust::Insists {
            return Ok((next, false));
        }
        if let Some(same) = over_https(&next, from).filter(|same| same != from) {
            return Ok((same, true));
        }
        if request.trust == Trust::Hashed {
            self.caution(format!(
                "{} came over http:// from {}: its hash was stated over https://, so that a \
                    changed one would have been noticed.",
                request.what,
                words::host(&next)
            ));
            return Ok((next, false));
        }
        let why = format!("{} sends on to http://", words::host(from));
        Err(Box::new(words::of_downgrade(&next, request.what, &why)))
    }

    /// Says once what should be known of the way that something came.
    fn caution(&self, text: String) {
        self.note(|t| {
            if !t.cautions.contains(&text) {
                t.cautions.push(text);
            }
        });
    }

    async fn body(
        &self,
        mut response: reqwest::Response,
        head: Head,
        request: &Request<'_>,
        sink: &mut dyn Sink,
        mut share: Option<&mut Share<'_>>,
    ) -> Attempt {
        match sink.begin(&head) {
            Ok(true) => {}
            Ok(false) => return Attempt::Done(head),
            Err(error) => return Attempt::Sink(error),
        }
        let span = Duration::from_secs(self.settings.timeout);
        let (mut total, mut window, mut since) = (0u64, 0u64, Instant::now());
        loop {
            let chunk = match response.chunk().await {
                Ok(Some(chunk)) => chunk,
                Ok(None) => return Attempt::Done(head),
                Err(error) => {
                    return Attempt::Failed(words::of_transport(error, &head.url, request.what));
                }
            };
            total += chunk.len() as u64;
            window += chunk.len() as u64;
            self.note(|t| t.bytes += chunk.len() as u64);
            if let Some(Err(error)) = share.as_mut().map(|share| share.took(chunk.len() as u64)) {
                return Attempt::Sink(error);
            }
            if total > request.most {
                let why = format!(
                    "{} sends more than the {} bytes that it can have",
                    words::host(&head.url),
                    request.most
                );
                return Attempt::Failed(words::of_body(why, request.what, false));
            }
            match sink.more(&chunk) {
                Ok(true) => {}
                Ok(false) => return Attempt::Done(head),
                Err(error) => return Attempt::Sink(error),
            }
            if since.elapsed() > span {
                if window < SLOWEST {
                    let why = format!(
                        "{} sends too slowly: {window} bytes in {} s",
                        words::host(&head.url),
                        span.as_secs()
                    );
                    return Attempt::Failed(words::of_body(why, request.what, true));
                }
                (window, since) = (0, Instant::now());
            }
        }
    }

    /// The error for an answer that is no success.
    pub(crate) fn refusal(&self, head: &Head, what: &str) -> Error {
        let found = self.secrets.of(&head.url, &head.url);
        words::of_status(head.status, &head.url, what, found.as_ref(), None, None).error
    }
}

/// The same address over https, where both are of one host: at the port that https was spoken at,
/// unless the other names its own.
pub(crate) fn over_https(http: &Url, beside: &Url) -> Option<Url> {
    if http.scheme() != "http" || http.host() != beside.host() {
        return None;
    }
    let mut same = http.clone();
    same.set_scheme("https").ok()?;
    if http.port().is_none() {
        same.set_port(beside.port()).ok()?;
    }
    Some(same)
}

/// What a gzip stream says at its end that it unpacks to (RFC 1952, 2.3.1); not to be relied on.
fn unpacks_to(bytes: &[u8]) -> Option<usize> {
    let last = u32::from_le_bytes(bytes.last_chunk::<4>().copied()?);
    usize::try_from(last).ok()
}

/// `Retry-After`: seconds, or a date.
fn retry_after(head: &Head) -> Option<u64> {
    let text = head.header(header::RETRY_AFTER)?.trim();
    if let Ok(seconds) = text.parse() {
        return Some(seconds);
    }
    let then = jiff::fmt::rfc2822::parse(text)
        .ok()?
        .timestamp()
        .as_second();
    u64::try_from(then - jiff::Timestamp::now().as_second()).ok()
}

fn inflate(bytes: &[u8], request: &Request<'_>) -> Result<Vec<u8>> {
    let mut plain = Vec::new();
    let read = GzDecoder::new(bytes)
        .take(request.most.saturating_add(1))
        .read_to_end(&mut plain);
    if read.is_err() || plain.len() as u64 > request.most {
        let why = if read.is_err() {
            "its compressed form is damaged"
        } else {
            "it is larger than it can be"
        };
        return Err(words::of_body(
            format!("{}: {why}", words::host(request.url)),
            request.what,
            false,
        )
        .error);
    }
    Ok(plain)
}

#[cfg(test)]
mod tests;
