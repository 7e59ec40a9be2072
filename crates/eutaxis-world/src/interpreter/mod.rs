//! Finding interpreters, and asking them about themselves.

mod cache;
mod elf;
mod find;
mod forward;
mod guard;
mod numbered;
mod paths;
mod probe;
mod recorded;
mod rest;

use std::path::{Path, PathBuf};

use eutaxis_core::targets::{Accelerators, Implementation, Interpreter, Libc, Platform};
use eutaxis_core::{MarkerValues, Target, Version};
use serde::{Deserialize, Serialize};

pub use cache::ProbeCache;
pub(crate) use cache::time_and_length;
pub(crate) use find::expand_home;
pub use find::{Finder, Found, Seat};
pub use numbered::Numbered;
pub use paths::{Paths, paths, planned};
pub(crate) use recorded::{Recorded, config_value, recorded};
pub use rest::{Machine, machine};
pub(crate) use rest::{resolved, under};

use crate::{Error, ErrorKind, Result};

/// What an interpreter said of itself. Fields are named as in the probe script.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Facts {
    /// Whole version, `3.12.1`.
    pub version: String,
    /// `cpython`, `pypy`.
    pub implementation: String,
    /// `sys.abiflags`
    pub abiflags: String,
    /// 4-byte characters (2.7 only).
    pub wide_unicode: bool,
    /// `sys.executable`
    pub executable: PathBuf,
    /// The interpreter behind an environment's one.
    pub base_executable: Option<PathBuf>,
    /// `sys.prefix`
    pub prefix: PathBuf,
    /// `sys.base_prefix`
    pub base_prefix: PathBuf,
    /// 32 or 64.
    pub bits: u32,
    /// `sysconfig.get_platform()`
    pub platform: String,
    /// `SOABI`
    pub soabi: Option<String>,
    /// `EXT_SUFFIX`
    pub ext_suffix: Option<String>,
    /// A debug build.
    pub debug: bool,
    /// Built without the global lock.
    pub free_threaded: bool,
    /// `glibc 2.36`, when there is a GNU C library.
    pub glibc: Option<String>,
    /// Version of macOS; empty elsewhere.
    pub mac: String,
    /// Marked as managed by the system (PEP 668).
    pub externally_managed: bool,
    /// Folder of the C headers.
    pub include: Option<PathBuf>,
    /// Values of the marker variables.
    pub markers: MarkerValues,
    /// musl's version, found by the loader; not from the script.
    #[serde(default)]
    pub musl: Option<(u32, u32)>,
    /// A 32-bit ARM program without hard floating point; not from the script.
    #[serde(default)]
    pub soft_float: bool,
}

impl Facts {
    /// Inside a virtual environment.
    pub fn in_environment(&self) -> bool {
        self.prefix != self.base_prefix
    }

    /// The interpreter of an environment, or the system's.
    pub fn base(&self) -> PathBuf {
        match &self.base_executable {
            Some(base) if self.in_environment() && *base != self.executable && base.exists() => {
                base.clone()
            }
            _ if !self.in_environment() => self.executable.clone(),
            // Older environments do not tell their base: look where their prefix says.
            _ => {
                let name = self.markers.python_version.as_ref();
                let bin = self.base_prefix.join("bin");
                let candidates = [
                    bin.join(format!("python{name}")),
                    bin.join("python3"),
                    bin.join("python"),
                ];
                candidates
                    .into_iter()
                    .find(|p| p.exists())
                    .unwrap_or_else(|| self.executable.clone())
            }
        }
    }

    /// This interpreter as the interpreter part of a target.
    ///
    /// # Errors
    /// When the version it gives is not one.
    pub fn interpreter(&self) -> Result<Interpreter> {
        let bad = |what: &str| {
            Error::new(
                ErrorKind::Interpreter,
                format!("{} says its version is {what}", self.executable.display()),
            )
        };
        let version = Version::parse(&self.version).map_err(|_| bad(&self.version))?;
        let implementation_version =
            Version::parse(&self.markers.implementation_version.replace('c', "rc"))
                .unwrap_or_else(|_| version.clone());
        let implementation = Implementation::from_name(&self.implementation);
        let abis = self.abis(&implementation, &version);
        Ok(Interpreter {
            implementation,
            version,
            implementation_version,
            abis,
            free_threaded: self.free_threaded,
        })
    }

    fn abis(&self, implementation: &Implementation, version: &Version) -> Vec<String> {
        let (major, minor) = (version.release_number(0), version.release_number(1));
        match implementation {
            Implementation::Cpython => {
                let threads = if self.free_threaded { "t" } else { "" };
                let plain = match (major, minor) {
                    (2, _) => format!(
                        "cp{major}{minor}m{}",
                        if self.wide_unicode { "u" } else { "" }
                    ),
                    (3, 0..=7) => return vec![format!("cp{major}{minor}{}", self.abiflags)],
                    _ => format!("cp{major}{minor}{threads}"),
                };
                // A debug build of 3.8 or later also loads what was built without debugging (not on
                // Windows).
                match (self.debug, &*self.markers.os_name) {
                    (true, "nt") => vec![format!("cp{major}{minor}{threads}d")],
                    (true, _) => vec![format!("cp{major}{minor}{threads}d"), plain],
                    (false, _) => vec![plain],
                }
            }
            Implementation::Pypy => {
                // `pypy310-pp73-x86_64-linux-gnu`: the first two parts.
                let parts: Vec<&str> = self
                    .soabi
                    .as_deref()
                    .unwrap_or("")
                    .split('-')
                    .take(2)
                    .collect();
                vec![parts.join("_")]
            }
            Implementation::Other(_) => Vec::new(),
        }
    }

    /// The platform part of the target: what the programs are, not what the kernel says.
    pub fn target_platform(&self) -> Platform {
        let machine: &str = &self.markers.platform_machine;
        match &*self.markers.sys_platform {
            "win32" | "cygwin" => Platform::windows(match self.platform.as_str() {
                "win32" => "x86",
                "win-arm64" => "arm64",
                _ => "x86_64",
            }),
            "darwin" => {
                let mut numbers = self.mac.split('.').map(|n| n.parse().unwrap_or(0));
                Platform::macos(
                    machine,
                    numbers.next().unwrap_or(11),
                    numbers.next().unwrap_or(0),
                )
            }
            _ => Platform::linux(
                machine,
                self.bits,
                libc(self.glibc.as_deref(), self.musl, self.soft_float),
            ),
        }
    }

    /// The target that this interpreter is on a machine with these accelerators.
    ///
    /// # Errors
    /// As [`Facts::interpreter`].
    pub fn target(&self, accelerators: Accelerators) -> Result<Target> {
        Ok(Target {
            interpreter: self.interpreter()?,
            platform: self.target_platform(),
            accelerators,
            markers: self.markers.clone(),
        })
    }
}

/// The C library that decides: `glibc` as `glibc 2.36`. Tags promise nothing to 32-bit ARM programs
/// without hard floating point.
fn libc(glibc: Option<&str>, musl: Option<(u32, u32)>, soft_float: bool) -> Libc {
    let glibc = glibc
        .and_then(|t| t.strip_prefix("glibc "))
        .and_then(two_numbers);
    match (glibc, musl) {
        _ if soft_float => Libc::Static,
        (Some((major, minor)), _) => Libc::Glibc(major, minor),
        (None, Some((major, minor))) => Libc::Musl(major, minor),
        (None, None) => Libc::Static,
    }
}

/// The leading `X.Y` of a text; vendors append to it.
fn two_numbers(text: &str) -> Option<(u32, u32)> {
    let (major, rest) = text.trim().split_once('.')?;
    let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
    Some((major.parse().ok()?, rest.get(..digits)?.parse().ok()?))
}

/// Where the interpreter of an environment lies.
pub fn environment_python(root: &Path) -> PathBuf {
    if cfg!(windows) {
        root.join("Scripts").join("python.exe")
    } else {
        root.join("bin").join("python")
    }
}

/// The environment that a program of an environment's own folder of programs lies in (PEP 405).
pub fn environment_around(program: &Path) -> Option<PathBuf> {
    let root = program.parent()?.parent()?;
    root.join("pyvenv.cfg").is_file().then(|| root.to_owned())
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use rstest::rstest;

    /// A CPython 3.12 on 64-bit Linux, as the script reports it.
    pub(crate) fn facts() -> Facts {
        let markers = serde_json::json!({
            "os_name": "posix", "sys_platform": "linux", "platform_machine": "x86_64", "platform_python_implementation": "CPython",
            "platform_release": "6.1", "platform_system": "Linux", "platform_version": "#1", "python_version": "3.12",
            "python_full_version": "3.12.4", "implementation_name": "cpython", "implementation_version": "3.12.4"
        });
        serde_json::from_value(serde_json::json!({
            "version": "3.12.4", "implementation": "cpython", "abiflags": "", "wide_unicode": true, "executable": "/opt/py/bin/python3",
            "base_executable": null, "prefix": "/opt/py", "base_prefix": "/opt/py", "bits": 64, "platform": "linux-x86_64",
            "soabi": "cpython-312-x86_64-linux-gnu", "ext_suffix": ".cpython-312-x86_64-linux-gnu.so", "debug": false,
            "free_threaded": false, "glibc": "glibc \
                2.36", "mac": "", "externally_managed": false, "include": null, "markers": markers
        }))
        .unwrap()
    }

    fn with(change: impl Fn(&mut Facts)) -> Facts {
        let mut changed = facts();
        change(&mut changed);
        changed
    }

    #[rstest]
    #[case::plain(with(|_| ()), &["cp312"])]
    #[case::threads(with(|f| { f.version = "3.13.0".into(); f.free_threaded = true; }), &["cp313t"])]
    #[case::debug(with(|f| f.debug = true), &["cp312d", "cp312"])]
    #[case::debug_on_windows(with(|f| { f.debug = true; f.markers.os_name = "nt".into(); }), &["cp312d"])]
    #[case::allocator(with(|f| { f.version = "3.7.16".into(); f.abiflags = "m".into(); }), &["cp37m"])]
    #[case::old_wide(with(|f| f.version = "2.7.18".into()), &["cp27mu"])]
    #[case::old_narrow(with(|f| { f.version = "2.7.18".into(); f.wide_unicode = false; }), &["cp27m"])]
    #[case::pypy(with(|f| { f.version = "3.10.14".into(); f.implementation = "pypy".into(); f.soabi = Some("pypy310-pp73-x86_64-linux-gnu".into()); }), &["pypy310_pp73"])]
    fn abis_are_those_that_the_interpreter_loads(#[case] facts: Facts, #[case] abis: &[&str]) {
        assert_eq!(facts.interpreter().unwrap().abis, abis);
    }

    #[rstest]
    #[case::plain(with(|_| ()), "linux x86_64 glibc 2.36")]
    #[case::vendor_text(with(|f| f.glibc = Some("glibc \
        2.28-vendor3".into())), "linux x86_64 glibc 2.28")]
    #[case::small_programs(with(|f| f.bits = 32), "linux i686 kernel x86_64 glibc 2.36")]
    #[case::small_board(with(|f| { f.bits = 32; f.markers.platform_machine = "aarch64".into(); }), "linux armv7l kernel aarch64 glibc 2.36")]
    #[case::soft_float(with(|f| { f.soft_float = true; f.markers.platform_machine = "armv7l".into(); f.bits = 32; }), "linux armv7l static")]
    #[case::musl(with(|f| { f.glibc = None; f.musl = Some((1, 2)); }), "linux x86_64 musl 1.2")]
    #[case::neither(with(|f| f.glibc = None), "linux x86_64 static")]
    #[case::mac(with(|f| { f.markers.sys_platform = "darwin".into(); f.markers.platform_machine = "arm64".into(); f.mac = "14.5.1".into(); }), "macos arm64 14.5")]
    #[case::windows(with(|f| { f.markers.sys_platform = "win32".into(); f.platform = "win-amd64".into(); }), "windows x86_64")]
    #[case::small_on_windows(with(|f| { f.markers.sys_platform = "win32".into(); f.platform = "win32".into(); }), "windows i686")]
    fn the_platform_is_that_of_the_programs(#[case] facts: Facts, #[case] shown: &str) {
        assert_eq!(facts.target_platform().to_string(), shown);
    }

    #[test]
    fn an_environment_knows_its_base() {
        assert!(!facts().in_environment());
        assert_eq!(facts().base(), PathBuf::from("/opt/py/bin/python3"));
        let folder = tempfile::tempdir().unwrap();
        let base = folder.path().join("bin/python3.12");
        std::fs::create_dir_all(base.parent().unwrap()).unwrap();
        std::fs::write(&base, "").unwrap();
        let inside = with(|f| {
            f.prefix = "/work/.venv".into();
            f.executable = "/work/.venv/bin/python".into();
            f.base_prefix = folder.path().to_owned();
        });
        assert_eq!(inside.base(), base, "found under the base's prefix");
        let told = with(|f| {
            f.prefix = "/work/.venv".into();
            f.base_executable = Some(base.clone());
        });
        assert_eq!(told.base(), base);
    }

    #[test]
    fn this_machines_interpreter_answers() {
        let cache = tempfile::tempdir().unwrap();
        let finder = Finder::new(Vec::new());
        let probes = ProbeCache::open(cache.path());
        let found = finder.default(&probes).unwrap();
        let none = Accelerators::none(eutaxis_core::knowledge::Families::built_in());
        let target = found.facts.target(none).unwrap();
        assert_eq!(target.interpreter.version.to_string(), found.facts.version);
        assert!(
            !matches!(
                target.platform.system,
                eutaxis_core::targets::System::Linux(Libc::Static)
            ),
            "the C library is known"
        );
        let version = found.facts.markers.python_version.to_string();
        assert_eq!(
            finder
                .named(&version, &probes)
                .unwrap()
                .facts
                .markers
                .python_version,
            found.facts.markers.python_version
        );
    }
}
