//! Which series of the interpreter have which modules and names of the standard library
//! (`knowledge/standard-names.toml`, written from interpreters by a script beside it).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use rustc_hash::{FxHashMap, FxHashSet};
use serde::Deserialize;

/// A series as major and minor.
pub type SeriesNumber = (u64, u64);

/// How something of the standard library is lacking in a series.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lacking {
    /// It is gone since this series.
    Gone(SeriesNumber),
    /// It comes with this series.
    Later(SeriesNumber),
}

impl std::fmt::Display for Lacking {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Lacking::Gone((major, 0)) => write!(f, "gone since Python {major}"),
            Lacking::Later((major, 0)) => write!(f, "new in Python {major}"),
            Lacking::Gone((major, minor)) => write!(f, "gone since {major}.{minor}"),
            Lacking::Later((major, minor)) => write!(f, "new in {major}.{minor}"),
        }
    }
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    series: Vec<String>,
    always: String,
    modules: BTreeMap<String, String>,
    names: BTreeMap<String, BTreeMap<String, String>>,
}

/// For each series that is recorded, a bit that says whether it has the thing.
type Having = u32;

#[derive(Default)]
struct Names {
    series: Vec<SeriesNumber>,
    /// Modules at the top, of any series.
    tops: FxHashSet<String>,
    modules: FxHashMap<String, Having>,
    names: FxHashMap<String, FxHashMap<String, Having>>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static NAMES: LazyLock<Names> = LazyLock::new(|| {
    let file = toml::from_str(include_str!("../../../../knowledge/standard-names.toml"));
    Names::of(file.unwrap_or_default())
});

impl Names {
    fn of(file: File) -> Self {
        let series: Vec<SeriesNumber> = file.series.iter().filter_map(|s| number(s)).collect();
        let mut names = Names::default();
        let having = |ranges: &str| {
            let bit = |(at, s): (usize, &SeriesNumber)| {
                let inside = ranges.split(' ').any(|r| {
                    let (from, to) = r.split_once('-').unwrap_or((r, r));
                    number(from).is_some_and(|f| f <= *s) && number(to).is_some_and(|t| *s <= t)
                });
                Having::from(inside) << at
            };
            series.iter().enumerate().map(bit).fold(0, |a, b| a | b)
        };
        names.tops.extend(file.always.split(' ').map(str::to_owned));
        for (ranges, modules) in &file.modules {
            let bits = having(ranges);
            for module in modules.split(' ') {
                if !module.contains('.') {
                    names.tops.insert(module.to_owned());
                }
                names.modules.insert(module.to_owned(), bits);
            }
        }
        for (module, kinds) in file.names {
            let of_module = names.names.entry(module).or_default();
            for (ranges, listed) in kinds {
                let bits = having(&ranges);
                of_module.extend(listed.split(' ').map(|n| (n.to_owned(), bits)));
            }
        }
        Names { series, ..names }
    }

    fn lacking(&self, having: Having, series: SeriesNumber) -> Option<Lacking> {
        let at = self.series.iter().position(|s| *s == series)?;
        let has = |at: usize| having & (1 << at) != 0;
        if has(at) {
            return None;
        }
        if let Some(last) = (0..at).rev().find(|i| has(*i)) {
            return self.first_of(last + 1).map(Lacking::Gone);
        }
        let next = (at..self.series.len()).find(|i| has(*i))?;
        self.first_of(next).map(Lacking::Later)
    }

    /// A series; the first one recorded of a major number stands for those before it.
    fn first_of(&self, at: usize) -> Option<SeriesNumber> {
        let (major, minor) = *self.series.get(at)?;
        let before = at.checked_sub(1).and_then(|b| self.series.get(b));
        let is_first = before.is_some_and(|(m, _)| *m != major);
        Some((major, if is_first { 0 } else { minor }))
    }
}

fn number(series: &str) -> Option<SeriesNumber> {
    let (major, minor) = series.split_once('.')?;
    Some((major.parse().ok()?, minor.parse().ok()?))
}

/// Whether a name at the top is a module of the standard library of some series.
pub fn is_standard(top: &str) -> bool {
    NAMES.tops.contains(top)
}

/// The newest series that is recorded.
pub fn newest_series() -> SeriesNumber {
    NAMES.series.last().copied().unwrap_or((3, 0))
}

/// How a series lacks a module of the standard library; none when it has it, or when that is not
/// known.
pub fn lacking_module(module: &str, series: SeriesNumber) -> Option<Lacking> {
    let known = NAMES.modules.get(module)?;
    NAMES.lacking(*known, series)
}

/// How a module of the standard library lacks a name in a series; none when it has it, or when that
/// is not known.
pub fn lacking_name(module: &str, name: &str, series: SeriesNumber) -> Option<Lacking> {
    let known = NAMES.names.get(module)?.get(name)?;
    NAMES.lacking(*known, series)
}

/// How a name of a module of the standard library stands in a series, or where that is not known in
/// the newest one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NameStanding {
    /// It is there.
    There,
    /// It is lacking.
    Lacking(Lacking),
}

/// How a name of a module of the standard library stands in a series; none when nothing is known of
/// it. Of names that all series have, which are not recorded one by one, nothing is known.
pub fn name_standing(
    module: &str,
    name: &str,
    series: Option<SeriesNumber>,
) -> Option<NameStanding> {
    let known = NAMES.names.get(module)?.get(name)?;
    let newest = NAMES.series.len().checked_sub(1)?;
    match series {
        Some(series) => Some(match NAMES.lacking(*known, series) {
            Some(lacking) => NameStanding::Lacking(lacking),
            None => NameStanding::There,
        }),
        // Code that runs into it where the newest has it ran by an older one.
        None if known & (1 << newest) != 0 => {
            let first = (0..NAMES.series.len()).find(|at| known & (1 << at) != 0)?;
            let since = NAMES.first_of(first)?;
            Some(NameStanding::Lacking(Lacking::Later(since)))
        }
        None => {
            let newest = *NAMES.series.get(newest)?;
            NAMES.lacking(*known, newest).map(NameStanding::Lacking)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("imp", (3, 12), Some("gone since 3.12"))]
    #[case("imp", (3, 11), None)]
    #[case("distutils.util", (3, 13), Some("gone since 3.12"))]
    #[case("urllib2", (3, 9), Some("gone since Python 3"))]
    #[case("zoneinfo", (3, 8), Some("new in 3.9"))]
    #[case("importlib.metadata", (3, 7), Some("new in 3.8"))]
    #[case("importlib.metadata", (3, 14), None)]
    #[case("_tkinter", (3, 8), None)]
    #[case("os", (3, 8), None)]
    #[case("radargram", (3, 8), None)]
    fn modules_come_and_go(
        #[case] module: &str,
        #[case] series: SeriesNumber,
        #[case] expected: Option<&str>,
    ) {
        let found = lacking_module(module, series).map(|l| l.to_string());
        assert_eq!(found.as_deref(), expected);
    }

    #[rstest]
    #[case("collections", "Mapping", (3, 9), None)]
    #[case("collections", "Mapping", (3, 10), Some("gone since 3.10"))]
    #[case("inspect", "getargspec", (3, 11), Some("gone since 3.11"))]
    #[case("typing", "Literal", (3, 7), Some("new in 3.8"))]
    #[case("unittest", "mock", (3, 12), None)]
    #[case("os", "a_name_of_nobody", (3, 12), None)]
    fn names_come_and_go(
        #[case] module: &str,
        #[case] name: &str,
        #[case] series: SeriesNumber,
        #[case] expected: Option<&str>,
    ) {
        let found = lacking_name(module, name, series).map(|l| l.to_string());
        assert_eq!(found.as_deref(), expected);
    }

    #[rstest]
    #[case("collections", "Mapping", Some((3, 9)), Some("there"))]
    #[case("collections", "Mapping", Some((3, 10)), Some("gone since 3.10"))]
    #[case("collections", "Mapping", None, Some("gone since 3.10"))]
    #[case("typing", "Literal", Some((3, 7)), Some("new in 3.8"))]
    #[case("typing", "Literal", None, Some("new in 3.8"))]
    #[case("os", "a_name_of_nobody", None, None)]
    fn names_stand_in_a_series_or_in_the_newest(
        #[case] module: &str,
        #[case] name: &str,
        #[case] series: Option<SeriesNumber>,
        #[case] expected: Option<&str>,
    ) {
        let found = name_standing(module, name, series).map(|standing| match standing {
            NameStanding::There => "there".to_owned(),
            NameStanding::Lacking(lacking) => lacking.to_string(),
        });
        assert_eq!(found.as_deref(), expected);
    }

    #[test]
    fn the_library_is_known_by_its_tops() {
        assert!(is_standard("os") && is_standard("imp") && is_standard("tomllib"));
        // Not looked into, and there all the same.
        assert!(is_standard("tkinter") && is_standard("lib2to3"));
        assert_eq!(lacking_module("lib2to3", (3, 12)), None);
        assert_eq!(
            lacking_module("lib2to3", (3, 13)),
            Some(Lacking::Gone((3, 13)))
        );
        assert!(!is_standard("radargram"));
        assert!(NAMES.names.len() > 300);
    }
}
