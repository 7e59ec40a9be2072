//! Programs that start an interpreter which they choose anew each time: what they chose is kept with
//! everything that they looked at while they chose, and counts as long as nothing of it changed.
//!
//! What they look at is found by looking: the system tells which files are opened in the folders
//! around such a script while it runs, and the names in those folders are kept too, because a file
//! that comes may decide as well as one that changes. Where the system does not tell, nothing is
//! kept.

mod around;
mod watch;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use serde::{Deserialize, Serialize};

use self::around::Around;
pub(super) use self::around::Names;
use self::watch::Watch;
use super::{Facts, probe};
use crate::hash::sha256_hex;
use crate::{Error, ErrorKind, Result};

/// So many answers of one script are kept: of several folders, or terminals.
const MOST_KEPT: usize = 8;
/// A file that is read to choose is no larger.
const MOST_READ: u64 = 1 << 16;

/// What a script led to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(super) enum Lead {
    /// To the interpreter of this path, which answers for itself.
    To(PathBuf),
    /// To one that says this only when the script starts it.
    Says(Box<Facts>),
    /// To none: why.
    Nowhere(String),
}

/// What a script led to once, and what that depended on.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Trail {
    around: String,
    /// Files that were opened, with what they were.
    read: BTreeMap<PathBuf, String>,
    lead: Lead,
}

/// The trails of one script, the latest last.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(super) struct Trails(Vec<Trail>);

impl Trails {
    /// What the script leads to now, when everything is as it was on one of its trails.
    pub(super) fn follow(&self, script: &Path, cache: &Path, names: &Names) -> Option<Lead> {
        if self.0.is_empty() {
            return None;
        }
        let around = Around::of(script, cache)?.stamp(names);
        let trail = self.0.iter().rfind(|trail| {
            let mut read = trail.read.iter();
            trail.around == around && read.all(|(path, was)| content(path).as_ref() == Some(was))
        });
        trail.map(|t| t.lead.clone())
    }

    /// What the script led to last, whatever changed since.
    pub(super) fn last(&self) -> Option<&Lead> {
        self.0.last().map(|trail| &trail.lead)
    }

    fn add(&mut self, trail: Trail) {
        self.0.retain(|known| known.around != trail.around);
        let surplus = (self.0.len() + 1).saturating_sub(MOST_KEPT);
        self.0.drain(..surplus);
        self.0.push(trail);
    }
}

/// Lets a script lead to its interpreter, and keeps the trail if it can be known. `ask` asks the
/// interpreter of a path, as it is known by itself; `names` are those that were seen before.
pub(super) fn learn(
    script: &Path,
    trails: &mut Trails,
    cache: &Path,
    names: &Names,
    ask: &dyn Fn(&Path) -> Result<Facts>,
) -> Result<Facts> {
    let begun = SystemTime::now();
    let around = Around::of(script, cache);
    let before = around.as_ref().map(|a| a.stamp(names));
    let watch = around.as_ref().and_then(|a| Watch::begin(&a.folders));
    let (lead, answer, lasts) = lead(script, ask);
    let opened = watch.and_then(Watch::end);
    let after = around.as_ref().map(|a| a.stamp(&Names::default()));
    if let Some((around, opened)) = after.filter(|a| before.as_ref() == Some(a)).zip(opened)
        && lasts
        && let Some(read) = was_read(opened.into_iter().collect(), begun)
    {
        trails.add(Trail { around, read, lead });
    }
    answer
}

/// Starts the script: what it leads to, what is known of that, and whether the same can be expected
/// again.
fn lead(script: &Path, ask: &dyn Fn(&Path) -> Result<Facts>) -> (Lead, Result<Facts>, bool) {
    match probe::whereabouts(script) {
        Ok((executable, version)) => {
            let known = Some(&executable).filter(|path| *path != script);
            let known = known.and_then(|path| ask(path).ok());
            let same = |f: &Facts| f.executable == executable && f.version == version;
            match known.filter(same) {
                Some(facts) => (Lead::To(executable), Ok(facts), true),
                None => match probe::probe(script) {
                    Ok(facts) => (Lead::Says(Box::new(facts.clone())), Ok(facts), true),
                    Err(why) => (
                        Lead::Nowhere(why.error.message.clone()),
                        Err(*why.error),
                        why.lasts,
                    ),
                },
            }
        }
        Err(why) => (
            Lead::Nowhere(why.error.message.clone()),
            Err(*why.error),
            why.lasts,
        ),
    }
}

/// The files that were opened, with what they are. None when one of them changed meanwhile.
fn was_read(opened: Vec<PathBuf>, begun: SystemTime) -> Option<BTreeMap<PathBuf, String>> {
    let mut read = BTreeMap::new();
    for path in opened {
        let changed = std::fs::metadata(&path).and_then(|m| m.modified()).ok()?;
        if changed >= begun {
            return None;
        }
        let is = content(&path)?;
        read.insert(path, is);
    }
    Some(read)
}

/// What a file is: a digest of it, or of a large one its length and its time.
fn content(path: &Path) -> Option<String> {
    let metadata = std::fs::metadata(path).ok()?;
    if metadata.is_file() && metadata.len() <= MOST_READ {
        return std::fs::read(path).ok().map(|bytes| sha256_hex(&bytes));
    }
    let changed = metadata.modified().ok()?;
    let changed = changed.duration_since(SystemTime::UNIX_EPOCH).ok()?;
    Some(format!("{} {}", changed.as_nanos(), metadata.len()))
}

/// What is known by a lead, with the interpreter at its end asked for itself.
pub(super) fn known(lead: Lead, ask: &dyn Fn(&Path) -> Result<Facts>) -> Result<Facts> {
    match lead {
        Lead::To(path) => ask(&path),
        Lead::Says(facts) => Ok(*facts),
        Lead::Nowhere(why) => Err(Error::new(ErrorKind::Interpreter, why)),
    }
}

#[cfg(test)]
#[cfg(target_os = "linux")]
mod tests;
