//! The places that a lock file is for (PEP 751, `environments`), and markers that tell places apart.

use std::collections::BTreeSet;

use crate::targets::{System, Target};

/// A fact of a target of which markers speak.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Facet {
    /// The marker that holds on such targets.
    pub marker: String,
    /// What the variable may say there.
    values: BTreeSet<String>,
}

impl Facet {
    fn new(variable: &str, value: &str) -> Self {
        Facet {
            marker: format!("{variable} == '{value}'"),
            values: BTreeSet::from([value.to_owned()]),
        }
    }

    fn one_of(variable: &str, values: &str) -> Self {
        Facet {
            marker: format!("{variable} in '{values}'"),
            values: values.split(' ').map(str::to_owned).collect(),
        }
    }

    /// Whether no target has both.
    pub fn excludes(&self, other: &Facet) -> bool {
        self.values.is_disjoint(&other.values)
    }
}

/// What markers can say of a target such that it holds on every machine of its kind: its system, its
/// processor, its implementation of the language, its series of it.
pub fn facets_of(target: &Target) -> [Facet; 4] {
    let markers = &target.markers;
    let machine = match target.platform.system {
        // 32-bit programs may run on a 64-bit kernel, and the marker speaks of the kernel.
        System::Linux(_) if target.platform.arch().starts_with("armv") => {
            Facet::one_of("platform_machine", "armv6l armv7l armv8l aarch64")
        }
        System::Linux(_) if target.platform.arch() == "i686" => {
            Facet::one_of("platform_machine", "i386 i486 i586 i686 x86_64")
        }
        System::Linux(_) | System::Macos(..) | System::Windows => {
            Facet::new("platform_machine", &markers.platform_machine)
        }
    };
    [
        Facet::new("sys_platform", &markers.sys_platform),
        machine,
        Facet::new("implementation_name", &markers.implementation_name),
        Facet::new("python_version", &target.interpreter.series_text()),
    ]
}

/// The marker that targets such as this one have in common, whatever their interpreter's series.
pub fn environment_of(target: &Target) -> String {
    let [system, machine, implementation, _] = facets_of(target);
    [system, machine, implementation]
        .map(|f| f.marker)
        .join(" and ")
}

/// The same with the series.
pub fn environment_with_series(target: &Target) -> String {
    facets_of(target).map(|f| f.marker).join(" and ")
}
