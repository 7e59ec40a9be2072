//! Bringing a file of the store into an environment without copying its bytes, where the file
//! system can.

use std::fs;
use std::io::ErrorKind;
use std::path::Path;
use std::sync::atomic::{AtomicU8, Ordering};

use crate::error::Doing;
use crate::{Error, Result};

/// How files come from the store (`--link`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LinkMode {
    /// Reflink, else hard link, else copy.
    #[default]
    Auto,
    /// Hard link or fail.
    Hard,
    /// Copy.
    Copy,
}

/// What a file cost.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Cost {
    /// Its bytes are shared with the store.
    Shared,
    /// Its bytes were written.
    Added,
}

/// Brings files; remembers what the file system cannot do.
#[derive(Debug)]
pub(super) struct Linker {
    mode: LinkMode,
    /// The first way worth trying: 0 reflink, 1 hard link, 2 copy.
    way: AtomicU8,
}

impl Linker {
    pub(super) fn new(mode: LinkMode) -> Self {
        let first = match mode {
            LinkMode::Auto => 0,
            LinkMode::Hard => 1,
            LinkMode::Copy => 2,
        };
        Linker {
            mode,
            way: AtomicU8::new(first),
        }
    }

    /// Brings a file to a new place; none where something is there, which is not touched.
    pub(super) fn bring(&self, from: &Path, to: &Path, executable: bool) -> Result<Option<Cost>> {
        let way = self.way.load(Ordering::Relaxed);
        if way == 0 {
            match reflink_copy::reflink(from, to) {
                Ok(()) => {
                    writable(to, executable)?;
                    return Ok(Some(Cost::Shared));
                }
                Err(e) if e.kind() == ErrorKind::AlreadyExists => return Ok(None),
                Err(_) => {}
            }
            let _ = self
                .way
                .compare_exchange(0, 1, Ordering::Relaxed, Ordering::Relaxed);
        }
        if way <= 1 {
            match fs::hard_link(from, to) {
                Ok(()) => return Ok(Some(Cost::Shared)),
                Err(e) if e.kind() == ErrorKind::AlreadyExists => return Ok(None),
                Err(e) if self.mode == LinkMode::Hard => {
                    return Err(Error::io("cannot hard link to", to, &e)
                        .help("use --link copy, or a cache folder on the same disk"));
                }
                Err(_) => self.way.store(2, Ordering::Relaxed),
            }
        }
        if fs::symlink_metadata(to).is_ok() {
            return Ok(None);
        }
        fs::copy(from, to).doing("cannot write", to)?;
        writable(to, executable)?;
        Ok(Some(Cost::Added))
    }
}

/// A copy of its own may be edited; only files shared with the store stay read-only.
pub(super) fn writable(path: &Path, executable: bool) -> Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = if executable { 0o755 } else { 0o644 };
        fs::set_permissions(path, fs::Permissions::from_mode(mode))
            .doing("cannot set the permissions of", path)?;
    }
    #[cfg(not(unix))]
    let _ = (path, executable);
    Ok(())
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};

    use rstest::rstest;

    use super::*;

    /// A file as the store has it: read-only.
    fn stored(folder: &Path) -> std::path::PathBuf {
        let path = folder.join("stored");
        fs::write(&path, "snow").unwrap();
        fs::set_permissions(&path, fs::Permissions::from_mode(0o444)).unwrap();
        path
    }

    #[test]
    fn a_hard_link_shares_the_bytes() {
        let folder = tempfile::tempdir().unwrap();
        let (from, to) = (stored(folder.path()), folder.path().join("placed"));
        let cost = Linker::new(LinkMode::Hard)
            .bring(&from, &to, false)
            .unwrap();
        assert_eq!(cost, Some(Cost::Shared));
        assert_eq!(
            fs::metadata(&from).unwrap().ino(),
            fs::metadata(&to).unwrap().ino()
        );
    }

    #[rstest]
    #[case::plain(false, 0o644)]
    #[case::executable(true, 0o755)]
    fn a_copy_is_ones_own(#[case] executable: bool, #[case] mode: u32) {
        let folder = tempfile::tempdir().unwrap();
        let (from, to) = (stored(folder.path()), folder.path().join("placed"));
        let cost = Linker::new(LinkMode::Copy)
            .bring(&from, &to, executable)
            .unwrap();
        assert_eq!(cost, Some(Cost::Added));
        assert_eq!(
            fs::metadata(&to).unwrap().permissions().mode() & 0o777,
            mode
        );
        fs::write(&to, "melt").unwrap();
        assert_eq!(fs::read_to_string(&from).unwrap(), "snow");
    }

    #[test]
    fn where_a_hard_link_must_be_and_cannot_it_is_said() {
        let folder = tempfile::tempdir().unwrap();
        let from = stored(folder.path());
        let to = folder.path().join("absent/placed");
        let error = Linker::new(LinkMode::Hard)
            .bring(&from, &to, false)
            .unwrap_err();
        assert!(
            error.message.starts_with("cannot hard link to"),
            "{}",
            error.message
        );
        assert!(error.help.unwrap().contains("--link copy"));
    }

    #[rstest]
    #[case(LinkMode::Auto)]
    #[case(LinkMode::Hard)]
    #[case(LinkMode::Copy)]
    fn what_is_there_is_not_touched(#[case] mode: LinkMode) {
        let folder = tempfile::tempdir().unwrap();
        let (from, to) = (stored(folder.path()), folder.path().join("placed"));
        fs::write(&to, "ice").unwrap();
        let linker = Linker::new(mode);
        assert_eq!(linker.bring(&from, &to, false).unwrap(), None);
        assert_eq!(fs::read_to_string(&to).unwrap(), "ice");
        // And the way that was best is taken on.
        let next = linker
            .bring(&from, &folder.path().join("next"), false)
            .unwrap();
        assert_eq!(next == Some(Cost::Added), mode == LinkMode::Copy);
    }

    #[test]
    fn by_itself_it_finds_a_way() {
        let folder = tempfile::tempdir().unwrap();
        let from = stored(folder.path());
        let linker = Linker::new(LinkMode::Auto);
        for n in 0..3 {
            let to = folder.path().join(format!("placed-{n}"));
            linker.bring(&from, &to, false).unwrap();
            assert_eq!(fs::read_to_string(&to).unwrap(), "snow");
        }
    }
}
