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

fn note(cache: &Path, root: &Path) -> PathBuf {
    let whole = std::fs::canonicalize(root).unwrap_or_else(|_| root.to_owned());
    let key = sha256_hex(whole.to_string_lossy().as_bytes());
    cache.join(FOLDER).join(key)
}

/// Remembers the pins that an environment was brought to.
///
/// # Errors
/// When the cache cannot be written to.
pub fn remember_pins(cache: &Path, root: &Path, pins: &Path) -> Result<()> {
    let whole = std::fs::canonicalize(pins).unwrap_or_else(|_| pins.to_owned());
    let text = whole.to_string_lossy();
    // Where one of them cannot be written the other one does.
    let inside = write_whole(&root.join(FILE), format!("{text}\n").as_bytes());
    write_whole(&note(cache, root), text.as_bytes()).or(inside)
}

/// The pins that an environment was brought to last, when that is remembered and they are still
/// there.
pub fn pins_of(cache: &Path, root: &Path) -> Option<PathBuf> {
    [note(cache, root), root.join(FILE)]
        .into_iter()
        .find_map(|note| {
            let text = String::from_utf8(read_plain(&note).ok()?).ok()?;
            let pins = PathBuf::from(text.trim_end_matches('\n'));
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
        remember_pins(&cache, &root, &pins).unwrap();
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
