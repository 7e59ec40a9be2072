//! Series of interpreters: newest patch release and end of life (`knowledge/interpreters.toml`).

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

#[derive(Deserialize)]
struct File {
    series: Vec<Series>,
}

static ALL: LazyLock<Vec<Series>> = LazyLock::new(|| {
    // The file is compiled in and read by a test, so that it cannot be broken in a build that
    // passed.
    toml::from_str::<File>(include_str!("../../../../knowledge/interpreters.toml"))
        .map_or_else(|_| Vec::new(), |f| f.series)
});

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
    ALL.iter()
        .find(|s| s.implementation == implementation && s.version == version)
}

/// When a series of the language, `3.12`, began, if it is known: other implementations follow
/// CPython.
pub fn series_began(version: &str) -> Option<jiff::Timestamp> {
    series("cpython", version)?.began()
}

/// All series of an implementation, oldest first.
pub fn series_of(implementation: &str) -> impl Iterator<Item = &'static Series> {
    ALL.iter()
        .filter(move |s| s.implementation == implementation)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::Version;

    #[test]
    fn the_file_is_read_and_consistent() {
        assert!(ALL.len() > 10);
        for s in ALL.iter() {
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
