//! Following imports through a set of projects: what importing its modules runs into.
//!
//! The walk names the sources that it wants; whoever has them reads and supplies them. What cannot be
//! decided from what was read is passed over: *unknown* goes before *absent*.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use eutaxis_standards::knowledge::{SeriesNumber, is_standard, lacking_module, lacking_name};

use super::gap::{Gap, Lack};
use super::module::{How, Module, Open, Take};
use super::set::{Form, Set};

/// A source that is wanted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wanted {
    /// The module.
    pub module: String,
    /// The project, by its place in the list of the set.
    pub project: usize,
    /// Its file, as it was given to the set.
    pub file: String,
}

/// Why a module is looked into.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Reach {
    /// A module that is asked for leads to it.
    Asked,
    /// A module of another project does.
    Other,
    /// The interpreter starts with it.
    Started,
}

#[derive(Debug)]
struct Visit {
    reach: Reach,
    /// The asked module from which it was reached first.
    root: Arc<str>,
    read: Option<Arc<Module>>,
}

/// A walk under way.
#[derive(Debug)]
pub struct Walk<'a> {
    set: &'a Set,
    series: Option<SeriesNumber>,
    visits: BTreeMap<String, Visit>,
    /// Modules whose sources are to be named yet.
    wanted: Vec<Wanted>,
    /// Modules of other projects, which are looked into when what is asked is done.
    others: Vec<String>,
    stage: Reach,
}

impl<'a> Walk<'a> {
    /// Begins at the modules that are asked for; `others` are followed after them. Without a series
    /// of the interpreter nothing is said of its own library.
    pub fn new(
        set: &'a Set,
        series: Option<SeriesNumber>,
        asked: &[String],
        others: Vec<String>,
    ) -> Self {
        let mut walk = Walk {
            set,
            series,
            visits: BTreeMap::new(),
            wanted: Vec::new(),
            others,
            stage: Reach::Asked,
        };
        for module in asked {
            walk.enter(module, &Arc::from(module.as_str()), Reach::Asked);
        }
        walk
    }

    /// The sources that are wanted now; none when the walk is done.
    pub fn wants(&mut self) -> Vec<Wanted> {
        while self.wanted.is_empty() {
            let (next, modules): (Reach, Vec<String>) = match self.stage {
                Reach::Asked => (Reach::Other, std::mem::take(&mut self.others)),
                Reach::Other => (
                    Reach::Started,
                    self.set.started().map(str::to_owned).collect(),
                ),
                Reach::Started => return Vec::new(),
            };
            self.stage = next;
            for module in modules {
                self.enter(&module, &Arc::from(module.as_str()), next);
            }
        }
        std::mem::take(&mut self.wanted)
    }

    /// A source that was read; what cannot be had is [`Module::compiled`].
    pub fn supply(&mut self, module: &str, read: Arc<Module>) {
        let Some(visit) = self.visits.get_mut(module) else {
            return;
        };
        visit.read = Some(Arc::clone(&read));
        let (root, reach) = (Arc::clone(&visit.root), visit.reach);
        let package = self.package_of(module).to_owned();
        for take in &read.takes {
            if !self.counts(take) {
                continue;
            }
            let Some(target) = take.absolute(&package) else {
                continue;
            };
            self.enter(&target, &root, reach);
            // A name that the module does not bind may be a part of it.
            if let (How::From, Some(name)) = (take.how, take.path.first()) {
                let part = format!("{target}.{name}");
                if self.set.get(&part).is_some() {
                    self.enter(&part, &root, reach);
                }
            }
        }
    }

    /// Whether a take is evaluated in this series.
    fn counts(&self, take: &Take) -> bool {
        take.how != How::Annotation || self.series.is_some_and(|s| s < (3, 14))
    }

    /// Importing a module imports the packages that it is in.
    fn enter(&mut self, module: &str, root: &Arc<str>, reach: Reach) {
        let ends = module.match_indices('.').map(|(at, _)| at);
        for end in ends.chain([module.len()]) {
            let Some(part) = module.get(..end) else {
                return;
            };
            if self.is_own(part) {
                return;
            }
            let Some(located) = self.set.get(part) else {
                return;
            };
            if self.visits.contains_key(part) {
                continue;
            }
            let read = match located.form {
                Form::Namespace => Some(Arc::new(Module::default())),
                Form::Compiled => Some(Arc::new(Module::compiled())),
                Form::Source | Form::Package => {
                    self.wanted.push(Wanted {
                        module: part.to_owned(),
                        project: located.project,
                        file: located.file.clone(),
                    });
                    None
                }
            };
            let root = Arc::clone(root);
            self.visits
                .insert(part.to_owned(), Visit { reach, root, read });
        }
    }

    /// Whether the interpreter's own library has a module, before all others.
    fn is_own(&self, module: &str) -> bool {
        let top = module.split('.').next().unwrap_or(module);
        is_standard(top) && self.series.is_none_or(|s| lacking_module(top, s).is_none())
    }

    fn package_of<'m>(&self, module: &'m str) -> &'m str {
        let is_package = self
            .set
            .get(module)
            .is_some_and(|l| matches!(l.form, Form::Package | Form::Namespace));
        if is_package {
            module
        } else {
            module.rsplit_once('.').map_or("", |(package, _)| package)
        }
    }

    /// The projects that importing what is asked for leads to.
    pub fn reached(&self) -> BTreeSet<usize> {
        let asked = self.visits.iter().filter(|(_, v)| v.reach == Reach::Asked);
        asked
            .filter_map(|(module, _)| self.set.get(module))
            .map(|located| located.project)
            .collect()
    }

    /// Whether a file is one that importing something leads to whatever happens; none where nothing
    /// of its project was imported, or something of it that may import what its source does not say.
    pub fn leads_to(&self, project: usize, file: &str) -> Option<bool> {
        let of_project = self.visits.iter().filter_map(|(module, visit)| {
            let located = self.set.get(module)?;
            (located.project == project).then_some((located, visit))
        });
        let visited: Vec<_> = of_project.collect();
        if visited.iter().any(|(located, _)| located.file == file) {
            return Some(true);
        }
        let is_plain = |visit: &Visit| {
            let open = visit.read.as_ref().and_then(|read| read.open);
            !matches!(open, Some(Open::Compiled | Open::Executes | Open::Unread))
        };
        let is_known = !visited.is_empty() && visited.iter().all(|(_, v)| is_plain(v));
        is_known.then_some(false)
    }

    /// What importing runs into, that of asked modules first, then by module and line.
    pub fn gaps(&self) -> Vec<Gap> {
        let doubts = Doubts::of(self);
        let mut gaps: Vec<Gap> = Vec::new();
        for (module, visit) in &self.visits {
            let (Some(read), Some(located)) = (&visit.read, self.set.get(module)) else {
                continue;
            };
            if visit.reach == Reach::Started {
                continue;
            }
            for take in read.takes.iter().filter(|t| self.counts(t)) {
                let Some(lack) = self.lack(module, take, &doubts) else {
                    continue;
                };
                let gap = Gap {
                    taker: located.project,
                    module: module.clone(),
                    file: located.file.clone(),
                    line: take.line,
                    lack,
                    root: visit.root.to_string(),
                    asked: visit.reach == Reach::Asked,
                };
                if !gaps
                    .iter()
                    .any(|g| g.module == gap.module && g.lack == gap.lack)
                {
                    gaps.push(gap);
                }
            }
        }
        gaps.sort_by_key(|g| !g.asked);
        gaps
    }

    /// What a take does not find.
    fn lack(&self, taker: &str, take: &Take, doubts: &Doubts) -> Option<Lack> {
        let target = take.absolute(self.package_of(taker))?;
        if let Some(lack) = self.lack_of_module(taker, &target, doubts) {
            return Some(lack);
        }
        let project = self.set.get(taker).map(|t| t.project);
        let mut at = target;
        for name in &take.path {
            match self.within(&at, name, project, doubts) {
                Within::Part(part) => at = part,
                Within::Known => return None,
                Within::Lacking(lack) => return Some(lack),
            }
        }
        None
    }

    fn lack_of_module(&self, taker: &str, module: &str, doubts: &Doubts) -> Option<Lack> {
        let top = module.split('.').next().unwrap_or(module);
        let ends = module.match_indices('.').map(|(at, _)| at);
        if is_standard(top) && self.set.get(top).is_none() {
            let series = self.series?;
            let parts = ends
                .chain([module.len()])
                .filter_map(|end| module.get(..end));
            let (gone, how) = parts
                .filter_map(|p| lacking_module(p, series).map(|how| (p, how)))
                .next()?;
            let doubted = self.set.is_beside(top) || doubts.of_module(taker, gone, self.set);
            return (!doubted).then(|| Lack::Standard {
                module: gone.to_owned(),
                name: None,
                how,
            });
        }
        if self.is_own(module) {
            return None;
        }
        for end in ends.chain([module.len()]) {
            let part = module.get(..end)?;
            if let Some(located) = self.set.get(part) {
                // What is compiled may make its parts itself.
                if located.form == Form::Compiled || located.several {
                    return None;
                }
                continue;
            }
            let doubted =
                (part == top && self.set.is_beside(top)) || doubts.of_module(taker, part, self.set);
            let owner = part
                .rsplit_once('.')
                .and_then(|(above, _)| self.set.get(above))
                .map(|l| l.project);
            return (!doubted).then(|| Lack::Module {
                module: part.to_owned(),
                owner,
            });
        }
        None
    }

    /// What a name of a module is, for a project that takes it.
    fn within(&self, module: &str, name: &str, taker: Option<usize>, doubts: &Doubts) -> Within {
        let part = format!("{module}.{name}");
        if self.is_own(module) {
            let lacking = self.series.and_then(|s| lacking_name(module, name, s));
            let lacking = lacking.filter(|_| !doubts.sets.contains(name));
            return lacking.map_or(Within::Known, |how| {
                Within::Lacking(Lack::Standard {
                    module: module.to_owned(),
                    name: Some(name.to_owned()),
                    how,
                })
            });
        }
        let (Some(located), Some(visit)) = (self.set.get(module), self.visits.get(module)) else {
            return Within::Known;
        };
        let Some(read) = &visit.read else {
            return Within::Known;
        };
        if read.gives(name) || (name.starts_with("__") && name.ends_with("__")) {
            return Within::Known;
        }
        if self.set.get(&part).is_some() {
            return Within::Part(part);
        }
        // Who takes a name of its own modules was tried when it was made: then a decorator or the
        // like puts it there.
        let doubted = read.open.is_some()
            || located.several
            || taker == Some(located.project)
            || doubts.sets.contains(name)
            || doubts.is_made(module)
            || doubts.is_made(&part)
            || doubts.is_found(&part);
        if doubted {
            return Within::Known;
        }
        Within::Lacking(Lack::Name {
            module: module.to_owned(),
            name: name.to_owned(),
            owner: located.project,
        })
    }
}

/// What a name of a module is.
enum Within {
    /// A module in it.
    Part(String),
    /// Something that is there, or may be.
    Known,
    /// Nothing.
    Lacking(Lack),
}

/// What the modules that were read do to imports, so that nothing sure can be said.
#[derive(Debug, Default)]
struct Doubts {
    /// Names that are set in modules from outside.
    sets: BTreeSet<String>,
    /// Modules that are made or exchanged.
    made: BTreeSet<String>,
    /// Packages in which modules are made under names that are computed.
    makers: BTreeSet<String>,
    /// Packages that change where modules are looked for.
    moving: BTreeSet<String>,
    /// Modules that finders name.
    named: BTreeSet<String>,
    /// Projects that bring finders, and packages that do.
    finders: BTreeSet<usize>,
    finding: BTreeSet<String>,
}

impl Doubts {
    fn of(walk: &Walk<'_>) -> Self {
        let mut doubts = Doubts::default();
        for (module, visit) in &walk.visits {
            let Some(read) = &visit.read else {
                continue;
            };
            let package = walk.package_of(module);
            doubts.sets.extend(read.sets.iter().cloned());
            for made in &read.makes {
                match made {
                    Some(name) => doubts.made.insert(name.clone()),
                    None => {
                        doubts.makers.insert(package.to_owned())
                            | doubts.makers.insert(module.clone())
                    }
                };
            }
            if read.moves_path {
                doubts.moving.insert(package.to_owned());
                doubts.moving.insert(module.clone());
            }
            if let Some(names) = &read.finds {
                doubts.named.extend(names.iter().cloned());
                doubts.finding.insert(package.to_owned());
                doubts.finding.insert(module.clone());
                doubts
                    .finders
                    .extend(walk.set.get(module).map(|l| l.project));
            }
        }
        doubts
    }

    /// Whether a module may be there although no file says so.
    fn of_module(&self, taker: &str, module: &str, set: &Set) -> bool {
        let top = module.split('.').next().unwrap_or(module);
        let last = module.rsplit('.').next().unwrap_or(module);
        let taking = set.get(taker).map(|l| l.project);
        // Copies of others are carried under their own names.
        let carried = taking.into_iter().chain(self.finders.iter().copied());
        let moved = |name: &str| within_any(name, &self.moving);
        carried
            .into_iter()
            .any(|p| set.carries(p, last) || set.carries(p, top) && top == module)
            || self.is_made(module)
            || self.is_found(module)
            || moved(module)
            || (top == module && moved(taker))
    }

    fn is_made(&self, module: &str) -> bool {
        within_any(module, &self.made) || within_any(module, &self.makers)
    }

    fn is_found(&self, module: &str) -> bool {
        within_any(module, &self.named) || within_any(module, &self.finding)
    }
}

/// Whether a module is one of these, or lies in one.
fn within_any(module: &str, these: &BTreeSet<String>) -> bool {
    let mut at = module;
    loop {
        if these.contains(at) {
            return true;
        }
        match at.rsplit_once('.') {
            Some((above, _)) => at = above,
            None => return false,
        }
    }
}
