//! The variables of markers and their values for one target (PEP 508, environment markers).

use std::sync::Arc;

use serde::{Deserialize, Serialize};

/// A variable that markers may name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Variable {
    /// `os_name`
    OsName,
    /// `sys_platform`
    SysPlatform,
    /// `platform_machine`
    PlatformMachine,
    /// `platform_python_implementation`
    PlatformPythonImplementation,
    /// `platform_release`
    PlatformRelease,
    /// `platform_system`
    PlatformSystem,
    /// `platform_version`
    PlatformVersion,
    /// `python_version`
    PythonVersion,
    /// `python_full_version`
    PythonFullVersion,
    /// `implementation_name`
    ImplementationName,
    /// `implementation_version`
    ImplementationVersion,
    /// `extra`: set by whoever evaluates a dependency.
    Extra,
    /// `extras`: a set, in lock files only (PEP 751).
    Extras,
    /// `dependency_groups`: a set, in lock files only (PEP 751).
    DependencyGroups,
}

/// Every spelling that is read, the standard's first; the last six are older ones.
const SPELLINGS: [(&str, Variable); 20] = [
    ("os_name", Variable::OsName),
    ("sys_platform", Variable::SysPlatform),
    ("platform_machine", Variable::PlatformMachine),
    (
        "platform_python_implementation",
        Variable::PlatformPythonImplementation,
    ),
    ("platform_release", Variable::PlatformRelease),
    ("platform_system", Variable::PlatformSystem),
    ("platform_version", Variable::PlatformVersion),
    ("python_version", Variable::PythonVersion),
    ("python_full_version", Variable::PythonFullVersion),
    ("implementation_name", Variable::ImplementationName),
    ("implementation_version", Variable::ImplementationVersion),
    ("extra", Variable::Extra),
    ("extras", Variable::Extras),
    ("dependency_groups", Variable::DependencyGroups),
    ("os.name", Variable::OsName),
    ("sys.platform", Variable::SysPlatform),
    ("platform.version", Variable::PlatformVersion),
    ("platform.machine", Variable::PlatformMachine),
    (
        "platform.python_implementation",
        Variable::PlatformPythonImplementation,
    ),
    (
        "python_implementation",
        Variable::PlatformPythonImplementation,
    ),
];

impl Variable {
    /// The variable of this spelling.
    pub fn parse(text: &str) -> Option<Variable> {
        SPELLINGS.iter().find(|(s, _)| *s == text).map(|(_, v)| *v)
    }

    /// The standard's spelling.
    pub fn as_str(self) -> &'static str {
        SPELLINGS
            .iter()
            .find(|(_, v)| *v == self)
            .map_or("", |(s, _)| s)
    }

    /// All spellings that are read.
    pub(crate) fn spellings() -> impl Iterator<Item = &'static str> {
        SPELLINGS.iter().map(|(s, _)| *s)
    }
}

/// The value of each variable on one target. Fields are named as the standard names the variables.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct MarkerValues {
    /// `posix` or `nt`.
    pub os_name: Arc<str>,
    /// `linux`, `darwin`, `win32`.
    pub sys_platform: Arc<str>,
    /// The kernel's word for the processor: `x86_64`, `aarch64`, `AMD64`.
    pub platform_machine: Arc<str>,
    /// `CPython` or `PyPy`.
    pub platform_python_implementation: Arc<str>,
    /// Release of the operating system; empty when not known.
    pub platform_release: Arc<str>,
    /// `Linux`, `Darwin`, `Windows`.
    pub platform_system: Arc<str>,
    /// Version text of the operating system; empty when not known.
    pub platform_version: Arc<str>,
    /// `3.12`
    pub python_version: Arc<str>,
    /// `3.12.4`
    pub python_full_version: Arc<str>,
    /// `cpython` or `pypy`.
    pub implementation_name: Arc<str>,
    /// `3.12.4`; for PyPy its own version.
    pub implementation_version: Arc<str>,
}

impl Default for MarkerValues {
    /// All empty but the implementation's version, which the standard says is `0` when unknown.
    fn default() -> Self {
        let none: Arc<str> = Arc::from("");
        MarkerValues {
            os_name: none.clone(),
            sys_platform: none.clone(),
            platform_machine: none.clone(),
            platform_python_implementation: none.clone(),
            platform_release: none.clone(),
            platform_system: none.clone(),
            platform_version: none.clone(),
            python_version: none.clone(),
            python_full_version: none.clone(),
            implementation_name: none,
            implementation_version: Arc::from("0"),
        }
    }
}

impl MarkerValues {
    /// The value of a variable; none for the three that are set by whoever evaluates.
    pub fn get(&self, variable: Variable) -> Option<&str> {
        Some(match variable {
            Variable::OsName => &self.os_name,
            Variable::SysPlatform => &self.sys_platform,
            Variable::PlatformMachine => &self.platform_machine,
            Variable::PlatformPythonImplementation => &self.platform_python_implementation,
            Variable::PlatformRelease => &self.platform_release,
            Variable::PlatformSystem => &self.platform_system,
            Variable::PlatformVersion => &self.platform_version,
            Variable::PythonVersion => &self.python_version,
            Variable::PythonFullVersion => &self.python_full_version,
            Variable::ImplementationName => &self.implementation_name,
            Variable::ImplementationVersion => &self.implementation_version,
            Variable::Extra | Variable::Extras | Variable::DependencyGroups => return None,
        })
    }
}
