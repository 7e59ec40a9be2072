//! Where an interpreter looks for modules, as it says itself, or as its files tell (the language's
//! library reference, `site`).

use std::path::{Path, PathBuf};

use serde::Deserialize;

use super::{Facts, probe};
use crate::root::matching;
use crate::{Error, ErrorKind, Result};

const SCRIPT: &str = include_str!("paths.py");

/// Where an interpreter looks for modules. Fields are named as in the script.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
pub struct Paths {
    /// The standard library, in order.
    pub standard: Vec<PathBuf>,
    /// Modules inside the interpreter.
    pub built_in: Vec<String>,
    /// Endings of compiled modules, best first.
    pub suffixes: Vec<String>,
    /// Folders of packages of the base interpreter.
    pub sites: Vec<PathBuf>,
    /// The user's own packages, whether they are there or not.
    pub user: Option<PathBuf>,
}

/// Asks an interpreter.
///
/// # Errors
/// When it cannot be started, or its answer cannot be read.
pub fn paths(python: &Path) -> Result<Paths> {
    let answer = probe::answer(python, SCRIPT)?;
    serde_json::from_slice(&answer).map_err(|_| {
        Error::new(
            ErrorKind::Interpreter,
            format!(
                "{} does not tell where it looks for modules",
                python.display()
            ),
        )
    })
}

/// The same of an interpreter that cannot be run, by where its files lie.
pub fn planned(facts: &Facts) -> Paths {
    let series = facts.markers.python_version.as_ref();
    let threads = if facts.free_threaded { "t" } else { "" };
    let standard = facts
        .base_prefix
        .join("lib")
        .join(format!("python{series}{threads}"));
    let mut sites = vec![standard.join("site-packages")];
    sites.extend(matching(
        &facts.base_prefix,
        &format!("local/lib/python{series}/dist-packages"),
    ));
    sites.extend(matching(&facts.base_prefix, "lib/python3/dist-packages"));
    Paths {
        standard: vec![standard.clone(), standard.join("lib-dynload")],
        built_in: Vec::new(),
        suffixes: suffixes(facts),
        sites,
        user: None,
    }
}

/// Endings of compiled modules of an interpreter that cannot be asked (PEP 3149).
fn suffixes(facts: &Facts) -> Vec<String> {
    let windows = &*facts.markers.os_name == "nt";
    let own = facts.ext_suffix.clone().unwrap_or_else(|| {
        let digits = facts.markers.python_version.replace('.', "");
        let machine = facts.target_platform();
        let triple = match machine.arch() {
            "armv7l" => "arm-linux-gnueabihf".to_owned(),
            "i686" => "i386-linux-gnu".to_owned(),
            arch => format!(
                "{arch}-linux-{}",
                if facts.musl.is_some() { "musl" } else { "gnu" }
            ),
        };
        match (&*facts.markers.sys_platform, windows) {
            (_, true) => format!(".cp{digits}-win_amd64.pyd"),
            ("darwin", _) => format!(".cpython-{digits}{}-darwin.so", facts.abiflags),
            _ => format!(".cpython-{digits}{}-{triple}.so", facts.abiflags),
        }
    });
    let plain = if windows { ".pyd" } else { ".so" };
    let mut all = vec![own];
    if !windows && !facts.free_threaded && facts.implementation == "cpython" {
        all.push(".abi3.so".to_owned());
    }
    all.push(plain.to_owned());
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::interpreter::{Finder, ProbeCache};

    #[test]
    fn an_interpreter_tells_where_it_looks() {
        let cache = tempfile::tempdir().unwrap();
        let found = Finder::new(Vec::new())
            .default(&ProbeCache::open(cache.path()))
            .unwrap();
        let told = paths(&found.path).unwrap();
        assert!(
            told.standard.iter().any(|p| p.join("json").is_dir()),
            "{told:?}"
        );
        assert!(told.built_in.contains(&"sys".to_owned()));
        assert_eq!(told.suffixes.first(), found.facts.ext_suffix.as_ref());
        let planned = planned(&found.facts);
        assert_eq!(
            planned.suffixes, told.suffixes,
            "the rule agrees with the interpreter"
        );
    }
}
