//! The environment that a build runs in: its requirements chosen from the same depots, in the
//! archive's own time, and placed.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::index::FileKind;
use eutaxis_core::knowledge::{fallback, series_began};
use eutaxis_core::offer::{Head, Policy, Verdict, Wheels};
use eutaxis_core::requirement::Ask;
use eutaxis_core::solve::{Problem, Solution};
use eutaxis_core::{Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{Furnish, Item, LinkMode, WheelAt, furnish};
use eutaxis_world::files::sha256_of;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::{Depth, Outcome as End, Run};
use jiff::{SignedDuration, Timestamp};

/// So long after an archive, or after the interpreter where that is the younger, what it is built
/// by may have appeared.
const OWN_TIME: SignedDuration = SignedDuration::from_hours(180 * 24);

/// What is chosen for a build environment.
#[derive(Debug, Clone)]
pub(super) struct Chosen {
    pub(super) items: Vec<Item>,
}

impl Chosen {
    /// Project, release and hash of each.
    pub(super) fn recorded(&self) -> Vec<(String, String, String)> {
        let one = |i: &Item| (i.name.to_string(), i.version.clone(), i.sha256.clone());
        self.items.iter().map(one).collect()
    }
}

/// By what build requirements are chosen.
pub(super) struct Chooser<'a> {
    pub(super) depots: &'a Arc<Depots>,
    pub(super) target: &'a Target,
    pub(super) policy: &'a Policy,
    /// What restricts them.
    pub(super) bounds: Vec<Ask>,
    /// When the archive appeared.
    pub(super) published: Option<Timestamp>,
}

/// What keeps a set from being chosen, in words.
pub(super) type Clash = String;

impl Chooser<'_> {
    /// The moment up to which build requirements exist: the user's, else the archive's own time.
    pub(super) fn moment(&self) -> Option<Timestamp> {
        if self.policy.as_of.is_some() {
            return self.policy.as_of;
        }
        let began = series_began(&self.target.interpreter.series_text());
        let day = self.published.map(|p| began.map_or(p, |b| b.max(p)))?;
        day.checked_add(OWN_TIME).ok()
    }

    /// The set for these requirements, on this disk.
    ///
    /// # Errors
    /// When the depots fail.
    pub(super) fn choose(
        &self,
        texts: &[String],
        latest: bool,
    ) -> Result<Result<Chosen, Clash>, Error> {
        match self.solve(texts, latest)? {
            Ok(Some((solution, run))) => items(&solution, &run).map(Ok),
            Ok(None) => Ok(Ok(Chosen { items: Vec::new() })),
            Err(clash) => Ok(Err(clash)),
        }
    }

    /// The same by name and release alone: nothing is fetched but what tells of them.
    ///
    /// # Errors
    /// When the depots fail.
    pub(super) fn names(&self, texts: &[String]) -> Result<Result<Vec<String>, Clash>, Error> {
        let one = |c: &eutaxis_core::solve::Chosen| format!("{} {}", c.project, c.version);
        Ok(self.solve(texts, false)?.map(|found| {
            let chosen = found.iter().flat_map(|(solution, _)| &solution.chosen);
            chosen.map(one).collect()
        }))
    }

    /// A solution; the whole depot counts where nothing of the own time does. None where nothing is
    /// required.
    fn solve(
        &self,
        texts: &[String],
        latest: bool,
    ) -> Result<Result<Option<(Solution, Run)>, Clash>, Error> {
        let mut asks = Vec::new();
        for text in texts {
            match Requirement::parse(text) {
                Ok(requirement) => asks.push(Ask {
                    requirement,
                    origin: Origin::Argument,
                }),
                Err(fault) => return Ok(Err(format!("`{text}` is no requirement: {fault}"))),
            }
        }
        if asks.is_empty() {
            return Ok(Ok(None));
        }
        let own = if latest {
            self.policy.as_of
        } else {
            self.moment()
        };
        let mut tried = vec![own];
        if self.policy.as_of.is_none() && own.is_some() {
            tried.push(None);
        }
        let mut clash = String::new();
        for as_of in tried {
            let run = Run::new(Arc::clone(self.depots));
            let policy = Policy {
                wheels: Wheels::Only,
                build: Vec::new(),
                rebuild: Vec::new(),
                build_light: false,
                build_all: false,
                as_of,
                ..self.policy.clone()
            };
            let mut problem = Problem::new(self.target.clone(), policy, asks.clone());
            problem.bounds.clone_from(&self.bounds);
            if as_of.is_some() && !latest {
                problem.nearest = self.of_its_series(&problem, &run)?;
            }
            match run.solve(&problem, &|_| ())? {
                End::Settled(solution) => return Ok(Ok(Some((solution, run)))),
                End::Clash(found) if clash.is_empty() => {
                    let facts: Vec<String> = found
                        .facts
                        .iter()
                        .map(|f| f.text.replacen("you ask", "it asks for", 1))
                        .collect();
                    clash = facts.join("; ");
                }
                End::Clash(_) => {}
            }
        }
        Ok(Err(clash))
    }
}

impl Chooser<'_> {
    /// For each requirement the releases of series that had begun when the archive appeared, which it
    /// was written for: newest first. What the standard falls back to must know the interpreter
    /// rather than the archive.
    fn of_its_series(
        &self,
        problem: &Problem,
        run: &Run,
    ) -> Result<BTreeMap<Name, Vec<Version>>, Error> {
        let mut found = BTreeMap::new();
        let Some(published) = self.published else {
            return Ok(found);
        };
        let general = |name: &Name| {
            let all = fallback().requires.iter();
            all.filter_map(|r| Requirement::parse(r).ok())
                .any(|r| r.name == *name)
        };
        let asked: Vec<Requirement> = problem
            .asks
            .iter()
            .map(|a| Requirement::any(&a.requirement.name))
            .filter(|r| !general(&r.name))
            .collect();
        let looked = run.look(&asked, &problem.rules(), Depth::Gaps)?;
        for (requirement, looked) in asked.iter().zip(looked) {
            let Some(looked) = looked else { continue };
            let heads = looked.judged.heads();
            let began = |head: &Head| {
                let same =
                    |h: &&Head| h.version.release_number(0) == head.version.release_number(0);
                let mine = heads.iter().filter(same);
                mine.filter_map(|h| h.first_published).min()
            };
            let is_own = |h: &&Head| {
                h.verdict == Verdict::Ready
                    && !h.version.is_prerelease()
                    && began(h).is_some_and(|day| day <= published)
            };
            let own = heads.iter().filter(is_own).map(|h| h.version.clone());
            found.insert(requirement.name.clone(), own.collect());
        }
        Ok(found)
    }
}

/// The wheels of a solution, on this disk.
fn items(solution: &Solution, run: &Run) -> Result<Chosen, Error> {
    let mut items = Vec::new();
    for chosen in &solution.chosen {
        let FileKind::Wheel(wheel_name) = &chosen.file.kind else {
            continue;
        };
        let path = run.obtain(&chosen.project, &chosen.file)?;
        let sha256 = match chosen.file.hashes.sha256() {
            Some(known) => known.to_owned(),
            None => sha256_of(&path)?.0,
        };
        items.push(Item {
            name: chosen.project.clone(),
            version: chosen.version.to_string(),
            wheel: WheelAt::Disk(path),
            filename: chosen.file.filename.to_string(),
            wheel_name: (**wheel_name).clone(),
            sha256,
            hashes: chosen.file.hashes.clone(),
            size: chosen.file.size,
            said: None,
            requested: false,
            direct_url: None,
            built: None,
        });
    }
    Ok(Chosen { items })
}

/// Places a set where a build runs.
///
/// # Errors
/// When a wheel is refused, or the disk fails.
pub(super) fn place(
    chosen: &Chosen,
    at: &Path,
    python: &Found,
    cache: &Path,
    depots: &Depots,
) -> Result<(), Error> {
    let request = Furnish {
        at: at.to_owned(),
        items: chosen.items.clone(),
        python: &python.facts,
        tidy: true,
        share_system: Some(false),
        link: LinkMode::Auto,
        cache: cache.to_owned(),
        network: depots.network(),
        settled_for: None,
    };
    furnish(&request, &|_, _, _| {}, &|| {}, &|_| Ok(())).map(|_| ())
}
