//! One choice for several targets.

use super::super::{Joint, joint};
use super::toy::{World, problem, shown};
use super::ways::Toy;
use crate::offer::Policy;
use crate::solve::Problem;
use eutaxis_standards::targets::Target;
use rstest::rstest;

fn on(asks: &[&str], target: &str) -> Problem {
    let mut problem = problem(asks, &[], Policy::default());
    problem.target = Target::parse(target).unwrap();
    problem
}

/// Builds of one release are one release: each place takes its own of the same.
#[test]
fn each_place_takes_its_build_of_the_same_release() {
    let world = World::of(&[
        "a 1+nor41",
        "a 1+cpu",
        "a 2+nor42",
        "a 2+cpu",
        "b 1+cpu",
        "b 1+nor41",
        "b 2+cpu",
    ]);
    let on = |place: &str| {
        let mut problem = problem(&["a", "b"], &[], Policy::default());
        problem.target = super::toy::target(place);
        problem
    };
    let problems = [
        on("nordglim driver 498.2"),
        on("nordglim toolkit 4.1"),
        on("none"),
    ];
    let Ok(Joint::Settled(found)) = joint(&problems, &mut Toy(&world)) else {
        panic!("it settles")
    };
    let told: Vec<String> = found.into_iter().map(|s| shown(&Ok(s))).collect();
    assert_eq!(
        told,
        [
            "a 1+cpu, b 1+cpu",
            "a 1+nor41, b 1+nor41",
            "a 1+cpu, b 1+cpu"
        ]
    );
}

#[rstest]
#[case::equal_where_it_can_be(&["a \
    1", "a 2 python:>=3.12", "b 1", "b 2 python:>=3.12"], &["a"], "a 1 | a 1")]
#[case::else_each_its_own(&["a 1 \
    python:<3.12", "a 2 python:>=3.12", "b 1", "b 2"], &["a", "b"], "a 2, b 2 | a 1, b 2")]
#[case::with_what_goes_with_it(
    &["a 3 -> \
        b>=3", "a 2 -> \
            b>=2", "a 1 -> b", "b 1", "b 2", "b 3 python:>=3.12"], &["a"], "a 2, b 2 | a 2, b 2")]
#[case::only_where_it_is_needed(&["a 1 -> b; python_version < \
    '3.12'", "b 1"], &["a"], "a 1 | a 1, b 1")]
#[case::impossible_on_one(&["a 1 python:>=3.12"], &["a"], "no on 1")]
fn releases_are_kept_equal(#[case] world: &[&str], #[case] asks: &[&str], #[case] expected: &str) {
    let world = World::of(world);
    let problems = [
        "cpython 3.12.4 / linux x86_64 glibc 2.36",
        "cpython 3.9.1 / linux x86_64 glibc 2.36",
    ];
    let problems: Vec<Problem> = problems.iter().map(|t| on(asks, t)).collect();
    let Ok(found) = joint(&problems, &mut Toy(&world));
    let told = match found {
        Joint::Settled(all) => all
            .into_iter()
            .map(|s| shown(&Ok(s)))
            .collect::<Vec<_>>()
            .join(" | "),
        Joint::Clash(i, _) => format!("no on {i}"),
        Joint::GaveUp(_) => "gave up".to_owned(),
    };
    assert_eq!(told, expected);
}
