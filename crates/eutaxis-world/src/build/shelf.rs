//! Wheels that were built here: kept by what they were built from and how, with what is known of the
//! build, so that nothing is built twice.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::{Workshop, sweep};
use crate::Result;
use crate::error::Doing;
use crate::files::{Lock, lock, lock_path, sha256_of, write_whole};
use crate::hash::sha256_hex;

/// Its folder in the cache.
pub const BUILT: &str = "built-1";

/// No more logs of builds that failed are kept.
const MOST_LOGS: usize = 50;

/// By what a build is known before it is done.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Key {
    /// SHA-256 of the archive.
    pub archive: String,
    /// The interpreter, its ABI and its platform.
    pub interpreter: String,
    /// What the backend is told.
    pub settings: BTreeMap<String, Vec<String>>,
    /// Variables that the user states.
    pub environment: BTreeMap<String, String>,
    /// What bounds its build requirements, as stated.
    pub bounds: Vec<String>,
    /// It may use the network.
    #[serde(default)]
    pub network: bool,
    /// Build requirements come from before this moment, where one is stated.
    pub as_of: Option<String>,
    /// The compiler and its flags, where it compiles.
    pub compiler: Option<String>,
}

/// What is known of a build.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Record {
    /// What it was built from, and how.
    pub key: Key,
    /// The project.
    pub project: String,
    /// The release.
    pub version: String,
    /// The wheel's file name.
    pub wheel: String,
    /// Its SHA-256.
    pub sha256: String,
    /// What the build environment held: project, release, SHA-256 of its file.
    pub by: Vec<(String, String, String)>,
    /// Libraries of the system that its binaries came to need.
    pub libraries: Vec<String>,
    /// What of the system was taken away from the build.
    pub without: Vec<String>,
    /// Whether another build of the same gave the same bytes; none when there was one build.
    pub reproduced: Option<bool>,
    /// How long it took.
    pub seconds: f64,
    /// Seconds that were foreseen, when they were.
    pub foreseen: Option<f64>,
    /// When, in RFC 3339.
    pub at: String,
}

/// How long earlier builds of a project took here.
#[derive(Debug, Clone, PartialEq)]
pub struct Took {
    /// The release.
    pub version: String,
    /// Seconds.
    pub seconds: f64,
}

/// The wheels that were built here.
#[derive(Debug, Clone)]
pub struct Shelf {
    root: PathBuf,
    cache: PathBuf,
}

impl Key {
    /// A name for it.
    pub fn hash(&self) -> String {
        let text = serde_json::to_string(self).unwrap_or_default();
        sha256_hex(text.as_bytes())
    }
}

impl Shelf {
    /// The shelf of a cache folder, made when it is not there; what killed builds left is removed.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn open(cache: &Path) -> Result<Self> {
        let root = cache.join(BUILT);
        for folder in ["tmp", "wheels", "logs"] {
            let path = root.join(folder);
            fs::create_dir_all(&path).doing("cannot make the store of builds", &path)?;
        }
        sweep(&root.join("tmp"));
        Ok(Shelf {
            root,
            cache: cache.to_owned(),
        })
    }

    /// Where builds are under way.
    pub(super) fn temporary(&self) -> PathBuf {
        self.root.join("tmp")
    }

    fn entry(&self, key: &Key) -> PathBuf {
        self.root.join("wheels").join(key.hash())
    }

    /// Alone at a build: whoever wants the same waits, and finds it done.
    ///
    /// # Errors
    /// When the lock cannot be made.
    pub fn lock(&self, key: &Key, waiting: &dyn Fn()) -> Result<Lock> {
        lock(&lock_path(&self.cache, "build-", &key.hash()), waiting)
    }

    /// What was built before, whole; with the place of the wheel.
    pub fn built(&self, key: &Key) -> Option<(Record, PathBuf)> {
        read(&self.entry(key))
    }

    fn entries(&self) -> impl Iterator<Item = PathBuf> + use<> {
        let entries = fs::read_dir(self.root.join("wheels"));
        entries.into_iter().flatten().flatten().map(|e| e.path())
    }

    /// Everything that was built here, by project and release.
    pub fn all(&self) -> Vec<(Record, PathBuf)> {
        let mut all: Vec<(Record, PathBuf)> = self.entries().filter_map(|e| read(&e)).collect();
        all.sort_by(|a, b| {
            (&a.0.project, &a.0.version, &a.0.at).cmp(&(&b.0.project, &b.0.version, &b.0.at))
        });
        all
    }

    /// How long the latest build of a project took here.
    pub fn took(&self, project: &str) -> Option<Took> {
        let records = self.entries().filter_map(|entry| record_of(&entry));
        let mine = records.filter(|r| r.project == project);
        mine.max_by(|a, b| a.at.cmp(&b.at)).map(|r| Took {
            version: r.version,
            seconds: r.seconds,
        })
    }

    /// Keeps a wheel: whole or not at all. Gives its place.
    ///
    /// # Errors
    /// When the disk fails.
    pub fn keep(
        &self,
        wheel: &Path,
        mut record: Record,
        workshop: &Workshop,
    ) -> Result<(Record, PathBuf)> {
        // What a killed run leaves of it goes with the folder of the build.
        let temporary = &workshop.root;
        let stage = tempfile::Builder::new()
            .prefix("keep-")
            .tempdir_in(temporary)
            .doing("cannot write to", temporary)?;
        let entry = self.entry(&record.key);
        if let Some((before, _)) = read(&entry) {
            record.reproduced = Some(before.sha256 == record.sha256);
        }
        let placed = stage.path().join(&record.wheel);
        fs::copy(wheel, &placed).doing("cannot write", &placed)?;
        let text = serde_json::to_string_pretty(&record).unwrap_or_default();
        let list = stage.path().join("record.json");
        fs::write(&list, text).doing("cannot write", &list)?;
        crate::halt::at("wheel-built");
        let away = temporary.join("before");
        if entry.exists() {
            crate::store::remove_tree(&away);
            let _ = fs::rename(&entry, &away);
        }
        fs::rename(stage.path(), &entry).doing("cannot place in the store of builds", &entry)?;
        crate::store::remove_tree(&away);
        crate::halt::at("wheel-kept");
        let place = entry.join(&record.wheel);
        Ok((record, place))
    }

    /// Keeps the log of a build that failed; gives its place.
    ///
    /// # Errors
    /// When the disk fails.
    pub fn keep_log(&self, project: &str, version: &str, log: &Path) -> Result<PathBuf> {
        let folder = self.root.join("logs");
        let bytes = fs::read(log).unwrap_or_default();
        let mark = sha256_hex(&bytes);
        let mark = mark.get(..8).unwrap_or_default();
        let safe: String = version
            .chars()
            .map(|c| {
                if c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_') {
                    c
                } else {
                    '_'
                }
            })
            .collect();
        let path = folder.join(format!("{project}-{safe}-{mark}.log"));
        write_whole(&path, &bytes)?;
        let mut logs: Vec<(std::time::SystemTime, PathBuf)> = fs::read_dir(&folder)
            .into_iter()
            .flatten()
            .flatten()
            .filter_map(|e| Some((e.metadata().ok()?.modified().ok()?, e.path())))
            .collect();
        logs.sort();
        let surplus = logs.len().saturating_sub(MOST_LOGS);
        for (_, old) in logs.into_iter().take(surplus) {
            let _ = fs::remove_file(old);
        }
        Ok(path)
    }
}

/// What is noted of an entry.
fn record_of(entry: &Path) -> Option<Record> {
    serde_json::from_slice(&fs::read(entry.join("record.json")).ok()?).ok()
}

/// An entry whose wheel is there with the hash that was noted.
fn read(entry: &Path) -> Option<(Record, PathBuf)> {
    let record = record_of(entry)?;
    if record.wheel.contains(['/', '\\']) {
        return None;
    }
    let wheel = entry.join(&record.wheel);
    let (found, _) = sha256_of(&wheel).ok()?;
    (found == record.sha256).then_some((record, wheel))
}
