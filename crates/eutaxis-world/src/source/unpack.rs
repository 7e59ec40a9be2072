//! Unpacking a source distribution: by the same guards as wheels, and by those of PEP 721 for what
//! tar archives can hold besides.

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use eutaxis_core::artifact::{NameRules, unsafe_member};

use super::{Kind, MOST_UNPACKED, each, refused};
use crate::Result;
use crate::error::Doing;

/// A member above this many times its share of the archive and this size is refused.
const MOST_TIMES: u64 = 200;
const LARGE: u64 = 64 << 20;

/// Unpacks an archive into a folder that is there and empty; gives its one top folder.
///
/// # Errors
/// When the archive is damaged, holds a path or a link that leads out, a device, more than may be
/// unpacked, or not exactly one top folder; or when the disk fails.
pub fn unpack(archive: &Path, into: &Path) -> Result<PathBuf> {
    let packed = fs::metadata(archive).doing("cannot read", archive)?.len();
    let mut top: Option<String> = None;
    let mut links: Vec<(String, Kind)> = Vec::new();
    let mut files = BTreeSet::new();
    let mut unpacked: u64 = 0;
    each(archive, &mut |entry| {
        let path = entry.path.strip_prefix("./").unwrap_or(&entry.path);
        let path = path.trim_end_matches('/').to_owned();
        if path.is_empty() || path == "." {
            return Ok(true);
        }
        let shown = eutaxis_core::fault::escaped(&path);
        if let Some(why) = unsafe_member(&path, NameRules::Posix) {
            return Err(refused(archive, format!("{shown}: {why}")));
        }
        let first = path.split('/').next().unwrap_or_default();
        match &top {
            Some(top) if top != first => {
                let why = format!("it has two top folders, {top} and {first}");
                return Err(refused(archive, why));
            }
            Some(_) => {}
            None => top = Some(first.to_owned()),
        }
        let target = into.join(&path);
        match entry.kind {
            Kind::Folder => fs::create_dir_all(&target).doing("cannot make the folder", &target)?,
            Kind::Other => {
                return Err(refused(
                    archive,
                    format!("{shown} is no file, folder or link"),
                ));
            }
            kind @ (Kind::Link(_) | Kind::Same(_)) => links.push((path, kind)),
            Kind::File { executable } => {
                if entry.size > LARGE && entry.size / MOST_TIMES > packed {
                    return Err(refused(archive, format!("{shown} unpacks to far too much")));
                }
                unpacked = unpacked.saturating_add(entry.size);
                if unpacked > MOST_UNPACKED {
                    return Err(refused(archive, "it unpacks to more than 16 GiB"));
                }
                write(entry.contents, entry.size, executable, &target, archive)?;
                files.insert(path);
            }
        }
        Ok(true)
    })?;
    // Links come last, so that nothing is written through them.
    for (path, kind) in links {
        link(archive, into, &path, &kind, &files)?;
    }
    let top = top.ok_or_else(|| refused(archive, "it is empty"))?;
    let root = into.join(&top);
    if root.is_dir() {
        Ok(root)
    } else {
        Err(refused(archive, "it has no top folder"))
    }
}

fn write(
    contents: &mut dyn Read,
    size: u64,
    executable: bool,
    target: &Path,
    archive: &Path,
) -> Result<()> {
    if let Some(folder) = target.parent() {
        fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    // A file that comes twice is the later one, as tar has it.
    let mut file = File::create(target).doing("cannot write", target)?;
    let mut buffer = vec![0; 1 << 16];
    let mut written: u64 = 0;
    loop {
        let read = contents.read(&mut buffer);
        let n = read.map_err(|e| refused(archive, format!("it is damaged ({e})")))?;
        let part = buffer.get(..n).unwrap_or_default();
        if part.is_empty() {
            break;
        }
        written += part.len() as u64;
        if written > size {
            return Err(refused(archive, "a member is larger than it says"));
        }
        file.write_all(part).doing("cannot write", target)?;
    }
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = if executable { 0o755 } else { 0o644 };
        fs::set_permissions(target, fs::Permissions::from_mode(mode))
            .doing("cannot protect", target)?;
    }
    let _ = executable;
    Ok(())
}

/// Makes a link that stays in the archive.
fn link(
    archive: &Path,
    into: &Path,
    path: &str,
    kind: &Kind,
    files: &BTreeSet<String>,
) -> Result<()> {
    let shown = eutaxis_core::fault::escaped(path);
    let out = || refused(archive, format!("the link {shown} leads out of it"));
    let at = into.join(path);
    if at.symlink_metadata().is_ok() {
        return Err(refused(archive, format!("{shown} comes twice")));
    }
    if let Some(folder) = at.parent() {
        fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    match kind {
        Kind::Same(other) => {
            let other = other.strip_prefix("./").unwrap_or(other);
            if !files.contains(other) {
                return Err(out());
            }
            fs::copy(into.join(other), &at).doing("cannot write", &at)?;
        }
        Kind::Link(target) => {
            let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
            let to = resolved(folder, target).ok_or_else(out)?;
            // Through another link it could lead anywhere.
            if !files.contains(&to) && !into.join(&to).is_dir() {
                return Ok(());
            }
            make_link(target, &at)?;
        }
        Kind::File { .. } | Kind::Folder | Kind::Other => {}
    }
    Ok(())
}

#[cfg(unix)]
fn make_link(target: &str, at: &Path) -> Result<()> {
    std::os::unix::fs::symlink(target, at).doing("cannot make the link", at)
}

#[cfg(not(unix))]
fn make_link(_: &str, at: &Path) -> Result<()> {
    Err(crate::Error::new(
        crate::ErrorKind::Refused,
        format!(
            "{} is a link, which this system does not have",
            at.display()
        ),
    ))
}

/// Where a link in a folder of the archive leads, below the one top folder; none when it leads out.
fn resolved(folder: &str, target: &str) -> Option<String> {
    if target.starts_with('/') || target.contains(['\\', '\0']) {
        return None;
    }
    let mut parts: Vec<&str> = folder.split('/').filter(|p| !p.is_empty()).collect();
    for part in target.split('/') {
        match part {
            "" | "." => {}
            ".." => {
                parts.pop()?;
            }
            part => parts.push(part),
        }
        if parts.is_empty() {
            return None;
        }
    }
    Some(parts.join("/"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use tar::{Builder, EntryType, Header};

    /// An archive of entries: path, kind, link target or contents.
    fn tarred(entries: &[(&str, EntryType, &str)]) -> tempfile::NamedTempFile {
        let file = tempfile::Builder::new()
            .suffix(".tar.gz")
            .tempfile()
            .unwrap();
        let gzip =
            flate2::write::GzEncoder::new(file.reopen().unwrap(), flate2::Compression::fast());
        let mut builder = Builder::new(gzip);
        for (path, kind, text) in entries {
            let mut header = Header::new_gnu();
            header.set_entry_type(*kind);
            header.set_mode(0o4755);
            let name = header.as_gnu_mut().unwrap();
            name.name[..path.len()].copy_from_slice(path.as_bytes());
            let is_file = *kind == EntryType::Regular;
            if !is_file {
                header.set_link_name_literal(text).unwrap();
            }
            let body = if is_file { text.as_bytes() } else { b"" };
            header.set_size(body.len() as u64);
            header.set_cksum();
            builder.append(&header, body).unwrap();
        }
        builder.into_inner().unwrap().finish().unwrap();
        file
    }

    #[rstest]
    #[case::plain(&[("a-1/b/c.py", EntryType::Regular, "x")], Ok(()))]
    #[case::link_inside(&[("a-1/b/c.py", EntryType::Regular, "x"), ("a-1/d.py", EntryType::Symlink, "b/c.py")], Ok(()))]
    #[case::same_file(&[("a-1/c.py", EntryType::Regular, "x"), ("a-1/d.py", EntryType::Link, "a-1/c.py")], Ok(()))]
    #[case::up(&[("a-1/../../c.py", EntryType::Regular, "x")], Err("leads out"))]
    #[case::absolute(&[("/a-1/c.py", EntryType::Regular, "x")], Err("absolute"))]
    #[case::link_up(&[("a-1/c.py", EntryType::Symlink, "../../etc/passwd")], Err("leads out"))]
    #[case::link_out_and_back(&[("a-1/c.py", EntryType::Symlink, "../a-1/x")], Err("leads out"))]
    #[case::link_absolute(&[("a-1/c.py", EntryType::Symlink, "/etc/passwd")], Err("leads out"))]
    #[case::same_outside(&[("a-1/c.py", EntryType::Link, "/etc/passwd")], Err("leads out"))]
    #[case::device(&[("a-1/null", EntryType::Char, "")], Err("no file, folder or link"))]
    #[case::pipe(&[("a-1/pipe", EntryType::Fifo, "")], Err("no file, folder or link"))]
    #[case::two_tops(&[("a-1/c.py", EntryType::Regular, ""), ("b-1/c.py", EntryType::Regular, "")], Err("two top folders"))]
    #[case::nothing(&[], Err("is empty"))]
    #[case::no_folder(&[("a-1", EntryType::Regular, "")], Err("no top folder"))]
    fn only_what_stays_inside_is_unpacked(
        #[case] entries: &[(&str, EntryType, &str)],
        #[case] expected: std::result::Result<(), &str>,
    ) {
        let archive = tarred(entries);
        let into = tempfile::tempdir().unwrap();
        match (unpack(archive.path(), into.path()), expected) {
            (Ok(root), Ok(())) => assert_eq!(root, into.path().join("a-1")),
            (Err(error), Err(why)) => assert!(error.message.contains(why), "{}", error.message),
            (found, _) => panic!("{found:?}"),
        }
    }

    #[test]
    #[cfg(unix)]
    fn nothing_is_written_through_a_link_and_no_bits_are_kept() {
        use std::os::unix::fs::PermissionsExt;
        let archive = tarred(&[
            ("a-1/there", EntryType::Symlink, "sub"),
            ("a-1/there/c.py", EntryType::Regular, "x"),
            ("a-1/sub/d.py", EntryType::Regular, "y"),
        ]);
        let into = tempfile::tempdir().unwrap();
        let error = unpack(archive.path(), into.path()).unwrap_err();
        assert!(error.message.contains("comes twice"), "{}", error.message);
        let archive = tarred(&[("a-1/c.py", EntryType::Regular, "x")]);
        let into = tempfile::tempdir().unwrap();
        let root = unpack(archive.path(), into.path()).unwrap();
        let mode = root.join("c.py").metadata().unwrap().permissions().mode();
        assert_eq!(mode & 0o7777, 0o755);
    }
}
