//! What one's own code may import: what an environment holds, what pins pin, what asks lead to.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use eutaxis_core::examine::Snapshot;
use eutaxis_core::interface::Set;
use eutaxis_core::marker::Marker;
use eutaxis_core::own::{Bringer, Brought};
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::record;
use eutaxis_core::solve::{Asker, Chosen, Problem};
use eutaxis_core::{Ask, Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::Outcome;
use rayon::prelude::*;

use super::Reader;
use super::lines::exactly;
use crate::paired;
use crate::proof::bringing::{paths_in_file, paths_of};
use crate::words::near;

/// Something that code is held against.
pub(super) struct Held {
    pub(super) brought: Brought,
    pub(super) kind: Kind,
    /// Where it is for.
    pub(super) target: Target,
}

/// What it is.
#[derive(Debug, Clone)]
pub(super) enum Kind {
    Environment(PathBuf),
    /// Pins, and whether they remember the question that they answer.
    Pins(PathBuf, bool),
    /// A list, a project file, a script.
    Asks(PathBuf),
}

/// Projects with what is known of their modules, as they are gathered.
#[derive(Default)]
struct Gathered {
    bringers: Vec<Bringer>,
    paths: Vec<Option<Vec<String>>>,
}

impl Gathered {
    fn add(&mut self, name: &Name, asked: Option<bool>, paths: Option<Vec<String>>) {
        self.bringers.push(Bringer {
            name: name.clone(),
            asked,
            by: Vec::new(),
            known: false,
        });
        self.paths.push(paths);
    }

    fn brought(mut self, label: String) -> Brought {
        let mut set = Set::new(self.bringers.len());
        for (at, (bringer, paths)) in self.bringers.iter_mut().zip(&self.paths).enumerate() {
            bringer.known = paths.is_some();
            let paths = paths.iter().flatten();
            paths.for_each(|path| set.add(at, path));
        }
        Brought {
            label,
            set,
            bringers: self.bringers,
            beside: BTreeSet::new(),
        }
    }
}

/// What an environment holds.
pub(super) fn of_environment(reader: &Reader<'_>, root: &Path) -> Result<Held, Error> {
    let snapshot = reader.surroundings.snapshot(root, true)?;
    let mut gathered = Gathered::default();
    // Who placed it may not have noted what was asked for.
    let noted = snapshot.projects.iter().any(|p| p.requested);
    for project in &snapshot.projects {
        let asked = noted.then_some(project.requested);
        let paths = paths_in(&snapshot, project);
        gathered.add(&project.name, asked, Some(paths));
    }
    let holds = |m: &Option<Marker>| {
        let markers = &snapshot.target.markers;
        m.as_ref().is_none_or(|m| m.holds(markers, None))
    };
    for project in &snapshot.projects {
        let Ok(metadata) = &project.metadata else {
            continue;
        };
        let needs = metadata.requires.iter().filter(|r| holds(&r.marker));
        for need in needs {
            needed_by(&mut gathered.bringers, &need.name, &project.name);
        }
    }
    let mut brought = gathered.brought(near(root));
    // Folders that PYTHONPATH or a .pth file adds belong to no project.
    let tops = snapshot.path.iter().flat_map(|e| e.modules.keys());
    brought.beside = tops.cloned().collect();
    Ok(Held {
        brought,
        kind: Kind::Environment(root.to_owned()),
        target: snapshot.target,
    })
}

/// The paths of a placed project from the folder of modules on.
fn paths_in(snapshot: &Snapshot, project: &eutaxis_core::examine::Project) -> Vec<String> {
    let folder = snapshot
        .path
        .get(project.entry)
        .map_or("", |e| e.folder.as_str());
    let within = |path: &str| {
        let rest = path.strip_prefix(folder)?;
        Some(rest.trim_start_matches('/').to_owned())
    };
    let files = project.files.iter().filter_map(|f| within(&f.path));
    // One that is placed by a link to its sources says what its own names are.
    let claims = project.claims.iter().map(|c| format!("{c}/__init__.py"));
    files.chain(claims).collect()
}

/// Notes who needs a project.
fn needed_by(bringers: &mut [Bringer], need: &Name, by: &Name) {
    if let Some(found) = bringers.iter_mut().find(|b| b.name == *need)
        && *need != *by
        && !found.by.contains(by)
    {
        found.by.push(by.clone());
    }
}

/// What pins pin: their files are those of the environment that goes with them where it holds them,
/// else what the depots say.
pub(super) fn of_pins(reader: &Reader<'_>, path: &Path, whole: &Lock) -> Result<Held, Error> {
    let families = &reader.target.accelerators.families;
    let (target, lock) = match reader.stated {
        true => (
            reader.target.clone(),
            record::share_at(whole, reader.target, families),
        ),
        false => match record::shares(whole, families).into_iter().next() {
            Some(share) => (share.target, share.lock),
            None => {
                let own = record::target_of(whole, families);
                (own.unwrap_or_else(|| reader.target.clone()), whole.clone())
            }
        },
    };
    let environment = path.with_file_name("").join(paired::environment_of(path));
    let snapshot = match environment.join("pyvenv.cfg").is_file() {
        true => reader.surroundings.snapshot(&environment, true).ok(),
        false => None,
    };
    let remembers = record::question_of(whole).is_some();
    let mut gathered = Gathered::default();
    for package in &lock.packages {
        let version = |p: &Package| Version::parse(p.version.as_deref()?).ok();
        let placed = snapshot.as_ref().and_then(|snapshot| {
            let project = snapshot.visible(&package.name)?;
            let same = project.version.is_some() && project.version == version(package);
            same.then(|| paths_in(snapshot, project))
        });
        let asked = remembers.then(|| record::is_asked(package));
        gathered.add(&package.name, asked, placed);
    }
    for package in &lock.packages {
        for (by, _) in record::asked_as(package) {
            if let Ok(by) = Name::parse(&by) {
                needed_by(&mut gathered.bringers, &package.name, &by);
            }
        }
    }
    let unknown: Vec<usize> = (0..gathered.paths.len())
        .filter(|at| gathered.paths.get(*at).is_some_and(Option::is_none))
        .collect();
    if !reader.depots.is_empty() && !unknown.is_empty() {
        let asked: Vec<Requirement> = unknown
            .iter()
            .filter_map(|at| lock.packages.get(*at).map(exactly))
            .collect();
        let rules = eutaxis_core::offer::Rules {
            target: &target,
            ..reader.rules()
        };
        // What the depots do not tell, the names may.
        let found = paths_of(reader.run, &rules, &asked).unwrap_or_default();
        for (at, paths) in unknown.into_iter().zip(found) {
            if let Some(place) = gathered.paths.get_mut(at) {
                *place = paths;
            }
        }
    }
    Ok(Held {
        brought: gathered.brought(near(path)),
        kind: Kind::Pins(path.to_owned(), remembers),
        target,
    })
}

/// What asks lead to: where depots are named the set that is settled of them, else the asks alone.
pub(super) fn of_asks(reader: &Reader<'_>, path: &Path, asks: &[Ask]) -> Result<Held, Error> {
    let counts = |a: &&Ask| {
        let markers = &reader.target.markers;
        let marker = a.requirement.marker.as_ref();
        marker.is_none_or(|m| m.holds(markers, None))
    };
    let asks: Vec<Ask> = asks.iter().filter(counts).cloned().collect();
    let mut gathered = Gathered::default();
    if let Some(chosen) = settled(reader, &asks) {
        let paths = chosen
            .par_iter()
            .map(|c| paths_in_file(reader.run, &c.project, &c.file));
        let paths: Vec<Option<Vec<String>>> = paths.collect();
        for (chosen, paths) in chosen.iter().zip(paths) {
            let asked = chosen.asked_by.iter().any(|a| matches!(a, Asker::Ask(_)));
            gathered.add(&chosen.project, Some(asked), paths);
            let by: BTreeSet<Name> = (chosen.asked_by.iter())
                .filter_map(|asker| match asker {
                    Asker::Ask(_) => None,
                    Asker::Project(name, _) => Some(name.clone()),
                })
                .collect();
            if let Some(last) = gathered.bringers.last_mut() {
                last.by = by.into_iter().collect();
            }
        }
    } else {
        let requirements: Vec<Requirement> = asks.iter().map(|a| a.requirement.clone()).collect();
        let paths = match reader.depots.is_empty() {
            true => Vec::new(),
            false => paths_of(reader.run, &reader.rules(), &requirements).unwrap_or_default(),
        };
        for (at, requirement) in requirements.iter().enumerate() {
            let paths = paths.get(at).cloned().flatten();
            gathered.add(&requirement.name, Some(true), paths);
        }
    }
    Ok(Held {
        brought: gathered.brought(near(path)),
        kind: Kind::Asks(path.to_owned()),
        target: reader.target.clone(),
    })
}

/// The set that asks lead to; none where there is none, or it cannot be had.
fn settled(reader: &Reader<'_>, asks: &[Ask]) -> Option<Vec<Chosen>> {
    if reader.depots.is_empty() || asks.is_empty() {
        return None;
    }
    let mut problem = Problem::new(reader.target.clone(), reader.policy.clone(), asks.to_vec());
    problem.adjustments = reader.adjustments.to_vec();
    match reader.run.solve(&problem, &|_| {}) {
        Ok(Outcome::Settled(solution)) => Some(solution.chosen),
        Ok(Outcome::Clash(_)) | Err(_) => None,
    }
}
