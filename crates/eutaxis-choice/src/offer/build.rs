//! What a wheel was made for beyond interpreter and platform, by which evidence, and which of
//! several builds is better (docs/house.md).

use std::fmt;

use super::{Bar, BarKind, Head, Judged, Offer};
use eutaxis_standards::artifact::Feature;
use eutaxis_standards::index::FileKind;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::targets::{BuildOrder, Target};

/// By what a build is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Evidence {
    /// The user says so, of the project or of the depot.
    Stated,
    /// Its properties as a wheel variant (draft PEP 825).
    Variant,
    /// The local label of its version.
    Label,
    /// It depends on a runtime package.
    Dependency,
    /// It depends on a package beside the runtime: that tells its series, and does not keep builds
    /// for another out of the environment.
    Companion,
    /// Its files bring or need libraries of a runtime. What it brings is its own, and does not keep
    /// builds for another out of the environment.
    Library,
}

impl Evidence {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            Evidence::Stated => "stated",
            Evidence::Variant => "variant",
            Evidence::Label => "label",
            Evidence::Dependency => "dependency",
            Evidence::Companion => "companion",
            Evidence::Library => "library",
        }
    }
}

/// What a wheel was made for, as far as that is told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Build {
    /// What for.
    pub made_for: MadeFor,
    /// By what it is told.
    pub evidence: Evidence,
}

impl Build {
    /// Whether it keeps builds for other toolkits out of the environment.
    pub(crate) fn ties(&self, target: &Target) -> bool {
        !matches!(self.evidence, Evidence::Companion | Evidence::Library) && self.binds(target)
    }

    /// Whether what it needs of the place counts. Where nothing is accelerated, one that only depends
    /// on packages of a toolkit runs on the processor, whatever its toolkit.
    pub(crate) fn binds(&self, target: &Target) -> bool {
        !self.is_learnt() || !target.accelerators.is_empty()
    }

    /// Whether neither its page nor its name tells it, but its metadata or its files.
    pub(crate) fn is_learnt(&self) -> bool {
        match self.evidence {
            Evidence::Stated | Evidence::Variant | Evidence::Label => false,
            Evidence::Dependency | Evidence::Companion | Evidence::Library => true,
        }
    }
}

impl fmt::Display for Build {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.made_for.fmt(f)
    }
}

/// What the file of a page was made for: by the depot's word, else by its properties as a variant,
/// else by its label.
pub(super) fn told(
    kind: &FileKind,
    stated: Option<&MadeFor>,
    properties: &[Feature],
    target: &Target,
) -> Option<Build> {
    let FileKind::Wheel(name) = kind else {
        return None;
    };
    if let Some(made_for) = stated {
        return Some(Build {
            made_for: made_for.clone(),
            evidence: Evidence::Stated,
        });
    }
    if let Some(made_for) = target.variant_made_for(properties) {
        return Some(Build {
            made_for,
            evidence: Evidence::Variant,
        });
    }
    // Asked of every file: most versions have no label, and nothing is allocated for them.
    if !name.version.is_local() {
        return None;
    }
    let made_for = target.accelerators.families.of_version(&name.version)?;
    Some(Build {
        made_for,
        evidence: Evidence::Label,
    })
}

/// The bar of a build that the target does not run.
pub(crate) fn bar(build: &Build, target: &Target) -> Option<Bar> {
    target
        .accelerators
        .miss(&build.made_for, target.platform.system)
        .map(Bar::Accelerator)
}

/// The check of a file.
pub(super) fn check(judged: &Judged<'_>) -> Option<Bar> {
    // Why a variant is not taken is told already.
    let is_told = matches!(judged.variant, Some(Err(_)));
    bar(judged.build.filter(|_| !is_told)?, judged.target)
}

/// The same offer, when the user says what its wheels were made for.
pub(super) fn restated(mut offer: Offer, made_for: &MadeFor, target: &Target) -> Offer {
    let build = Build {
        made_for: made_for.clone(),
        evidence: Evidence::Stated,
    };
    for file in offer.files.iter_mut().filter(|f| f.is_wheel()) {
        file.bars.retain(|b| b.kind() != BarKind::Accelerator);
        file.bars.extend(bar(&build, target));
        file.build = Some(build.clone());
    }
    super::offer(offer.version, offer.files, target)
}

/// How an offer uses the accelerators of a target, where other offers of its project use them. The
/// first is better, whatever its age.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Use {
    /// It does, or none of the project does.
    Full,
    /// It is for a toolkit that is older than the devices.
    Unserved,
    /// It leaves them unused.
    Not,
}

/// The place of each offer (newest first) by age and build: builds of one release share an age, and
/// the better build comes first. What stands before all is how the offer uses the accelerators.
pub(super) fn places(heads: &[Head], target: &Target) -> Vec<(Use, Place)> {
    let system = target.platform.system;
    let order = |head: &Head| {
        let build = head.build.as_ref();
        target
            .accelerators
            .order(build.map(|b| &b.made_for), system)
    };
    let orders: Vec<BuildOrder> = match target.accelerators.is_empty() {
        true => Vec::new(),
        false => heads.iter().map(order).collect(),
    };
    let plain = target.accelerators.order(None, system);
    let of = |i: usize| orders.get(i).unwrap_or(&plain);
    let usable = |i: &usize| heads.get(*i).is_some_and(Head::can_be_had);
    let some = (0..heads.len())
        .filter(usable)
        .any(|i| of(i).is_accelerated());
    let mut release = 0;
    let mut places = Vec::with_capacity(heads.len());
    for (i, head) in heads.iter().enumerate() {
        let before = i.checked_sub(1).and_then(|b| heads.get(b));
        let same = before.is_some_and(|b| same_release(b, head));
        release = if same { release } else { i };
        let used = match (some, of(i)) {
            (false, _) => Use::Full,
            (true, order) if !order.is_accelerated() => Use::Not,
            (true, order) if !order.is_served() => Use::Unserved,
            (true, _) => Use::Full,
        };
        places.push((
            used,
            Place {
                release,
                build: of(i).clone(),
                offer: i,
            },
        ));
    }
    places
}

/// Builds of one release differ in their local label only.
fn same_release(a: &Head, b: &Head) -> bool {
    a.version.is_local() && a.version.public() == b.version.public()
}

/// The place of an offer among all of its project.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Place {
    /// Which release, newest first.
    release: usize,
    build: BuildOrder,
    offer: usize,
}

impl Place {
    /// Which release it is of, the newest first.
    pub(super) fn release(&self) -> usize {
        self.release
    }

    /// The place when older releases are better.
    pub(super) fn oldest_first(self) -> Self {
        Place {
            release: usize::MAX - self.release,
            offer: usize::MAX - self.offer,
            ..self
        }
    }
}
