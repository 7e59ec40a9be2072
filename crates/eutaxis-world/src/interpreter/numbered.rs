//! Scripts on PATH that come in numbered forms (`NAME`, `NAME3`, `NAME3.11`), as those that place
//! packages do: each belongs to one interpreter, which need not be the one that `python3` starts.

use std::collections::BTreeSet;
use std::io::Read;
use std::path::{Path, PathBuf};

/// A script with the interpreter that it is run by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Numbered {
    /// Its bare name.
    pub name: String,
    /// Where it is: the first of that name on PATH.
    pub path: PathBuf,
    /// The interpreter that its first lines name.
    pub interpreter: PathBuf,
}

/// All of these folders, in their order, each name once.
pub(super) fn on_path(folders: &[PathBuf]) -> Vec<Numbered> {
    let mut seen: BTreeSet<String> = BTreeSet::new();
    let mut found = Vec::new();
    for folder in folders {
        let Ok(entries) = std::fs::read_dir(folder) else {
            continue;
        };
        let names: BTreeSet<String> = entries
            .flatten()
            .filter_map(|e| e.file_name().into_string().ok())
            .collect();
        for name in names
            .iter()
            .filter(|n| is_plain(n) && has_numbered(n, &names))
        {
            let path = folder.join(name);
            let Some(interpreter) = interpreter_of(&path, folders) else {
                continue;
            };
            if seen.insert(name.clone()) {
                found.push(Numbered {
                    name: name.clone(),
                    path,
                    interpreter,
                });
            }
        }
    }
    found
}

fn is_plain(name: &str) -> bool {
    name.bytes().all(|b| b.is_ascii_lowercase() || b == b'_') && !name.starts_with("py")
}

/// `NAME3` or `NAME3.11` stands beside it.
fn has_numbered(name: &str, names: &BTreeSet<String>) -> bool {
    let numbered = |other: &String| {
        let rest = other.strip_prefix(name).and_then(|r| r.strip_prefix('3'));
        rest.is_some_and(|r| {
            r.strip_prefix('.')
                .unwrap_or(r)
                .bytes()
                .all(|b| b.is_ascii_digit())
        })
    };
    names
        .range(name.to_owned()..)
        .take_while(|n| n.starts_with(name))
        .any(numbered)
}

/// The interpreter in the first lines of a script: `#!/PATH/python3`, `#!/usr/bin/env python3`, or
/// a shell that runs it.
fn interpreter_of(script: &Path, folders: &[PathBuf]) -> Option<PathBuf> {
    let mut start = [0; 512];
    let read = std::fs::File::open(script).ok()?.read(&mut start).ok()?;
    let text = String::from_utf8_lossy(start.get(..read)?).into_owned();
    let mut lines = text.lines();
    let first = lines.next()?.strip_prefix("#!")?.trim().to_owned();
    let is_python = |word: &str| {
        Path::new(word)
            .file_name()
            .is_some_and(|n| n.to_string_lossy().starts_with("py"))
    };
    let mut words = first.split_whitespace();
    let program = words.next()?;
    if is_python(program) {
        return Some(PathBuf::from(program));
    }
    if Path::new(program).file_name().is_some_and(|n| n == "env") {
        let name = words.find(|w| is_python(w))?;
        return folders.iter().map(|f| f.join(name)).find(|p| p.is_file());
    }
    // A path that is too long for a first line stands in the second one.
    let second = lines.next()?.trim_start_matches("'''exec' ");
    let path = match second.strip_prefix('"') {
        Some(quoted) => quoted.split('"').next()?,
        None => second.split(' ').next()?,
    };
    is_python(path).then(|| PathBuf::from(path))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbered_scripts_are_found_with_their_interpreter() {
        let (one, two) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let write = |folder: &Path, name: &str, text: &str| {
            std::fs::write(folder.join(name), text).unwrap()
        };
        write(
            one.path(),
            "placer",
            "#!/opt/py/3.9/bin/python3.9\nimport placer\n",
        );
        write(one.path(), "placer3", "#!/opt/py/3.9/bin/python3.9\n");
        write(one.path(), "alone", "#!/opt/py/3.9/bin/python3.9\n");
        write(one.path(), "shell", "#!/bin/sh\necho\n");
        write(one.path(), "shell3", "#!/bin/sh\necho\n");
        write(two.path(), "placer", "#!/usr/bin/python3\n");
        write(two.path(), "placer3.11", "#!/usr/bin/python3\n");
        write(
            two.path(),
            "long",
            "#!/bin/sh\n'''exec' \"/a b/python3\" \"$0\" \"$@\"\n",
        );
        write(two.path(), "long3", "");
        let found = on_path(&[one.path().to_owned(), two.path().to_owned()]);
        let told: Vec<(String, String)> = found
            .iter()
            .map(|n| (n.name.clone(), n.interpreter.display().to_string()))
            .collect();
        assert_eq!(
            told.first(),
            Some(&("placer".to_owned(), "/opt/py/3.9/bin/python3.9".to_owned()))
        );
        assert_eq!(told.len(), 2, "{told:?}");
        assert_eq!(found[0].path, one.path().join("placer"));
    }
}
