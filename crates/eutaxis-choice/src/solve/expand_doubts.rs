//! The clauses of strong facts (docs/choice.md, dates), added when a release is expanded.

use std::rc::Rc;
use std::sync::Arc;

use super::clause::{Rests, Source, Term};
use super::doubts::{self, Doubt, Release};
use super::encode::Draft;
use super::facts::{Need, Needs, PagedWheel, ProjectFacts, Want};
use super::search::Search;
use super::state::NodeKind;
use super::table::Value;
use crate::offer::{Verdict, Wheels};
use eutaxis_standards::knowledge;
use eutaxis_standards::name::Name;
use eutaxis_standards::version::{Version, leaves_later_series_open, major_series};

/// What later releases of a project say of what one of its releases needs.
#[derive(Debug, Default)]
pub(super) struct Learnt {
    /// The projects that the release needs without a bound above.
    open: Vec<Name>,
    /// Those of them that a later release bounds, with that release.
    bounded: Vec<(Name, PagedWheel)>,
}

impl Search {
    /// The projects that a release needs, under its base or one extra, without a bound above.
    fn open_needs(needs: &Needs, extra: Option<&Name>, project: &Name) -> Vec<Name> {
        let mut open: Vec<Name> = Vec::new();
        for need in needs
            .under(extra)
            .filter(|n| n.requirement.name != *project && n.adjusted.is_none())
        {
            let name = &need.requirement.name;
            let mut same = needs
                .all
                .iter()
                .filter(|n| n.requirement.name == *name && counts(n, extra));
            let is_open = same.all(|n| {
                n.requirement.versions().is_some()
                    && leaves_later_series_open(n.requirement.versions())
            });
            if is_open && !open.contains(name) {
                open.push(name.clone());
            }
        }
        open
    }

    /// For each project that a release needs without a bound above: the first later release, in its
    /// minor series, its major series or the next, that sets one. What must be known for that is
    /// wanted.
    pub(super) fn learnt(
        &self,
        project: &Name,
        value: Value,
        extra: Option<&Name>,
        wants: &mut Vec<Want>,
    ) -> Learnt {
        let mut found = Learnt::default();
        if !self.problem.policy.chronology.decides() {
            return found;
        }
        let Some(facts) = self.facts.get(project) else {
            return found;
        };
        let (Some(needs), Some(head)) = (facts.needs(value), facts.head(value)) else {
            return found;
        };
        found.open = Self::open_needs(needs, extra, project);
        if found.open.is_empty() {
            return found;
        }
        let series = |w: &PagedWheel| major_series(&w.version);
        let mine = major_series(&head.version);
        let later: Vec<&PagedWheel> = facts
            .wheels()
            .iter()
            .filter(|w| w.version > head.version)
            .collect();
        let next = later
            .iter()
            .filter_map(|w| series(w))
            .filter(|s| Some(*s) > mine)
            .min();
        let of = |wanted: Option<(u64, u64)>| -> Vec<&PagedWheel> {
            later
                .iter()
                .copied()
                .filter(|w| series(w) == wanted)
                .collect()
        };
        let (own, following) = (of(mine), next.map_or_else(Vec::new, |next| of(Some(next))));
        // Bounds come in releases that mend: the last of those may have one that later releases,
        // which go with the newer, lack.
        let minor = |v: &Version| v.release_number(1);
        let mended: Vec<&PagedWheel> = own
            .iter()
            .copied()
            .filter(|w| minor(&w.version) == minor(&head.version))
            .collect();
        for other in &found.open {
            for releases in [&mended, &own, &following] {
                match first_bound(facts, releases, extra, other) {
                    Ok(None) => {}
                    Ok(Some(wheel)) => {
                        found.bounded.push((other.clone(), wheel.clone()));
                        break;
                    }
                    Err(unread) => {
                        // Also what is wanted already: who pushes nothing waits for nothing.
                        wants.push(facts.want_of(&unread));
                        break;
                    }
                }
            }
        }
        found
    }

    /// Adds the strong facts that speak of a release under its base or one extra.
    pub(super) fn add_doubts(
        &mut self,
        project: &Name,
        value: Value,
        extra: Option<&Name>,
        learnt: Learnt,
    ) {
        if !self.problem.policy.chronology.decides() {
            return;
        }
        let Some(facts) = self.facts.get(project) else {
            return;
        };
        let Some(needs) = facts.needs(value).map(Rc::clone) else {
            return;
        };
        let release = Release {
            name: project,
            facts,
            value,
        };
        let mut found: Vec<Doubt> = Vec::new();
        for other in &learnt.open {
            if let Some(others) = self.facts.get(other) {
                found.extend(doubts::by_date(&release, other, others));
            }
        }
        for (other, later) in learnt.bounded {
            let (Some(Some(theirs)), Some(others)) =
                (facts.needs_of_wheel(&later), self.facts.get(&other))
            else {
                continue;
            };
            let bounds: Vec<&Need> = theirs
                .all
                .iter()
                .filter(|n| n.requirement.name == other && counts(n, extra))
                .collect();
            found.extend(doubts::by_later(&release, &later, &bounds, &other, others));
        }
        if extra.is_none() {
            found.extend(self.interpreter_doubt(&release, &needs));
        }
        for mut doubt in found {
            doubt.built = self.built(&doubt);
            self.add_doubt(value, extra, doubt);
        }
    }

    fn interpreter_doubt(&self, release: &Release<'_>, needs: &Needs) -> Option<Doubt> {
        let markers = &self.problem.target.interpreter;
        let (major, minor) = (
            markers.version.release_number(0),
            markers.version.release_number(1),
        );
        let began = knowledge::series_began(&format!("{major}.{minor}"))?;
        let classified = needs.said.as_ref().and_then(|m| m.classified);
        doubts::by_interpreter(
            release,
            &format!("CPython {major}.{minor}"),
            began,
            classified,
            (major, minor),
        )
    }

    /// Releases of the other that would have to be built, where a wheel beside those that a fact
    /// speaks of would do: a fact is no reason to build something.
    fn built(&self, doubt: &Doubt) -> Arc<Vec<Version>> {
        let Some(facts) = self
            .facts
            .get(&doubt.other)
            .filter(|_| self.problem.policy.wheels != Wheels::Any)
        else {
            return Arc::default();
        };
        let built = facts
            .by_page(Verdict::Build)
            .filter(|v| !doubt.out.contains(v));
        Arc::new(built.cloned().collect())
    }

    /// "Not this release, or none of those of the other."
    fn add_doubt(&mut self, value: Value, extra: Option<&Name>, doubt: Doubt) {
        let is_let_go = self.let_go.doubts.contains(&doubt);
        let index = self
            .doubts
            .iter()
            .position(|d| *d == doubt)
            .unwrap_or(self.doubts.len());
        if index == self.doubts.len() {
            self.doubts.push(doubt.clone());
        }
        if is_let_go {
            return;
        }
        let node = self.project_node(&doubt.project);
        let mut draft = Draft::new(Term::lacks(node, self.state.get(node).size, [value]));
        if doubt.other != doubt.project {
            let other = self.project_node(&doubt.other);
            let Some(facts) = self.facts.get(&doubt.other) else {
                return;
            };
            let out = doubt.out_or_built().filter_map(|v| facts.value_of(v));
            draft = draft.or(Term::lacks(other, self.state.get(other).size, out));
        }
        if let Some(extra) = extra {
            let node = self
                .state
                .node(NodeKind::Extra(doubt.project.clone(), extra.clone()), 2);
            draft = draft.or(Term::idle(node));
        }
        self.state
            .add_clause(draft.terms(), Source::Doubt(index), Rests::default());
    }
}

/// Whether a need counts under the base or one extra.
fn counts(need: &Need, extra: Option<&Name>) -> bool {
    need.base || extra.is_some_and(|e| need.extras.contains(e))
}

/// The first of these releases, oldest first, that bounds another project above: none when the
/// newest does not. What was bounded once is taken to be bounded from then on, so that few have to
/// be read. The file whose needs must be known first is the error.
fn first_bound<'a>(
    facts: &ProjectFacts,
    releases: &[&'a PagedWheel],
    extra: Option<&Name>,
    other: &Name,
) -> Result<Option<&'a PagedWheel>, Arc<str>> {
    let bounds = |wheel: &PagedWheel| -> Result<bool, Arc<str>> {
        // What nobody can say is no bound.
        let Some(file) = facts.file_of(wheel) else {
            return Ok(false);
        };
        let Some(needs) = facts.needs_of(file).ok_or_else(|| Arc::clone(file))? else {
            return Ok(false);
        };
        let mut mine = needs
            .all
            .iter()
            .filter(|n| n.requirement.name == *other && counts(n, extra));
        Ok(mine.any(|n| !leaves_later_series_open(n.requirement.versions())))
    };
    let Some(newest) = releases.last() else {
        return Ok(None);
    };
    if !bounds(newest)? {
        return Ok(None);
    }
    let (mut low, mut high) = (0, releases.len() - 1);
    while low < high {
        let middle = low.midpoint(high);
        let Some(wheel) = releases.get(middle) else {
            break;
        };
        if bounds(wheel)? {
            high = middle
        } else {
            low = middle + 1
        }
    }
    Ok(releases.get(high).copied())
}
