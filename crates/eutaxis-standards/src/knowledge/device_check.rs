//! How a framework is asked whether it sees an accelerator (`[[check]]` in files of families).

use serde::Deserialize;

use crate::name::Name;

/// What asks a project for devices of a family, by the interpreter of an environment.
///
/// The code prints lines: `devices N`, `name TEXT` for each, and `computed ok`, or `computed` with
/// what was wrong, after a small computation. Other lines are let be.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DeviceCheck {
    /// The project that is asked.
    pub project: Name,
    /// The family of accelerators.
    pub family: String,
    /// Python code.
    pub code: String,
}
