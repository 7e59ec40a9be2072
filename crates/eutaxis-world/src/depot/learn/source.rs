//! What a source distribution says of itself: streamed, and cut as soon as what counts was seen. It
//! is not kept whole.

use std::io::{Error as IoError, Read, Result as IoResult};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use eutaxis_core::artifact::{Metadata, SourceFiles};

use super::super::inside;
use super::wheel::{Got, parts};
use super::{Learnt, Question};
use crate::network::{Checks, Head, Request, Sink, wrong};
use crate::{Error, Result};

/// So many pieces of the stream wait to be read.
const AHEAD: usize = 8;

/// From parts of a zip archive.
pub(super) fn by_parts(question: &Question<'_>) -> Result<Learnt> {
    let members = match parts(question, &SourceFiles::counts, usize::MAX)? {
        Got::Members(members, _) => members,
        Got::Nothing(size) => return Ok(Learnt::No(size)),
        Got::Gone(learnt) => return Ok(learnt),
    };
    let mut files = SourceFiles::default();
    members
        .into_iter()
        .for_each(|(name, bytes)| files.take(&name, bytes));
    let found = inside::source_metadata(&files, question.url);
    Ok(Learnt::Answer {
        answer: question.judged(found)?,
        by_hash: false,
    })
}

/// From the stream of a tar archive, up to the limit of a file; with how many bytes it took.
pub(super) fn streamed(question: &Question<'_>, size: Option<u64>) -> Result<(Learnt, u64)> {
    let limit = question.network.limits().file;
    let (send, receive) = sync_channel(AHEAD);
    let url = question.url.to_string();
    let reader = std::thread::Builder::new()
        .name("archive".to_owned())
        .spawn(move || {
            read(
                Pieces {
                    receive,
                    piece: Vec::new(),
                    at: 0,
                    cut: false,
                },
                &url,
            )
        })
        .map_err(|_| Error::new(crate::ErrorKind::Disk, "the system gives no more threads"))?;
    let what = question.what();
    let client = question.network.client(&what)?;
    let mut request = Request::new(question.url, &what, u64::MAX);
    let hashed = question.file.hashes.has_strong() && !question.manner.insecure;
    request.trust = if hashed {
        crate::network::Trust::Hashed
    } else {
        question.trust()
    };
    request.learning = Some(size.unwrap_or(0).min(limit));
    let checks = Checks::of(&question.file.hashes);
    let mut stream = Stream {
        send: Some(send),
        checks,
        bytes: 0,
        limit,
        status: 0,
        end: End::Whole,
    };
    let head = client.fetch(&request, &mut stream);
    let Stream {
        send,
        checks,
        bytes,
        status,
        end,
        ..
    } = stream;
    drop(send);
    let read = reader
        .join()
        .unwrap_or_else(|_| Outcome::Damaged("reading it failed".to_owned()));
    let head = head?;
    if !matches!(status, 200 | 206) {
        return Ok((super::absent(status, client.refusal(&head, &what))?, 0));
    }
    if end == End::Broken {
        let message = format!(
            "{what} cannot be learnt: the stream broke off after {bytes} bytes, and the server \
                does not go on there"
        );
        return Err(Error::new(crate::ErrorKind::Network, message).help("try again"));
    }
    let whole = end == End::Whole;
    if whole {
        let found = checks.finish();
        if let Some((algorithm, stated, found)) = found.differs(&question.file.hashes) {
            let host = question.url.host_str().unwrap_or("?");
            return Err(wrong(
                &question.file.filename,
                host,
                algorithm,
                stated,
                found,
            ));
        }
    }
    let by_hash = whole && question.file.hashes.has_strong();
    Ok(match read {
        Outcome::Found(found) => (
            Learnt::Answer {
                answer: question.judged(*found)?,
                by_hash,
            },
            bytes,
        ),
        Outcome::Cut => (Learnt::Undecided(bytes), bytes),
        Outcome::Damaged(why) => {
            let error = Error::new(
                crate::ErrorKind::Metadata,
                format!("{} cannot be read: {why}", question.file.filename),
            );
            (
                Learnt::Answer {
                    answer: question.judged(Err(error))?,
                    by_hash,
                },
                bytes,
            )
        }
    })
}

/// What reading the stream came to.
enum Outcome {
    Found(Box<Result<Option<Metadata>>>),
    /// It was cut off at the limit before what counts was seen.
    Cut,
    Damaged(String),
}

fn read(mut pieces: Pieces, from: &str) -> Outcome {
    let found = inside::read_source(&mut pieces);
    match found {
        Ok(files) => Outcome::Found(Box::new(inside::source_metadata(&files, from))),
        Err(_) if pieces.cut => Outcome::Cut,
        Err(why) => Outcome::Damaged(why),
    }
}

/// How the stream ended.
#[derive(Debug, PartialEq, Eq)]
enum End {
    Whole,
    /// The reader had seen what counts.
    Enough,
    /// The limit of a file was reached.
    Limit,
    /// It broke off, and the server does not go on where it did.
    Broken,
}

/// The stream on its way to the reader.
struct Stream {
    send: Option<SyncSender<Option<Vec<u8>>>>,
    checks: Checks,
    bytes: u64,
    limit: u64,
    status: u16,
    end: End,
}

impl Sink for Stream {
    fn begin(&mut self, head: &Head) -> Result<bool> {
        self.status = head.status;
        let goes_on = head.status == 206
            && head
                .content_range()
                .is_some_and(|(start, _)| start == self.bytes);
        if goes_on || (head.status == 200 && self.bytes == 0) {
            return Ok(true);
        }
        self.end = End::Broken;
        Ok(false)
    }

    fn more(&mut self, bytes: &[u8]) -> Result<bool> {
        let left = usize::try_from(self.limit.saturating_sub(self.bytes)).unwrap_or(usize::MAX);
        let taken = bytes.get(..left).unwrap_or(bytes);
        self.bytes += taken.len() as u64;
        self.checks.update(taken);
        let heard = self
            .send
            .as_ref()
            .is_some_and(|send| send.send(Some(taken.to_vec())).is_ok());
        self.end = match (heard, taken.len() < bytes.len()) {
            (false, _) => End::Enough,
            (true, true) => End::Limit,
            (true, false) => End::Whole,
        };
        if self.end == End::Limit
            && let Some(send) = &self.send
        {
            // The reader is told that there would have been more.
            let _ = send.send(None);
        }
        Ok(self.end == End::Whole)
    }

    fn there(&self) -> u64 {
        self.bytes
    }
}

/// The pieces of a stream as a reader.
struct Pieces {
    receive: Receiver<Option<Vec<u8>>>,
    piece: Vec<u8>,
    at: usize,
    cut: bool,
}

impl Read for Pieces {
    fn read(&mut self, buffer: &mut [u8]) -> IoResult<usize> {
        while self.at >= self.piece.len() {
            match self.receive.recv() {
                Ok(Some(piece)) => (self.piece, self.at) = (piece, 0),
                Ok(None) => {
                    self.cut = true;
                    return Err(IoError::other("cut off"));
                }
                Err(_) => return Ok(0),
            }
        }
        let rest = self.piece.get(self.at..).unwrap_or_default();
        let n = rest.len().min(buffer.len());
        if let (Some(to), Some(from)) = (buffer.get_mut(..n), rest.get(..n)) {
            to.copy_from_slice(from);
        }
        self.at += n;
        Ok(n)
    }
}
