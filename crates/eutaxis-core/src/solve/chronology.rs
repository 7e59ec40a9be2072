//! Chronology (docs/house.md): what a release cannot have known when it was published.
//!
//! If A needs B with no bound that excludes a series, and the first release of B's major series
//! appeared after A's file, then A has never met that B.

use std::collections::BTreeMap;

use jiff::{SignedDuration, Timestamp};

use super::facts::ProjectFacts;
use crate::offer::Offer;
use crate::version::{Version, VersionSpecifier};

/// From this number on the first part of a version is a calendar year, not a major series.
pub(crate) const FIRST_YEAR: u64 = 1990;
/// A release that is younger by so much is worth a word, though its series is an old one.
const YEARS_YOUNGER: SignedDuration = SignedDuration::from_hours(2 * 365 * 24);
/// No release has this number, so a set that takes it excludes no series.
const BEYOND: u64 = 1_000_000;

/// How likely it is that something breaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Strength {
    /// Both are compiled, and the one was built against an older series of the other.
    Strong,
    /// The major series is newer.
    Middling,
    /// The release is merely years younger.
    Weak,
}

/// A series: releases with the same first number, in the same epoch. None when the number is a
/// calendar year.
pub(crate) fn series(version: &Version) -> Option<(u64, u64)> {
    let major = version.release_number(0);
    (major < FIRST_YEAR).then(|| (version.parts().epoch.small().unwrap_or(u64::MAX), major))
}

/// Whether a requirement leaves all later series open.
pub(crate) fn is_open(set: Option<&VersionSpecifier>) -> bool {
    set.is_none_or(|s| s.matches(&Version::from_release(&[BEYOND])))
}

/// All series of a project, in the order in which they began: each with the day of its first final
/// release, or where there is none of its first.
pub(super) fn all_series(offers: &[Offer]) -> Vec<((u64, u64), Timestamp)> {
    let mut first: BTreeMap<(u64, u64), (bool, Timestamp)> = BTreeMap::new();
    for offer in offers {
        let (Some(series), Some(date)) = (series(&offer.version), offer.first_published()) else {
            continue;
        };
        let mine = (offer.version.is_prerelease(), date);
        first
            .entry(series)
            .and_modify(|known| *known = mine.min(*known))
            .or_insert(mine);
    }
    let mut all: Vec<_> = first
        .into_iter()
        .map(|(series, (_, date))| (series, date))
        .collect();
    all.sort_by_key(|(series, date)| (*date, *series));
    all
}

/// When a version's series began, if the dates are known.
pub(super) fn began(facts: &ProjectFacts, version: &Version) -> Option<Timestamp> {
    let wanted = series(version)?;
    facts
        .series()
        .iter()
        .find(|(series, _)| *series == wanted)
        .map(|(_, date)| *date)
}

/// How strongly a release should be doubted beside one that was published at `asker`, and when its
/// series began.
pub(super) fn doubt(
    facts: &ProjectFacts,
    version: &Version,
    published: Option<Timestamp>,
    asker: Timestamp,
    both_compiled: bool,
) -> Option<(Strength, Timestamp)> {
    match began(facts, version) {
        Some(began) if began > asker => {
            let strength = if both_compiled {
                Strength::Strong
            } else {
                Strength::Middling
            };
            Some((strength, began))
        }
        _ => {
            let published = published.filter(|p| p.duration_since(asker) > YEARS_YOUNGER)?;
            Some((Strength::Weak, published))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("2.1", Some((0, 2)))]
    #[case("1!2.1", Some((1, 2)))]
    #[case("0.9", Some((0, 0)))]
    #[case("2026.1", None)]
    fn years_are_no_series(#[case] version: &str, #[case] expected: Option<(u64, u64)>) {
        assert_eq!(series(&Version::parse(version).unwrap()), expected);
    }

    #[rstest]
    #[case("", true)]
    #[case(">=4", true)]
    #[case("!=5.0", true)]
    #[case("<6", false)]
    #[case("~=4.2", false)]
    #[case("==4.*", false)]
    fn a_bound_above_closes(#[case] set: &str, #[case] expected: bool) {
        assert_eq!(
            is_open(Some(&VersionSpecifier::parse(set).unwrap())),
            expected
        );
    }
}
