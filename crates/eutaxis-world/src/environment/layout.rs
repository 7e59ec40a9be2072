//! Where things go in an environment (PEP 405).

use std::path::{Path, PathBuf};

use eutaxis_core::targets::{Implementation, Interpreter};

use crate::interpreter::Facts;
use crate::{Error, ErrorKind, Result};

/// The folders of an environment, relative to its root.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    /// Where packages go, pure or not.
    pub site: PathBuf,
    /// Where executables go.
    pub scripts: PathBuf,
    /// Where C headers of projects go; one folder per project below.
    pub headers: PathBuf,
    /// Name of the interpreter with its series, `python3.12`.
    pub python: String,
}

impl Layout {
    /// The layout for an interpreter.
    ///
    /// # Errors
    /// When that interpreter knows no environments (2.7), or the system's layout is not supported.
    pub fn of(facts: &Facts) -> Result<Self> {
        let interpreter = facts.interpreter()?;
        let (major, minor) = interpreter.series();
        if (major, minor) < (3, 3) {
            let message = format!(
                "CPython {major}.{minor} knows no environments of its own: they came with 3.3"
            );
            return Err(Error::new(ErrorKind::Interpreter, message)
                .help("use an interpreter of 3.6 or later"));
        }
        if &*facts.markers.os_name == "nt" {
            let message = "environments on Windows cannot be made by this version";
            return Err(Error::new(ErrorKind::Interpreter, message)
                .help("settle and its pins work for Windows targets"));
        }
        Ok(Layout::planned(&interpreter))
    }

    /// The layout for an interpreter on a system of the POSIX kind.
    pub fn planned(interpreter: &Interpreter) -> Self {
        let (major, minor) = interpreter.series();
        let threads = if interpreter.free_threaded { "t" } else { "" };
        let folder = if let Implementation::Pypy = interpreter.implementation {
            format!("pypy{major}.{minor}")
        } else {
            format!("python{major}.{minor}{threads}")
        };
        Layout {
            site: Path::new("lib").join(&folder).join("site-packages"),
            scripts: PathBuf::from("bin"),
            headers: Path::new("include").join("site").join(&folder),
            python: format!("python{major}.{minor}{threads}"),
        }
    }

    /// Where a path of a wheel goes, relative to the root. `data` is the wheel's `.data` folder.
    ///
    /// # Errors
    /// When it names a folder of `.data` that the standard does not know.
    pub fn destination(&self, path: &str, project: &str) -> std::result::Result<PathBuf, String> {
        let Some((key, rest)) = data_part(path) else {
            return Ok(self.site.join(path));
        };
        match key {
            "purelib" | "platlib" => Ok(self.site.join(rest)),
            "scripts" => Ok(self.scripts.join(rest)),
            "headers" => Ok(self.headers.join(project).join(rest)),
            "data" => Ok(PathBuf::from(rest)),
            other => Err(format!(
                "`{other}` is not a folder of .data that can be placed"
            )),
        }
    }
}

/// `X.data/KEY/REST`: the key and the rest; none for other paths.
pub(super) fn data_part(path: &str) -> Option<(&str, &str)> {
    let (top, rest) = path.split_once('/')?;
    if top.ends_with(".data") {
        rest.split_once('/')
    } else {
        None
    }
}
