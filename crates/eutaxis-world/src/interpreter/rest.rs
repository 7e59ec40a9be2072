//! Interpreters of a machine that is not this one, under a stand-in root: nothing can be run there,
//! so that they are read from their files (PEP 656; PEP 425, platform tag; PEP 405).

use std::path::{Component, Path, PathBuf};

use eutaxis_core::MarkerValues;
use eutaxis_core::targets::Platform;
use object::elf;

use super::Facts;
use super::elf::{ElfFacts, read};
use crate::root::{matching, start_of};
use crate::{Error, ErrorKind, Result};

/// Links that lead to links, at most.
const MOST_LINKS: usize = 40;
/// Executables and libraries above this size are not looked into for the texts that they hold.
const MOST_BYTES: u64 = 64 << 20;

/// What the programs of a machine are.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Machine {
    /// The kernel's word for the processor.
    pub kernel: String,
    /// 32 or 64, of the programs.
    pub bits: u32,
    /// `glibc 2.36`, if the programs use it.
    pub glibc: Option<String>,
    /// musl's version, if they use that.
    pub musl: Option<(u32, u32)>,
    /// 32-bit ARM programs without hard floating point.
    pub soft_float: bool,
}

impl Machine {
    /// The platform part of a target.
    pub fn platform(&self) -> Platform {
        Platform::linux(
            &self.kernel,
            self.bits,
            super::libc(self.glibc.as_deref(), self.musl, self.soft_float),
        )
    }
}

/// A path of the stand-in, links followed inside it.
pub(crate) fn resolved(root: &Path, path: &Path) -> PathBuf {
    let mut path = path.to_owned();
    for _ in 0..MOST_LINKS {
        let Ok(link) = std::fs::read_link(&path) else {
            break;
        };
        let here = path
            .strip_prefix(root)
            .ok()
            .and_then(Path::parent)
            .unwrap_or(Path::new(""));
        path = under(
            root,
            &if link.is_absolute() {
                link
            } else {
                here.join(link)
            },
        );
    }
    // Folders may be links too (`/bin` to `/usr/bin`): one program has one place, as long as that
    // stays below the root.
    let inside =
        |real: &PathBuf| std::fs::canonicalize(root).is_ok_and(|root| real.starts_with(root));
    match std::fs::canonicalize(&path).ok().filter(inside) {
        Some(real) => root.join(
            real.strip_prefix(std::fs::canonicalize(root).unwrap_or_default())
                .unwrap_or(&real),
        ),
        None => path,
    }
}

/// An absolute path of the machine, under the root that stands in for it; it cannot leave it.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
pub(crate) fn under(root: &Path, path: &Path) -> PathBuf {
    let mut out = root.to_owned();
    for part in path.components() {
        match part {
            Component::Normal(name) => out.push(name),
            Component::ParentDir if out != root => {
                out.pop();
            }
            _ => {}
        }
    }
    out
}

/// What an interpreter would say of itself, read from its files.
///
/// # Errors
/// When the file is no Linux program, or its version cannot be found.
pub(super) fn facts(root: &Path, path: &Path) -> Result<Facts> {
    let bad = |what: &str| Error::new(ErrorKind::Interpreter, format!("{} {what}", path.display()));
    let real = resolved(root, path);
    let program = read(&real);
    let machine =
        machine_of(root, &program).ok_or_else(|| bad("is no program of a Linux machine"))?;
    let name = real
        .file_name()
        .map(|n| n.to_string_lossy().into_owned())
        .unwrap_or_default();
    let (implementation, rest) = match name.strip_prefix("pypy") {
        Some(rest) => ("pypy", rest),
        None => ("cpython", name.strip_prefix("python").unwrap_or("")),
    };
    let (series, free_threaded) = match rest.strip_suffix('t') {
        Some(series) => (series.to_owned(), true),
        None => (rest.to_owned(), false),
    };
    let texts = texts_of(&real);
    let series = if series.contains('.') {
        series
    } else {
        series_in(&texts).ok_or_else(|| bad("names no version"))?
    };
    let home = |p: &Path| {
        p.parent()
            .and_then(Path::parent)
            .map_or_else(|| root.to_owned(), Path::to_owned)
    };
    // An environment's interpreter is a link; the folder that it stands in tells of it.
    let (prefix, base_prefix) = match home(path) {
        inside if inside.join("pyvenv.cfg").is_file() => (inside, home(&real)),
        _ => (home(&real), home(&real)),
    };
    let threads = if free_threaded { "t" } else { "" };
    let library = base_prefix
        .join("lib")
        .join(format!("python{series}{threads}"));
    let version = patch_in(&texts, &series)
        .or_else(|| {
            patch_in(
                &header(&base_prefix, &format!("{series}{threads}")),
                &series,
            )
        })
        .unwrap_or_else(|| newest(implementation, &series));
    let soabi = matching(&library, "lib-dynload/*.so").iter().find_map(|p| {
        let name = p.file_name()?.to_str()?;
        name.strip_suffix(".so")?
            .split_once('.')
            .map(|(_, soabi)| soabi.to_owned())
    });
    let abiflags = match series.as_str() {
        "3.2" | "3.3" | "3.4" | "3.5" | "3.6" | "3.7" => "m",
        _ => threads,
    };
    let pypy = || format!("pypy{}-pp73", series.replace('.', ""));
    let soabi = soabi.or_else(|| (implementation == "pypy").then(pypy));
    Ok(Facts {
        markers: markers(root, implementation, &version, &series, &machine),
        version,
        implementation: implementation.to_owned(),
        abiflags: abiflags.to_owned(),
        wide_unicode: true,
        executable: path.to_owned(),
        base_executable: Some(real),
        externally_managed: library.join("EXTERNALLY-MANAGED").is_file(),
        include: None,
        platform: format!("linux-{}", machine.kernel),
        ext_suffix: soabi.as_ref().map(|s| format!(".{s}.so")),
        soabi,
        bits: machine.bits,
        debug: false,
        free_threaded,
        prefix,
        base_prefix,
        glibc: machine.glibc,
        mac: String::new(),
        musl: machine.musl,
        soft_float: machine.soft_float,
    })
}

/// What the programs of a stand-in machine are, by one of those that every system has.
pub fn machine(root: &Path) -> Option<Machine> {
    let programs = [
        "bin/sh",
        "usr/bin/env",
        "bin/busybox",
        "usr/bin/sh",
        "sbin/init",
    ];
    programs
        .iter()
        .find_map(|p| machine_of(root, &read(&resolved(root, &root.join(p)))))
}

fn machine_of(root: &Path, program: &ElfFacts) -> Option<Machine> {
    let (arch, bits) = match program.machine? {
        elf::EM_X86_64 => ("x86_64", program.bits),
        elf::EM_386 => ("i686", 32),
        elf::EM_AARCH64 => ("aarch64", 64),
        elf::EM_ARM => ("armv7l", 32),
        elf::EM_PPC64 => ("ppc64le", 64),
        elf::EM_S390 => ("s390x", program.bits),
        elf::EM_RISCV => ("riscv64", program.bits),
        _ => return None,
    };
    let told = start_of(&root.join("proc/sys/kernel/arch"))
        .trim()
        .to_owned();
    let kernel = if told.is_empty() {
        arch.to_owned()
    } else {
        told
    };
    let loader = program
        .loader
        .as_deref()
        .map(|l| resolved(root, &under(root, Path::new(l))));
    let is_musl = program
        .loader
        .as_deref()
        .is_some_and(|l| l.contains("musl"));
    let musl = loader.as_deref().filter(|_| is_musl).and_then(musl_in);
    let glibc = if is_musl {
        None
    } else {
        glibc_in(root, program)
    };
    Some(Machine {
        kernel,
        bits,
        glibc,
        musl,
        soft_float: program.soft_float,
    })
}

/// The version of the GNU C library of the same kind of programs, by the name of its file or by
/// what it says of itself.
fn glibc_in(root: &Path, program: &ElfFacts) -> Option<String> {
    let patterns = [
        "lib/*/libc.so.6",
        "usr/lib/*/libc.so.6",
        "lib64/libc.so.6",
        "usr/lib64/libc.so.6",
        "lib/libc.so.6",
    ];
    let found = patterns.iter().flat_map(|pattern| matching(root, pattern));
    found.map(|path| resolved(root, &path)).find_map(|path| {
        let library = read(&path);
        if library.machine != program.machine || library.bits != program.bits {
            return None;
        }
        let name = path.file_name()?.to_str()?;
        let by_name = name
            .strip_prefix("libc-")
            .and_then(|n| n.strip_suffix(".so"))
            .map(str::to_owned);
        let by_text = || {
            let texts = texts_of(&path);
            let at = find(&texts, b"release version ")?;
            number_at(texts.get(at + b"release version ".len()..)?)
        };
        by_name.or_else(by_text).map(|v| format!("glibc {v}"))
    })
}

/// musl's own version, which its loader holds as a text by itself.
fn musl_in(loader: &Path) -> Option<(u32, u32)> {
    let texts = texts_of(loader);
    let version = texts.split(|b| *b == 0).find_map(|text| {
        let text = std::str::from_utf8(text).ok()?;
        let parts: Vec<&str> = text.split('.').collect();
        let plain = parts.len() == 3
            && parts
                .iter()
                .all(|p| !p.is_empty() && p.bytes().all(|b| b.is_ascii_digit()));
        (plain && text.starts_with("1.")).then(|| text.to_owned())
    })?;
    super::two_numbers(&version)
}

/// The bytes of a program; empty when it cannot be read, or is larger than any program.
fn texts_of(path: &Path) -> Vec<u8> {
    match std::fs::metadata(path) {
        Ok(metadata) if metadata.is_file() && metadata.len() <= MOST_BYTES => {
            std::fs::read(path).unwrap_or_default()
        }
        _ => Vec::new(),
    }
}

fn find(bytes: &[u8], wanted: &[u8]) -> Option<usize> {
    bytes.windows(wanted.len()).position(|w| w == wanted)
}

fn number_at(bytes: &[u8]) -> Option<String> {
    let end = bytes
        .iter()
        .position(|b| !b.is_ascii_digit() && *b != b'.')
        .unwrap_or(bytes.len());
    let text = std::str::from_utf8(bytes.get(..end)?)
        .ok()?
        .trim_end_matches('.');
    (!text.is_empty()).then(|| text.to_owned())
}

/// Texts of a program that stand by themselves and read as versions.
fn versions_in(texts: &[u8]) -> impl Iterator<Item = String> {
    texts
        .split(|b| *b == 0 || *b == b'"' || *b == b'\n')
        .filter(|t| (5..=12).contains(&t.len()))
        .filter_map(|text| {
            let text = std::str::from_utf8(text).ok()?;
            let first = text.bytes().next()?;
            let plain = text
                .bytes()
                .all(|b| b.is_ascii_alphanumeric() || b == b'.' || b == b'+');
            (matches!(first, b'2' | b'3') && plain && text.matches('.').count() == 2)
                .then(|| text.to_owned())
        })
}

fn series_in(texts: &[u8]) -> Option<String> {
    let version = versions_in(texts).find(|v| eutaxis_core::Version::parse(v).is_ok())?;
    version
        .rsplit_once('.')
        .map(|(series, _)| series.to_owned())
}

/// The whole version of a series, as a text by itself.
fn patch_in(texts: &[u8], series: &str) -> Option<String> {
    let of_series = |v: &String| {
        v.strip_prefix(series)
            .is_some_and(|rest| rest.starts_with('.'))
    };
    versions_in(texts).find(|v| of_series(v) && eutaxis_core::Version::parse(v).is_ok())
}

/// The header that states the version, where headers are installed.
fn header(prefix: &Path, name: &str) -> Vec<u8> {
    start_of(
        &prefix
            .join("include")
            .join(format!("python{name}"))
            .join("patchlevel.h"),
    )
    .into_bytes()
}

fn newest(implementation: &str, series: &str) -> String {
    eutaxis_core::knowledge::series(implementation, series)
        .map_or_else(|| format!("{series}.0"), |s| s.newest.clone())
}

fn markers(
    root: &Path,
    implementation: &str,
    version: &str,
    series: &str,
    machine: &Machine,
) -> MarkerValues {
    let kernel = |file: &str| {
        start_of(&root.join("proc/sys/kernel").join(file))
            .trim()
            .to_owned()
    };
    let own = eutaxis_core::knowledge::series(implementation, series)
        .and_then(|s| s.implementation_version.clone());
    MarkerValues {
        os_name: "posix".into(),
        sys_platform: if series.starts_with('2') {
            "linux2"
        } else {
            "linux"
        }
        .into(),
        platform_machine: machine.kernel.clone().into(),
        platform_python_implementation: if implementation == "pypy" {
            "PyPy"
        } else {
            "CPython"
        }
        .into(),
        platform_release: kernel("osrelease").into(),
        platform_system: "Linux".into(),
        platform_version: kernel("version").into(),
        python_version: series.into(),
        python_full_version: version.into(),
        implementation_name: implementation.into(),
        implementation_version: own.unwrap_or_else(|| version.to_owned()).into(),
    }
}
