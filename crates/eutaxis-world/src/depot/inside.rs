//! Metadata from inside wheels and source distributions.

use std::fs::File;
use std::io::{Read, Seek};
use std::path::Path;

use eutaxis_core::artifact::{Metadata, SourceFiles};
use eutaxis_core::fault::Fault;

use crate::error::Doing;
use crate::{Error, ErrorKind, Result};

/// No metadata file is larger; what claims to be is refused before it is read.
const LARGEST: u64 = 16 * 1024 * 1024;
/// No more of a source archive is unpacked to find its metadata.
const MOST_UNPACKED: u64 = 2 << 30;

fn bad(path: &Path, what: impl std::fmt::Display) -> Error {
    Error::contents(format!("{} cannot be used: {what}", path.display())).help(
        "the file is damaged or not what its name says: fetch it again, or take it out of the \
            depot",
    )
}

fn parse(path: &Path, bytes: &[u8]) -> Result<Metadata> {
    read_metadata(bytes, path.display())
}

/// Reads metadata that came from somewhere.
pub(super) fn read_metadata(bytes: &[u8], from: impl std::fmt::Display) -> Result<Metadata> {
    Metadata::parse(bytes).map_err(|fault| unreadable(&fault, from))
}

fn unreadable(fault: &Fault, from: impl std::fmt::Display) -> Error {
    Error::new(ErrorKind::Metadata, format!("{fault} ({from})"))
        .help("take another release, or tell those who publish it")
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

/// The bytes of `variant.json` of a wheel (draft PEP 825).
///
/// # Errors
/// When the file is no zip, or has no or several of it.
pub(crate) fn variant_bytes(path: &Path) -> Result<Vec<u8>> {
    let file = File::open(path).doing("cannot open", path)?;
    described(std::io::BufReader::new(file), "variant.json").map_err(|why| bad(path, why))
}

/// The bytes of METADATA of a wheel, from wherever its archive is read. On failure says why.
pub(super) fn member_of_archive(archive: impl Read + Seek) -> std::result::Result<Vec<u8>, String> {
    described(archive, "METADATA")
}

/// The bytes of a file that describes a wheel.
fn described(archive: impl Read + Seek, file: &str) -> std::result::Result<Vec<u8>, String> {
    let mut zip = zip::ZipArchive::new(archive)
        .map_err(|e| format!("it is not a whole zip archive ({e})"))?;
    let is_metadata = |n: &str| {
        n.strip_suffix(file)
            .and_then(|n| n.strip_suffix('/'))
            .is_some_and(|f| f.ends_with(".dist-info") && !f.contains('/'))
    };
    let names: Vec<String> = zip
        .file_names()
        .filter(|n| is_metadata(n))
        .map(str::to_owned)
        .collect();
    let [name] = names.as_slice() else {
        return Err(format!("it does not hold exactly one .dist-info/{file}"));
    };
    let member = zip.by_name(name).map_err(|e| e.to_string())?;
    let mut bytes = Vec::new();
    member
        .take(LARGEST)
        .read_to_end(&mut bytes)
        .map_err(|e| e.to_string())?;
    Ok(bytes)
}

/// Metadata of a source distribution: static by the standard (PEP 643), else what files of an older
/// kind say, unsurely. None when only building would tell.
///
/// # Errors
/// When the archive cannot be read.
pub fn sdist_metadata(path: &Path) -> Result<Option<Metadata>> {
    let mut file = std::io::BufReader::new(File::open(path).doing("cannot open", path)?);
    let is_zip = path
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("zip"));
    let read = if is_zip {
        read_zipped_source(file)
    } else {
        read_source(&mut file)
    };
    source_metadata(&read.map_err(|why| bad(path, why))?, path.display())
}

/// Takes a member of a source distribution; true when all that counts was seen.
fn take(files: &mut SourceFiles, name: &str, reader: &mut dyn Read) -> std::io::Result<bool> {
    if !SourceFiles::counts(name) {
        return Ok(false);
    }
    let mut bytes = Vec::new();
    reader.take(LARGEST).read_to_end(&mut bytes)?;
    files.take(name, bytes);
    Ok(files.says_all())
}

/// Reads a tar archive of a source distribution until all that counts was seen. On failure says
/// why.
pub(super) fn read_source(archive: &mut dyn Read) -> std::result::Result<SourceFiles, String> {
    let mut files = SourceFiles::default();
    let plain = flate2::read::GzDecoder::new(archive).take(MOST_UNPACKED);
    let mut archive = tar::Archive::new(plain);
    let damaged = |e: std::io::Error| format!("it is not a whole tar.gz archive ({e})");
    for entry in archive.entries().map_err(damaged)? {
        let mut entry = entry.map_err(damaged)?;
        let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
        if take(&mut files, &name, &mut entry).map_err(damaged)? {
            break;
        }
    }
    Ok(files)
}

fn read_zipped_source(archive: impl Read + Seek) -> std::result::Result<SourceFiles, String> {
    let mut files = SourceFiles::default();
    let mut zip = zip::ZipArchive::new(archive)
        .map_err(|e| format!("it is not a whole zip archive ({e})"))?;
    for i in 0..zip.len() {
        let mut member = zip.by_index(i).map_err(|e| e.to_string())?;
        let name = String::from_utf8_lossy(member.name_raw()).into_owned();
        if take(&mut files, &name, &mut member).map_err(|e| e.to_string())? {
            break;
        }
    }
    Ok(files)
}

/// What the files of a source distribution say, as [`sdist_metadata`].
///
/// # Errors
/// When PKG-INFO cannot be read.
pub(super) fn source_metadata(
    files: &SourceFiles,
    from: impl std::fmt::Display,
) -> Result<Option<Metadata>> {
    files.metadata().map_err(|fault| unreadable(&fault, from))
}

/// The error of a wheel with several `.dist-info` folders.
pub(super) fn several(from: impl std::fmt::Display) -> Error {
    Error::new(
        ErrorKind::Metadata,
        format!("it does not hold exactly one .dist-info/METADATA ({from})"),
    )
    .help("take another release, or tell those who publish it")
}

#[cfg(test)]
mod tests {
    use std::io::{Cursor, Write};

    use rstest::rstest;

    use super::*;

    const METADATA: &str = "Metadata-Version: 2.2\nName: firnio\nVersion: 1.3\n";

    fn zipped(members: &[(&str, &str)]) -> Vec<u8> {
        let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
        for (name, text) in members {
            let options = zip::write::SimpleFileOptions::default();
            writer.start_file(*name, options).unwrap();
            writer.write_all(text.as_bytes()).unwrap();
        }
        writer.finish().unwrap().into_inner()
    }

    #[rstest]
    #[case::one(&[("firnio-1.3.dist-info/METADATA", METADATA), ("firnio.py", "")], Ok(METADATA))]
    #[case::none(&[("firnio.py", "")], Err("it does not hold exactly one"))]
    #[case::two(&[("a-1.dist-info/METADATA", ""), ("b-1.dist-info/METADATA", "")], Err("it does not hold exactly one"))]
    #[case::deeper(&[("x/a-1.dist-info/METADATA", "")], Err("it does not hold exactly one"))]
    fn metadata_of_a_wheel_stand_in_one_place(
        #[case] members: &[(&str, &str)],
        #[case] expected: std::result::Result<&str, &str>,
    ) {
        let found = member_of_archive(Cursor::new(zipped(members)));
        match expected {
            Ok(text) => assert_eq!(found.unwrap(), text.as_bytes()),
            Err(why) => assert!(found.unwrap_err().starts_with(why)),
        }
    }

    #[test]
    fn a_source_that_says_all_is_not_read_to_its_end() {
        let mut archive = zipped(&[("firnio-1.3/PKG-INFO", METADATA), ("firnio-1.3/a.py", "")]);
        let files = read_zipped_source(Cursor::new(&archive)).unwrap();
        assert!(
            files
                .metadata()
                .unwrap()
                .is_some_and(|m| m.unsure.is_none())
        );
        archive.truncate(archive.len() / 2);
        let why = read_zipped_source(Cursor::new(&archive)).unwrap_err();
        assert!(why.starts_with("it is not a whole zip archive"), "{why}");
        let why = read_source(&mut &archive[..]).unwrap_err();
        assert!(why.starts_with("it is not a whole tar.gz archive"), "{why}");
    }
}
