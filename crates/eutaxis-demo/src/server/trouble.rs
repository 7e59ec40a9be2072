//! The trouble that a server can be told to make.

use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

/// How a server behaves. The default is without trouble.
#[derive(Debug, Clone, Default)]
pub struct Trouble {
    /// A pause before every answer.
    pub latency: Duration,
    /// What goes wrong.
    pub fault: Option<Fault>,
    /// It goes wrong only where the path contains this.
    pub on: String,
    /// It goes wrong only so many times; 0: always.
    pub times: u32,
    /// Parts are not given: a range gets the whole.
    pub no_ranges: bool,
    /// Parts are not given from the end (`bytes=-N`): such a range gets the whole.
    pub no_suffix_ranges: bool,
    /// Lengths are not stated where the whole is given.
    pub no_lengths: bool,
    /// Only files whose path contains this have metadata beside them.
    pub sidecars_on: Option<String>,
    /// Requests whose path contains the first are sent on to the second, with the path behind it.
    pub redirect: Option<(String, String)>,
    /// Only HTML pages.
    pub html_only: bool,
    /// No metadata beside files, and none announced.
    pub no_sidecars: bool,
    /// Metadata beside files, but not announced.
    pub silent_sidecars: bool,
    /// A name and a password are asked for.
    pub login: Option<(String, String)>,
    /// Files are somewhere else: requests for them are sent on to this root.
    pub files_at: Option<String>,
    /// `Cache-Control` of pages.
    pub cache_control: Option<String>,
    /// Page URLs lose their hashes.
    pub no_hashes: bool,
    /// Pages come compressed when the client takes that.
    pub gzip: bool,
    /// `Content-Type` of pages, instead of the right one.
    pub page_type: Option<String>,
}

/// What goes wrong with an answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fault {
    /// The connection is dropped without an answer.
    Drop,
    /// A status, with a `Retry-After`.
    Status(u16, Option<String>),
    /// A byte of the body is another.
    WrongBytes,
    /// Half of the body, then the connection is dropped.
    Truncate,
    /// The length that is stated is half of the body's, and no more than that comes.
    LyingLength,
    /// A byte every now and then.
    Drip,
    /// Bytes that are no index page.
    Nonsense,
}

impl Trouble {
    /// What goes wrong with a request for this path, if anything; `met` counts.
    pub(super) fn fault_for(&self, path: &str, met: &AtomicU32) -> Option<Fault> {
        let fault = self.fault.clone().filter(|_| path.contains(&self.on))?;
        let before = met.fetch_add(1, Ordering::Relaxed);
        (self.times == 0 || before < self.times).then_some(fault)
    }
}
