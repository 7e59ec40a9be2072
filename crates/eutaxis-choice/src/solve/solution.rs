//! The solution, read off a queue in which all have had their turn: what was chosen, who asks for
//! it, what keeps newer releases out, and what should be known.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::chronology::{self, Strength};
use super::doubts::Doubt;
use super::facts::{Facts, ProjectFacts};
use super::let_go::LetGo;
use super::problem::{AskId, BoundId, Problem};
use super::queue::{OwnTime, Queue, in_force};
use super::table::Value;
use crate::offer::{
    Bar, BarKind, Build, ByExtra, Chronology, Loss, Lost, Offer, Open, Prefer, Verdict, by_extra,
};
use eutaxis_standards::artifact::{Feature, Unsure};
use eutaxis_standards::index::PageFile;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::Unserved;
use eutaxis_standards::version::{Version, leaves_later_series_open};

/// Who asks for a chosen project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Asker {
    /// An ask of the user, by its index.
    Ask(AskId),
    /// A chosen project, with its requirement in words.
    Project(Name, String),
}

/// A project of the solution with its release and file.
#[derive(Debug, Clone)]
pub struct Chosen {
    /// The project.
    pub project: Name,
    /// The release.
    pub version: Version,
    /// The file.
    pub file: Arc<PageFile>,
    /// When its release appeared, as others tell it, where its depot gives no date.
    pub date_elsewhere: Option<jiff::Timestamp>,
    /// `Ready` for a wheel, `Build` for source.
    pub verdict: Verdict,
    /// What the wheel was made for beyond interpreter and platform, if that is told.
    pub build: Option<Build>,
    /// The properties of a wheel variant (draft PEP 825).
    pub properties: Vec<Feature>,
    /// Who asks for it; never empty.
    pub asked_by: Vec<Asker>,
    /// Extras asked of it, in order of name.
    pub extras: Vec<Name>,
    /// What the file itself says that it needs here, in words and sorted, before adjustments; none
    /// where it does not say.
    pub said: Option<Vec<String>>,
    /// That is not sure, since it is source of an older kind: where it was found.
    pub unsure: Option<Unsure>,
    /// Projects it needs on the target, in the order of its metadata.
    pub needs: Vec<Name>,
    /// Newer releases, newest first, each with what keeps it out.
    pub newer: Vec<Newer>,
    /// The adjustments that spoke of this release, by their index.
    pub adjusted: Vec<usize>,
}

impl Chosen {
    /// When it appeared: the file, or as others tell it of its release.
    pub fn appeared(&self) -> Option<jiff::Timestamp> {
        self.file.published.or(self.date_elsewhere)
    }

    /// The label of a wheel variant (draft PEP 825).
    pub fn variant(&self) -> Option<&str> {
        self.file.kind.variant()
    }

    /// The newest final release, when it is another one. Of its builds the one that would be taken
    /// first, as far as what keeps it out says.
    pub fn newest(&self) -> Option<&Newer> {
        let mine = self.version.public();
        let mut others = self
            .newer
            .iter()
            .filter(|n| !n.version.is_prerelease() && n.version.public() != mine);
        let newest = others.clone().next()?.version.public();
        let far = |n: &&Newer| match n.out.first() {
            Some(Out::OtherToolkit(..)) => 0,
            None => 1,
            Some(Out::OtherBuild | Out::Unserved(_)) => 3,
            Some(_) => 2,
        };
        others
            .by_ref()
            .take_while(|n| n.version.public() == newest)
            .min_by_key(far)
    }

    /// The release that is to be explained, when the chosen is not the newest final one: the newest
    /// that only dates hold back, else the newest that no stated bound leaves out, else the newest.
    pub fn better(&self) -> Option<&Newer> {
        let newest = self.newest()?;
        let dated = |n: &&Newer| matches!(n.out.first(), Some(Out::Late(..) | Out::Doubted(_)));
        if let Some(held_back) = self
            .newer
            .iter()
            .find(|n| !n.version.is_prerelease() && dated(n))
        {
            return Some(held_back);
        }
        let stated = |n: &Newer| {
            n.out
                .iter()
                .any(|o| matches!(o, Out::Excluded(..) | Out::Bound(_)))
        };
        if !stated(newest) {
            return Some(newest);
        }
        let mine = self.version.public();
        let mut others = self
            .newer
            .iter()
            .filter(|n| !n.version.is_prerelease() && n.version.public() != mine);
        Some(others.find(|n| !stated(n)).unwrap_or(newest))
    }
}

/// A newer release that was not taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Newer {
    /// Its version.
    pub version: Version,
    /// When it appeared, if the depot says so.
    pub published: Option<jiff::Timestamp>,
    /// What keeps it out, as far as single reasons do; empty when it just does not go with the
    /// choices made before.
    pub out: Vec<Out>,
}

/// What keeps a newer release out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Out {
    /// A bound that someone puts: who, and the requirement in words.
    Excluded(Asker, String),
    /// A bound of the user that asks for nothing, by its index.
    Bound(BoundId),
    /// A bar.
    Barred(Bar),
    /// It is yanked, for this reason.
    Yanked(String),
    /// A pre-release, which nothing asked for.
    Prerelease,
    /// It has only source, for this reason, and a release with a wheel is better.
    Source(Option<String>),
    /// A need of it that another choice does not meet: the requirement, and the release that was
    /// chosen.
    Unmet(String, Version),
    /// A strong fact speaks against it.
    Doubted(Doubt),
    /// It appeared after the time of a held ask that needs the project: which, its release, and
    /// when that appeared.
    Late(Name, Version, jiff::Timestamp),
    /// The policy prefers older ones.
    Older,
    /// It was made for another toolkit than this project's build, and an environment holds one.
    OtherToolkit(Name, Version),
    /// The chosen one uses the accelerator of the place better.
    OtherBuild,
    /// Its build is for a toolkit that is older than the devices, and that of the chosen one is not.
    Unserved(Box<Unserved>),
}

/// Something that does not forbid the choice but should be known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Caution {
    /// An asked extra that the chosen release lacks.
    ExtraAbsent {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// The extra.
        extra: Name,
    },
    /// A release has never met another that it needs and that was chosen beside it.
    NeverMet {
        /// The project that needs.
        project: Name,
        /// Its release.
        version: Version,
        /// When its file appeared.
        published: jiff::Timestamp,
        /// The project that is needed.
        other: Name,
        /// The chosen release of it.
        other_version: Version,
        /// When the first release of its series appeared; for weak ones the release itself.
        began: jiff::Timestamp,
        /// How likely it is that something breaks.
        strength: Strength,
    },
    /// The place has an accelerator, builds of the project use one, and the chosen release does
    /// not.
    Unaccelerated {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// What shows that others do, and which was the last.
        loss: Box<Loss>,
        /// Nothing of the whole solution uses one; said with the first project that does not.
        alone: bool,
    },
    /// The release brings the runtime of the place's accelerator only with an extra, which is not
    /// asked for.
    RuntimeByExtra {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// Which, and what it brings.
        by: ByExtra,
    },
    /// The chosen build is for a toolkit that is older than the devices of the place: whether it
    /// holds code that runs there was not read.
    Unserved {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// What it is for, and what serves the device.
        because: Box<Unserved>,
    },
    /// A need of a release cannot be read as it is written: its bounds count as none.
    Unread {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// The line, as written.
        text: String,
    },
    /// A yanked release is chosen because it is pinned.
    Yanked {
        /// The project.
        project: Name,
        /// The release.
        version: Version,
        /// The publisher's reason; may be empty.
        reason: String,
    },
}

/// A set of releases in which every need is met.
#[derive(Debug, Clone)]
pub struct Solution {
    /// The projects in the order of their turns.
    pub chosen: Vec<Chosen>,
    /// What should be known.
    pub cautions: Vec<Caution>,
    /// Projects of which a newer release would do, but for the time that it is of or a strong fact.
    pub held_back: Vec<HeldBack>,
    /// Strong facts that had to be let go, and that the solution goes against.
    pub let_go: Vec<Doubt>,
    /// The time of the oldest held ask.
    pub of_time: Option<OwnTime>,
}

/// A project of which a newer release would do, were it not for dates.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HeldBack {
    /// The project.
    pub project: Name,
    /// The chosen release.
    pub version: Version,
    /// When it appeared.
    pub published: Option<jiff::Timestamp>,
    /// The newest that would do.
    pub instead_of: Version,
    /// When that appeared.
    pub newer_published: Option<jiff::Timestamp>,
    /// What holds it back: [`Out::Late`] or [`Out::Doubted`].
    pub because: Out,
}

/// What a solution is read off.
pub(super) struct Sources<'a> {
    pub(super) queue: &'a Queue,
    pub(super) problem: &'a Problem,
    pub(super) facts: &'a Facts,
    pub(super) doubts: &'a [Doubt],
    pub(super) let_go: &'a LetGo,
    /// Files for other places that were asked for.
    pub(super) asked_of: &'a FxHashSet<Open>,
    pub(super) value_of: &'a dyn Fn(&Name) -> Option<Value>,
}

impl Solution {
    /// How many projects have only source.
    pub fn built(&self) -> usize {
        self.chosen
            .iter()
            .filter(|c| c.verdict == Verdict::Build)
            .count()
    }

    /// The projects that leave the accelerators of the place unused, which builds of them use.
    pub fn unaccelerated(&self) -> impl Iterator<Item = &Name> {
        unaccelerated_in(&self.cautions)
    }

    /// Whether an interpreter whose series began then is younger than the time of the oldest held
    /// ask.
    pub fn is_of_before(&self, began: Option<jiff::Timestamp>) -> bool {
        began
            .zip(self.of_time.as_ref())
            .is_some_and(|(began, time)| began > time.until)
    }

    /// Reads the solution off a queue in which all have had their turn.
    pub(super) fn read(sources: &Sources<'_>) -> Self {
        let Sources {
            queue,
            problem,
            facts,
            value_of,
            ..
        } = *sources;
        let mut cautions = Vec::new();
        let mut askers = askers(queue, problem, facts, value_of);
        let one = |project: &Name| {
            let asked_by = askers.remove(project).unwrap_or_default();
            chosen_of(project, asked_by, sources, &mut cautions)
        };
        let mut chosen: Vec<Chosen> = queue.projects().filter_map(one).collect();
        say_nothing_uses(&chosen, &mut cautions);
        drop_vain_extras(&chosen, &mut cautions);
        let reader = Reader {
            problem,
            facts,
            value_of,
            sources,
        };
        let newer: Vec<Vec<Newer>> = chosen.iter().map(|c| reader.newer(c, &chosen)).collect();
        chosen
            .iter_mut()
            .zip(newer)
            .for_each(|(c, newer)| c.newer = newer);
        if problem.policy.chronology != Chronology::Ignore {
            cautions.extend(never_met(&chosen, facts, value_of));
        }
        let let_go = let_go(sources, &chosen);
        // What was let go is told as that.
        cautions.retain(|c| {
            if let Caution::NeverMet { project, other, .. } = c {
                !let_go
                    .iter()
                    .any(|d| d.project == *project && d.other == *other)
            } else {
                true
            }
        });
        Solution {
            held_back: chosen.iter().filter_map(held_back).collect(),
            of_time: queue.oldest_time(facts, value_of),
            chosen,
            cautions,
            let_go,
        }
    }
}

/// What of a chosen project is held back by dates.
fn held_back(chosen: &Chosen) -> Option<HeldBack> {
    let dated = |out: &Out| matches!(out, Out::Late(..) | Out::Doubted(_));
    let newer = chosen
        .newer
        .iter()
        .find(|n| !n.version.is_prerelease() && n.out.first().is_some_and(dated))?;
    Some(HeldBack {
        project: chosen.project.clone(),
        version: chosen.version.clone(),
        published: chosen.appeared(),
        instead_of: newer.version.clone(),
        newer_published: newer.published,
        because: newer.out.first()?.clone(),
    })
}

/// What is lost where the chosen release leaves the accelerators of the place unused, though builds
/// of the project use one.
fn unaccelerated(
    sources: &Sources<'_>,
    known: &ProjectFacts,
    project: &Name,
    value: Value,
) -> Option<Caution> {
    let Lost::Yes(loss) = known.lost(value, sources.problem, sources.asked_of) else {
        return None;
    };
    Some(Caution::Unaccelerated {
        project: project.clone(),
        version: known.head(value)?.version.clone(),
        loss,
        alone: false,
    })
}

/// Says with the first of what leaves the accelerators unused that nothing uses them, where that is
/// so.
fn say_nothing_uses(chosen: &[Chosen], cautions: &mut [Caution]) {
    let uses = |c: &Chosen| {
        let build = c.build.as_ref();
        matches!(build.map(|b| &b.made_for), Some(MadeFor::Toolkit(..)))
    };
    let first = cautions.iter_mut().find_map(|c| {
        if let Caution::Unaccelerated { alone, .. } = c {
            Some(alone)
        } else {
            None
        }
    });
    if let Some(alone) = first {
        *alone = !chosen.iter().any(uses);
    }
}

/// The projects that leave the accelerators of the place unused.
fn unaccelerated_in(cautions: &[Caution]) -> impl Iterator<Item = &Name> {
    cautions.iter().filter_map(|caution| {
        if let Caution::Unaccelerated { project, .. } = caution {
            Some(project)
        } else {
            None
        }
    })
}

/// An extra brings nothing where what its project needs leaves the accelerator out.
fn drop_vain_extras(chosen: &[Chosen], cautions: &mut Vec<Caution>) {
    let lost: Vec<Name> = unaccelerated_in(cautions).cloned().collect();
    let is_vain = |name: &Name| {
        let mut mine = chosen.iter().filter(|c| c.project == *name);
        mine.any(|c| c.needs.iter().any(|n| lost.contains(n)))
    };
    cautions.retain(|c| !matches!(c, Caution::RuntimeByExtra { project, .. } if is_vain(project)));
}

/// That the chosen build is for a toolkit that is older than the devices.
fn unserved(
    problem: &Problem,
    known: &ProjectFacts,
    project: &Name,
    value: Value,
) -> Option<Caution> {
    let offer = known.offer(value)?;
    let found = known.judged().unserved(offer, &problem.target)?;
    Some(Caution::Unserved {
        project: project.clone(),
        version: offer.version.clone(),
        because: Box::new(found),
    })
}

/// Pairs of chosen releases of which the one needs the other and cannot have known it.
fn never_met(
    chosen: &[Chosen],
    facts: &Facts,
    value_of: &dyn Fn(&Name) -> Option<Value>,
) -> Vec<Caution> {
    let mut cautions: Vec<Caution> = Vec::new();
    for asker in chosen {
        let needs = facts
            .get(&asker.project)
            .zip(value_of(&asker.project))
            .and_then(|(f, v)| f.needs(v));
        let (Some(needs), Some(published)) = (needs, asker.appeared()) else {
            continue;
        };
        let mut seen: Vec<&Name> = Vec::new();
        for need in in_force(needs, &asker.extras).filter(|n| n.adjusted.is_none()) {
            let name = &need.requirement.name;
            let Some((known, other)) = facts
                .get(name)
                .zip(chosen.iter().find(|c| c.project == *name))
            else {
                continue;
            };
            let closed = in_force(needs, &asker.extras).any(|n| {
                n.requirement.name == *name && !leaves_later_series_open(n.requirement.versions())
            });
            if closed || seen.contains(&name) || *name == asker.project {
                continue;
            }
            seen.push(name);
            let both = asker.file.kind.is_compiled_wheel() && other.file.kind.is_compiled_wheel();
            let doubt = chronology::doubt(known, &other.version, other.appeared(), published, both);
            cautions.extend(doubt.map(|(strength, began)| Caution::NeverMet {
                project: asker.project.clone(),
                version: asker.version.clone(),
                published,
                other: name.clone(),
                other_version: other.version.clone(),
                began,
                strength,
            }));
        }
    }
    cautions
}

/// The release that was taken of a project, with what is to be said of it. None when the search took
/// none.
fn chosen_of(
    project: &Name,
    asked_by: Vec<Asker>,
    sources: &Sources<'_>,
    cautions: &mut Vec<Caution>,
) -> Option<Chosen> {
    let (queue, problem) = (sources.queue, sources.problem);
    let known = sources.facts.get(project)?;
    let value = (sources.value_of)(project)?;
    let (offer, needs) = (known.offer(value)?, known.needs(value)?);
    let best = offer.best()?;
    let mut extras = queue.extras_of(project);
    extras.sort();
    let absent = extras.iter().filter(|e| !needs.offered.contains(e));
    cautions.extend(absent.map(|extra| Caution::ExtraAbsent {
        project: project.clone(),
        version: offer.version.clone(),
        extra: extra.clone(),
    }));
    let unread = needs.unread_with(&extras);
    cautions.extend(unread.map(|text| Caution::Unread {
        project: project.clone(),
        version: offer.version.clone(),
        text: text.to_owned(),
    }));
    cautions.extend(offer.yanked.as_ref().map(|reason| Caution::Yanked {
        project: project.clone(),
        version: offer.version.clone(),
        reason: reason.clone(),
    }));
    let lost = unaccelerated(sources, known, project, value);
    // Of a build that says what it is for, and of one that is known to leave it out, all is said.
    let is_open = lost.is_none() && known.build(value).is_none();
    let said = needs.said.as_deref().filter(|_| is_open);
    let by = said.and_then(|m| by_extra(m, &extras, &problem.target));
    cautions.extend(lost);
    cautions.extend(by.map(|by| Caution::RuntimeByExtra {
        project: project.clone(),
        version: offer.version.clone(),
        by,
    }));
    cautions.extend(unserved(problem, known, project, value));
    let mut needed: Vec<Name> = Vec::new();
    for need in in_force(needs, &extras).filter(|n| n.requirement.name != *project) {
        if !needed.contains(&need.requirement.name) {
            needed.push(need.requirement.name.clone());
        }
    }
    let markers = &problem.target.markers;
    let said = needs.said.as_ref();
    Some(Chosen {
        project: project.clone(),
        version: offer.version.clone(),
        file: Arc::clone(&best.file),
        date_elsewhere: match best.file.published {
            Some(_) => None,
            None => known.judged().page().date_elsewhere(&offer.version),
        },
        verdict: offer.verdict,
        build: known.build(value).cloned(),
        properties: best.properties.clone(),
        asked_by,
        unsure: said.and_then(|m| m.unsure),
        said: said.map(|m| m.needs_in_force(markers, &extras)),
        extras,
        needs: needed,
        newer: Vec::new(),
        adjusted: adjusted(problem, project, &offer.version),
    })
}

/// The strong facts that were let go and that bear on what was taken.
fn let_go(sources: &Sources<'_>, chosen: &[Chosen]) -> Vec<Doubt> {
    let taken = |d: &&Doubt| {
        let has = |name: &Name, fits: &dyn Fn(&Version) -> bool| {
            let mut mine = chosen.iter().filter(|c| c.project == *name);
            mine.any(|c| fits(&c.version))
        };
        has(&d.project, &|v| *v == d.version) && has(&d.other, &|v| d.out.contains(v))
    };
    let all = sources.let_go.doubts.iter();
    all.filter(taken).cloned().collect()
}

/// The adjustments that speak of a release.
fn adjusted(problem: &Problem, project: &Name, version: &Version) -> Vec<usize> {
    let all = problem.adjustments.iter().enumerate();
    all.filter(|(_, a)| a.speaks_of(project, version, &problem.target))
        .map(|(i, _)| i)
        .collect()
}

/// What is needed to say why newer releases are out.
struct Reader<'a> {
    problem: &'a Problem,
    facts: &'a Facts,
    value_of: &'a dyn Fn(&Name) -> Option<Value>,
    sources: &'a Sources<'a>,
}

impl Reader<'_> {
    /// The releases newer than the chosen one, newest first.
    fn newer(&self, chosen: &Chosen, all: &[Chosen]) -> Vec<Newer> {
        let Some(known) = self.facts.get(&chosen.project) else {
            return Vec::new();
        };
        let heads = known.heads().iter().enumerate();
        let newer = heads.filter(|(_, h)| h.version > chosen.version);
        let newer = newer.filter_map(|(at, _)| known.judged().at(at));
        let wants: Vec<(&Asker, Requirement)> = chosen
            .asked_by
            .iter()
            .filter_map(|asker| Some((asker, self.requirement(asker)?)))
            .collect();
        newer
            .map(|offer| Newer {
                version: offer.version.clone(),
                published: offer.published(),
                out: self.out(known, offer, &wants, chosen, all),
            })
            .collect()
    }

    fn requirement(&self, asker: &Asker) -> Option<Requirement> {
        match asker {
            Asker::Ask(i) => self.problem.ask(*i).map(|a| a.requirement.clone()),
            Asker::Project(_, text) => Requirement::parse_lenient(text).ok(),
        }
    }

    fn out(
        &self,
        known: &ProjectFacts,
        offer: &Offer,
        wants: &[(&Asker, Requirement)],
        chosen: &Chosen,
        all: &[Chosen],
    ) -> Vec<Out> {
        let version = &offer.version;
        let mut out: Vec<Out> = Vec::new();
        let leaves_out = |r: &Requirement| r.versions().is_some_and(|s| !s.matches(version));
        let excluding = wants.iter().filter(|(_, r)| leaves_out(r));
        out.extend(excluding.map(|(asker, r)| Out::Excluded((*asker).clone(), r.short())));
        let bounds = self
            .problem
            .bounds_in_force()
            .filter(|(_, b)| b.requirement.name == chosen.project);
        out.extend(
            bounds
                .filter(|(_, b)| leaves_out(&b.requirement))
                .map(|(i, _)| Out::Bound(i)),
        );
        if offer.verdict == Verdict::Barred {
            out.extend(offer.bars.iter().cloned().map(Out::Barred));
            return out;
        }
        out.extend(offer.yanked.clone().map(Out::Yanked));
        if version.is_prerelease()
            && known
                .prereleases_kept_out(&Requirement::any(&chosen.project), self.problem)
                .contains(version)
        {
            out.push(Out::Prerelease);
        }
        out.extend(
            self.unmet_need(known, version)
                .map(|(need, other)| Out::Unmet(need, other)),
        );
        let theirs = offer.best().and_then(|f| f.build.as_ref());
        let binding = |c: &Chosen| c.build.clone().filter(|b| b.ties(&self.problem.target));
        let apart = |c: &&Chosen| match (binding(c), theirs) {
            (Some(mine), Some(theirs)) => {
                c.project != chosen.project && !mine.made_for.goes_with(&theirs.made_for)
            }
            _ => false,
        };
        out.extend(
            all.iter()
                .find(apart)
                .map(|c| Out::OtherToolkit(c.project.clone(), c.version.clone())),
        );
        if out.is_empty() {
            out.extend(self.less_good(known, offer, chosen, all));
        }
        out
    }

    /// Why a release that could be had is not as good as the chosen one.
    fn less_good(
        &self,
        known: &ProjectFacts,
        offer: &Offer,
        chosen: &Chosen,
        all: &[Chosen],
    ) -> Vec<Out> {
        let policy = &self.problem.policy;
        let order = |build: Option<&Build>| {
            let target = &self.problem.target;
            target
                .accelerators
                .order(build.map(|b| &b.made_for), target.platform.system)
        };
        let theirs = offer.best().and_then(|f| f.build.as_ref());
        let same = offer.version.public() == chosen.version.public();
        let (theirs, mine) = (order(theirs), order(chosen.build.as_ref()));
        if (same && theirs > mine) || (mine.is_accelerated() && !theirs.is_accelerated()) {
            return vec![Out::OtherBuild];
        }
        let target = &self.problem.target;
        let unserved = offer.best().and_then(|f| f.build.as_ref()).and_then(|b| {
            target
                .accelerators
                .unserved(&b.made_for, target.platform.system)
        });
        if let Some(unserved) = unserved.filter(|_| mine.is_served()) {
            return vec![Out::Unserved(Box::new(unserved))];
        }
        if offer.verdict == Verdict::Build && chosen.verdict == Verdict::Ready {
            let why = offer
                .bars
                .iter()
                .find(|b| b.kind() != BarKind::Wheels)
                .map(ToString::to_string);
            return vec![Out::Source(why)];
        }
        if policy.prefer == Prefer::Oldest {
            return vec![Out::Older];
        }
        // The time says it for many at once; a strong fact is told with its own dates where the
        // time does not.
        let late = self.late(known, offer, chosen, all);
        let doubted = self
            .doubted(chosen, &offer.version, all)
            .map(|d| Out::Doubted(d.clone()));
        late.into_iter().chain(doubted).collect()
    }

    /// The held ask after whose time a release appeared.
    fn late(
        &self,
        known: &ProjectFacts,
        offer: &Offer,
        chosen: &Chosen,
        all: &[Chosen],
    ) -> Option<Out> {
        let time = self
            .sources
            .queue
            .time_of(&chosen.project)
            .filter(|_| !known.is_numbered_by_date())?;
        let asker = all.iter().find(|c| c.project == time.of)?;
        let held = self.facts.get(&time.of)?;
        let first = held.appeared(held.head((self.value_of)(&time.of)?)?)?;
        let head = known.judged().head(&offer.version)?;
        let late = known.appeared(head).is_some_and(|date| date > time.until);
        late.then(|| Out::Late(time.of.clone(), asker.version.clone(), first))
    }

    /// The strongest fact that stayed and speaks of a release beside those chosen.
    fn doubted(&self, chosen: &Chosen, version: &Version, all: &[Chosen]) -> Option<&Doubt> {
        let stays = |d: &&Doubt| !self.sources.let_go.doubts.contains(*d);
        let speaks = |d: &&Doubt| {
            d.other == chosen.project
                && d.out.contains(version)
                && (d.project == d.other
                    || all
                        .iter()
                        .any(|c| c.project == d.project && c.version == d.version))
        };
        self.sources
            .doubts
            .iter()
            .filter(stays)
            .filter(speaks)
            .max_by(|a, b| a.by_weight(b))
    }

    /// A need of a release that the chosen releases do not meet, as far as its metadata is known.
    fn unmet_need(&self, known: &ProjectFacts, version: &Version) -> Option<(String, Version)> {
        let needs = known.needs(known.value_of(version)?)?;
        needs.all.iter().filter(|n| n.base).find_map(|need| {
            let other = self
                .facts
                .get(&need.requirement.name)?
                .head((self.value_of)(&need.requirement.name)?)?;
            let met = need
                .requirement
                .versions()
                .is_none_or(|s| s.matches(&other.version));
            (!met).then(|| (need.requirement.short(), other.version.clone()))
        })
    }
}

/// Who asks for each chosen project: the user's asks first, then projects in the order of their
/// turns.
fn askers(
    queue: &Queue,
    problem: &Problem,
    facts: &Facts,
    value_of: &dyn Fn(&Name) -> Option<Value>,
) -> FxHashMap<Name, Vec<Asker>> {
    let mut askers: FxHashMap<Name, Vec<Asker>> = FxHashMap::default();
    for (i, ask) in problem.asks_in_force() {
        askers
            .entry(ask.requirement.name.clone())
            .or_default()
            .push(Asker::Ask(i));
    }
    for project in queue.projects() {
        let Some(needs) = value_of(project).and_then(|v| facts.get(project)?.needs(v)) else {
            continue;
        };
        let extras = queue.extras_of(project);
        for need in in_force(needs, &extras).filter(|n| n.requirement.name != *project) {
            let asker = Asker::Project(project.clone(), need.requirement.short());
            askers
                .entry(need.requirement.name.clone())
                .or_default()
                .push(asker);
        }
    }
    askers
}
