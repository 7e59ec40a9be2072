//! The root of the file system that is looked at: this machine's, or a tree that stands in for
//! another one.

use std::path::{Path, PathBuf};

/// The folder that stands in for the root (EUTAXIS_ROOT); none when this machine itself is looked
/// at.
pub fn stand_in() -> Option<PathBuf> {
    let named = std::env::var_os("EUTAXIS_ROOT")
        .filter(|r| !r.is_empty())
        .map(PathBuf::from)?;
    // Paths of the machine are told by their start, so that the root must be whole.
    Some(std::path::absolute(&named).unwrap_or(named))
}

/// The root: the stand-in, else `/`.
pub fn root() -> PathBuf {
    stand_in().unwrap_or_else(|| PathBuf::from("/"))
}

/// Files under a root that a pattern of paths names, in order.
pub(crate) fn matching(root: &Path, pattern: &str) -> Vec<PathBuf> {
    let whole = format!(
        "{}/{pattern}",
        glob::Pattern::escape(&root.display().to_string())
    );
    glob::glob(&whole)
        .map(|paths| paths.flatten().collect())
        .unwrap_or_default()
}

/// The start of a text file under the root; empty when it cannot be read. What such files tell
/// stands at their start.
pub(crate) fn start_of(path: &Path) -> String {
    use std::io::Read;
    const MOST: u64 = 64 * 1024;
    let mut bytes = Vec::new();
    // What cannot be read tells nothing: the caller goes on to the next place.
    let is_file = std::fs::metadata(path).is_ok_and(|m| m.is_file());
    if let Some(file) = is_file.then(|| std::fs::File::open(path).ok()).flatten() {
        let _ = file.take(MOST).read_to_end(&mut bytes);
    }
    String::from_utf8_lossy(&bytes).into_owned()
}

/// The machine's distribution, and those that it is like.
pub fn distribution(root: &Path) -> Vec<String> {
    let text = ["etc/os-release", "usr/lib/os-release"]
        .iter()
        .map(|f| start_of(&root.join(f)))
        .find(|t| !t.is_empty());
    let text = text.unwrap_or_default();
    let values = |key: &str| {
        let line = text
            .lines()
            .find_map(|l| l.strip_prefix(key)?.strip_prefix('='));
        line.unwrap_or("")
            .trim_matches(['"', '\''])
            .split_whitespace()
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    values("ID").into_iter().chain(values("ID_LIKE")).collect()
}
