//! The core, each measurement beside a yardstick of the same run. `cargo bench -p eutaxis-benches`;
//! `notes.md` records.

#![allow(
    clippy::indexing_slicing,
    reason = "a bench that gets wrong answers must stop"
)]
#![allow(missing_docs, reason = "criterion's macros make public items")]
#![allow(
    clippy::expect_used,
    reason = "a bench that gets wrong answers must stop"
)]

use std::hint::black_box;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use eutaxis_benches::{Forest, page, versions};
use eutaxis_core::artifact::WheelName;
use eutaxis_core::index::parse_json;
use eutaxis_core::offer::{JudgedPage, Policy, Rules};
use eutaxis_core::{Name, Target, Version, VersionSpecifier};

fn version(c: &mut Criterion) {
    let texts = versions(10_000);
    let parsed: Vec<Version> = texts
        .iter()
        .map(|t| Version::parse(t).expect("a version"))
        .collect();
    let mut group = c.benchmark_group("version");
    group.throughput(Throughput::Elements(10_000));
    group.bench_function("parse", |b| {
        b.iter(|| {
            texts
                .iter()
                .map(|t| Version::parse(black_box(t)).is_ok())
                .filter(|x| *x)
                .count()
        })
    });
    group.bench_function("compare", |b| {
        b.iter(|| {
            parsed
                .windows(2)
                .filter(|w| black_box(&w[0]) < black_box(&w[1]))
                .count()
        })
    });
    group.bench_function("sort", |b| {
        b.iter(|| {
            let mut v = parsed.clone();
            v.sort();
            v.len()
        })
    });
    let keys: Vec<u64> = parsed
        .iter()
        .map(|v| v.release_number(0) << 40 | v.release_number(1) << 20 | v.release_number(2))
        .collect();
    group.bench_function("yardstick: sort u64", |b| {
        b.iter(|| {
            let mut v = keys.clone();
            v.sort();
            v.len()
        })
    });
    let set = VersionSpecifier::parse(">=2.1,<20,!=5.*").expect("a set");
    group.bench_function("specifier to set", |b| {
        b.iter(|| parsed.iter().filter(|v| set.matches(black_box(v))).count())
    });
    group.finish();
}

fn tags(c: &mut Criterion) {
    let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").expect("a target");
    let names = [
        "m-1-cp312-cp312-manylinux_2_17_x86_64.manylinux2014_x86_64.whl",
        "m-1-cp39-abi3-manylinux1_x86_64.whl",
        "m-1-py2.py3-none-any.whl",
        "m-1-cp311-cp311-win_amd64.whl",
    ];
    let wheels: Vec<WheelName> = names
        .iter()
        .map(|n| WheelName::parse(n).expect("a wheel"))
        .collect();
    let list = target.tags();
    let mut group = c.benchmark_group("tags");
    group.throughput(Throughput::Elements(4));
    group.bench_function("rank", |b| {
        b.iter(|| {
            wheels
                .iter()
                .filter(|w| target.rank(black_box(&w.tags)).is_some())
                .count()
        })
    });
    group.bench_function("yardstick: look up in the list", |b| {
        b.iter(|| {
            wheels
                .iter()
                .filter(|w| {
                    w.tags
                        .expanded()
                        .any(|(p, a, l)| list.contains(&format!("{p}-{a}-{l}")))
                })
                .count()
        })
    });
    group.finish();
}

fn pages(c: &mut Criterion) {
    let bytes = page("frostgrid", 300);
    let name = Name::parse("frostgrid").expect("a name");
    let target = Target::parse("cpython 3.11 / linux x86_64 glibc 2.36").expect("a target");
    let mut group = c.benchmark_group("page of 1500 files");
    group.throughput(Throughput::Bytes(bytes.len() as u64));
    group.bench_function("bytes to offers", |b| {
        b.iter(|| {
            let page = parse_json(black_box(&bytes), &name).expect("a page");
            let rules = Rules {
                target: &target,
                policy: &Policy::default(),
                adjustments: &[],
            };
            JudgedPage::new(std::sync::Arc::new(page), &rules)
                .heads()
                .len()
        })
    });
    group.bench_function("bytes to page", |b| {
        b.iter(|| {
            parse_json(black_box(&bytes), &name)
                .expect("a page")
                .files
                .len()
        })
    });
    group.bench_function("yardstick: bare JSON", |b| {
        b.iter(|| {
            serde_json::from_slice::<serde_json::Value>(black_box(&bytes))
                .expect("JSON")
                .is_object()
        })
    });
    group.finish();
}

fn search(c: &mut Criterion) {
    let mut group = c.benchmark_group("search");
    group.sample_size(20);
    for (name, forest, chosen) in [
        (
            "300 of 5000 x 100",
            Forest::wide(5000, 100, 290),
            Some(290..320),
        ),
        ("chain of 12 x 30", Forest::chain(12, 30), Some(12..13)),
        ("6 pigeons, 5 holes", Forest::pigeons(5), None),
    ] {
        let facts = forest.facts();
        let solved = facts
            .settle(&mut forest.search().expect("a problem"))
            .map(|s| s.chosen.len());
        assert_eq!(solved.is_some(), chosen.is_some(), "{name}");
        assert!(
            solved
                .zip(chosen)
                .is_none_or(|(n, range)| range.contains(&n)),
            "{name}: {solved:?} chosen"
        );
        group.bench_function(name, |b| {
            b.iter(|| {
                facts
                    .settle(&mut forest.search().expect("a problem"))
                    .is_some()
            })
        });
        group.bench_function(
            format!("yardstick: read the {} facts of {name}", facts.count()),
            |b| b.iter(|| black_box(&facts).read_once()),
        );
    }
    group.finish();
}

criterion_group! { name = all; config = Criterion::default().without_plots(); targets = version, tags, pages, search }
criterion_main!(all);
