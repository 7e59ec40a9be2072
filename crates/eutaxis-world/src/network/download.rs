//! Whole files: fetched into a part file that a later run goes on with, and checked as a whole at
//! the end.

use std::fs::{File, OpenOptions};
use std::io::{Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use eutaxis_core::index::{Algorithm, Hashes};
use url::Url;

use super::checks::{Checks, Found};
use super::client::{Client, Head, Request, Sink, Trust};
use super::words;
use crate::error::Doing;
use crate::files::ensure_room;
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
    /// The hashes it must have, as far as they are known.
    pub hashes: Hashes,
    /// Its size, if that is known.
    pub size: Option<u64>,
    /// The user insists on this depot whatever the way (`insecure = true`).
    pub insecure: bool,
    /// It is fetched only to learn something.
    pub learning: bool,
}

impl Wanted {
    /// What may be done on the way to it.
    pub(crate) fn trust(&self) -> Trust {
        match self {
            Wanted { insecure: true, .. } => Trust::Insists,
            Wanted { hashes, .. } if hashes.has_strong() => Trust::Hashed,
            _ => Trust::Guarded,
        }
    }
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

/// Fetches a file to `part`, going on with what is there. The file is checked whole; one that is
/// wrong is not kept.
///
/// # Errors
/// When the network or the disk fails, or the bytes are not those of the hash. After a failure of
/// the network the part stays, for the next run.
pub(crate) fn download(
    client: &Client,
    wanted: &Wanted,
    part: &Path,
    bytes: Bytes<'_>,
) -> Result<Came> {
    let resumed = std::fs::metadata(part).is_ok_and(|m| m.len() > 0);
    let (came, hashes) = once(client, wanted, part, bytes)?;
    let Err(found) = check(wanted, &hashes) else {
        return Ok(came);
    };
    // What another run left may have been of another file: once more from the beginning.
    let _ = std::fs::remove_file(part);
    bytes(-i64::try_from(came.size).unwrap_or(0));
    if resumed {
        let (came, hashes) = once(client, wanted, part, bytes)?;
        if let Err(found) = check(wanted, &hashes) {
            let _ = std::fs::remove_file(part);
            return Err(found);
        }
        return Ok(came);
    }
    Err(found)
}

fn check(wanted: &Wanted, found: &Found) -> std::result::Result<(), Error> {
    let Some((algorithm, stated, found)) = found.differs(&wanted.hashes) else {
        return Ok(());
    };
    Err(wrong(
        &wanted.filename,
        &words::host(&wanted.url),
        algorithm,
        stated,
        found,
    ))
}

/// The error of a file that does not have a hash that it must have.
pub(crate) fn wrong(
    filename: &str,
    from: &str,
    algorithm: Algorithm,
    stated: &str,
    found: &str,
) -> Error {
    let name = if algorithm == Algorithm::Sha256 {
        "SHA-256"
    } else {
        algorithm.as_str()
    };
    Error::contents(format!(
        "{filename} from {from} has the {name} {found}; expected was {stated}"
    ))
    .help(
        "the file was changed on the server or on the way (a proxy?); nothing of it was kept. Try \
            again, and if it stays so, settle again or ask those who run the depot",
    )
}

fn once(client: &Client, wanted: &Wanted, part: &Path, bytes: Bytes<'_>) -> Result<(Came, Found)> {
    let most = wanted.size.unwrap_or(MOST);
    let mut sink = PartFile::open(part, most, &wanted.hashes, bytes)?;
    if sink.size > 0 && wanted.size == Some(sink.size) {
        return sink.finish();
    }
    let missing = most.saturating_sub(sink.size);
    if wanted.size.is_some() {
        ensure_room(
            part.parent().unwrap_or(Path::new(".")),
            missing,
            &wanted.filename,
        )?;
    }
    let mut request = Request::new(&wanted.url, &wanted.filename, most);
    request.trust = wanted.trust();
    request.learning = wanted
        .learning
        .then_some(if wanted.size.is_some() { missing } else { 0 });
    let head = client.fetch(&request, &mut sink)?;
    match head.status {
        200 | 206 => {}
        // Nothing is left to give: it is whole, or of another file, which its hash will show.
        416 if sink.size > 0 => {
            if !wanted.hashes.has_strong() {
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
    let (came, found) = sink.finish()?;
    match wanted.size {
        Some(size) if came.size != size && !wanted.hashes.has_strong() => {
            let _ = std::fs::remove_file(part);
            let why = format!(
                "{} sends {} bytes of it; {size} were announced",
                words::host(&wanted.url),
                came.size
            );
            Err(words::of_body(why, &wanted.filename, false).error)
        }
        _ => Ok((came, found)),
    }
}

/// A file that grows.
struct PartFile<'a> {
    path: PathBuf,
    file: File,
    stated: &'a Hashes,
    checks: Checks,
    size: u64,
    bytes: Bytes<'a>,
}

impl<'a> PartFile<'a> {
    fn open(path: &Path, most: u64, stated: &'a Hashes, bytes: Bytes<'a>) -> Result<Self> {
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
        let mut checks = Checks::of(stated);
        let mut size = 0;
        let mut buffer = vec![0; 1 << 17];
        loop {
            let n = std::io::Read::read(&mut file, &mut buffer).doing("cannot read", path)?;
            let Some(more) = buffer.get(..n).filter(|p| !p.is_empty()) else {
                break;
            };
            checks.update(more);
            size += n as u64;
        }
        let mut part = PartFile {
            path: path.to_owned(),
            file,
            stated,
            checks,
            size: 0,
            bytes,
        };
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
        self.file
            .set_len(0)
            .and_then(|()| self.file.seek(SeekFrom::Start(0)))
            .doing("cannot write to", &self.path)?;
        self.checks = Checks::of(self.stated);
        self.size = 0;
        Ok(())
    }

    fn finish(self) -> Result<(Came, Found)> {
        // What is renamed into place must not be empty after a power cut.
        self.file.sync_data().doing("cannot write", &self.path)?;
        let found = self.checks.finish();
        Ok((
            Came {
                sha256: found.sha256.clone(),
                size: self.size,
            },
            found,
        ))
    }
}

impl Sink for PartFile<'_> {
    fn begin(&mut self, head: &Head) -> Result<bool> {
        match head.status {
            206 if head
                .content_range()
                .is_some_and(|(start, _)| start == self.size) =>
            {
                Ok(true)
            }
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
        self.file
            .write_all(bytes)
            .doing("cannot write", &self.path)?;
        self.checks.update(bytes);
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
/// When it cannot be read or written, or has another hash than one of these.
pub(crate) fn copy(from: &Path, hashes: &Hashes, part: &Path, bytes: Bytes<'_>) -> Result<Came> {
    if let Some(folder) = part.parent() {
        std::fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    let size = std::fs::metadata(from).doing("cannot read", from)?.len();
    ensure_room(
        part.parent().unwrap_or(Path::new(".")),
        size,
        &from.display().to_string(),
    )?;
    std::fs::copy(from, part).doing("cannot copy", from)?;
    let came = check_file(part, from, hashes).inspect_err(|_| {
        let _ = std::fs::remove_file(part);
    })?;
    bytes(i64::try_from(came.size).unwrap_or(0));
    Ok(came)
}

/// Checks every hash that is stated of a file on this disk; `shown` names it.
///
/// # Errors
/// When it cannot be read, or has another hash.
pub(crate) fn check_file(path: &Path, shown: &Path, hashes: &Hashes) -> Result<Came> {
    let mut file = File::open(path).doing("cannot open", path)?;
    let mut checks = Checks::of(hashes);
    let (mut size, mut buffer) = (0, vec![0; 1 << 17]);
    loop {
        let n = std::io::Read::read(&mut file, &mut buffer).doing("cannot read", path)?;
        let Some(more) = buffer.get(..n).filter(|p| !p.is_empty()) else {
            break;
        };
        checks.update(more);
        size += n as u64;
    }
    let found = checks.finish();
    if let Some((algorithm, stated, found)) = found.differs(hashes) {
        let name = if algorithm == Algorithm::Sha256 {
            "SHA-256"
        } else {
            algorithm.as_str()
        };
        let message = format!(
            "{} has the {name} {found}; expected was {stated}",
            shown.display()
        );
        return Err(Error::contents(message).help(
            "the file was changed since it was pinned: get the pinned one back, or settle again",
        ));
    }
    Ok(Came {
        sha256: found.sha256,
        size,
    })
}

#[cfg(test)]
mod tests;
