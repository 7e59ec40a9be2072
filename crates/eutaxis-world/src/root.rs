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

/// Files under a root that a pattern of paths names, in order. Of folders only the names in them are
/// read: some hold thousands of files, and each is a look at the disk.
pub(crate) fn matching(root: &Path, pattern: &str) -> Vec<PathBuf> {
    let mut found = vec![root.to_owned()];
    for part in pattern.split('/').filter(|p| !p.is_empty()) {
        if part == "**" {
            return by_any_depth(root, pattern);
        }
        let Ok(wanted) = glob::Pattern::new(part) else {
            return Vec::new();
        };
        found = match part.contains(['*', '?', '[']) {
            true => found.iter().flat_map(|f| within(f, &wanted)).collect(),
            false => found.iter().map(|f| f.join(part)).collect(),
        };
    }
    // What a pattern names in so many words need not be there.
    found.retain(|path| path.symlink_metadata().is_ok());
    found
}

/// What a pattern names in a folder, in the order of the names.
fn within(folder: &Path, wanted: &glob::Pattern) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let names = entries.map(|entry| entry.file_name());
    let mut names: Vec<_> = names
        .filter(|name| name.to_str().is_some_and(|n| wanted.matches(n)))
        .collect();
    names.sort();
    names.into_iter().map(|name| folder.join(name)).collect()
}

fn by_any_depth(root: &Path, pattern: &str) -> Vec<PathBuf> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::names(
        "usr/lib/*/libfirn.so.*",
        "usr/lib/a/libfirn.so.2 usr/lib/b/libfirn.so.1"
    )]
    #[case::a_name_behind("opt/*/bin", "opt/one/bin")]
    #[case::in_so_many_words("usr/lib/a", "usr/lib/a")]
    #[case::nothing("usr/lib/c", "")]
    #[case::a_letter("opt/on?", "opt/one")]
    #[case::one_of("usr/lib/[ab]", "usr/lib/a usr/lib/b")]
    #[case::hidden("opt/.*", "opt/.two")]
    #[case::any_depth("usr/**/libfirn.so.1", "usr/lib/b/libfirn.so.1")]
    #[case::no_pattern("usr/[", "")]
    fn patterns_name_what_is_there(#[case] pattern: &str, #[case] expected: &str) {
        let root = tempfile::tempdir().unwrap();
        // What means something in patterns, in the name of the root, means nothing.
        let root = root.path().join("a[b]*");
        for folder in ["usr/lib/a", "usr/lib/b", "opt/one/bin", "opt/.two"] {
            std::fs::create_dir_all(root.join(folder)).unwrap();
        }
        for file in [
            "usr/lib/b/libfirn.so.1",
            "usr/lib/a/libfirn.so.2",
            "usr/lib/a/other",
        ] {
            std::fs::write(root.join(file), "").unwrap();
        }
        let found: Vec<String> = matching(&root, pattern)
            .iter()
            .filter_map(|p| Some(p.strip_prefix(&root).ok()?.display().to_string()))
            .collect();
        assert_eq!(found.join(" "), expected);
    }
}
