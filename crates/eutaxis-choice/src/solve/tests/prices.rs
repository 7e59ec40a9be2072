//! Prices decide only the order in which facts are asked for, never the answer.

use proptest::prelude::*;
use rstest::rstest;

use super::toy::{World, problem, run, run_priced, shown, version};
use super::{any_asks, any_policy, any_world, facts};
use crate::offer::Bar;
use crate::offer::{BarKind, Policy};
use crate::solve::FactKind;

fn is_source(file: &str) -> bool {
    file.ends_with(".tar.gz")
}

#[rstest]
#[case::two_asks_exclude_each_other(
    &["a 1 -> \
        c>=2", "b 1 -> \
            c<2", "c 1", "c 2", "s 1 source", "s 2 source"], &["s", "a", "b"], "no", &[])]
#[case::what_a_cheap_fact_excludes(
    &["s 2 source -> \
        c", "s 1 source", "a 1 -> s<2", "c 1"], &["a", "s"], "a 1, s 1", &["s-1.tar.gz"])]
#[case::also_when_it_is_asked_first(
    &["s 2 source", "s 1 source", "a 1 -> s<2"], &["s", "a"], "s 1, a 1", &["s-1.tar.gz"])]
#[case::what_is_taken_must_be_known(
    &["s 2 source -> c<2", "c 1", "c 2"], &["s", "c"], "s 2, c 1", &["s-2.tar.gz"])]
#[case::the_order_of_turns_stays(
    &["s 1 source -> \
        d", "a 1 -> e", "d 1", "e 1"], &["s", "a"], "s 1, a 1, d 1, e 1", &["s-1.tar.gz"])]
#[case::who_pins_a_yanked_release_does_not_matter(
    &["a 1 -> \
        c<2", "b 1 -> \
            c>=3", "c \
                1", "c 2 yanked", "c 3", "s 1 source", "s 2 source"], &["s", "a", "b"], "no", &[])]
#[case::who_pins_a_yanked_release_matters(
    &["c 2 \
        yanked", "s 1 source -> \
            c==2", "s 2 \
                source", "a 1 -> c"], &["a", "s"], "a 1, s 1, c 2", &["s-1.tar.gz", "s-2.tar.gz"])]
fn archives_are_fetched_only_when_they_can_matter(
    #[case] world: &[&str],
    #[case] asks: &[&str],
    #[case] expected: &str,
    #[case] archives: &[&str],
) {
    let (world, problem) = (World::of(world), problem(asks, &[], Policy::default()));
    let (end, mut asked) = run_priced(&world, &problem, false, &is_source);
    asked.sort();
    asked.dedup();
    assert_eq!(
        (shown(&end).as_str(), asked),
        (
            expected,
            archives.iter().map(|a| (*a).to_owned()).collect::<Vec<_>>()
        )
    );
    assert_eq!(shown(&run(&world, &problem, false)), expected);
}

#[test]
fn what_it_would_cost_too_much_to_know_bars_its_release() {
    let bar = Bar::TooDear {
        version: version("2.18.0"),
        size: 593_000_000,
        limit: 32_000_000,
    };
    assert_eq!(bar.kind(), BarKind::Unknown);
    assert_eq!(
        bar.to_string(),
        "what 2.18.0 needs is not known: learning it means fetching 593 MB (limit 32 MB; \
            --fetch-limit)"
    );
    let world = World::of(&["a 2 costly", "a 1", "b 1 costly"]);
    assert_eq!(
        shown(&run(
            &world,
            &problem(&["a"], &[], Policy::default()),
            false
        )),
        "a 1"
    );
    let clash = run(&world, &problem(&["b"], &[], Policy::default()), false).unwrap_err();
    assert!(
        clash
            .facts
            .iter()
            .any(|f| f.kind == FactKind::Bar(BarKind::Unknown)),
        "{clash:?}"
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    /// Whatever is dear: the same choice, or a clash that is as sound and as small.
    #[test]
    fn answers_do_not_depend_on_prices(
        world in any_world(),
        asks in any_asks(),
        bounds in proptest::collection::vec(prop_oneof![Just("a<2"), Just("c>=1.1"), Just("b!=1.1"), Just("d==1.0")], 0..2),
        policy in any_policy(),
        dear in proptest::collection::vec(any::<bool>(), 7),
    ) {
        let asks: Vec<&str> = asks.iter().map(String::as_str).collect();
        let problem = problem(&asks, &bounds, policy);
        let cheap = run(&world, &problem, false);
        // Any mixture: which files are dear is drawn by the letters of their names.
        let is_dear = |file: &str| dear[file.bytes().map(usize::from).sum::<usize>() % dear.len()];
        for eager in [false, true] {
            let (priced, _) = run_priced(&world, &problem, eager, &is_dear);
            prop_assert_eq!(shown(&priced), shown(&cheap));
            if let Err(clash) = priced {
                prop_assert!(facts::are_smallest(&world, &problem, &clash.facts), "{:#?}", clash.facts);
            }
        }
    }
}

/// What the grounds of a proof take for granted is looked into before they count, also where a
/// strong fact has a part in it.
#[rstest]
fn a_dear_final_release_is_read_before_a_clash_counts(#[values(true, false)] eager: bool) {
    let world = World::of(&[
        "b 1.1 python:>=3.13 compiled",
        "b 2.0rc1 yanked compiled year:2017",
        "d 2.0rc1 yanked compiled year:2015 -> b>=1.1",
    ]);
    let problem = problem(&["d>=1.1"], &["b!=1.1"], Policy::default());
    let (end, _) = run_priced(&world, &problem, eager, &|f| f.starts_with("b-1.1"));
    let clash = end.unwrap_err();
    assert!(
        facts::are_smallest(&world, &problem, &clash.facts),
        "{:#?}",
        clash.facts
    );
}
