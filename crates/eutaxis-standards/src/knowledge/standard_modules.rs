//! Modules of the standard library, those that came and went above all
//! (`knowledge/standard-modules.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use rustc_hash::FxHashMap;
use serde::Deserialize;

/// What is known of a module of the standard library.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Standing {
    #[serde(default)]
    names: Vec<String>,
    /// The first series that has it, when not all have.
    pub added: Option<String>,
    /// The first series that no longer has it.
    pub removed: Option<String>,
    /// What code uses instead.
    pub instead: Option<String>,
    /// Interpreters can be built without it.
    #[serde(default)]
    pub parts: bool,
    /// System packages, by the distribution's name.
    #[serde(default)]
    pub packages: BTreeMap<String, String>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    module: Vec<Standing>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/standard-modules.toml")).unwrap_or_default()
});

static BY_NAME: LazyLock<FxHashMap<&'static str, &'static Standing>> = LazyLock::new(|| {
    FILE.module
        .iter()
        .flat_map(|m| m.names.iter().map(move |n| (n.as_str(), m)))
        .collect()
});

impl Standing {
    /// Whether an interpreter of a series, `(3, 12)`, no longer has it; of one that is not known it
    /// may be so.
    pub fn is_dropped(&self, series: Option<(u64, u64)>) -> bool {
        let of = |removed: &String| series.is_none_or(|s| numbers(removed).is_some_and(|r| s >= r));
        self.removed.as_ref().is_some_and(of)
    }

    /// Whether an interpreter of a series does not have it yet; of one that is not known it may be
    /// so.
    pub fn is_later(&self, series: Option<(u64, u64)>) -> bool {
        let of = |added: &String| series.is_none_or(|s| numbers(added).is_some_and(|a| s < a));
        self.added.as_ref().is_some_and(of)
    }
}

fn numbers(series: &str) -> Option<(u64, u64)> {
    let (major, minor) = series.split_once('.')?;
    Some((major.parse().ok()?, minor.parse().ok()?))
}

/// What is known of a module: by its whole name, else by the package it is in.
pub fn standing(module: &str) -> Option<&'static Standing> {
    let top = module.split('.').next().unwrap_or(module);
    BY_NAME.get(module).or_else(|| BY_NAME.get(top)).copied()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("distutils.util", Some((3, 12)), true, false)]
    #[case("distutils", Some((3, 11)), false, false)]
    #[case("distutils", None, true, false)]
    #[case("urllib2", Some((3, 6)), true, false)]
    #[case("tomllib", Some((3, 10)), false, true)]
    #[case("tomllib", Some((3, 11)), false, false)]
    #[case("json", None, false, false)]
    fn modules_come_and_go(
        #[case] module: &str,
        #[case] series: Option<(u64, u64)>,
        #[case] dropped: bool,
        #[case] later: bool,
    ) {
        let standing = standing(module).unwrap();
        assert_eq!(
            (standing.is_dropped(series), standing.is_later(series)),
            (dropped, later)
        );
    }

    #[test]
    fn what_is_no_standard_module_is_not_known() {
        assert_eq!(standing("radargram"), None);
    }
}
