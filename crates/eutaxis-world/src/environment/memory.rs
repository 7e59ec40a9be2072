//! Which pins an environment was made from: remembered in the cache, so that it is known also when
//! the folder was made again empty, or is gone, and in the environment, so that it is known also by
//! another cache.

use std::path::{Path, PathBuf};

use crate::Result;
use crate::files::{read_plain, write_whole};
use crate::hash::sha256_hex;

/// Its folder in the cache.
const FOLDER: &str = "furnished-1";

/// Its file in the environment.
const FILE: &str = "eutaxis-pins.txt";

/// The folder of the cache in which environments of scripts stand.
pub(crate) const SCRIPTS: &str = "scripts-1";

/// Where the environment of a script with inline metadata (PEP 723) stands.
pub fn script_root(cache: &Path, script: &Path) -> PathBuf {
    let whole = std::fs::canonicalize(script).unwrap_or_else(|_| script.to_owned());
    let key = sha256_hex(whole.to_string_lossy().as_bytes());
    cache.join(SCRIPTS).join(key.get(..16).unwrap_or(&key))
}

fn note(cache: &Path, root: &Path) -> PathBuf {
    let whole = std::fs::canonicalize(root).unwrap_or_else(|_| root.to_owned());
    let key = sha256_hex(whole.to_string_lossy().as_bytes());
    cache.join(FOLDER).join(key)
}

/// Remembers the pins that an environment was brought to, and the parts of them that were chosen,
/// where some were: a word for each.
///
/// # Errors
/// When the cache cannot be written to.
pub fn remember_pins(
    cache: &Path,
    root: &Path,
    pins: &Path,
    parts: Option<&[String]>,
) -> Result<()> {
    let whole = std::fs::canonicalize(pins).unwrap_or_else(|_| pins.to_owned());
    let mut text = format!("{}\n", whole.to_string_lossy());
    if let Some(parts) = parts {
        text.push_str(&format!("{CHOSEN}\n"));
        parts.iter().for_each(|p| text.push_str(&format!("{p}\n")));
    }
    // Where one of them cannot be written the other one does.
    let inside = write_whole(&root.join(FILE), text.as_bytes());
    write_whole(&note(cache, root), text.as_bytes()).or(inside)
}

/// The parts of its pins that were chosen for an environment; none where all that is usual was.
pub fn parts_of(cache: &Path, root: &Path) -> Option<Vec<String>> {
    [note(cache, root), root.join(FILE)]
        .into_iter()
        .find_map(|note| {
            let text = String::from_utf8(read_plain(&note).ok()?).ok()?;
            let mut lines = text.lines().skip(1);
            (lines.next()? == CHOSEN).then(|| lines.map(str::to_owned).collect())
        })
}

/// Stands before the parts that were chosen.
const CHOSEN: &str = "chosen parts";

/// The pins that an environment was brought to last, when that is remembered and they are still
/// there.
pub fn pins_of(cache: &Path, root: &Path) -> Option<PathBuf> {
    [note(cache, root), root.join(FILE)]
        .into_iter()
        .find_map(|note| {
            let text = String::from_utf8(read_plain(&note).ok()?).ok()?;
            let pins = PathBuf::from(text.lines().next()?);
            pins.is_file().then_some(pins)
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pins_are_remembered_by_the_place() {
        let folder = tempfile::tempdir().unwrap();
        let (cache, root) = (folder.path().join("cache"), folder.path().join(".venv"));
        let pins = folder.path().join("pylock.toml");
        std::fs::write(&pins, "").unwrap();
        std::fs::create_dir(&root).unwrap();
        assert_eq!(pins_of(&cache, &root), None);
        remember_pins(&cache, &root, &pins, None).unwrap();
        assert_eq!(
            pins_of(&cache, &root),
            Some(std::fs::canonicalize(&pins).unwrap())
        );
        let other = folder.path().join("other");
        assert!(pins_of(&other, &root).is_some(), "by the environment");
        std::fs::remove_dir_all(&root).unwrap();
        assert!(pins_of(&cache, &root).is_some(), "by the cache");
        assert_eq!(pins_of(&other, &root), None);
        std::fs::remove_file(&pins).unwrap();
        assert_eq!(pins_of(&cache, &root), None);
    }
}
