//! Own time, strong facts, and earlier pins as a set, on small worlds in words.

use rstest::rstest;

use super::toy::{World, problem, run, run_whole, shown, version};
use super::{Chronology, Policy, name};

const MOVED_ON: &[&str] = &[
    "a 1 year:2021 -> b",
    "a 2 year:2023 -> b",
    "b 1.0 year:2020",
    "b 1.1 year:2022",
];
const LEARNT: &[&str] = &["a 1.0 -> b", "a 1.1 -> b<2", "b 1", "b 2"];
const COMPILED: &[&str] = &[
    "a 1 compiled year:2021 -> b",
    "b 1 compiled year:2020",
    "b 2 compiled year:2022",
];

#[rstest]
#[case::what_a_held_ask_needs_is_of_its_time(MOVED_ON, &["a==1"], "a 1, b 1.0")]
#[case::asked_for_beside_it(MOVED_ON, &["b", "a==1"], "a 1, b 1.0")]
#[case::what_is_not_held_is_not(MOVED_ON, &["a"], "a 2, b 1.1")]
#[case::a_bound_of_ones_own_stands_before(MOVED_ON, &["a==1", "b>=1.1"], "a 1, b 1.1")]
#[case::it_is_passed_on(
    &["a 1 year:2021 -> \
        b", "a 2 year:2023", "b 1 year:2020 -> c", "c 1.0 year:2020", "c 1.1 year:2022"],
    &["a==1"], "a 1, b 1, c 1.0")]
#[case::the_nearest_later_one(
    &["a 1 year:2020 -> \
        b", "a 2 year:2023", "b 1.0 year:2021", "b 1.1 year:2022"], &["a==1"], "a 1, b 1.0")]
#[case::wheels_come_first(
    &["a 1 year:2020 -> \
        b", "a 2 year:2023", "b 1.0 source year:2019", "b 1.1 year:2022"], &["a==1"], "a 1, b 1.1")]
#[case::of_several_the_oldest(
    &["a 1 year:2020 -> \
        c", "a 2 \
            year:2024", "b 1 year:2022 -> \
                c", "b 2 year:2024", "c 1.0 year:2020", "c 1.1 year:2021"],
    &["b==1", "a==1"], "a 1, c 1.0, b 1")]
#[case::numbered_by_date(
    &["a 1 year:2020 -> \
        b", "a 2 \
            year:2023", "b 2019.1 year:2019", "b 2022.1 year:2022"], &["a==1"], "a 1, b 2022.1")]
#[case::a_bar_holds_nothing(
    &["a 1 year:2020 -> \
        b", "a 2 barred year:2023", "b 1.0 year:2019", "b 1.1 year:2022"], &["a"], "a 1, b 1.1")]
#[case::a_bound_is_learnt(LEARNT, &["a<1.1"], "a 1.0, b 1")]
#[case::nobody_walks_down_to_the_one_that_forgot(LEARNT, &["b", "a"], "b 1, a 1.1")]
#[case::learnt_by_the_next_series(&["a 1 -> b", "a 2 -> b<2", "b 1", "b 2"], &["a<2"], "a 1, b 1")]
#[case::let_go_where_nothing_keeps_it(LEARNT, &["a<1.1", "b>=2"], "a 1.0, b 2")]
#[case::compiled_by_one_who_is_looked_after(COMPILED, &["a"], "a 1, b 2")]
#[case::no_reason_to_build(
    &["a 1 compiled year:2018 -> \
        b", "b 1 source year:2017", "b 2 compiled year:2022"], &["a"], "a 1, b 2")]
#[case::silent_for_years(&["a 1 year:2016 -> \
    b", "b 1 year:2015", "b 2 year:2019"], &["a"], "a 1, b 1")]
#[case::an_old_release_on_a_new_interpreter(
    &["a 1 year:2022 -> \
        b", "a 2 year:2024", "b 1.0 year:2015", "b 1.1 year:2023"], &["a==1"], "a 1, b 1.1")]
fn dates_are_heeded(#[case] world: &[&str], #[case] asks: &[&str], #[case] expected: &str) {
    let (world, problem) = (World::of(world), problem(asks, &[], Policy::default()));
    assert_eq!(shown(&run(&world, &problem, false)), expected);
    assert_eq!(shown(&run(&world, &problem, true)), expected);
}

#[test]
fn a_compiled_pair_is_kept_apart_once_the_series_is_settled() {
    let mut lines = COMPILED.to_vec();
    lines.push("b 2.1 compiled year:2025");
    let of = |chronology: Chronology| {
        let policy = Policy {
            chronology,
            ..Policy::default()
        };
        shown(&run(
            &World::of(&lines),
            &problem(&["a"], &[], policy),
            false,
        ))
    };
    assert_eq!(of(Chronology::Heed), "a 1, b 1");
    assert_eq!(of(Chronology::Caution), "a 1, b 2.1");
}

#[test]
fn following_takes_every_ask_for_an_old_one() {
    let world = World::of(&["a 1 year:2021 -> b", "b 1.0 year:2020", "b 1.1 year:2022"]);
    let of = |chronology: Chronology| {
        let policy = Policy {
            chronology,
            ..Policy::default()
        };
        shown(&run(&world, &problem(&["a"], &[], policy), false))
    };
    assert_eq!(
        (
            of(Chronology::Heed).as_str(),
            of(Chronology::Follow).as_str()
        ),
        ("a 1, b 1.1", "a 1, b 1.0")
    );
}

#[test]
fn what_is_let_go_is_told_with_its_reason() {
    let world = World::of(LEARNT);
    let solution = run(
        &world,
        &problem(&["a<1.1", "b>=2"], &[], Policy::default()),
        false,
    )
    .unwrap();
    let told: Vec<&str> = solution.let_go.iter().map(|d| d.kind.as_str()).collect();
    assert_eq!((told, solution.held_back.len()), (vec!["learnt"], 0));
    let solution = run(&world, &problem(&["a<1.1"], &[], Policy::default()), false).unwrap();
    let held = &solution.held_back[0];
    assert_eq!(
        (held.project.as_str(), held.instead_of.to_string().as_str()),
        ("b", "2")
    );
}

/// Of the pins in the way the one goes that the new ask reaches first, and no other.
#[rstest]
#[case::the_one_that_is_in_the_way(&["n>=1"], "n 1, c 2", &["c"])]
#[case::nothing_moves_that_need_not(&["a", "n<1"], "a 1, n 0, c 1", &[])]
#[case::the_nearest_to_the_change(&["a", "n>=1"], "a 2, n 1, c 2", &["a", "c"])]
fn earlier_pins_are_kept_as_a_set(
    #[case] asks: &[&str],
    #[case] expected: &str,
    #[case] gone: &[&str],
) {
    let world = World::of(&["a 1 -> c<2", "a 2 -> c", "c 1", "c 2", "n 0", "n 1 -> c>=2"]);
    let mut problem = problem(asks, &[], Policy::default());
    problem.prior = [(name("a"), version("1")), (name("c"), version("1"))].into();
    let (end, _, went) = run_whole(&world, &problem, false, &|_| false);
    assert_eq!(
        (shown(&end).as_str(), went.told()),
        (expected, gone.iter().map(|g| (*g).to_owned()).collect())
    );
}
