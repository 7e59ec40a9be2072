//! A depot with several addresses, tried in their order: one depot in all other respects.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;

use super::{Address, Depot, Place};
use crate::catalogue::ListedFile;
use crate::wheel::Sources;
use crate::{ErrorKind, Result};

/// The same depot at several addresses.
#[derive(Debug)]
pub(super) struct Several {
    addresses: Vec<Arc<dyn Depot>>,
    /// The first address, by which it is known.
    main: Arc<dyn Depot>,
    /// The first that answered: those before it do not, in this run.
    at: AtomicUsize,
}

impl Several {
    /// A first address, and those after it.
    pub(super) fn new(main: Arc<dyn Depot>, others: Vec<Arc<dyn Depot>>) -> Self {
        let addresses = std::iter::once(Arc::clone(&main)).chain(others).collect();
        Several {
            addresses,
            main,
            at: AtomicUsize::new(0),
        }
    }

    /// Asks the addresses in their order, until one answers.
    fn first<T>(&self, ask: impl Fn(&dyn Depot) -> Result<T>) -> Result<T> {
        let begin = self.at.load(Ordering::Relaxed);
        let mut last = None;
        for (at, depot) in self.addresses.iter().enumerate().skip(begin) {
            match ask(depot.as_ref()) {
                Err(error)
                    if error.kind == ErrorKind::Network
                        && error.missing.is_none()
                        && at + 1 < self.addresses.len() =>
                {
                    self.at.fetch_max(at + 1, Ordering::Relaxed);
                    last = Some(error);
                }
                other => return other,
            }
        }
        Err(last.unwrap_or_else(|| crate::Error::request("a depot has no address")))
    }

    fn main(&self) -> &dyn Depot {
        self.main.as_ref()
    }
}

impl Depot for Several {
    fn look(&self, asked: Option<&Name>) -> Vec<Address> {
        self.addresses.iter().flat_map(|a| a.look(asked)).collect()
    }

    fn label(&self) -> &str {
        self.main().label()
    }

    fn origin(&self) -> String {
        self.main().origin()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        self.main().offers(project)
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        self.first(|depot| depot.page(project))
    }

    fn metadata(&self, project: &Name, file: &PageFile, effort: Effort) -> Result<MetadataAnswer> {
        self.first(|depot| depot.metadata(project, file, effort))
    }

    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        self.addresses
            .iter()
            .find_map(|depot| depot.listed(project, file))
    }

    fn list(&self, project: &Name, file: &PageFile) -> Result<Option<Vec<ListedFile>>> {
        self.first(|depot| depot.list(project, file))
    }

    fn place(&self, project: &Name, file: &PageFile) -> Result<Place> {
        self.main().place(project, file)
    }

    fn obtain(&self, project: &Name, file: &PageFile) -> Result<PathBuf> {
        self.main().obtain(project, file)
    }

    fn sources(
        &self,
        project: &Name,
        file: &PageFile,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<Sources> {
        self.main().sources(project, file, wanted)
    }

    fn is_remote(&self) -> bool {
        self.addresses.iter().any(|d| d.is_remote())
    }

    fn index(&self) -> Option<String> {
        self.main().index()
    }

    fn projects(&self) -> Vec<Name> {
        self.addresses
            .iter()
            .map(|d| d.projects())
            .find(|names| !names.is_empty())
            .unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Mutex;

    use rstest::rstest;

    use super::*;
    use crate::Error;
    use crate::depot::stub::Stub;

    fn name() -> Name {
        Name::parse("firnio").unwrap()
    }

    fn has_it() -> Result<Option<Page>> {
        Ok(Some(Page::new(name())))
    }

    fn has_it_not() -> Result<Option<Page>> {
        Ok(None)
    }

    fn is_down() -> Result<Option<Page>> {
        Err(Error::new(ErrorKind::Network, "no answer"))
    }

    fn is_damaged() -> Result<Option<Page>> {
        Err(Error::contents("no page"))
    }

    fn is_far() -> Result<Option<Page>> {
        let mut error = Error::new(ErrorKind::Network, "not fetched before");
        error.missing = Some("the page of firnio".to_owned());
        Err(error)
    }

    type Answers = fn() -> Result<Option<Page>>;

    /// A depot at these addresses, and who was asked.
    fn depot(all: &[Answers]) -> (Several, Arc<Mutex<Vec<&'static str>>>) {
        let asked = Arc::new(Mutex::new(Vec::new()));
        let labels = ["first", "second", "third"];
        let mut addresses = labels.into_iter().zip(all).map(|(label, answers)| {
            let (answers, asked) = (*answers, Arc::clone(&asked));
            let page = move |_: &Name| {
                asked.lock().unwrap().push(label);
                answers()
            };
            let unknown = |_: &PageFile| Ok(MetadataAnswer::UnknownUntilBuilt);
            Arc::new(Stub::new(label, page, unknown)) as Arc<dyn Depot>
        });
        let main = addresses.next().unwrap();
        let others = addresses.collect();
        (Several::new(main, others), asked)
    }

    #[rstest]
    #[case::the_first_answers(&[has_it as Answers, has_it], Some(true), &["first"])]
    #[case::it_has_none(&[has_it_not as Answers, has_it], Some(false), &["first"])]
    #[case::the_second_answers(&[is_down as Answers, has_it], Some(true), &["first", "second"])]
    #[case::nobody_does(&[is_down as Answers, is_down], None, &["first", "second"])]
    #[case::what_it_says_is_damaged(&[is_damaged as Answers, has_it], None, &["first"])]
    #[case::nothing_may_be_asked(&[is_far as Answers, has_it], None, &["first"])]
    fn addresses_are_asked_until_one_answers(
        #[case] all: &[Answers],
        #[case] has: Option<bool>,
        #[case] who: &[&str],
    ) {
        let (depot, asked) = depot(all);
        let found = depot.page(&name()).ok().map(|page| page.is_some());
        assert_eq!(found, has);
        assert_eq!(*asked.lock().unwrap(), who);
    }

    #[test]
    fn one_that_did_not_answer_is_not_asked_again() {
        let (depot, asked) = depot(&[is_down, is_down, has_it]);
        assert!(depot.page(&name()).is_ok());
        assert!(depot.page(&name()).is_ok());
        assert_eq!(
            *asked.lock().unwrap(),
            ["first", "second", "third", "third"]
        );
        // It is known by its first address all the same.
        assert_eq!((depot.label(), depot.origin().as_str()), ("first", "first"));
    }
}
