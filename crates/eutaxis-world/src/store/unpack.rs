//! Unpacking a wheel into the store: nothing is believed that was not checked ([`crate::wheel`]).

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::Path;

use eutaxis_core::artifact::{NameRules, WheelName};

use super::{Manifest, StoredFile};
use crate::error::Doing;
use crate::files::sha256_from;
use crate::hash::Sha256;
use crate::wheel::{Archive, Member, Refusal, Seen, check, hash_of_part};
use crate::{Error, ErrorKind, Result};

/// A wheel that is refused, with the reason.
fn refuse(wheel: &Path, why: impl std::fmt::Display) -> Error {
    let message = format!("{} is refused: {why}", wheel.display());
    Error::new(ErrorKind::Refused, message).help(
        "it was published so, and another copy is no better: `settle --prove` takes another release",
    )
}

/// Why a file could not be unpacked: the wheel, or the disk.
enum Failure {
    Refused(Refusal),
    Disk(Error),
}

impl From<Refusal> for Failure {
    fn from(refusal: Refusal) -> Self {
        Failure::Refused(refusal)
    }
}

/// Unpacks a wheel into a new folder, checking hash, names, sizes, RECORD and metadata. Gives what
/// it holds and how many bytes the wheel has.
pub(super) fn unpack(
    wheel: &Path,
    name: &WheelName,
    sha256: &str,
    rules: NameRules,
    into: &Path,
) -> Result<(Manifest, u64)> {
    let mut file = File::open(wheel).doing("cannot open", wheel)?;
    let size = ensure_hash(&mut file, wheel, sha256)?;
    let refused = |r: Refusal| refuse(wheel, r.detail);
    let mut archive = Archive::open(file).map_err(refused)?;
    let (members, refusals) = archive.judge(rules);
    refusals
        .into_iter()
        .next()
        .map_or(Ok(()), |r| Err(refused(r)))?;
    fs::create_dir_all(into).doing("cannot make the folder", into)?;
    let mut files = Vec::with_capacity(members.len());
    let mut made = BTreeSet::new();
    let mut buffer = vec![0; 1 << 16];
    for member in &members {
        let target = into.join(&member.path);
        if let Some(folder) = target.parent().filter(|f| !made.contains(*f)) {
            fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
            made.insert(folder.to_owned());
        }
        files.push(
            write(&mut archive, member, &mut buffer, &target).map_err(|failure| match failure {
                Failure::Refused(refusal) => refused(refusal),
                Failure::Disk(error) => error,
            })?,
        );
        crate::halt::at("file-unpacked");
    }
    let seen: Vec<Seen> = files
        .iter()
        .map(|f| Seen {
            path: f.path.clone(),
            hash: f.hash.clone(),
        })
        .collect();
    let (said, refusals) = check(name, &seen, &mut |path| fs::read(into.join(path)).ok());
    refusals
        .into_iter()
        .next()
        .map_or(Ok(()), |r| Err(refused(r)))?;
    let manifest = Manifest {
        wheel: wheel
            .file_name()
            .map_or(String::new(), |n| n.to_string_lossy().into_owned()),
        dist_info: said.dist_info.unwrap_or_default(),
        root_is_purelib: said.info.is_some_and(|i| i.root_is_purelib),
        files,
    };
    Ok((manifest, size))
}

fn ensure_hash(file: &mut File, wheel: &Path, sha256: &str) -> Result<u64> {
    let (found, size) = sha256_from(file, wheel)?;
    if found != sha256.to_ascii_lowercase() {
        let error = Error::contents(format!(
            "{} has the SHA-256 {found}; the pins say {sha256}",
            wheel.display()
        ));
        return Err(error.help(
            "the file was changed since it was pinned: get the pinned one back, or settle again",
        ));
    }
    file.seek(SeekFrom::Start(0)).doing("cannot read", wheel)?;
    Ok(size)
}

fn write(
    archive: &mut Archive,
    member: &Member,
    buffer: &mut [u8],
    target: &Path,
) -> std::result::Result<StoredFile, Failure> {
    let disk = |e| Failure::Disk(Error::io("cannot write", target, &e));
    let file = File::options()
        .write(true)
        .create_new(true)
        .open(target)
        .map_err(disk)?;
    let mut out = BufWriter::with_capacity(1 << 16, file);
    let mut hasher = Sha256::new();
    archive.read(member, buffer, |part| {
        hasher.update(part);
        out.write_all(part).map_err(disk)
    })?;
    out.flush().map_err(disk)?;
    let hash = hash_of_part(&hasher.finalize());
    Ok(StoredFile {
        path: member.path.clone(),
        hash,
        size: member.size,
        executable: member.executable,
        changed: 0,
    })
}
