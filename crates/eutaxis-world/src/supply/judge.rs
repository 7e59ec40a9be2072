//! Pages as they are judged: once for everybody in a run who goes by the same rules, searches as
//! well as checks.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use eutaxis_core::index::Page;
use eutaxis_core::offer::{JudgedPage, RuleBook, Rules};

/// Judges pages by the same rules, each page once.
pub(super) struct Judge {
    book: Arc<RuleBook>,
    /// By the address of the page, which is only compared: what is judged holds on to its page, so
    /// that no other comes to lie there.
    pages: Mutex<HashMap<usize, Arc<JudgedPage>>>,
}

impl Judge {
    fn new(rules: &Rules<'_>) -> Self {
        Judge {
            book: Arc::new(RuleBook::of(rules)),
            pages: Mutex::default(),
        }
    }

    fn goes_by(&self, rules: &Rules<'_>) -> bool {
        self.rules() == *rules
    }

    /// The rules.
    pub(super) fn rules(&self) -> Rules<'_> {
        self.book.rules()
    }

    /// A page as it is judged by itself.
    pub(super) fn page(&self, page: &Arc<Page>) -> Arc<JudgedPage> {
        let address = Arc::as_ptr(page) as usize;
        let known = || self.pages.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(judged) = known().get(&address) {
            return Arc::clone(judged);
        }
        // Outside the lock: pages come many at once. Of two who judge one page at the same time the
        // first is kept.
        let judged = Arc::new(JudgedPage::by(Arc::clone(page), Arc::clone(&self.book)));
        Arc::clone(known().entry(address).or_insert(judged))
    }
}

/// The judges of a run.
#[derive(Default)]
pub(super) struct Judges {
    all: Mutex<Vec<Arc<Judge>>>,
}

impl Judges {
    /// The one who goes by these rules.
    pub(super) fn of(&self, rules: &Rules<'_>) -> Arc<Judge> {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(judge) = all.iter().find(|j| j.goes_by(rules)) {
            return Arc::clone(judge);
        }
        let judge = Arc::new(Judge::new(rules));
        all.push(Arc::clone(&judge));
        judge
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::index::parse_json;
    use eutaxis_core::offer::Policy;
    use eutaxis_core::{Name, Target};

    #[test]
    fn a_page_is_judged_once_by_the_same_rules() {
        let text = br#"{"files":[{"filename":"moulin-1.0-py3-none-any.whl","url":"x"}]}"#;
        let page = Arc::new(parse_json(text, &Name::parse("moulin").unwrap()).unwrap());
        let [ridge, camp] = ["linux aarch64 glibc 2.36", "linux x86_64 glibc 2.36"]
            .map(|place| Target::parse(&format!("cpython 3.12 / {place}")).unwrap());
        let policy = Policy::default();
        let rules = |target| Rules {
            target,
            policy: &policy,
            adjustments: &[],
        };
        let (judges, again) = (Judges::default(), ridge.clone());
        let first = judges.of(&rules(&ridge)).page(&page);
        assert!(Arc::ptr_eq(&first, &judges.of(&rules(&again)).page(&page)));
        assert!(!Arc::ptr_eq(&first, &judges.of(&rules(&camp)).page(&page)));
        assert!(!Arc::ptr_eq(
            &first,
            &judges.of(&rules(&ridge)).page(&Arc::new((*page).clone()))
        ));
    }
}
