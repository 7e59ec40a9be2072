//! Which asks are held below the newest of their project, and so bring what they need from their
//! own time (docs/choice.md, dates).

use jiff::{SignedDuration, Timestamp};
use rustc_hash::FxHashSet;

use super::facts::{Facts, Usable};
use super::problem::Problem;
use crate::offer::{Chronology, Prefer};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::Version;

/// What appeared so soon after a release was made beside it.
pub(super) const GRACE: SignedDuration = SignedDuration::from_hours(90 * 24);

/// The asked projects that an ask or a bound holds below their newest release, the oldest first;
/// with `follow` all of them.
pub(super) fn held_asks(problem: &Problem, facts: &Facts) -> Vec<Name> {
    let policy = &problem.policy;
    if !policy.chronology.decides() || policy.prefer == Prefer::Oldest {
        return Vec::new();
    }
    let mut held: Vec<(Timestamp, Name)> = Vec::new();
    let mut met: FxHashSet<&Name> = FxHashSet::default();
    for (_, ask) in problem.asks_in_force() {
        let project = &ask.requirement.name;
        let Some(known) = facts.get(project).filter(|_| met.insert(project)) else {
            continue;
        };
        let allowed = |version: &Version| facts.asked.allows(project, version);
        let is_newest = |version: &Version| {
            known
                .newest
                .as_ref()
                .is_some_and(|n| n.public() == version.public())
        };
        let newest_is_out = known.newest.is_some()
            && !known
                .usable
                .iter()
                .any(|u| is_newest(&u.version) && allowed(&u.version));
        let mine = known.usable.iter().filter(|u| allowed(&u.version));
        let best = mine
            .clone()
            .find(|u| !u.version.is_prerelease())
            .or_else(|| mine.clone().next());
        // What is asked for above the newest final release is a pre-release, and no older one.
        let is_below =
            |version: &Version| newest_is_out && known.newest.as_ref().is_some_and(|n| n > version);
        let Some(Usable {
            version,
            first: Some(date),
            ..
        }) = best
        else {
            continue;
        };
        if policy.chronology == Chronology::Follow || is_below(version) {
            held.push((*date, project.clone()));
        }
    }
    // Of one day in the order listed.
    held.sort_by_key(|(date, _)| *date);
    held.into_iter().map(|(_, project)| project).collect()
}
