//! What platform tags for Linux promise of compiled files (`knowledge/policies.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Deserialize;

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    allowed: Vec<String>,
    later: Vec<String>,
    policy: Vec<Policy>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Policy {
    glibc: u32,
    symbols: BTreeMap<String, String>,
}

static FILE: LazyLock<File> = LazyLock::new(|| {
    // The file is compiled in and read by a test, so that it cannot be broken in a build that
    // passed.
    toml::from_str(include_str!("../../../../knowledge/policies.toml")).unwrap_or_default()
});

/// Whether files under a tag for the GNU C library `2.minor` may need a library from outside.
pub fn may_need(library: &str, minor: u32) -> bool {
    let older = FILE.policy.iter().any(|p| p.glibc == minor);
    let named = |list: &[String]| list.iter().any(|l| l == library);
    named(&FILE.allowed) || (!older && named(&FILE.later))
}

/// The highest version of symbols of a name (`GLIBCXX`) that a tag for the GNU C library `2.minor`
/// allows, as numbers; none where no fixed list says it.
pub fn highest_symbol(name: &str, minor: u32) -> Option<Vec<u32>> {
    let policy = FILE.policy.iter().find(|p| p.glibc == minor)?;
    policy
        .symbols
        .get(name)?
        .split('.')
        .map(|n| n.parse().ok())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_is_read() {
        assert!(
            may_need("libc.so.6", 17)
                && !may_need("libpython3.11.so.1.0", 28)
                && !may_need("libfirn.so.3", 28)
        );
        assert!(may_need("libz.so.1", 28) && !may_need("libz.so.1", 17));
        assert_eq!(highest_symbol("GLIBCXX", 17), Some(vec![3, 4, 19]));
        assert_eq!(highest_symbol("GLIBCXX", 28), None);
    }
}
