//! Looking into a set, learning from what is wrong, and taking the next one: until one holds, nothing
//! follows, nothing is left, or a dozen were tried.

/// So many sets are looked into.
pub(crate) const MOST_SETS: usize = 12;

/// What is proven.
pub(crate) trait Subject {
    /// A set.
    type Set: Clone;
    /// Something wrong with it.
    type Failure;
    /// What follows from that.
    type Lesson: PartialEq;
    /// Why something cannot be done.
    type Error;

    /// What is wrong with a set.
    fn look(&mut self, set: &Self::Set) -> Result<Vec<Self::Failure>, Self::Error>;

    /// Whether a set holds although this is wrong with it: then it is kept, and a better one is
    /// looked for.
    fn is_slight(failure: &Self::Failure) -> bool;

    /// Looks into a set of this number once more, as the last one, and forgets what was learnt since.
    fn go_back(&mut self, number: usize, set: &Self::Set) -> Result<(), Self::Error>;

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
/// does not; where only slight things were wrong with an earlier one, that.
pub(crate) fn prove<S: Subject>(
    subject: &mut S,
    first: S::Set,
) -> Result<(S::Set, Option<String>), S::Error> {
    let mut held = None;
    let (set, why) = walk(subject, first, &mut held)?;
    match held {
        // What holds but for slight things is better than nothing.
        Some((number, set)) if why.is_some() => {
            subject.go_back(number, &set)?;
            Ok((set, None))
        }
        Some(_) | None => Ok((set, why)),
    }
}

/// Goes from set to set; the best of those that hold but for slight things, by the number of these, is
/// kept with its own number.
fn walk<S: Subject>(
    subject: &mut S,
    first: S::Set,
    held: &mut Option<(usize, S::Set)>,
) -> Result<(S::Set, Option<String>), S::Error> {
    let mut set = first;
    let mut least = usize::MAX;
    let mut learnt: Vec<S::Lesson> = Vec::new();
    for number in 1..=MOST_SETS {
        let failures = subject.look(&set)?;
        if failures.is_empty() {
            return Ok((set, None));
        }
        if failures.iter().all(S::is_slight) && failures.len() < least {
            least = failures.len();
            *held = Some((number, set.clone()));
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

    /// Whether it is slight, and what number is barred by it, if any.
    type Wrong = (bool, Option<usize>);

    /// Sets are numbers; some of them fail, and what is learnt bars numbers.
    struct Toy {
        failing: Vec<Vec<Wrong>>,
        looked: Vec<usize>,
    }

    fn graves(failing: Vec<Option<usize>>) -> Vec<Wrong> {
        failing.into_iter().map(|f| (false, f)).collect()
    }

    impl Subject for Toy {
        type Set = usize;
        type Failure = Wrong;
        type Lesson = usize;
        type Error = std::convert::Infallible;

        fn is_slight(failure: &Wrong) -> bool {
            failure.0
        }

        fn go_back(&mut self, _: usize, set: &usize) -> Result<(), Self::Error> {
            self.looked.push(*set);
            Ok(())
        }

        fn look(&mut self, set: &usize) -> Result<Vec<Wrong>, Self::Error> {
            self.looked.push(*set);
            Ok(self.failing[*set].clone())
        }

        fn learn(
            &mut self,
            _: usize,
            _: &usize,
            failure: &Wrong,
        ) -> Result<Option<usize>, Self::Error> {
            Ok(failure.1)
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
        /// Whatever fails and whatever follows from it: it ends, and what is said to hold does, but for
        /// slight things; and where such a set was seen the answer is no "no".
        #[test]
        fn it_ends(failing in proptest::collection::vec(proptest::collection::vec(
            (proptest::bool::ANY, proptest::option::of(0..20usize)), 0..3,
        ), 1..20)) {
            let holds = |set: usize| failing[set].iter().all(|(slight, _)| *slight);
            let mut toy = Toy { failing: failing.clone(), looked: Vec::new() };
            let (set, why) = prove(&mut toy, 0).unwrap();
            prop_assert!(toy.looked.len() <= MOST_SETS + 1);
            prop_assert_eq!(holds(set), why.is_none());
            prop_assert_eq!(toy.looked.iter().any(|s| holds(*s)), why.is_none());
            if why.is_none() {
                prop_assert_eq!(toy.looked.last(), Some(&set));
            }
        }
    }

    #[test]
    fn what_bars_each_set_leads_to_the_one_that_holds() {
        let barring = |n: usize| graves(vec![Some(n)]);
        let mut failing: Vec<Vec<Wrong>> = (0..5).map(barring).collect();
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
        let failing = (0..30).map(|n| graves(vec![Some(n)])).collect();
        let mut toy = Toy {
            failing,
            looked: Vec::new(),
        };
        let (_, why) = prove(&mut toy, 0).unwrap();
        assert_eq!(toy.looked.len(), MOST_SETS);
        assert!(why.unwrap().contains("12 sets"));
    }

    #[test]
    fn what_holds_but_for_slight_things_is_better_than_no_set() {
        let failing = vec![
            vec![(true, Some(0)), (true, None)],
            vec![(true, Some(1))],
            vec![(false, None)],
        ];
        let mut toy = Toy {
            failing,
            looked: Vec::new(),
        };
        assert_eq!(prove(&mut toy, 0).unwrap(), (1, None));
        assert_eq!(toy.looked, [0, 1, 2, 1]);
    }
}
