//! Splits into environments, and what a matrix of interpreters says, on small worlds; splits
//! against all partitions.

use proptest::prelude::*;
use rstest::rstest;

use super::super::{Clash, Problem};
use super::toy::{World, problem, run, shown};
use super::ways::Toy;
use crate::offer::Policy;
use crate::span::{Cell, Matrix, Split, in_few_words, split};
use eutaxis_standards::targets::Interpreter;

const SERIES: [&str; 3] = ["3.13", "3.11", "3.9"];

/// The same asks under each interpreter, the newest first.
fn problems(asks: &[&str]) -> Vec<Vec<Problem>> {
    let under = |series: &str| {
        let mut problem = problem(asks, &[], Policy::default());
        problem.target = problem
            .target
            .with_interpreter(Interpreter::parse(series).unwrap());
        vec![problem]
    };
    SERIES.iter().map(|s| under(s)).collect()
}

fn clashes(world: &World, problems: &[Vec<Problem>]) -> Vec<(usize, Clash)> {
    problems
        .iter()
        .enumerate()
        .filter_map(|(i, p)| Some((i, run(world, &p[0], false).err()?)))
        .collect()
}

/// `3.11: a b | 3.9: c`
fn words(world: &World, asks: &[&str]) -> String {
    let problems = problems(asks);
    let clashes = clashes(world, &problems);
    let known: Vec<(usize, &Clash)> = clashes.iter().map(|(i, c)| (*i, c)).collect();
    match split(&problems, &known, &mut Toy(world)).unwrap() {
        Split::GaveUp => "gave up".to_owned(),
        Split::Nowhere(ask) => format!("nowhere: {}", asks[ask]),
        Split::Parts(parts) => {
            let part = |p: &crate::span::Part| {
                let names: Vec<&str> = p.asks.iter().map(|a| asks[*a]).collect();
                format!("{}: {}", SERIES[p.row], names.join(" "))
            };
            parts.iter().map(part).collect::<Vec<_>>().join(" | ")
        }
    }
}

#[rstest]
#[case::one_does(&["a 1", "b 1"], &["a", "b"], "3.13: a b")]
#[case::interpreters_apart(&["a 1 \
    python:<3.10", "b 1 python:>=3.11", "c 1"], &["a", "b", "c"], "3.13: b c | 3.9: a")]
#[case::only_one_is_taken_out(&["a 1 -> \
    d<2", "b 1 -> d>=2", "c 1 -> d>=2", "d 1", "d 2"], &["a", "b", "c"], "3.13: b c | 3.13: a")]
#[case::three(&["a 1 -> \
    d==1", "b 1 -> \
        d==2", "c 1 -> \
            d==3", "d 1", "d 2", "d 3"], &["a", "b", "c"], "3.13: a | 3.13: b | 3.13: c")]
#[case::nowhere(&["a 1 python:<3", "b 1"], &["a", "b"], "nowhere: a")]
fn the_smallest_split_is_found(
    #[case] world: &[&str],
    #[case] asks: &[&str],
    #[case] expected: &str,
) {
    assert_eq!(words(&World::of(world), asks), expected);
}

#[test]
fn the_row_that_loses_least_is_taken() {
    // Under 3.13 only the old release of b; 3.9 has not the new one of a.
    let world = World::of(&[
        "a 1",
        "a 2 python:>=3.10",
        "b 1",
        "b 2 python:<3.13",
        "c 1 python:>=3.9",
    ]);
    let rows: Vec<Vec<Cell>> = problems(&["a", "b", "c"])
        .iter()
        .map(|p| vec![run(&world, &p[0], false).map_or_else(Cell::Clash, Cell::Settled)])
        .collect();
    let matrix = Matrix::new(rows);
    let best = matrix.best(&[]).unwrap();
    assert_eq!((best.row, best.lost, best.passed_over), (1, 0, vec![0]));
    let lost: Vec<String> = (0..3)
        .map(|r| {
            matrix
                .lost(r, 0)
                .iter()
                .map(|l| format!("{} {}", l.project, l.here))
                .collect()
        })
        .collect();
    assert_eq!(lost, ["b 1", "", "a 1"]);
    let clash = run(&world, &problems(&["b>=2"])[0][0], false).unwrap_err();
    assert_eq!(in_few_words(&clash), ("no file", "b".to_owned()));
}

/// The fewest environments by looking at every partition of the asks; none when some ask goes
/// nowhere.
fn fewest(world: &World, asks: &[&str]) -> Option<usize> {
    let holds = |of: &[&str]| {
        problems(of)
            .iter()
            .any(|p| run(world, &p[0], false).is_ok())
    };
    fn parts<'a>(
        asks: &[&'a str],
        made: &mut Vec<Vec<&'a str>>,
        holds: &dyn Fn(&[&str]) -> bool,
        best: &mut Option<usize>,
    ) {
        let Some((first, rest)) = asks.split_first() else {
            if made.iter().all(|p| holds(p)) {
                *best = Some(best.map_or(made.len(), |b| b.min(made.len())));
            }
            return;
        };
        for i in 0..made.len() {
            made[i].push(first);
            parts(rest, made, holds, best);
            made[i].pop();
        }
        made.push(vec![first]);
        parts(rest, made, holds, best);
        made.pop();
    }
    let mut best = None;
    parts(asks, &mut Vec::new(), &holds, &mut best);
    best
}

/// What goes nowhere by itself holds beside an ask that pins its yanked file.
#[test]
fn an_ask_may_hold_only_beside_another() {
    let world = World::of(&[
        "a 1 python:<3.10",
        "b 1.1 yanked python:>=3.12",
        "c 1 -> b==1.1",
    ]);
    assert_eq!(words(&world, &["a", "b<2", "c"]), "3.13: b<2 c | 3.9: a");
    assert_eq!(words(&world, &["a", "b<2"]), "nowhere: b<2");
    let world = World::of(&["a 1 yanked", "d 1.0", "d 1.1 yanked", "d 2.0rc1"]);
    assert_eq!(words(&world, &["a", "d", "d>=1.1"]), "nowhere: a");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, ..ProptestConfig::default() })]

    /// No partition has fewer environments than the split, and each of its environments holds.
    #[test]
    fn no_split_is_smaller(world in super::any_world(), asks in super::any_asks(), pythons in proptest::collection::vec(0..4usize, 20)) {
        let mut world = world;
        let mut pythons = pythons.into_iter();
        for release in world.projects.values_mut().flatten() {
            let bounds = [None, None, Some("<3.10"), Some(">=3.12")];
            release.python = pythons.next().and_then(|i| bounds[i]).map(str::to_owned);
        }
        let mut asks: Vec<&str> = asks.iter().map(String::as_str).collect();
        asks.dedup();
        let found = words(&world, &asks);
        let expected = fewest(&world, &asks);
        match expected {
            None => prop_assert!(found.starts_with("nowhere"), "{}", found),
            Some(n) if n <= 2 => prop_assert_eq!(found.split(" | ").count(), n, "{}", found),
            // With three and more the split is made by taking out few at a time, and need not be
            // the smallest.
            Some(n) => prop_assert!(found.split(" | ").count() >= n, "{}", found),
        }
        for part in found.split(" | ").filter_map(|p| p.split_once(": ")).filter(|(series, _)| *series != "nowhere") {
            let of: Vec<&str> = part.1.split(' ').collect();
            let row = SERIES.iter().position(|s| *s == part.0).unwrap();
            prop_assert!(shown(&run(&world, &problems(&of)[row][0], false)) != "no");
        }
    }
}
