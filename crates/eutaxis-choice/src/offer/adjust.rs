//! Adjustments: facts that the user knows and the metadata does not say, or says wrongly
//! (`[[adjust]]`).

use super::{Bar, BarKind, Offer, build::restated};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::evidence::Evidence;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::marker::Marker;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
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
                Effect::Avoid | Effect::FailsToBuild | Effect::Take | Effect::MadeFor(_) => false,
            }
    }

    /// Whether its condition holds on a target.
    pub fn counts_on(&self, target: &Target) -> bool {
        self.when
            .as_ref()
            .is_none_or(|m| m.holds(&target.markers, None))
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
    let mut failing = adjustments
        .iter()
        .filter(|a| a.effect == Effect::FailsToBuild);
    let offer = match failing.find(|a| a.speaks_of(project, &offer.version, target)) {
        Some(adjustment) => {
            let bar = Bar::FailsToBuild {
                because: adjustment.because.clone(),
                origin: adjustment.origin.clone(),
            };
            super::without_source(offer, &bar, target)
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
