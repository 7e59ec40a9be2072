//! What is on a machine.

use std::path::PathBuf;

use eutaxis_core::Target;
use eutaxis_core::targets::Platform;
use eutaxis_world::accelerator;
use eutaxis_world::environment::Listed;
use eutaxis_world::interpreter::Facts;
use eutaxis_world::resources::Resources;

/// The kind of an interpreter that no folder of PATH leads to.
pub(crate) const NOT_ON_PATH: &str = "not on PATH";

/// An interpreter as a row.
#[derive(Debug)]
pub(crate) struct Row {
    pub(crate) name: String,
    pub(crate) version: String,
    pub(crate) abi: String,
    pub(crate) kind: String,
    pub(crate) path: String,
    pub(crate) default: bool,
    pub(crate) bare_names: Vec<String>,
    pub(crate) facts: Facts,
    pub(crate) full_path: PathBuf,
}

/// Everything that was found.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) os: String,
    pub(crate) os_release: String,
    /// The root that stands in for the machine's.
    pub(crate) stand_in: Option<PathBuf>,
    pub(crate) platform: Option<Platform>,
    /// What it has to work with; none of a machine that stands in.
    pub(crate) resources: Option<Resources>,
    pub(crate) bits: u32,
    pub(crate) interpreters: Vec<Row>,
    pub(crate) accelerators: Vec<accelerator::Found>,
    pub(crate) target: Option<Target>,
    pub(crate) tags: Option<Vec<String>>,
    pub(crate) environments: Option<(PathBuf, Vec<Listed>)>,
    pub(crate) cautions: Vec<String>,
    pub(crate) saved: Option<String>,
}
