//! Small dealings with files that every module needs: whole writes, locks, hashes.

use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use crate::error::{Doing, Error, ErrorKind, Result};
use crate::hash::Sha256;

/// How the names of files begin that are not finished yet.
pub(crate) const UNFINISHED: &str = ".eutaxis-";

/// Writes a file so that it appears whole or not at all. A pipe or a device stays what it is, and
/// takes the bytes as they come.
///
/// # Errors
/// When the folder cannot be written to; the old file is then as it was.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<()> {
    if fs::metadata(path).is_ok_and(|m| !m.is_file() && !m.is_dir()) {
        let mut file = fs::OpenOptions::new()
            .write(true)
            .open(path)
            .doing("cannot write", path)?;
        return file
            .write_all(bytes)
            .and_then(|()| file.flush())
            .doing("cannot write", path);
    }
    let folder = match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    };
    fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
    let mut file = tempfile::Builder::new()
        .prefix(UNFINISHED)
        .tempfile_in(&folder)
        .doing("cannot write to", &folder)?;
    file.write_all(bytes)
        .and_then(|()| file.as_file().sync_all())
        .doing("cannot write", path)?;
    readable_by_all(file.as_file());
    crate::halt::at("file-written");
    file.persist(path)
        .map_err(|e| e.error)
        .doing("cannot write", path)?;
    Ok(())
}

/// Changes the text of a file of the user's from `before` to `after`, whole or not at all: a link
/// stays a link, and what could be run stays so. A file that is not there yet is made.
///
/// # Errors
/// When the file is read-only, holds another text by now, or cannot be written.
pub fn change_whole(path: &Path, before: &str, after: &str) -> Result<()> {
    ensure_changeable(path, before)?;
    let place = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let permissions = fs::metadata(&place).ok().map(|m| m.permissions());
    write_whole(&place, after.as_bytes())?;
    match permissions {
        Some(permissions) => {
            fs::set_permissions(&place, permissions).doing("cannot set the permissions of", &place)
        }
        None => Ok(()),
    }
}

/// Whether a file of the user's can be changed: it may be written to, and still holds what was
/// read.
///
/// # Errors
/// When not.
pub fn ensure_changeable(path: &Path, before: &str) -> Result<()> {
    if !path.exists() {
        return Ok(());
    }
    let metadata = fs::metadata(path).doing("cannot look at", path)?;
    if metadata.permissions().readonly() {
        let error = Error::new(
            ErrorKind::Permission,
            format!("{} is read-only", path.display()),
        );
        return Err(error.help("make it writable, or change the line yourself"));
    }
    if read_text(path)? != before {
        let error = Error::new(
            ErrorKind::Contents,
            format!("{} was changed in the meantime", path.display()),
        );
        return Err(error.help("run the same again"));
    }
    Ok(())
}

/// Temporary files are private by default; what replaces an ordinary file should be an ordinary
/// one.
#[cfg(unix)]
fn readable_by_all(file: &File) {
    use std::os::unix::fs::PermissionsExt;
    // A file system without permissions keeps its own.
    let _ = file.set_permissions(fs::Permissions::from_mode(0o644));
}

#[cfg(not(unix))]
fn readable_by_all(_: &File) {}

/// The SHA-256 of a file in lower-case hexadecimal, and its size.
///
/// # Errors
/// When the file cannot be read.
pub fn sha256_of(path: &Path) -> Result<(String, u64)> {
    sha256_from(&mut File::open(path).doing("cannot open", path)?, path)
}

/// The same of an open file, from where it stands; `path` names it in errors.
///
/// # Errors
/// When the file cannot be read.
pub fn sha256_from(file: &mut File, path: &Path) -> Result<(String, u64)> {
    let mut hasher = Sha256::new();
    let mut buffer = vec![0; 1 << 17];
    let mut size = 0;
    loop {
        let n = file.read(&mut buffer).doing("cannot read", path)?;
        let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else {
            break;
        };
        hasher.update(part);
        size += n as u64;
    }
    Ok((eutaxis_core::artifact::hex(&hasher.finalize()), size))
}

/// An exclusive lock on a file, held until dropped; the system drops it when the process ends in
/// whatever way.
#[derive(Debug)]
pub struct Lock {
    _file: File,
}

/// Where the lock of a thing lies in a cache folder: by the beginning of a hash of what it is,
/// behind a word for its kind.
pub(crate) fn lock_path(cache: &Path, kind: &str, hash: &str) -> PathBuf {
    cache
        .join("locks")
        .join(format!("{kind}{}.lock", hash.get(..32).unwrap_or(hash)))
}

/// Takes the lock at `path`. When another process has it, `waiting` is called once and then it is
/// waited for.
///
/// # Errors
/// When the lock file cannot be made.
pub fn lock(path: &Path, waiting: &dyn Fn()) -> Result<Lock> {
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    let file = File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(path)
        .doing("cannot open the lock", path)?;
    if file.try_lock().is_err() {
        waiting();
        file.lock().doing("cannot lock", path)?;
    }
    Ok(Lock { _file: file })
}

/// Less than this is written without looking whether there is room.
const SMALL: u64 = 8 << 20;

/// Whether there is room for so many bytes in a folder, which need not be there yet; asked before
/// the first byte is fetched.
///
/// # Errors
/// When there is less. Where the system does not say how much there is, it is tried.
pub(crate) fn ensure_room(folder: &Path, bytes: u64, what: &str) -> Result<()> {
    if bytes < SMALL {
        return Ok(());
    }
    let free = folder
        .ancestors()
        .filter(|f| !f.as_os_str().is_empty())
        .find_map(room);
    match free {
        Some(free) if free < bytes => {
            let size = size;
            let message = format!(
                "{what} would take {} in {}, where {} are free; nothing was fetched",
                size(bytes),
                folder.display(),
                size(free)
            );
            Err(Error::new(ErrorKind::Disk, message).help(
                "make room (eutaxis stock --trim 30d drops what was not used for so long), or name \
                    another folder with --cache",
            ))
        }
        _ => Ok(()),
    }
}

/// Whether a path leads to a file that may be executed.
pub(crate) fn is_program(path: &Path) -> bool {
    let Ok(found) = path.metadata() else {
        return false;
    };
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        found.is_file() && found.permissions().mode() & 0o111 != 0
    }
    #[cfg(not(unix))]
    found.is_file()
}

/// Bytes that are free for this user where a folder lies.
#[cfg(unix)]
pub(crate) fn room(folder: &Path) -> Option<u64> {
    let told = rustix::fs::statvfs(folder).ok()?;
    Some(told.f_bavail.saturating_mul(told.f_frsize))
}

#[cfg(not(unix))]
pub(crate) fn room(_: &Path) -> Option<u64> {
    None
}

/// Files that describe something are not larger than this.
const MOST_BYTES: u64 = 64 << 20;

/// The bytes of a file that describes something; not of what is no file, which might never end.
///
/// # Errors
/// When it is not there, is no file, is larger than can be meant, or cannot be read.
pub(crate) fn read_plain(path: &Path) -> std::io::Result<Vec<u8>> {
    let metadata = fs::metadata(path)?;
    if !metadata.is_file() || metadata.len() > MOST_BYTES {
        return Err(std::io::Error::other(
            "it is no file of a size that can be meant",
        ));
    }
    fs::read(path)
}

/// The bytes of a small text file.
///
/// # Errors
/// When it cannot be read or is not UTF-8.
pub fn read_text(path: &Path) -> Result<String> {
    let bytes = fs::read(path).doing("cannot read", path)?;
    String::from_utf8(bytes).map_err(|e| {
        let at = e.utf8_error().valid_up_to();
        crate::Error::request(format!(
            "{} is not UTF-8 text: byte {at} cannot be read",
            path.display()
        ))
        .help("save the file as UTF-8")
    })
}

/// A path as text for people and files, `/`-separated on every system.
pub fn slashed(path: &Path) -> String {
    let text = path.to_string_lossy();
    if cfg!(windows) {
        text.replace('\\', "/")
    } else {
        text.into_owned()
    }
}

/// The `file:` URL of an absolute path.
pub fn file_url(path: &Path) -> String {
    use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};
    const KEPT: &AsciiSet = &CONTROLS
        .add(b' ')
        .add(b'#')
        .add(b'?')
        .add(b'%')
        .add(b'"')
        .add(b'<')
        .add(b'>')
        .add(b'`')
        .add(b';');
    format!("file://{}", utf8_percent_encode(&slashed(path), KEPT))
}

/// The way from a folder to a file, `/`-separated; both must be absolute. None when there is none
/// (another drive).
pub fn relative(from: &Path, to: &Path) -> Option<String> {
    let (mut a, mut b) = (from.components().peekable(), to.components().peekable());
    let mut shared = 0;
    while a.peek().is_some() && a.peek() == b.peek() {
        a.next();
        b.next();
        shared += 1;
    }
    if shared == 0 {
        return None;
    }
    let mut way = PathBuf::new();
    a.for_each(|_| way.push(".."));
    b.for_each(|part| way.push(part));
    Some(slashed(&way))
}

/// Removes a tree as far as it goes.
pub(crate) fn remove_tree(path: &Path) {
    if remove_together(path).is_err() {
        // What cannot be removed now is swept later.
        let _ = fs::remove_dir_all(path);
    }
}

/// Removes a folder, those in it by several threads.
fn remove_together(folder: &Path) -> std::io::Result<()> {
    let mut folders = Vec::new();
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        match entry.file_type()?.is_dir() {
            true => folders.push(entry.path()),
            false => fs::remove_file(entry.path())?,
        }
    }
    folders.par_iter().try_for_each(|f| remove_together(f))?;
    fs::remove_dir(folder)
}

/// Bytes for people, in decimal units.
pub(crate) fn size(bytes: u64) -> String {
    match bytes {
        0..1_000 => format!("{bytes} bytes"),
        1_000..1_000_000 => format!("{} kB", bytes / 1_000),
        1_000_000..1_000_000_000 => format!("{} MB", bytes / 1_000_000),
        _ => format!(
            "{}.{} GB",
            bytes / 1_000_000_000,
            bytes % 1_000_000_000 / 100_000_000
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_replaced_whole() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("deep/x.txt");
        write_whole(&path, b"one").unwrap();
        write_whole(&path, b"two").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"two");
        assert_eq!(
            fs::read_dir(folder.path().join("deep")).unwrap().count(),
            1,
            "no temporary file is left"
        );
    }

    #[test]
    fn the_way_between_paths_is_found() {
        let way = |a: &str, b: &str| relative(Path::new(a), Path::new(b));
        assert_eq!(way("/a/b", "/a/c/d.whl").as_deref(), Some("../c/d.whl"));
        assert_eq!(way("/a/b", "/a/b/d.whl").as_deref(), Some("d.whl"));
    }

    #[test]
    fn hashes_are_those_of_the_bytes() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("x");
        fs::write(&path, "hello").unwrap();
        assert_eq!(
            sha256_of(&path).unwrap(),
            (
                "2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824".to_owned(),
                5
            )
        );
    }
}
