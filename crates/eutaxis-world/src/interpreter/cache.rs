//! Answers of interpreters, kept by path and time of change.

use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::UNIX_EPOCH;

use serde::{Deserialize, Serialize};

use super::guard::Guard;
use super::{Facts, Paths, paths, planned, probe};
use crate::files::write_whole;
use crate::{Error, ErrorKind, Result};

/// The stamp of what a script said: it may say something else each time.
const SCRIPT: &str = "script";

#[derive(Debug, Clone, Serialize, Deserialize)]
struct Kept {
    stamp: String,
    answer: std::result::Result<Facts, String>,
}

/// The answers that are known. Written back when dropped by [`ProbeCache::save`].
#[derive(Debug)]
pub struct ProbeCache {
    file: PathBuf,
    /// Nothing out of this folder is started.
    guard: Option<Guard>,
    /// As little as can be is started.
    quick: bool,
    kept: Mutex<(BTreeMap<PathBuf, Kept>, bool)>,
}

impl ProbeCache {
    /// The cache in a cache folder; empty when there is none or it is damaged.
    pub fn open(cache: &Path) -> Self {
        let file = cache.join("interpreters-1.json");
        let kept = std::fs::read(&file)
            .ok()
            .and_then(|bytes| serde_json::from_slice(&bytes).ok())
            .unwrap_or_default();
        ProbeCache {
            file,
            guard: None,
            quick: false,
            kept: Mutex::new((kept, false)),
        }
    }

    /// The same, with nothing started out of a folder whose contents may be anybody's; `globs` are
    /// where the user says that interpreters lie.
    #[must_use]
    pub fn guarded(self, folder: PathBuf, globs: &[String]) -> Self {
        ProbeCache {
            guard: Some(Guard::new(folder, globs)),
            ..self
        }
    }

    /// The same for who only wants to look around: where an interpreter looks for modules is told by
    /// where its files lie, and of a script that leads to one what it said last, or nothing.
    #[must_use]
    pub fn quick(self) -> Self {
        ProbeCache {
            quick: true,
            ..self
        }
    }

    /// Where the interpreter at a path looks for modules; of one that must not be started, by where
    /// its files lie.
    ///
    /// # Errors
    /// When it cannot be started, or its answer cannot be read.
    pub fn paths(&self, python: &Path, facts: &Facts) -> Result<Paths> {
        match &self.guard {
            Some(guard) if guard.forbids(python) => Ok(planned(facts)),
            _ if self.quick && cfg!(unix) => Ok(planned(facts)),
            _ => paths(python),
        }
    }

    /// What the interpreter at a path says of itself, asked again only when it has changed.
    ///
    /// # Errors
    /// As [`probe`].
    pub fn probe(&self, path: &Path) -> Result<Facts> {
        let Some(stamp) = stamp(path) else {
            return match self.guard.as_ref().filter(|g| g.forbids(path)) {
                Some(guard) => guard.facts(path, &|base| self.probe(base)),
                None if self.quick => self.last_said(path),
                None => {
                    let answer = probe(path);
                    self.keep(path, SCRIPT.to_owned(), &answer);
                    answer
                }
            };
        };
        let remembered = |text: &String| Error::new(ErrorKind::Interpreter, text.clone());
        if let Ok(kept) = self.kept.lock()
            && let Some(known) = kept.0.get(path).filter(|k| k.stamp == stamp)
        {
            return known.answer.clone().map_err(|e| remembered(&e));
        }
        if let Some(guard) = self.guard.as_ref().filter(|g| g.forbids(path)) {
            return guard.facts(path, &|base| self.probe(base));
        }
        let answer = probe(path);
        self.keep(path, stamp, &answer);
        answer
    }

    fn keep(&self, path: &Path, stamp: String, answer: &Result<Facts>) {
        let Ok(mut kept) = self.kept.lock() else {
            return;
        };
        let answer = answer.clone().map_err(|e| e.message);
        let known = kept.0.get(path);
        let is_known = known.is_some_and(|k| k.stamp == stamp && k.answer == answer);
        if !is_known {
            kept.0.insert(path.to_owned(), Kept { stamp, answer });
            kept.1 = true;
        }
    }

    /// What a script that leads to an interpreter said when it was asked last, if that one is still
    /// there.
    fn last_said(&self, path: &Path) -> Result<Facts> {
        let kept = self.kept.lock().ok();
        let known = kept.as_ref().and_then(|kept| kept.0.get(path));
        let facts = known.and_then(|k| k.answer.as_ref().ok());
        let there = facts.filter(|f| f.executable.is_file());
        there.cloned().ok_or_else(|| {
            let message = format!("{} is a script, and was not asked", path.display());
            Error::new(ErrorKind::Interpreter, message)
        })
    }

    /// Writes what was learned. A cache that cannot be written is no error: it is asked again next
    /// time.
    pub fn save(&self) {
        let Ok(kept) = self.kept.lock() else { return };
        if kept.1
            && let Ok(bytes) = serde_json::to_vec(&kept.0)
        {
            let _ = write_whole(&self.file, &bytes);
        }
    }
}

/// What an answer depends on: the real file, its time and size, and the environment around it. None
/// for scripts, whose answer may depend on anything.
fn stamp(path: &Path) -> Option<String> {
    let real = std::fs::canonicalize(path).ok()?;
    let mut first = [0; 2];
    std::fs::File::open(&real)
        .ok()?
        .read_exact(&mut first)
        .ok()?;
    if first == *b"#!" {
        return None;
    }
    let of = |path: &Path| {
        let metadata = std::fs::metadata(path).ok()?;
        let changed = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?;
        Some(format!("{}.{}", changed.as_nanos(), metadata.len()))
    };
    let config = path
        .parent()
        .and_then(Path::parent)
        .map(|root| root.join("pyvenv.cfg"))
        .and_then(|c| of(&c));
    // An upgrade of the system may replace the C library under an unchanged interpreter.
    let libc = ["/etc/ld.so.cache", "/etc/os-release"]
        .iter()
        .filter_map(|p| of(Path::new(p)))
        .collect::<Vec<_>>()
        .join(" ");
    Some(format!(
        "{} {} {} {libc}",
        real.display(),
        of(&real)?,
        config.unwrap_or_default()
    ))
}
