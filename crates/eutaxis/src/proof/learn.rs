//! What a failure teaches: a bound or a need that the metadata do not state, as an adjustment.

use std::collections::BTreeSet;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::fault::Origin;
use eutaxis_core::interface::Lack;
use eutaxis_core::knowledge::{bringing, is_standard};
use eutaxis_core::offer::{Adjustment, Effect, Lesson};
use eutaxis_core::requirement::Accepts;
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_core::{Name, Requirement, Version, VersionSpecifier};
use eutaxis_world::Error;
use eutaxis_world::supply::Run;
use jiff::Timestamp;

use super::failure::{Failure, Kind};
use super::releases::{Release, Sought, nearest_having, range, releases, stretch, takes};
use crate::words::day;

/// What failures are held against.
pub(crate) struct School<'a> {
    pub(crate) run: &'a Run,
    pub(crate) problem: &'a Problem,
    pub(crate) solution: &'a Solution,
    /// The projects in the order of the failure's numbers.
    pub(crate) projects: Vec<Name>,
    pub(crate) now: Timestamp,
    /// Where the pins go, as the place of what is learnt.
    pub(crate) place: Origin,
}

impl School<'_> {
    /// What a failure teaches; none when nothing follows from it.
    pub(crate) fn learn(&self, failure: &Failure) -> Result<Option<Adjustment>, Error> {
        let Some(taker) = self.chosen(failure.taker) else {
            return Ok(None);
        };
        let because = failure.told.clone();
        match &failure.kind {
            // An earlier release of either brings the file as a rule: none is tried for that.
            Kind::Machine | Kind::Shared => Ok(None),
            Kind::Unfit { by_syntax } => {
                if !by_syntax
                    && let Some(found) = self.beside_what_is_younger(taker, &because, failure)?
                {
                    return Ok(Some(found));
                }
                Ok(Some(self.avoid(taker, &exactly(taker), &because, failure)))
            }
            Kind::Lacks(lack) => self.lacks(taker, lack, &because, failure),
            Kind::BuiltAgainst(other) => match self.chosen(*other) {
                Some(other) => self.of_its_time(taker, other, &because, failure),
                None => Ok(None),
            },
            Kind::Met(pairs) => {
                let (first, _) = pairs.last().copied().unwrap_or_default();
                for (caller, callee) in pairs {
                    let (Some(caller), Some(callee)) = (self.chosen(*caller), self.chosen(*callee))
                    else {
                        continue;
                    };
                    let is_younger = match (caller.file.published, callee.file.published) {
                        (Some(caller), Some(callee)) => callee > caller,
                        _ => false,
                    };
                    if is_younger
                        && let Some(found) = self.of_its_time(caller, callee, &because, failure)?
                    {
                        return Ok(Some(found));
                    }
                }
                // What fails by itself may still have met another series of what it needs.
                for project in [failure.taker, first] {
                    if let Some(taker) = self.chosen(project)
                        && let Some(found) =
                            self.beside_what_is_younger(taker, &because, failure)?
                    {
                        return Ok(Some(found));
                    }
                }
                Ok(None)
            }
        }
    }

    /// Bounds what a release needs and that is younger than it, the farthest first.
    fn beside_what_is_younger(
        &self,
        taker: &Chosen,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let Some(then) = taker.file.published else {
            return Ok(None);
        };
        let chosen = self.solution.chosen.iter();
        let mut younger: Vec<&Chosen> = chosen
            .filter(|c| taker.needs.contains(&c.project))
            .filter(|c| c.file.published.is_some_and(|p| p > then))
            .collect();
        younger.sort_by_key(|c| std::cmp::Reverse(c.file.published));
        for other in younger {
            if let Some(found) = self.of_its_time(taker, other, because, failure)? {
                return Ok(Some(found));
            }
        }
        Ok(None)
    }

    fn chosen(&self, project: usize) -> Option<&Chosen> {
        let name = self.projects.get(project)?;
        self.solution.chosen.iter().find(|c| c.project == *name)
    }

    fn lacks(
        &self,
        taker: &Chosen,
        lack: &Lack,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let (sought, owner) = match lack {
            Lack::Standard { module, name, .. } => {
                if name.is_none()
                    && let Some(found) = self.provider(taker, module, because, failure)?
                {
                    return Ok(Some(found));
                }
                let name = name.as_deref();
                let which = self.those_alike(taker, Sought::surely(module, name), failure)?;
                return Ok(Some(self.avoid(taker, &which, because, failure)));
            }
            Lack::Module { module, owner } => {
                let sought = Sought::surely(module, None);
                (sought, owner.and_then(|o| self.chosen(o)))
            }
            Lack::Name {
                module,
                name,
                owner,
            } => {
                let name = Some(name.as_str());
                (Sought::surely(module, name), self.chosen(*owner))
            }
        };
        let Some(owner) = owner else {
            return self.provider(taker, sought.module, because, failure);
        };
        if owner.project == taker.project {
            return Ok(Some(self.avoid(taker, &exactly(taker), because, failure)));
        }
        self.having(taker, owner, sought, because, failure)
    }

    /// Which releases are out with one that takes what the interpreter lacks: those around it that
    /// take it as well.
    fn those_alike(
        &self,
        taker: &Chosen,
        sought: Sought<'_>,
        failure: &Failure,
    ) -> Result<String, Error> {
        let alone = exactly(taker);
        let Some(file) = &failure.file else {
            return Ok(alone);
        };
        let all = releases(self.run, self.problem, &taker.project)?;
        let Some(at) = all.iter().position(|r| r.version == taker.version) else {
            return Ok(alone);
        };
        let takes = |i: usize| match all.get(i) {
            Some(release) => takes(self.run, &taker.project, release, file, sought),
            None => Ok(false),
        };
        let (newest, oldest) = stretch(at, all.len(), takes)?;
        let versions: Vec<&Version> = all.iter().map(|r| &r.version).collect();
        Ok(range(&versions, newest, oldest).unwrap_or(alone))
    }

    /// Bounds a project to the releases that have something, for the one that takes it.
    fn having(
        &self,
        taker: &Chosen,
        owner: &Chosen,
        sought: Sought<'_>,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let all = releases(self.run, self.problem, &owner.project)?;
        let since = taker.file.published;
        let run = self.run;
        let found = nearest_having(run, &owner.project, &all, &owner.version, since, sought)?;
        let Some(having) = found else {
            if failure.slight {
                // No release is known to have it: none is taken back on a guess.
                return Ok(None);
            }
            return self.of_its_time(taker, owner, because, failure);
        };
        let bound = having.bound();
        self.needs(
            taker,
            &up_to(taker),
            &owner.project,
            &bound,
            because,
            failure,
        )
    }

    /// Bounds a project to the releases that were there when the other one was published, or to the
    /// series before.
    fn of_its_time(
        &self,
        taker: &Chosen,
        owner: &Chosen,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let all = releases(self.run, self.problem, &owner.project)?;
        let older: Vec<&Release> = all.iter().filter(|r| r.version < owner.version).collect();
        let then = taker.file.published;
        let was_there = |r: &&&Release| match (r.published(), then) {
            (Some(published), Some(then)) => published <= then,
            _ => false,
        };
        let series = |v: &Version| (v.release_number(0), v.release_number(1));
        let is_before = |r: &&&Release| series(&r.version).0 < series(&owner.version).0;
        let newest = older
            .iter()
            .find(was_there)
            .or_else(|| older.iter().find(is_before));
        let Some(newest) = newest else {
            return Ok(None);
        };
        // What is published in a series that was met may mend it.
        let (major, minor) = series(&newest.version);
        let (now, now_minor) = series(&owner.version);
        let bound = if major < now {
            format!("<{}", major + 1)
        } else if minor < now_minor {
            format!("<{major}.{}", minor + 1)
        } else {
            format!("<{}", owner.version.public())
        };
        let on = newest
            .published()
            .map_or(String::new(), |t| format!(" of {}", day(t)));
        let because = format!("{because}; it met {} {}{on}", owner.project, newest.version);
        self.needs(
            taker,
            &up_to(taker),
            &owner.project,
            &bound,
            &because,
            failure,
        )
    }

    /// The project that brings a module which nothing in the set brings.
    fn provider(
        &self,
        taker: &Chosen,
        module: &str,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let top = module.split('.').next().unwrap_or(module);
        let sought = Sought::surely(top, None);
        for project in self.may_bring(taker, top)? {
            if project == taker.project {
                continue;
            }
            if let Some(there) = self.solution.chosen.iter().find(|c| c.project == project) {
                // Another release of it has it, or none.
                if let Some(found) = self.having(taker, there, sought, because, failure)? {
                    return Ok(Some(found));
                }
                continue;
            }
            let all = releases(self.run, self.problem, &project)?;
            let Some(newest) = all.first() else {
                continue;
            };
            let (run, since) = (self.run, taker.file.published);
            // What brings back a module of the interpreter's own has it under another name.
            let brings_back = is_standard(top) && bringing(top).contains(&project.as_str());
            let bound = if brings_back || sought.is_in(run, &project, newest)? == Some(true) {
                String::new()
            } else {
                match nearest_having(run, &project, &all, &newest.version, since, sought)? {
                    Some(having) => having.bound(),
                    None => continue,
                }
            };
            return self.needs(taker, &exactly(taker), &project, &bound, because, failure);
        }
        Ok(None)
    }

    /// Projects that may bring a module, the likeliest first: what the knowledge says, the project
    /// of its name, and what the taker needs for its extras.
    fn may_bring(&self, taker: &Chosen, module: &str) -> Result<Vec<Name>, Error> {
        let known = bringing(module).into_iter();
        let mut names: Vec<Name> = known.filter_map(|n| Name::parse(n).ok()).collect();
        names.extend(Name::parse(module));
        let metadata = self.run.metadata(&taker.project, &taker.file.filename)?;
        let optional = metadata.iter().flat_map(|m| &m.requires);
        names.extend(optional.map(|r| r.name.clone()));
        let mut seen = BTreeSet::new();
        names.retain(|n| seen.insert(n.clone()));
        // Those that the depots do not have bring nothing.
        let pages = self.run.pages(&names)?;
        let there = names
            .into_iter()
            .zip(pages)
            .filter(|(_, page)| page.is_some());
        Ok(there.map(|(name, _)| name).collect())
    }

    fn avoid(
        &self,
        taker: &Chosen,
        versions: &str,
        because: &str,
        failure: &Failure,
    ) -> Adjustment {
        self.adjustment(taker, versions, Effect::Avoid, because, failure)
    }

    /// That a release needs a project within a bound, beside what it says of it.
    fn needs(
        &self,
        taker: &Chosen,
        which: &str,
        project: &Name,
        bound: &str,
        because: &str,
        failure: &Failure,
    ) -> Result<Option<Adjustment>, Error> {
        let metadata = self.run.metadata(&taker.project, &taker.file.filename)?;
        let said = metadata.as_deref().and_then(|m| self.said(m, project));
        let known = self.problem.adjustments.iter().rev().find_map(|a| {
            let speaks = a.speaks_of(&taker.project, &taker.version, &self.problem.target);
            match &a.effect {
                Effect::Needs(needs) if speaks && needs.name == *project => Some(needs.clone()),
                Effect::Needs(_)
                | Effect::NeedsOnly(_)
                | Effect::Avoid
                | Effect::FailsToBuild
                | Effect::Take
                | Effect::MadeFor(_)
                | Effect::Hashed(_) => None,
            }
        });
        let mut requirement = known.or(said).unwrap_or_else(|| Requirement::any(project));
        requirement.marker = None;
        let versions = match &requirement.accepts {
            Accepts::Versions(versions) => versions.to_string(),
            Accepts::Url(_) => return Ok(None),
        };
        let Some(versions) = bounded(&versions, bound) else {
            return Ok(None);
        };
        requirement.accepts = Accepts::Versions(versions);
        let effect = Effect::Needs(requirement);
        let found = self.adjustment(taker, which, effect, because, failure);
        // What is known already and did not help teaches nothing.
        let same = |a: &Adjustment| a.effect == found.effect && a.project == found.project;
        Ok((!self.problem.adjustments.iter().any(same)).then_some(found))
    }

    /// What a release says of a project on the target.
    fn said(&self, metadata: &Metadata, project: &Name) -> Option<Requirement> {
        let counts = |r: &&Requirement| {
            let marker = r.marker.as_ref();
            r.name == *project && marker.is_none_or(|m| m.holds(&self.problem.target.markers, None))
        };
        metadata.requires.iter().find(counts).cloned()
    }

    fn adjustment(
        &self,
        taker: &Chosen,
        versions: &str,
        effect: Effect,
        because: &str,
        failure: &Failure,
    ) -> Adjustment {
        Adjustment {
            project: taker.project.clone(),
            versions: VersionSpecifier::parse(versions).unwrap_or_default(),
            when: None,
            effect,
            because: because.to_owned(),
            origin: self.place.clone(),
            learnt: Some(Lesson {
                evidence: failure.evidence,
                on: self.now,
            }),
        }
    }
}

/// A release alone.
fn exactly(taker: &Chosen) -> String {
    format!("=={}", taker.version.public())
}

/// A release, and those before it.
fn up_to(taker: &Chosen) -> String {
    format!("<={}", taker.version.public())
}

/// Versions within a bound as well; upper bounds that are looser than it say nothing then.
fn bounded(versions: &str, bound: &str) -> Option<VersionSpecifier> {
    let upper = bound.strip_prefix('<').and_then(|v| Version::parse(v).ok());
    let is_looser = |clause: &&str| {
        let stated = clause.strip_prefix('<').map(|c| c.trim_start_matches('='));
        let stated = stated.and_then(|v| Version::parse(v).ok());
        matches!((stated, &upper), (Some(stated), Some(upper)) if stated >= *upper)
    };
    let kept = versions.split(',').map(str::trim).filter(|c| !c.is_empty());
    let all: Vec<&str> = kept
        .filter(|c| !is_looser(c))
        .chain((!bound.is_empty()).then_some(bound))
        .collect();
    VersionSpecifier::parse(&all.join(",")).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(">=2", "<2.3", ">=2,<2.3")]
    #[case("", "<3", "<3")]
    #[case(">=0.10,<3.1.3", "<3.1.2", ">=0.10,<3.1.2")]
    #[case(">=0.10,<=3.1.3,!=2", "<3", ">=0.10,!=2,<3")]
    #[case("<2", "<3", "<2,<3")]
    #[case(">=1", "", ">=1")]
    #[case(">=1", ">=2", ">=1,>=2")]
    fn a_bound_replaces_looser_ones(
        #[case] versions: &str,
        #[case] bound: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(bounded(versions, bound).unwrap().to_string(), expected);
    }
}
