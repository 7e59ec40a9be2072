//! A file on a server, read in parts: for looking into a zip archive without fetching all of it.

use std::io::{Error as IoError, Read, Result as IoResult, Seek, SeekFrom};

use url::Url;

use super::client::{Client, Request};
use crate::{Error, Result};

/// The end of a wheel that is fetched first: the directory of the archive and, written last, its `.dist-info`.
const TAIL: u64 = 24 * 1024;
/// Further parts are at least this large.
const LEAST: u64 = 16 * 1024;
/// No more parts than this: an archive that needs more is fetched whole.
const MOST_PARTS: usize = 24;

/// What asking for a part gave.
pub(crate) enum Opened<'a> {
    /// The server gives parts.
    Parts(Box<RangeReader<'a>>),
    /// It gives the whole file only; it was not read.
    WholeOnly,
    /// It gives the whole of a file that is no larger than a part: that says nothing of other files.
    Small,
    /// It does not have the file.
    Absent(Error),
}

/// Reads a file in parts.
pub(crate) struct RangeReader<'a> {
    client: &'a Client,
    url: Url,
    what: &'a str,
    size: u64,
    at: u64,
    /// Where each part begins, with its bytes.
    parts: Vec<(u64, Vec<u8>)>,
    /// Why reading failed, in our own words.
    pub(crate) failure: Option<Error>,
}

/// Opens a file by its end.
///
/// # Errors
/// When the network fails.
pub(crate) fn open<'a>(client: &'a Client, url: &Url, what: &'a str) -> Result<Opened<'a>> {
    let mut request = Request::new(url, what, TAIL);
    request.range = Some(format!("bytes=-{TAIL}"));
    let (head, bytes) = client.part(&request)?;
    match head.status {
        206 => {}
        200 if head.length().is_some_and(|n| n <= TAIL) => return Ok(Opened::Small),
        200 | 416 => return Ok(Opened::WholeOnly),
        _ => return Ok(Opened::Absent(client.refusal(&head, what))),
    }
    let Some((start, size)) =
        head.content_range().filter(|(start, size)| start.checked_add(bytes.len() as u64) == Some(*size))
    else {
        return Ok(Opened::WholeOnly);
    };
    Ok(Opened::Parts(Box::new(RangeReader {
        client,
        url: head.url,
        what,
        size,
        at: 0,
        parts: vec![(start, bytes)],
        failure: None,
    })))
}

impl RangeReader<'_> {
    /// The part that holds a position.
    fn part_at(&self, at: u64) -> Option<&[u8]> {
        let (start, bytes) = self.parts.iter().find(|(s, b)| (*s..s + b.len() as u64).contains(&at))?;
        bytes.get(usize::try_from(at - start).ok()?..)
    }

    fn fetch(&mut self, at: u64, wanted: u64) -> Result<()> {
        if self.parts.len() >= MOST_PARTS {
            return Err(Error::contents(format!("{} lies in too many parts", self.what)));
        }
        // Not over what is there already.
        let next = self.parts.iter().map(|(s, _)| *s).filter(|s| *s > at).min().unwrap_or(self.size);
        let end = (at + wanted.max(LEAST)).min(next).min(self.size);
        let url = self.url.clone();
        let mut request = Request::new(&url, self.what, end - at);
        request.range = Some(format!("bytes={at}-{}", end - 1));
        let (head, bytes) = self.client.part(&request)?;
        let fits =
            head.status == 206 && head.content_range() == Some((at, self.size)) && bytes.len() as u64 == end - at;
        if !fits {
            return Err(Error::contents(format!("{} came in another part than was asked for", self.what)));
        }
        self.parts.push((at, bytes));
        Ok(())
    }
}

impl Read for RangeReader<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> IoResult<usize> {
        if self.at >= self.size || buffer.is_empty() {
            return Ok(0);
        }
        if self.part_at(self.at).is_none()
            && let Err(error) = self.fetch(self.at, buffer.len() as u64)
        {
            let words = error.message.clone();
            self.failure = Some(error);
            return Err(IoError::other(words));
        }
        let found = self.part_at(self.at).unwrap_or_default();
        let n = found.len().min(buffer.len());
        if let (Some(to), Some(from)) = (buffer.get_mut(..n), found.get(..n)) {
            to.copy_from_slice(from);
        }
        self.at += n as u64;
        Ok(n)
    }
}

impl Seek for RangeReader<'_> {
    fn seek(&mut self, to: SeekFrom) -> IoResult<u64> {
        let at = match to {
            SeekFrom::Start(n) => Some(n),
            SeekFrom::End(n) => self.size.checked_add_signed(n),
            SeekFrom::Current(n) => self.at.checked_add_signed(n),
        };
        self.at = at.ok_or_else(|| IoError::other("a place before the beginning"))?;
        Ok(self.at)
    }
}
