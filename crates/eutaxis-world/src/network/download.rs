//! Whole files: fetched into a part file that a later run goes on with, and checked as a whole at the end.

use std::fs::{File, OpenOptions};
use std::io::{Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use url::Url;

use super::client::{Client, Head, Request, Sink};
use super::words;
use crate::error::Doing;
use crate::files::sha256_of;
use crate::hash::Sha256;
use crate::{Error, Result};

/// No file is larger; a server that sends more is not listened to.
const MOST: u64 = 64 << 30;

/// A file to fetch.
#[derive(Debug, Clone)]
pub struct Wanted {
    /// Where it is.
    pub url: Url,
    /// Its name, for messages.
    pub filename: String,
    /// The SHA-256 it must have, if that is known.
    pub sha256: Option<String>,
    /// Its size, if that is known.
    pub size: Option<u64>,
}

/// A file that came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Came {
    /// Its SHA-256.
    pub sha256: String,
    /// Its bytes.
    pub size: u64,
}

/// Told how many bytes are there: more than before, or fewer when a file is begun anew.
pub type Bytes<'a> = &'a (dyn Fn(i64) + Sync);

/// Fetches a file to `part`, going on with what is there. The file is checked whole; one that is wrong is not kept.
///
/// # Errors
/// When the network or the disk fails, or the bytes are not those of the hash. After a failure of the network the part
/// stays, for the next run.
pub(crate) fn download(client: &Client, wanted: &Wanted, part: &Path, bytes: Bytes<'_>) -> Result<Came> {
    let resumed = std::fs::metadata(part).is_ok_and(|m| m.len() > 0);
    let came = once(client, wanted, part, bytes)?;
    let Err(found) = check(wanted, &came) else { return Ok(came) };
    // What another run left may have been of another file: once more from the beginning.
    let _ = std::fs::remove_file(part);
    bytes(-i64::try_from(came.size).unwrap_or(0));
    if resumed {
        let came = once(client, wanted, part, bytes)?;
        if let Err(found) = check(wanted, &came) {
            let _ = std::fs::remove_file(part);
            return Err(found);
        }
        return Ok(came);
    }
    Err(found)
}

fn check(wanted: &Wanted, came: &Came) -> std::result::Result<(), Error> {
    match &wanted.sha256 {
        Some(hash) if !hash.eq_ignore_ascii_case(&came.sha256) => {
            let message = format!(
                "{} from {} has the SHA-256 {}; expected was {hash}",
                wanted.filename,
                words::host(&wanted.url),
                came.sha256
            );
            Err(Error::contents(message).help("the file was changed on the server or on the way (a proxy?); nothing of it was kept. Try again, and if it stays so, settle again or ask those who run the depot"))
        }
        _ => Ok(()),
    }
}

fn once(client: &Client, wanted: &Wanted, part: &Path, bytes: Bytes<'_>) -> Result<Came> {
    let most = wanted.size.unwrap_or(MOST);
    let mut sink = PartFile::open(part, most, bytes)?;
    if sink.size > 0 && wanted.size == Some(sink.size) {
        return sink.finish();
    }
    let mut request = Request::new(&wanted.url, &wanted.filename, most);
    let head = client.fetch(&request, &mut sink)?;
    match head.status {
        200 | 206 => {}
        // Nothing is left to give: it is whole, or of another file, which its hash will show.
        416 if sink.size > 0 => {
            if wanted.sha256.is_none() {
                sink.begin_anew()?;
                request.range = None;
                client.fetch(&request, &mut sink)?;
            }
        }
        _ => {
            drop(sink);
            let _ = std::fs::remove_file(part);
            return Err(client.refusal(&head, &wanted.filename));
        }
    }
    let came = sink.finish()?;
    match wanted.size {
        Some(size) if came.size != size && wanted.sha256.is_none() => {
            let _ = std::fs::remove_file(part);
            let why = format!("{} sends {} bytes of it; {size} were announced", words::host(&wanted.url), came.size);
            Err(words::of_body(why, &wanted.filename, false).error)
        }
        _ => Ok(came),
    }
}

/// A file that grows.
struct PartFile<'a> {
    path: PathBuf,
    file: File,
    hasher: Sha256,
    size: u64,
    bytes: Bytes<'a>,
}

impl<'a> PartFile<'a> {
    fn open(path: &Path, most: u64, bytes: Bytes<'a>) -> Result<Self> {
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
        }
        let mut file = OpenOptions::new()
            .read(true)
            .write(true)
            .create(true)
            .truncate(false)
            .open(path)
            .doing("cannot write to", path)?;
        let mut hasher = Sha256::new();
        let mut size = 0;
        let mut buffer = vec![0; 1 << 17];
        loop {
            let n = std::io::Read::read(&mut file, &mut buffer).doing("cannot read", path)?;
            let Some(more) = buffer.get(..n).filter(|p| !p.is_empty()) else { break };
            hasher.update(more);
            size += n as u64;
        }
        let mut part = PartFile { path: path.to_owned(), file, hasher, size: 0, bytes };
        if size > most {
            part.begin_anew()?;
        } else {
            part.size = size;
            (part.bytes)(i64::try_from(size).unwrap_or(0));
        }
        Ok(part)
    }

    fn begin_anew(&mut self) -> Result<()> {
        (self.bytes)(-i64::try_from(self.size).unwrap_or(0));
        self.file.set_len(0).and_then(|()| self.file.seek(SeekFrom::Start(0))).doing("cannot write to", &self.path)?;
        self.hasher = Sha256::new();
        self.size = 0;
        Ok(())
    }

    fn finish(self) -> Result<Came> {
        // What is renamed into place must not be empty after a power cut.
        self.file.sync_data().doing("cannot write", &self.path)?;
        Ok(Came { sha256: eutaxis_core::artifact::hex(&self.hasher.finalize()), size: self.size })
    }
}

impl Sink for PartFile<'_> {
    fn begin(&mut self, head: &Head) -> Result<bool> {
        match head.status {
            206 if head.content_range().is_some_and(|(start, _)| start == self.size) => Ok(true),
            200 => {
                self.begin_anew()?;
                Ok(true)
            }
            // Another part than was asked for.
            206 => {
                self.begin_anew()?;
                let why = "the server sent another part of it than was asked for".to_owned();
                Err(words::of_body(why, &self.path.display().to_string(), false).error)
            }
            _ => Ok(false),
        }
    }

    fn more(&mut self, bytes: &[u8]) -> Result<bool> {
        self.file.write_all(bytes).doing("cannot write", &self.path)?;
        self.hasher.update(bytes);
        self.size += bytes.len() as u64;
        (self.bytes)(i64::try_from(bytes.len()).unwrap_or(0));
        Ok(true)
    }

    fn there(&self) -> u64 {
        self.size
    }
}

/// Puts a file from this disk into place, checked.
///
/// # Errors
/// When it cannot be read or written, or has another hash.
pub(crate) fn copy(from: &Path, sha256: Option<&str>, part: &Path, bytes: Bytes<'_>) -> Result<Came> {
    if let Some(folder) = part.parent() {
        std::fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    std::fs::copy(from, part).doing("cannot copy", from)?;
    let (found, size) = sha256_of(part)?;
    bytes(i64::try_from(size).unwrap_or(0));
    if sha256.is_some_and(|wanted| !wanted.eq_ignore_ascii_case(&found)) {
        let _ = std::fs::remove_file(part);
        let message = format!("{} has the SHA-256 {found}; expected was {}", from.display(), sha256.unwrap_or(""));
        return Err(Error::contents(message)
            .help("the file was changed since it was pinned: get the pinned one back, or settle again"));
    }
    Ok(Came { sha256: found, size })
}
