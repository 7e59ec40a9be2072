//! The main loop.

use std::cell::OnceCell;
use std::rc::Rc;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::analyze::Lesson;
use super::bits::Bits;
use super::clash::Clash;
use super::clause::{ClauseId, Rests, Source, Term};
use super::doubts::Doubt;
use super::expand::{ShareKey, YankedPin, page_want};
use super::facts::{Facts, ProjectFacts, Want};
use super::let_go::LetGo;
use super::problem::Problem;
use super::queue::{OwnTime, Queue};
use super::solution::{Solution, Sources};
use super::state::{NodeKind, State};
use super::table::Value;
use crate::offer::{JudgedPage, MetadataAnswer, Open, RuleBook, WheelFiles};
use eutaxis_standards::index::Page;
use eutaxis_standards::name::Name;

/// A search gives up after so many conflicts: the instance is beyond what can be proven in
/// reasonable time.
const MOST_CONFLICTS: usize = 2_000_000;
/// Metadata of at most so many releases is asked for, to be certain that nobody pins a yanked
/// release.
const MOST_FOR_YANKED: usize = 200;

/// So many of the waiting projects are looked ahead for: enough to fill a line, few enough to cost
/// nothing.
const MOST_LIKELY: usize = 64;

/// What the search came to.
#[derive(Debug)]
pub enum Step {
    /// It must know these to go on, and will probably want the others next, or says more with them.
    Wants {
        /// Without these it cannot go on; where there are none, it goes on without any.
        needed: Vec<Want>,
        /// Metadata of the offers that will probably be taken, or of files that tell more of them.
        likely: Vec<Want>,
    },
    /// A solution, the one that the promise names.
    Settled(Solution),
    /// There is none; these facts cannot hold together.
    Clash(Clash),
    /// Too many conflicts: neither answer can be given.
    GaveUp {
        /// The limit that was reached.
        conflicts: usize,
    },
}

/// The search.
#[derive(Debug)]
pub struct Search {
    pub(super) problem: Rc<Problem>,
    /// By what pages are judged that nobody else judges.
    book: OnceCell<Arc<RuleBook>>,
    pub(super) facts: Facts,
    pub(super) state: State,
    pub(super) queue: Queue,
    rooted: bool,
    pub(super) expanded: FxHashSet<(Name, Value, Option<Name>)>,
    pub(super) shared: FxHashMap<ShareKey, ClauseId>,
    pub(super) yanked_pins: Vec<YankedPin>,
    /// Final releases, by project and value, that keep pre-releases out while their metadata is not
    /// known.
    pub(super) unseen_finals: Vec<(Name, Value)>,
    pub(super) must_restart: bool,
    pub(super) most_for_yanked: usize,
    /// All who pin yanked releases are known, or as many as are looked for.
    yanked_known: bool,
    /// Yanked releases are taken for pinned, because to know who pins them would be dear: what
    /// holds so too holds.
    pub(super) yanked_open: bool,
    /// That did not do: the archives are asked for.
    yanked_dear: bool,
    /// What would be dear to know of releases that are taken as things stand. Until then they need
    /// nothing.
    dear: Vec<Want>,
    conflicts: usize,
    /// Facts came since it began anew: the way it took depends on when they did.
    pub(super) was_supplied: bool,
    /// Strong facts that were come by.
    pub(super) doubts: Vec<Doubt>,
    pub(super) let_go: LetGo,
    /// What was asked for to tell of accelerators.
    pub(super) asked_of: FxHashSet<Open>,
}

impl Search {
    /// A search for a solution of the problem; nothing is known yet.
    pub fn new(problem: Problem) -> Self {
        Search {
            facts: Facts::none_for(&problem),
            problem: Rc::new(problem),
            book: OnceCell::new(),
            state: State::default(),
            queue: Queue::default(),
            rooted: false,
            expanded: FxHashSet::default(),
            shared: FxHashMap::default(),
            yanked_pins: Vec::new(),
            unseen_finals: Vec::new(),
            must_restart: false,
            most_for_yanked: MOST_FOR_YANKED,
            yanked_known: false,
            yanked_open: false,
            yanked_dear: false,
            dear: Vec::new(),
            conflicts: 0,
            was_supplied: false,
            doubts: Vec::new(),
            let_go: LetGo::default(),
            asked_of: FxHashSet::default(),
        }
    }

    /// The problem.
    pub fn problem(&self) -> &Problem {
        &self.problem
    }

    /// How many conflicts were met so far: a measure of the work.
    pub fn conflicts(&self) -> usize {
        self.conflicts
    }

    /// A page as it is judged for this search, where nobody else is to share it.
    pub fn judged(&self, page: Arc<Page>) -> Arc<JudgedPage> {
        let book = || Arc::new(RuleBook::of(&self.problem.rules()));
        Arc::new(JudgedPage::by(
            page,
            Arc::clone(self.book.get_or_init(book)),
        ))
    }

    /// Hands in the page of a project; none when no depot has it.
    pub fn supply_page(&mut self, project: &Name, page: Option<Arc<JudgedPage>>) {
        self.was_supplied = true;
        let problem = Rc::clone(&self.problem);
        let new_toolkit = self.facts.supply_page(project, page, &problem);
        self.must_restart |= new_toolkit && self.state.find(&NodeKind::Toolkit).is_some();
    }

    /// Hands in the metadata of a file.
    pub fn supply_metadata(&mut self, project: &Name, file: &Arc<str>, answer: &MetadataAnswer) {
        self.was_supplied = true;
        let problem = Rc::clone(&self.problem);
        self.must_restart |= self.facts.supply_metadata(project, file, answer, &problem);
    }

    /// Hands in what the files within a wheel tell; none where that cannot be had.
    pub fn supply_files(
        &mut self,
        project: &Name,
        file: &Arc<str>,
        files: Option<&Arc<WheelFiles>>,
    ) {
        let problem = Rc::clone(&self.problem);
        self.must_restart |= self.facts.supply_files(project, file, files, &problem);
    }

    /// Goes on as far as the facts allow.
    pub fn step(&mut self) -> Step {
        loop {
            if self.must_restart {
                self.restart();
            }
            if !self.rooted {
                let needed = self.first_wants();
                if !needed.is_empty() {
                    return Step::Wants {
                        needed,
                        likely: Vec::new(),
                    };
                }
                self.root();
                self.queue = Queue::start(&self.problem, &self.facts);
                self.rooted = true;
            }
            if let Some(conflict) = self.state.propagate() {
                if let Some(end) = self.learn_from(conflict) {
                    return end;
                }
                continue;
            }
            let clauses = self.state.clauses.len();
            let (needed, dear) = self.expand_settled();
            if self.must_restart {
                continue;
            }
            if !needed.is_empty() {
                return Step::Wants {
                    needed: unique(needed),
                    likely: self.likely(),
                };
            }
            if self.state.clauses.len() > clauses || self.state.has_unchecked() {
                continue;
            }
            self.dear = dear;
            if self.advance() {
                continue;
            }
            if !self.dear.is_empty() {
                // No cheap fact speaks against what is taken. Turns were given without these needs:
                // all of it is done anew.
                self.must_restart = true;
                return Step::Wants {
                    needed: unique(std::mem::take(&mut self.dear)),
                    likely: Vec::new(),
                };
            }
            match self.look_into(self.passed_over()) {
                Some(Some(wants)) => return wants,
                Some(None) => continue,
                None => {}
            }
            let telling = self.wants_of_builds();
            if !telling.is_empty() {
                // It may fail: then nobody knows what those builds use.
                return Step::Wants {
                    needed: Vec::new(),
                    likely: telling,
                };
            }
            if let Some(solution) = self.finish() {
                if self.bar_lost() || self.ask_as_asked() {
                    continue;
                }
                return Step::Settled(solution);
            }
        }
    }

    /// Forgets all conclusions, keeps all facts.
    fn restart(&mut self) {
        self.state = State::default();
        self.queue = Queue::default();
        self.doubts.clear();
        self.rooted = false;
        self.expanded.clear();
        self.shared.clear();
        self.unseen_finals.clear();
        self.dear.clear();
        self.was_supplied = false;
        self.must_restart = false;
    }

    fn first_wants(&self) -> Vec<Want> {
        let all = self.problem.in_force();
        let names = all
            .map(|ask| &ask.requirement.name)
            .chain(self.problem.held.keys());
        unique(
            names
                .filter_map(|name| page_want(&self.facts, &self.problem, name))
                .collect(),
        )
    }

    /// Learns from a conflict; the end of the search when nothing is left to try.
    fn learn_from(&mut self, conflict: ClauseId) -> Option<Step> {
        self.conflicts += 1;
        if self.conflicts > MOST_CONFLICTS {
            return Some(Step::GaveUp {
                conflicts: MOST_CONFLICTS,
            });
        }
        let level = self.state.level();
        let (used, impossible) = match self.state.learn(conflict) {
            Lesson::Clause { id } => (vec![id], false),
            Lesson::Impossible(used) => (used, true),
        };
        if let Some(end) = self.look_into(self.state.rests(&used)) {
            return end;
        }
        if impossible {
            let origins = self.state.origins(&used);
            if let Some(end) = self.let_go_of(&origins) {
                return end;
            }
            return Some(Step::Clash(self.clash(&origins)));
        }
        if self.state.level() < level {
            self.queue.back_to(self.state.level());
        }
        None
    }

    /// Before a conflict counts, what it takes for granted is looked into. Some when the search
    /// must wait or begin anew.
    pub(super) fn look_into(&mut self, rests: Rests) -> Option<Option<Step>> {
        let mut needed = if rests.on_unseen_finals {
            self.unseen_finals()
        } else {
            Vec::new()
        };
        if needed.is_empty() && rests.on_nobody_pinning && !self.yanked_known {
            needed = self.close_over_yanked();
            self.yanked_known = needed.is_empty();
            let cheap = |want: &Want| !matches!(want, Want::Archive(..));
            if needed.iter().any(cheap) {
                needed.retain(cheap);
            } else if !needed.is_empty() && !self.yanked_dear {
                // Perhaps it does not matter who pins them.
                needed.clear();
                self.yanked_open = true;
                self.must_restart = true;
            }
        }
        if needed.is_empty() {
            return self.must_restart.then_some(None);
        }
        self.must_restart = true;
        Some(Some(Step::Wants {
            needed: unique(needed),
            likely: Vec::new(),
        }))
    }

    /// Gives the next project of the queue its turn or its best offer, or leads to conclusions that
    /// are to be drawn first. False when all have had their turn.
    fn advance(&mut self) -> bool {
        while let Some(project) = self.queue.next().cloned() {
            let node = self.project_node(&project);
            if self.state.has_unchecked() {
                // The project is new here: what is concluded from that comes before any decision.
                return true;
            }
            let domain = &self.state.get(node).domain;
            let Some(value) = domain.single() else {
                let mut present = domain.clone();
                present.remove(Value::ABSENT);
                let Some(best) = self.best(&project, &present) else {
                    return false;
                };
                self.queue.mark();
                self.state.decide(node, best);
                return true;
            };
            let Some(facts) = self.facts.get(&project) else {
                return false;
            };
            let needs = match facts.needs(value) {
                Some(needs) => Rc::clone(needs),
                None if facts.is_dear(value) => Rc::default(),
                None => return false,
            };
            let state = &self.state;
            let value_of = |name: &Name| {
                let node = state.find(&NodeKind::Project(name.clone()))?;
                state.get(node).domain.single().filter(|v| v.is_present())
            };
            self.queue.turn(&needs, &self.facts, &value_of);
        }
        false
    }

    /// The best of the values that are left to a project at its turn. Of a project that is of a
    /// time, what existed then comes first, the newest first; then the later ones, the nearest
    /// first.
    fn best(&self, project: &Name, present: &Bits) -> Option<Value> {
        let Some((time, facts)) = self.timed(project) else {
            return present.first();
        };
        let key = |value: Value| {
            let date = facts.head(value).and_then(|h| facts.appeared(h));
            let late = date.is_some_and(|d| d > time.until);
            let age = if late {
                usize::MAX - facts.release(value)
            } else {
                0
            };
            (facts.group(value), late, age, value)
        };
        facts
            .present()
            .filter(|v| present.contains(*v))
            .min_by_key(|v| key(*v))
    }

    /// The time that a project is of, where it has a part in the choice: not where releases are
    /// numbered by date.
    fn timed(&self, project: &Name) -> Option<(&OwnTime, &ProjectFacts)> {
        let facts = self
            .facts
            .get(project)
            .filter(|f| !f.is_numbered_by_date())?;
        Some((self.queue.time_of(project)?, facts))
    }

    /// What rests on things not looked into, where offers better than the chosen ones were passed
    /// over.
    fn passed_over(&self) -> Rests {
        let mut better = Vec::new();
        for project in self.queue.projects() {
            let Some(node) = self.state.find(&NodeKind::Project(project.clone())) else {
                continue;
            };
            let Some(value) = self.state.get(node).domain.single() else {
                continue;
            };
            let size = self.state.get(node).size;
            let mut values = Bits::none(size);
            // Where dates decide too, any other value may have been the better one.
            let any = self.timed(project).is_some();
            Value::present(size)
                .filter(|v| *v < value || any && *v != value)
                .for_each(|v| values.insert(v));
            better.push(Term { node, values });
        }
        self.state.rests(&self.state.causes(better))
    }

    /// The solution, if it holds: a yanked release must really be pinned by what was chosen.
    fn finish(&mut self) -> Option<Solution> {
        let state = &self.state;
        let value_of = |name: &Name| {
            let node = state.find(&NodeKind::Project(name.clone()))?;
            state.get(node).domain.single().filter(|v| v.is_present())
        };
        let sources = Sources {
            queue: &self.queue,
            problem: &self.problem,
            facts: &self.facts,
            doubts: &self.doubts,
            let_go: &self.let_go,
            asked_of: &self.asked_of,
            value_of: &value_of,
        };
        let solution = Solution::read(&sources);
        if self.yanked_are_pinned(&solution) {
            return Some(solution);
        }
        if self.yanked_open {
            // It does matter who pins them.
            (self.yanked_open, self.yanked_dear, self.must_restart) = (false, true, true);
            return None;
        }
        // Exactly this set is out.
        let mut terms: SmallVec<[Term; 2]> = SmallVec::new();
        let mut about = None;
        for chosen in &solution.chosen {
            let Some(value) = value_of(&chosen.project) else {
                continue;
            };
            let Some(node) = self.state.find(&NodeKind::Project(chosen.project.clone())) else {
                continue;
            };
            let mut values = Bits::all(self.state.get(node).size);
            values.remove(value);
            terms.push(Term { node, values });
            if self
                .facts
                .get(&chosen.project)
                .is_some_and(|f| f.yanked.contains(&value))
            {
                about = Some((chosen.project.clone(), value));
            }
        }
        let (project, value) = about?;
        let rests = Rests {
            on_nobody_pinning: true,
            on_unseen_finals: false,
        };
        self.state
            .add_clause(terms, Source::Yanked { project, value }, rests);
        None
    }

    fn yanked_are_pinned(&self, solution: &Solution) -> bool {
        solution.chosen.iter().all(|chosen| {
            let yanked = self
                .facts
                .get(&chosen.project)
                .and_then(|f| f.head(f.value_of(&chosen.version)?))
                .is_some_and(|h| h.is_yanked);
            !yanked
                || (self.facts.asked).pins(&chosen.project, &chosen.version)
                || solution.chosen.iter().any(|other| {
                    let needs = self
                        .facts
                        .get(&other.project)
                        .and_then(|f| f.needs(f.value_of(&other.version)?));
                    needs.is_some_and(|needs| {
                        super::queue::in_force(needs, &other.extras).any(|n| {
                            n.requirement.name == chosen.project
                                && n.requirement
                                    .versions()
                                    .is_some_and(|s| s.pins(&chosen.version))
                        })
                    })
                })
        })
    }

    /// Metadata that will probably be wanted: of the best offer left for each project that waits
    /// for its turn.
    fn likely(&self) -> Vec<Want> {
        let mut wants = Vec::new();
        for project in self.queue.waiting().take(MOST_LIKELY) {
            let Some(facts) = self.facts.get(project) else {
                continue;
            };
            let Some(node) = self.state.find(&NodeKind::Project(project.clone())) else {
                continue;
            };
            let mut left = self.state.get(node).domain.clone();
            left.remove(Value::ABSENT);
            let Some(best) = self
                .best(project, &left)
                .filter(|v| facts.needs(*v).is_none())
            else {
                continue;
            };
            wants.extend(
                facts
                    .want(best)
                    .filter(|want| matches!(want, Want::Metadata(..))),
            );
        }
        wants
    }
}

fn unique(mut wants: Vec<Want>) -> Vec<Want> {
    let mut seen = FxHashSet::default();
    wants.retain(|w| seen.insert(w.clone()));
    wants
}
