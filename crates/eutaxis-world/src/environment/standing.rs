//! What an environment is, at a glance: whose, whole or not, and what it holds by the names of its
//! folders.

use std::path::{Path, PathBuf};

use eutaxis_core::Name;

use super::list::{Fault, info_folders, stated};

/// An environment at a glance.
#[derive(Debug, Clone)]
pub struct Standing {
    /// The version of its interpreter, as it was recorded.
    pub version: Option<String>,
    /// Its base interpreter.
    pub base: Option<PathBuf>,
    /// Why it is not whole, what makes it useless first.
    pub faults: Vec<Fault>,
    /// The projects and releases that it holds.
    pub projects: Vec<(Name, String)>,
}

impl Standing {
    /// Of the environment in a folder. No file of a project is read.
    pub fn of(root: &Path) -> Self {
        let stated = stated(root);
        let named = |info: PathBuf| {
            let stem = info.file_stem()?.to_str()?;
            let (name, version) = stem.split_once('-')?;
            Some((Name::parse(name).ok()?, version.to_owned()))
        };
        let infos = info_folders(root).into_iter();
        Standing {
            version: stated.version,
            base: stated.base,
            faults: stated.faults,
            projects: infos.filter_map(named).collect(),
        }
    }
}
