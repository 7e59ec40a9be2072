//! Marker values of planned targets (PEP 508, environment markers; docs/targets.md).

use super::{Implementation, Interpreter, Platform, System};
use crate::marker::MarkerValues;

pub(super) fn planned(interpreter: &Interpreter, platform: &Platform) -> MarkerValues {
    let (os_name, sys_platform, platform_system) = match platform.system {
        System::Linux(_) => (
            "posix",
            if interpreter.series().0 == 2 {
                "linux2"
            } else {
                "linux"
            },
            "Linux",
        ),
        System::Macos(..) => ("posix", "darwin", "Darwin"),
        System::Windows => ("nt", "win32", "Windows"),
    };
    let implementation = match &interpreter.implementation {
        Implementation::Cpython => "CPython",
        Implementation::Pypy => "PyPy",
        Implementation::Other(name) if name == "graalpy" => "GraalVM",
        Implementation::Other(name) => name,
    };
    MarkerValues {
        os_name: os_name.into(),
        sys_platform: sys_platform.into(),
        platform_machine: platform.machine().into(),
        platform_python_implementation: implementation.into(),
        platform_release: "".into(),
        platform_system: platform_system.into(),
        platform_version: "".into(),
        python_version: interpreter.series_text().into(),
        python_full_version: interpreter.version.to_string().into(),
        implementation_name: interpreter.implementation.name().into(),
        implementation_version: interpreter.implementation_version.to_string().into(),
    }
}
