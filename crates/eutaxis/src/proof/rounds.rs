//! Looking into a set, learning from what is wrong, and taking the next one: until one holds, nothing
//! follows, nothing is left, or a dozen were tried.

/// So many sets are looked into.
pub(crate) const MOST_SETS: usize = 12;

/// What is proven.
pub(crate) trait Subject {
    /// A set.
    type Set;
    /// Something wrong with it.
    type Failure;
    /// What follows from that.
    type Lesson: PartialEq;
    /// Why something cannot be done.
    type Error;

    /// What is wrong with a set.
    fn look(&mut self, set: &Self::Set) -> Result<Vec<Self::Failure>, Self::Error>;

    /// What follows from something that is wrong with the set of this number, from 1.
    fn learn(
        &mut self,
        number: usize,
        set: &Self::Set,
        failure: &Self::Failure,
    ) -> Result<Option<Self::Lesson>, Self::Error>;

    /// The next set, by everything that was learnt so far; or why there is none.
    fn next(
        &mut self,
        set: &Self::Set,
        learnt: &[Self::Lesson],
    ) -> Result<Result<Self::Set, String>, Self::Error>;
}

/// Proves a set, or the next one after what was learnt. The last set, and why it does not hold, if it
/// does not.
pub(crate) fn prove<S: Subject>(
    subject: &mut S,
    first: S::Set,
) -> Result<(S::Set, Option<String>), S::Error> {
    let mut set = first;
    let mut learnt: Vec<S::Lesson> = Vec::new();
    for number in 1..=MOST_SETS {
        let failures = subject.look(&set)?;
        if failures.is_empty() {
            return Ok((set, None));
        }
        let before = learnt.len();
        for failure in &failures {
            if let Some(lesson) = subject.learn(number, &set, failure)?
                && !learnt.contains(&lesson)
            {
                learnt.push(lesson);
            }
        }
        if learnt.len() == before {
            let why = "nothing follows from that which could be tried";
            return Ok((set, Some(why.to_owned())));
        }
        match subject.next(&set, &learnt)? {
            Ok(next) => set = next,
            Err(why) => {
                let why = format!("with what was learnt no set is left: {why}");
                return Ok((set, Some(why)));
            }
        }
    }
    let why = format!("{MOST_SETS} sets were looked into, and no more are");
    Ok((set, Some(why)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    /// Sets are numbers; some of them fail, and what is learnt bars numbers.
    struct Toy {
        /// For each number what is barred when it fails, if anything is learnt.
        failing: Vec<Vec<Option<usize>>>,
        looked: Vec<usize>,
    }

    impl Subject for Toy {
        type Set = usize;
        type Failure = Option<usize>;
        type Lesson = usize;
        type Error = std::convert::Infallible;

        fn look(&mut self, set: &usize) -> Result<Vec<Option<usize>>, Self::Error> {
            self.looked.push(*set);
            Ok(self.failing[*set].clone())
        }

        fn learn(
            &mut self,
            _: usize,
            _: &usize,
            failure: &Option<usize>,
        ) -> Result<Option<usize>, Self::Error> {
            Ok(*failure)
        }

        fn next(
            &mut self,
            _: &usize,
            learnt: &[usize],
        ) -> Result<Result<usize, String>, Self::Error> {
            let free = (0..self.failing.len()).find(|n| !learnt.contains(n));
            Ok(free.ok_or_else(|| "all are barred".to_owned()))
        }
    }

    proptest! {
        /// Whatever fails and whatever follows from it: it ends, and what is said to hold does.
        #[test]
        fn it_ends(failing in proptest::collection::vec(
            proptest::collection::vec(proptest::option::of(0..20usize), 0..3), 1..20,
        )) {
            let mut toy = Toy { failing, looked: Vec::new() };
            let (set, why) = prove(&mut toy, 0).unwrap();
            prop_assert!(toy.looked.len() <= MOST_SETS);
            prop_assert_eq!(toy.failing[set].is_empty(), why.is_none());
            prop_assert_eq!(toy.looked.last(), Some(&set).filter(|_| why.is_none()).or(toy.looked.last()));
        }
    }

    #[test]
    fn what_bars_each_set_leads_to_the_one_that_holds() {
        let barring = |n: usize| vec![Some(n)];
        let mut failing: Vec<Vec<Option<usize>>> = (0..5).map(barring).collect();
        failing.push(Vec::new());
        let mut toy = Toy {
            failing,
            looked: Vec::new(),
        };
        assert_eq!(prove(&mut toy, 0).unwrap(), (5, None));
        let all: BTreeSet<usize> = toy.looked.iter().copied().collect();
        assert_eq!(all.len(), toy.looked.len(), "no set is looked into twice");
    }

    #[test]
    fn a_dozen_sets_are_enough() {
        let failing = (0..30).map(|n| vec![Some(n)]).collect();
        let mut toy = Toy {
            failing,
            looked: Vec::new(),
        };
        let (_, why) = prove(&mut toy, 0).unwrap();
        assert_eq!(toy.looked.len(), MOST_SETS);
        assert!(why.unwrap().contains("12 sets"));
    }
}
