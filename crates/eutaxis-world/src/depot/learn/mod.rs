//! What a file on the network needs, at the lowest price.
//!
//! The ways in the order of their prices: what the depot said before; metadata beside the file;
//! parts of the archive; the archive itself, streamed or whole. The first three are cheap; a dear
//! one is gone only when the search insists, and only up to the limit of a file.
//!
//! What a depot says (beside a file, or in parts of it, which no hash covers) is kept for that
//! depot, that address and the hash that its page states. Only what came out of bytes with their
//! hash is kept for everybody.

mod kept;
mod sidecar;
mod source;
mod wheel;

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{FileKind, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use url::Url;

use crate::catalogue::ListedFile;
use crate::network::{Manner, Network, Trust, Wanted};
use crate::{Error, ErrorKind, Result};
use kept::{Kept, Row};
pub(super) use wheel::sources;

/// Metadata of more bytes is refused.
const LARGEST: u64 = 16 << 20;

/// A file on the network whose needs are to be learnt.
pub(super) struct Question<'a> {
    pub(super) network: &'a Network,
    pub(super) manner: &'a Manner,
    pub(super) project: &'a Name,
    pub(super) file: &'a PageFile,
    pub(super) url: &'a Url,
}

/// What one way of learning came to.
enum Learnt {
    /// What the file says of itself; `by_hash`: it came out of bytes with their hash.
    Answer {
        answer: MetadataAnswer,
        by_hash: bool,
    },
    /// This way does not lead there; how large the file is, if that was told.
    No(Option<u64>),
    /// It was read so far and not decided.
    Undecided(u64),
    /// The depot does not have the file, though its page lists it: why, in words.
    Gone(String),
}

impl Learnt {
    /// What a depot says.
    fn said(metadata: Metadata) -> Self {
        Learnt::Answer {
            answer: MetadataAnswer::Known(metadata.into()),
            by_hash: false,
        }
    }
}

/// The files of a wheel, where its depot gave the list along with something else.
pub(super) fn listed(question: &Question<'_>) -> Option<Vec<ListedFile>> {
    question
        .network
        .catalogue()
        .listed(Kept::of(question).key())
}

/// The files of a wheel, by parts of it; none where parts do not do. That is kept.
///
/// # Errors
/// When the network fails.
pub(super) fn list(question: &Question<'_>) -> Result<Option<Vec<ListedFile>>> {
    wheel::list(question, &Kept::of(question))
}

/// What a file needs, as far as this effort goes.
///
/// # Errors
/// When the network fails, or the run may fetch no more.
pub(super) fn metadata(question: &Question<'_>, effort: Effort) -> Result<MetadataAnswer> {
    let kept = Kept::of(question);
    let row = kept.own()?;
    if let Some(Row::Answer { answer, cost }) = &row {
        // The price is what the page says, so that it is the same before and after it was paid.
        let size = question.file.size;
        return Ok(match (cost, effort) {
            (0, _) => answer.clone(),
            (_, Effort::Cheap) => MetadataAnswer::Dear(size.unwrap_or(0)),
            (cost, Effort::Archive) => question
                .affordable(size.unwrap_or(*cost))
                .unwrap_or_else(|| answer.clone()),
        });
    }
    let mut size = question.file.size;
    let mut read = 0;
    match row {
        Some(Row::Dear {
            size: known,
            read: before,
        }) => {
            size = size.or(known);
            read = before;
        }
        _ => {
            if let Some(known) = question.without_network(&kept) {
                return known;
            }
            match question.cheaply(&kept)? {
                Learnt::Answer { answer, .. } => {
                    kept.keep(&Row::Answer {
                        answer: answer.clone(),
                        cost: 0,
                    });
                    return Ok(answer);
                }
                Learnt::No(known) => size = size.or(known),
                Learnt::Gone(why) => return Ok(MetadataAnswer::Unusable(why)),
                Learnt::Undecided(_) => {}
            }
            // That no cheap way led there is not kept: what a host gives may be another thing
            // tomorrow.
        }
    }
    match effort {
        Effort::Cheap => Ok(MetadataAnswer::Dear(question.file.size.unwrap_or(0))),
        Effort::Archive => question.dearly(&kept, size, read),
    }
}

impl Question<'_> {
    fn host(&self) -> String {
        self.url.origin().ascii_serialization()
    }

    /// Whether metadata speaks of this file.
    fn is_of(&self, metadata: &Metadata) -> bool {
        super::speaks_of(metadata, self.project, self.file)
    }

    fn what(&self) -> String {
        format!("what {} {} needs", self.project, self.file.kind.version())
    }

    /// The bar of a file that may not be fetched to learn what it needs; none when it may.
    fn affordable(&self, cost: u64) -> Option<MetadataAnswer> {
        let limit = self.network.limits().file;
        (cost > limit).then_some(MetadataAnswer::TooDear { size: cost, limit })
    }

    /// Without a network whatever was learnt or fetched before is good.
    fn without_network(&self, kept: &Kept<'_>) -> Option<Result<MetadataAnswer>> {
        if !self.network.is_offline() {
            return None;
        }
        if let Some(answer) = kept.by_hash() {
            return Some(Ok(answer));
        }
        let path = self
            .file
            .hashes
            .sha256()
            .and_then(|h| self.network.kept_file(h, &self.file.filename))?;
        Some(self.judged(within(&path, &self.file.kind)))
    }

    /// Metadata that breaks the standard, or speaks of another file, is an answer too.
    fn judged(&self, found: Result<Option<Metadata>>) -> Result<MetadataAnswer> {
        let checked = found.and_then(|found| {
            found
                .iter()
                .try_for_each(|m| super::ensure_truthful(m, self.project, self.file, self.url))?;
            Ok(found)
        });
        match checked {
            Ok(Some(metadata)) => Ok(MetadataAnswer::Known(metadata.into())),
            Ok(None) => Ok(MetadataAnswer::UnknownUntilBuilt),
            Err(error) if error.kind == ErrorKind::Metadata => {
                Ok(MetadataAnswer::Unusable(error.message))
            }
            Err(error) => Err(error),
        }
    }

    fn said(&self, found: Result<Metadata>) -> Result<Learnt> {
        let answer = self.judged(found.map(Some))?;
        Ok(Learnt::Answer {
            answer,
            by_hash: false,
        })
    }

    /// The cheap ways.
    fn cheaply(&self, kept: &Kept<'_>) -> Result<Learnt> {
        if is_in_the_open(self.url, self.manner) {
            // What no hash covers is not believed: only the whole file tells.
            return Ok(Learnt::No(self.file.size));
        }
        if let Some(found) = sidecar::find(self)? {
            return Ok(found);
        }
        let is_zip = self.file.filename.to_ascii_lowercase().ends_with(".zip");
        match &self.file.kind {
            FileKind::Wheel(_) => wheel::by_parts(self, kept),
            FileKind::Sdist(_) if is_zip => source::by_parts(self),
            FileKind::Sdist(_) | FileKind::Variants(_) => Ok(Learnt::No(self.file.size)),
        }
    }

    /// The archive itself, within the limit of a file.
    fn dearly(&self, kept: &Kept<'_>, size: Option<u64>, read: u64) -> Result<MetadataAnswer> {
        let limit = self.network.limits().file;
        let is_streamed = matches!(self.file.kind, FileKind::Sdist(_))
            && !self.file.filename.to_ascii_lowercase().ends_with(".zip");
        // By the size that is stated, though a stream may tell before its end: so the answer does
        // not depend on how it came. One of which no size is stated, and that did not tell within a
        // smaller limit, is tried again with a larger one.
        if let Some(bar) = self.affordable(size.unwrap_or(read)) {
            return Ok(bar);
        }
        if let Some(answer) = kept.by_hash().filter(|_| size.is_some_and(|s| s <= limit)) {
            kept.keep(&Row::Answer {
                answer: answer.clone(),
                cost: size.unwrap_or(0),
            });
            return Ok(answer);
        }
        let (learnt, cost) = if is_streamed {
            source::streamed(self, size)?
        } else {
            self.whole(size)?
        };
        match learnt {
            Learnt::Answer { answer, by_hash } => {
                if by_hash {
                    kept.keep_by_hash(&answer);
                }
                // What cost nothing would count as cheap.
                kept.keep(&Row::Answer {
                    answer: answer.clone(),
                    cost: cost.max(1),
                });
                Ok(answer)
            }
            Learnt::Gone(why) => Ok(MetadataAnswer::Unusable(why)),
            Learnt::No(told) => Ok(MetadataAnswer::TooDear {
                size: told.or(size).unwrap_or(limit),
                limit,
            }),
            Learnt::Undecided(read) => {
                kept.keep(&Row::Dear { size, read });
                Ok(MetadataAnswer::TooDear {
                    size: size.unwrap_or(read),
                    limit,
                })
            }
        }
    }

    /// The whole file, which the cache then has.
    fn whole(&self, size: Option<u64>) -> Result<(Learnt, u64)> {
        let limit = self.network.limits().file;
        let mut wanted = wanted(self.file, self.url, self.manner);
        wanted.learning = true;
        if size.is_none() {
            // No page states how large it is: the head of an answer may.
            let head = self
                .network
                .head_of(self.url, &self.file.filename, wanted.trust())?;
            let told = head
                .content_range()
                .map(|(_, whole)| whole)
                .or_else(|| head.length());
            if told.is_some_and(|n| n > limit) {
                return Ok((Learnt::No(told), 0));
            }
            wanted.size = told.filter(|_| head.status == 206 || head.status == 200);
        }
        let (path, came) = self.network.bring(&wanted, &|_| {})?;
        let answer = self.judged(within(&path, &self.file.kind))?;
        Ok((
            Learnt::Answer {
                answer,
                by_hash: self.file.hashes.has_strong(),
            },
            came.size,
        ))
    }

    /// What may be done on the way to something of which no hash is known.
    fn trust(&self) -> Trust {
        self.manner.trust()
    }
}

/// A file that is on the page and not there cannot be used; that is no failure of the run.
fn absent(status: u16, error: Error) -> Result<Learnt> {
    if matches!(status, 404 | 410) {
        Ok(Learnt::Gone(error.message))
    } else {
        Err(error)
    }
}

/// Whether a depot over https:// has a file at an address over http://, where what comes can be
/// changed on the way.
pub(super) fn is_in_the_open(url: &Url, manner: &Manner) -> bool {
    !manner.insecure && manner.origin.starts_with("https://") && url.scheme() == "http"
}

/// The file as one to fetch.
pub(super) fn wanted(file: &PageFile, url: &Url, manner: &Manner) -> Wanted {
    Wanted {
        url: url.clone(),
        filename: file.filename.to_string(),
        hashes: file.hashes.clone(),
        size: file.size,
        insecure: manner.insecure,
        learning: false,
    }
}

/// The metadata within a file that came whole and with the right bytes: what is wrong with it is
/// wrong for everybody.
fn within(path: &std::path::Path, kind: &FileKind) -> Result<Option<Metadata>> {
    let found = match kind {
        FileKind::Wheel(_) => super::wheel_metadata(path).map(Some),
        FileKind::Sdist(_) => super::sdist_metadata(path),
        FileKind::Variants(_) => Ok(None),
    };
    found.map_err(damaged)
}

/// A file whose contents are damaged cannot be used; that is no failure of the run.
fn damaged(error: Error) -> Error {
    if let ErrorKind::Contents = error.kind {
        error.as_kind(ErrorKind::Metadata)
    } else {
        error
    }
}
