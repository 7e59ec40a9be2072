//! `reason`: why is this here, in this version, and not that one?
//!
//! The pins record the question that they answer. Where depots are named the question is asked
//! again over them, with the pins kept; else what was recorded is told.

mod graph;
mod needs;
mod tree;

use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::name::nearest;
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::proofread::around;
use eutaxis_core::record;
use eutaxis_core::solve::{Caution, Chosen, Clash, Fact, Problem, Solution};
use eutaxis_core::{Ask, Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::files::write_whole;
use eutaxis_world::supply::{Outcome as End, Run};

use crate::answer::clash::Refusal;
use crate::answer::reason::{Bound, Learnt, Newer, Report};
use crate::cli::{Common, Reason};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::words;
use crate::{pins, render, report};

/// So many ways from an ask to the project are told.
const MOST_CHAINS: usize = 8;

/// A lock file with what was found out again over the depots.
struct Asked {
    lock: Lock,
    problem: Problem,
    run: Run,
    /// The solution that the pins are, when the depots still give it.
    solution: Option<Solution>,
}

pub(crate) fn run(arguments: &Reason, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let named = arguments.target.as_deref();
    let lock = pins::read_share(&arguments.pins, named, &surroundings, output)?;
    if arguments.tree {
        return shown_as_tree(&lock, arguments, output);
    }
    let Some(project) = &arguments.project else {
        return Ok(learnt(&lock, arguments, &surroundings));
    };
    let name = Name::parse(project).map_err(|f| Error::in_file("project", project, &f))?;
    let depots = plan::named_depots(&arguments.depots, &surroundings, false)?;
    let listed = depots.serving(&name).next().is_some();
    let mut problem = pins::problem_of(&lock, &surroundings.config.families)?;
    let own = pins::know_trees(&lock, &depots);
    problem.policy.build.extend(own.into_keys());
    let mut asked = Asked {
        lock,
        problem,
        run: Run::new(Arc::clone(&depots)),
        solution: None,
    };
    let Some(package) = asked.lock.packages.iter().find(|p| p.name == name).cloned() else {
        return Ok(not_here(&name, &asked.lock));
    };
    let version = package.version.clone().unwrap_or_default();
    if let Some(text) = &arguments.not {
        let other = Version::parse(text).map_err(|f| Error::in_file("--not", text, &f))?;
        if !listed {
            return Err(plan::no_depot());
        }
        let answer = asked.instead(&name, &version, &other, &surroundings);
        output.report_network(depots.network());
        return answer;
    }
    if listed && !asked.problem.asks.is_empty() {
        let end = asked.run.solve(&asked.problem, &|_| ())?;
        asked.solution = if let End::Settled(solution) = end
            && is_pinned(&solution, &asked.lock)
        {
            Some(solution)
        } else {
            None
        };
        if asked.solution.is_none() {
            output.notice(
                "the depots no longer give these pins: what was recorded with them is told",
            );
        }
    }
    let report = asked.report(&name, &package)?;
    output.report_network(depots.network());
    Ok(Answer {
        outcome: Outcome::Ok,
        text: render::reason::text(&report),
        report: report::Reason::Here(Box::new((&report).into())).into(),
    })
}

/// Who needs what.
fn shown_as_tree(lock: &Lock, arguments: &Reason, output: &Output) -> Result<Answer, Error> {
    let parse = |p: &String| Name::parse(p).map_err(|f| Error::in_file("project", p, &f));
    let name = arguments.project.as_ref().map(parse).transpose()?;
    if let Some(name) = name
        .as_ref()
        .filter(|n| !lock.packages.iter().any(|p| p.name == **n))
    {
        return Ok(not_here(name, lock));
    }
    let tree = tree::of(lock, name.as_ref(), arguments.depth);
    let pins = words::near(&arguments.pins);
    let mut told = report::NeedsTree::from(&tree);
    if let Some(file) = &arguments.picture {
        let graph = graph::of(lock, name.as_ref());
        write_whole(file, render::picture::graph(&graph, &pins).as_bytes())?;
        told.picture = Some(file.display().to_string());
        output.notice(&format!("wrote {}", file.display()));
    }
    Ok(Answer {
        outcome: Outcome::Ok,
        text: render::reason::tree(&tree, &pins),
        report: report::Reason::Tree(told).into(),
    })
}

/// What proofs of the pins learnt, and how far they are proven.
fn learnt(lock: &Lock, arguments: &Reason, surroundings: &Surroundings) -> Answer {
    let recorded = record::adjustments_of(lock, &surroundings.config.families);
    let learnt = Learnt {
        pins: words::near(&arguments.pins),
        proof: record::proof_of(lock),
        lessons: recorded
            .into_iter()
            .filter(|a| a.learnt.is_some())
            .collect(),
    };
    Answer {
        outcome: Outcome::Ok,
        text: render::reason::learnt(&learnt),
        report: report::Reason::Learnt(report::Lessons::from(&learnt)).into(),
    }
}

fn is_pinned(solution: &Solution, lock: &Lock) -> bool {
    let pinned = record::releases(lock);
    solution.chosen.len() == lock.packages.len()
        && solution.chosen.iter().all(|c| {
            // A folder is pinned without a version.
            let package = lock.packages.iter().find(|p| p.name == c.project);
            package.is_some_and(|p| p.directory.is_some())
                || pinned.get(&c.project) == Some(&c.version)
        })
}

fn not_here(name: &Name, lock: &Lock) -> Answer {
    let known: Vec<&str> = lock.packages.iter().map(|p| p.name.as_str()).collect();
    let near = nearest(name.as_str(), known.iter().copied(), 3);
    let names = near.iter().map(|n| (*n).to_owned()).collect();
    let report = report::Reason::Absent(report::NotHere::new(name.to_string(), names));
    Answer {
        outcome: Outcome::No,
        text: render::reason::not_here(name, &near, known.len()),
        report: report.into(),
    }
}

impl Asked {
    fn chosen(&self, name: &Name) -> Option<&Chosen> {
        self.solution
            .as_ref()?
            .chosen
            .iter()
            .find(|c| c.project == *name)
    }

    fn report(&mut self, name: &Name, package: &Package) -> Result<Report, Error> {
        let version = package.version.clone().unwrap_or_default();
        let mut newer = match self.chosen(name) {
            Some(chosen) => chosen
                .newer
                .iter()
                .map(|n| Newer {
                    version: n.version.to_string(),
                    published: n.published.map(words::day),
                    out: words::releases::all_out(n, &self.problem),
                    open: n.out.is_empty(),
                    by_choices: false,
                })
                .collect(),
            None => record::newer_of(package)
                .into_iter()
                .map(|n| Newer {
                    version: n.version,
                    published: n.published,
                    out: n.out,
                    ..Newer::default()
                })
                .collect::<Vec<Newer>>(),
        };
        for one in newer.iter_mut().filter(|n| n.open) {
            // No single reason: the choices made before exclude it together, and the chain of them
            // is found by asking for it.
            let Some(clash) = self.with_earlier(name, &one.version)? else {
                one.out = vec![format!(
                    "nothing but the earlier pin, which is kept (settle --renew {name})"
                )];
                continue;
            };
            let wanted = format!("=={}", one.version);
            let is_wish =
                |f: &&Fact| f.project == name.as_str() && f.versions == wanted && f.needs.is_none();
            let words = |fact: &Fact| match &fact.chosen {
                Some(version) => format!("{} {version} was chosen before it", fact.project),
                None => fact.text.clone(),
            };
            one.out = clash
                .facts
                .iter()
                .filter(|f| !is_wish(f))
                .map(words)
                .collect();
            one.by_choices = true;
        }
        let cautions = match &self.solution {
            None => Vec::new(),
            Some(solution) => {
                let about = |c: &&Caution| match c {
                    Caution::NeverMet { project, other, .. } => project == name || other == name,
                    Caution::Yanked { project, .. }
                    | Caution::Unread { project, .. }
                    | Caution::ExtraAbsent { project, .. }
                    | Caution::Unserved { project, .. }
                    | Caution::RuntimeByExtra { project, .. }
                    | Caution::Unaccelerated { project, .. } => project == name,
                };
                words::releases::cautions(
                    solution.cautions.iter().filter(about),
                    &self.problem,
                    true,
                )
            }
        };
        let target = &self.problem.target;
        let spoke = |a: &&eutaxis_core::offer::Adjustment| {
            Version::parse(&version).is_ok_and(|v| a.speaks_of(name, &v, target))
        };
        let adjusted = self
            .problem
            .adjustments
            .iter()
            .filter(spoke)
            .map(words::releases::adjustment)
            .collect();
        Ok(Report {
            project: name.to_string(),
            version: version.clone(),
            published: package
                .files()
                .find_map(|f| f.upload_time.map(|t| t.to_string())),
            chains: chains(&self.lock, name),
            bounds: self.bounds(package),
            newer,
            cautions,
            adjusted,
            recorded: self.solution.is_none(),
        })
    }

    /// Who puts which bound, and what it leaves of the releases.
    fn bounds(&self, package: &Package) -> Vec<Bound> {
        let mut releases: Vec<Version> = match self.run.page_of(&package.name) {
            Some(page) => page
                .files
                .iter()
                .map(|f| f.kind.version().clone())
                .collect(),
            None => Vec::new(),
        };
        releases.sort();
        releases.dedup();
        let by_user = self
            .problem
            .bounds
            .iter()
            .filter(|b| b.requirement.name == package.name);
        let by_user = by_user.map(|b| {
            (
                format!("your bound {}", words::place(&b.origin)),
                b.requirement.short(),
            )
        });
        let asked = record::asked_as(package)
            .into_iter()
            .map(|(by, requirement)| {
                let version = self
                    .lock
                    .packages
                    .iter()
                    .find(|p| p.name.as_str() == by)
                    .and_then(|p| p.version.clone());
                (
                    version.map_or(by.clone(), |v| format!("{by} {v}")),
                    requirement,
                )
            });
        asked
            .chain(by_user)
            .map(|(by, requirement)| {
                let set = Requirement::parse_lenient(&requirement)
                    .ok()
                    .and_then(|r| r.versions().cloned());
                let left: Vec<&Version> = set
                    .iter()
                    .flat_map(|s| releases.iter().filter(|v| s.matches(v)))
                    .collect();
                let ends = left
                    .first()
                    .zip(left.last())
                    .map(|(a, b)| (a.to_string(), b.to_string()));
                Bound {
                    by,
                    requirement,
                    left: ends,
                    count: left.len(),
                    of: releases.len(),
                }
            })
            .collect()
    }

    /// Why a release does not go with what is decided before its project: none when it does.
    fn with_earlier(&mut self, name: &Name, version: &str) -> Result<Option<Clash>, Error> {
        let (Some(solution), Ok(version)) = (&self.solution, Version::parse(version)) else {
            return Ok(None);
        };
        let mut problem = self.problem.clone();
        let earlier = solution.chosen.iter().take_while(|c| c.project != *name);
        problem.held = earlier
            .map(|c| (c.project.clone(), c.version.clone()))
            .collect();
        problem.held.insert(name.clone(), version.clone());
        problem.asks.push(exactly(name, &version));
        match self.run.solve(&problem, &|_| ())? {
            End::Clash(clash) => Ok(Some(clash)),
            End::Settled(_) => Ok(None),
        }
    }

    /// What would have to give for exactly another version.
    fn instead(
        &mut self,
        name: &Name,
        version: &str,
        other: &Version,
        surroundings: &Surroundings,
    ) -> Result<Answer, Error> {
        let mut problem = self.problem.clone();
        problem.asks.push(exactly(name, other));
        problem.held.insert(name.clone(), other.clone());
        let end = self.run.solve(&problem, &|_| ())?;
        let mut answer =
            report::Instead::new(name.to_string(), version.to_owned(), other.to_string());
        let page = self.run.page_of(name);
        let known: Vec<Version> = page
            .iter()
            .flat_map(|p| p.files.outline().releases())
            .map(|r| r.version.clone())
            .collect();
        if !known.contains(other) {
            let near: Vec<String> = around(Some(other), known)
                .iter()
                .map(ToString::to_string)
                .collect();
            let text = render::reason::no_such_version(name, other, &near);
            answer.nearest = Some(near);
            return Ok(Answer {
                outcome: Outcome::No,
                text,
                report: answer.into(),
            });
        }
        match end {
            End::Settled(solution) => {
                let moves = render::reason::moves(&solution, &record::releases(&self.lock));
                answer.moves = Some(moves.iter().map(Into::into).collect());
                answer.change = Some(format!("{name}=={other}"));
                let text = render::reason::can_be_had(name, version, other, &moves);
                Ok(Answer {
                    outcome: Outcome::Ok,
                    text,
                    report: answer.into(),
                })
            }
            End::Clash(clash) => {
                let others = plan::alternatives_of(&clash, &problem.target, false, surroundings);
                let ways = self.run.ways_out(&problem, &clash, &others, &|_| ())?;
                let shown = format!("{name} {other} instead of {version}");
                let refusal = Refusal::new(&clash, &problem, &ways, &shown, surroundings, None);
                answer.clash = Some((&refusal).into());
                let text = render::reason::instead(&refusal, name, version, other);
                Ok(Answer {
                    outcome: Outcome::No,
                    text,
                    report: answer.into(),
                })
            }
        }
    }
}

fn exactly(name: &Name, version: &Version) -> Ask {
    Ask {
        requirement: Requirement::exactly(name, version),
        origin: Origin::Argument,
    }
}

/// The ways from an ask to a project, shortest first: each a list of steps in words, led by the
/// names.
fn chains(lock: &Lock, name: &Name) -> Vec<(Vec<String>, Vec<String>)> {
    let mut found = Vec::new();
    let mut open: std::collections::VecDeque<(Vec<Name>, Vec<String>)> =
        [(vec![name.clone()], Vec::new())].into();
    // Longer ways are built from shorter ones; a way never meets a project twice, and there are at
    // most so many.
    while let Some((names, steps)) = open.pop_front() {
        let Some(package) = names
            .first()
            .and_then(|n| lock.packages.iter().find(|p| p.name == *n))
        else {
            continue;
        };
        for (by, requirement) in record::asked_as(package) {
            let asker = Name::parse(&by)
                .ok()
                .and_then(|n| lock.packages.iter().find(|p| p.name == n));
            let mut steps = steps.clone();
            match asker {
                Some(asker) if !names.contains(&asker.name) && open.len() < 1_000 => {
                    let version = asker.version.clone().unwrap_or_default();
                    steps.insert(0, format!("{} {version} needs {requirement}", asker.name));
                    let mut longer = names.clone();
                    longer.insert(0, asker.name.clone());
                    open.push_back((longer, steps));
                }
                Some(_) => {}
                None => {
                    steps.insert(0, format!("you ask {requirement} ({})", by));
                    found.push((names.iter().map(ToString::to_string).collect(), steps));
                    if found.len() >= MOST_CHAINS {
                        return found;
                    }
                }
            }
        }
    }
    found
}
