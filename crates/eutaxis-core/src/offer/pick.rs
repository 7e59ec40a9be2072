//! The release to take when only one project is looked at: the rules of choice, without the other projects.

use super::{Bar, BarKind, Offer, Policy, Prefer, Verdict, Wheels, build::Place, places};
use crate::fault::escaped;
use crate::requirement::Requirement;
use crate::target::Target;
use crate::version::Version;

/// Whether a requirement takes a version by its number alone. One that names a file by URL takes the one it leads to.
pub fn takes(requirement: &Requirement, version: &Version) -> bool {
    requirement.versions().is_none_or(|set| set.matches(version))
}

/// Bars what the requirement does not admit: pre-releases unless something names them or there is nothing else, and yanked
/// releases unless they are pinned (choice, rules 3 and 4). The offers that it does not take at all are left as they are.
pub fn admit(offers: Vec<Offer>, requirement: &Requirement, policy: &Policy) -> Vec<Offer> {
    let set = requirement.versions();
    let usable = |o: &Offer| o.verdict != Verdict::Barred && takes(requirement, &o.version);
    let is_final = |o: &Offer| o.yanked.is_none() && !o.version.is_prerelease();
    let admits = policy.prereleases.admits(&requirement.name)
        || set.is_none_or(|s| s.names_prerelease())
        || !offers.iter().any(|o| usable(o) && is_final(o));
    let pinned = |v: &Version| set.is_none_or(|s| s.pins(v));
    let judge = |offer: Offer| match &offer.yanked {
        Some(reason) if !pinned(&offer.version) => {
            let why = if reason.is_empty() { String::new() } else { format!(": \"{}\"", escaped(reason)) };
            offer.barred_by(Bar { kind: BarKind::Yanked, detail: format!("yanked{why}") })
        }
        None if offer.version.is_prerelease() && !admits && offer.verdict != Verdict::Barred => {
            offer.barred_by(Bar { kind: BarKind::Prerelease, detail: "a pre-release, which nothing admits".to_owned() })
        }
        _ => offer,
    };
    offers.into_iter().map(judge).collect()
}

/// The best of the offers (newest first, admitted) that the requirement takes, as an index: yanked ones after all others,
/// then by the policy (choice, rule 2).
pub fn pick(offers: &[Offer], requirement: &Requirement, target: &Target, policy: &Policy) -> Option<usize> {
    let key = |offer: &Offer, (unused, place): (bool, Place)| {
        let source = policy.wheels != Wheels::Any && offer.verdict == Verdict::Build;
        let place = if policy.prefer == Prefer::Oldest { place.oldest_first() } else { place };
        (offer.yanked.is_some(), source, unused, place)
    };
    let placed = offers.iter().zip(places(offers, target)).enumerate();
    placed
        .filter(|(_, (o, _))| o.verdict != Verdict::Barred && takes(requirement, &o.version))
        .min_by_key(|(_, (o, place))| key(o, place.clone()))
        .map(|(at, _)| at)
}

#[cfg(test)]
mod tests {
    use super::super::offers;
    use super::*;
    use crate::index::parse_json;
    use crate::name::Name;
    use rstest::rstest;

    #[rstest]
    #[case::newest("m", Policy::default(), Some("2.0"))]
    #[case::source_comes_after("m>=3", Policy::default(), Some("3.0"))]
    #[case::any("m", Policy { wheels: Wheels::Any, ..Policy::default() }, Some("3.0"))]
    #[case::oldest("m", Policy { prefer: Prefer::Oldest, ..Policy::default() }, Some("1.0"))]
    #[case::prerelease_named("m>=4a1", Policy::default(), Some("4.0rc1"))]
    #[case::prerelease_alone("m>3.5", Policy::default(), Some("4.0rc1"))]
    #[case::yanked_pinned("m==2.5", Policy::default(), Some("2.5"))]
    #[case::yanked_otherwise("m>2.1,<2.9", Policy::default(), None)]
    #[case::barred("m==0.5", Policy::default(), None)]
    fn the_rules_of_choice_hold(#[case] requirement: &str, #[case] policy: Policy, #[case] expected: Option<&str>) {
        let page = r#"{"files":[{"filename":"m-4.0rc1-py3-none-any.whl","url":""},{"filename":"m-3.0.tar.gz","url":""},
            {"filename":"m-2.5-py3-none-any.whl","url":"","yanked":true},{"filename":"m-2.0-py3-none-any.whl","url":""},
            {"filename":"m-1.0-py3-none-any.whl","url":""},{"filename":"m-0.5-py2-none-any.whl","url":""}]}"#;
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.31").unwrap();
        let page = parse_json(page.as_bytes(), &Name::parse("m").unwrap()).unwrap();
        let requirement = Requirement::parse(requirement).unwrap();
        let offers = admit(offers(&page, &target, &policy, &[]), &requirement, &policy);
        let best = pick(&offers, &requirement, &target, &policy);
        assert_eq!(best.map(|i| offers[i].version.to_string()).as_deref(), expected);
    }
}
