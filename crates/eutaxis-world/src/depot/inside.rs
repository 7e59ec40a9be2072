//! Metadata from inside wheels and source distributions.

use std::fs::File;
use std::io::{Read, Seek};
use std::path::Path;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::fault::Fault;

use crate::error::Doing;
use crate::{Error, ErrorKind, Result};

/// No metadata file is larger; what claims to be is refused before it is read.
const LARGEST: u64 = 16 * 1024 * 1024;

fn bad(path: &Path, what: impl std::fmt::Display) -> Error {
    Error::contents(format!("{} cannot be used: {what}", path.display()))
        .help("the file is damaged or not what its name says: fetch it again, or take it out of the depot")
}

fn parse(path: &Path, bytes: &[u8]) -> Result<Metadata> {
    read_metadata(bytes, path.display())
}

/// Reads metadata that came from somewhere.
pub(super) fn read_metadata(bytes: &[u8], from: impl std::fmt::Display) -> Result<Metadata> {
    Metadata::parse(bytes).map_err(|f: Fault| {
        Error::new(ErrorKind::Metadata, format!("{f} ({from})"))
            .help("take another release, or tell those who publish it")
    })
}

/// METADATA of a wheel.
///
/// # Errors
/// When the file is no zip, has no or several `.dist-info`, or its metadata cannot be read.
pub fn wheel_metadata(path: &Path) -> Result<Metadata> {
    parse(path, &wheel_metadata_bytes(path)?)
}

/// The bytes of METADATA of a wheel.
///
/// # Errors
/// As for [`wheel_metadata`].
pub(crate) fn wheel_metadata_bytes(path: &Path) -> Result<Vec<u8>> {
    let file = File::open(path).doing("cannot open", path)?;
    member_of_archive(std::io::BufReader::new(file)).map_err(|why| bad(path, why))
}

/// The bytes of METADATA of a wheel, from wherever its archive is read. On failure says why.
pub(super) fn member_of_archive(archive: impl Read + Seek) -> std::result::Result<Vec<u8>, String> {
    let mut zip = zip::ZipArchive::new(archive).map_err(|e| format!("it is not a whole zip archive ({e})"))?;
    let is_metadata =
        |n: &str| n.strip_suffix("/METADATA").is_some_and(|f| f.ends_with(".dist-info") && !f.contains('/'));
    let names: Vec<String> = zip.file_names().filter(|n| is_metadata(n)).map(str::to_owned).collect();
    let [name] = names.as_slice() else {
        return Err("it does not hold exactly one .dist-info/METADATA".to_owned());
    };
    let member = zip.by_name(name).map_err(|e| e.to_string())?;
    let mut bytes = Vec::new();
    member.take(LARGEST).read_to_end(&mut bytes).map_err(|e| e.to_string())?;
    Ok(bytes)
}

/// Metadata of a source distribution, when it is static by the standard: PKG-INFO of metadata 2.2 or later, else a
/// `[project]` table without dynamic fields. None when only building would tell.
///
/// # Errors
/// When the archive cannot be read.
pub fn sdist_metadata(path: &Path) -> Result<Option<Metadata>> {
    let (mut info, mut project) = (None, None);
    let mut take = |name: &str, reader: &mut dyn Read| -> std::io::Result<bool> {
        // Only files right under the one top folder.
        let slot = match name.split('/').collect::<Vec<_>>().as_slice() {
            [_, "PKG-INFO"] => &mut info,
            [_, "pyproject.toml"] => &mut project,
            _ => return Ok(false),
        };
        let mut bytes = Vec::new();
        reader.take(LARGEST).read_to_end(&mut bytes)?;
        *slot = Some(bytes);
        Ok(info.is_some() && project.is_some())
    };
    let file = std::io::BufReader::new(File::open(path).doing("cannot open", path)?);
    if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("zip")) {
        let mut zip =
            zip::ZipArchive::new(file).map_err(|e| bad(path, format!("it is not a whole zip archive ({e})")))?;
        for i in 0..zip.len() {
            let mut member = zip.by_index(i).map_err(|e| bad(path, e))?;
            let name = String::from_utf8_lossy(member.name_raw()).into_owned();
            if take(&name, &mut member).map_err(|e| bad(path, e))? {
                break;
            }
        }
    } else {
        let mut archive = tar::Archive::new(flate2::read::GzDecoder::new(file));
        for entry in archive.entries().map_err(|e| bad(path, e))? {
            let mut entry = entry.map_err(|e| bad(path, format!("it is not a whole tar.gz archive ({e})")))?;
            let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
            if take(&name, &mut entry).map_err(|e| bad(path, e))? {
                break;
            }
        }
    }
    if let Some(metadata) = info.map(|bytes| parse(path, &bytes)).transpose()?.filter(Metadata::needs_are_static) {
        return Ok(Some(metadata));
    }
    let text = project.map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
    // A project file that cannot be read says nothing; building would tell.
    Ok(text.and_then(|t| Metadata::from_pyproject(&t).ok().flatten()))
}

/// Bytes of a wheel's files once unpacked, as its directory states; none when it cannot be read.
pub fn unpacked_size(path: &Path) -> Option<u64> {
    let zip = zip::ZipArchive::new(std::io::BufReader::new(File::open(path).ok()?)).ok()?;
    zip.decompressed_size().and_then(|n| u64::try_from(n).ok())
}
