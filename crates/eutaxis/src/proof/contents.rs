//! The wheels of a set, unpacked: their modules, and what importing those that are asked for runs
//! into. Nothing is run.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use eutaxis_core::artifact::{EntryPoints, Metadata};
use eutaxis_core::interface::{Gap, Set, Walk, Wanted, is_for_makers};
use eutaxis_core::knowledge::bringing;
use eutaxis_core::marker::Variable;
use eutaxis_core::targets::Implementation;
use eutaxis_core::{Name, Requirement, Target};
use eutaxis_world::catalogue::Catalogue;
use eutaxis_world::environment::Item;
use eutaxis_world::interfaces::{Source, follow};
use eutaxis_world::store::Unpacked;
use eutaxis_world::wheel::among_modules;

/// The wheels of a set.
pub(crate) struct Contents {
    pub(crate) set: Set,
    /// The projects with their releases, in the order of the items.
    pub(crate) names: Vec<String>,
    /// Those that the user asks for.
    asked: Vec<usize>,
    /// The modules in which their scripts start.
    starts: Vec<(String, usize)>,
    sources: HashMap<(usize, String), Source>,
    /// For each project what it needs for its extras alone.
    optional: Vec<BTreeSet<Name>>,
    /// Pairs of projects that bring one path with different contents, each with the first such path.
    pub(crate) shared: BTreeMap<(usize, usize), String>,
}

/// What importing runs into, by sources.
pub(crate) struct Gaps {
    /// On the way of what people import first, and of scripts.
    pub(crate) first: Vec<Gap>,
    /// Below that.
    pub(crate) below: Vec<Gap>,
    /// So many sources were followed.
    pub(crate) sources: usize,
}

impl Gaps {
    /// Those of what people import first, and those between two projects.
    pub(crate) fn telling(self) -> impl Iterator<Item = Gap> {
        let between = self.below.into_iter().filter(|g| g.owner().is_some());
        self.first.into_iter().chain(between)
    }
}

impl Contents {
    /// Of unpacked wheels. Where the set has projects that are no wheels, what they bring is not
    /// known.
    pub(crate) fn of(items: &[Item], unpacked: &[Unpacked], is_whole: bool) -> Self {
        let mut contents = Contents {
            set: Set::new(items.len()),
            names: Vec::new(),
            asked: Vec::new(),
            starts: Vec::new(),
            sources: HashMap::new(),
            optional: Vec::new(),
            shared: BTreeMap::new(),
        };
        let mut owners: HashMap<String, (usize, &str)> = HashMap::new();
        contents.set.open = !is_whole;
        for (index, (item, wheel)) in items.iter().zip(unpacked).enumerate() {
            contents
                .names
                .push(format!("{} {}", item.name, item.version));
            if item.requested {
                contents.asked.push(index);
            }
            for file in &wheel.manifest.files {
                let Some(path) = among_modules(&file.path) else {
                    continue;
                };
                contents.set.add(index, path);
                match owners.get(path) {
                    None => {
                        owners.insert(path.to_owned(), (index, &file.hash));
                    }
                    Some((_, hash)) if *hash == file.hash => {}
                    Some((owner, _)) => {
                        let first = contents.shared.entry((*owner, index));
                        first.or_insert_with(|| path.to_owned());
                    }
                }
                if path.ends_with(".py") {
                    let source = Source {
                        path: wheel.root.join(&file.path),
                        hash: Some(file.hash.clone()),
                    };
                    contents.sources.insert((index, path.to_owned()), source);
                }
            }
            let info = wheel.root.join(&wheel.manifest.dist_info);
            contents.optional.push(optional(&info));
            contents
                .starts
                .extend(starts(&info).into_iter().map(|m| (m, index)));
        }
        contents
    }

    /// The modules that are to be imported: those of the projects that are asked for, and those in
    /// which their scripts start; each with its project.
    pub(crate) fn roots(&self) -> Vec<(String, usize)> {
        let public = self
            .asked
            .iter()
            .flat_map(|p| self.set.public(*p).into_iter().map(|m| (m, *p)));
        let counts = |(module, project): &&(String, usize)| {
            self.asked.contains(project) && !module.split('.').any(is_for_makers)
        };
        let starts = self.starts.iter().filter(counts);
        let mut seen = BTreeSet::new();
        let all = public.chain(starts.cloned());
        all.filter(|(module, _)| seen.insert(module.clone()))
            .collect()
    }

    /// Every other module of the projects that are asked for, but tests and private parts.
    pub(crate) fn below(&self) -> Vec<(usize, Vec<String>)> {
        let roots: BTreeSet<String> = self.roots().into_iter().map(|(m, _)| m).collect();
        let below = |project: &usize| {
            let mut all = self.set.all(*project);
            all.retain(|m| !roots.contains(m));
            (*project, all)
        };
        let each = self.asked.iter().map(below);
        each.filter(|(_, all)| !all.is_empty()).collect()
    }

    /// Whether a module is looked into only because a script starts in it.
    pub(crate) fn is_only_started(&self, module: &str) -> bool {
        let starts = self.starts.iter().any(|(m, _)| m == module);
        let is_public = |p: &usize| self.set.public(*p).iter().any(|m| m == module);
        starts && !self.asked.iter().any(is_public)
    }

    /// Whether a module is lacking that a project states for an extra alone, on the way of a script or
    /// of one of several modules: then that is a part that nobody asked for.
    pub(crate) fn is_of_an_extra(&self, project: usize, root: &str, module: &str) -> bool {
        let top = module.split('.').next().unwrap_or(module);
        let known = bringing(top).into_iter().chain([top]);
        let mut names = known.filter_map(|n| Name::parse(n).ok());
        let optional = self.optional.get(project);
        let is_optional = optional.is_some_and(|o| names.any(|n| o.contains(&n)));
        let others = || self.set.public(project).iter().any(|m| m != root);
        is_optional && (self.is_only_started(root) || others())
    }

    /// What importing them runs into on a target, and how many sources were followed; for what is
    /// below them as well when that is wanted.
    pub(crate) fn gaps(&self, target: &Target, catalogue: &Catalogue, below: bool) -> Gaps {
        let roots: Vec<String> = self.roots().into_iter().map(|(m, _)| m).collect();
        let interpreter = &target.interpreter;
        let is_known = interpreter.implementation == Implementation::Cpython;
        let series = is_known.then(|| interpreter.series());
        let others = if below { self.below() } else { Vec::new() };
        let others = others.into_iter().flat_map(|(_, all)| all).collect();
        let mut walk = Walk::new(&self.set, series, &roots, others);
        let locate = |wanted: &Wanted| {
            let key = (wanted.project, wanted.file.clone());
            self.sources.get(&key).cloned()
        };
        let effort = follow(&mut walk, &locate, catalogue);
        let (first, below) = walk.gaps().into_iter().partition(|g| g.asked);
        Gaps {
            first,
            below,
            sources: effort.sources,
        }
    }

    /// A project of the set with its release.
    pub(crate) fn name(&self, project: usize) -> &str {
        self.names.get(project).map_or("", String::as_str)
    }

    /// What is lacking, with the release that takes it.
    pub(crate) fn told(&self, gap: &Gap) -> String {
        format!("{} {}", self.name(gap.taker), gap.told(&self.names))
    }

    /// The project whose file this is, by its path from the folder of modules on.
    pub(crate) fn owner(&self, path: &str) -> Option<usize> {
        (0..self.names.len()).find(|p| self.sources.contains_key(&(*p, path.to_owned())))
    }
}

/// The projects that a wheel needs for its extras alone; none that cannot be read.
fn optional(dist_info: &std::path::Path) -> BTreeSet<Name> {
    let bytes = std::fs::read(dist_info.join("METADATA")).ok();
    let metadata = bytes.and_then(|b| Metadata::parse(&b).ok());
    let needs = metadata.into_iter().flat_map(|m| m.requires);
    let for_extra = |r: &Requirement| {
        let marker = r.marker.as_ref();
        marker.is_some_and(|m| m.mentions(Variable::Extra))
    };
    needs.filter(for_extra).map(|r| r.name).collect()
}

/// The modules in which the scripts of a wheel start; none that cannot be read.
fn starts(dist_info: &std::path::Path) -> BTreeSet<String> {
    let bytes = std::fs::read(dist_info.join("entry_points.txt"));
    EntryPoints::starts(&bytes.unwrap_or_default())
}
