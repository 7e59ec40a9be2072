//! The interpreter of a target.

use std::fmt;

use crate::fault::{Fault, FaultKind};
use crate::knowledge;
use crate::version::Version;

/// No series of an interpreter has a higher minor; it bounds what is counted for tags.
const NEWEST_MINOR: u64 = 99;

/// Which program runs the code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Implementation {
    /// CPython
    Cpython,
    /// PyPy
    Pypy,
    /// Another, by the name it gives itself; it takes wheels that depend on no ABI.
    Other(String),
}

impl Implementation {
    /// The name as `sys.implementation.name` gives it.
    pub fn name(&self) -> &str {
        match self {
            Implementation::Cpython => "cpython",
            Implementation::Pypy => "pypy",
            Implementation::Other(name) => name,
        }
    }

    /// The implementation of that name.
    pub fn from_name(name: &str) -> Self {
        match name {
            "cpython" => Implementation::Cpython,
            "pypy" => Implementation::Pypy,
            other => Implementation::Other(other.to_owned()),
        }
    }
}

/// An interpreter, real or planned.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Interpreter {
    /// Which program it is.
    pub implementation: Implementation,
    /// The version of the language, with its patch release: `3.12.4`.
    pub version: Version,
    /// The implementation's own version; equal to `version` for CPython.
    pub implementation_version: Version,
    /// ABI tags it loads, best first: `cp312`, for debug builds also the plain one.
    pub abis: Vec<String>,
    /// Built without the global lock (PEP 703): no stable ABI.
    pub free_threaded: bool,
}

impl Interpreter {
    /// A planned interpreter: `3.12` stands for the newest patch release of its series
    /// (docs/choice.md, Requires-Python).
    ///
    /// # Errors
    /// When the version names less than a series, or a free-threaded build that does not exist.
    pub fn planned(
        implementation: Implementation,
        version: &Version,
        free_threaded: bool,
    ) -> Result<Self, Fault> {
        let parts = version.parts();
        if parts.release.len() < 2 {
            return Err(Fault::of(
                FaultKind::Unknown,
                format!("`{version}` names no series of an interpreter"),
                0,
            )
            .hint(format!("write `{version}.12`, say")));
        }
        let (major, minor) = (version.release_number(0), version.release_number(1));
        if !(2..=9).contains(&major) || minor > NEWEST_MINOR {
            return Err(Fault::of(
                FaultKind::Unknown,
                format!("there is no interpreter {version}"),
                0,
            )
            .hint("for example 3.12"));
        }
        let threads = free_threaded
            && (implementation != Implementation::Cpython || (major, minor) < (3, 13));
        if threads {
            return Err(Fault::of(
                FaultKind::Unknown,
                format!(
                    "there is no free-threaded build of {} {version}",
                    implementation.name()
                ),
                0,
            ));
        }
        let series = knowledge::series(implementation.name(), &format!("{major}.{minor}"));
        let newest = series.and_then(|s| Version::parse(&s.newest).ok());
        let full = match newest {
            Some(newest) if parts.release.len() == 2 && !version.is_prerelease() => newest,
            _ => version.clone(),
        };
        let own = series.and_then(|s| Version::parse(s.implementation_version.as_deref()?).ok());
        let abis = planned_abis(&implementation, major, minor, free_threaded);
        let implementation_version = own.unwrap_or_else(|| full.clone());
        Ok(Interpreter {
            implementation,
            version: full,
            implementation_version,
            abis,
            free_threaded,
        })
    }

    /// Major and minor of the language.
    pub fn series(&self) -> (u64, u64) {
        (
            self.version.release_number(0),
            self.version.release_number(1),
        )
    }

    /// `3.12`, as `python_version` in markers.
    pub fn series_text(&self) -> String {
        let (major, minor) = self.series();
        format!("{major}.{minor}")
    }

    /// The interpreter part of its own tags: `cp312`, `pp310`.
    pub fn tag(&self) -> String {
        let (major, minor) = self.series();
        let prefix = match &self.implementation {
            Implementation::Cpython => "cp",
            Implementation::Pypy => "pp",
            Implementation::Other(name) => name,
        };
        format!("{prefix}{major}{minor}")
    }

    /// Whether an interpreter part of a tag is this interpreter's own. Asked for every tag of every
    /// file, so nothing is allocated.
    pub(super) fn is_own_tag(&self, python: &str) -> bool {
        let prefix = match &self.implementation {
            Implementation::Cpython => "cp",
            Implementation::Pypy => "pp",
            Implementation::Other(name) => name,
        };
        let series = python
            .strip_prefix(prefix)
            .and_then(|rest| self.minor_in(rest));
        series == Some(Some(self.series().1))
    }

    /// The minor in the digits of a tag: the first digit is the major, the rest the minor;
    /// `Some(None)` when only the major stands there, none when it is another major or no number.
    pub(super) fn minor_in(&self, digits: &str) -> Option<Option<u64>> {
        let first = digits.bytes().next().filter(u8::is_ascii_digit)?;
        if u64::from(first - b'0') != self.series().0 {
            return None;
        }
        let rest = digits.get(1..)?;
        if rest.is_empty() {
            return Some(None);
        }
        let plain =
            rest.bytes().all(|b| b.is_ascii_digit()) && (rest.len() == 1 || !rest.starts_with('0'));
        if plain {
            rest.parse().ok().map(Some)
        } else {
            None
        }
    }

    /// Loads wheels of the stable ABI (PEP 384): CPython 3.2 and later with the global lock.
    pub fn takes_stable_abi(&self) -> bool {
        self.stable_abi().is_some_and(|(abi, _)| abi == "abi3")
    }

    /// The stable ABI of CPython 3 that it loads, with the minor of the first series that has it:
    /// with the global lock `abi3` (PEP 384), without it `abi3t` (PEP 803, draft). They have nothing
    /// in common.
    pub fn stable_abi(&self) -> Option<(&'static str, u64)> {
        let (major, minor) = self.series();
        let (abi, first) = match self.free_threaded {
            false => ("abi3", 2),
            true => ("abi3t", 15),
        };
        let is_cpython = self.implementation == Implementation::Cpython && major == 3;
        (is_cpython && minor >= first).then_some((abi, first))
    }
}

fn planned_abis(
    implementation: &Implementation,
    major: u64,
    minor: u64,
    free_threaded: bool,
) -> Vec<String> {
    match implementation {
        Implementation::Cpython => {
            // Up to 3.7 the memory allocator is part of the tag; 2.7 on Linux was built with wide
            // characters.
            let flags = match (major, minor) {
                (2, _) => "mu",
                (3, 0..=7) => "m",
                _ if free_threaded => "t",
                _ => "",
            };
            vec![format!("cp{major}{minor}{flags}")]
        }
        // The ABI of the interpreter's own 7.3 line, the only one in use since 3.6.
        Implementation::Pypy => vec![format!("pypy{major}{minor}_pp73")],
        Implementation::Other(_) => Vec::new(),
    }
}

impl fmt::Display for Interpreter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let threads = if self.free_threaded { "t" } else { "" };
        write!(
            f,
            "{} {}{threads}",
            self.implementation.name(),
            self.version
        )
    }
}
