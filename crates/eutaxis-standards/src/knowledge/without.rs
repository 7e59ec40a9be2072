//! Projects whose releases leave an accelerator out on a system, which neither page nor metadata say
//! (`[[without]]` in `knowledge/accelerators.toml`).

use serde::{Deserialize, Deserializer};

use crate::name::Name;
use crate::system::System;
use crate::version::Version;

/// That releases of a project leave a family out on a system.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Without {
    /// The project.
    pub project: Name,
    /// The system.
    system: Named,
    /// The family that its releases use elsewhere.
    pub family: String,
    /// The first release without.
    #[serde(deserialize_with = "version")]
    pub since: Version,
    /// The first that has it again, if one does.
    #[serde(default, deserialize_with = "maybe_version")]
    pub until: Option<Version>,
    /// Who says so.
    pub source: String,
}

/// An operating system, as the file names it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Named {
    Linux,
    Macos,
    Windows,
}

impl Without {
    /// Whether it speaks of a system.
    pub(super) fn is_on(&self, system: System) -> bool {
        match (self.system, system) {
            (Named::Linux, System::Linux(_))
            | (Named::Macos, System::Macos(..))
            | (Named::Windows, System::Windows) => true,
            (Named::Linux | Named::Macos | Named::Windows, _) => false,
        }
    }
}

fn version<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Version, D::Error> {
    let text = String::deserialize(deserializer)?;
    Version::parse(&text).map_err(|f| serde::de::Error::custom(f.message()))
}

fn maybe_version<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Option<Version>, D::Error> {
    version(deserializer).map(Some)
}
