//! Which files are opened in some folders while something runs.

use std::collections::BTreeSet;
use std::path::PathBuf;

/// A look at folders, by the system's notices of what is opened there.
#[cfg(target_os = "linux")]
pub(super) struct Watch<'a> {
    notices: std::os::fd::OwnedFd,
    /// The folders by their numbers.
    folders: std::collections::BTreeMap<i32, &'a PathBuf>,
}

#[cfg(target_os = "linux")]
impl<'a> Watch<'a> {
    /// Begins to look at those of the folders that are there. None where the system does not tell.
    pub(super) fn begin(folders: &'a BTreeSet<PathBuf>) -> Option<Self> {
        use rustix::fs::inotify::{CreateFlags, WatchFlags, add_watch, init};
        let notices = init(CreateFlags::NONBLOCK | CreateFlags::CLOEXEC).ok()?;
        let flags = WatchFlags::OPEN | WatchFlags::ONLYDIR;
        let mut known = std::collections::BTreeMap::new();
        for folder in folders {
            match add_watch(&notices, folder, flags) {
                Ok(number) => {
                    known.insert(number, folder);
                }
                // What is not there cannot be read from; that it comes, the folder around it tells.
                Err(rustix::io::Errno::NOENT | rustix::io::Errno::NOTDIR) => {}
                Err(_) => return None,
            }
        }
        Some(Watch {
            notices,
            folders: known,
        })
    }

    /// What was opened since. None when there was more than the system kept.
    pub(super) fn end(self) -> Option<BTreeSet<PathBuf>> {
        use rustix::fs::inotify::{ReadFlags, Reader};
        use std::os::unix::ffi::OsStrExt;
        let mut room = vec![std::mem::MaybeUninit::uninit(); 1 << 16];
        let mut reader = Reader::new(&self.notices, &mut room);
        let mut opened = BTreeSet::new();
        loop {
            match reader.next() {
                Ok(notice) if notice.events().contains(ReadFlags::QUEUE_OVERFLOW) => return None,
                Ok(notice) => {
                    let folder = self.folders.get(&notice.wd());
                    if let Some((folder, name)) = folder.zip(notice.file_name())
                        && !notice.events().contains(ReadFlags::ISDIR)
                    {
                        opened.insert(folder.join(std::ffi::OsStr::from_bytes(name.to_bytes())));
                    }
                }
                Err(rustix::io::Errno::AGAIN) => return Some(opened),
                Err(rustix::io::Errno::INTR) => {}
                Err(_) => return None,
            }
        }
    }
}

/// Elsewhere it is not told what is opened: nothing can be known to be what an answer depends on.
#[cfg(not(target_os = "linux"))]
pub(super) struct Watch<'a>(std::marker::PhantomData<&'a ()>);

#[cfg(not(target_os = "linux"))]
impl<'a> Watch<'a> {
    pub(super) fn begin(_: &'a BTreeSet<PathBuf>) -> Option<Self> {
        None
    }

    pub(super) fn end(self) -> Option<BTreeSet<PathBuf>> {
        None
    }
}
