//! One's own code: its files, what they import, and which modules are one's own.

use std::collections::{BTreeMap, BTreeSet};

use super::imports::{self, Import};
use super::notebook;

/// A place in one's own code.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place {
    /// The file, as it was named.
    pub file: String,
    /// The cell of a notebook, from 1.
    pub cell: Option<u32>,
    /// The line, of the cell where there is one, from 1.
    pub line: u32,
}

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.cell {
            Some(cell) => write!(f, "{}, cell {cell}, line {}", self.file, self.line),
            None => write!(f, "{}:{}", self.file, self.line),
        }
    }
}

/// A file of code that was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// Its path, with slashes, as it was named.
    pub file: String,
    /// What it imports.
    pub imports: Vec<Import>,
    /// The first line that cannot be read.
    pub broken: Option<u32>,
    /// For each line of a notebook's code its cell, and the line within.
    cells: Option<Vec<(u32, u32)>>,
}

impl Source {
    /// Reads a source by its path, with slashes.
    pub fn read(path: &str, source: &[u8]) -> Self {
        let (imports, broken) = imports::read(source);
        Source {
            file: path.to_owned(),
            imports,
            broken,
            cells: None,
        }
    }

    /// Reads a notebook.
    ///
    /// # Errors
    /// When the bytes are no notebook: why.
    pub fn of_notebook(path: &str, bytes: &[u8]) -> Result<Self, String> {
        let cells = notebook::read(bytes)?;
        Ok(Source {
            cells: Some(cells.lines),
            ..Source::read(path, cells.source.as_bytes())
        })
    }

    /// The place of a line.
    pub fn place(&self, line: u32) -> Place {
        let at = usize::try_from(line).ok().and_then(|l| l.checked_sub(1));
        let cell = self.cells.as_ref().and_then(|c| c.get(at?).copied());
        Place {
            file: self.file.clone(),
            cell: cell.map(|(cell, _)| cell),
            line: cell.map_or(line, |(_, line)| line),
        }
    }
}

/// How a module is one's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Own {
    /// From where the file is started, or from a folder above it: this file or folder.
    Found {
        /// The file, or the folder of a package.
        path: String,
        /// It lies beside a file that is started as a script, and goes before everything else.
        first: bool,
    },
    /// Beside the file, within its package: it counts only for who starts the file by itself.
    Beside,
}

/// All files of one's own code.
#[derive(Debug, Clone, Default)]
pub struct Code {
    /// Those that were read.
    pub sources: Vec<Source>,
    /// Modules that can be imported from a folder, with the file or folder that each is.
    tops: BTreeMap<String, BTreeMap<String, String>>,
    /// Folders above which nothing is one's own.
    roots: BTreeSet<String>,
    /// Folders that are packages by a file of their own.
    packages: BTreeSet<String>,
}

/// The folder of a path, and its last part.
fn split(path: &str) -> (&str, &str) {
    path.rsplit_once('/').unwrap_or(("", path))
}

fn joined(folder: &str, name: &str) -> String {
    match folder {
        "" => name.to_owned(),
        folder => format!("{folder}/{name}"),
    }
}

impl Code {
    /// Whether nothing was read.
    pub fn is_empty(&self) -> bool {
        self.sources.is_empty()
    }

    /// Adds what was read of a file.
    pub fn add(&mut self, source: Source) {
        if source.cells.is_none() {
            self.add_module(&source.file);
        }
        self.sources.push(source);
    }

    /// Adds a source by its path, with slashes.
    pub fn add_source(&mut self, path: &str, source: &[u8]) {
        self.add(Source::read(path, source));
    }

    /// Names a folder above which nothing is one's own. Roots come before files.
    pub fn add_root(&mut self, folder: &str) {
        self.roots.insert(folder.to_owned());
    }

    /// Notes a file that is a module of one's own, read or not.
    pub fn add_module(&mut self, path: &str) {
        let (folder, file) = split(path);
        let stem = file.split('.').next().unwrap_or(file);
        if stem == "__init__" {
            self.packages.insert(folder.to_owned());
        } else {
            self.note(folder, stem, path);
        }
        let mut at = folder;
        while !at.is_empty() && !self.roots.contains(at) {
            let (above, name) = split(at);
            self.note(above, name, at);
            at = above;
        }
    }

    fn note(&mut self, folder: &str, top: &str, path: &str) {
        let tops = self.tops.entry(folder.to_owned()).or_default();
        // A file goes before a folder that has none.
        match tops.get(top) {
            Some(known) if !path.ends_with(".py") || known.ends_with(".py") => {}
            _ => {
                tops.insert(top.to_owned(), path.to_owned());
            }
        }
    }

    /// The name under which a file is imported by what is started beside it; none of one in a
    /// package, and of a notebook.
    pub(super) fn script<'f>(&self, file: &'f str) -> Option<&'f str> {
        let (folder, name) = split(file);
        let stem = name.strip_suffix(".py")?;
        (!self.packages.contains(folder)).then_some(stem)
    }

    /// Whether a module at the top is one's own, for an import in a file.
    pub(super) fn own(&self, file: &str, top: &str) -> Option<Own> {
        let (folder, _) = split(file);
        let in_package = self.packages.contains(folder);
        let mut at = folder;
        loop {
            let is_package = self.packages.contains(at);
            let beside = [at.to_owned(), joined(at, "src"), joined(at, "lib")];
            let roots = beside.iter().skip(usize::from(is_package));
            for root in roots {
                if let Some(path) = self.tops.get(root).and_then(|t| t.get(top)) {
                    // A file does not import itself.
                    if path == file {
                        continue;
                    }
                    return Some(Own::Found {
                        path: path.clone(),
                        first: !in_package && root == folder,
                    });
                }
            }
            if at.is_empty() || self.roots.contains(at) {
                break;
            }
            at = split(at).0;
        }
        let beside = self.tops.get(folder).and_then(|t| t.get(top));
        beside.filter(|path| *path != file).map(|_| Own::Beside)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn tree() -> Code {
        let mut code = Code::default();
        for path in [
            "camp/src/radar/__init__.py",
            "camp/src/radar/core.py",
            "camp/src/radar/json.py",
            "camp/scripts/run.py",
            "camp/scripts/helpers.py",
            "camp/tests/test_radar.py",
            "camp/conftest.py",
        ] {
            code.add_module(path);
        }
        code
    }

    #[rstest]
    #[case::package_under_src("camp/tests/test_radar.py", "radar", Some((false, "camp/src/radar")))]
    #[case::beside_a_script("camp/scripts/run.py", "helpers",
        Some((true, "camp/scripts/helpers.py")))]
    #[case::above("camp/tests/test_radar.py", "conftest", Some((false, "camp/conftest.py")))]
    #[case::package_from_within("camp/src/radar/core.py", "radar", Some((false, "camp/src/radar")))]
    #[case::not_there("camp/scripts/run.py", "firnio", None)]
    #[case::itself("camp/scripts/run.py", "run", None)]
    fn ones_own_modules_are_found_from_where_a_file_is(
        #[case] file: &str,
        #[case] top: &str,
        #[case] expected: Option<(bool, &str)>,
    ) {
        let expected = expected.map(|(first, path)| Own::Found {
            path: path.to_owned(),
            first,
        });
        assert_eq!(tree().own(file, top), expected);
    }

    #[test]
    fn nothing_above_a_root_is_ones_own() {
        let mut code = Code::default();
        code.add_root("/srv/firnio/camp");
        code.add_module("/srv/firnio/camp/run.py");
        assert_eq!(code.own("/srv/firnio/camp/run.py", "firnio"), None);
        assert_eq!(code.own("/srv/firnio/camp/run.py", "srv"), None);
    }

    #[test]
    fn what_lies_in_a_package_hides_nothing() {
        let own = tree().own("camp/src/radar/core.py", "json");
        assert_eq!(own, Some(Own::Beside));
    }

    #[test]
    fn places_in_notebooks_are_cells() {
        let text = r#"{"cells": [{"cell_type": "code", "source": "x = 1\nimport firnio"}]}"#;
        let source = Source::of_notebook("night.ipynb", text.as_bytes()).unwrap();
        let place = source.place(source.imports[0].line);
        assert_eq!(place.to_string(), "night.ipynb, cell 1, line 2");
    }
}
