//! Strong facts (docs/choice.md, dates): why a release should not be taken beside another, or for
//! an interpreter, though nothing that is stated forbids it. They bind as long as a full solution
//! keeps them.
//!
//! The limits below are calibrated on cases both ways: pairs that are known to break, and old
//! releases that run beside new ones for years. `docs/choice.md` gives the reasons.

use std::cmp::Ordering;
use std::sync::Arc;

use jiff::{SignedDuration, Timestamp};

use super::facts::{Need, PagedWheel, ProjectFacts, Usable};
use super::held::GRACE;
use super::table::Value;
use crate::offer::{Head, Verdict};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::{
    Operator, Version, VersionSpecifier, leaves_later_series_open, major_series,
};

const fn days(n: i64) -> SignedDuration {
    SignedDuration::from_hours(24 * n)
}

/// A project that published within so long before a series began is taken for one that is looked
/// after: its newest release is no risk.
const LOOKED_AFTER: SignedDuration = days(548);
/// For compiled pairs it is taken for such a one only so long, and only while the series is younger
/// than `SETTLED`.
const LOOKED_AFTER_COMPILED: SignedDuration = days(365);
/// A series is settled after so long: who did not publish by then will not.
const SETTLED: SignedDuration = days(2 * 365);
/// An interpreter whose series began so long after a release is one that it has not met.
const INTERPRETER: SignedDuration = days(4 * 365);

/// What kind of strong fact it is, the weakest first.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DoubtKind {
    /// The series of the interpreter began long after the release.
    Interpreter {
        /// The series, `CPython 3.14`.
        series: String,
        /// The newest that the release's classifiers name, `3.5`.
        classified: Option<String>,
    },
    /// A major series of the other began after the release.
    Series {
        /// The first number of the series.
        series: String,
    },
    /// The same, and both are compiled: the one was built against an older one.
    Compiled {
        /// The first number of the series.
        series: String,
    },
    /// A later release sets a bound that this one does not, and the other lies above it.
    Learnt {
        /// The later release.
        by: Version,
        /// Its bound, `frostgrid <2`.
        bound: String,
    },
}

impl DoubtKind {
    /// The word for it in JSON.
    pub fn as_str(&self) -> &'static str {
        match self {
            DoubtKind::Interpreter { .. } => "interpreter",
            DoubtKind::Series { .. } => "series",
            DoubtKind::Compiled { .. } => "compiled",
            DoubtKind::Learnt { .. } => "learnt",
        }
    }

    fn rank(&self) -> u8 {
        match self {
            DoubtKind::Interpreter { .. } => 0,
            DoubtKind::Series { .. } => 1,
            DoubtKind::Compiled { .. } => 2,
            DoubtKind::Learnt { .. } => 3,
        }
    }
}

/// A strong fact.
#[derive(Debug, Clone)]
pub struct Doubt {
    /// Its kind.
    pub kind: DoubtKind,
    /// The project that needs the other.
    pub project: Name,
    /// Its release.
    pub version: Version,
    /// When its file appeared.
    pub published: Option<Timestamp>,
    /// The project that is needed; the same one where the interpreter is meant.
    pub other: Name,
    /// When the series began; for a bound when the release that sets it appeared.
    pub began: Option<Timestamp>,
    /// The releases of the other that it speaks of.
    pub out: Arc<Vec<Version>>,
    /// Those that would have to be built: they are no way round it.
    pub(super) built: Arc<Vec<Version>>,
}

impl Doubt {
    /// The releases that may not be taken beside it, as long as it stays.
    pub(super) fn out_or_built(&self) -> impl Iterator<Item = &Version> {
        self.out.iter().chain(self.built.iter())
    }

    /// What it is known by: that it is the same fact does not depend on which releases can be used.
    fn key(&self) -> (&Name, &Version, &Name, &DoubtKind) {
        (&self.project, &self.version, &self.other, &self.kind)
    }

    fn gap(&self) -> Option<SignedDuration> {
        Some(self.began?.duration_since(self.published?))
    }

    /// The weakest first: by kind, by the time between, then by name and version.
    pub(super) fn by_weight(&self, other: &Doubt) -> Ordering {
        let weight = |d: &Doubt| (d.kind.rank(), d.gap());
        let label = |d: &Doubt| format!("{:?}", d.kind);
        weight(self)
            .cmp(&weight(other))
            .then_with(|| {
                (&self.project, &self.version, &self.other).cmp(&(
                    &other.project,
                    &other.version,
                    &other.other,
                ))
            })
            .then_with(|| label(self).cmp(&label(other)))
    }
}

impl PartialEq for Doubt {
    fn eq(&self, other: &Self) -> bool {
        self.key() == other.key()
    }
}

impl Eq for Doubt {}

/// A project with the value of its node.
pub(super) struct Release<'a> {
    pub(super) name: &'a Name,
    pub(super) facts: &'a ProjectFacts,
    pub(super) value: Value,
}

impl<'a> Release<'a> {
    fn head(&self) -> Option<&'a Head> {
        self.facts.head(self.value)
    }
}

/// The first number of a version, with its epoch where it has one.
fn series_text((epoch, major): (u64, u64)) -> String {
    if epoch == 0 {
        major.to_string()
    } else {
        format!("{epoch}!{major}")
    }
}

/// The facts that dates state of a release and a project that it needs with no bound above.
pub(super) fn by_date(release: &Release<'_>, other: &Name, others: &ProjectFacts) -> Vec<Doubt> {
    let Some(head) = release.head() else {
        return Vec::new();
    };
    let Some(published) = release.facts.published(release.value) else {
        return Vec::new();
    };
    let last = release
        .facts
        .last_published()
        .unwrap_or(published)
        .max(published);
    let mine = head.is_compiled;
    // What would be built is compiled where the wheels beside it are.
    let has_compiled = |series: &(u64, u64)| {
        let mut heads = others.heads().iter();
        heads.any(|h| h.has_compiled && major_series(&h.version) == Some(*series))
    };
    let mut found = Vec::new();
    for (series, began) in others
        .series()
        .iter()
        .filter(|(_, began)| *began > published)
    {
        let gap = began.duration_since(published);
        let silent = began.duration_since(last);
        let is_left = others
            .last_published()
            .is_some_and(|newest| newest.duration_since(*began) > SETTLED);
        // A release that others of its project followed is old; the newest one speaks for all that
        // the project does.
        let strong = |limit: SignedDuration| {
            if silent.is_negative() {
                gap > GRACE
            } else {
                silent > limit
            }
        };
        let compiled_is_strong =
            mine && (strong(LOOKED_AFTER_COMPILED) || (!silent.is_negative() && is_left));
        let series_is_strong = strong(LOOKED_AFTER);
        if !compiled_is_strong && !series_is_strong {
            continue;
        }
        let source_is_compiled = mine && has_compiled(series);
        let theirs = |u: &Usable| u.compiled || (u.verdict == Verdict::Build && source_is_compiled);
        let of_series = |compiled: bool| -> Vec<Version> {
            let in_it = others
                .usable
                .iter()
                .filter(|u| major_series(&u.version) == Some(*series));
            in_it
                .filter(|u| (mine && theirs(u)) == compiled)
                .map(|u| u.version.clone())
                .collect()
        };
        let text = series_text(*series);
        let kinds = [
            (
                compiled_is_strong,
                true,
                DoubtKind::Compiled {
                    series: text.clone(),
                },
            ),
            (series_is_strong, false, DoubtKind::Series { series: text }),
        ];
        for (_, compiled, kind) in kinds.into_iter().filter(|(strong, _, _)| *strong) {
            let out = of_series(compiled);
            if !out.is_empty() {
                found.push(Doubt {
                    kind,
                    project: release.name.clone(),
                    version: head.version.clone(),
                    published: Some(published),
                    other: other.clone(),
                    began: Some(*began),
                    out: Arc::new(out),
                    built: Arc::default(),
                });
            }
        }
    }
    found
}

/// The fact that a later release states of an earlier one, where the later one sets a bound above.
pub(super) fn by_later(
    release: &Release<'_>,
    later: &PagedWheel,
    needs: &[&Need],
    other: &Name,
    others: &ProjectFacts,
) -> Option<Doubt> {
    let head = release.head()?;
    let sets: Vec<&VersionSpecifier> = needs
        .iter()
        .filter_map(|n| n.requirement.versions())
        .collect();
    let above = |v: &Version| sets.iter().any(|s| is_above(s, v));
    let out: Vec<Version> = others
        .usable
        .iter()
        .map(|u| &u.version)
        .filter(|v| above(v))
        .cloned()
        .collect();
    let bound = needs
        .iter()
        .find(|n| !leaves_later_series_open(n.requirement.versions()))?
        .requirement
        .short();
    (!out.is_empty()).then(|| Doubt {
        kind: DoubtKind::Learnt {
            by: later.version.clone(),
            bound,
        },
        project: release.name.clone(),
        version: head.version.clone(),
        published: release.facts.published(release.value),
        other: other.clone(),
        began: later.published.or(later.first),
        out: Arc::new(out),
        built: Arc::default(),
    })
}

/// The fact that a release is much older than the interpreter, where a later one that can be used
/// is not.
pub(super) fn by_interpreter(
    release: &Release<'_>,
    series: &str,
    began: Timestamp,
    classified: Option<(u64, u64)>,
    version: (u64, u64),
) -> Option<Doubt> {
    let head = release.head()?;
    let is_old =
        |date: Option<Timestamp>| date.is_some_and(|d| began.duration_since(d) > INTERPRETER);
    let published = release.facts.appeared(head)?;
    let better = |w: &PagedWheel| w.version > head.version && !is_old(w.first);
    if !is_old(Some(published))
        || classified.is_some_and(|c| c >= version)
        || !release.facts.wheels().iter().any(better)
    {
        return None;
    }
    Some(Doubt {
        kind: DoubtKind::Interpreter {
            series: series.to_owned(),
            classified: classified.map(|(major, minor)| format!("{major}.{minor}")),
        },
        project: release.name.clone(),
        version: head.version.clone(),
        published: Some(published),
        other: release.name.clone(),
        began: Some(began),
        out: Arc::new(vec![head.version.clone()]),
        built: Arc::default(),
    })
}

/// Whether a version lies above all that a set takes. An exact pin says nothing of what comes after
/// it.
fn is_above(set: &VersionSpecifier, version: &Version) -> bool {
    set.clauses().iter().any(|clause| {
        let closes = match clause.operator() {
            Operator::Below | Operator::AtMost | Operator::Compatible => true,
            Operator::Equal => !clause.pins_exactly(),
            Operator::Arbitrary | Operator::NotEqual | Operator::AtLeast | Operator::Above => false,
        };
        closes && !clause.matches(version) && clause.version().is_some_and(|v| version >= v)
    })
}
