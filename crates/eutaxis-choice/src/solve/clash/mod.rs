//! A clash: a smallest set of facts that cannot hold together, with their origins (docs/clash.md).
//!
//! Facts are what a person can act on: asks, bounds, what runs of releases need, and bars.

mod ground;
mod smallest;
mod words;

pub(super) use ground::Ground;

use super::clause::ClauseId;
use super::doubts::Doubt;
use super::search::Search;
use crate::offer::BarKind;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::version::Version;

/// Facts that cannot hold together, none of which can be left out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Clash {
    /// The facts, each ask followed by what bears on its project and on those it needs.
    pub facts: Vec<Fact>,
    /// Asked projects that no depot has.
    pub absent: Vec<Name>,
    /// The projects of which the facts leave no release.
    pub contested: Vec<Contested>,
}

/// A project on which several facts bear.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Contested {
    /// The project.
    pub project: Name,
    /// Its releases, oldest first.
    pub releases: Vec<Version>,
    /// For each fact, by its place in [`Clash::facts`], the releases that it allows.
    pub rows: Vec<(usize, Vec<Version>)>,
}

/// What kind of fact it is (docs/clash.md).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum FactKind {
    /// An ask of the user.
    Ask,
    /// A bound of the user, or a release that was chosen before.
    Bound,
    /// What releases need.
    Needs,
    /// Releases were made for a toolkit, and an environment holds one.
    Built,
    /// A bar.
    Bar(BarKind),
}

impl FactKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            FactKind::Ask => "ask",
            FactKind::Bound => "bound",
            FactKind::Needs => "needs",
            FactKind::Built => BarKind::Accelerator.as_str(),
            FactKind::Bar(kind) => kind.as_str(),
        }
    }
}

/// One fact of a clash.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// Its kind.
    pub kind: FactKind,
    /// The project it speaks of; for needs the one that needs, as `name` or `name[extra]`.
    pub project: String,
    /// Releases it speaks of: a specifier set, or several joined by ` || `; empty for all.
    pub versions: String,
    /// For needs: the requirement.
    pub needs: Option<String>,
    /// Where it was stated, for asks, bounds and adjustments.
    pub origin: Option<Origin>,
    /// The fact in words, as a sentence.
    pub text: String,
    /// The same where what it is stands beside it: `firnio <2` of `you ask firnio <2`.
    pub said: String,
    /// The same where the reader sees what the place is: without it.
    pub without_place: String,
    /// For a release that was chosen before: which of the project.
    pub chosen: Option<Version>,
    pub(super) ground: Ground,
    /// For bars: what else bars one of those releases.
    pub(super) also: Vec<BarKind>,
    /// For bars of a date: when those releases appeared.
    pub(super) dates: Vec<jiff::Timestamp>,
    /// For bars of accelerators: what those releases were made for, newest release first.
    pub(super) builds: Vec<MadeFor>,
}

impl Clash {
    /// The asks that have a part in it, by their place in a list of them.
    pub fn asked(&self, asks: &[Ask]) -> Vec<usize> {
        let has_a_part = |ask: &Ask| {
            self.facts
                .iter()
                .any(|f| f.kind == FactKind::Ask && f.states(ask))
        };
        asks.iter()
            .enumerate()
            .filter(|(_, ask)| has_a_part(ask))
            .map(|(i, _)| i)
            .collect()
    }
}

impl Fact {
    /// Whether it is what this ask, or bound, says.
    pub(super) fn states(&self, ask: &Ask) -> bool {
        Some(&ask.origin) == self.origin.as_ref()
            && ask.requirement.subject() == self.project
            && ask
                .requirement
                .versions()
                .map_or(String::new(), ToString::to_string)
                == self.versions
    }
}

impl Search {
    /// The smallest clash behind these clauses.
    pub(super) fn clash(&self, clauses: &[ClauseId]) -> Clash {
        let grounds = self.walked(self.smallest(self.grounds(clauses)));
        let facts: Vec<Fact> = grounds.iter().map(|g| self.fact(g)).collect();
        let asked = |name: &Name| {
            self.problem
                .asks_in_force()
                .any(|(_, a)| a.requirement.name == *name)
        };
        let absent = facts
            .iter()
            .filter_map(|f| {
                if let Ground::Barred {
                    project,
                    kind: BarKind::Absent,
                    releases,
                } = &f.ground
                    && releases.is_empty()
                {
                    Some(project)
                } else {
                    None
                }
            })
            .filter(|name| asked(name) && !self.facts.has_page(name))
            .cloned()
            .collect();
        let contested = self.contested(&facts);
        Clash {
            facts,
            absent,
            contested,
        }
    }

    /// The grounds in the order in which they are read: each ask, then what bears on its project,
    /// then the needs.
    fn walked(&self, grounds: Vec<Ground>) -> Vec<Ground> {
        let asked = grounds.iter().enumerate().filter_map(|(i, ground)| {
            if let Ground::Ask(ask) = ground {
                Some((i, self.problem.ask(*ask)?))
            } else {
                None
            }
        });
        let mut asks: Vec<(usize, &Ask)> = asked.collect();
        asks.sort_by_key(|(_, ask)| &ask.origin);
        let mut order: Vec<usize> = Vec::new();
        for (i, ask) in asks {
            order.push(i);
            let mut open: Vec<Name> = vec![ask.requirement.name.clone()];
            let mut seen: Vec<Name> = Vec::new();
            while let Some(project) = open.pop() {
                if seen.contains(&project) {
                    continue;
                }
                let mut next = Vec::new();
                for (i, ground) in grounds.iter().enumerate() {
                    if !self.bears_on(ground, &project)
                        || order.contains(&i)
                        || matches!(ground, Ground::Ask(_))
                    {
                        continue;
                    }
                    order.push(i);
                    if let Ground::Needs { requirement, .. } = ground {
                        next.push(requirement.name.clone());
                    }
                }
                seen.push(project);
                open.extend(next.into_iter().rev());
            }
        }
        let rest: Vec<usize> = (0..grounds.len()).filter(|i| !order.contains(i)).collect();
        order
            .into_iter()
            .chain(rest)
            .filter_map(|i| grounds.get(i).cloned())
            .collect()
    }

    /// Whether a ground speaks of releases of a project.
    fn bears_on(&self, ground: &Ground, name: &Name) -> bool {
        match ground {
            Ground::Ask(_) | Ground::Bound(_) => {
                self.requirement_of(ground).is_some_and(|r| r.name == *name)
            }
            Ground::Held(project)
            | Ground::Prior(project)
            | Ground::Doubt(Doubt { project, .. })
            | Ground::Needs { project, .. }
            | Ground::Built { project, .. }
            | Ground::Barred { project, .. } => project == name,
        }
    }

    fn contested(&self, facts: &[Fact]) -> Vec<Contested> {
        let mut names: Vec<&Name> = facts
            .iter()
            .filter_map(|f| self.requirement_of(&f.ground))
            .map(|r| &r.name)
            .collect();
        names.sort();
        names.dedup();
        let mut contested = Vec::new();
        for name in names {
            let releases = self.releases(name);
            let rows: Vec<(usize, Vec<Version>)> = facts
                .iter()
                .enumerate()
                .filter_map(|(i, fact)| Some((i, self.allows(&fact.ground, name, &releases)?)))
                .collect();
            let empty = releases
                .iter()
                .all(|r| rows.iter().any(|(_, allowed)| !allowed.contains(r)));
            if !rows.is_empty() && !releases.is_empty() && empty {
                contested.push(Contested {
                    project: name.clone(),
                    releases,
                    rows,
                });
            }
        }
        contested.extend(self.contested_toolkits(facts));
        contested
    }

    /// Families of which the builds leave no toolkit, as if they were projects.
    fn contested_toolkits(&self, facts: &[Fact]) -> Vec<Contested> {
        let built = |fact: &Fact| {
            if let Ground::Built { made_for, .. } = &fact.ground {
                Some(made_for.as_ref().clone())
            } else {
                None
            }
        };
        let builds: Vec<(usize, MadeFor)> = facts
            .iter()
            .enumerate()
            .filter_map(|(i, f)| Some((i, built(f)?)))
            .collect();
        // The builds of one project are alternatives, which are no rows of one axis.
        let project = |i: usize| facts.get(i).map(|f| &f.project);
        let alone = |i: usize| {
            builds
                .iter()
                .filter(|(o, _)| project(*o) == project(i))
                .count()
                == 1
        };
        if builds.len() < 2 || !builds.iter().all(|(i, _)| alone(*i)) {
            return Vec::new();
        }
        let mut families: Vec<&str> = builds
            .iter()
            .filter_map(|(_, b)| b.family())
            .map(|f| f.name.as_str())
            .collect();
        families.sort_unstable();
        families.dedup();
        let one = |family: &str| {
            let of = |b: &MadeFor| {
                self.toolkits_serving(b)
                    .into_iter()
                    .filter(|(f, _)| f == family)
            };
            let mut releases: Vec<Version> = builds
                .iter()
                .flat_map(|(_, b)| of(b))
                .filter_map(|(_, t)| Version::parse(&t).ok())
                .collect();
            releases.sort();
            releases.dedup();
            let allows = |b: &MadeFor| {
                of(b)
                    .filter_map(|(_, t)| Version::parse(&t).ok())
                    .collect::<Vec<_>>()
            };
            let rows: Vec<(usize, Vec<Version>)> =
                builds.iter().map(|(i, b)| (*i, allows(b))).collect();
            let empty = releases
                .iter()
                .all(|r| rows.iter().any(|(_, allowed)| !allowed.contains(r)));
            Some(Contested {
                project: Name::parse(family).ok()?,
                releases,
                rows,
            })
            .filter(|_| empty)
        };
        families.into_iter().filter_map(one).collect()
    }

    /// The releases of a project that a ground allows; none when it does not bear on the project.
    fn allows(&self, ground: &Ground, name: &Name, releases: &[Version]) -> Option<Vec<Version>> {
        let those = |holds: &dyn Fn(&Version) -> bool| {
            releases.iter().filter(|v| holds(v)).cloned().collect()
        };
        let of = |requirement: &Requirement| {
            let set = requirement.versions()?;
            (requirement.name == *name && !set.is_empty()).then(|| those(&|v| set.matches(v)))
        };
        match ground {
            Ground::Barred {
                project,
                releases: out,
                ..
            } if project == name => Some(those(&|v| !out.contains(v))),
            Ground::Barred { .. } => None,
            Ground::Held(project) | Ground::Prior(project) if project == name => {
                let kept = self.kept_by(ground);
                Some(those(&|v| Some(v) == kept))
            }
            Ground::Held(_) | Ground::Prior(_) | Ground::Doubt(_) | Ground::Built { .. } => None,
            other @ (Ground::Ask(_) | Ground::Bound(_) | Ground::Needs { .. }) => {
                of(self.requirement_of(other)?)
            }
        }
    }
}
