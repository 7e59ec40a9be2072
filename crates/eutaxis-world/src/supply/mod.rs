//! Runs a search: answers what it wants to know from the depots, many wants at a time.
//!
//! The search is handed facts in rounds, always those of a whole round, so that its answer depends
//! on the facts alone and never on which of them came first. Over the network, a look-ahead fetches
//! what the next rounds will probably want.

mod ahead;
mod built;
mod crew;
mod dated;
mod described;
mod hashed;
mod judge;
mod look;
mod near;
mod within;

use std::collections::HashSet;
use std::path::PathBuf;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use eutaxis_core::Name;
use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::{
    Alternative, Chosen, Clash, End, Joint, Problem, Search, Solution, Solver, Step, Want, Ways,
    joint, verify, ways_out,
};

use crate::catalogue::ListedFile;
use crate::depot::{Depot, Depots, KnownTree, Place};
use crate::threads::each;
use crate::wheel::Sources;
use crate::{Error, ErrorKind, Result};
use ahead::Ahead;
pub use built::{ByBuild, built_metadata, keep_built};
use crew::{Crew, Fact};
use judge::{Judge, Judges};
pub use look::{Depth, Looked};
pub use near::{Doubtful, Near};

/// So many searches are under way at once where facts come over the network: each mostly waits.
const MOST_SEARCHES: usize = 16;
/// Archives of so many bytes are asked for to find ways out.
const ARCHIVES_FOR_WAYS: u64 = 64_000_000;
/// What an archive counts at least.
const LEAST_PRICE: u64 = 200_000;

/// The end of a run.
#[derive(Debug)]
pub enum Outcome {
    /// A solution.
    Settled(Solution),
    /// None exists.
    Clash(Clash),
}

/// What is told how much was read so far; from any thread.
pub type Progress<'a> = &'a (dyn Fn(Read) + Sync);

/// A run with everything that was learned on the way. Several searches may be under way in it at
/// once.
pub struct Run {
    depots: Arc<Depots>,
    /// Made for the first search; it remembers what it answered for all that follow.
    crew: OnceLock<Crew>,
    pages: AtomicUsize,
    metadata: AtomicUsize,
    judges: Judges,
    /// Archives that were asked for and counted.
    paid: Mutex<HashSet<Want>>,
    /// Whoever may ask build systems.
    by_build: Option<Arc<dyn ByBuild>>,
}

/// How much was read.
#[derive(Debug, Clone, Copy, Default)]
pub struct Read {
    /// Pages of projects.
    pub pages: usize,
    /// Metadata of files.
    pub metadata: usize,
}

impl Run {
    /// A run over these depots.
    pub fn new(depots: Arc<Depots>) -> Self {
        Run {
            depots,
            crew: OnceLock::new(),
            pages: AtomicUsize::new(0),
            metadata: AtomicUsize::new(0),
            judges: Judges::default(),
            paid: Mutex::default(),
            by_build: None,
        }
    }

    /// The same with somebody who may ask build systems what archives need.
    #[must_use]
    pub fn with_builds(self, by_build: Arc<dyn ByBuild>) -> Self {
        Run {
            by_build: Some(by_build),
            ..self
        }
    }

    /// The threads that answer, made on first use: with a problem, what its search will want is
    /// foreseen.
    fn crew(&self, problem: Option<&Problem>) -> &Crew {
        self.crew.get_or_init(|| {
            let judge = problem.map(|p| self.judges.of(&p.rules()));
            let foreseen = problem
                .zip(judge.clone())
                .filter(|_| self.depots.are_remote());
            let ahead = foreseen.map(|(problem, judge)| Ahead::new(problem, judge));
            Crew::new(
                Arc::clone(&self.depots),
                judge,
                ahead,
                self.by_build.clone(),
            )
        })
    }

    /// How much was read so far.
    fn read(&self) -> Read {
        Read {
            pages: self.pages.load(Ordering::Relaxed),
            metadata: self.metadata.load(Ordering::Relaxed),
        }
    }

    /// Searches until the end. `progress` is told how much was read.
    ///
    /// # Errors
    /// When a depot cannot be read, or the search gives up.
    pub fn solve(&self, problem: &Problem, progress: Progress<'_>) -> Result<Outcome> {
        match self.search(problem, progress, &mut None)? {
            End::Settled(solution) => Ok(Outcome::Settled(solution)),
            End::Clash(clash) => Ok(Outcome::Clash(clash)),
            End::GaveUp | End::Untried(_) => {
                let message = "the search gave up after very many conflicts: neither a solution \
                    nor a proof was found";
                Err(Error::request(message).help("bound the projects that have very many releases"))
            }
        }
    }

    /// Ways out of a clash, smallest change first. `progress` is told how much was read.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn ways_out(
        &self,
        problem: &Problem,
        clash: &Clash,
        alternatives: &[Alternative],
        progress: Progress<'_>,
    ) -> Result<Ways> {
        let mut solver = Reading {
            run: self,
            progress,
            left: Some(ARCHIVES_FOR_WAYS),
        };
        ways_out(problem, clash, alternatives, &mut solver)
    }

    /// One choice for several targets, with releases kept equal where that can be.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn joint(&self, problems: &[Problem], progress: Progress<'_>) -> Result<Joint> {
        joint(problems, &mut self.solver(progress))
    }

    /// Solves many problems over the same facts, many at once, so that what they want is asked for
    /// together; the answers in their order.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn each(&self, problems: &[Problem], progress: Progress<'_>) -> Result<Vec<End>> {
        let processors = std::thread::available_parallelism().map_or(2, usize::from);
        let at_once = if self.depots.are_remote() {
            MOST_SEARCHES
        } else {
            processors
        };
        let ends = each(problems, at_once, |problem| {
            self.search(problem, progress, &mut None)
        });
        ends.into_iter().flatten().collect()
    }

    /// Whoever solves problems one after the other.
    pub fn solver<'a>(&'a self, progress: Progress<'a>) -> impl Solver<Error = Error> + 'a {
        Reading {
            run: self,
            progress,
            left: None,
        }
    }

    /// A search to its end. A clash is looked for again in an order that does not depend on how the
    /// asks were listed, so that it is the same for the same asks.
    fn search(
        &self,
        problem: &Problem,
        progress: Progress<'_>,
        left: &mut Option<u64>,
    ) -> Result<End> {
        let end = self.search_once(problem, progress, left)?;
        let ordered = problem.in_order();
        let End::Clash(clash) = end else {
            return Ok(end);
        };
        let same = ordered.asks == problem.asks
            && ordered.bounds == problem.bounds
            && problem.prior.is_empty();
        if same {
            Ok(End::Clash(clash))
        } else {
            self.search_once(&ordered, progress, left)
        }
    }

    fn search_once(
        &self,
        problem: &Problem,
        progress: Progress<'_>,
        left: &mut Option<u64>,
    ) -> Result<End> {
        let crew = self.crew(Some(problem));
        let judge = self.judges.of(&problem.rules());
        let mut search = Search::new(problem.clone());
        loop {
            match search.step() {
                Step::Wants { needed, likely } => {
                    if let Some(why) = self.beyond(&needed, left) {
                        return Ok(End::Untried(why));
                    }
                    // All at once, and those that hold the search up first.
                    crew.order(needed.iter().chain(&likely));
                    let facts: Vec<Result<Fact>> =
                        needed.iter().map(|want| crew.fact(want)).collect();
                    for fact in whole(facts)? {
                        self.hand_in(&mut search, fact, &judge);
                    }
                    // What is only likely to be wanted may fail: it is asked for again if it really
                    // is.
                    for fact in likely.iter().filter_map(|want| crew.fact(want).ok()) {
                        self.hand_in(&mut search, fact, &judge);
                    }
                    progress(self.read());
                }
                Step::Settled(solution) => {
                    self.ensure_sound(problem, &solution)?;
                    return Ok(End::Settled(solution));
                }
                Step::Clash(clash) => return Ok(End::Clash(clash)),
                Step::GaveUp { .. } => return Ok(End::GaveUp),
            }
        }
    }

    /// Every answer is checked by itself before it is given.
    ///
    /// # Errors
    /// When it does not hold: a fault of ours.
    fn ensure_sound(&self, problem: &Problem, solution: &Solution) -> Result<()> {
        let crew = self.crew(None);
        let read = |c: &Chosen| match crew.answer_of(&c.project, &c.file.filename)? {
            MetadataAnswer::Known(metadata) => Some(metadata),
            // What is chosen without metadata the user has spoken for.
            MetadataAnswer::UnknownUntilBuilt
            | MetadataAnswer::Unusable(_)
            | MetadataAnswer::Dear(_)
            | MetadataAnswer::TooDear { .. } => Some(Arc::new(Metadata::unsaid(
                c.project.clone(),
                c.version.clone(),
            ))),
        };
        let metadata: Vec<Option<Arc<Metadata>>> = solution.chosen.iter().map(read).collect();
        let of = |name: &Name, _: &str| {
            let at = solution.chosen.iter().position(|c| c.project == *name)?;
            metadata.get(at)?.as_deref()
        };
        verify(problem, solution, &of).map_err(|why| {
            let error = Error::new(
                ErrorKind::Internal,
                format!("the answer of this program does not hold: {why}"),
            );
            error.help(
                "it is not yours: please report it with the command and these words; nothing was \
                    written",
            )
        })
    }

    /// What is wanted and costs more than is left for a trial, in words; what it costs is taken
    /// off. Judged by prices alone, not by what is known already, so that the same ways are told
    /// each time.
    fn beyond(&self, needed: &[Want], left: &mut Option<u64>) -> Option<String> {
        let left = left.as_mut()?;
        for want in needed {
            let Want::Archive(project, file) = want else {
                continue;
            };
            let price = self.crew(None).price(project, file).max(LEAST_PRICE);
            if self
                .paid
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .contains(want)
            {
                continue;
            }
            if price > *left {
                return Some(format!("what {file} needs is not known"));
            }
            *left -= price;
            self.paid
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .insert(want.clone());
        }
        None
    }

    /// What is being waited for longest, in words.
    pub fn waits_for(&self) -> Option<String> {
        self.crew.get()?.waits_for()
    }

    fn hand_in(&self, search: &mut Search, fact: Fact, judge: &Judge) {
        match fact {
            Fact::Page(project, None) => search.supply_page(&project, None),
            Fact::Page(project, Some((_, page))) => {
                self.pages.fetch_add(1, Ordering::Relaxed);
                search.supply_page(&project, Some(judge.page(&page)));
            }
            Fact::Metadata(project, file, answer) => {
                self.metadata.fetch_add(1, Ordering::Relaxed);
                search.supply_metadata(&project, &file, &answer);
            }
            Fact::Files(project, file, files) => {
                search.supply_files(&project, &file, files.as_ref());
            }
        }
    }

    /// The pages of projects, all asked for at once; none where no depot has the project.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn pages(&self, projects: &[Name]) -> Result<Vec<Option<Arc<Page>>>> {
        let crew = self.crew(None);
        let wants: Vec<Want> = projects.iter().cloned().map(Want::Page).collect();
        crew.order(wants.iter());
        let facts = whole(wants.iter().map(|want| crew.fact(want)).collect());
        let page = |fact: Fact| match fact {
            Fact::Page(_, page) => page.map(|(_, page)| page),
            Fact::Metadata(..) | Fact::Files(..) => None,
        };
        Ok(facts?.into_iter().map(page).collect())
    }

    /// What a release of a project needs, by the metadata of one of its files; none when the depots
    /// do not have them.
    ///
    /// # Errors
    /// When a depot cannot be read.
    pub fn metadata(&self, project: &Name, filename: &str) -> Result<Option<Arc<Metadata>>> {
        let crew = self.crew(None);
        let page = Want::Page(project.clone());
        crew.order([&page].into_iter());
        let Fact::Page(_, Some((_, page))) = crew.fact(&page)? else {
            return Ok(None);
        };
        let Some(file) = page.file(filename) else {
            return Ok(None);
        };
        for want in
            [Want::Metadata, Want::Archive].map(|of| of(project.clone(), file.filename.clone()))
        {
            crew.order([&want].into_iter());
            match crew.fact(&want)? {
                Fact::Metadata(_, _, MetadataAnswer::Known(metadata)) => return Ok(Some(metadata)),
                Fact::Metadata(_, _, MetadataAnswer::Dear(_)) => {}
                Fact::Page(..) | Fact::Metadata(..) | Fact::Files(..) => break,
            }
        }
        Ok(None)
    }

    /// The files of a wheel, where they are known without fetching it.
    pub fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        self.depot_of(project)?.listed(project, file)
    }

    /// The depots that it asks.
    pub fn depots(&self) -> &Depots {
        &self.depots
    }

    /// The source tree that an ask's address leads to.
    pub fn tree(&self, url: &str) -> Option<Arc<KnownTree>> {
        self.depots.tree(url)
    }

    /// The depot that a project came from.
    pub fn depot_of(&self, project: &Name) -> Option<Arc<dyn Depot>> {
        self.crew.get()?.page_of(project).map(|(depot, _)| depot)
    }

    /// Whether a project is offered by several depots and given to none of them, as far as is
    /// known.
    pub fn is_in_several(&self, project: &Name) -> bool {
        self.depots.is_in_several(project)
    }

    /// The page of a project that was read.
    pub fn page_of(&self, project: &Name) -> Option<Arc<Page>> {
        self.crew.get()?.page_of(project).map(|(_, page)| page)
    }

    /// Where a file of a project is.
    ///
    /// # Errors
    /// When its address cannot be read.
    pub fn place_of(&self, project: &Name, file: &PageFile) -> Result<Place> {
        self.depot(project, file)?.place(project, file)
    }

    /// A file of a project on this disk, fetched if need be.
    ///
    /// # Errors
    /// When it cannot be fetched.
    pub fn obtain(&self, project: &Name, file: &PageFile) -> Result<PathBuf> {
        self.depot(project, file)?.obtain(project, file)
    }

    /// Sources of a wheel, by parts of the file where that can be.
    ///
    /// # Errors
    /// When it cannot be fetched, or is no archive.
    pub fn sources(
        &self,
        project: &Name,
        file: &PageFile,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<Sources> {
        self.depot(project, file)?.sources(project, file, wanted)
    }

    fn depot(&self, project: &Name, file: &PageFile) -> Result<Arc<dyn Depot>> {
        self.depot_of(project)
            .ok_or_else(|| Error::contents(format!("{} is on no page", file.filename)))
    }
}

/// A run as the one who solves problems for ways out.
struct Reading<'a> {
    run: &'a Run,
    progress: Progress<'a>,
    /// Bytes of archives that may still be asked for; none where all may.
    left: Option<u64>,
}

impl Solver for Reading<'_> {
    type Error = Error;

    fn solve(&mut self, problem: &Problem) -> Result<End> {
        self.run.search(problem, self.progress, &mut self.left)
    }

    fn page(&self, project: &Name) -> Option<Arc<Page>> {
        self.run.page_of(project)
    }
}

/// All facts, or the first failure. What is missing without a network is told all at once.
fn whole(facts: Vec<Result<Fact>>) -> Result<Vec<Fact>> {
    let missing: Vec<String> = facts
        .iter()
        .filter_map(|f| f.as_ref().err().and_then(|e| e.missing.clone()))
        .collect();
    match facts.into_iter().collect::<Result<Vec<Fact>>>() {
        Err(mut error) if missing.len() > 1 && error.missing.is_some() => {
            error.message = format!("--offline: not fetched before: {}", missing.join(", "));
            Err(error)
        }
        other => other,
    }
}
