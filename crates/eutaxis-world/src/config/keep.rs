//! What is written into a settings file: a table at its end, so that all else stays as it is.

use std::path::{Path, PathBuf};

use crate::files::{change_whole, lock, lock_path, read_text, write_whole};
use crate::hash::sha256_hex;
use crate::{Doing, Error, Result};

/// The user's own settings, whether or not they are there; none where the system names no folder
/// for settings.
pub fn own_file() -> Option<PathBuf> {
    directories::ProjectDirs::from("", "", "eutaxis").map(|d| d.config_dir().join("eutaxis.toml"))
}

/// Whether a text can name a target or a depot: letters, digits, `-` and `_`.
pub fn is_plain(name: &str) -> bool {
    let plain = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_');
    !name.is_empty() && name.bytes().all(plain)
}

/// Adds a table to the end of a settings file, which is made if it is not there. `known` looks at
/// what is there already. Two at once come one after the other, by a lock in the cache folder.
///
/// # Errors
/// When the file is no TOML, when `known` refuses, or when it cannot be written: then it is as
/// before.
pub fn append(
    cache: &Path,
    path: &Path,
    table: &str,
    known: impl FnOnce(&toml::Table) -> Result<()>,
) -> Result<()> {
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let name = sha256_hex(whole.to_string_lossy().as_bytes());
    let _lock = lock(&lock_path(cache, "settings-", &name), &|| {})?;
    let is_there = path.exists();
    let before = match is_there {
        true => read_text(path)?,
        false => String::new(),
    };
    let parsed = toml::from_str::<toml::Table>(&before).map_err(|e| {
        let shown = path.display();
        Error::request(format!("{shown} is not valid TOML: {}", e.message()))
    })?;
    known(&parsed)?;
    let gap = match before.is_empty() {
        true => "",
        false if before.ends_with('\n') => "\n",
        false => "\n\n",
    };
    let after = format!("{before}{gap}{table}");
    if is_there {
        return change_whole(path, &before, &after);
    }
    if let Some(folder) = path.parent().filter(|f| !f.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).doing("cannot make the folder", folder)?;
    }
    write_whole(path, after.as_bytes())
}

/// A depot as it is kept: its table in a settings file.
#[derive(Debug, Clone, Copy)]
pub struct KeptDepot<'a> {
    /// Its name, if it gets one.
    pub name: Option<&'a str>,
    /// A URL, or the path of a folder or of a page of links.
    pub place: &'a str,
    /// It is on this disk.
    pub is_path: bool,
}

impl KeptDepot<'_> {
    /// Writes it behind the depots of a settings file.
    ///
    /// # Errors
    /// When one of its name or place is there already, or the file cannot be written.
    pub fn write(&self, cache: &Path, path: &Path) -> Result<()> {
        let quoted = |text: &str| toml::Value::String(text.to_owned()).to_string();
        let inside = super::is_project_file(path);
        let head = if inside {
            "tool.eutaxis.depot"
        } else {
            "depot"
        };
        let key = if self.is_path { "path" } else { "url" };
        let name = self.name.map(|n| format!("name = {}\n", quoted(n)));
        let table = format!(
            "[[{head}]]\n{}{key} = {}\n",
            name.unwrap_or_default(),
            quoted(self.place)
        );
        append(cache, path, &table, |known| {
            let mut at = Some(known);
            if inside {
                at = ["tool", "eutaxis"]
                    .iter()
                    .try_fold(known, |t, key| t.get(*key)?.as_table());
            }
            let depots = at.and_then(|t| t.get("depot")?.as_array());
            for depot in depots.into_iter().flatten() {
                self.ensure_other(depot, key, path)?;
            }
            Ok(())
        })
    }

    /// Refuses what is there already.
    fn ensure_other(&self, depot: &toml::Value, key: &str, path: &Path) -> Result<()> {
        let says = |key: &str| depot.get(key).and_then(toml::Value::as_str);
        let shown = path.display();
        let same = |place: &str| place.trim_end_matches('/') == self.place.trim_end_matches('/');
        if says(key).is_some_and(same) {
            let name = says("name").map(|n| format!(", as `{n}`"));
            let name = name.unwrap_or_default();
            return Err(Error::request(format!(
                "{shown} has the depot {} already{name}",
                self.place
            ))
            .help("nothing is to be done:  eutaxis depots  tells whether it answers"));
        }
        if self.name.is_some() && says("name") == self.name {
            let name = self.name.unwrap_or_default();
            return Err(
                Error::request(format!("{shown} has a depot `{name}` already"))
                    .help("choose another name with --name, or change that entry"),
            );
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const MAIN: KeptDepot<'_> = KeptDepot {
        name: Some("main"),
        place: "https://packages.example.org/simple/",
        is_path: false,
    };

    #[test]
    fn what_stands_there_stays() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("new/eutaxis.toml");
        MAIN.write(folder.path(), &path).unwrap();
        let first = std::fs::read_to_string(&path).unwrap();
        let own = format!("# mine\n{first}[policy]\nwheels = 'only'");
        std::fs::write(&path, &own).unwrap();
        let boards = KeptDepot {
            name: None,
            place: "/srv/wheels \"x\"",
            is_path: true,
        };
        boards.write(folder.path(), &path).unwrap();
        let after = std::fs::read_to_string(&path).unwrap();
        assert!(after.starts_with(&own), "{after}");
        let parsed: toml::Table = toml::from_str(&after).unwrap();
        let depots = parsed["depot"].as_array().unwrap();
        assert_eq!(depots[0]["url"].as_str(), Some(MAIN.place));
        assert_eq!(depots[1]["path"].as_str(), Some(boards.place));
    }

    #[rstest]
    #[case::same(MAIN, "already, as `main`")]
    #[case::without_the_last_slash(KeptDepot { name: None,
        place: "https://packages.example.org/simple", is_path: false }, "already")]
    #[case::same_name(KeptDepot { place: "https://other.example.org/", ..MAIN }, "a depot `main`")]
    fn what_is_there_is_not_written_again(#[case] depot: KeptDepot<'_>, #[case] says: &str) {
        for file in ["eutaxis.toml", "pyproject.toml"] {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join(file);
            MAIN.write(folder.path(), &path).unwrap();
            let before = std::fs::read_to_string(&path).unwrap();
            let error = depot.write(folder.path(), &path).unwrap_err();
            assert!(error.to_string().contains(says), "{error}");
            assert_eq!(std::fs::read_to_string(&path).unwrap(), before);
        }
    }

    #[test]
    fn a_file_that_is_no_toml_stays() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("eutaxis.toml");
        std::fs::write(&path, "[[depot").unwrap();
        let error = MAIN.write(folder.path(), &path).unwrap_err();
        assert!(error.to_string().contains("not valid TOML"), "{error}");
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "[[depot");
    }
}
