//! One's own code on this disk: the sources and notebooks of folders, or single files.

use std::path::{Path, PathBuf};

use eutaxis_core::own::{Code, Source};
use rayon::prelude::*;

use crate::files::slashed;
use crate::{Doing, Error, Result};

/// So many files are read at most.
const MOST_FILES: usize = 20_000;
/// A source of more bytes is data.
const LARGEST: u64 = 8 << 20;

/// One's own code, and what of it could not be read.
#[derive(Debug, Default)]
pub struct OwnCode {
    /// What was read.
    pub code: Code,
    /// Files that could not be read, and why.
    pub unread: Vec<(PathBuf, String)>,
}

/// Whether a path is one of code, by its name: a folder, a source, a notebook.
pub fn is_code(path: &Path) -> bool {
    path.is_dir() || is_source(path)
}

fn is_source(path: &Path) -> bool {
    path.extension()
        .is_some_and(|e| e == "py" || e == "pyw" || e == "ipynb")
}

/// Reads the code of these files and folders, as they were named. Environments, hidden folders and
/// what tools keep are no code of one's own, nor is the cache.
///
/// # Errors
/// When a path cannot be looked at, when there is no code in a folder, or far too much.
pub fn own_code(places: &[PathBuf], cache: &Path) -> Result<OwnCode> {
    let mut own = OwnCode::default();
    let mut files: Vec<PathBuf> = Vec::new();
    for place in places {
        let before = files.len();
        if place.is_dir() {
            below(place, cache, &mut files)?;
            if files.len() == before {
                let shown = place.display();
                return Err(
                    Error::request(format!("{shown} holds no code: no .py, no .ipynb"))
                        .help("name the folder of your own code, or a file"),
                );
            }
        } else {
            files.push(place.clone());
        }
        let root = root_of(place);
        own.code.add_root(&named(&root));
        // What lies beside can be imported, too.
        for entry in std::fs::read_dir(shown_or_here(&root))
            .into_iter()
            .flatten()
            .flatten()
        {
            let path = root.join(entry.file_name());
            let is_module = is_source(&path) && !is_notebook(&path);
            if is_module {
                own.code.add_module(&named(&path));
            } else if path.join("__init__.py").is_file() {
                own.code.add_module(&named(&path.join("__init__.py")));
            }
        }
    }
    files.sort();
    files.dedup();
    let read: Vec<(PathBuf, std::result::Result<Source, String>)> = files
        .into_par_iter()
        .map(|path| {
            let source = source(&path);
            (path, source)
        })
        .collect();
    for (path, source) in read {
        match source {
            Ok(source) => own.code.add(source),
            Err(why) => {
                own.code.add_module(&named(&path));
                own.unread.push((path, why));
            }
        }
    }
    Ok(own)
}

fn is_notebook(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "ipynb")
}

/// A path with slashes, without the dot that leads to this folder.
fn named(path: &Path) -> String {
    let text = slashed(path);
    let bare = text.strip_prefix("./").unwrap_or(&text);
    match bare {
        "." => String::new(),
        bare => bare.trim_end_matches('/').to_owned(),
    }
}

fn shown_or_here(path: &Path) -> &Path {
    match path.as_os_str().is_empty() {
        true => Path::new("."),
        false => path,
    }
}

/// The folder that modules of a place are imported from: the first one above that is no package.
fn root_of(place: &Path) -> PathBuf {
    let mut at = match place.is_dir() {
        true => place.to_owned(),
        false => place.parent().map(Path::to_owned).unwrap_or_default(),
    };
    while shown_or_here(&at).join("__init__.py").is_file() {
        match at.parent() {
            Some(above) if !at.as_os_str().is_empty() && at != Path::new(".") => {
                at = above.to_owned();
            }
            _ => break,
        }
    }
    at
}

fn source(path: &Path) -> std::result::Result<Source, String> {
    let size = std::fs::metadata(path).map_err(|e| e.to_string())?;
    if !size.is_file() {
        return Err("it is no plain file".to_owned());
    }
    if size.len() > LARGEST {
        return Err(format!("it has {} MB", size.len() >> 20));
    }
    let bytes = std::fs::read(path).map_err(|e| e.to_string())?;
    // The interpreter refuses these as well.
    if bytes.contains(&0) {
        return Err("it is no text: it holds zero bytes".to_owned());
    }
    match is_notebook(path) {
        true => Source::of_notebook(&named(path), &bytes)
            .map_err(|why| format!("it is no notebook: {why}")),
        false => Ok(Source::read(&named(path), &bytes)),
    }
}

/// The sources below a folder.
fn below(folder: &Path, cache: &Path, into: &mut Vec<PathBuf>) -> Result<()> {
    let entries = std::fs::read_dir(folder).doing("cannot read the folder", folder)?;
    for entry in entries {
        let entry = entry.doing("cannot read the folder", folder)?;
        let (path, name) = (entry.path(), entry.file_name());
        let name = name.to_string_lossy();
        let Ok(kind) = entry.file_type() else {
            continue;
        };
        // Links to folders may lead round in a circle.
        if kind.is_dir() && !is_of_tools(&path, &name) && !is_same(&path, cache) {
            below(&path, cache, into)?;
        } else if is_source(&path) && path.is_file() {
            if into.len() >= MOST_FILES {
                let shown = folder.display();
                return Err(Error::request(format!(
                    "there are more than {MOST_FILES} sources, up to {shown}"
                ))
                .help("name the folder of your own code"));
            }
            into.push(path);
        }
    }
    Ok(())
}

fn is_same(path: &Path, cache: &Path) -> bool {
    path.file_name() == cache.file_name()
        && std::path::absolute(path).is_ok_and(|path| path == cache)
}

/// A folder that some tool keeps: hidden, an environment, what is placed or was left over.
fn is_of_tools(path: &Path, name: &str) -> bool {
    name.starts_with('.')
        || matches!(name, "__pycache__" | "site-packages" | "node_modules")
        || path.join("pyvenv.cfg").is_file()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(folder: &Path, path: &str, text: &str) {
        let path = folder.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }

    #[test]
    fn a_folder_is_read_without_what_tools_keep() {
        let folder = tempfile::tempdir().unwrap();
        for (path, text) in [
            ("src/radar/__init__.py", "import firnio"),
            ("notes/night.ipynb", r#"{"cells": []}"#),
            ("notes/broken.ipynb", "no"),
            (".venv/pyvenv.cfg", ""),
            (".venv/lib/a.py", "import no"),
            ("env/pyvenv.cfg", ""),
            ("env/b.py", "import no"),
            ("src/__pycache__/c.py", "import no"),
            ("readme.txt", ""),
        ] {
            write(folder.path(), path, text);
        }
        let own = own_code(&[folder.path().to_owned()], Path::new("/nowhere")).unwrap();
        let files: Vec<&str> = (own.code.sources.iter())
            .map(|s| s.file.rsplit_once('/').unwrap().1)
            .collect();
        assert_eq!(files, ["night.ipynb", "__init__.py"]);
        assert_eq!(own.unread.len(), 1);
        assert!(own.unread[0].1.contains("no notebook"));
    }

    #[test]
    fn a_folder_without_code_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let error = own_code(&[folder.path().to_owned()], Path::new("/nowhere")).unwrap_err();
        assert!(error.to_string().contains("holds no code"), "{error}");
    }
}
