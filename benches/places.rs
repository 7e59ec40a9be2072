//! Eight interpreters on four targets beside one settle, over files on disk: the demo world, and a
//! world of 150 projects.
//!
//! `cargo bench -p eutaxis-benches --bench places`

#![allow(
    clippy::indexing_slicing,
    reason = "a bench that gets wrong answers must stop"
)]
#![allow(missing_docs, reason = "criterion's macros make public items")]
#![allow(
    clippy::expect_used,
    reason = "a bench that gets wrong answers must stop"
)]

use std::path::Path;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::Policy;
use eutaxis_core::solve::{End, Problem};
use eutaxis_core::targets::Interpreter;
use eutaxis_core::{Ask, Requirement, Target};
use eutaxis_demo::World;
use eutaxis_world::config::NetworkSettings;
use eutaxis_world::depot::{Depots, Listed, Named, open};
use eutaxis_world::network::Network;
use eutaxis_world::supply::Run;

const TARGETS: [&str; 4] = [
    "cpython 3.11 / linux x86_64 glibc 2.35",
    "cpython 3.11 / linux armv7l glibc 2.31",
    "cpython 3.11 / macos arm64 14.0",
    "cpython 3.11 / windows x86_64",
];
const INTERPRETERS: [&str; 8] = ["3.7", "3.8", "3.9", "3.10", "3.11", "3.12", "3.13", "3.14"];

/// So many projects, each with ten releases that need up to three others; every fourth is compiled.
fn wide(projects: usize) -> World {
    let mut text = String::new();
    for p in 0..projects {
        let kind = if p % 4 == 0 {
            "interpreters = [\"3.8\", \"3.9\", \"3.10\", \"3.11\", \"3.12\", \"3.13\"]\nplatforms \
                = [\"manylinux_2_17_x86_64.manylinux2014_x86_64\", \"manylinux_2_31_armv7l\", \
                \"macosx_11_0_arm64\", \"win_amd64\"]"
        } else {
            "pure = true"
        };
        text.push_str(&format!(
            "[[project]]\nname = \"floe-{p}\"\nsummary = \"a floe\"\npython = \">=3.7\"\n{kind}\n"
        ));
        for r in 1..=10 {
            let needs: Vec<String> = [p * 2 + 1, p * 2 + 2, p * 3 + r]
                .iter()
                .filter(|n| **n > p && **n < projects)
                .map(|n| format!("\"floe-{n}>={}\"", r / 2))
                .collect();
            let needs = needs.join(", ");
            text.push_str(&format!(
                "[[project.release]]\nversion = \"{r}.0\"\ndate = \"20{:02}-01-01\"\nneeds = \
                    [{needs}]\n",
                10 + r
            ));
        }
    }
    World::parse(&text).expect("a world")
}

fn run(depot: &Path, cache: &Path) -> Run {
    let network = Arc::new(Network::new(cache, true, false, NetworkSettings::default()));
    let place = depot.display().to_string();
    let depot = open(&Named::at(&place, depot), &network).expect("a depot");
    Run::new(Arc::new(Depots::new(
        vec![Listed {
            depot,
            only: Vec::new(),
            asks_dates: false,
            accelerator: None,
        }],
        network,
    )))
}

fn problem(target: Target, asks: &[&str]) -> Problem {
    let ask = |text: &&str| Ask {
        requirement: Requirement::parse(text).expect("an ask"),
        origin: Origin::Argument,
    };
    Problem::new(target, Policy::default(), asks.iter().map(ask).collect())
}

fn span(c: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a folder");
    let demo = eutaxis_demo::make(&folder.path().join("demo")).expect("the demo world");
    let floes = folder.path().join("floes");
    eutaxis_demo::write_depot(&wide(150), &floes).expect("a depot");
    let kit = [
        "radargram>=2",
        "fieldlog[plot]",
        "sastrugi",
        "icelens",
        "hoarfrost~=1.4",
        "crevasse",
    ];
    for (name, depot, asks) in [
        ("demo", demo.depot.as_path(), &kit[..]),
        ("150 projects", floes.as_path(), &["floe-0"][..]),
    ] {
        let targets: Vec<Target> = TARGETS
            .iter()
            .map(|t| Target::parse(t).expect("a target"))
            .collect();
        let one = problem(targets[0].clone(), asks);
        let all: Vec<Problem> = INTERPRETERS
            .iter()
            .flat_map(|i| {
                targets.iter().map(move |t| {
                    t.with_interpreter(Interpreter::parse(i).expect("an interpreter"))
                })
            })
            .map(|target| problem(target, asks))
            .collect();
        let ends = run(depot, folder.path())
            .each(&all, &|_| ())
            .expect("answers");
        let settled = ends.iter().filter(|e| matches!(e, End::Settled(_))).count();
        let chosen = ends.iter().find_map(|e| {
            if let End::Settled(s) = e {
                Some(s.chosen.len())
            } else {
                None
            }
        });
        println!(
            "{name}: {settled} of {} cells settle, the first with {chosen:?} projects",
            ends.len()
        );
        let mut group = c.benchmark_group(name);
        group.sample_size(10);
        group.bench_function("span 8 x 4", |b| {
            b.iter(|| {
                run(depot, folder.path())
                    .each(&all, &|_| ())
                    .expect("answers")
                    .len()
            })
        });
        group.bench_function("yardstick: one settle", |b| {
            b.iter(|| run(depot, folder.path()).solve(&one, &|_| ()).is_ok())
        });
        group.finish();
    }
}

criterion_group! { name = all; config = Criterion::default().without_plots(); targets = span }
criterion_main!(all);
