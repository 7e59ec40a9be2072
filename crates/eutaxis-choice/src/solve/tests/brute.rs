//! The rules of choice by brute force: every assignment of a small world is looked at, and the
//! promise is read off the ones that hold. It shares the readers of versions and markers with the
//! search, and nothing else.

use std::collections::{BTreeMap, BTreeSet};

use super::super::Problem;
use super::toy::{Release, World};
use crate::offer::{Chronology, Prefer, Wheels};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::{Version, VersionSpecifier};

/// Chosen releases, by index into the project's list.
type Assignment = BTreeMap<String, usize>;

struct Brute<'a> {
    world: &'a World,
    problem: &'a Problem,
    /// By project and release: version, needs, extras offered, and whether it can be used. Read
    /// once.
    parsed: BTreeMap<&'a str, Vec<Parsed>>,
}

struct Parsed {
    version: Version,
    needs: Vec<Requirement>,
    offered: Vec<Name>,
    usable: bool,
}

/// The promised solution in the order of turns, or `no`, when these strong facts and earlier pins
/// were let go.
pub(super) fn solve(world: &World, problem: &Problem, gone: &[String]) -> String {
    let brute = Brute::new(world, problem);
    let kept = |s: &Assignment| {
        brute
            .doubts(s)
            .iter()
            .chain(&brute.unpinned(s))
            .all(|one| gone.contains(one))
    };
    let solutions = brute.solutions().into_iter().filter(kept).collect();
    brute.promised(solutions).map_or("no".to_owned(), |order| {
        let words: Vec<String> = order.iter().map(|(p, v)| format!("{p} {v}")).collect();
        words.join(", ")
    })
}

/// Whether the rule on pre-releases keeps this one from a requirement.
pub(super) fn keeps_out(
    world: &World,
    problem: &Problem,
    requirement: &Requirement,
    version: &Version,
) -> bool {
    let brute = Brute::new(world, problem);
    let releases = &brute.parsed[requirement.name.as_str()];
    releases
        .iter()
        .position(|r| r.version == *version)
        .is_some_and(|i| !brute.takes(requirement, i))
}

impl<'a> Brute<'a> {
    fn new(world: &'a World, problem: &'a Problem) -> Self {
        let parse = |project: &str, release: &Release| Parsed {
            version: Version::parse(&release.version).unwrap(),
            needs: release
                .needs
                .iter()
                .map(|n| Requirement::parse(n).unwrap())
                .collect(),
            offered: release
                .extras
                .iter()
                .map(|e| Name::parse(e).unwrap())
                .collect(),
            usable: usable(project, release, problem),
        };
        let projects = world.projects.iter();
        let parsed = projects
            .map(|(name, releases)| {
                (
                    name.as_str(),
                    releases.iter().map(|r| parse(name, r)).collect(),
                )
            })
            .collect();
        Brute {
            world,
            problem,
            parsed,
        }
    }
}

impl Brute<'_> {
    fn release(&self, project: &str, index: usize) -> &Release {
        &self.world.projects[project][index]
    }

    fn solutions(&self) -> Vec<Assignment> {
        let names: Vec<&String> = self.world.projects.keys().collect();
        let mut solutions = Vec::new();
        self.enumerate(&names, &mut Assignment::new(), &mut solutions);
        solutions
    }

    /// Projects that are not as they were pinned before, though they could be.
    fn unpinned(&self, chosen: &Assignment) -> Vec<String> {
        let differs = |(project, index): (&String, &usize)| {
            let releases = &self.parsed[project.as_str()];
            let prior = self.problem.prior.get(&Name::parse(project).unwrap())?;
            let can_be = releases.iter().any(|r| r.usable && r.version == *prior);
            (can_be && releases[*index].version != *prior).then(|| project.clone())
        };
        chosen.iter().filter_map(differs).collect()
    }

    /// The strong facts that a solution goes against, in words.
    fn doubts(&self, chosen: &Assignment) -> Vec<String> {
        let mut found = Vec::new();
        if !self.problem.policy.chronology.decides() {
            return found;
        }
        let (_, reached) = self.reach(chosen);
        for (project, index) in chosen {
            let release = &self.parsed[project.as_str()][*index];
            let mut told =
                |text: String| found.push(format!("{project} {} {text}", release.version));
            let asked: Vec<Option<Name>> = std::iter::once(None)
                .chain(
                    reached[project]
                        .iter()
                        .filter(|e| release.offered.contains(e))
                        .cloned()
                        .map(Some),
                )
                .collect();
            for extra in asked {
                for other in self.open_needs(project, *index, extra.as_ref()) {
                    let theirs = &self.parsed[other.as_str()][chosen[&other]].version;
                    // One that would be built is no way round a fact that speaks of another.
                    let built = self.release(&other, chosen[&other]).source_only
                        && !self.release(&other, chosen[&other]).barred
                        && self.problem.policy.wheels != Wheels::Any;
                    let usable =
                        (0..self.parsed[other.as_str()].len()).filter(|i| self.by_page(&other, *i));
                    for i in usable.filter(|i| built || *i == chosen[&other]) {
                        self.by_date(project, *index, &other, i)
                            .into_iter()
                            .for_each(&mut told);
                    }
                    if let Some((by, bound, above)) =
                        self.by_later(project, *index, &other, extra.as_ref())
                        && (above(theirs) || (built && self.usable_versions(&other).any(above)))
                    {
                        told(format!("{other} Learnt {{ by: {by:?}, bound: {bound:?} }}"));
                    }
                }
            }
            let runs_on = &self.problem.target.interpreter.version;
            let series = format!(
                "{}.{}",
                runs_on.release_number(0),
                runs_on.release_number(1)
            );
            let is_old = |i: usize| {
                let began = eutaxis_standards::knowledge::series("cpython", &series)
                    .and_then(|s| s.first.clone());
                let began: jiff::civil::Date = began.unwrap().parse().unwrap();
                let year = self.release(project, i).year;
                year.is_some_and(|y| began.since(day(y)).unwrap().get_days() > 4 * 365)
            };
            let newer = |i: &usize| {
                self.parsed[project.as_str()][*i].version > release.version && !is_old(*i)
            };
            if is_old(*index) && self.paged_wheels(project).iter().any(newer) {
                told(format!(
                    "{project} Interpreter {{ series: \"CPython {series}\", classified: None }}"
                ));
            }
        }
        found
    }

    /// Needs of a release under its base or one extra.
    fn under(&self, project: &str, index: usize, extra: Option<&Name>) -> Vec<(Requirement, bool)> {
        self.needs(project, index, &extra.cloned().into_iter().collect())
    }

    fn open_needs(&self, project: &str, index: usize, extra: Option<&Name>) -> Vec<String> {
        let needs = self.under(project, index, extra);
        let is_open = |r: &Requirement| {
            r.versions()
                .unwrap()
                .matches(&Version::parse("99999").unwrap())
        };
        let mut open: Vec<String> = Vec::new();
        for (need, base) in &needs {
            let name = need.name.to_string();
            let all_open = needs
                .iter()
                .filter(|(n, _)| n.name == need.name)
                .all(|(n, _)| is_open(n));
            if (extra.is_none() || !base) && name != project && all_open && !open.contains(&name) {
                open.push(name);
            }
        }
        open
    }

    fn first_of_series(&self, project: &str, version: &Version) -> Option<u32> {
        let series = |v: &Version| v.release_number(0);
        let of_series = |finals: bool| {
            let releases = self.world.projects[project]
                .iter()
                .map(|r| (Version::parse(&r.version).unwrap(), r.year));
            releases
                .filter(|(v, _)| series(v) == series(version) && (!finals || !v.is_prerelease()))
                .filter_map(|(_, year)| year)
                .min()
        };
        of_series(true).or_else(|| of_series(false))
    }

    fn last_final(&self, project: &str) -> Option<u32> {
        let finals = self.world.projects[project]
            .iter()
            .filter(|r| !Version::parse(&r.version).unwrap().is_prerelease());
        finals.filter_map(|r| r.year).max()
    }

    fn by_date(&self, project: &str, index: usize, other: &str, theirs: usize) -> Option<String> {
        let (mine, release) = (self.release(project, index), self.release(other, theirs));
        let version = &self.parsed[other][theirs].version;
        let year = mine.year?;
        let began = self.first_of_series(other, version).filter(|b| *b > year)?;
        let last = self.last_final(project).map_or(year, |l| l.max(year));
        let days = |a: u32, b: u32| day(b).since(day(a)).unwrap().get_days();
        let silent = days(last, began);
        let strong = |limit: i32| silent < 0 || silent > limit;
        let is_compiled = |r: &Release| r.compiled && !r.source_only && !r.barred;
        let in_wheels = |r: &Release| r.barred || (r.compiled && !r.source_only);
        let of_series = self.world.projects[other].iter().filter(|r| {
            Version::parse(&r.version).unwrap().release_number(0) == version.release_number(0)
        });
        let source_is_compiled = of_series.clone().any(in_wheels);
        let theirs =
            |r: &Release| is_compiled(r) || (r.source_only && !r.barred && source_is_compiled);
        let is_left = self
            .last_final(other)
            .is_some_and(|newest| days(began, newest) > 730);
        let number = version.release_number(0);
        if is_compiled(mine) && theirs(release) {
            (strong(365) || is_left).then(|| format!("{other} Compiled {{ series: \"{number}\" }}"))
        } else {
            strong(548).then(|| format!("{other} Series {{ series: \"{number}\" }}"))
        }
    }

    fn by_page(&self, project: &str, index: usize) -> bool {
        usable(
            project,
            &Release {
                python: None,
                ..self.release(project, index).clone()
            },
            self.problem,
        )
    }

    fn usable_versions(&self, project: &str) -> impl Iterator<Item = &Version> {
        let project = project.to_owned();
        let all = self.parsed[project.as_str()].iter().enumerate();
        all.filter(move |(i, _)| self.by_page(&project, *i))
            .map(|(_, p)| &p.version)
    }

    /// Final releases with a wheel by their page, oldest first.
    fn paged_wheels(&self, project: &str) -> Vec<usize> {
        let by_page = |r: &Release| Release {
            python: None,
            costly: false,
            ..r.clone()
        };
        let is_one = |i: &usize| {
            let release = by_page(self.release(project, *i));
            usable(project, &release, self.problem)
                && !release.yanked
                && !release.source_only
                && !self.parsed[project][*i].version.is_prerelease()
        };
        let mut found: Vec<usize> = (0..self.parsed[project].len()).filter(is_one).collect();
        found.sort_by(|a, b| {
            self.parsed[project][*a]
                .version
                .cmp(&self.parsed[project][*b].version)
        });
        found
    }

    /// The later release that bounds another, its bound, and what lies above it.
    fn by_later(
        &self,
        project: &str,
        index: usize,
        other: &str,
        extra: Option<&Name>,
    ) -> Option<(Version, String, impl Fn(&Version) -> bool + use<>)> {
        let mine = &self.parsed[project][index].version;
        let version = |i: usize| &self.parsed[project][i].version;
        let later: Vec<usize> = self
            .paged_wheels(project)
            .into_iter()
            .filter(|i| version(*i) > mine)
            .collect();
        let number = |i: &usize| version(*i).release_number(0);
        let next = later
            .iter()
            .map(number)
            .filter(|n| *n > mine.release_number(0))
            .min();
        let bounds = |i: usize| -> Vec<Requirement> {
            let needs = self.under(project, i, extra).into_iter().map(|(r, _)| r);
            needs.filter(|r| r.name.as_str() == other).collect()
        };
        let is_open = |r: &Requirement| {
            r.versions()
                .unwrap()
                .matches(&Version::parse("99999").unwrap())
        };
        let minor = |v: &Version| v.release_number(1);
        let own = Some(mine.release_number(0));
        for (wanted, mends) in [(own, true), (own, false), (next, false)] {
            let of: Vec<usize> = later
                .iter()
                .copied()
                .filter(|i| {
                    Some(number(i)) == wanted && (!mends || minor(version(*i)) == minor(mine))
                })
                .collect();
            let bounded = |i: &usize| {
                !self.release(project, *i).costly && bounds(*i).iter().any(|r| !is_open(r))
            };
            if !of.last().is_some_and(bounded) {
                continue;
            }
            let at = of[of.partition_point(|i| !bounded(i))];
            let found = bounds(at);
            let bound = found.iter().find(|r| !is_open(r)).unwrap().short();
            let sets: Vec<VersionSpecifier> = found
                .iter()
                .map(|r| r.versions().unwrap().clone())
                .collect();
            let above = move |v: &Version| {
                sets.iter().flat_map(VersionSpecifier::clauses).any(|c| {
                    let text = c.to_string();
                    let closes =
                        text.starts_with('<') || text.starts_with("~=") || text.ends_with(".*");
                    closes
                        && !text.starts_with("!=")
                        && !c.matches(v)
                        && *v >= *c.version().unwrap()
                })
            };
            return Some((version(at).clone(), bound, above));
        }
        None
    }

    fn enumerate(&self, names: &[&String], partial: &mut Assignment, found: &mut Vec<Assignment>) {
        let Some((first, rest)) = names.split_first() else {
            if self.holds(partial) {
                found.push(partial.clone());
            }
            return;
        };
        self.enumerate(rest, partial, found);
        for index in (0..self.world.projects[*first].len())
            .filter(|i| self.parsed[first.as_str()][*i].usable)
        {
            partial.insert((*first).clone(), index);
            self.enumerate(rest, partial, found);
            partial.remove(*first);
        }
    }

    /// Requirements of a release that count under these extras; each with the extras that bring it
    /// (none: the base).
    fn needs(
        &self,
        project: &str,
        index: usize,
        extras: &BTreeSet<Name>,
    ) -> Vec<(Requirement, bool)> {
        let release = &self.parsed[project][index];
        let values = &self.problem.target.markers;
        let mut needs = Vec::new();
        for requirement in &release.needs {
            let base = requirement
                .marker
                .as_ref()
                .is_none_or(|m| m.holds(values, None));
            let by_extra = |m: &eutaxis_standards::Marker| {
                extras
                    .iter()
                    .filter(|e| release.offered.contains(e))
                    .any(|e| m.holds(values, Some(e)))
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
        let asks: Vec<Requirement> = self
            .problem
            .asks_in_force()
            .map(|(_, a)| a.requirement.clone())
            .collect();
        loop {
            let before = extras.clone();
            let mut in_force = asks.clone();
            for (project, asked) in &before {
                if let Some(index) = chosen.get(project) {
                    in_force.extend(
                        self.needs(project, *index, asked)
                            .into_iter()
                            .map(|(r, _)| r),
                    );
                }
            }
            for requirement in &in_force {
                extras
                    .entry(requirement.name.to_string())
                    .or_default()
                    .extend(requirement.extras.iter().cloned());
            }
            if extras == before {
                return (in_force, extras);
            }
        }
    }

    fn holds(&self, chosen: &Assignment) -> bool {
        let (in_force, reached) = self.reach(chosen);
        let bounds: Vec<&Requirement> = self
            .problem
            .bounds_in_force()
            .map(|(_, b)| &b.requirement)
            .collect();
        let mut toolkits: Vec<String> = chosen
            .iter()
            .filter(|(p, i)| !self.release(p, **i).source_only)
            .filter_map(|(p, i)| {
                self.parsed[p.as_str()][*i]
                    .version
                    .local()
                    .filter(|l| l.starts_with("nor"))
            })
            .collect();
        toolkits.dedup();
        toolkits.sort();
        toolkits.dedup();
        toolkits.len() < 2
            && chosen.keys().all(|p| reached.contains_key(p))
            && in_force.iter().all(|r| {
                chosen
                    .get(r.name.as_str())
                    .is_some_and(|i| self.takes(r, *i))
            })
            && chosen.iter().all(|(project, index)| {
                let release = self.release(project, *index);
                let version = self.parsed[project.as_str()][*index].version.clone();
                let of_project = |r: &&Requirement| r.name.as_str() == project;
                let bound = bounds
                    .iter()
                    .copied()
                    .filter(of_project)
                    .all(|r| r.versions().unwrap().matches(&version));
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
        let stated = self.problem.in_force();
        let named = stated
            .filter(|a| a.requirement.name == requirement.name)
            .any(|a| a.requirement.versions().unwrap().names_prerelease());
        let yanked = |i: usize| self.release(requirement.name.as_str(), i).yanked;
        let plain = releases.iter().enumerate().any(|(i, r)| {
            r.usable && !yanked(i) && !r.version.is_prerelease() && set.matches(&r.version)
        });
        self.problem.policy.prereleases.admits(&requirement.name)
            || named
            || set.names_prerelease()
            || !plain
    }

    /// Walks the queue, keeping the solutions that take the best offer at each turn.
    fn promised(&self, mut solutions: Vec<Assignment>) -> Option<Vec<(String, String)>> {
        let mut listed: Vec<String> = Vec::new();
        let mut asked: Vec<(String, Name)> = Vec::new();
        for (_, ask) in self.problem.asks_in_force() {
            let project = ask.requirement.name.to_string();
            if !listed.contains(&project) {
                listed.push(project.clone());
            }
            asked.extend(
                ask.requirement
                    .extras
                    .iter()
                    .map(|e| (project.clone(), e.clone())),
            );
        }
        let held = self.held(&listed);
        listed.retain(|p| !held.contains(p));
        let mut groups: Vec<Vec<String>> = held.iter().map(|p| vec![p.clone()]).collect();
        groups.push(listed);
        let mut times: BTreeMap<String, u32> = BTreeMap::new();
        let mut queue: Vec<String> = Vec::new();
        let mut order = Vec::new();
        let mut turn = 0;
        for group in groups {
            queue.extend(
                group
                    .into_iter()
                    .filter(|p| !queue.contains(p))
                    .collect::<Vec<_>>(),
            );
            while turn < queue.len() {
                let project = queue[turn].clone();
                turn += 1;
                let time = times.get(&project).copied();
                let best = solutions
                    .iter()
                    .map(|s| s[&project])
                    .min_by_key(|i| self.preference(&project, *i, time))?;
                solutions.retain(|s| s[&project] == best);
                let release = self.release(&project, best);
                order.push((project.clone(), release.version.clone()));
                let own = release.year.filter(|_| held.contains(&project));
                let passed = [own, time].into_iter().flatten().min();
                let mut reached: Vec<String> = Vec::new();
                self.join(
                    &project,
                    best,
                    None,
                    &mut queue,
                    &mut asked,
                    turn,
                    &solutions,
                    &mut reached,
                );
                for (other, year) in reached
                    .into_iter()
                    .filter_map(|other| Some((other, passed?)))
                {
                    let known = times.entry(other).or_insert(year);
                    *known = year.min(*known);
                }
            }
        }
        (!solutions.is_empty()).then_some(order)
    }

    /// Asked projects that asks and bounds hold below their newest, the oldest first.
    fn held(&self, listed: &[String]) -> Vec<String> {
        let policy = &self.problem.policy;
        if !policy.chronology.decides() || policy.prefer == Prefer::Oldest {
            return Vec::new();
        }
        let mut held: Vec<(u32, String)> = Vec::new();
        for project in listed {
            let stated = self.problem.in_force();
            let sets: Vec<&VersionSpecifier> = stated
                .filter(|a| a.requirement.name.as_str() == project)
                .map(|a| a.requirement.versions().unwrap())
                .collect();
            let page: Vec<(Version, &Release)> = self
                .world
                .projects
                .get(project)
                .into_iter()
                .flatten()
                .filter(|r| {
                    usable(
                        project,
                        &Release {
                            python: None,
                            ..(*r).clone()
                        },
                        self.problem,
                    )
                })
                .map(|r| (Version::parse(&r.version).unwrap(), r))
                .collect();
            let is_final = |(v, r): &&(Version, &Release)| !v.is_prerelease() && !r.yanked;
            let newest = page.iter().filter(is_final).map(|(v, _)| v.clone()).max();
            let mut allowed: Vec<&(Version, &Release)> = page
                .iter()
                .filter(|(v, _)| sets.iter().all(|s| s.matches(v)))
                .collect();
            allowed.sort_by(|a, b| (a.0.is_prerelease(), &b.0).cmp(&(b.0.is_prerelease(), &a.0)));
            let Some((version, release)) = allowed.first() else {
                continue;
            };
            let out = newest.is_some_and(|n| {
                allowed.iter().all(|(v, _)| v.public() != n.public()) && n > *version
            });
            if let Some(year) = release.year
                && (out || policy.chronology == Chronology::Follow)
            {
                held.push((year, project.clone()));
            }
        }
        held.sort_by_key(|(year, _)| *year);
        held.into_iter().map(|(_, p)| p).collect()
    }

    /// What joins the queue: the base and asked extras of a project at its turn, or one extra asked
    /// for later.
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
        reached: &mut Vec<String>,
    ) {
        let mut extras: BTreeSet<Name> = match &late {
            Some(extra) => [extra.clone()].into(),
            None => asked
                .iter()
                .filter(|(p, _)| p == project)
                .map(|(_, e)| e.clone())
                .collect(),
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
            reached.push(other.clone());
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
                    self.join(
                        &other,
                        solutions[0][&other],
                        Some(extra.clone()),
                        queue,
                        asked,
                        turn,
                        solutions,
                        reached,
                    );
                }
            }
        }
    }

    /// Smaller is better: prior, not yanked, wheel, then age by policy.
    fn preference(&self, project: &str, index: usize, time: Option<u32>) -> impl Ord + use<> {
        let release = self.release(project, index);
        let version = Version::parse(&release.version).unwrap();
        let policy = &self.problem.policy;
        let name = Name::parse(project).unwrap();
        let kept = self.problem.prior.get(&name) == Some(&version);
        let mut ages: Vec<Version> = self.world.projects[project]
            .iter()
            .map(|r| Version::parse(&r.version).unwrap())
            .collect();
        ages.sort();
        let age = ages.iter().position(|v| *v == version).unwrap() as i64;
        // Builds of one release are of one age.
        let release_age = ages
            .iter()
            .position(|v| v.public() == version.public())
            .unwrap() as i64;
        let late = time
            .zip(release.year)
            .is_some_and(|(time, mine)| mine > time);
        let by_age = if policy.prefer == Prefer::Oldest || late {
            release_age
        } else {
            -release_age
        };
        let built = policy.wheels != Wheels::Any && release.source_only;
        let tier_of = |i: usize| {
            let label = self.parsed[project][i]
                .version
                .local()
                .filter(|_| !self.release(project, i).source_only);
            runs(label.as_deref(), &self.problem.target).unwrap_or(PLAIN)
        };
        let mut others = 0..self.parsed[project].len();
        let accelerated = others.any(|i| self.parsed[project][i].usable && tier_of(i) < PLAIN);
        let tier = tier_of(index);
        let unused = accelerated && tier == PLAIN;
        // Of builds that run equally well the one for the newest toolkit, which is the greater
        // label.
        let newest = if policy.prefer == Prefer::Oldest {
            age
        } else {
            -age
        };
        let newest = if tier == PLAIN { newest } else { 0 };
        let label = if tier == PLAIN { None } else { version.local() };
        (
            release.yanked,
            !kept,
            built,
            unused,
            late,
            by_age,
            tier,
            std::cmp::Reverse(label),
            newest,
        )
    }
}

/// The first day of a year.
fn day(year: u32) -> jiff::civil::Date {
    jiff::civil::date(year as i16, 1, 1)
}

/// Whether a release can be taken at all.
pub(super) fn usable(project: &str, release: &Release, problem: &Problem) -> bool {
    let built = problem.policy.wheels != Wheels::Only
        || problem.policy.build.iter().any(|p| p.as_str() == project);
    let python = release.python.as_ref();
    let runs = python.is_none_or(|p| {
        VersionSpecifier::parse(p)
            .unwrap()
            .matches(&problem.target.interpreter.version)
    });
    let has_file = !release.barred && (!release.source_only || built);
    let label = Version::parse(&release.version)
        .unwrap()
        .local()
        .filter(|_| !release.source_only);
    has_file && runs && self::runs(label.as_deref(), &problem.target).is_some()
}

/// Whether a release is a build that is out just for its accelerator, beside another build of it
/// that can be taken: as its page says, or as the metadata of the other says too. That of a barred
/// build is never read.
pub(super) fn stood_for(
    project: &str,
    release: &Release,
    world: &World,
    problem: &Problem,
    by_page: bool,
) -> bool {
    let version = |r: &Release| Version::parse(&r.version).unwrap();
    let runs = runs(version(release).local().as_deref(), &problem.target).is_some();
    let public = version(release).public().to_string();
    let otherwise = Release {
        version: public,
        python: None,
        ..release.clone()
    };
    let same = |r: &&Release| version(r).public() == version(release).public();
    let can_be_taken = |r: &Release| match by_page {
        true => usable(
            project,
            &Release {
                python: None,
                ..r.clone()
            },
            problem,
        ),
        false => usable(project, r, problem),
    };
    !runs
        && !release.source_only
        && usable(project, &otherwise, problem)
        && world.projects[project]
            .iter()
            .filter(same)
            .any(can_be_taken)
}

/// The tier of a build that leaves accelerators out.
const PLAIN: u8 = 3;

/// How well a build with this label runs in one of the places that the tests know; none when it
/// does not.
fn runs(label: Option<&str>, target: &eutaxis_standards::Target) -> Option<u8> {
    let place = target.accelerators.as_option();
    let Some(label) = label.filter(|l| l.starts_with("nor")) else {
        return Some(PLAIN);
    };
    match (place.trim_matches('"'), label) {
        ("none", _) => None,
        ("nordglim driver 498.2", "nor36") => Some(1),
        ("nordglim driver 512.4", "nor36" | "nor41") => Some(1),
        ("nordglim driver 512.4", "nor42") => Some(2),
        ("nordglim toolkit 3.6", "nor36") => Some(0),
        _ => None,
    }
}
