//! What would move is the difference of two solutions.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::toy::{problem, run};
use super::{any_asks, any_world};
use crate::offer::Policy;
use crate::rehearse::{Placed, Set, after, breaks, moves, moves_to};
use crate::solve::{Chosen, Solution};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::Version;

fn placed(solution: &Solution) -> Set {
    let one = |c: &Chosen| Placed {
        version: c.version.clone(),
        file: Some(c.file.filename.to_string()),
        deliberate: false,
        needs: Vec::new(),
    };
    solution
        .chosen
        .iter()
        .map(|c| (c.project.clone(), one(c)))
        .collect()
}

fn releases(set: &Set) -> BTreeMap<Name, Version> {
    set.iter()
        .map(|(name, placed)| (name.clone(), placed.version.clone()))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    /// Played over the first solution, the moves lead to the second, and none of them is idle.
    #[test]
    fn moves_are_the_difference_of_two_solutions(world in any_world(), first in any_asks(), second in any_asks()) {
        let solve = |asks: &[String], prior: BTreeMap<Name, Version>| {
            let texts: Vec<&str> = asks.iter().map(String::as_str).collect();
            let mut problem = problem(&texts, &[], Policy::default());
            problem.prior = prior;
            run(&world, &problem, false).map(|solution| (problem, solution))
        };
        let Ok((_, one)) = solve(&first, BTreeMap::new()) else { return Ok(()) };
        let before = placed(&one);
        let Ok((problem, two)) = solve(&second, releases(&before)) else { return Ok(()) };
        let mut played = releases(&before);
        for moved in moves_to(&before, &problem, &two) {
            prop_assert_ne!(&moved.before, &moved.after);
            prop_assert_eq!(played.get(&moved.project), moved.before.as_ref());
            match moved.after {
                Some(version) => played.insert(moved.project, version),
                None => played.remove(&moved.project),
            };
        }
        prop_assert_eq!(&played, &releases(&placed(&two)));
        // Placed by itself it drops nothing, and what it says of the rest is what stands there
        // then.
        let kept = after(&before, &two, &[]);
        let moved = moves(&before, &problem, &two);
        prop_assert!(moved.iter().all(|m| m.after.as_ref() == kept.get(&m.project).map(|p| &p.version)));
        prop_assert_eq!(kept.len(), before.len() + moved.iter().filter(|m| m.before.is_none()).count());
        prop_assert!(breaks(&kept, &kept).is_empty());
    }
}
