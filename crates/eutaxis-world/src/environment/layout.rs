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

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::interpreter::tests::facts;

    fn layout() -> Layout {
        Layout::of(&facts()).unwrap()
    }

    #[rstest]
    #[case::root(
        "firnio/__init__.py",
        "lib/python3.12/site-packages/firnio/__init__.py"
    )]
    #[case::pure("firnio-1.0.data/purelib/a.py", "lib/python3.12/site-packages/a.py")]
    #[case::compiled("firnio-1.0.data/platlib/b.so", "lib/python3.12/site-packages/b.so")]
    #[case::script("firnio-1.0.data/scripts/melt", "bin/melt")]
    #[case::header(
        "firnio-1.0.data/headers/firn.h",
        "include/site/python3.12/firnio/firn.h"
    )]
    #[case::data("firnio-1.0.data/data/share/map.txt", "share/map.txt")]
    #[case::no_folder_of_data("firnio.data", "lib/python3.12/site-packages/firnio.data")]
    fn files_go_where_the_standard_says(#[case] path: &str, #[case] to: &str) {
        let found = layout().destination(path, "firnio").unwrap();
        assert_eq!(found, Path::new(to));
    }

    #[test]
    fn a_folder_of_data_that_nobody_knows_is_refused() {
        let why = layout().destination("firnio-1.0.data/snow/a", "firnio");
        assert!(why.unwrap_err().starts_with("`snow` is not a folder"));
    }

    #[rstest]
    #[case::usual(|_: &mut Facts| (), "lib/python3.12/site-packages", "python3.12")]
    #[case::without_the_lock(
        |f: &mut Facts| { f.version = "3.13.1".into(); f.free_threaded = true; },
        "lib/python3.13t/site-packages", "python3.13t"
    )]
    #[case::pypy(
        |f: &mut Facts| { f.version = "3.10.14".into(); f.implementation = "pypy".into(); },
        "lib/pypy3.10/site-packages", "python3.10"
    )]
    fn folders_bear_the_series(
        #[case] change: fn(&mut Facts),
        #[case] site: &str,
        #[case] python: &str,
    ) {
        let mut facts = facts();
        change(&mut facts);
        let layout = Layout::of(&facts).unwrap();
        assert_eq!(layout.site, Path::new(site));
        assert_eq!(layout.python, python);
    }

    #[rstest]
    #[case::before_there_were_any(
        |f: &mut Facts| f.version = "2.7.18".into(), "knows no environments"
    )]
    #[case::another_system(
        |f: &mut Facts| f.markers.os_name = "nt".into(), "on Windows cannot be made"
    )]
    fn where_none_can_be_made_it_is_said(#[case] change: fn(&mut Facts), #[case] why: &str) {
        let mut facts = facts();
        change(&mut facts);
        let error = Layout::of(&facts).unwrap_err();
        assert_eq!(error.kind, ErrorKind::Interpreter);
        assert!(error.message.contains(why), "{}", error.message);
        assert!(error.help.is_some());
    }
}
