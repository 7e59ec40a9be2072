//! The loader's cache, `/etc/ld.so.cache`: which library lies where. The form is that of the GNU C
//! library since 2.2, which may stand behind an older one.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

const MAGIC: &[u8] = b"glibc-ld.so.cache1.1";
/// Number of libraries, length of texts, and room.
const HEADER: usize = 48;
/// Flags, name, path, version of the system, and processor features.
const ENTRY: usize = 24;
/// A larger file is none.
const MOST_BYTES: u64 = 64 << 20;

/// Libraries by name, in the order in which the loader would take them; empty when there is no
/// cache or it is damaged.
pub(super) fn read(path: &Path) -> BTreeMap<String, Vec<PathBuf>> {
    let small = std::fs::metadata(path).is_ok_and(|m| m.is_file() && m.len() <= MOST_BYTES);
    let bytes = if small {
        std::fs::read(path).unwrap_or_default()
    } else {
        Vec::new()
    };
    parse(&bytes).unwrap_or_default()
}

fn parse(bytes: &[u8]) -> Option<BTreeMap<String, Vec<PathBuf>>> {
    let start = bytes.windows(MAGIC.len()).position(|w| w == MAGIC)?;
    let table = bytes.get(start..)?;
    let number = |at: usize| -> Option<u32> {
        Some(u32::from_ne_bytes(table.get(at..at + 4)?.try_into().ok()?))
    };
    let text = |at: u32| {
        let rest = table.get(at as usize..)?;
        let end = rest.iter().position(|b| *b == 0)?;
        std::str::from_utf8(rest.get(..end)?).ok()
    };
    let count = number(MAGIC.len())? as usize;
    let mut found: BTreeMap<String, Vec<PathBuf>> = BTreeMap::new();
    for i in 0..count {
        let at = HEADER + i * ENTRY;
        let (Some(name), Some(path)) = (text(number(at + 4)?), text(number(at + 8)?)) else {
            continue;
        };
        found
            .entry(name.to_owned())
            .or_default()
            .push(PathBuf::from(path));
    }
    Some(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_form_is_read_and_damage_is_no_harm() {
        let mut bytes = b"ld.so-1.7.0\0 an older form before it ".to_vec();
        let texts = b"libfirn.so.3\0/usr/lib/libfirn.so.3\0";
        let mut table = MAGIC.to_vec();
        table.extend(1u32.to_ne_bytes());
        table.resize(HEADER, 0);
        let first = (HEADER + ENTRY) as u32;
        for n in [3, first, first + 13, 0, 0, 0] {
            table.extend(u32::to_ne_bytes(n));
        }
        table.extend(texts);
        bytes.extend(table);
        let found = parse(&bytes).unwrap();
        assert_eq!(
            found["libfirn.so.3"],
            [PathBuf::from("/usr/lib/libfirn.so.3")]
        );
        for end in 0..bytes.len() {
            parse(&bytes[..end]);
        }
    }
}
