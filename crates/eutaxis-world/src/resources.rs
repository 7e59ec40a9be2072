//! What this machine has to work with: processors, memory, room, rights.

use std::path::Path;

use crate::files::room;

/// What there is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Resources {
    /// Processors that this process may use.
    pub cores: usize,
    /// Bytes of memory, where the system tells them in a file.
    pub memory: Option<u64>,
    /// Bytes that are free for this user in the current folder.
    pub free: Option<u64>,
    /// Whether files may be made in the current folder.
    pub writable: bool,
    /// The user is the system's own (root): what is placed may be owned by it.
    pub elevated: bool,
}

impl Resources {
    /// Those of this machine, seen from a folder.
    pub fn of(folder: &Path) -> Self {
        Resources {
            cores: std::thread::available_parallelism().map_or(1, usize::from),
            memory: memory(),
            free: room(folder),
            writable: is_writable(folder),
            elevated: is_elevated(),
        }
    }
}

fn memory() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/meminfo").ok()?;
    let line = text.lines().find_map(|l| l.strip_prefix("MemTotal:"))?;
    let kilobytes: u64 = line.trim().strip_suffix("kB")?.trim().parse().ok()?;
    kilobytes.checked_mul(1024)
}

#[cfg(unix)]
fn is_writable(folder: &Path) -> bool {
    rustix::fs::access(folder, rustix::fs::Access::WRITE_OK).is_ok()
}

#[cfg(not(unix))]
fn is_writable(folder: &Path) -> bool {
    std::fs::metadata(folder).is_ok_and(|m| !m.permissions().readonly())
}

#[cfg(unix)]
fn is_elevated() -> bool {
    rustix::process::geteuid().is_root()
}

#[cfg(not(unix))]
fn is_elevated() -> bool {
    false
}
