//! What a requirement admits of a project: pre-releases and yanked releases (docs/choice.md,
//! pre-releases, yanked releases).

use super::{Head, Policy};
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
    mut usable: impl Iterator<Item = &'a Head>,
) -> bool {
    let Some(set) = requirement.versions() else {
        return true;
    };
    policy.prereleases.admits(&requirement.name)
        || is_named
        || set.names_prerelease()
        || !usable.any(|h| h.is_final() && set.matches(&h.version))
}

/// Why a requirement does not admit a release that it takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Refusal {
    /// It is yanked, and not pinned.
    Yanked,
    /// It is a pre-release.
    Prerelease,
}

/// What a requirement that stands alone does not admit of these releases: for each why, if it is
/// so. Whether it takes them at all is another matter.
pub(super) fn refusals<'a>(
    heads: &'a [Head],
    requirement: &'a Requirement,
    policy: &Policy,
) -> impl Fn(&Head) -> Option<Refusal> + 'a {
    let usable = heads.iter().filter(|h| h.can_be_had());
    let admits = admits_prereleases(requirement, false, policy, usable);
    let pinned = |v: &Version| requirement.versions().is_none_or(|s| s.pins(v));
    move |head| match head.is_yanked {
        true => (!pinned(&head.version)).then_some(Refusal::Yanked),
        false => (head.version.is_prerelease() && !admits && head.can_be_had())
            .then_some(Refusal::Prerelease),
    }
}
