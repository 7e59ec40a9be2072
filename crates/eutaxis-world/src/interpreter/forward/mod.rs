//! Programs that start an interpreter which they choose anew each time: what they chose is kept with
//! everything that they looked at while they chose, and counts as long as nothing of it changed.
//!
//! What they look at is found by looking: the system tells which files are opened in the folders
//! around such a script while it runs, and the names in those folders are kept too, because a file
//! that comes may decide as well as one that changes. Where the system does not tell, nothing is
//! kept.

mod around;
mod watch;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use serde::{Deserialize, Serialize};

use self::around::Around;
pub(super) use self::around::Names;
use self::watch::Watch;
use super::cache::time_and_length;
use super::probe::Answer;
use super::{Facts, probe};
use crate::Result;
use crate::hash::sha256_hex;

/// So many answers of one script are kept: of several folders, or terminals.
const MOST_KEPT: usize = 8;
/// The time of a change may be as much earlier than the change itself, by the clock of the system.
const TICK: Duration = Duration::from_millis(20);
/// The same where a file system keeps whole seconds.
const COARSE: Duration = Duration::from_secs(2);
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

impl Lead {
    /// What is known of the interpreter at its end, which answers for itself. None when there is no
    /// answer there, or no longer.
    pub(super) fn facts(&self, ask: &dyn Fn(&Path) -> Result<Facts>) -> Option<Facts> {
        match self {
            Lead::To(path) => ask(path).ok(),
            Lead::Says(facts) => Some((**facts).clone()),
            Lead::Nowhere(_) => None,
        }
    }
}

/// What a script led to once, and what that depended on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Trail {
    around: String,
    /// Files that were opened, with what they were.
    read: BTreeMap<PathBuf, String>,
    lead: Lead,
}

/// What is kept of one script.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Trails {
    /// The latest last.
    known: Vec<Trail>,
    /// What it led to last, also where nobody can tell what that depends on.
    last: Option<Lead>,
}

impl Trails {
    /// What the script leads to now, when everything is as it was on one of its trails.
    pub(super) fn follow(&self, script: &Path, cache: &Path, names: &Names) -> Option<&Lead> {
        if self.known.is_empty() {
            return None;
        }
        let around = Around::of(script, cache)?.stamp(names);
        let trail = self.known.iter().rfind(|trail| {
            let mut read = trail.read.iter();
            trail.around == around && read.all(|(path, was)| content(path).as_ref() == Some(was))
        });
        trail.map(|t| &t.lead)
    }

    /// What the script led to last, whatever changed since.
    pub(super) fn last(&self) -> Option<&Lead> {
        self.last.as_ref()
    }

    fn add(&mut self, trail: Trail) {
        self.known.retain(|known| known.around != trail.around);
        let surplus = (self.known.len() + 1).saturating_sub(MOST_KEPT);
        self.known.drain(..surplus);
        self.known.push(trail);
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
    let (lead, answer) = match lead(script, ask) {
        Ok((lead, facts)) => (lead, Ok(facts)),
        // It was only slow: another time it may answer.
        Err(why) if !why.lasts => return Err(why.into()),
        Err(why) => (Lead::Nowhere(why.error.message.clone()), Err(why.into())),
    };
    trails.last = Some(lead.clone());
    let opened = watch.and_then(Watch::end);
    let after = around.as_ref().map(|a| a.stamp(&Names::default()));
    if let Some((around, opened)) = after.filter(|a| before.as_ref() == Some(a)).zip(opened)
        && let Some(read) = was_read(opened, begun)
    {
        trails.add(Trail { around, read, lead });
    }
    answer
}

/// Starts the script: what it leads to, and what is known of that.
fn lead(script: &Path, ask: &dyn Fn(&Path) -> Result<Facts>) -> Answer<(Lead, Facts)> {
    if let Some((executable, version)) = probe::whereabouts(script)?
        && executable != script
        && let Ok(facts) = ask(&executable)
        && facts.executable == executable
        && facts.version == version
    {
        return Ok((Lead::To(executable), facts));
    }
    let facts = probe::probe(script)?;
    Ok((Lead::Says(Box::new(facts.clone())), facts))
}

/// The files that were opened, with what they are. None when one of them changed meanwhile.
fn was_read(opened: BTreeSet<PathBuf>, begun: SystemTime) -> Option<BTreeMap<PathBuf, String>> {
    let mut read = BTreeMap::new();
    for path in opened {
        let changed = std::fs::metadata(&path).and_then(|m| m.modified()).ok()?;
        let since = changed.duration_since(SystemTime::UNIX_EPOCH).ok()?;
        let late = match since.subsec_nanos() {
            0 => COARSE,
            _ => TICK,
        };
        if changed + late >= begun {
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
    time_and_length(path)
}

#[cfg(test)]
#[cfg(target_os = "linux")]
mod tests;
