//! Runs a search: answers what it wants to know from the depots, many wants at a time.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::solve::{Clash, MetadataAnswer, Problem, Search, Solution, Step, Want};
use rayon::prelude::*;

use crate::depot::{self, Depot, Depots};
use crate::{Error, Result};

/// The end of a run.
#[derive(Debug)]
pub enum Outcome {
    /// A solution.
    Settled(Solution),
    /// None exists.
    Clash(Clash),
}

/// A run with everything that was learned on the way.
#[derive(Debug)]
pub struct Run<'a> {
    depots: &'a Depots,
    pages: BTreeMap<Name, (Arc<dyn Depot>, Arc<Page>)>,
    /// What was read: pages and metadata.
    pub read: Read,
}

/// How much was read.
#[derive(Debug, Clone, Copy, Default)]
pub struct Read {
    /// Pages of projects.
    pub pages: usize,
    /// Metadata of files.
    pub metadata: usize,
}

enum Fact {
    Page(Name, Option<(Arc<dyn Depot>, Page)>),
    Metadata(Name, Arc<str>, MetadataAnswer),
}

impl<'a> Run<'a> {
    /// A run over these depots.
    pub fn new(depots: &'a Depots) -> Self {
        Run { depots, pages: BTreeMap::new(), read: Read::default() }
    }

    /// Searches until the end. `progress` is told how much was read.
    ///
    /// # Errors
    /// When a depot cannot be read, or the search gives up.
    pub fn solve(&mut self, problem: Problem, progress: &dyn Fn(Read)) -> Result<Outcome> {
        let mut search = Search::new(problem);
        loop {
            match search.step() {
                Step::Wants { needed, likely } => {
                    let facts: Vec<Result<Fact>> = needed.par_iter().map(|want| self.answer(want)).collect();
                    for fact in facts {
                        self.hand_in(&mut search, fact?);
                    }
                    // What is only likely to be wanted may fail: it is asked for again if it really is.
                    let more: Vec<Result<Fact>> = likely.par_iter().map(|want| self.answer(want)).collect();
                    for fact in more.into_iter().flatten() {
                        self.hand_in(&mut search, fact);
                    }
                    progress(self.read);
                }
                Step::Settled(solution) => return Ok(Outcome::Settled(solution)),
                Step::Clash(clash) => return Ok(Outcome::Clash(clash)),
                Step::GaveUp { conflicts } => {
                    let message = format!(
                        "the search gave up after {conflicts} conflicts: neither a solution nor a proof was found"
                    );
                    return Err(Error::request(message).help("bound the projects that have very many releases"));
                }
            }
        }
    }

    fn answer(&self, want: &Want) -> Result<Fact> {
        match want {
            Want::Page(project) => Ok(Fact::Page(project.clone(), self.depots.page(project)?)),
            Want::Direct(project, url) => Ok(Fact::Page(project.clone(), Some(depot::direct(project, url)?))),
            Want::Metadata(project, file) => {
                let (depot, page_file) =
                    self.file(project, file).ok_or_else(|| Error::contents(format!("{file} is on no page")))?;
                Ok(Fact::Metadata(project.clone(), file.clone(), depot.metadata(project, page_file)?))
            }
        }
    }

    fn hand_in(&mut self, search: &mut Search, fact: Fact) {
        match fact {
            Fact::Page(project, None) => search.supply_page(&project, None),
            Fact::Page(project, Some((depot, page))) => {
                let page = Arc::new(page);
                self.read.pages += 1;
                self.pages.insert(project.clone(), (depot, Arc::clone(&page)));
                search.supply_page(&project, Some(page));
            }
            Fact::Metadata(project, file, answer) => {
                self.read.metadata += 1;
                search.supply_metadata(&project, &file, &answer);
            }
        }
    }

    fn file(&self, project: &Name, filename: &str) -> Option<(&Arc<dyn Depot>, &PageFile)> {
        let (depot, page) = self.pages.get(project)?;
        page.files.iter().find(|f| &*f.filename == filename).map(|f| (depot, f.as_ref()))
    }

    /// The depot that a project came from.
    pub fn depot_of(&self, project: &Name) -> Option<&Arc<dyn Depot>> {
        self.pages.get(project).map(|(depot, _)| depot)
    }

    /// The page of a project that was read.
    pub fn page_of(&self, project: &Name) -> Option<&Page> {
        self.pages.get(project).map(|(_, page)| page.as_ref())
    }

    /// Where a file of a project lies on this disk.
    ///
    /// # Errors
    /// When it does not.
    pub fn path_of(&self, project: &Name, file: &PageFile) -> Result<PathBuf> {
        match self.depot_of(project) {
            Some(depot) => depot.path(project, file),
            None => Err(Error::contents(format!("{} is on no page", file.filename))),
        }
    }
}
