//! The facts that were supplied: pages as offers in order of preference, and metadata. They outlive
//! restarts.

use std::rc::Rc;
use std::sync::Arc;

use indexmap::IndexMap;
use jiff::Timestamp;
use rustc_hash::{FxHashMap, FxHashSet};

use super::asked::Asked;
use super::bits::Bits;
use super::chronology;
use super::problem::Problem;
use super::table::{Key, Value};
use crate::offer::{
    Bar, BarKind, Build, Effect, Head, JudgedPage, Known, Learned, Lost, MetadataAnswer, Offer,
    Open, Preferred, Ranking, Reach, Told, Verdict, WheelFiles, admits_prereleases, lost,
    needs_only, requirements, untold,
};
use eutaxis_standards::artifact::{Metadata, Unread};
use eutaxis_standards::index::Page;
use eutaxis_standards::knowledge::{MadeFor, Number};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Accepts, Requirement};
use eutaxis_standards::version::{Version, VersionSpecifier, major_series};

/// Something that the search wants to know. It never fetches anything itself.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Want {
    /// The page of a project.
    Page(Name),
    /// The page that holds just the file at a URL, which an ask demands.
    Direct(Name, String),
    /// The metadata of a file, if it can be had cheaply.
    Metadata(Name, Arc<str>),
    /// The metadata of a file that can only be had by fetching the archive.
    Archive(Name, Arc<str>),
    /// What the files within a wheel tell, as far as that can be had without fetching it.
    Files(Name, Arc<str>, Reach),
}

/// How far somebody goes to learn what a file needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Effort {
    /// What a depot says beside the file, or in small parts of it.
    Cheap,
    /// The archive itself.
    Archive,
}

/// A requirement of a release that counts on the target.
#[derive(Debug)]
pub(super) struct Need {
    pub(super) requirement: Requirement,
    /// It counts without any extra.
    pub(super) base: bool,
    /// Otherwise: the extras with which it counts.
    pub(super) extras: Vec<Name>,
    /// The adjustment that says so, by its index.
    pub(super) adjusted: Option<usize>,
}

/// What a release needs on the target, in the order of its metadata.
#[derive(Debug, Default)]
pub(super) struct Needs {
    pub(super) all: Vec<Need>,
    /// Extras that the release offers.
    pub(super) offered: Vec<Name>,
    /// Lines that could not be read as they are written and count on the target: without extras, or
    /// with one of these.
    pub(super) unread: Vec<(String, Option<Vec<Name>>)>,
    /// What the release says of itself; none where only the user says it.
    pub(super) said: Option<Arc<Metadata>>,
}

impl Needs {
    fn of(metadata: &Arc<Metadata>, project: &Name, version: &Version, problem: &Problem) -> Self {
        let values = &problem.target.markers;
        let mut all = Vec::new();
        let stated = requirements(
            metadata,
            project,
            version,
            &problem.target,
            &problem.adjustments,
        );
        for (requirement, adjusted) in stated {
            let base = requirement
                .marker
                .as_ref()
                .is_none_or(|m| m.holds(values, None));
            // Extras that a release lacks add nothing (docs/choice.md, extras).
            let extras: Vec<Name> = match &requirement.marker {
                Some(marker) if !base => metadata
                    .extras
                    .iter()
                    .filter(|e| marker.holds(values, Some(e)))
                    .cloned()
                    .collect(),
                _ => Vec::new(),
            };
            if base || !extras.is_empty() {
                all.push(Need {
                    requirement,
                    base,
                    extras,
                    adjusted,
                });
            }
        }
        let unread = match needs_only(project, version, &problem.target, &problem.adjustments) {
            Some(_) => Vec::new(),
            None => unread(metadata, problem),
        };
        Needs {
            all,
            offered: metadata.extras.clone(),
            unread,
            said: Some(Arc::clone(metadata)),
        }
    }

    /// The lines that could not be read and count with these extras.
    pub(super) fn unread_with<'a>(&'a self, extras: &'a [Name]) -> impl Iterator<Item = &'a str> {
        let counts = |of: &Option<Vec<Name>>| {
            of.as_ref()
                .is_none_or(|of| of.iter().any(|e| extras.contains(e)))
        };
        self.unread
            .iter()
            .filter(move |(_, of)| counts(of))
            .map(|(text, _)| text.as_str())
    }

    /// Needs that count when just this is in force: the base, or one extra (without the base).
    pub(super) fn under<'a>(&'a self, extra: Option<&'a Name>) -> impl Iterator<Item = &'a Need> {
        self.all.iter().filter(move |n| match extra {
            None => n.base,
            Some(extra) => !n.base && n.extras.contains(extra),
        })
    }
}

/// Lines of metadata that could not be read as they are written, with the extras under which they
/// count. One that an adjustment replaces is not told, and one that speaks of an extra and cannot
/// be read at all counts for none.
fn unread(metadata: &Metadata, problem: &Problem) -> Vec<(String, Option<Vec<Name>>)> {
    let values = &problem.target.markers;
    let replaced = |name: &Name| {
        problem.adjustments.iter().any(|a| {
            a.speaks_of(&metadata.name, &metadata.version, &problem.target)
                && matches!(&a.effect, Effect::Needs(r) if r.name == *name)
        })
    };
    let of = |unread: &Unread| match unread.at.and_then(|at| metadata.requires.get(at)) {
        Some(requirement) if replaced(&requirement.name) => None,
        Some(Requirement {
            marker: Some(marker),
            ..
        }) if !marker.holds(values, None) => {
            let extras: Vec<Name> = metadata
                .extras
                .iter()
                .filter(|e| marker.holds(values, Some(e)))
                .cloned()
                .collect();
            (!extras.is_empty()).then_some(Some(extras))
        }
        Some(_) => Some(None),
        None => (!unread.text.contains("extra")).then_some(None),
    };
    metadata
        .unread
        .iter()
        .filter_map(|u| Some((u.text.clone(), of(u)?)))
        .collect()
}

/// What is known of one project. Value `v` of its node is the `v - 1`th of the ranking.
#[derive(Debug)]
pub(super) struct ProjectFacts {
    /// Shared with other searches until metadata bar something.
    judged: Arc<JudgedPage>,
    /// Somebody who asks for it names a pre-release of it.
    is_named: bool,
    /// The file that an ask demands by its URL.
    direct_url: Option<String>,
    ranking: Ranking,
    /// Of each of the offers its value; 0 of those that cannot be used.
    values: Vec<Value>,
    /// Values whose best file is yanked.
    pub(super) yanked: Vec<Value>,
    /// What files need, each with the place of its release.
    needs: FxHashMap<Arc<str>, (usize, Rc<Needs>)>,
    /// What the files within wheels tell; none within where that cannot be had.
    within: FxHashMap<Arc<str>, Option<Arc<WheelFiles>>>,
    /// Files of which only the archive would tell what they need.
    dear: FxHashSet<Arc<str>>,
    /// The same as `needs` by value, for the search, which asks at every turn.
    needs_by_value: Vec<Option<Rc<Needs>>>,
    /// Sets of values by requirement, so that each distinct one is judged once.
    sets: FxHashMap<String, Rc<Bits>>,
    /// Its major series and when each began, where that is known.
    series: Vec<((u64, u64), Timestamp)>,
    /// When its newest final release appeared, be it usable or not.
    last_published: Option<Timestamp>,
    wheels: Vec<PagedWheel>,
    /// Its newest final release that can be used and is not yanked, by its page.
    pub(super) newest: Option<Version>,
    /// All releases that can be used by its page, newest first, each with its first day.
    pub(super) usable: Vec<Usable>,
}

/// A release that can be used by its page.
#[derive(Debug, Clone)]
pub(super) struct Usable {
    pub(super) version: Version,
    /// When its first file appeared.
    pub(super) first: Option<Timestamp>,
    pub(super) verdict: Verdict,
    /// Its best file is a compiled wheel.
    pub(super) compiled: bool,
}

/// A final release with a wheel, as the page says it.
#[derive(Debug, Clone)]
pub(super) struct PagedWheel {
    pub(super) version: Version,
    /// The place of the release, the newest first, and that of its file among those of the release.
    place: (usize, usize),
    /// When the first file of the release appeared.
    pub(super) first: Option<Timestamp>,
    /// When this file did.
    pub(super) published: Option<Timestamp>,
}

fn paged_wheel(place: usize, head: &Head, page: &Page) -> Option<PagedWheel> {
    let elsewhere = page.date_elsewhere(&head.version);
    let best = head.best.filter(|_| head.verdict == Verdict::Ready)?;
    head.is_final().then(|| PagedWheel {
        version: head.version.clone(),
        place: (place, best),
        first: head.first_published.or(elsewhere),
        published: head.published.or(elsewhere),
    })
}

impl ProjectFacts {
    fn new(judged: Arc<JudgedPage>, asked: &Asked, problem: &Problem) -> Self {
        let mut facts = ProjectFacts {
            is_named: asked.names_prerelease(judged.project()),
            direct_url: asked.direct_url(judged.project()).map(str::to_owned),
            judged,
            ranking: Ranking::default(),
            values: Vec::new(),
            yanked: Vec::new(),
            needs: FxHashMap::default(),
            within: FxHashMap::default(),
            dear: FxHashSet::default(),
            needs_by_value: Vec::new(),
            sets: FxHashMap::default(),
            series: Vec::new(),
            last_published: None,
            wheels: Vec::new(),
            newest: None,
            usable: Vec::new(),
        };
        let heads = facts.heads();
        // Oldest first.
        let wheels = heads.iter().enumerate().rev();
        let wheels = wheels.filter_map(|(at, head)| paged_wheel(at, head, facts.judged.page()));
        let usable = || heads.iter().filter(|h| h.can_be_had());
        let newest = usable().find(|h| h.is_final());
        let dated = heads.iter().map(|h| (&h.version, facts.appeared(h)));
        let finals = heads.iter().filter(|h| !h.version.is_prerelease());
        let usable = usable().map(|h| Usable {
            version: h.version.clone(),
            first: facts.appeared(h),
            verdict: h.verdict,
            compiled: h.is_compiled,
        });
        let (wheels, usable) = (wheels.collect(), usable.collect());
        let newest = newest.map(|h| h.version.clone());
        let last_published = finals.filter_map(|h| facts.appeared(h)).max();
        facts.series = chronology::all_series(dated);
        (facts.wheels, facts.usable) = (wheels, usable);
        (facts.newest, facts.last_published) = (newest, last_published);
        facts.rank(problem);
        facts
    }

    /// Puts the usable offers in order of preference; what was concluded from another order is
    /// forgotten.
    fn rank(&mut self, problem: &Problem) {
        let project = self.judged.project();
        let preferred = Preferred {
            prior: problem.prior.get(project),
            nearest: problem.nearest.get(project).map(Vec::as_slice),
        };
        self.ranking = self.judged.ranking(&problem.rules(), &preferred);
        self.values = vec![Value::ABSENT; self.heads().len()];
        for (at, offer) in self.ranking.order.iter().enumerate() {
            if let Some(value) = self.values.get_mut(*offer) {
                *value = Value::of(at);
            }
        }
        let is_yanked = |v: &Value| self.head(*v).is_some_and(|h| h.is_yanked);
        self.yanked = self.present().filter(is_yanked).collect();
        self.sets.clear();
        self.index_needs();
    }

    /// The page as it is judged here.
    pub(super) fn judged(&self) -> &JudgedPage {
        &self.judged
    }

    /// All releases at a glance, newest first.
    pub(super) fn heads(&self) -> &[Head] {
        self.judged.heads()
    }

    /// Why its page has no file that can be used, when it has none.
    pub(super) fn empty(&self) -> Option<(BarKind, String)> {
        let kind = if self.judged.page().quarantined().is_some() {
            BarKind::Quarantined
        } else {
            BarKind::Absent
        };
        self.judged.page().why_empty().map(|why| (kind, why))
    }

    /// The group of a value: one of a smaller group is better whatever its age.
    pub(super) fn group(&self, value: Value) -> usize {
        value.in_list(&self.ranking.groups).copied().unwrap_or(0)
    }

    /// The release of a value among all of the project, the newest first.
    pub(super) fn release(&self, value: Value) -> usize {
        value.in_list(&self.ranking.releases).copied().unwrap_or(0)
    }

    /// Its major series, each with the day on which it began, where that is known.
    pub(super) fn series(&self) -> &[((u64, u64), Timestamp)] {
        &self.series
    }

    /// When its newest final release appeared.
    pub(super) fn last_published(&self) -> Option<Timestamp> {
        self.last_published
    }

    /// Whether its releases are numbered by date.
    pub(super) fn is_numbered_by_date(&self) -> bool {
        self.heads()
            .first()
            .is_some_and(|newest| major_series(&newest.version).is_none())
    }

    /// The final releases of which the page alone says that they have a wheel for the place, oldest
    /// first. Whether their own metadata says otherwise has no part in it, so that it is the same
    /// whatever was read.
    pub(super) fn wheels(&self) -> &[PagedWheel] {
        &self.wheels
    }

    /// Releases with a verdict by the page alone.
    pub(super) fn by_page(&self, verdict: Verdict) -> impl Iterator<Item = &Version> {
        self.usable
            .iter()
            .filter(move |u| u.verdict == verdict)
            .map(|u| &u.version)
    }

    /// What a file needs: none when that is not known, none within when nobody can say.
    pub(super) fn needs_of(&self, file: &Arc<str>) -> Option<Option<&Rc<Needs>>> {
        match self.needs.get(file) {
            Some((_, needs)) => Some(Some(needs)),
            None => self.judged.is_learnt_barred(file).then_some(None),
        }
    }

    /// The same of a wheel that the page tells of.
    pub(super) fn needs_of_wheel(&self, wheel: &PagedWheel) -> Option<Option<&Rc<Needs>>> {
        self.needs_of(self.file_of(wheel)?)
    }

    /// The want for the metadata of a file.
    pub(super) fn want_of(&self, file: &Arc<str>) -> Want {
        let (project, file) = (self.judged.project().clone(), Arc::clone(file));
        if self.dear.contains(&file) {
            Want::Archive(project, file)
        } else {
            Want::Metadata(project, file)
        }
    }

    /// When a release appeared, by its first file, or as others tell it.
    pub(super) fn appeared(&self, head: &Head) -> Option<Timestamp> {
        let elsewhere = || self.judged.page().date_elsewhere(&head.version);
        head.first_published.or_else(elsewhere)
    }

    /// When the best file of a value appeared, or as others tell it of its release.
    pub(super) fn published(&self, value: Value) -> Option<Timestamp> {
        let head = self.head(value)?;
        let elsewhere = || self.judged.page().date_elsewhere(&head.version);
        head.published.or_else(elsewhere)
    }

    fn index_needs(&mut self) {
        let mut by_value = vec![None; self.size()];
        for (file, (at, needs)) in &self.needs {
            let value = self.values.get(*at).filter(|v| v.is_present());
            let is_best = self.judged.best_name(*at) == Some(file);
            if let Some(slot) = value.and_then(|v| by_value.get_mut(v.place()))
                && is_best
            {
                *slot = Some(Rc::clone(needs));
            }
        }
        self.needs_by_value = by_value;
    }

    /// How many values its node has, absence included.
    pub(super) fn size(&self) -> usize {
        self.ranking.order.len() + 1
    }

    /// All values of its node but absence.
    pub(super) fn present(&self) -> impl Iterator<Item = Value> + use<> {
        Value::present(self.size())
    }

    /// The release of a value at a glance; none for absence.
    pub(super) fn head(&self, value: Value) -> Option<&Head> {
        let place = value.in_list(&self.ranking.order)?;
        self.heads().get(*place)
    }

    /// The offer of a value; none for absence.
    pub(super) fn offer(&self, value: Value) -> Option<&Offer> {
        let place = value.in_list(&self.ranking.order)?;
        self.judged.at(*place)
    }

    /// The name of the best file of a value.
    pub(super) fn file(&self, value: Value) -> Option<&Arc<str>> {
        let place = value.in_list(&self.ranking.order)?;
        self.judged.best_name(*place)
    }

    /// The name of the file of a wheel that the page tells of.
    pub(super) fn file_of(&self, wheel: &PagedWheel) -> Option<&Arc<str>> {
        let (release, file) = wheel.place;
        self.judged.name_of(release, file)
    }

    /// What the best file of a value was made for, if that is told.
    pub(super) fn build(&self, value: Value) -> Option<&Build> {
        let place = value.in_list(&self.ranking.order)?;
        self.judged.best_build(*place)
    }

    /// Whether a value leaves the accelerators of the place unused, as far as is known. What was
    /// asked for and cannot be had tells nothing.
    pub(super) fn lost(&self, value: Value, problem: &Problem, asked: &FxHashSet<Open>) -> Lost {
        let Some(offer) = self.offer(value) else {
            return Lost::No;
        };
        let metadata = |file: &Arc<str>| match self.needs_of(file) {
            Some(needs) => Some(needs.and_then(|n| n.said.clone())),
            None if self.dear.contains(file) => Some(None),
            None => asked
                .contains(&Open::Metadata(Arc::clone(file)))
                .then_some(None),
        };
        let files = |file: &Arc<str>| match self.within.get(file) {
            Some(files) => Some(files.clone()),
            None => asked
                .contains(&Open::Files(Arc::clone(file)))
                .then_some(None),
        };
        let known = Known {
            metadata: &metadata,
            files: &files,
        };
        lost(&self.judged, offer, known, &problem.rules())
    }

    /// The wheel of a value whose files would tell more of what it was made for.
    pub(super) fn untold(&self, value: Value, problem: &Problem) -> Option<(Arc<str>, Reach)> {
        untold(&self.judged, self.offer(value)?, &problem.rules())
    }

    /// Bars the best file of a value for what was concluded of it.
    pub(super) fn bar(&mut self, value: Value, bar: Bar, problem: &Problem) -> bool {
        let version = self.head(value).map(|h| h.version.clone());
        let (Some(version), Some(file)) = (version, self.file(value).cloned()) else {
            return false;
        };
        let is_barred = self.judged.bar(&version, &file, bar, &problem.rules());
        self.rank(problem);
        is_barred
    }

    /// What the best file of a value needs, when its metadata was supplied.
    pub(super) fn needs(&self, value: Value) -> Option<&Rc<Needs>> {
        self.needs_by_value.get(value.place())?.as_ref()
    }

    /// The want for the metadata of the best file of a value: cheaply, or where that was tried, at
    /// its price.
    pub(super) fn want(&self, value: Value) -> Option<Want> {
        self.file(value).map(|file| self.want_of(file))
    }

    /// Whether only the archive of the best file of a value would tell what it needs, and it was
    /// not asked for.
    pub(super) fn is_dear(&self, value: Value) -> bool {
        self.needs(value).is_none()
            && self
                .file(value)
                .is_some_and(|file| self.dear.contains(file))
    }

    /// The value of a release that can be used.
    pub(super) fn value_of(&self, version: &Version) -> Option<Value> {
        let at = self.judged.position(version)?;
        self.values.get(at).copied().filter(|v| v.is_present())
    }

    /// Whether a requirement of this project admits pre-releases (docs/choice.md, pre-releases).
    fn admits_prereleases(&self, requirement: &Requirement, problem: &Problem) -> bool {
        let usable = self.present().filter_map(|v| self.head(v));
        admits_prereleases(requirement, self.is_named, &problem.policy, usable)
    }

    /// Values of the usable final releases that a set takes: while there is one, pre-releases are
    /// left out.
    fn finals<'a>(&'a self, set: &'a VersionSpecifier) -> impl Iterator<Item = Value> + 'a {
        self.present().filter(move |v| {
            self.head(*v)
                .is_some_and(|h| h.is_final() && set.matches(&h.version))
        })
    }

    /// When a requirement leaves pre-releases out only because of final releases that their own
    /// metadata might still bar: the file to look into first.
    pub(super) fn unproven_final(
        &self,
        requirement: &Requirement,
        problem: &Problem,
    ) -> Option<Value> {
        let set = requirement.versions()?;
        let takes_some = self
            .present()
            .filter_map(|v| self.head(v))
            .any(|h| h.version.is_prerelease() && set.matches(&h.version));
        if !takes_some || self.admits_prereleases(requirement, problem) {
            return None;
        }
        let told = |v: Value| {
            self.offer(v)
                .and_then(Offer::best)
                .is_some_and(|f| f.file.requires_python.is_some())
        };
        if self.finals(set).any(|v| told(v) || self.needs(v).is_some()) {
            return None;
        }
        self.finals(set).min_by_key(|v| self.is_dear(*v))
    }

    /// The values that a requirement takes; never absence.
    pub(super) fn values(
        &mut self,
        requirement: &Requirement,
        bound: bool,
        problem: &Problem,
    ) -> Rc<Bits> {
        let key = match &requirement.accepts {
            Accepts::Versions(set) => format!("{set}{}", if bound { " bound" } else { "" }),
            Accepts::Url(url) => format!("@{url}"),
        };
        if let Some(known) = self.sets.get(&key) {
            return known.clone();
        }
        let admits = bound || self.admits_prereleases(requirement, problem);
        let mut bits = Bits::none(self.size());
        for value in self.present() {
            let Some(head) = self.head(value) else {
                continue;
            };
            let takes = match &requirement.accepts {
                Accepts::Versions(set) => {
                    set.matches(&head.version) && (admits || !head.version.is_prerelease())
                }
                Accepts::Url(url) => self.direct_url.as_deref() == Some(url),
            };
            if takes {
                bits.insert(value);
            }
        }
        let bits = Rc::new(bits);
        self.sets.insert(key, bits.clone());
        bits
    }

    /// Usable pre-releases that the requirement's versions take and that it does not admit.
    pub(super) fn prereleases_kept_out(
        &self,
        requirement: &Requirement,
        problem: &Problem,
    ) -> Vec<Version> {
        let Some(set) = requirement.versions() else {
            return Vec::new();
        };
        if self.admits_prereleases(requirement, problem) {
            return Vec::new();
        }
        let usable = self.heads().iter().filter(|h| h.can_be_had());
        usable
            .filter(|h| h.version.is_prerelease() && set.matches(&h.version))
            .map(|h| h.version.clone())
            .collect()
    }
}

/// All facts supplied so far, projects in the order of their supply.
#[derive(Debug)]
pub(super) struct Facts {
    /// What is asked of each project.
    pub(super) asked: Asked,
    /// None: no depot has the project.
    projects: IndexMap<Name, Option<ProjectFacts>, rustc_hash::FxBuildHasher>,
    /// Toolkits of usable builds, in the order in which they were seen.
    toolkits: Vec<(String, Number)>,
}

impl Facts {
    /// None yet, for a problem.
    pub(super) fn none_for(problem: &Problem) -> Self {
        Facts {
            asked: Asked::by(problem),
            projects: IndexMap::default(),
            toolkits: Vec::new(),
        }
    }

    pub(super) fn knows(&self, project: &Name) -> bool {
        self.projects.contains_key(project)
    }

    /// Whether some depot has a page of the project.
    pub(super) fn has_page(&self, project: &Name) -> bool {
        self.get(project).is_some()
    }

    pub(super) fn get(&self, project: &Name) -> Option<&ProjectFacts> {
        self.projects.get(project).and_then(Option::as_ref)
    }

    pub(super) fn get_mut(&mut self, project: &Name) -> Option<&mut ProjectFacts> {
        self.projects.get_mut(project).and_then(Option::as_mut)
    }

    pub(super) fn projects(&self) -> impl Iterator<Item = (&Name, &ProjectFacts)> {
        self.projects
            .iter()
            .filter_map(|(n, f)| f.as_ref().map(|f| (n, f)))
    }

    /// Stores a page. True when it brings a toolkit that was not known before, so that everything
    /// that was concluded about toolkits must be forgotten.
    pub(super) fn supply_page(
        &mut self,
        project: &Name,
        page: Option<Arc<JudgedPage>>,
        problem: &Problem,
    ) -> bool {
        let facts = page.map(|p| ProjectFacts::new(p, &self.asked, problem));
        let builds: Vec<Build> = facts
            .iter()
            .flat_map(|f| f.present().filter_map(|v| f.build(v).cloned()))
            .collect();
        self.projects.insert(project.clone(), facts);
        let known = self.toolkits.len();
        builds.iter().for_each(|build| {
            self.note_toolkit(build);
        });
        self.toolkits.len() > known
    }

    /// Remembers the toolkit of a build; true when it was not known.
    fn note_toolkit(&mut self, build: &Build) -> bool {
        let MadeFor::Toolkit(family, toolkit) = &build.made_for else {
            return false;
        };
        let same =
            |(f, t): &(String, Number)| *f == family.name && t.to_string() == toolkit.to_string();
        let new = !self.toolkits.iter().any(same);
        if new {
            self.toolkits.push((family.name.clone(), toolkit.clone()));
        }
        new
    }

    /// All toolkits of usable builds.
    pub(super) fn toolkits(&self) -> &[(String, Number)] {
        &self.toolkits
    }

    /// Stores metadata. True when it bars its file, so that the offers of the project have changed
    /// and everything that was concluded from them must be forgotten.
    pub(super) fn supply_metadata(
        &mut self,
        project: &Name,
        file: &Arc<str>,
        answer: &MetadataAnswer,
        problem: &Problem,
    ) -> bool {
        let Some(facts) = self.get_mut(project) else {
            return false;
        };
        let told = match facts.judged.learn(file, answer, &problem.rules()) {
            Learned::Unknown => return false,
            Learned::Dear => {
                facts.dear.insert(Arc::clone(file));
                return false;
            }
            Learned::Told(told) => told,
        };
        let Told {
            version,
            metadata,
            is_stated,
            build,
            is_barred,
        } = told;
        if let Some(metadata) = metadata {
            let mut needs = Needs::of(&metadata, project, &version, problem);
            needs.said = needs.said.filter(|_| !is_stated);
            let needs = Rc::new(needs);
            if let Some(at) = facts.judged.position(&version) {
                let known = (at, Rc::clone(&needs));
                facts.needs.insert(Arc::clone(file), known);
            }
            facts.needs_by_value.resize(facts.size(), None);
            let value = facts
                .value_of(&version)
                .filter(|v| facts.file(*v) == Some(file));
            if let Some(known) = value.and_then(|v| facts.needs_by_value.get_mut(v.place())) {
                *known = Some(needs);
            }
        }
        if is_barred {
            facts.rank(problem);
            return true;
        }
        build.is_some_and(|build| self.note_toolkit(&build))
    }

    /// Stores what the files within a wheel tell; none where that cannot be had. True when it bars the
    /// wheel, as with metadata.
    pub(super) fn supply_files(
        &mut self,
        project: &Name,
        file: &Arc<str>,
        files: Option<&Arc<WheelFiles>>,
        problem: &Problem,
    ) -> bool {
        let Some(facts) = self.get_mut(project) else {
            return false;
        };
        facts.within.insert(Arc::clone(file), files.cloned());
        let rules = problem.rules();
        let is_barred = files.is_some_and(|files| facts.judged.learn_files(file, files, &rules));
        if is_barred {
            facts.rank(problem);
        }
        is_barred
    }
}
