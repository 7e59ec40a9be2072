//! Compiled modules, small and real: the right format, architecture, needed libraries and symbols
//! for a wheel's tags.

mod elf;
mod library;
mod macho;
mod pe;
mod program;

pub use library::Library;
pub(crate) use program::program;

/// A library of Windows on x86_64 that needs this one of an interpreter.
pub fn windows_library(python: &str) -> Vec<u8> {
    pe::module(python)
}

/// File suffix and bytes of the module `_core` for a series of CPython and the platform part of a
/// wheel's tags.
pub(crate) fn extension(series: &str, platform: &str, stable: bool) -> (String, Vec<u8>) {
    let digits = series.replace('.', "");
    let flags = if matches!(series, "3.6" | "3.7") {
        "m"
    } else {
        ""
    };
    // Of joined tags the first is the stricter.
    let platform = platform.split('.').next().unwrap_or(platform);
    if platform == "win_amd64" {
        let suffix = if stable {
            ".pyd".to_owned()
        } else {
            format!(".cp{digits}-win_amd64.pyd")
        };
        let library = if stable {
            "python3.dll".to_owned()
        } else {
            format!("python{digits}.dll")
        };
        return (suffix, pe::module(&library));
    }
    if let Some(rest) = platform.strip_prefix("macosx_") {
        let mut parts = rest.splitn(3, '_');
        let mut number = || parts.next().and_then(|p| p.parse().ok()).unwrap_or(11);
        let version = (number(), number());
        let arch = parts.next().unwrap_or("arm64");
        let suffix = if stable {
            ".abi3.so".to_owned()
        } else {
            format!(".cpython-{digits}{flags}-darwin.so")
        };
        return (suffix, macho::module(arch, version));
    }
    let (family, rest) = platform.split_once('_').unwrap_or(("linux", platform));
    let mut parts = rest.splitn(3, '_');
    let _major = parts.next();
    let minor = parts.next().and_then(|m| m.parse().ok()).unwrap_or(17);
    let arch = parts.next().unwrap_or("x86_64");
    let musl = family == "musllinux";
    let suffix = if stable {
        ".abi3.so".to_owned()
    } else {
        let triple = match arch {
            "armv7l" => "arm-linux-gnueabihf".to_owned(),
            arch => format!("{arch}-linux-{}", if musl { "musl" } else { "gnu" }),
        };
        format!(".cpython-{digits}{flags}-{triple}.so")
    };
    (
        suffix,
        elf::module(arch, if musl { None } else { Some(minor) }),
    )
}
