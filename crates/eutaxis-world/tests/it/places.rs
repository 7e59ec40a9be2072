//! Machines that are not this one, read from trees that stand in for their roots.

use eutaxis_core::knowledge::Families;
use eutaxis_core::target::{Accelerators, System};
use eutaxis_world::accelerator;
use eutaxis_world::interpreter::{Finder, ProbeCache, machine};
use rstest::rstest;
use tempfile::TempDir;

fn places() -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    eutaxis_demo::places::make(folder.path()).unwrap();
    folder
}

#[rstest]
#[case("ridge-logger", "cpython 3.9.2 / linux armv7l kernel aarch64 glibc 2.31", "python3")]
#[case("base-camp", "cpython 3.11.9 / linux x86_64 glibc 2.35", "python3")]
#[case("base-camp", "cpython 3.9.18 / linux x86_64 glibc 2.35", "3.9")]
#[case("base-camp", "cpython 3.9.18 / linux x86_64 glibc 2.35", "/opt/py/3.9/bin/python3")]
#[case("snow-hut", "cpython 3.12.4 / linux aarch64 musl 1.2", "python3")]
#[case("old-tent", "cpython 3.7.3 / linux x86_64 glibc 2.28", "python3")]
fn programs_are_read_and_not_run(#[case] place: &str, #[case] expected: &str, #[case] name: &str) {
    let folder = places();
    let finder = Finder::under(folder.path().join(place), Vec::new());
    let probes = ProbeCache::open(folder.path());
    let found = finder.named(name, &probes).unwrap();
    let target = found.facts.target(Accelerators::none(Families::built_in())).unwrap();
    assert_eq!(target.to_string(), expected);
    assert_eq!(&*found.facts.markers.python_full_version, target.interpreter.version.to_string());
}

#[test]
fn all_interpreters_of_a_machine_are_found_once() {
    let folder = places();
    let finder = Finder::under(folder.path().join("base-camp"), Vec::new());
    let (found, failed) = finder.all(&ProbeCache::open(folder.path()));
    let told: Vec<(String, Vec<String>)> =
        found.iter().map(|f| (f.facts.version.clone(), f.bare_names.clone())).collect();
    assert_eq!(told, [("3.11.9".to_owned(), vec!["python3".to_owned()]), ("3.9.18".to_owned(), vec![])]);
    assert!(failed.is_empty());
    let board = Finder::under(folder.path().join("ridge-logger"), Vec::new());
    assert!(board.all(&ProbeCache::open(folder.path())).0[0].facts.externally_managed);
}

#[test]
fn a_machine_without_interpreters_is_told_by_its_shell() {
    let folder = places();
    let board = machine(&folder.path().join("ridge-logger")).unwrap();
    assert_eq!((board.kernel.as_str(), board.bits, board.glibc.as_deref()), ("aarch64", 32, Some("glibc 2.31")));
    assert_eq!(machine(&folder.path().join("snow-hut")).unwrap().musl, Some((1, 2)));
    assert_eq!(machine(folder.path()), None);
}

#[rstest]
#[case("ridge-logger", &[])]
#[case("base-camp", &["borealis driver 512.4 device b3 4.1"])]
#[case("old-tent", &["borealis driver 440.0 -"])]
fn accelerators_are_told_by_files(#[case] place: &str, #[case] expected: &[&str]) {
    let folder = places();
    let families = Families::built_in().with(eutaxis_demo::BOREALIS).unwrap();
    let linux = System::Linux(eutaxis_core::target::Libc::Glibc(2, 35));
    let found = accelerator::find(&folder.path().join(place), &families, linux);
    let told: Vec<String> = found
        .iter()
        .map(|f| {
            format!("{} {}", f.accelerator, f.highest_toolkit.as_ref().map_or("-".to_owned(), ToString::to_string))
        })
        .collect();
    assert_eq!(told, expected);
}

#[test]
fn what_is_no_program_is_told() {
    let folder = places();
    let root = folder.path().join("old-tent");
    std::fs::write(root.join("usr/bin/python3.8"), "#!/bin/sh\n").unwrap();
    let (found, failed) = Finder::under(root, Vec::new()).all(&ProbeCache::open(folder.path()));
    assert_eq!((found.len(), failed.len()), (1, 1));
    assert!(failed[0].message.contains("no program of a Linux machine"));
}
