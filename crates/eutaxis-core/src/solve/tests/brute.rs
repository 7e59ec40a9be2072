//! The rules of choice by brute force: every assignment of a small world is looked at, and the promise is read off the
//! ones that hold. It shares the readers of versions and markers with the search, and nothing else.

use std::collections::{BTreeMap, BTreeSet};

use super::super::Problem;
use super::toy::{Release, World};
use crate::name::Name;
use crate::offer::{Chronology, Prefer, Wheels};
use crate::requirement::Requirement;
use crate::version::{SpecifierSet, Version};

/// Chosen releases, by index into the project's list.
type Assignment = BTreeMap<String, usize>;

struct Brute<'a> {
    world: &'a World,
    problem: &'a Problem,
    /// By project and release: version, needs, extras offered, and whether it can be used. Read once.
    parsed: BTreeMap<&'a str, Vec<Parsed>>,
}

struct Parsed {
    version: Version,
    needs: Vec<Requirement>,
    offered: Vec<Name>,
    usable: bool,
}

/// The promised solution in the order of turns, or none.
pub(super) fn solve(world: &World, problem: &Problem) -> Option<Vec<(String, String)>> {
    let brute = Brute::new(world, problem);
    let names: Vec<&String> = world.projects.keys().collect();
    let mut solutions = Vec::new();
    brute.enumerate(&names, &mut Assignment::new(), &mut solutions);
    brute.promised(solutions)
}

/// Whether the rule on pre-releases keeps this one from a requirement.
pub(super) fn keeps_out(world: &World, problem: &Problem, requirement: &Requirement, version: &Version) -> bool {
    let brute = Brute::new(world, problem);
    let releases = &brute.parsed[requirement.name.as_str()];
    releases.iter().position(|r| r.version == *version).is_some_and(|i| !brute.takes(requirement, i))
}

impl<'a> Brute<'a> {
    fn new(world: &'a World, problem: &'a Problem) -> Self {
        let parse = |project: &str, release: &Release| Parsed {
            version: Version::parse(&release.version).unwrap(),
            needs: release.needs.iter().map(|n| Requirement::parse(n).unwrap()).collect(),
            offered: release.extras.iter().map(|e| Name::parse(e).unwrap()).collect(),
            usable: usable(project, release, problem),
        };
        let projects = world.projects.iter();
        let parsed = projects
            .map(|(name, releases)| (name.as_str(), releases.iter().map(|r| parse(name, r)).collect()))
            .collect();
        Brute { world, problem, parsed }
    }
}

impl Brute<'_> {
    fn release(&self, project: &str, index: usize) -> &Release {
        &self.world.projects[project][index]
    }

    fn enumerate(&self, names: &[&String], partial: &mut Assignment, found: &mut Vec<Assignment>) {
        let Some((first, rest)) = names.split_first() else {
            if self.holds(partial) {
                found.push(partial.clone());
            }
            return;
        };
        self.enumerate(rest, partial, found);
        for index in (0..self.world.projects[*first].len()).filter(|i| self.parsed[first.as_str()][*i].usable) {
            partial.insert((*first).clone(), index);
            self.enumerate(rest, partial, found);
            partial.remove(*first);
        }
    }

    /// Requirements of a release that count under these extras; each with the extras that bring it (none: the base).
    fn needs(&self, project: &str, index: usize, extras: &BTreeSet<Name>) -> Vec<(Requirement, bool)> {
        let release = &self.parsed[project][index];
        let values = &self.problem.target.markers;
        let mut needs = Vec::new();
        for requirement in &release.needs {
            let base = requirement.marker.as_ref().is_none_or(|m| m.holds(values, None));
            let by_extra = |m: &crate::Marker| {
                extras.iter().filter(|e| release.offered.contains(e)).any(|e| m.holds(values, Some(e)))
            };
            if base || requirement.marker.as_ref().is_some_and(by_extra) {
                needs.push((requirement.clone(), base));
            }
        }
        needs
    }

    /// The requirements in force and the extras asked of each project, from the asks on.
    fn reach(&self, chosen: &Assignment) -> (Vec<Requirement>, BTreeMap<String, BTreeSet<Name>>) {
        let mut extras: BTreeMap<String, BTreeSet<Name>> = BTreeMap::new();
        let asks: Vec<Requirement> = self.problem.asks_in_force().map(|(_, a)| a.requirement.clone()).collect();
        loop {
            let before = extras.clone();
            let mut in_force = asks.clone();
            for (project, asked) in &before {
                if let Some(index) = chosen.get(project) {
                    in_force.extend(self.needs(project, *index, asked).into_iter().map(|(r, _)| r));
                }
            }
            for requirement in &in_force {
                extras.entry(requirement.name.to_string()).or_default().extend(requirement.extras.iter().cloned());
            }
            if extras == before {
                return (in_force, extras);
            }
        }
    }

    fn holds(&self, chosen: &Assignment) -> bool {
        let (in_force, reached) = self.reach(chosen);
        let bounds: Vec<&Requirement> = self.problem.bounds_in_force().map(|(_, b)| &b.requirement).collect();
        let mut toolkits: Vec<String> = chosen
            .iter()
            .filter(|(p, i)| !self.release(p, **i).source_only)
            .filter_map(|(p, i)| self.parsed[p.as_str()][*i].version.local().filter(|l| l.starts_with("bor")))
            .collect();
        toolkits.dedup();
        toolkits.sort();
        toolkits.dedup();
        toolkits.len() < 2
            && chosen.keys().all(|p| reached.contains_key(p))
            && in_force.iter().all(|r| chosen.get(r.name.as_str()).is_some_and(|i| self.takes(r, *i)))
            && chosen.iter().all(|(project, index)| {
                let release = self.release(project, *index);
                let version = self.parsed[project.as_str()][*index].version.clone();
                let of_project = |r: &&Requirement| r.name.as_str() == project;
                let bound = bounds.iter().copied().filter(of_project).all(|r| r.versions().unwrap().matches(&version));
                let pinned = in_force
                    .iter()
                    .chain(bounds.iter().copied())
                    .filter(of_project)
                    .any(|r| r.versions().unwrap().pins(&version));
                bound && (!release.yanked || pinned)
            })
    }

    fn takes(&self, requirement: &Requirement, index: usize) -> bool {
        let set = requirement.versions().unwrap();
        let releases = &self.parsed[requirement.name.as_str()];
        let mine = &releases[index].version;
        if !set.matches(mine) || !mine.is_prerelease() {
            return set.matches(mine);
        }
        let stated = self.problem.asks_in_force().chain(self.problem.bounds_in_force());
        let named = stated
            .filter(|(_, a)| a.requirement.name == requirement.name)
            .any(|(_, a)| a.requirement.versions().unwrap().names_prerelease());
        let yanked = |i: usize| self.release(requirement.name.as_str(), i).yanked;
        let plain = releases
            .iter()
            .enumerate()
            .any(|(i, r)| r.usable && !yanked(i) && !r.version.is_prerelease() && set.matches(&r.version));
        self.problem.policy.prereleases.admits(&requirement.name) || named || set.names_prerelease() || !plain
    }

    /// Walks the queue, keeping the solutions that take the best offer at each turn.
    fn promised(&self, mut solutions: Vec<Assignment>) -> Option<Vec<(String, String)>> {
        let mut queue: Vec<String> = Vec::new();
        let mut asked: Vec<(String, Name)> = Vec::new();
        for (_, ask) in self.problem.asks_in_force() {
            let project = ask.requirement.name.to_string();
            if !queue.contains(&project) {
                queue.push(project.clone());
            }
            asked.extend(ask.requirement.extras.iter().map(|e| (project.clone(), e.clone())));
        }
        let mut order = Vec::new();
        let mut turn = 0;
        while turn < queue.len() {
            let project = queue[turn].clone();
            turn += 1;
            let askers = self.askers(&project, &order, &asked, &solutions);
            let best = solutions.iter().map(|s| s[&project]).min_by_key(|i| self.preference(&project, *i, &askers))?;
            solutions.retain(|s| s[&project] == best);
            order.push((project.clone(), self.release(&project, best).version.clone()));
            self.join(&project, best, None, &mut queue, &mut asked, turn, &solutions);
        }
        (!solutions.is_empty()).then_some(order)
    }

    /// What joins the queue: the base and asked extras of a project at its turn, or one extra asked for later.
    #[allow(clippy::too_many_arguments)]
    fn join(
        &self,
        project: &str,
        index: usize,
        late: Option<Name>,
        queue: &mut Vec<String>,
        asked: &mut Vec<(String, Name)>,
        turn: usize,
        solutions: &[Assignment],
    ) {
        let mut extras: BTreeSet<Name> = match &late {
            Some(extra) => [extra.clone()].into(),
            None => asked.iter().filter(|(p, _)| p == project).map(|(_, e)| e.clone()).collect(),
        };
        loop {
            let before = extras.len();
            for (requirement, base) in self.needs(project, index, &extras) {
                if requirement.name.as_str() == project && (late.is_none() || !base) {
                    extras.extend(requirement.extras.iter().cloned());
                }
            }
            if extras.len() == before {
                break;
            }
        }
        for extra in &extras {
            if !asked.contains(&(project.to_owned(), extra.clone())) {
                asked.push((project.to_owned(), extra.clone()));
            }
        }
        let needs = self.needs(project, index, &extras);
        let base = needs.iter().filter(|(_, base)| *base && late.is_none());
        let more = needs.iter().filter(|(_, base)| !*base);
        for (requirement, _) in base.chain(more) {
            let other = requirement.name.to_string();
            if !queue.contains(&other) {
                queue.push(other.clone());
            }
            for extra in &requirement.extras {
                if asked.contains(&(other.clone(), extra.clone())) {
                    continue;
                }
                asked.push((other.clone(), extra.clone()));
                let place = queue.iter().position(|p| *p == other).unwrap();
                if place < turn {
                    // All solutions that are left agree on projects that had their turn.
                    self.join(&other, solutions[0][&other], Some(extra.clone()), queue, asked, turn, solutions);
                }
            }
        }
    }

    /// The years of those that had their turn and need a project, and whether they set it no bound above.
    fn askers(
        &self,
        project: &str,
        order: &[(String, String)],
        asked: &[(String, Name)],
        solutions: &[Assignment],
    ) -> Vec<(u32, bool)> {
        let mut found = Vec::new();
        for (asker, _) in order.iter().filter(|(a, _)| a != project) {
            let index = solutions[0][asker];
            let Some(year) = self.release(asker, index).year else { continue };
            let extras: BTreeSet<Name> = asked.iter().filter(|(p, _)| p == asker).map(|(_, e)| e.clone()).collect();
            let needs = self.needs(asker, index, &extras);
            let mine = needs.iter().filter(|(n, _)| n.name.as_str() == project);
            found.extend(mine.map(|(n, _)| (year, n.versions().unwrap().matches(&Version::parse("99999").unwrap()))));
        }
        found
    }

    /// Whether the series of a release began after one who leaves all series open.
    fn is_unmet(&self, project: &str, version: &Version, askers: &[(u32, bool)]) -> bool {
        let series = |v: &Version| v.release_number(0);
        let of_series = |finals: bool| {
            let releases = self.world.projects[project].iter().map(|r| (Version::parse(&r.version).unwrap(), r.year));
            releases
                .filter(|(v, _)| series(v) == series(version) && (!finals || !v.is_prerelease()))
                .filter_map(|(_, year)| year)
                .min()
        };
        let began = of_series(true).or_else(|| of_series(false));
        askers.iter().any(|(year, open)| *open && began.is_some_and(|b| b > *year))
    }

    /// Smaller is better: prior, not yanked, wheel, then age by policy.
    fn preference(&self, project: &str, index: usize, askers: &[(u32, bool)]) -> impl Ord + use<> {
        let release = self.release(project, index);
        let version = Version::parse(&release.version).unwrap();
        let policy = &self.problem.policy;
        let name = Name::parse(project).unwrap();
        let kept = self.problem.prior.get(&name) == Some(&version);
        let mut ages: Vec<Version> =
            self.world.projects[project].iter().map(|r| Version::parse(&r.version).unwrap()).collect();
        ages.sort();
        let age = ages.iter().position(|v| *v == version).unwrap() as i64;
        // Builds of one release are of one age.
        let release_age = ages.iter().position(|v| v.public() == version.public()).unwrap() as i64;
        let latest = askers.iter().map(|(year, _)| *year).max();
        let late = policy.prefer == Prefer::Period && latest.zip(release.year).is_some_and(|(l, mine)| mine > l);
        let by_age = if policy.prefer == Prefer::Oldest || late { release_age } else { -release_age };
        let built = policy.wheels != Wheels::Any && release.source_only;
        let unmet = policy.chronology == Chronology::Follow && self.is_unmet(project, &version, askers);
        let tier_of = |i: usize| {
            let label = self.parsed[project][i].version.local().filter(|_| !self.release(project, i).source_only);
            runs(label.as_deref(), &self.problem.target).unwrap_or(PLAIN)
        };
        let mut others = 0..self.parsed[project].len();
        let accelerated = others.any(|i| self.parsed[project][i].usable && tier_of(i) < PLAIN);
        let tier = tier_of(index);
        let unused = accelerated && tier == PLAIN;
        // Of builds that run equally well the one for the newest toolkit, which is the greater label.
        let newest = if policy.prefer == Prefer::Oldest { age } else { -age };
        let newest = if tier == PLAIN { newest } else { 0 };
        let label = if tier == PLAIN { None } else { version.local() };
        (release.yanked, !kept, built, unused, unmet, late, by_age, tier, std::cmp::Reverse(label), newest)
    }
}

/// Whether a release can be taken at all.
pub(super) fn usable(project: &str, release: &Release, problem: &Problem) -> bool {
    let built = problem.policy.wheels != Wheels::Only || problem.policy.build.iter().any(|p| p.as_str() == project);
    let python = release.python.as_ref();
    let runs = python.is_none_or(|p| SpecifierSet::parse(p).unwrap().matches(&problem.target.interpreter.version));
    let has_file = !release.barred && (!release.source_only || built);
    let label = Version::parse(&release.version).unwrap().local().filter(|_| !release.source_only);
    has_file && runs && self::runs(label.as_deref(), &problem.target).is_some()
}

/// Whether a release is a build that is out just for its accelerator, beside another build of it that can be taken: as its
/// page says, or as the metadata of the other says too. That of a barred build is never read.
pub(super) fn stood_for(project: &str, release: &Release, world: &World, problem: &Problem, by_page: bool) -> bool {
    let version = |r: &Release| Version::parse(&r.version).unwrap();
    let runs = runs(version(release).local().as_deref(), &problem.target).is_some();
    let public = version(release).public().to_string();
    let otherwise = Release { version: public, python: None, ..release.clone() };
    let same = |r: &&Release| version(r).public() == version(release).public();
    let can_be_taken = |r: &Release| match by_page {
        true => usable(project, &Release { python: None, ..r.clone() }, problem),
        false => usable(project, r, problem),
    };
    !runs
        && !release.source_only
        && usable(project, &otherwise, problem)
        && world.projects[project].iter().filter(same).any(can_be_taken)
}

/// The tier of a build that leaves accelerators out.
const PLAIN: u8 = 3;

/// How well a build with this label runs in one of the places that the tests know; none when it does not.
fn runs(label: Option<&str>, target: &crate::Target) -> Option<u8> {
    let place = target.accelerators.as_option();
    let Some(label) = label.filter(|l| l.starts_with("bor")) else { return Some(PLAIN) };
    match (place.trim_matches('"'), label) {
        ("none", _) => None,
        ("borealis driver 498.2", "bor36") => Some(1),
        ("borealis driver 512.4", "bor36" | "bor41") => Some(1),
        ("borealis driver 512.4", "bor42") => Some(2),
        ("borealis toolkit 3.6", "bor36") => Some(0),
        _ => None,
    }
}
