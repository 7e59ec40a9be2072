//! Running processes that still hold files of an environment as it was before a change.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

/// A running process that holds old files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Holder {
    /// Its number.
    pub pid: u32,
    /// What it was started as.
    pub command: String,
    /// The folders or modules of the environment that it holds; empty where it only runs from
    /// there.
    pub holds: Vec<String>,
}

/// The processes that hold files of an environment which are no longer in it, as far as this user
/// may see them; on systems that do not tell, none.
pub(super) fn holders(root: &Path, stage_prefix: &str) -> Vec<Holder> {
    let mut found: Vec<Holder> = fs::read_dir("/proc")
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| entry.file_name().to_str()?.parse().ok())
        .filter(|pid| *pid != std::process::id())
        .filter_map(|pid| holder(pid, root, stage_prefix))
        .collect();
    found.sort_by_key(|h| h.pid);
    found
}

fn holder(pid: u32, root: &Path, stage_prefix: &str) -> Option<Holder> {
    let folder = Path::new("/proc").join(pid.to_string());
    let words = fs::read(folder.join("cmdline")).ok()?;
    let words: Vec<String> = words
        .split(|b| *b == 0)
        .filter(|w| !w.is_empty())
        .map(|w| String::from_utf8_lossy(w).into_owned())
        .collect();
    let place = root.to_string_lossy();
    let parent = root.parent()?.to_string_lossy().into_owned();
    // The old tree lay beside the new one when it went.
    let stage = format!("{}/{stage_prefix}", parent.trim_end_matches('/'));
    let is_old = |path: &str| {
        path.starts_with(&stage)
            || path.starts_with(&format!("{place}/")) && path.ends_with(" (deleted)")
    };
    let mut holds = BTreeSet::new();
    let maps = fs::read_to_string(folder.join("maps")).unwrap_or_default();
    let mapped = maps
        .lines()
        .filter_map(|line| line.find('/').and_then(|at| line.get(at..)));
    let opened = fs::read_dir(folder.join("fd"))
        .into_iter()
        .flatten()
        .flatten();
    let opened = opened.filter_map(|e| {
        let target = fs::read_link(e.path()).ok()?;
        Some(target.to_string_lossy().into_owned())
    });
    let opened: Vec<String> = opened.collect();
    let all = mapped.chain(opened.iter().map(String::as_str));
    for path in all.filter(|p| is_old(p)) {
        let inner = path.trim_end_matches(" (deleted)");
        let part = match inner.split_once("site-packages/") {
            Some((_, rest)) => rest.split('/').next().unwrap_or(rest),
            None => inner.rsplit('/').next().unwrap_or(inner),
        };
        holds.insert(part.to_owned());
    }
    let runs_there = words
        .first()
        .is_some_and(|w| w.starts_with(&format!("{place}/")));
    (runs_there || !holds.is_empty()).then(|| Holder {
        pid,
        command: words.join(" "),
        holds: holds.into_iter().collect(),
    })
}
