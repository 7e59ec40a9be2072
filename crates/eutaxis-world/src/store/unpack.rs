//! Unpacking a wheel safely (design, section 7; digest 3.2, 3.4, 3.8): nothing is believed that was not checked.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;

use eutaxis_core::Name;
use eutaxis_core::artifact::{Metadata, NameRules, Record, WheelInfo, WheelName, record_base64, unsafe_member};
use zip::ZipArchive;

use super::{Manifest, StoredFile};
use crate::error::Doing;
use crate::files::sha256_from;
use crate::hash::{Sha256, sha384, sha512};
use crate::{Error, Result};

const MOST_ENTRIES: usize = 200_000;
const MOST_BYTES: u64 = 16 << 30;
/// A member may be this many times its packed size, unless it is small.
const MOST_RATIO: u64 = 200;
const SMALL: u64 = 64 << 20;

/// Kinds of entries, in the upper half of their external attributes.
const KIND_MASK: u32 = 0o170_000;
const KIND_FILE: u32 = 0o100_000;
const KIND_FOLDER: u32 = 0o040_000;

/// A wheel that is refused, with the reason.
pub(super) fn refuse(wheel: &Path, why: impl std::fmt::Display) -> Error {
    Error::contents(format!("{} is refused: {why}", wheel.display()))
        .help("fetch the file again; if it stays so, do not use it")
}

/// Unpacks a wheel into a new folder, checking hash, names, sizes, RECORD and metadata. Gives what it holds and how many
/// bytes the wheel has.
pub(super) fn unpack(
    wheel: &Path,
    name: &WheelName,
    sha256: &str,
    rules: NameRules,
    into: &Path,
) -> Result<(Manifest, u64)> {
    let mut file = File::open(wheel).doing("cannot open", wheel)?;
    let size = ensure_hash(&mut file, wheel, sha256)?;
    let stated = stated_entries(&mut file);
    let mut zip = ZipArchive::new(BufReader::new(file))
        .map_err(|e| refuse(wheel, format!("it is not a whole zip archive ({e})")))?;
    if zip.len() > MOST_ENTRIES {
        return Err(refuse(wheel, format!("it holds more than {MOST_ENTRIES} entries")));
    }
    if stated.is_some_and(|n| n != zip.len()) {
        return Err(refuse(wheel, "two of its entries have one name"));
    }
    let members = judge(&mut zip, wheel, rules)?;
    fs::create_dir_all(into).doing("cannot make the folder", into)?;
    let mut files = Vec::with_capacity(members.len());
    let mut made = BTreeSet::new();
    for (index, path, executable) in members {
        let target = into.join(&path);
        if let Some(folder) = target.parent().filter(|f| !made.contains(*f)) {
            fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
            made.insert(folder.to_owned());
        }
        let member = zip.by_index(index).map_err(|e| refuse(wheel, format!("{path}: {e}")))?;
        let stored = write_member(member, &path, executable, &target, wheel)?;
        files.push(stored);
    }
    let manifest = check_contents(wheel, name, files, into)?;
    Ok((manifest, size))
}

fn ensure_hash(file: &mut File, wheel: &Path, sha256: &str) -> Result<u64> {
    let (found, size) = sha256_from(file, wheel)?;
    if found != sha256.to_ascii_lowercase() {
        let error = Error::contents(format!("{} has the SHA-256 {found}; the pins say {sha256}", wheel.display()));
        return Err(error.help("the file was changed since it was pinned: get the pinned one back, or settle again"));
    }
    file.seek(SeekFrom::Start(0)).doing("cannot read", wheel)?;
    Ok(size)
}

/// How many entries the end of the archive states: the reader joins entries of one name, this count does not.
fn stated_entries(file: &mut File) -> Option<usize> {
    const LONGEST_END: i64 = 22 + 65_535;
    let length = file.seek(SeekFrom::End(0)).ok()? as i64;
    file.seek(SeekFrom::Start((length - LONGEST_END).max(0) as u64)).ok()?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail).ok()?;
    file.seek(SeekFrom::Start(0)).ok()?;
    let at = tail.windows(4).rposition(|w| w == b"PK\x05\x06")?;
    let count = tail.get(at + 10..at + 12)?;
    let count = u16::from_le_bytes([*count.first()?, *count.get(1)?]);
    // 0xffff: the true count stands in a larger record, and so many entries are refused anyway.
    (count != u16::MAX).then_some(usize::from(count))
}

/// Judges every entry before any is written: its name, kind and size.
fn judge(zip: &mut ZipArchive<BufReader<File>>, wheel: &Path, rules: NameRules) -> Result<Vec<(usize, String, bool)>> {
    let mut members = Vec::new();
    let mut seen: BTreeMap<String, bool> = BTreeMap::new();
    let mut total = 0u64;
    for index in 0..zip.len() {
        let member = zip.by_index_raw(index).map_err(|e| refuse(wheel, e))?;
        let Ok(path) = std::str::from_utf8(member.name_raw()).map(str::to_owned) else {
            return Err(refuse(wheel, "the name of an entry is not UTF-8"));
        };
        let shown = eutaxis_core::fault::escaped(&path);
        if let Some(why) = unsafe_member(&path, rules) {
            return Err(refuse(wheel, format!("entry `{shown}`: {why}")));
        }
        let mode = member.unix_mode().unwrap_or(KIND_FILE | 0o644);
        let kind = mode & KIND_MASK;
        let folder = path.ends_with('/');
        if kind != 0 && kind != if folder { KIND_FOLDER } else { KIND_FILE } {
            return Err(refuse(wheel, format!("entry `{shown}` is a link or a device, not a file")));
        }
        if member.encrypted() {
            return Err(refuse(wheel, format!("entry `{shown}` is encrypted")));
        }
        let (packed, unpacked) = (member.compressed_size(), member.size());
        total = total.saturating_add(unpacked);
        if total > MOST_BYTES || (unpacked > SMALL && unpacked > packed.saturating_mul(MOST_RATIO)) {
            return Err(refuse(wheel, format!("entry `{shown}` unpacks to {unpacked} bytes from {packed}")));
        }
        // Names that fold to one on some file systems are refused on all: the wheel must mean the same everywhere.
        let folded = path.trim_end_matches('/').to_lowercase();
        if let Some(was_folder) = seen.insert(folded, folder)
            && !(folder && was_folder)
        {
            return Err(refuse(wheel, format!("two entries have the name `{shown}`, but for case")));
        }
        if !folder {
            members.push((index, path, mode & 0o111 != 0));
        }
    }
    for (path, _) in seen.iter().filter(|(_, folder)| !**folder) {
        let inside = seen.range(format!("{path}/")..).next().is_some_and(|(p, _)| p.starts_with(&format!("{path}/")));
        if inside {
            return Err(refuse(wheel, format!("`{}` is a file and a folder", eutaxis_core::fault::escaped(path))));
        }
    }
    Ok(members)
}

fn write_member(member: impl Read, path: &str, executable: bool, target: &Path, wheel: &Path) -> Result<StoredFile> {
    let file = File::options().write(true).create_new(true).open(target).doing("cannot write", target)?;
    let mut out = BufWriter::with_capacity(1 << 16, file);
    let mut hasher = Sha256::new();
    let mut reader = member.take(MOST_BYTES);
    let mut buffer = vec![0; 1 << 16];
    let mut size = 0;
    loop {
        let n = reader.read(&mut buffer).map_err(|e| refuse(wheel, format!("entry `{path}` is damaged ({e})")))?;
        let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else { break };
        hasher.update(part);
        out.write_all(part).doing("cannot write", target)?;
        size += n as u64;
    }
    out.flush().doing("cannot write", target)?;
    let hash = format!("sha256={}", record_base64(&hasher.finalize()));
    Ok(StoredFile { path: path.to_owned(), hash, size, executable, changed: 0 })
}

/// The contents against the promises: one `.dist-info` of this project and release, WHEEL, METADATA, RECORD.
fn check_contents(wheel: &Path, name: &WheelName, files: Vec<StoredFile>, root: &Path) -> Result<Manifest> {
    let tops: BTreeSet<&str> = files.iter().filter_map(|f| f.path.split_once('/').map(|(top, _)| top)).collect();
    let mut infos = tops.iter().filter(|t| t.ends_with(".dist-info"));
    let (Some(dist_info), None) = (infos.next().map(|t| (*t).to_owned()), infos.next()) else {
        return Err(refuse(wheel, "it does not hold exactly one .dist-info folder"));
    };
    if tops.iter().filter(|t| t.ends_with(".data")).count() > 1 {
        return Err(refuse(wheel, "it holds several .data folders"));
    }
    let read = |file: &str| {
        fs::read(root.join(&dist_info).join(file)).map_err(|_| refuse(wheel, format!("{dist_info}/{file} is missing")))
    };
    let stem = dist_info.trim_end_matches(".dist-info");
    let truthful = stem.split_once('-').is_some_and(|(n, v)| {
        Name::parse(n).is_ok_and(|n| n == name.name) && eutaxis_core::Version::parse(v).is_ok_and(|v| v == name.version)
    });
    if !truthful {
        return Err(refuse(wheel, format!("its folder {dist_info} is not that of {} {}", name.name, name.version)));
    }
    let metadata = Metadata::parse(&read("METADATA")?).map_err(|f| refuse(wheel, f))?;
    if metadata.name != name.name || metadata.version != name.version {
        let (theirs, version) = (&metadata.name, &metadata.version);
        return Err(refuse(
            wheel,
            format!("its metadata says {theirs} {version}, its name {} {}", name.name, name.version),
        ));
    }
    let info = WheelInfo::parse(&read("WHEEL")?).map_err(|f| refuse(wheel, f))?;
    let record = Record::parse(&read("RECORD")?).map_err(|f| refuse(wheel, f))?;
    check_record(wheel, &dist_info, &record, &files, root)?;
    Ok(Manifest { wheel: file_name(wheel), dist_info, root_is_purelib: info.root_is_purelib, files })
}

fn file_name(path: &Path) -> String {
    path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned())
}

/// Every file but RECORD and its signatures is listed with a hash that matches (digest 3.4).
fn check_record(wheel: &Path, dist_info: &str, record: &Record, files: &[StoredFile], root: &Path) -> Result<()> {
    let listed: BTreeMap<&str, Option<&str>> =
        record.lines.iter().map(|l| (l.path.as_str(), l.hash.as_deref())).collect();
    let unlisted = ["RECORD", "RECORD.jws", "RECORD.p7s"].map(|f| format!("{dist_info}/{f}"));
    for file in files.iter().filter(|f| !unlisted.contains(&f.path)) {
        let shown = eutaxis_core::fault::escaped(&file.path);
        let Some(hash) = listed.get(file.path.as_str()) else {
            return Err(refuse(wheel, format!("`{shown}` is not in its RECORD")));
        };
        let matches = match hash {
            None => return Err(refuse(wheel, format!("`{shown}` has no hash in its RECORD"))),
            Some(hash) if hash.starts_with("sha256=") => file.hash == hash.trim_end_matches('='),
            Some(hash) => other_hash(&root.join(&file.path), hash)?,
        };
        if !matches {
            return Err(refuse(wheel, format!("`{shown}` does not have the hash of its RECORD")));
        }
    }
    Ok(())
}

/// The stronger hashes that RECORD may use; weaker ones are refused.
fn other_hash(path: &Path, hash: &str) -> Result<bool> {
    let bytes = fs::read(path).doing("cannot read", path)?;
    let (algorithm, value) = hash.split_once('=').unwrap_or((hash, ""));
    let found = match algorithm {
        "sha384" => record_base64(&sha384(&bytes)),
        "sha512" => record_base64(&sha512(&bytes)),
        _ => return Ok(false),
    };
    Ok(found == value.trim_end_matches('='))
}
