//! What the search promises, on small worlds in words and on random ones against brute force.

mod brute;
mod dates;
mod facts;
mod joint;
mod prices;
mod rehearse;
mod sound;
mod span;
mod toy;
mod ways;

use proptest::prelude::*;
use rstest::rstest;

use self::toy::{Release, World, problem, run, shown, version};
use super::{Asker, Caution, FactKind};
use crate::offer::{BarKind, Chronology, Policy, Prefer, Prereleases, Shown, Wheels};
use eutaxis_standards::name::Name;

fn name(text: &str) -> Name {
    Name::parse(text).unwrap()
}

#[rstest]
#[case::newest(&["a 1.0", "a 2.0"], &["a"], "a 2.0")]
#[case::by_number(&["a 1.9", "a 1.10"], &["a"], "a 1.10")]
#[case::needs_join_the_end(&["a 1 -> c & \
    b", "b 1 -> d", "c 1", "d 1"], &["a", "b"], "a 1, b 1, c 1, d 1")]
#[case::goes_back(&["a 2 -> \
    b>=2", "a 1 -> b<2", "b 1", "b 2", "c 1 -> b<2"], &["a", "c"], "a 1, c 1, b 1")]
#[case::order_of_asks_decides(&["a 1 -> \
    c==1", "a 2 -> \
        c==2", "b 1 -> c==2", "b 2 -> c==1", "c 1", "c 2"], &["b", "a"], "b 2, a 1, c 1")]
#[case::wheels_first(&["a 1", "a 2 source"], &["a"], "a 1")]
#[case::source_when_asked(&["a 1", "a 2 source"], &["a>=2"], "a 2")]
#[case::barred(&["a 1", "a 2 barred"], &["a"], "a 1")]
#[case::python_in_metadata_only(&["a 1", "a 2 python:>=3.13", "b 1"], &["a", "b"], "a 1, b 1")]
#[case::no_prerelease(&["a 1.0", "a 1.1rc1"], &["a>=0.9"], "a 1.0")]
#[case::only_prereleases(&["a 1.1rc1"], &["a>=0.9"], "a 1.1rc1")]
#[case::named_prerelease(&["a 1.0", "a 1.1rc1"], &["a>=1.1rc1"], "a 1.1rc1")]
#[case::named_by_a_need(&["a 1.0", "a 1.1rc1", "b 1 -> a>=1.1rc1"], &["b"], "b 1, a 1.1rc1")]
#[case::named_by_an_ask_for_all(&["a \
    1.0", "a 1.1rc1", "b 1 -> a>=1.0"], &["b", "a!=1.0,>=1.0a1"], "b 1, a 1.1rc1")]
#[case::yanked(&["a 1.0", "a 1.1 yanked"], &["a>=1"], "a 1.0")]
#[case::only_yanked(&["a 1.1 yanked"], &["a>=1"], "no")]
#[case::pinned_yanked(&["a 1.0", "a 1.1 yanked"], &["a==1.1"], "a 1.1")]
#[case::yanked_pinned_inside(&["a \
    1.0", "a 1.1 yanked", "b 1 -> a==1.1"], &["a>=1", "b"], "a 1.1, b 1")]
#[case::yanked_pinned_by_an_old_release(&["a 1.1 \
    yanked", "b 1 -> a==1.1", "b 2 -> a"], &["b"], "b 1, a 1.1")]
#[case::extra(&["a 1 extras:x -> b; extra == 'x'", "b 1"], &["a[x]"], "a 1, b 1")]
#[case::extra_not_asked(&["a 1 extras:x -> b; extra == 'x'", "b 1"], &["a"], "a 1")]
#[case::extra_lacking(&["a 1"], &["a[x]"], "a 1")]
#[case::extra_first_asked_later(
    &["a 1 extras:x -> b; extra == \
        'x'", "b 1", "c 1 -> a[x] & d", "d 1"], &["a", "c"], "a 1, c 1, b 1, d 1")]
#[case::extras_in_metadata_order(
    &["a 1 extras:x+y -> c; extra == 'y' & b; extra == 'x' & \
        d", "b 1", "c 1", "d 1"], &["a[x,y]"], "a 1, d 1, c 1, b 1")]
#[case::extra_of_itself(&["a 1 extras:all+x -> a[x]; extra == 'all' & b; extra == \
    'x'", "b 1"], &["a[all]"], "a 1, b 1")]
#[case::extra_excludes_a_release(&["a 2 extras:x -> b>=2; extra == \
    'x'", "a 1 extras:x -> b; extra == 'x'", "b 1"], &["a[x]"], "a 1, b 1")]
#[case::marker(&["a 1 -> b; sys_platform == 'win32' & c; python_version >= \
    '3'", "b 1", "c 1"], &["a", "b; os_name == 'nt'"], "a 1, c 1")]
#[case::unknown_need_makes_a_release_unusable(&["a 2 -> nowhere", "a 1"], &["a"], "a 1")]
#[case::circle(&["a 1 -> b", "b 1 -> a"], &["a"], "a 1, b 1")]
#[case::needs_itself_older(&["a 2 -> a<2", "a 1"], &["a"], "a 1")]
#[case::unknown_ask(&["a 1"], &["b"], "no")]
#[case::no_such_release(&["a 1"], &["a>=2"], "no")]
fn releases_are_chosen_by_the_rules(
    #[case] world: &[&str],
    #[case] asks: &[&str],
    #[case] expected: &str,
) {
    let (world, problem) = (World::of(world), problem(asks, &[], Policy::default()));
    assert_eq!(shown(&run(&world, &problem, false)), expected);
    assert_eq!(
        shown(&run(&world, &problem, true)),
        expected,
        "what is known early changes nothing"
    );
}

#[test]
fn bounds_restrict_and_ask_for_nothing() {
    let world = World::of(&["a 1 -> b", "b 1", "b 2", "c 1"]);
    let problem = problem(&["a"], &["b<2", "c<1"], Policy::default());
    assert_eq!(shown(&run(&world, &problem, false)), "a 1, b 1");
}

/// The final release that keeps the pre-release of `a` out is looked into between the two releases
/// of `e`, which share a need.
#[test]
fn prereleases_stay_out_of_a_shared_need() {
    let world = World::of(&[
        "a 1.0",
        "a 2.0rc1",
        "a 2.0 -> a<2",
        "b 1.0",
        "e 1.1 -> a>=1.1 & b",
        "e 2.0rc1 -> a>=1.1",
    ]);
    let policy = Policy {
        prereleases: Prereleases::Of(vec![name("e")]),
        ..Policy::default()
    };
    assert_eq!(
        shown(&run(&world, &problem(&["b", "e"], &[], policy), false)),
        "no"
    );
}

#[test]
fn policies_change_what_is_best() {
    let world = World::of(&["a 1", "a 2 source", "a 3rc1"]);
    let with = |policy: Policy| shown(&run(&world, &problem(&["a"], &[], policy), false));
    assert_eq!(
        with(Policy {
            wheels: Wheels::Any,
            ..Policy::default()
        }),
        "a 2"
    );
    assert_eq!(
        with(Policy {
            wheels: Wheels::Only,
            ..Policy::default()
        }),
        "a 1"
    );
    assert_eq!(
        with(Policy {
            prefer: Prefer::Oldest,
            wheels: Wheels::Any,
            ..Policy::default()
        }),
        "a 1"
    );
    assert_eq!(
        with(Policy {
            prereleases: Prereleases::All,
            ..Policy::default()
        }),
        "a 3rc1"
    );
    assert_eq!(
        with(Policy {
            prereleases: Prereleases::Of(vec![name("b")]),
            ..Policy::default()
        }),
        "a 1"
    );
}

#[test]
fn prior_pins_are_kept_while_they_hold() {
    let world = World::of(&["a 1 -> b", "a 2 -> b>=2", "b 1", "b 2", "b 3"]);
    let mut problem = problem(&["a"], &[], Policy::default());
    problem.prior = [(name("a"), version("1")), (name("b"), version("2"))].into();
    assert_eq!(shown(&run(&world, &problem, false)), "a 1, b 2");
    problem.prior = [(name("b"), version("1"))].into();
    assert_eq!(
        shown(&run(&world, &problem, false)),
        "a 1, b 1",
        "what is pinned stays, also below what is asked anew"
    );
}

/// The earlier pin of `a` was withdrawn; the pinned yanked release of `b` and the pre-release of `d`
/// carry each other.
#[test]
fn an_earlier_pin_that_was_yanked_goes() {
    let world = World::of(&[
        "a 1.0 yanked",
        "a 1.1",
        "b 1.0 yanked -> d!=1.0",
        "d 1.0 yanked",
        "d 2.0rc1 -> b==1.0 & a",
    ]);
    let mut problem = problem(&["b"], &[], Policy::default());
    problem.prior = [(name("a"), version("1.0"))].into();
    assert_eq!(
        shown(&run(&world, &problem, false)),
        "b 1.0, d 2.0rc1, a 1.1"
    );
}

#[test]
fn the_solution_says_who_asks_and_what_to_know() {
    let world = World::of(&["a 1 yanked -> b>=1", "b 1"]);
    let solution = run(
        &world,
        &problem(&["a[x]==1"], &[], Policy::default()),
        false,
    )
    .unwrap();
    assert_eq!(
        solution.chosen[1].asked_by,
        [Asker::Project(name("a"), "b >=1".to_owned())]
    );
    assert!(
        matches!(
            &solution.cautions[..],
            [Caution::ExtraAbsent { .. }, Caution::Yanked { .. }]
        ),
        "{:?}",
        solution.cautions
    );
}

fn clash(world: &[&str], asks: &[&str]) -> Vec<String> {
    let clash = run(
        &World::of(world),
        &problem(asks, &[], Policy::default()),
        false,
    )
    .unwrap_err();
    clash.facts.iter().map(|f| f.text.clone()).collect()
}

#[test]
fn a_clash_tells_the_facts_of_its_proof() {
    let world = [
        "a 1 -> c>=2",
        "a 2 -> c>=2",
        "b 1 -> c<2",
        "c 1",
        "c 2",
        "d 1",
        "d 2",
    ];
    let facts = clash(&world, &["a", "d", "b"]);
    assert_eq!(
        facts,
        [
            "you ask a",
            "a 1 to 2 need c >=2",
            "you ask b",
            "b 1 needs c <2"
        ],
        "d has no part in it"
    );
}

#[test]
fn bars_are_facts_of_a_clash() {
    let facts = clash(&["a 1 barred", "a 2 yanked", "b 1"], &["b", "a"]);
    let told = [
        "you ask a",
        "a 1: wheels for Windows only; this target is Linux",
        "a 2: yanked, and nothing pins it exactly",
    ];
    assert_eq!(facts, told);
    let world = World::of(&["a 1"]);
    let clash = run(
        &world,
        &problem(&["nowhere"], &[], Policy::default()),
        false,
    )
    .unwrap_err();
    assert_eq!(clash.absent, [name("nowhere")]);
    assert_eq!(
        clash.facts.last().map(|f| f.kind),
        Some(FactKind::Bar(BarKind::Absent))
    );
}

#[test]
fn builds_for_two_toolkits_are_a_clash() {
    let world = World::of(&["a 1+nor36", "a 1+cpu barred", "b 1+nor41", "c 1 -> b"]);
    let mut problem = problem(&["a", "c"], &[], Policy::default());
    problem.target = toy::target("nordglim driver 512.4");
    let clash = run(&world, &problem, false).unwrap_err();
    let facts: Vec<&str> = clash.facts.iter().map(|f| f.text.as_str()).collect();
    let told = [
        "you ask a",
        "a 1+cpu: wheels for Windows only; this target is Linux",
        "a 1+nor36 is built for nordglim 3.6",
        "you ask c",
        "c 1 needs b",
        "b 1 is built for nordglim 4.1",
    ];
    assert_eq!(facts, told);
    let toolkits = clash
        .contested
        .iter()
        .find(|c| c.project.as_str() == "nordglim")
        .unwrap();
    assert_eq!(
        toolkits
            .rows
            .iter()
            .map(|(_, v)| v.len())
            .collect::<Vec<_>>(),
        [1, 1]
    );
}

#[rstest]
#[case::without_an_accelerator_it_runs_on_the_processor("none", "a 2, nordglim-runtime-4 1")]
#[case::runs("nordglim driver 512.4", "a 2, nordglim-runtime-4 1")]
#[case::an_older_one_runs("nordglim driver 498.2", "a 1, nordglim-runtime-3 1")]
fn a_runtime_package_says_what_a_build_is_for(#[case] place: &str, #[case] expected: &str) {
    let world = World::of(&[
        "a 1 -> nordglim-runtime-3",
        "a 2 -> nordglim-runtime-4",
        "nordglim-runtime-3 1",
        "nordglim-runtime-4 1",
        "b 1+nor41",
        "b 1+nor36",
    ]);
    let mut problem = problem(&["a"], &[], Policy::default());
    problem.target = toy::target(place);
    assert_eq!(shown(&run(&world, &problem, false)), expected);
    assert_eq!(shown(&run(&world, &problem, true)), expected);
    // What is known late joins in: a companion takes the build of the same series, where there is
    // an accelerator.
    problem
        .asks
        .extend(toy::problem(&["b"], &[], Policy::default()).asks);
    let both = shown(&run(&world, &problem, false));
    let companion = match place {
        "none" => "no",
        "nordglim driver 512.4" => "b 1+nor41",
        _ => "b 1+nor36",
    };
    assert!(both.contains(companion), "{both}");
}

/// A build for a toolkit older than the device comes after an older release that serves it, and is
/// taken with a caution where there is none: it may hold intermediate code.
#[rstest]
#[case::an_older_release(&["a 2+nor36", "a 1+nor39"], "a 1+nor39", None)]
#[case::a_build_of_the_release(&["a 2+nor36", "a 2+nor41"], "a 2+nor41", None)]
#[case::nothing_else(&["a 2+nor36", "a 2+cpu"], "a 2+nor36", Some("3.9"))]
fn a_device_newer_than_the_toolkit(
    #[case] releases: &[&str],
    #[case] expected: &str,
    #[case] since: Option<&str>,
) {
    let mut problem = problem(&["a"], &[], Policy::default());
    problem.target = toy::target("nordglim driver 535 device b3");
    let solution = run(&World::of(releases), &problem, false).unwrap();
    assert_eq!(shown(&Ok(solution.clone())), expected);
    let told = solution.cautions.iter().find_map(|c| match c {
        Caution::Unserved { because, .. } => Some(because.since.to_string()),
        Caution::ExtraAbsent { .. }
        | Caution::Unread { .. }
        | Caution::Unaccelerated { .. }
        | Caution::RuntimeByExtra { .. }
        | Caution::Yanked { .. }
        | Caution::NeverMet { .. } => None,
    });
    assert_eq!(told.as_deref(), since);
}

#[test]
fn what_is_lost_without_an_accelerator_is_told() {
    let world = World::of(&["a 1+nor41", "a 1+cpu", "b 1+cpu", "c 2", "c 1+nor36"]);
    let mut problem = problem(&["a", "b", "c"], &[], Policy::default());
    problem.target = toy::target("nordglim driver 498.2");
    let solution = run(&world, &problem, false).unwrap();
    assert_eq!(
        shown(&Ok(solution.clone())),
        "a 1+cpu, b 1+cpu, c 1+nor36",
        "a build that uses it comes before a newer one"
    );
    let told: Vec<String> = solution
        .cautions
        .iter()
        .filter_map(|c| match c {
            Caution::Unaccelerated {
                project,
                loss,
                alone,
                ..
            } => Some(format!(
                "{project}: {} ({:?}, {alone})",
                loss.shown, loss.last
            )),
            Caution::ExtraAbsent { .. }
            | Caution::Unread { .. }
            | Caution::Unserved { .. }
            | Caution::RuntimeByExtra { .. }
            | Caution::Yanked { .. }
            | Caution::NeverMet { .. } => None,
        })
        .collect();
    assert_eq!(
        told,
        [
            "a: the newest build that uses one is 1+nor41: needs nordglim 4.1; driver 498.2 runs up \
                to 3.9 (None, false)"
        ]
    );
}

/// What a release asks for on other systems only is lost here; where it is required, an older
/// release that uses it comes before, and there is a way without.
#[rstest]
#[case::told("nordglim driver 512.4", "a 2", Some("Some(Version(1)), true"))]
#[case::none_here("none", "a 2", None)]
#[case::another_family("cuda driver 550.60", "a 2", None)]
#[case::required("nordglim driver 512.4 required", "a 1, nordglim-runtime-4 1", None)]
fn what_is_lost_by_metadata(
    #[case] place: &str,
    #[case] expected: &str,
    #[case] told: Option<&str>,
) {
    let world = World::of(&[
        "a 1 -> nordglim-runtime-4",
        "a 2 -> nordglim-runtime-4; sys_platform == 'win32'",
        "nordglim-runtime-4 1",
    ]);
    let mut problem = problem(&["a"], &[], Policy::default());
    problem.target = toy::target(place);
    let solution = run(&world, &problem, false).unwrap();
    assert_eq!(shown(&Ok(solution.clone())), expected);
    let lost: Vec<bool> = solution
        .cautions
        .iter()
        .filter_map(|c| {
            if let Caution::Unaccelerated { loss, alone, .. } = c {
                assert!(matches!(loss.shown, Shown::Elsewhere { .. }));
                Some(*alone)
            } else {
                None
            }
        })
        .collect();
    assert_eq!(lost, told.map_or(vec![], |_| vec![true]));
}

#[test]
fn a_required_accelerator_that_nothing_uses_has_a_way_out() {
    let world = World::of(&["a 1 -> nordglim-runtime-4; sys_platform == 'win32'"]);
    let mut problem = problem(&["a"], &[], Policy::default());
    problem.target = toy::target("nordglim driver 512.4 required");
    let clash = run(&world, &problem, false).unwrap_err();
    let facts: Vec<&str> = clash.facts.iter().map(|f| f.text.as_str()).collect();
    assert!(
        facts.iter().any(|f| f.contains("and it is required")),
        "{facts:?}"
    );
}

#[test]
fn the_contested_project_shows_its_empty_overlap() {
    let world = World::of(&["a 1 -> c>=2", "b 1 -> c<2", "c 1", "c 2"]);
    let clash = run(&world, &problem(&["a", "b"], &[], Policy::default()), false).unwrap_err();
    let contested = clash
        .contested
        .iter()
        .find(|c| c.project.as_str() == "c")
        .unwrap();
    let allowed: Vec<usize> = contested.rows.iter().map(|(_, v)| v.len()).collect();
    assert_eq!((contested.releases.len(), allowed), (2, vec![1, 1]));
}

/// Five projects of up to four releases with needs on each other.
fn any_world() -> impl Strategy<Value = World> {
    const NAMES: [&str; 5] = ["a", "b", "c", "d", "e"];
    const VERSIONS: [&str; 5] = ["1.0", "1.1", "2.0rc1", "2.0", "3.0"];
    let set = prop_oneof![
        4 => Just(String::new()),
        3 => Just(">=1.1".to_owned()),
        3 => Just("<2".to_owned()),
        3 => (0..5usize).prop_map(|v| format!("=={}", VERSIONS[v])),
        1 => (0..5usize).prop_map(|v| format!("!={}", VERSIONS[v])),
        1 => Just(">=2.0rc1".to_owned()),
        1 => Just("~=1.0".to_owned()),
    ];
    let need = (
        0..5usize,
        set,
        proptest::option::weighted(0.2, Just("[x]")),
        proptest::option::weighted(0.25, prop_oneof![Just("x"), Just("y")]),
    )
        .prop_map(|(project, set, extra, under)| {
            let marker = under.map_or(String::new(), |e| format!("; extra == '{e}'"));
            format!("{}{}{set}{marker}", NAMES[project], extra.unwrap_or(""))
        });
    let release = (
        proptest::collection::vec(need, 0..3),
        0..10usize,
        0..10usize,
        proptest::option::weighted(0.9, 2015..2024u32),
    )
        .prop_map(|(needs, kind, fate, year)| Release {
            year,
            needs,
            compiled: kind < 5,
            extras: if kind % 2 == 0 {
                vec!["x".to_owned(), "y".to_owned()]
            } else {
                Vec::new()
            },
            yanked: fate < 2,
            source_only: fate == 3,
            barred: fate == 4,
            python: (fate == 5).then(|| ">=3.13".to_owned()),
            ..Release::default()
        });
    let releases = proptest::collection::vec(release, 1..5);
    proptest::collection::vec(
        (
            releases,
            proptest::sample::subsequence(VERSIONS.to_vec(), 4),
        ),
        5,
    )
    .prop_map(|projects| World {
        projects: NAMES
            .iter()
            .zip(projects)
            .map(|(name, (releases, versions))| {
                let dated = releases.into_iter().zip(versions).map(|(r, v)| Release {
                    version: v.to_owned(),
                    ..r
                });
                ((*name).to_owned(), dated.collect())
            })
            .collect(),
    })
}

/// Such a world in which some releases are builds for accelerators, several of one release among
/// them.
fn any_built_world() -> impl Strategy<Value = World> {
    let label = prop_oneof![3 => Just(""), 2 => Just("+nor36"), 2 => Just("+nor41"), 1 => Just("+nor42"), 1 => Just("+cpu")];
    let kinds = proptest::collection::vec((label, proptest::bool::weighted(0.3)), 20);
    (any_world(), kinds).prop_map(|(mut world, kinds)| {
        let mut kinds = kinds.into_iter();
        for releases in world.projects.values_mut() {
            for i in 0..releases.len() {
                let Some((label, joins)) = kinds.next() else {
                    break;
                };
                let public =
                    |r: &Release| r.version.split('+').next().unwrap_or_default().to_owned();
                let base = if joins && i > 0 {
                    public(&releases[i - 1])
                } else {
                    public(&releases[i])
                };
                let version = format!("{base}{label}");
                if releases.iter().all(|r| r.version != version) {
                    releases[i].version = version;
                }
            }
        }
        world
    })
}

fn any_place() -> impl Strategy<Value = &'static str> {
    prop_oneof![
        1 => Just("none"),
        1 => Just("nordglim driver 498.2"),
        3 => Just("nordglim driver 512.4"),
        1 => Just("nordglim toolkit 3.6")
    ]
}

fn any_policy() -> impl Strategy<Value = Policy> {
    let wheels = prop_oneof![Just(Wheels::First), Just(Wheels::Only), Just(Wheels::Any)];
    let prefer = prop_oneof![4 => Just(Prefer::Newest), 1 => Just(Prefer::Oldest)];
    let prereleases = prop_oneof![4 => Just(Prereleases::ByRule), 1 => Just(Prereleases::All)];
    let chronology = prop_oneof![4 => Just(Chronology::Heed), 2 => Just(Chronology::Follow), 1 => Just(Chronology::Caution)];
    (wheels, prefer, prereleases, chronology).prop_map(
        |(wheels, prefer, prereleases, chronology)| Policy {
            chronology,
            wheels,
            prefer,
            prereleases,
            ..Policy::default()
        },
    )
}

fn any_asks() -> impl Strategy<Value = Vec<String>> {
    let ask = (
        0..5usize,
        prop_oneof![4 => Just(""), 1 => Just("[x]"), 1 => Just("[y]")],
        prop_oneof![3 => Just(""), 1 => Just(">=1.1"), 1 => Just("==1.1"), 1 => Just("<2")],
    );
    proptest::collection::vec(
        ask.prop_map(|(p, e, s)| format!("{}{e}{s}", ["a", "b", "c", "d", "e"][p])),
        1..4,
    )
}

/// Solvability and every choice are those of the rules, whatever was known early; and of what may
/// be let go just what must be, whatever the order of the asks.
fn agrees(
    world: &World,
    asks: &[String],
    bounds: &[&str],
    policy: Policy,
    prior: std::collections::BTreeMap<&str, &str>,
) -> Result<(), TestCaseError> {
    let asks: Vec<&str> = asks.iter().map(String::as_str).collect();
    let mut problem = problem(&asks, bounds, policy);
    problem.prior = prior
        .into_iter()
        .map(|(p, v)| (name(p), version(v)))
        .collect();
    let (end, _, gone) = toy::run_whole(world, &problem, false, &|_| false);
    let expected = brute::solve(world, &problem, &gone.told());
    prop_assert_eq!(shown(&end), expected.clone(), "{:?}", gone);
    let (end, _, late) = toy::run_whole(world, &problem, true, &|_| false);
    prop_assert_eq!(shown(&end), expected);
    if end.is_err() {
        return Ok(());
    }
    prop_assert_eq!(gone.told(), late.told());
    for needed in gone.told() {
        let others: Vec<String> = gone.told().into_iter().filter(|g| *g != needed).collect();
        prop_assert_eq!(
            brute::solve(world, &problem, &others),
            "no",
            "{} need not go",
            needed
        );
    }
    problem.asks.reverse();
    let (_, _, reversed) = toy::run_whole(world, &problem, false, &|_| false);
    prop_assert_eq!(gone.told(), reversed.told());
    Ok(())
}

/// What a later release bounds is asked for by the project and by its extra in one breath: neither
/// goes on before it is known.
#[test]
fn a_bound_that_two_wait_for_is_heeded() {
    let world = World::of(&[
        "c 1.0",
        "c 2.0",
        "d 1.0 extras:y -> c!=1.0; extra == 'y'",
        "d 2.0 -> c~=1.0",
    ]);
    let asks = ["d[y]<2".to_owned(), "c".to_owned()];
    let heed = Policy {
        chronology: Chronology::Heed,
        ..Policy::default()
    };
    agrees(&world, &asks, &[], heed.clone(), Default::default()).unwrap();
    let problem = problem(&["d[y]<2", "c"], &[], heed);
    let (_, _, gone) = toy::run_whole(&world, &problem, false, &|_| false);
    assert_eq!(gone.told().len(), 1, "{gone:?}");
}

fn any_bounds() -> impl Strategy<Value = Vec<&'static str>> {
    proptest::collection::vec(
        prop_oneof![Just("a<2"), Just("c>=1.1"), Just("b!=1.1"), Just("d==1.0")],
        0..2,
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, ..ProptestConfig::default() })]

    #[test]
    fn heeding_agrees_with_brute_force(
        world in any_world(),
        asks in any_asks(),
        bounds in any_bounds(),
        policy in any_policy(),
    ) {
        agrees(&world, &asks, &bounds, Policy { chronology: Chronology::Heed, ..policy }, std::collections::BTreeMap::new())?;
    }

    #[test]
    fn following_agrees_with_brute_force(
        world in any_world(),
        asks in any_asks(),
        bounds in any_bounds(),
        policy in any_policy(),
    ) {
        agrees(&world, &asks, &bounds, Policy { chronology: Chronology::Follow, ..policy }, std::collections::BTreeMap::new())?;
    }

    #[test]
    fn earlier_pins_agree_with_brute_force(
        world in any_world(),
        asks in any_asks(),
        bounds in any_bounds(),
        policy in any_policy(),
        prior in proptest::collection::btree_map(prop_oneof![Just("a"), Just("b"), Just("c")], prop_oneof![Just("1.0"), Just("1.1"), Just("2.0")], 1..4),
    ) {
        agrees(&world, &asks, &bounds, policy, prior)?;
    }

    /// The facts of a clash cannot hold together, and any others of them can; the order of the asks
    /// changes none.
    #[test]
    fn a_clash_is_smallest(
        world in any_world(),
        asks in any_asks(),
        bounds in proptest::collection::vec(prop_oneof![Just("a<2"), Just("c>=1.1"), Just("b!=1.1"), Just("d==1.0")], 0..2),
        policy in any_policy(),
    ) {
        let mut texts: Vec<&str> = asks.iter().map(String::as_str).collect();
        let whole = problem(&texts, &bounds, policy.clone());
        if let Err(clash) = run(&world, &whole, false) {
            prop_assert!(facts::are_smallest(&world, &whole, &clash.facts), "{:#?}", clash.facts);
            texts.reverse();
            let other = run(&world, &problem(&texts, &bounds, policy), true).unwrap_err();
            let told = |facts: &[super::Fact]| {
                let mut words: Vec<String> = facts.iter().map(|f| f.text.clone()).collect();
                words.sort();
                words
            };
            prop_assert_eq!(told(&clash.facts), told(&other.facts));
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 500, ..ProptestConfig::default() })]

    /// The promise and the smallest clash where builds for accelerators are told apart, and an
    /// environment holds one toolkit.
    #[test]
    fn builds_agree_with_brute_force(
        world in any_built_world(),
        asks in any_asks(),
        place in any_place(),
        policy in any_policy(),
    ) {
        let asks: Vec<&str> = asks.iter().map(String::as_str).collect();
        let mut problem = problem(&asks, &[], policy);
        problem.target = toy::target(place);
        let (end, _, gone) = toy::run_whole(&world, &problem, false, &|_| false);
        let expected = brute::solve(&world, &problem, &gone.told());
        prop_assert_eq!(shown(&run(&world, &problem, true)), expected.clone());
        prop_assert_eq!(shown(&end), expected);
        if let Err(clash) = end {
            prop_assert!(facts::are_smallest(&world, &problem, &clash.facts), "{:#?}", clash.facts);
        }
    }
}
