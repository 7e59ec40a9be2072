//! Which pins an environment was made from: remembered outside of it, so that it is known also when
//! the folder was made again empty, or is gone.

use std::path::{Path, PathBuf};

use crate::Result;
use crate::files::{read_plain, write_whole};
use crate::hash::sha256_hex;

/// Its folder in the cache.
const FOLDER: &str = "furnished-1";

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
    write_whole(&note(cache, root), whole.to_string_lossy().as_bytes())
}

/// The pins that an environment was brought to last, when that is remembered and they are still
/// there.
pub fn pins_of(cache: &Path, root: &Path) -> Option<PathBuf> {
    let bytes = read_plain(&note(cache, root)).ok()?;
    let pins = PathBuf::from(String::from_utf8(bytes).ok()?);
    pins.is_file().then_some(pins)
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
        assert_eq!(pins_of(&cache, &root), None);
        remember_pins(&cache, &root, &pins).unwrap();
        assert_eq!(
            pins_of(&cache, &root),
            Some(std::fs::canonicalize(&pins).unwrap())
        );
        std::fs::remove_file(&pins).unwrap();
        assert_eq!(pins_of(&cache, &root), None);
    }
}
