//! The one order in which releases of a project are preferred (docs/choice.md, offers).

use super::build::{Place, Use, places};
use super::judged::Rules;
use super::{Head, Prefer, Verdict, Wheels};
use eutaxis_standards::version::Version;

/// What is preferred of one project beyond the policy.
#[derive(Debug, Clone, Copy, Default)]
pub struct Preferred<'a> {
    /// The release of earlier pins.
    pub prior: Option<&'a Version>,
    /// Releases that come before all others, the first before the second.
    pub nearest: Option<&'a [Version]>,
}

/// The releases that can be used, best first.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ranking {
    /// Their indices among the offers.
    pub order: Vec<usize>,
    /// Of each: which group it belongs to, before age counts; one of a smaller group is better
    /// whatever its age.
    pub groups: Vec<usize>,
    /// Of each: its release, the newest first; builds of one release share it.
    pub releases: Vec<usize>,
}

/// Ranks releases (newest first). What counts before age: yanked ones last, then what is preferred,
/// then wheels before source, then the use of an accelerator.
pub(super) fn ranking(heads: &[Head], rules: &Rules<'_>, preferred: &Preferred<'_>) -> Ranking {
    let places = places(heads, rules.target);
    let apart = rules.policy.wheels != Wheels::Any;
    let oldest = rules.policy.prefer == Prefer::Oldest;
    let group = |head: &Head, used: Use| {
        let kept = preferred.prior.is_some_and(|v| *v == head.version);
        let near = preferred.nearest.map_or(0, |all| {
            all.iter()
                .position(|v| *v == head.version)
                .unwrap_or(all.len())
        });
        (
            head.is_yanked,
            near,
            !kept,
            apart && head.verdict == Verdict::Build,
            used,
        )
    };
    let age = |place: Place| if oldest { place.oldest_first() } else { place };
    let usable = heads
        .iter()
        .zip(places)
        .enumerate()
        .filter(|(_, (head, _))| head.can_be_had());
    let mut keyed: Vec<_> = usable
        .map(|(at, (head, (used, place)))| {
            let release = place.release();
            ((group(head, used), age(place)), at, release)
        })
        .collect();
    keyed.sort_by(|a, b| a.0.cmp(&b.0));
    let mut ranking = Ranking::default();
    let mut before = None;
    for ((group, _), at, release) in keyed {
        let number = match (before.replace(group), ranking.groups.last()) {
            (Some(before), Some(last)) => last + usize::from(before != group),
            _ => 0,
        };
        ranking.groups.push(number);
        ranking.order.push(at);
        ranking.releases.push(release);
    }
    ranking
}
