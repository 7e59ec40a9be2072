//! Reading a large log for its causes, beside reading it line by line with one regular expression.
//! A log of 200 MB, as builds write them: compiler commands, steps, warnings that are none; the
//! fault stands near the end.

#![allow(clippy::unwrap_used, clippy::indexing_slicing, missing_docs)]

use std::hint::black_box;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use eutaxis_core::diagnose::{Context, Diagnosis, Reader};
use eutaxis_core::knowledge::{Causes, Families, Libraries};
use regex::bytes::Regex;

const SIZE: u64 = 200 << 20;
/// As the program reads.
const PIECE: usize = 1 << 20;

/// What a build writes again and again, with a number.
const LINES: [&str; 8] = [
    "[{n}/90000] Building CXX object src/CMakeFiles/focus.dir/line_{n}.cpp.o",
    "/usr/bin/c++ -DNDEBUG -O3 -fPIC -std=gnu++17 -Wall -Isrc -isystem /usr/include/firn -MD -MT \
        line_{n}.cpp.o -c src/line_{n}.cpp",
    "src/line_{n}.cpp:120:9: warning: unused variable 'depth' [-Wunused-variable]",
    "  copying build/lib/radargram/part_{n}.py -> build/bdist.linux-x86_64/wheel/./radargram",
    "2026-11-20T06:02:19Z step {n}: 14 stations read, 3 of them retried, nothing lost",
    "-- Looking for firn_open_{n} - found",
    "   120 |     int depth = {n};",
    "Compiling ridge-{n} v0.3.1 (/tmp/build/ridge)",
];
const FAULT: &str = "src/core.cpp:7:10: fatal error: firn.h: No such file or directory\nERROR: \
    Failed building wheel for radargram\n";

fn write_log(path: &Path) {
    let mut file = std::io::BufWriter::new(std::fs::File::create(path).unwrap());
    let mut written = 0u64;
    let mut n = 0u64;
    while written < SIZE {
        let line = LINES[(n % 8) as usize].replace("{n}", &n.to_string());
        written += line.len() as u64 + 1;
        n += 1;
        writeln!(file, "{line}").unwrap();
    }
    file.write_all(FAULT.as_bytes()).unwrap();
    file.flush().unwrap();
}

fn diagnosed(path: &Path) -> Diagnosis {
    let (families, libraries) = (Families::built_in(), Libraries::built_in());
    let context = Context {
        families: &families,
        libraries: &libraries,
        distributions: &[],
    };
    let causes = Causes::built_in();
    let mut reader = Reader::new(&causes, &context);
    let mut file = std::fs::File::open(path).unwrap();
    let mut piece = vec![0; PIECE];
    loop {
        match file.read(&mut piece).unwrap() {
            0 => return reader.finish(),
            n => reader.read(&piece[..n]),
        }
    }
}

/// The yardstick: every line, and one pattern that few lines hold.
fn matched(path: &Path, pattern: &Regex) -> usize {
    let mut reader = BufReader::with_capacity(1 << 18, std::fs::File::open(path).unwrap());
    let mut line = Vec::new();
    let mut found = 0;
    while reader.read_until(b'\n', &mut line).unwrap() > 0 {
        found += usize::from(pattern.is_match(&line));
        line.clear();
    }
    found
}

fn large_log(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("build.log");
    write_log(&path);
    let found = diagnosed(&path);
    assert_eq!(
        found
            .causes
            .iter()
            .map(|c| c.id.as_str())
            .collect::<Vec<_>>(),
        ["header-missing"]
    );
    let pattern = Regex::new(r"(?i-u)(?:fatal error|failed building)[: ].*").unwrap();
    assert!(matched(&path, &pattern) > 0);
    let mut group = criterion.benchmark_group("log of 200 MB");
    group
        .sample_size(10)
        .measurement_time(Duration::from_secs(20));
    group.bench_function("diagnose", |b| b.iter(|| black_box(diagnosed(&path))));
    group.bench_function("yardstick: line by line with one pattern", |b| {
        b.iter(|| black_box(matched(&path, &pattern)))
    });
    group.finish();
}

criterion_group!(benches, large_log);
criterion_main!(benches);
