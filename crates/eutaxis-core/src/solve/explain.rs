//! A clash: the facts that the proof of impossibility used, with their origins.
//!
//! Facts are what a person can act on: asks, bounds, what runs of releases need, and bars. Making the set smallest, and
//! finding ways out, builds on this.

use super::clause::{ClauseId, Source};
use super::search::Search;
use crate::fault::Origin;
use crate::name::Name;
use crate::offer::BarKind;
use crate::requirement::Requirement;
use crate::version::Version;

/// Facts that cannot hold together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Clash {
    /// The facts: asks in their order, then bounds, needs and bars.
    pub facts: Vec<Fact>,
    /// Asked projects that no depot has.
    pub absent: Vec<Name>,
    /// The projects on which more than one fact bears, with their usable and barred releases, oldest first.
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

/// What kind of fact it is (choice, rule 13).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum FactKind {
    /// An ask of the user.
    Ask,
    /// A bound of the user.
    Bound,
    /// What releases need.
    Needs,
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
    /// Where it was stated, for asks and bounds.
    pub origin: Option<Origin>,
    /// The fact in words.
    pub text: String,
    /// The requirement behind it, on which project it bears.
    requirement: Option<Requirement>,
}

impl Search {
    /// The clash that these clauses prove.
    pub(super) fn clash(&self, clauses: &[ClauseId]) -> Clash {
        let mut facts: Vec<Fact> = Vec::new();
        for id in clauses {
            let fact = self.fact(*id);
            if !facts.contains(&fact) {
                facts.push(fact);
            }
        }
        let requirements: Vec<Requirement> = facts.iter().filter_map(|f| f.requirement.clone()).collect();
        let mut absent = Vec::new();
        for name in projects_of(&requirements) {
            if self.facts.get(&name).is_none() {
                facts.push(bar_fact(BarKind::Absent, &name, String::new(), format!("no depot has {name}")));
                absent.push(name);
            } else {
                facts.extend(self.bars(&name, &requirements));
            }
        }
        // Asks and bounds stay in the order stated; the rest is ordered by its words, whatever way the proof went.
        let stated = |f: &Fact| matches!(f.kind, FactKind::Ask | FactKind::Bound);
        facts.sort_by(|a, b| {
            a.kind.cmp(&b.kind).then_with(|| if stated(a) { std::cmp::Ordering::Equal } else { a.text.cmp(&b.text) })
        });
        facts.dedup();
        let asked = |name: &Name| self.problem.asks_in_force().any(|(_, a)| a.requirement.name == *name);
        absent.retain(asked);
        let contested = self.contested(&facts);
        Clash { facts, absent, contested }
    }

    fn fact(&self, id: ClauseId) -> Fact {
        let clause = &self.state.clauses[id.0 as usize];
        let stated = |kind: FactKind, verb: &str, ask: &crate::requirement::Ask| Fact {
            kind,
            project: ask.requirement.subject(),
            versions: ask.requirement.versions().map_or(String::new(), ToString::to_string),
            needs: None,
            origin: Some(ask.origin.clone()),
            text: format!("{verb} {}", ask.requirement.short()),
            requirement: Some(ask.requirement.clone()),
        };
        match &clause.source {
            Source::Ask(i) => stated(FactKind::Ask, "you ask", &self.problem.asks[*i]),
            Source::Bound(i) => stated(FactKind::Bound, "you bound", &self.problem.bounds[*i]),
            Source::Need { project, extra, requirement } => {
                let left_out = clause.terms.first().map(|t| {
                    let all = 1..self.state.get(t.node).size;
                    all.filter(|v| !t.values.contains(*v)).collect::<Vec<_>>()
                });
                let versions = self.versions(project, &left_out.unwrap_or_default());
                let subject = extra.as_ref().map_or(project.to_string(), |e| format!("{project}[{e}]"));
                let verb = if versions.len() == 1 { "needs" } else { "need" };
                Fact {
                    kind: FactKind::Needs,
                    text: format!("{subject} {} {verb} {}", self.range_words(project, &versions), requirement.short()),
                    project: subject,
                    versions: self.range_set(project, &versions),
                    needs: Some(requirement.to_string()),
                    origin: None,
                    requirement: Some(requirement.as_ref().clone()),
                }
            }
            Source::Yanked { project, value } => {
                let versions = self.versions(project, &[*value]);
                let reason =
                    self.facts.get(project).and_then(|f| f.offer(*value)?.yanked.clone()).filter(|r| !r.is_empty());
                let reason = reason.map_or(String::new(), |r| format!(" (\"{}\")", crate::fault::escaped(&r)));
                let text = format!(
                    "{project} {} is yanked{reason}, and nothing pins it exactly",
                    self.range_words(project, &versions)
                );
                bar_fact(BarKind::Yanked, project, self.range_set(project, &versions), text)
            }
            // Origins are never learned clauses.
            Source::Learned(_) => Fact {
                kind: FactKind::Needs,
                project: String::new(),
                versions: String::new(),
                needs: None,
                origin: None,
                text: String::new(),
                requirement: None,
            },
        }
    }

    /// What bars those releases of a project that all these requirements would take, one fact for each sentence.
    fn bars(&self, name: &Name, requirements: &[Requirement]) -> Vec<Fact> {
        let mine: Vec<&Requirement> = requirements.iter().filter(|r| r.name == *name).collect();
        let Some(facts) = self.facts.get(name) else { return Vec::new() };
        let takes_all = |v: &Version| mine.iter().all(|r| r.versions().is_none_or(|s| s.matches(v)));
        let mut grouped: Vec<(BarKind, String, Vec<Version>)> = Vec::new();
        let mut note = |kind: BarKind, detail: &str, version: &Version| match grouped
            .iter_mut()
            .find(|(k, d, _)| *k == kind && d == detail)
        {
            Some((_, _, versions)) if versions.contains(version) => {}
            Some((_, _, versions)) => versions.push(version.clone()),
            None => grouped.push((kind, detail.to_owned(), vec![version.clone()])),
        };
        for requirement in &mine {
            for (offer, bars) in facts.barred_by(requirement, &self.problem) {
                for bar in bars.iter().filter(|_| takes_all(&offer.version)) {
                    // Behind a parenthesis stands what differs from release to release.
                    note(bar.kind, bar.detail.split(" (").next().unwrap_or(&bar.detail), &offer.version);
                }
            }
        }
        grouped
            .into_iter()
            .map(|(kind, detail, mut versions)| {
                versions.sort();
                let text = format!("{name} {}: {detail}", self.range_words(name, &versions));
                bar_fact(kind, name, self.range_set(name, &versions), text)
            })
            .collect()
    }

    fn versions(&self, project: &Name, values: &[usize]) -> Vec<Version> {
        let facts = self.facts.get(project);
        let mut versions: Vec<Version> =
            values.iter().filter_map(|v| facts.and_then(|f| f.offer(*v))).map(|o| o.version.clone()).collect();
        versions.sort();
        versions
    }

    /// Runs of releases that follow each other without one of the project's usable releases between, oldest first.
    fn runs(&self, project: &Name, versions: &[Version]) -> Vec<(Version, Version)> {
        let mut all: Vec<&Version> =
            self.facts.get(project).map_or(Vec::new(), |f| f.offers.iter().map(|o| &o.version).collect());
        all.sort();
        let mut runs: Vec<(Version, Version)> = Vec::new();
        let mut before = false;
        for version in all {
            let inside = versions.contains(version);
            match runs.last_mut() {
                Some((_, last)) if inside && before => *last = version.clone(),
                _ if inside => runs.push((version.clone(), version.clone())),
                _ => {}
            }
            before = inside;
        }
        runs
    }

    fn range_words(&self, project: &Name, versions: &[Version]) -> String {
        let runs = self.runs(project, versions);
        let words: Vec<String> =
            runs.iter().map(|(a, b)| if a == b { a.to_string() } else { format!("{a} to {b}") }).collect();
        words.join(", ")
    }

    fn range_set(&self, project: &Name, versions: &[Version]) -> String {
        let runs = self.runs(project, versions);
        let sets: Vec<String> =
            runs.iter().map(|(a, b)| if a == b { format!("=={a}") } else { format!(">={a},<={b}") }).collect();
        sets.join(" || ")
    }

    fn contested(&self, facts: &[Fact]) -> Vec<Contested> {
        let requirements: Vec<Requirement> = facts.iter().filter_map(|f| f.requirement.clone()).collect();
        let mut contested = Vec::new();
        for name in projects_of(&requirements) {
            let Some(known) = self.facts.get(&name) else { continue };
            let mut releases: Vec<Version> = known.offers.iter().map(|o| o.version.clone()).collect();
            releases.sort();
            let rows: Vec<(usize, Vec<Version>)> = facts
                .iter()
                .enumerate()
                .filter_map(|(i, fact)| {
                    let allows = self.allows(fact, &name, &releases)?;
                    Some((i, allows))
                })
                .collect();
            if rows.len() > 1 && releases.iter().all(|r| rows.iter().any(|(_, allowed)| !allowed.contains(r))) {
                contested.push(Contested { project: name, releases, rows });
            }
        }
        contested
    }

    /// The releases of a project that a fact allows; none when it does not bear on the project.
    fn allows(&self, fact: &Fact, name: &Name, releases: &[Version]) -> Option<Vec<Version>> {
        if let Some(requirement) = fact.requirement.as_ref().filter(|r| r.name == *name) {
            let set = requirement.versions()?;
            return Some(releases.iter().filter(|v| set.matches(v)).cloned().collect());
        }
        let barred = matches!(fact.kind, FactKind::Bar(_)) && fact.project == name.as_str();
        if !barred {
            return None;
        }
        let out = |v: &Version| {
            fact.versions.split(" || ").any(|s| crate::version::SpecifierSet::parse(s).is_ok_and(|s| s.matches(v)))
        };
        Some(releases.iter().filter(|v| !out(v)).cloned().collect())
    }
}

fn projects_of(requirements: &[Requirement]) -> Vec<Name> {
    let mut names: Vec<Name> = requirements.iter().map(|r| r.name.clone()).collect();
    names.sort();
    names.dedup();
    names
}

fn bar_fact(kind: BarKind, project: &Name, versions: String, text: String) -> Fact {
    Fact {
        kind: FactKind::Bar(kind),
        project: project.to_string(),
        versions,
        needs: None,
        origin: None,
        text,
        requirement: None,
    }
}
