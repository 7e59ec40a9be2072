//! What is known of each release of a page before its files are judged one by one: all that ranks it.
//! Files that are alike are judged once.

use std::cell::OnceCell;
use std::cmp::Ordering;

use jiff::Timestamp;

use super::judged::Rules;
use super::{Build, CHECKS, Judged, Offer, Verdict};
use eutaxis_standards::index::{Outlined, Page, Row, Shape};
use eutaxis_standards::targets::Rank;
use eutaxis_standards::version::Version;

/// A release as far as it is known at a glance. It says the same as the [`Offer`] of that release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Head {
    /// The release.
    pub version: Version,
    /// Whether it can be had.
    pub verdict: Verdict,
    /// The best file is yanked.
    pub is_yanked: bool,
    /// When the first of its files appeared.
    pub first_published: Option<Timestamp>,
    /// When the best file appeared.
    pub published: Option<Timestamp>,
    /// The best file is a compiled wheel.
    pub is_compiled: bool,
    /// One of its files is a compiled wheel, for whatever place.
    pub has_compiled: bool,
    /// What the best file was made for, as far as it is told without its metadata.
    pub(crate) build: Option<Build>,
    /// The best file, by its place among those of the release.
    pub(crate) best: Option<usize>,
}

impl Head {
    /// A final release that is not yanked.
    pub fn is_final(&self) -> bool {
        !self.is_yanked && !self.version.is_prerelease()
    }

    /// Whether it can be had.
    pub fn can_be_had(&self) -> bool {
        self.verdict != Verdict::Barred
    }

    /// The head of a release that was judged.
    pub(super) fn of(offer: &Offer) -> Self {
        let best = offer.best();
        Head {
            version: offer.version.clone(),
            verdict: offer.verdict,
            is_yanked: offer.yanked.is_some(),
            first_published: offer.first_published(),
            published: best.and_then(|f| f.file.published),
            is_compiled: best.is_some_and(|f| f.file.kind.is_compiled_wheel()),
            has_compiled: offer.files.iter().any(|f| f.file.kind.is_compiled_wheel()),
            build: best.and_then(|f| f.build.clone()),
            best: offer.best,
        }
    }
}

/// Judges releases at a glance.
pub(super) struct Glance<'a> {
    page: &'a Page,
    rules: Rules<'a>,
    /// Of each shape, once it was met.
    shapes: Vec<OnceCell<Alike>>,
    /// Nothing can be said at a glance: the user speaks of the project, or of its depot.
    is_blind: bool,
}

/// What is the same of all files of a shape.
struct Alike {
    rank: Option<Rank>,
    /// No check bars them, their dates aside.
    is_open: bool,
}

/// A file that can be used.
struct Candidate<'a> {
    /// By what it is taken, the least first: not yanked, a wheel, how well it fits.
    order: (bool, bool, Option<Rank>),
    place: usize,
    row: &'a Row,
    shape: &'a Shape,
}

fn is_compiled(shape: &Shape) -> bool {
    shape.tags.as_ref().is_some_and(|t| !t.is_pure())
}

impl<'a> Glance<'a> {
    pub(super) fn new(page: &'a Page, rules: Rules<'a>) -> Self {
        let shapes = page.files.outline().shapes().len();
        let speaks = rules.adjustments.iter().any(|a| a.project == page.project);
        Glance {
            page,
            rules,
            shapes: (0..shapes).map(|_| OnceCell::new()).collect(),
            is_blind: speaks || page.made_for.is_some(),
        }
    }

    /// The head of a release; none where its files must be looked at one by one.
    pub(super) fn head(&self, release: &Outlined<'_>) -> Option<Head> {
        // What builds with a label were made for, and variants, are told of each by itself.
        if self.is_blind || release.version.is_local() {
            return None;
        }
        let shapes = self.page.files.outline().shapes();
        let mut best: Option<Candidate<'_>> = None;
        let (mut is_tied, mut has_compiled) = (false, false);
        for (place, (_, row)) in release.rows().enumerate() {
            let shape = shapes.get(row.shape as usize)?;
            if shape.is_variant {
                return None;
            }
            has_compiled |= is_compiled(shape);
            let alike = self.alike(row, shape)?;
            let is_open = match self.rules.policy.as_of {
                None => alike.is_open,
                Some(_) => self.is_open(shape, alike.rank, row.published),
            };
            if !is_open {
                continue;
            }
            let candidate = Candidate {
                order: (row.is_yanked, shape.tags.is_none(), alike.rank),
                place,
                row,
                shape,
            };
            match best.as_ref().map(|known| candidate.order.cmp(&known.order)) {
                Some(Ordering::Greater) => {}
                Some(Ordering::Equal) => is_tied = true,
                Some(Ordering::Less) | None => (best, is_tied) = (Some(candidate), false),
            }
        }
        // Of several that are as good their names decide.
        if is_tied {
            return None;
        }
        let best = best.as_ref();
        let verdict = match best.map(|b| b.shape.tags.is_some()) {
            Some(true) => Verdict::Ready,
            Some(false) => Verdict::Build,
            None => Verdict::Barred,
        };
        Some(Head {
            version: release.version.clone(),
            verdict,
            is_yanked: best.is_some_and(|b| b.row.is_yanked),
            first_published: release.first_published(),
            published: best.and_then(|b| b.row.published),
            is_compiled: best.is_some_and(|b| is_compiled(b.shape)),
            has_compiled,
            build: None,
            best: best.map(|b| b.place),
        })
    }

    /// What is the same of all files that are like this one.
    fn alike(&self, row: &Row, shape: &Shape) -> Option<&Alike> {
        let alike = self.shapes.get(row.shape as usize)?;
        Some(alike.get_or_init(|| {
            let rank = shape.tags.as_ref().and_then(|t| self.rules.target.rank(t));
            Alike {
                rank,
                is_open: self.is_open(shape, rank, None),
            }
        }))
    }

    fn is_open(&self, shape: &Shape, rank: Option<Rank>, published: Option<Timestamp>) -> bool {
        let judged = Judged {
            project: &self.page.project,
            tags: shape.tags.as_deref(),
            requires_python: shape.requires_python.as_deref(),
            published,
            rank,
            variant: None,
            build: None,
            target: self.rules.target,
            policy: self.rules.policy,
            quarantined: self.page.quarantined(),
        };
        CHECKS.iter().all(|check| check(&judged).is_none())
    }
}
