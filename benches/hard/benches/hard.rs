//! Hard families of growing size, each beside a general SAT solver on the same instance; and the
//! smallest clash with its ways out, beside one search of the same world.
//!
//! `cd benches/hard && cargo bench`
#![allow(missing_docs, reason = "criterion's macros make public items")]
#![allow(
    clippy::expect_used,
    reason = "a bench that gets wrong answers must stop"
)]

use std::hint::black_box;

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use eutaxis_benches::{Forest, Memory};
use eutaxis_core::solve::{End, Solver, ways_out};
use varisat::{ExtendFormula, Lit};

fn clauses(forest: &Forest) -> Vec<Vec<Lit>> {
    let literal = |n: &isize| Lit::from_dimacs(*n);
    forest
        .clauses()
        .iter()
        .map(|clause| clause.iter().map(literal).collect())
        .collect()
}

fn general(clauses: &[Vec<Lit>]) -> bool {
    let mut solver = varisat::Solver::new();
    clauses.iter().for_each(|clause| solver.add_clause(clause));
    solver.solve().expect("an answer")
}

/// Name, how an instance of a size is made, sizes, and whether they can be solved.
type Family = (&'static str, fn(usize) -> Forest, &'static [usize], bool);

fn families(c: &mut Criterion) {
    let families: [Family; 3] = [
        (
            "chain of n projects x 30",
            |n| Forest::chain(n, 30),
            &[6, 12, 24],
            true,
        ),
        (
            "diamond of width n x 20",
            |n| Forest::diamond(n, 20),
            &[4, 8, 16],
            true,
        ),
        (
            "n + 1 pigeons, n holes",
            Forest::pigeons,
            &[4, 5, 6, 7],
            false,
        ),
    ];
    for (name, make, sizes, solvable) in families {
        let mut group = c.benchmark_group(name);
        group.sample_size(10);
        for size in sizes {
            let forest = make(*size);
            let facts = forest.facts();
            let settled = facts
                .settle(&mut forest.search().expect("a problem"))
                .is_some();
            let clauses = clauses(&forest);
            assert_eq!(
                (settled, general(&clauses)),
                (solvable, solvable),
                "{name} {size}"
            );
            group.bench_with_input(BenchmarkId::new("search", size), size, |b, _| {
                b.iter(|| {
                    facts
                        .settle(&mut forest.search().expect("a problem"))
                        .is_some()
                })
            });
            group.bench_with_input(
                BenchmarkId::new("yardstick: general solver", size),
                size,
                |b, _| b.iter(|| general(black_box(&clauses))),
            );
        }
        group.finish();
    }
}

fn ways(c: &mut Criterion) {
    let forest = Forest::clashing(100);
    let problem = forest.problem().expect("a problem");
    let mut memory = Memory::new(&forest);
    let Ok(End::Clash(clash)) = memory.solve(&problem) else {
        unreachable!("it clashes")
    };
    let Ok(found) = ways_out(&problem, &clash, &[], &mut memory);
    assert!(
        (3..=6).contains(&clash.facts.len()),
        "{} facts",
        clash.facts.len()
    );
    assert!(found.found.len() >= 3, "{} ways", found.found.len());
    let mut group = c.benchmark_group("clash in a world of 153 projects x 100");
    group.sample_size(10);
    group.bench_function("smallest clash", |b| {
        b.iter(|| matches!(memory.solve(black_box(&problem)), Ok(End::Clash(_))))
    });
    group.bench_function("smallest clash and its ways out", |b| {
        b.iter(|| {
            let Ok(End::Clash(clash)) = memory.solve(black_box(&problem)) else {
                return 0;
            };
            let Ok(ways) = ways_out(&problem, &clash, &[], &mut memory);
            ways.found.len()
        })
    });
    let mut free = problem.clone();
    free.asks.pop();
    free.asks.pop();
    group.bench_function("yardstick: one search without the asks that clash", |b| {
        b.iter(|| matches!(memory.solve(black_box(&free)), Ok(End::Settled(_))))
    });
    group.finish();
}

criterion_group! { name = all; config = Criterion::default().without_plots(); targets = families, ways }
criterion_main!(all);
