//! Adjustments: facts that the user knows and the metadata does not say, or says wrongly
//! (`[[adjust]]`).

use super::{Bar, BarKind, Offer, OfferFile, build::restated};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::evidence::Evidence;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::index::Hashes;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::marker::Marker;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Requirement, StatedHash};
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::{Version, VersionSpecifier};
use jiff::Timestamp;

/// What an adjustment does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// The releases need this; it replaces what they say of that project.
    Needs(Requirement),
    /// The releases need just these, whatever they say, and also where nobody knows what they say.
    NeedsOnly(Vec<Requirement>),
    /// The releases are out.
    Avoid,
    /// Their source is known not to build: only wheels of them can be had.
    FailsToBuild,
    /// The releases may be taken though their project is quarantined.
    Take,
    /// Their wheels were made for this.
    MadeFor(MadeFor),
    /// Only files that have one of these hashes are taken: the ask states them.
    Hashed(Vec<StatedHash>),
}

/// A fact stated by the user about releases of a project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Adjustment {
    /// The project.
    pub project: Name,
    /// Its releases of which it speaks; empty for all.
    pub versions: VersionSpecifier,
    /// Only on targets on which this holds.
    pub when: Option<Marker>,
    /// What it does.
    pub effect: Effect,
    /// Why, quoted whenever it decides something.
    pub because: String,
    /// Where it was stated.
    pub origin: Origin,
    /// It was learnt by looking into files, or by running them, and not stated by the user.
    pub learnt: Option<Lesson>,
}

/// How an adjustment was learnt.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lesson {
    /// What it rests on.
    pub evidence: Evidence,
    /// When.
    pub on: Timestamp,
}

impl Adjustment {
    /// The same as something that was learnt.
    #[must_use]
    pub fn learnt(self, lesson: Lesson) -> Self {
        Adjustment {
            learnt: Some(lesson),
            ..self
        }
    }

    /// Whether it speaks of a release on a target.
    pub fn speaks_of(&self, project: &Name, version: &Version, target: &Target) -> bool {
        self.project == *project && self.versions.matches(version) && self.counts_on(target)
    }

    /// Whether a project has a part in it: its own, or the one that is needed.
    pub fn speaks_about(&self, project: &Name) -> bool {
        let needs = |r: &Requirement| r.name == *project;
        self.project == *project
            || match &self.effect {
                Effect::Needs(requirement) => needs(requirement),
                Effect::NeedsOnly(all) => all.iter().any(needs),
                Effect::Avoid
                | Effect::FailsToBuild
                | Effect::Take
                | Effect::MadeFor(_)
                | Effect::Hashed(_) => false,
            }
    }

    /// Whether its condition holds on a target.
    pub fn counts_on(&self, target: &Target) -> bool {
        self.when
            .as_ref()
            .is_none_or(|m| m.holds(&target.markers, None))
    }
}

/// The hashes of which a file must have one, where an adjustment is that.
pub fn hashes_of(adjustment: &Adjustment) -> Option<&[StatedHash]> {
    match &adjustment.effect {
        Effect::Hashed(stated) => Some(stated),
        Effect::Needs(_)
        | Effect::NeedsOnly(_)
        | Effect::Avoid
        | Effect::FailsToBuild
        | Effect::Take
        | Effect::MadeFor(_) => None,
    }
}

/// Whether a file has one of the stated hashes; none where nothing that is known of it can be
/// compared. A hash of an algorithm that anybody can forge decides only beside no better one.
pub fn has_stated(hashes: &Hashes, stated: &[StatedHash]) -> Option<bool> {
    let comparable = |s: &&StatedHash| hashes.of(s.algorithm).is_some();
    let strong = |s: &&StatedHash| s.algorithm.is_strong();
    let any_strong = stated.iter().any(|s| strong(&s));
    let counting: Vec<&StatedHash> = stated
        .iter()
        .filter(|s| comparable(s) && (strong(s) || !any_strong))
        .collect();
    // One file, one hash of an algorithm: what is stated by another one says nothing of it.
    let agrees = |s: &&&StatedHash| hashes.of(s.algorithm) == Some(&*s.value);
    match counting.iter().any(|s| agrees(&s)) {
        true => Some(true),
        // Another of the stated ones may still be its own, of an algorithm that is not known of it.
        false if stated.iter().any(|s| strong(&s) && !comparable(&s)) => None,
        false => (!counting.is_empty()).then_some(false),
    }
}

/// The offer as adjustments change it: by what they say that its wheels were made for, and by a bar
/// before it.
pub(super) fn offered(
    offer: Offer,
    project: &Name,
    target: &Target,
    adjustments: &[Adjustment],
) -> Offer {
    let stated = adjustments
        .iter()
        .filter(|a| a.speaks_of(project, &offer.version, target))
        .find_map(|a| {
            if let Effect::MadeFor(made_for) = &a.effect {
                Some(made_for)
            } else {
                None
            }
        });
    let offer = match stated {
        Some(made_for) => restated(offer, made_for, target),
        None => offer,
    };
    let takes =
        |a: &Adjustment| a.effect == Effect::Take && a.speaks_of(project, &offer.version, target);
    let offer = if adjustments.iter().any(takes) {
        super::without_bars(offer, BarKind::Quarantined, target)
    } else {
        offer
    };
    let offer = adjustments
        .iter()
        .filter(|a| a.speaks_of(project, &offer.version, target))
        .filter_map(|a| Some((hashes_of(a)?, a)))
        .collect::<Vec<_>>()
        .into_iter()
        .fold(offer, |offer, (stated, adjustment)| {
            let bar = Bar::OtherHash {
                origin: adjustment.origin.clone(),
            };
            let differs = |f: &OfferFile| has_stated(&f.file.hashes, stated) == Some(false);
            super::with_bar(offer, &bar, &differs, target)
        });
    let mut failing = adjustments
        .iter()
        .filter(|a| a.effect == Effect::FailsToBuild);
    let offer = match failing.find(|a| a.speaks_of(project, &offer.version, target)) {
        Some(adjustment) => {
            let bar = Bar::FailsToBuild {
                because: adjustment.because.clone(),
                origin: adjustment.origin.clone(),
            };
            super::with_bar(offer, &bar, &|f| !f.is_wheel(), target)
        }
        None => offer,
    };
    let mut avoiding = adjustments.iter().filter(|a| a.effect == Effect::Avoid);
    let Some(adjustment) = avoiding.find(|a| a.speaks_of(project, &offer.version, target)) else {
        return offer;
    };
    offer.barred_by(Bar::Avoided {
        because: adjustment.because.clone(),
        origin: adjustment.origin.clone(),
    })
}

/// What a release needs by its metadata and the adjustments over it, in the order of the metadata,
/// each with the adjustment that says it, by its index.
pub fn requirements(
    metadata: &Metadata,
    project: &Name,
    version: &Version,
    target: &Target,
    adjustments: &[Adjustment],
) -> Vec<(Requirement, Option<usize>)> {
    let only = needs_only(project, version, target, adjustments);
    let mut all: Vec<(Requirement, Option<usize>)> = match only {
        Some((i, needs)) => needs.iter().map(|r| (r.clone(), Some(i))).collect(),
        None => metadata
            .requires
            .iter()
            .map(|r| (r.clone(), None))
            .collect(),
    };
    for (i, adjustment) in adjustments
        .iter()
        .enumerate()
        .filter(|(_, a)| a.speaks_of(project, version, target))
    {
        let Effect::Needs(requirement) = &adjustment.effect else {
            continue;
        };
        let place = all
            .iter()
            .position(|(r, _)| r.name == requirement.name)
            .unwrap_or(all.len());
        all.retain(|(r, _)| r.name != requirement.name);
        all.insert(place.min(all.len()), (requirement.clone(), Some(i)));
    }
    all
}

/// The adjustment that says all that a release needs, by its index, if there is one.
pub(crate) fn needs_only<'a>(
    project: &Name,
    version: &Version,
    target: &Target,
    adjustments: &'a [Adjustment],
) -> Option<(usize, &'a [Requirement])> {
    let mut speaking = adjustments
        .iter()
        .enumerate()
        .filter(|(_, a)| a.speaks_of(project, version, target));
    speaking.find_map(|(i, a)| {
        if let Effect::NeedsOnly(needs) = &a.effect {
            Some((i, needs.as_slice()))
        } else {
            None
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const A: &str = "00000000000000000000000000000000";
    const B: &str = "11111111111111111111111111111111";

    /// `s`: SHA-256, `m`: MD5; a letter for each value.
    fn hash(text: &str) -> (String, String) {
        let half = if text.ends_with('a') { A } else { B };
        match text.starts_with('s') {
            true => ("sha256".to_owned(), half.repeat(2)),
            false => ("md5".to_owned(), half.to_owned()),
        }
    }

    #[rstest]
    #[case::equal(&["sa"], &["sa"], Some(true))]
    #[case::other(&["sa"], &["sb"], Some(false))]
    #[case::one_of_them(&["sb"], &["sa", "sb"], Some(true))]
    #[case::none_is_known(&[], &["sa"], None)]
    #[case::of_another_kind(&["ma"], &["sa"], None)]
    #[case::weak_alone(&["ma"], &["ma"], Some(true))]
    #[case::weak_alone_differs(&["ma"], &["mb"], Some(false))]
    #[case::weak_beside_a_strong_one(&["ma"], &["ma", "sa"], None)]
    #[case::both_known_the_strong_one_counts(&["ma", "sb"], &["ma", "sa"], Some(false))]
    fn a_file_has_a_stated_hash_or_another(
        #[case] known: &[&str],
        #[case] stated: &[&str],
        #[case] expected: Option<bool>,
    ) {
        let known: Hashes = known.iter().map(|t| hash(t)).collect();
        let stated: Vec<StatedHash> = stated
            .iter()
            .map(|t| {
                let (name, value) = hash(t);
                StatedHash::parse(&format!("{name}:{value}")).unwrap()
            })
            .collect();
        assert_eq!(has_stated(&known, &stated), expected);
    }
}
