//! What a requirement admits of a project: pre-releases and yanked releases (docs/choice.md,
//! pre-releases, yanked releases).

use super::{Bar, Offer, Policy, Verdict};
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::Version;

/// Whether a requirement takes a version by its number alone. One that names a file by URL takes
/// the one it leads to.
pub fn takes(requirement: &Requirement, version: &Version) -> bool {
    requirement
        .versions()
        .is_none_or(|set| set.matches(version))
}

/// Whether a requirement admits pre-releases of its project: the policy or the requirement names
/// them (so does one that leads to a file), someone else who asks does, or no final release among
/// these that can be used is taken by it.
pub(crate) fn admits_prereleases<'a>(
    requirement: &Requirement,
    is_named: bool,
    policy: &Policy,
    mut usable: impl Iterator<Item = &'a Offer>,
) -> bool {
    let Some(set) = requirement.versions() else {
        return true;
    };
    policy.prereleases.admits(&requirement.name)
        || is_named
        || set.names_prerelease()
        || !usable.any(|o| is_final(o) && set.matches(&o.version))
}

/// A final release that is not yanked.
pub(crate) fn is_final(offer: &Offer) -> bool {
    offer.yanked.is_none() && !offer.version.is_prerelease()
}

/// What a requirement that stands alone does not admit of these offers: for each the bar, if there
/// is one. Whether it takes them at all is another matter.
pub(super) fn refusals<'a>(
    offers: &'a [Offer],
    requirement: &'a Requirement,
    policy: &Policy,
) -> impl Fn(&Offer) -> Option<Bar> + 'a {
    let usable = offers.iter().filter(|o| o.verdict != Verdict::Barred);
    let admits = admits_prereleases(requirement, false, policy, usable);
    let pinned = |v: &Version| requirement.versions().is_none_or(|s| s.pins(v));
    move |offer| match &offer.yanked {
        Some(reason) => (!pinned(&offer.version)).then(|| Bar::Yanked(reason.clone())),
        None => (offer.version.is_prerelease() && !admits && offer.verdict != Verdict::Barred)
            .then_some(Bar::Prerelease),
    }
}
