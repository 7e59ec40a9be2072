//! Answers of interpreters, kept with what they depend on: that of a program by its file and what lies
//! around it, that of a script by everything that it looked at (`forward/`).

use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::UNIX_EPOCH;

use serde::{Deserialize, Serialize};

use super::forward::{self, Lead, Names, Trails};
use super::guard::Guard;
use super::{Facts, Paths, paths, planned, probe};
use crate::files::write_whole;
use crate::{Error, ErrorKind, Result};

/// Its name; the number changes with what is kept.
const FILE: &str = "interpreters-2.json";
/// Files of older forms.
const OLDER: [&str; 1] = ["interpreters-1.json"];

#[derive(Debug, Clone, Serialize, Deserialize)]
struct Kept {
    stamp: String,
    answer: std::result::Result<Facts, String>,
}

/// All that is kept.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Known {
    programs: BTreeMap<PathBuf, Kept>,
    /// Of scripts, and of programs that start another one.
    forwarding: BTreeMap<PathBuf, Trails>,
    /// Something is new.
    #[serde(skip)]
    changed: bool,
}

/// The answers that are known. Written back when dropped by [`ProbeCache::save`].
#[derive(Debug)]
pub struct ProbeCache {
    folder: PathBuf,
    /// Nothing out of this folder is started.
    guard: Option<Guard>,
    /// As little as can be is started.
    quick: bool,
    known: Mutex<Known>,
    /// The names in folders around scripts, as this run sees them.
    names: Names,
}

impl ProbeCache {
    /// The cache in a cache folder; empty when there is none or it is damaged.
    pub fn open(cache: &Path) -> Self {
        let known = read(cache).unwrap_or_default();
        ProbeCache {
            folder: cache.to_owned(),
            guard: None,
            quick: false,
            known: Mutex::new(known),
            names: Names::default(),
        }
    }

    fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
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

    /// What the interpreter at a path says of itself, asked again only when something changed that
    /// its answer depends on.
    ///
    /// # Errors
    /// When it cannot be started, fails, does not answer in time, or its answer cannot be read.
    pub fn probe(&self, path: &Path) -> Result<Facts> {
        self.ask(path, true)
    }

    /// The same; what an interpreter leads to that was asked for another one is not followed again.
    fn ask(&self, path: &Path, follow: bool) -> Result<Facts> {
        let forbidden = self.guard.as_ref().filter(|g| g.forbids(path));
        let stamp = stamp(path);
        if let Some(stamp) = &stamp
            && let Some(known) = self
                .known()
                .programs
                .get(path)
                .filter(|k| k.stamp == *stamp)
        {
            let remembered = |text: &String| Error::new(ErrorKind::Interpreter, text.clone());
            return known.answer.clone().map_err(|e| remembered(&e));
        }
        if let Some(guard) = forbidden {
            return guard.facts(path, &|base| self.probe(base));
        }
        let Some(stamp) = stamp else {
            return self.forwarded(path, follow);
        };
        if self.known().forwarding.contains_key(path) {
            return self.forwarded(path, follow);
        }
        let answer = probe::probe(path);
        // A compiled program, too, may only start another one: that one is what it answers for.
        match &answer {
            Ok(facts) if !is_itself(path, facts) => return self.forwarded(path, follow),
            Ok(_) => {}
            Err(why) if !why.lasts => return answer.map_err(Error::from),
            Err(_) => {}
        }
        let answer = answer.map_err(Error::from);
        let kept = Kept {
            stamp,
            answer: answer.clone().map_err(|e| e.message),
        };
        let mut known = self.known();
        known.programs.insert(path.to_owned(), kept);
        known.changed = true;
        answer
    }

    /// What a script says, or a program that starts another one.
    fn forwarded(&self, path: &Path, follow: bool) -> Result<Facts> {
        let ask = |to: &Path| match follow {
            true => self.ask(to, false),
            false => {
                let message = format!("{} leads to one program after the other", to.display());
                Err(Error::new(ErrorKind::Interpreter, message))
            }
        };
        let mut trails = self
            .known()
            .forwarding
            .get(path)
            .cloned()
            .unwrap_or_default();
        match trails.follow(path, &self.folder, &self.names) {
            Some(Lead::Nowhere(why)) => {
                return Err(Error::new(ErrorKind::Interpreter, why.clone()));
            }
            // Where its end does not answer any more, the script may lead elsewhere.
            Some(lead) => {
                if let Some(facts) = lead.facts(&ask) {
                    return Ok(facts);
                }
            }
            None => {}
        }
        if self.quick {
            return last_said(path, &trails, &ask);
        }
        let before = trails.clone();
        let answer = forward::learn(path, &mut trails, &self.folder, &self.names, &ask);
        if trails != before {
            let mut known = self.known();
            known.forwarding.insert(path.to_owned(), trails);
            known.changed = true;
        }
        answer
    }

    /// Writes what was learned. A cache that cannot be written is no error: it is asked again next
    /// time.
    pub fn save(&self) {
        let mut known = self.known();
        if !known.changed {
            return;
        }
        // Of two runs at once the later one keeps its own and what the other one learned.
        if let Some(other) = read(&self.folder) {
            for (path, kept) in other.programs {
                known.programs.entry(path).or_insert(kept);
            }
            for (path, trails) in other.forwarding {
                known.forwarding.entry(path).or_insert(trails);
            }
        }
        known.programs.retain(|path, _| path.exists());
        known.forwarding.retain(|path, _| path.exists());
        if let Ok(bytes) = serde_json::to_vec(&*known)
            && write_whole(&self.folder.join(FILE), &bytes).is_ok()
        {
            known.changed = false;
        }
        for older in OLDER {
            // One that cannot be removed is only not read.
            let _ = std::fs::remove_file(self.folder.join(older));
        }
    }
}

fn read(folder: &Path) -> Option<Known> {
    let bytes = std::fs::read(folder.join(FILE)).ok()?;
    serde_json::from_slice(&bytes).ok()
}

/// What a script that leads to an interpreter said when it was asked last, if that one is still
/// there.
fn last_said(path: &Path, trails: &Trails, ask: &dyn Fn(&Path) -> Result<Facts>) -> Result<Facts> {
    let facts = trails.last().and_then(|lead| lead.facts(ask));
    facts.filter(|f| f.executable.is_file()).ok_or_else(|| {
        let message = format!("{} is a script, and was not asked", path.display());
        Error::new(ErrorKind::Interpreter, message)
    })
}

/// Whether an interpreter is the program that was started, and not another one that this started.
fn is_itself(path: &Path, facts: &Facts) -> bool {
    let real = |path: &Path| std::fs::canonicalize(path).ok();
    real(path) == real(&facts.executable) || facts.executable == *path
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
    let config = path
        .parent()
        .and_then(Path::parent)
        .map(|root| root.join("pyvenv.cfg"))
        .and_then(|c| time_and_length(&c));
    // An upgrade of the system may replace the C library under an unchanged interpreter.
    let libc = ["/etc/ld.so.cache", "/etc/os-release"]
        .iter()
        .filter_map(|p| time_and_length(Path::new(p)))
        .collect::<Vec<_>>()
        .join(" ");
    Some(format!(
        "{} {} {} {libc}",
        real.display(),
        time_and_length(&real)?,
        config.unwrap_or_default()
    ))
}

/// When a file changed, and how long it is.
pub(crate) fn time_and_length(path: &Path) -> Option<String> {
    let metadata = std::fs::metadata(path).ok()?;
    let changed = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?;
    Some(format!("{}.{}", changed.as_nanos(), metadata.len()))
}
