//! Operating systems, with what decides about them.

use std::fmt;

/// A C library with the version that decides.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Libc {
    /// GNU C library: major, minor.
    Glibc(u32, u32),
    /// musl: major, minor.
    Musl(u32, u32),
    /// None that is loaded (a static interpreter), or not known: only `linux_ARCH` fits.
    Static,
}

/// An operating system with what decides about it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum System {
    /// Linux with its C library.
    Linux(Libc),
    /// macOS: major, minor.
    Macos(u32, u32),
    /// Windows.
    Windows,
}

impl fmt::Display for Libc {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Libc::Glibc(major, minor) => write!(f, "glibc {major}.{minor}"),
            Libc::Musl(major, minor) => write!(f, "musl {major}.{minor}"),
            Libc::Static => f.write_str("static"),
        }
    }
}
