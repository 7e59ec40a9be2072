//! Ways out: what is found on small worlds, and that every one really is one.

use std::sync::Arc;

use super::super::{Alternative, Change, End, Solver, Way, Ways, ways_out};
use super::toy::{World, problem, run, run_whole, shown};
use super::{any_asks, any_policy, any_world, brute};
use crate::offer::{Policy, Wheels};
use crate::solve::Problem;
use eutaxis_standards::index::Page;
use eutaxis_standards::name::Name;
use eutaxis_standards::targets::Target;
use proptest::prelude::*;
use rstest::rstest;

pub(super) struct Toy<'a>(pub(super) &'a World);

impl Solver for Toy<'_> {
    type Error = std::convert::Infallible;
    fn solve(&mut self, problem: &Problem) -> Result<End, Self::Error> {
        Ok(match run(self.0, problem, false) {
            Ok(solution) => End::Settled(solution),
            Err(clash) => End::Clash(clash),
        })
    }
    fn page(&self, project: &Name) -> Option<Arc<Page>> {
        self.0.page(project).map(Arc::new)
    }
}

fn others() -> Vec<Alternative> {
    let one = |version: &str, here: bool| Alternative {
        target: Target::parse(&format!("cpython {version} / linux x86_64 glibc 2.36")).unwrap(),
        name: version.to_owned(),
        here,
    };
    vec![one("3.11", true), one("3.13", false), one("3.14", true)]
}

fn ways(world: &World, problem: &Problem) -> Vec<Way> {
    let Err(clash) = run(world, problem, false) else {
        panic!("it settles")
    };
    let Ok(Ways { found: ways, .. }) = ways_out(problem, &clash, &others(), &mut Toy(world));
    ways
}

fn words(way: &Way) -> String {
    let change = |change: &Change| match change {
        Change::Ask(_, new) | Change::Bound(_, new) => new.to_string(),
        Change::DropAsk(ask) | Change::DropBound(ask) => format!("no {}", ask.requirement),
        Change::Pin(requirement) => format!("and {requirement}"),
        Change::Interpreter(other) => format!("on {}", other.name),
        Change::Accelerators(all) | Change::Unrequired(all) => {
            format!("with {}", all.as_option())
        }
        Change::Build(name) => format!("build {name}"),
        Change::Prereleases(name) => format!("prereleases {name}"),
        Change::AsOf(moment) => format!("as of {moment}"),
        Change::TakeUndated => "take undated".to_owned(),
        Change::Adjust(a) => format!("{} {} {:?}", a.project, a.versions, a.because),
        Change::DropAdjust(a) => format!("unadjust {}", a.project),
    };
    let changes: Vec<String> = way.changes.iter().map(change).collect();
    let pins: Vec<String> = way
        .environments
        .iter()
        .map(|e| shown(&Ok(e.solution.clone())))
        .collect();
    format!(
        "{}: {} => {}",
        way.kind.as_str(),
        changes.join(" & "),
        pins.join(" | ")
    )
}

#[rstest]
#[case::driver_too_old("nordglim driver 498.2", &["a 1+nor41", "a 2+nor41"], &["a"], &[
    "accelerator: with nordglim driver 505.0 => a 2+nor41",
])]
#[case::told_by_metadata("nordglim driver \
    450.0", &["a 1 -> nordglim-runtime-4", "nordglim-runtime-4 1"], &["a"], &[
    "accelerator: with nordglim driver 505.0 => a 1, nordglim-runtime-4 1",
    "accelerator: with none => a 1, nordglim-runtime-4 1",
])]
#[case::no_accelerator("none", &["a 1+nor36", "a 2+nor41", "b 1"], &["a", "b"], &[
    "accelerator: with nordglim toolkit 4.1 => a 2+nor41, b 1",
    "accelerator: with nordglim toolkit 3.6 => a 1+nor36, b 1",
    "drop: no a => b 1",
])]
#[case::builds_without("nordglim driver \
    498.2", &["a 1+nor41", "a 1+cpu", "b 1"], &["a==1+nor41", "b"], &[
    "ask: a<=1 => a 1+cpu, b 1",
    "accelerator: with nordglim driver 505.0 => a 1+nor41, b 1",
    "drop: no a==1+nor41 => b 1",
])]
#[case::two_toolkits("nordglim driver \
    512.4", &["a 1+nor36", "b 1+nor41", "c 1"], &["a", "b", "c"], &[
    "environments:  => b 1+nor41, c 1 | a 1+nor36",
    "drop: no a => b 1+nor41, c 1",
    "drop: no b => a 1+nor36, c 1",
])]
fn ways_lead_to_another_accelerator(
    #[case] place: &str,
    #[case] world: &[&str],
    #[case] asks: &[&str],
    #[case] expected: &[&str],
) {
    let mut problem = problem(asks, &[], Policy::default());
    problem.target = super::toy::target(place);
    let told: Vec<String> = ways(&World::of(world), &problem)
        .iter()
        .map(words)
        .collect();
    assert_eq!(told, expected);
}

const SHARED: &[&str] = &[
    "a 1 -> c<2",
    "a 2 -> c>=2",
    "a 3 -> c>=2",
    "b 1 -> c<2",
    "b 2 -> c<2",
    "b 3 -> c",
    "c 1",
    "c 2",
];

#[rstest]
#[case::shared(SHARED, &["a>=2", "b==1"], &[
    "ask: a>=1 => a 1, b 1, c 1",
    "ask: b>=3 => a 3, b 3, c 2",
    "environments:  => b 1, c 1 | a 3, c 2",
])]
#[case::two_clashes_at_once(&["a \
    1", "a 2", "b 1", "b 2"], &["a>=3", "b>=3"], &["ask: b>=2 & a>=2 => a 2, b 2"])]
#[case::behind_an_interpreter(
    &["a 1 \
        python:<3.9", "b 1 -> c<2", "b 2 -> c", "d 1 -> c>=2", "c 1", "c 2"], &["a", "b==1", "d"],
    &["drop: no a & b>=2 => b 2, d 1, c 2"])]
#[case::interpreter_that_is_here(&["a 1 python:>=3.13"], &["a"], &["interpreter: on 3.14 => a 1"])]
#[case::interpreter_that_is_not(&["a 1 python:==3.13.*"], &["a"], &["interpreter: on 3.13 => a 1"])]
#[case::prerelease(&["a \
    1", "a 2rc1", "b 1 -> a>1"], &["a>=1", "b"], &["prerelease: prereleases a => a 2rc1, b 1"])]
#[case::yanked(&["a 1 yanked"], &["a"], &["yanked: and a==1 => a 1"])]
#[case::against(&["a 1 -> c<2", "c 1 yanked", "c 2"], &["a"], &[
    "yanked: and c==1 => a 1, c 1",
    "adjust: a ==1 \"accepted though it says c <2\" => a 1, c 2",
])]
fn ways_are_found(#[case] world: &[&str], #[case] asks: &[&str], #[case] expected: &[&str]) {
    let ways = ways(&World::of(world), &problem(asks, &[], Policy::default()));
    let told: Vec<String> = ways.iter().map(words).collect();
    assert_eq!(
        &told[..expected.len().min(told.len())],
        expected,
        "{told:#?}"
    );
}

#[test]
fn policies_and_bounds_are_let_go() {
    let world = World::of(&["a 1 source", "b 1", "b 2"]);
    let only = Policy {
        wheels: Wheels::Only,
        ..Policy::default()
    };
    let first = |problem: &Problem| ways(&world, problem).first().map(words);
    assert_eq!(
        first(&problem(&["a"], &[], only)),
        Some("build: build a => a 1".to_owned())
    );
    let bounded = problem(&["b>=2"], &["b<2"], Policy::default());
    let ways: Vec<String> = ways(&world, &bounded).iter().map(words).collect();
    assert_eq!(ways, ["ask: b>=1 => b 1", "bound: b<=2 => b 2"]);
}

/// A date that was asked for is moved only as the last resort, and to one later date, however many
/// moves it took to find it.
#[test]
fn a_date_moves_last_and_once() {
    let as_of = Some("2020-06-01T00:00:00Z".parse().unwrap());
    let policy = Policy {
        as_of,
        ..Policy::default()
    };
    let told = |world: &[&str], asks: &[&str]| -> Vec<String> {
        ways(&World::of(world), &problem(asks, &[], policy.clone()))
            .iter()
            .map(words)
            .collect()
    };
    let one = told(&["a 1 year:2021 -> b", "b 1 year:2022"], &["a"]);
    assert_eq!(one, ["date: as of 2022-01-01T00:00:00Z => a 1, b 1"]);
    let last = told(
        &["a 1 year:2019", "a 2 year:2021", "b 1 year:2019"],
        &["a>=2", "b"],
    );
    assert_eq!(
        last.last().map(String::as_str),
        Some("date: as of 2021-01-01T00:00:00Z => a 2, b 1"),
        "{last:?}"
    );
    assert!(last.len() > 1, "{last:?}");
}

/// The solution that a changed problem has by the rules.
fn by_brute_force(world: &World, problem: &Problem) -> String {
    let (_, _, gone) = run_whole(world, problem, false, &|_| false);
    brute::solve(world, problem, &gone.told())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    /// The pins of every way are the solution of the changed problem, and its asks were changed by
    /// what it says.
    #[test]
    fn every_way_is_one(world in any_world(), asks in any_asks(), policy in any_policy()) {
        let texts: Vec<&str> = asks.iter().map(String::as_str).collect();
        let whole = problem(&texts, &[], policy);
        if run(&world, &whole, false).is_err() {
            for way in ways(&world, &whole) {
                for environment in &way.environments {
                    // Brute force knows nothing of adjustments.
                    if environment.problem.adjustments.is_empty() {
                        let expected = by_brute_force(&world, &environment.problem);
                        prop_assert_eq!(shown(&Ok(environment.solution.clone())), expected, "{}", words(&way));
                    }
                }
                if way.environments.len() == 1 {
                    let changed = way.changes.iter().fold(whole.clone(), |problem, change| change.made(&problem));
                    prop_assert_eq!(&changed.asks, &way.environments[0].problem.asks);
                }
                prop_assert!(!way.changes.is_empty() || way.environments.len() == 2);
            }
        }
    }
}
