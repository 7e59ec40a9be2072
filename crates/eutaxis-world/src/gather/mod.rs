//! Fetching pinned files into a folder that is then an index tree: usable offline as a depot, and
//! as it is by any web server.
//!
//! A file appears under its name when its hash was checked, and on its page after that. A run that
//! was killed leaves part files, with which the next goes on.

mod tree;

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicI64, AtomicUsize, Ordering};
use std::time::Instant;

use eutaxis_core::Name;
use eutaxis_core::index::Hashes;
use url::Url;

use crate::environment::WheelAt;
use crate::error::Doing;
use crate::files::{ensure_room, lock, lock_path, sha256_of};
use crate::hash::sha256_hex;
use crate::network::{Network, Wanted, copy};
use crate::threads::each;
use crate::{Error, Result};

/// So many files come at once.
const MOST_AT_ONCE: usize = 6;

/// A file to gather.
#[derive(Debug, Clone)]
pub struct Piece {
    /// The project.
    pub project: Name,
    /// The release, as pinned.
    pub version: String,
    /// The file's name.
    pub filename: String,
    /// Its SHA-256, as pinned.
    pub sha256: String,
    /// All its hashes, as pinned.
    pub hashes: Hashes,
    /// Its bytes, as pinned.
    pub size: Option<u64>,
    /// Where it is.
    pub from: WheelAt,
    /// `requires-python`, as pinned.
    pub requires_python: Option<String>,
    /// When it was published, as pinned.
    pub published: Option<String>,
}

/// How a file came to be in the folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum How {
    /// Over the network.
    Fetched,
    /// From this disk.
    Copied,
    /// It was there already, with the right bytes.
    Kept,
}

/// What was done.
#[derive(Debug)]
pub struct Report {
    /// The folder.
    pub into: PathBuf,
    /// How each file came, with its bytes, in the order of the pieces.
    pub files: Vec<(How, u64)>,
    /// How long it took.
    pub seconds: f64,
}

/// How far it is.
#[derive(Debug, Clone, Copy, Default)]
pub struct Progress {
    /// Bytes that are there.
    pub bytes: u64,
    /// Bytes of all files whose size is known.
    pub of: u64,
    /// Files that are there.
    pub files: usize,
}

/// Gathers the files. `progress` is told how far it is; `waiting` when another run works on the
/// folder.
///
/// # Errors
/// When the folder holds other things, a file cannot be had or has the wrong bytes, or the disk
/// fails. What came before stays, and the folder is in order.
pub fn gather(
    pieces: &[Piece],
    into: &Path,
    network: &Network,
    cache: &Path,
    progress: &(dyn Fn(Progress) + Sync),
    waiting: &dyn Fn(),
) -> Result<Report> {
    let started = Instant::now();
    let into = std::path::absolute(into).doing("cannot find", into)?;
    let name = sha256_hex(into.to_string_lossy().as_bytes());
    let _lock = lock(&lock_path(cache, "gather-", &name), waiting)?;
    let far = pieces.iter().filter(|p| matches!(p.from, WheelAt::Url(_)));
    let absent = far.filter(|p| !into.join(p.project.as_str()).join(&p.filename).is_file());
    network.ensure_within_reach(absent.map(|p| (p.sha256.as_str(), p.filename.as_str())))?;
    tree::ensure_ours(&into)?;
    let missing = pieces
        .iter()
        .filter(|p| !into.join(p.project.as_str()).join(&p.filename).is_file());
    ensure_room(
        &into,
        missing.filter_map(|p| p.size).sum(),
        "what is pinned",
    )?;
    let of = pieces.iter().filter_map(|p| p.size).sum();
    let (bytes, files) = (AtomicI64::new(0), AtomicUsize::new(0));
    let tell = || {
        progress(Progress {
            bytes: u64::try_from(bytes.load(Ordering::Relaxed)).unwrap_or(0),
            of,
            files: files.load(Ordering::Relaxed),
        });
    };
    let more = |n: i64| {
        bytes.fetch_add(n, Ordering::Relaxed);
        tell();
    };
    let results = each(pieces, MOST_AT_ONCE, |piece| {
        let came = one(piece, &into, network, &more)?;
        files.fetch_add(1, Ordering::Relaxed);
        tell();
        Ok(came)
    });
    let came: Vec<&Piece> = pieces
        .iter()
        .zip(&results)
        .filter(|(_, r)| matches!(r, Some(Ok(_))))
        .map(|(p, _)| p)
        .collect();
    tree::write_pages(&into, &came)?;
    let (there, all) = (came.len(), pieces.len());
    let results: Result<Vec<(How, u64)>> = results.into_iter().flatten().collect();
    match results {
        Ok(files) => Ok(Report {
            into,
            files,
            seconds: started.elapsed().as_secs_f64(),
        }),
        Err(error) => {
            let again = "run it again to go on";
            let help = match &error.help {
                Some(help) if !help.is_empty() => format!("{help}; {again}"),
                Some(_) | None => again.to_owned(),
            };
            let note = format!("{there} of {all} files are in {}", into.display());
            Err(error.also(&note).help(help))
        }
    }
}

/// One file, into its place.
fn one(
    piece: &Piece,
    into: &Path,
    network: &Network,
    bytes: &(dyn Fn(i64) + Sync),
) -> Result<(How, u64)> {
    let folder = into.join(piece.project.as_str());
    let target = folder.join(plain_name(&piece.filename)?);
    if target.is_file() {
        let (found, size) = sha256_of(&target)?;
        if found.eq_ignore_ascii_case(&piece.sha256) {
            bytes(i64::try_from(size).unwrap_or(0));
            return Ok((How::Kept, size));
        }
        // Damaged, or another file of that name: it is not what is pinned.
        std::fs::remove_file(&target).doing("cannot remove", &target)?;
    }
    let part = folder.join(format!(".{}.part", piece.filename));
    let (how, came) = match &piece.from {
        WheelAt::Disk(path) => (How::Copied, copy(path, &piece.hashes, &part, bytes)?),
        WheelAt::Url(url) => match network.kept_file(&piece.sha256, &piece.filename) {
            Some(path) => (How::Copied, copy(&path, &piece.hashes, &part, bytes)?),
            None => (
                How::Fetched,
                network.download(&wanted(piece, url), &part, bytes)?,
            ),
        },
    };
    crate::halt::at("file-gathered");
    std::fs::rename(&part, &target).doing("cannot write", &target)?;
    Ok((how, came.size))
}

fn wanted(piece: &Piece, url: &Url) -> Wanted {
    Wanted {
        url: url.clone(),
        filename: piece.filename.clone(),
        hashes: piece.hashes.clone(),
        size: piece.size,
        insecure: false,
        learning: false,
    }
}

/// A name that stays in its folder.
fn plain_name(filename: &str) -> Result<&str> {
    let plain = !filename.starts_with('.')
        && !filename.contains(['/', '\\'])
        && !filename.chars().any(char::is_control);
    if plain && !filename.is_empty() {
        return Ok(filename);
    }
    Err(Error::contents(format!(
        "`{}` cannot be the name of a file",
        eutaxis_core::fault::escaped(filename)
    ))
    .help("the pins are not in order: settle again"))
}
