//! Which interpreters are not to be started: those out of a folder whose contents may be anybody's,
//! such as one in which a log or a list is only read. An environment there is known by its base
//! interpreter, when that lies where interpreters usually lie; else by its files.

use std::path::{Path, PathBuf};

use super::{Facts, environment_around, expand_home, recorded, rest};
use crate::{Error, ErrorKind, Result};

/// Where systems and people put interpreters.
const USUAL: [&str; 6] = [
    "/usr",
    "/bin",
    "/opt",
    "/Library",
    "/System",
    "/Applications",
];

/// The guard over a folder.
#[derive(Debug)]
pub(super) struct Guard {
    folder: PathBuf,
    home: Option<PathBuf>,
    /// Interpreters that the user's settings name.
    configured: Vec<PathBuf>,
}

impl Guard {
    pub(super) fn new(folder: PathBuf, globs: &[String]) -> Self {
        let home = directories::BaseDirs::new().map(|d| d.home_dir().to_owned());
        let paths = globs
            .iter()
            .filter_map(|g| glob::glob(&expand_home(g)).ok())
            .flatten()
            .flatten();
        Guard {
            configured: paths.collect(),
            folder: real(&folder),
            home,
        }
    }

    /// Whether a path leads out of the folder, by itself or by its links, and not to where
    /// interpreters usually lie.
    pub(super) fn forbids(&self, path: &Path) -> bool {
        let given = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let below = |p: &Path| p.starts_with(&self.folder) && !self.is_usual(p);
        below(&given) || below(&real(&given)) || given.parent().is_some_and(|p| below(&real(p)))
    }

    /// Whether interpreters usually lie there, or the user says so. A usual place in which the
    /// folder itself lies says nothing of what is in the folder.
    fn is_usual(&self, path: &Path) -> bool {
        let counts = |place: &Path| {
            path.starts_with(place)
                && !(path.starts_with(&self.folder) && self.folder.starts_with(place))
        };
        // Folders of the home folder that do not show are where version managers keep theirs.
        let hidden = self.home.as_ref().and_then(|home| {
            let name = path.strip_prefix(home).ok()?.iter().next()?;
            name.to_string_lossy()
                .starts_with('.')
                .then(|| home.join(name))
                .filter(|_| name != ".venv")
        });
        USUAL.iter().any(|usual| counts(Path::new(usual)))
            || hidden.is_some_and(|place| counts(&place))
            || self.configured.iter().any(|c| c == path)
    }

    /// What is known of an interpreter that must not be started: `ask` asks its base, where that
    /// may be.
    ///
    /// # Errors
    /// When neither its base nor its files tell.
    pub(super) fn facts(&self, path: &Path, ask: &dyn Fn(&Path) -> Result<Facts>) -> Result<Facts> {
        let given = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let root = environment_around(&given);
        let base = root.as_deref().and_then(|root| recorded(root).base);
        // Its links are followed first: a usual folder may hold one that leads back.
        let usable =
            |base: &PathBuf| base.is_file() && self.is_usual(base) && !self.forbids(&real(base));
        match (root, base.filter(usable)) {
            (Some(root), Some(base)) => {
                let facts = ask(&base)?;
                Ok(Facts {
                    executable: given.clone(),
                    base_executable: Some(base),
                    prefix: root,
                    externally_managed: false,
                    ..facts
                })
            }
            _ => rest::facts(Path::new("/"), &given).map_err(|_| {
                let message = format!(
                    "{} is not started, because it lies in the folder in which something is only \
                        read, and its files do not tell what it is",
                    path.display()
                );
                Error::new(ErrorKind::Interpreter, message)
                    .help("name an interpreter of your own with --interpreter, or a --target")
            }),
        }
    }
}

fn real(path: &Path) -> PathBuf {
    std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/work/field", "/work/field/.venv/bin/python", true)]
    #[case("/work/field", "/work/other/.venv/bin/python", false)]
    #[case("/work/field", "/usr/bin/python3", false)]
    #[case("/", "/usr/bin/python3", false)]
    #[case("/opt/field", "/opt/field/bin/python3", true)]
    #[case("/opt/field", "/opt/py/bin/python3", false)]
    #[case("/home/ann", "/home/ann/.tools/versions/3.11/bin/python3", false)]
    #[case("/home/ann", "/home/ann/bin/python3", true)]
    #[case("/home/ann/.field", "/home/ann/.field/bin/python3", true)]
    fn what_lies_in_the_folder_is_not_started(
        #[case] folder: &str,
        #[case] path: &str,
        #[case] forbidden: bool,
    ) {
        let guard = Guard {
            folder: PathBuf::from(folder),
            home: Some(PathBuf::from("/home/ann")),
            configured: Vec::new(),
        };
        assert_eq!(guard.forbids(Path::new(path)), forbidden);
    }
}
