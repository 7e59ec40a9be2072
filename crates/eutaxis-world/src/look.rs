//! What a file is that a log names: whether it is there, compiled and for what, text, a script; and
//! whether what lies there may be run.

use std::io::Read;
use std::path::{Path, PathBuf};

use eutaxis_core::binary::{Binary, is_binary};

use crate::loader::read_binary;

/// So much of a file is looked at to tell what it is.
const START: u64 = 256;

/// A file as it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Looked {
    /// It is not there.
    Absent,
    /// A folder.
    Folder,
    /// It is there and cannot be read, and why.
    Unreadable(String),
    /// It holds nothing.
    Empty,
    /// A script, with the program that it names in its first line, and whether that is there.
    Script(PathBuf, bool),
    /// Text, with its first line.
    Text(String),
    /// Compiled, with its parts.
    Compiled(Vec<Binary>),
    /// It begins as a compiled file and cannot be read as one, and why.
    Damaged(String),
    /// Something else.
    Other,
}

/// What a file is; a path of another machine's root lies under that root.
pub fn look(path: &Path) -> Looked {
    let metadata = match std::fs::metadata(path) {
        Ok(metadata) => metadata,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Looked::Absent,
        Err(e) => return Looked::Unreadable(e.to_string()),
    };
    if metadata.is_dir() {
        return Looked::Folder;
    }
    if !metadata.is_file() {
        // A pipe or a device would not end.
        return Looked::Other;
    }
    let mut start = Vec::new();
    let read = std::fs::File::open(path).and_then(|f| f.take(START).read_to_end(&mut start));
    if let Err(e) = read {
        return Looked::Unreadable(e.to_string());
    }
    if start.is_empty() {
        return Looked::Empty;
    }
    if is_binary(&start) {
        return match read_binary(path) {
            Ok(parts) => Looked::Compiled(parts),
            Err(why) => Looked::Damaged(why),
        };
    }
    let first = start.split(|b| *b == b'\n').next().unwrap_or_default();
    if let Some(line) = first.strip_prefix(b"#!") {
        let line = String::from_utf8_lossy(line);
        let program = PathBuf::from(line.split_whitespace().next().unwrap_or_default());
        let is_there = program.exists();
        return Looked::Script(program, is_there);
    }
    let is_text = |b: &u8| b.is_ascii_graphic() || b.is_ascii_whitespace() || *b >= 0x80;
    match start.iter().all(is_text) {
        true => Looked::Text(String::from_utf8_lossy(first).trim().to_owned()),
        false => Looked::Other,
    }
}

/// The mount point of the file system that a path lies on, where nothing on it may be run.
pub fn without_execution(path: &Path) -> Option<PathBuf> {
    let real = std::fs::canonicalize(path).ok()?;
    let mounts = std::fs::read_to_string("/proc/self/mountinfo").ok()?;
    forbidding(&mounts, &real)
}

/// By the table of mounts of Linux (proc(5), mountinfo): the fifth field is the place, the sixth its
/// options.
fn forbidding(mounts: &str, path: &Path) -> Option<PathBuf> {
    let read = |line: &str| {
        let mut fields = line.split(' ').skip(4);
        let place = PathBuf::from(fields.next()?.replace("\\040", " "));
        let options = fields.next()?;
        let forbids = options.split(',').any(|o| o == "noexec");
        path.starts_with(&place).then_some((place, forbids))
    };
    // The last one that is as deep lies over the others.
    let over = mounts
        .lines()
        .filter_map(read)
        .max_by_key(|(p, _)| p.components().count());
    over.filter(|(_, forbids)| *forbids).map(|(place, _)| place)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::nothing(b"", Looked::Empty)]
    #[case::a_page(b"<html>\nnot found", Looked::Text("<html>".to_owned()))]
    #[case::a_script(b"#!/nowhere/python -s\nx", Looked::Script("/nowhere/python".into(), false))]
    #[case::bytes(b"\x00\x01\x02", Looked::Other)]
    fn files_are_told_apart(#[case] bytes: &[u8], #[case] expected: Looked) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("it");
        assert_eq!(look(&path), Looked::Absent);
        assert_eq!(look(folder.path()), Looked::Folder);
        std::fs::write(&path, bytes).unwrap();
        assert_eq!(look(&path), expected);
        std::fs::write(&path, b"\x7fELF\x02\x01").unwrap();
        assert!(matches!(look(&path), Looked::Damaged(_)));
    }

    #[rstest]
    #[case("/srv/melt/a.so", None)]
    #[case("/srv/stick/e/a.so", Some("/srv/stick"))]
    #[case("/srv/stick/run/a.so", None)]
    fn mounts_may_forbid_that_something_is_run(#[case] path: &str, #[case] expected: Option<&str>) {
        let mounts = "22 1 8:1 / / rw,relatime - ext4 /dev/a rw\n\
            30 22 8:2 / /srv/stick rw,nosuid,noexec - vfat /dev/b rw\n\
            31 30 8:3 / /srv/stick/run rw - ext4 /dev/c rw\n";
        assert_eq!(
            forbidding(mounts, Path::new(path)),
            expected.map(PathBuf::from)
        );
    }
}
