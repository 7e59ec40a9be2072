//! What the cache folder holds, and making room in it: pages and metadata of the catalogue, whole
//! files, unpacked wheels.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use crate::Result;
use crate::build::BUILT;
use crate::catalogue::{Catalogue, Held};
use crate::environment::{SCRIPTS, size};
use crate::error::Doing;
use crate::network::FILES;
use crate::store::{STORE, remove_tree};
use crate::trees::TREES;

/// One kind of thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    /// What it is, for people.
    pub what: &'static str,
    /// How many there are.
    pub entries: u64,
    /// Their bytes.
    pub bytes: u64,
}

/// What to drop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Trim {
    /// What was not used for so long.
    Age(Duration),
    /// What was used longest ago, until no more bytes than this are left.
    Size(u64),
}

impl Trim {
    /// Reads an age (`30d`, `12h`, `2w`) or a size (`2GB`, `500MB`, `64MiB`).
    ///
    /// # Errors
    /// When it is neither, in words.
    pub fn parse(text: &str) -> std::result::Result<Self, String> {
        let bad =
            || format!("`{text}` is neither an age (30d, 12h, 2w) nor a size (2GB, 500MB, 64MiB)");
        let (number, unit) = number(text).ok_or_else(bad)?;
        let hours = |n: f64| Trim::Age(Duration::from_secs_f64((n * 3600.0 * number).min(1e12)));
        Ok(match unit.as_str() {
            "h" => hours(1.0),
            "d" => hours(24.0),
            "w" => hours(168.0),
            unit => Trim::Size(bytes(number, unit).ok_or_else(bad)?),
        })
    }
}

/// A number and the letters behind it, in lower case.
fn number(text: &str) -> Option<(f64, String)> {
    let trimmed = text.trim();
    let split = trimmed
        .find(|c: char| !c.is_ascii_digit() && c != '.')
        .unwrap_or(trimmed.len());
    let (number, unit) = trimmed.split_at(split);
    Some((number.parse().ok()?, unit.trim().to_ascii_lowercase()))
}

fn bytes(number: f64, unit: &str) -> Option<u64> {
    let of = |n: f64| Some((n * number).min(1e18) as u64);
    match unit {
        "b" => of(1.0),
        "kb" => of(1e3),
        "mb" => of(1e6),
        "gb" => of(1e9),
        "kib" => of(1024.0),
        "mib" => of(1024.0 * 1024.0),
        "gib" => of(1024.0 * 1024.0 * 1024.0),
        _ => None,
    }
}

/// Reads a size (`2GB`, `500MB`, `64MiB`).
///
/// # Errors
/// When it is none, in words.
pub fn parse_size(text: &str) -> std::result::Result<u64, String> {
    let read = number(text).and_then(|(number, unit)| bytes(number, &unit));
    read.ok_or_else(|| format!("`{text}` is no size (2GB, 500MB, 64MiB)"))
}

/// A thing in the cache that stands for itself: a whole file, or an unpacked wheel.
struct Entry {
    path: PathBuf,
    bytes: u64,
    used: SystemTime,
}

/// What a cache folder holds.
pub fn look(cache: &Path) -> Vec<Part> {
    let (pages, metadata) = if cache.is_dir() {
        Catalogue::open(cache).0.held()
    } else {
        (Held::default(), Held::default())
    };
    let sum = |what, entries: &[Entry]| Part {
        what,
        entries: entries.len() as u64,
        bytes: entries.iter().map(|e| e.bytes).sum(),
    };
    vec![
        Part {
            what: "pages of projects",
            entries: pages.rows,
            bytes: pages.bytes,
        },
        Part {
            what: "metadata of files",
            entries: metadata.rows,
            bytes: metadata.bytes,
        },
        sum("whole files", &files(cache)),
        sum("unpacked wheels", &unpacked(cache)),
        sum("wheels built here", &built(cache)),
        sum("environments of scripts", &of_scripts(cache)),
        sum("packed source trees", &trees(cache)),
    ]
}

/// Drops what is to be dropped; gives the bytes that went.
///
/// # Errors
/// When the disk fails. Environments stay whole: what they share with the store is theirs too.
pub fn trim(cache: &Path, trim: Trim) -> Result<u64> {
    if !cache.is_dir() {
        return Ok(0);
    }
    let (catalogue, _) = Catalogue::open(cache);
    let kept = files(cache).into_iter().chain(unpacked(cache));
    let others = built(cache).into_iter().chain(of_scripts(cache));
    let others = others.chain(trees(cache));
    let mut entries: Vec<Entry> = kept.chain(others).collect();
    entries.sort_by_key(|e| e.used);
    let away = cache.join(STORE).join("tmp");
    fs::create_dir_all(&away).doing("cannot make the folder", &away)?;
    let drop_entry = |entry: &Entry| {
        // Out of the way in one step, so that nobody finds half of it.
        if let Ok(place) = tempfile::tempdir_in(&away) {
            let _ = fs::rename(&entry.path, place.path().join("x"));
            remove_tree(place.path());
        }
        entry.bytes
    };
    match trim {
        Trim::Age(age) => {
            let since = SystemTime::now().checked_sub(age).unwrap_or(UNIX_EPOCH);
            let freed: u64 = entries
                .iter()
                .filter(|e| e.used < since)
                .map(drop_entry)
                .sum();
            let before = i64::try_from(
                since
                    .duration_since(UNIX_EPOCH)
                    .unwrap_or_default()
                    .as_secs(),
            )
            .unwrap_or(i64::MAX);
            // What was used in this very second is no older than no time at all.
            let before = if age.is_zero() {
                before.saturating_add(1)
            } else {
                before
            };
            Ok(freed + catalogue.trim(before))
        }
        Trim::Size(most) => {
            let (pages, metadata) = catalogue.held();
            let mut left =
                entries.iter().map(|e| e.bytes).sum::<u64>() + pages.bytes + metadata.bytes;
            let mut freed = 0;
            for entry in &entries {
                if left <= most {
                    break;
                }
                let went = drop_entry(entry);
                left = left.saturating_sub(went);
                freed += went;
            }
            let mut until = None;
            for (used, bytes) in catalogue.uses() {
                if left <= most {
                    break;
                }
                left = left.saturating_sub(bytes);
                until = Some(used + 1);
            }
            Ok(freed + until.map_or(0, |moment| catalogue.trim(moment)))
        }
    }
}

/// Wheels that were built here, and logs of builds that failed.
fn built(cache: &Path) -> Vec<Entry> {
    let root = cache.join(BUILT);
    let entry = |path: PathBuf| {
        let files = fs::read_dir(&path).into_iter().flatten().flatten();
        let sizes = files.filter_map(|f| f.metadata().ok().map(|m| m.len()));
        let bytes = if path.is_dir() {
            sizes.sum()
        } else {
            fs::metadata(&path).map_or(0, |m| m.len())
        };
        let used = fs::metadata(&path).and_then(|m| m.modified());
        Entry {
            used: used.unwrap_or(UNIX_EPOCH),
            path,
            bytes,
        }
    };
    let logs = fs::read_dir(root.join("logs"))
        .into_iter()
        .flatten()
        .flatten();
    let wheels = folders(&root.join("wheels")).into_iter();
    wheels.chain(logs.map(|e| e.path())).map(entry).collect()
}

/// Environments of scripts: what they take beside what they share with the store.
fn of_scripts(cache: &Path) -> Vec<Entry> {
    let entry = |path: PathBuf| Entry {
        bytes: size(&path).own,
        used: last_change(&path),
        path,
    };
    folders(&cache.join(SCRIPTS))
        .into_iter()
        .map(entry)
        .collect()
}

/// Source trees that were packed.
fn trees(cache: &Path) -> Vec<Entry> {
    let entry = |path: PathBuf| {
        let files = fs::read_dir(&path).into_iter().flatten().flatten();
        let sizes = files.filter_map(|f| f.metadata().ok().map(|m| m.len()));
        Entry {
            bytes: sizes.sum(),
            used: last_change(&path),
            path,
        }
    };
    by_hash(&cache.join(TREES)).into_iter().map(entry).collect()
}

fn folders(path: &Path) -> Vec<PathBuf> {
    fs::read_dir(path)
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| e.path())
        .filter(|p| p.is_dir())
        .collect()
}

fn last_change(path: &Path) -> SystemTime {
    fs::metadata(path)
        .and_then(|m| m.modified())
        .unwrap_or(UNIX_EPOCH)
}

/// Folders `ab/HASH` under a root.
fn by_hash(root: &Path) -> Vec<PathBuf> {
    folders(root)
        .iter()
        .filter(|p| p.file_name().is_some_and(|n| n.len() == 2))
        .flat_map(|p| folders(p))
        .collect()
}

fn files(cache: &Path) -> Vec<Entry> {
    let root = cache.join(FILES);
    let entries = by_hash(&root).into_iter().map(|path| {
        let inside = fs::read_dir(&path).into_iter().flatten().flatten();
        let bytes = inside
            .filter_map(|e| e.metadata().ok())
            .map(|m| m.len())
            .sum();
        Entry {
            bytes,
            used: last_change(&path),
            path,
        }
    });
    let parts = fs::read_dir(root.join("parts"))
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| Entry {
            bytes: e.metadata().map_or(0, |m| m.len()),
            used: last_change(&e.path()),
            path: e.path(),
        });
    entries.chain(parts).collect()
}

fn unpacked(cache: &Path) -> Vec<Entry> {
    let entry = |path: PathBuf| {
        let manifest = path.join("manifest.json");
        Entry {
            bytes: crate::store::size_of(&path),
            used: last_change(&manifest),
            path,
        }
    };
    by_hash(&cache.join(STORE)).into_iter().map(entry).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("30d", Trim::Age(Duration::from_secs(30 * 86400)))]
    #[case("0h", Trim::Age(Duration::ZERO))]
    #[case("1.5GB", Trim::Size(1_500_000_000))]
    #[case("64 MiB", Trim::Size(64 << 20))]
    fn ages_and_sizes_are_read(#[case] text: &str, #[case] expected: Trim) {
        assert_eq!(Trim::parse(text), Ok(expected));
    }

    #[rstest]
    #[case("30")]
    #[case("d")]
    #[case("2 moons")]
    #[case("-1d")]
    fn what_is_neither_is_told(#[case] text: &str) {
        assert!(Trim::parse(text).unwrap_err().contains("neither"));
    }

    #[test]
    fn the_oldest_goes_first() {
        let cache = tempfile::tempdir().unwrap();
        for (name, age) in [("aa", 50), ("bb", 10)] {
            let folder = cache.path().join(FILES).join(name).join(name.repeat(32));
            fs::create_dir_all(&folder).unwrap();
            fs::write(folder.join("x.whl"), [0; 100]).unwrap();
            let then = SystemTime::now() - Duration::from_secs(age * 86400);
            fs::File::open(&folder).unwrap().set_modified(then).unwrap();
        }
        assert_eq!(trim(cache.path(), Trim::Size(150)).unwrap(), 100);
        assert!(
            !cache
                .path()
                .join(FILES)
                .join("aa")
                .join("aa".repeat(32))
                .exists()
        );
        assert_eq!(
            trim(cache.path(), Trim::Age(Duration::from_secs(20 * 86400))).unwrap(),
            0
        );
        assert_eq!(trim(cache.path(), Trim::Age(Duration::ZERO)).unwrap(), 100);
        assert_eq!(look(cache.path()).iter().map(|p| p.bytes).sum::<u64>(), 0);
    }
}
