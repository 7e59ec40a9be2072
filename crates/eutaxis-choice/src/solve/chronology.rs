//! Chronology (docs/house.md): what a release cannot have known when it was published.
//!
//! If A needs B with no bound that excludes a series, and the first release of B's major series
//! appeared after A's file, then A has never met that B.

use std::collections::BTreeMap;

use jiff::{SignedDuration, Timestamp};

use super::facts::ProjectFacts;
use eutaxis_standards::version::{Version, major_series};

/// A release that is younger by so much is worth a word, though its series is an old one.
const YEARS_YOUNGER: SignedDuration = SignedDuration::from_hours(2 * 365 * 24);
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

/// All series of a project, in the order in which they began: each with the day of its first final
/// release, or where there is none of its first.
pub(super) fn all_series<'a>(
    releases: impl Iterator<Item = (&'a Version, Option<Timestamp>)>,
) -> Vec<((u64, u64), Timestamp)> {
    let mut first: BTreeMap<(u64, u64), (bool, Timestamp)> = BTreeMap::new();
    for (version, date) in releases {
        let (Some(series), Some(date)) = (major_series(version), date) else {
            continue;
        };
        let mine = (version.is_prerelease(), date);
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
    let wanted = major_series(version)?;
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
