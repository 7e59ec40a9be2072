//! Series of interpreters: newest patch release and end of life (`knowledge/interpreters.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Deserialize;

/// A series such as CPython 3.12.
#[derive(Debug, Clone, Deserialize, PartialEq, Eq)]
pub struct Series {
    /// `cpython` or `pypy`.
    pub implementation: String,
    /// `3.12`
    pub version: String,
    /// The newest patch release, `3.12.12`.
    pub newest: String,
    /// The day of its first final release, as `YYYY-MM-DD`.
    pub first: Option<String>,
    /// Last day with security fixes, as `YYYY-MM-DD`.
    pub end_of_life: Option<String>,
    /// The implementation's own version, where it differs from the language's.
    pub implementation_version: Option<String>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    homes: BTreeMap<String, Vec<String>>,
    packages: BTreeMap<String, Vec<String>>,
    series: Vec<Series>,
}

static FILE: LazyLock<File> = LazyLock::new(|| {
    // The file is compiled in and read by a test, so that it cannot be broken in a build that
    // passed.
    toml::from_str(include_str!("../../../../knowledge/interpreters.toml")).unwrap_or_default()
});

/// Patterns of paths under which people have interpreters on a system (`linux`, `macos`,
/// `windows`); `~` is the user's own folder.
pub fn interpreter_homes(system: &str) -> &'static [String] {
    FILE.homes.get(system).map_or(&[], Vec::as_slice)
}

/// The packages of a system that bring a series such as `3.8`, by the names of the distribution and
/// of those that it is like, the first that is known.
pub fn interpreter_packages<'a>(
    distributions: impl IntoIterator<Item = &'a str>,
    series: &str,
) -> Vec<String> {
    let mut known = distributions.into_iter();
    let named = known.find_map(|d| FILE.packages.get(d));
    let digits = series.replace('.', "");
    let put = |name: &String| {
        name.replace("{series}", series)
            .replace("{digits}", &digits)
    };
    named.into_iter().flatten().map(put).collect()
}

impl Series {
    /// When its first final release appeared, if it is known: the start of that day, UTC.
    pub fn began(&self) -> Option<jiff::Timestamp> {
        let day: jiff::civil::Date = self.first.as_ref()?.parse().ok()?;
        day.to_zoned(jiff::tz::TimeZone::UTC)
            .ok()
            .map(|z| z.timestamp())
    }
}

/// The series of an implementation and a version such as `3.12`, when it is known.
pub fn series(implementation: &str, version: &str) -> Option<&'static Series> {
    FILE.series
        .iter()
        .find(|s| s.implementation == implementation && s.version == version)
}

/// When a series of the language, `3.12`, began, if it is known: other implementations follow
/// CPython.
pub fn series_began(version: &str) -> Option<jiff::Timestamp> {
    series("cpython", version)?.began()
}

/// All series of an implementation, oldest first.
pub fn series_of(implementation: &str) -> impl Iterator<Item = &'static Series> {
    FILE.series
        .iter()
        .filter(move |s| s.implementation == implementation)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::Version;

    #[test]
    fn homes_and_packages_are_known() {
        for system in ["linux", "macos", "windows"] {
            assert!(interpreter_homes(system).len() > 3, "{system}");
        }
        let packages = |all: &[&'static str]| interpreter_packages(all.iter().copied(), "3.8");
        assert_eq!(
            packages(&["firnix", "debian"]),
            ["python3.8", "python3.8-venv"]
        );
        assert_eq!(packages(&["suse"]), ["python38"]);
        assert_eq!(packages(&["firnix"]), [""; 0]);
    }

    #[test]
    fn the_file_is_read_and_consistent() {
        assert!(FILE.series.len() > 10);
        for s in FILE.series.iter() {
            let (series, newest) = (
                Version::parse(&s.version).unwrap(),
                Version::parse(&s.newest).unwrap(),
            );
            assert!(s.first.is_none() || s.began().is_some(), "{s:?}");
            assert!(
                newest >= series && newest.release_number(1) == series.release_number(1),
                "{s:?}"
            );
        }
        assert_eq!(
            series("cpython", "3.12").unwrap().newest.split('.').count(),
            3
        );
    }
}
