//! Source distributions as archives (PEP 517, 625 and 721): what they hold, and unpacking them.

mod digest;
mod unpack;

use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path;

use crate::error::Doing;
use crate::{Error, Result};

pub use digest::digest;
pub use unpack::unpack;

/// No more is unpacked of an archive.
const MOST_UNPACKED: u64 = 16 << 30;
/// No archive has more entries.
const MOST_ENTRIES: usize = 200_000;

/// What an entry of an archive is.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Kind {
    File {
        executable: bool,
    },
    Folder,
    /// A link, by the path that it says.
    Link(String),
    /// Another name of a file of the archive, by that one's path.
    Same(String),
    /// What an archive of sources must not hold.
    Other,
}

/// An entry of an archive.
struct Entry<'a> {
    path: String,
    kind: Kind,
    size: u64,
    contents: &'a mut dyn Read,
}

/// Goes through an archive; ends early when the visitor says so (false).
fn each(path: &Path, visit: &mut dyn FnMut(Entry<'_>) -> Result<bool>) -> Result<()> {
    let file = File::open(path).doing("cannot open", path)?;
    let is_zip = path
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("zip"));
    let mut counted = 0;
    let mut visit = |entry: Entry<'_>| {
        counted += 1;
        if counted > MOST_ENTRIES {
            return Err(refused(
                path,
                format!("it holds more than {MOST_ENTRIES} entries"),
            ));
        }
        visit(entry)
    };
    if is_zip {
        each_zipped(path, file, &mut visit)
    } else {
        each_tarred(path, file, &mut visit)
    }
}

fn each_tarred(
    path: &Path,
    file: File,
    visit: &mut dyn FnMut(Entry<'_>) -> Result<bool>,
) -> Result<()> {
    let damaged =
        |e: std::io::Error| refused(path, format!("it is not a whole tar.gz archive ({e})"));
    let plain = flate2::read::GzDecoder::new(BufReader::new(file)).take(MOST_UNPACKED);
    let mut archive = tar::Archive::new(plain);
    for entry in archive.entries().map_err(damaged)? {
        let mut entry = entry.map_err(damaged)?;
        let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
        let target = |entry: &tar::Entry<'_, _>| {
            let bytes = entry.link_name_bytes();
            bytes.map_or(String::new(), |b| String::from_utf8_lossy(&b).into_owned())
        };
        let header = entry.header();
        let found = header.entry_type();
        let kind = if found.is_pax_global_extensions() || found.is_pax_local_extensions() {
            continue;
        } else if found.is_file() || found.is_contiguous() || found.is_gnu_sparse() {
            Kind::File {
                executable: header.mode().is_ok_and(|m| m & 0o100 != 0),
            }
        } else if found.is_dir() {
            Kind::Folder
        } else if found.is_symlink() {
            Kind::Link(target(&entry))
        } else if found.is_hard_link() {
            Kind::Same(target(&entry))
        } else {
            Kind::Other
        };
        let size = entry.size();
        let goes_on = visit(Entry {
            path: name,
            kind,
            size,
            contents: &mut entry,
        })?;
        if !goes_on {
            return Ok(());
        }
    }
    Ok(())
}

fn each_zipped(
    path: &Path,
    file: File,
    visit: &mut dyn FnMut(Entry<'_>) -> Result<bool>,
) -> Result<()> {
    const LINK: u32 = 0o120_000;
    const FORMAT: u32 = 0o170_000;
    let damaged =
        |e: zip::result::ZipError| refused(path, format!("it is not a whole zip archive ({e})"));
    let mut zip = zip::ZipArchive::new(BufReader::new(file)).map_err(damaged)?;
    for i in 0..zip.len() {
        let mut member = zip.by_index(i).map_err(damaged)?;
        let name = String::from_utf8_lossy(member.name_raw()).into_owned();
        let mode = member.unix_mode().unwrap_or(0);
        let kind = if member.is_dir() {
            Kind::Folder
        } else if mode & FORMAT == LINK {
            Kind::Other
        } else {
            Kind::File {
                executable: mode & 0o100 != 0,
            }
        };
        let size = member.size();
        let goes_on = visit(Entry {
            path: name,
            kind,
            size,
            contents: &mut member,
        })?;
        if !goes_on {
            return Ok(());
        }
    }
    Ok(())
}

/// An archive that is refused, with the reason.
fn refused(path: &Path, why: impl std::fmt::Display) -> Error {
    let message = format!("{} is refused: {why}", path.display());
    Error::new(crate::ErrorKind::Refused, message)
        .help("it was published so, and another copy is no better: take another release")
}
