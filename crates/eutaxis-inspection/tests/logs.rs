//! Logs of installations, builds and imports, each with its cause: every cause in several wordings,
//! and sound ones without any.
//!
//! `logs/NAME.log`, with what must come of it in `logs/expected.txt`: the file, and per cause the
//! line, the id and the words for it, the root first. Names begin with the id of the root, or with
//! `sound`.

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::wildcard_enum_match_arm
)]

use std::collections::BTreeMap;
use std::path::PathBuf;

use eutaxis_inspection::diagnose::{Context, Diagnosis, Ended, Reader};
use eutaxis_standards::knowledge::{Causes, Families, Libraries};

fn folder() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/logs")
}

/// The logs, by their names.
fn logs() -> BTreeMap<String, Vec<u8>> {
    let paths = std::fs::read_dir(folder())
        .unwrap()
        .map(|entry| entry.unwrap().path());
    let logs = paths.filter(|p| p.extension().is_some_and(|e| e == "log"));
    logs.map(|p| {
        (
            p.file_stem().unwrap().to_str().unwrap().to_owned(),
            std::fs::read(&p).unwrap(),
        )
    })
    .collect()
}

/// Read in pieces of so many bytes.
fn read(log: &[u8], piece: usize) -> Diagnosis {
    let families = Families::built_in();
    let libraries = Libraries::built_in();
    let distributions = ["debian".to_owned()];
    let context = Context {
        families: &families,
        libraries: &libraries,
        distributions: &distributions,
    };
    let causes = Causes::built_in();
    let mut reader = Reader::new(&causes, &context);
    log.chunks(piece).for_each(|p| reader.read(p));
    reader.finish()
}

/// What a log comes to, as a line of the table.
fn told(name: &str, log: &[u8]) -> String {
    let causes = Causes::built_in();
    let found = read(log, usize::MAX).causes;
    let all: Vec<String> = found
        .iter()
        .map(|c| format!("{} {}: {}", c.line, c.id, c.told(&causes, "linux").title))
        .collect();
    if all.is_empty() {
        format!("{name}: nothing")
    } else {
        format!("{name}: {}", all.join("; "))
    }
}

#[test]
fn every_log_has_its_cause() {
    let told: Vec<String> = logs().iter().map(|(name, log)| told(name, log)).collect();
    let expected = std::fs::read_to_string(folder().join("expected.txt")).unwrap();
    let missing: Vec<&String> = told
        .iter()
        .filter(|t| !expected.lines().any(|e| e == *t))
        .collect();
    assert!(
        missing.is_empty(),
        "not as in logs/expected.txt:\n{missing:#?}"
    );
    assert_eq!(
        expected.lines().count(),
        told.len(),
        "a log of the table is not there"
    );
}

#[test]
fn names_tell_the_root_and_every_cause_is_there_twice() {
    let mut times: BTreeMap<String, usize> = BTreeMap::new();
    for (name, log) in logs() {
        let kind = name.split('.').next().unwrap().to_owned();
        let found = read(&log, usize::MAX);
        let root = found.causes.first().map_or("sound", |c| c.id.as_str());
        assert_eq!(root, kind, "{name}");
        assert_eq!(
            found.ended == Ended::Badly,
            kind != "sound",
            "{name}: {:?}",
            found.ended
        );
        *times.entry(kind).or_default() += 1;
    }
    let causes = Causes::built_in();
    for id in causes.ids() {
        assert!(
            times.get(id).is_some_and(|n| *n >= 2),
            "{id} is in fewer than two logs"
        );
    }
    assert!(times.get("sound").is_some_and(|n| *n >= 10));
}

/// However a log is cut into pieces, with whatever ends of lines and whatever a service puts before
/// them, it tells the same.
#[test]
fn dress_does_not_matter() {
    for (name, log) in logs() {
        let plain = read(&log, usize::MAX);
        assert_eq!(read(&log, 7), plain, "{name} in small pieces");
        let text = String::from_utf8(log).unwrap();
        let same = |dressed: &str, how: &str| {
            let found = read(dressed.as_bytes(), usize::MAX);
            let ids = |d: &Diagnosis| {
                d.causes
                    .iter()
                    .map(|c| (c.id.clone(), c.line, c.facts.clone()))
                    .collect::<Vec<_>>()
            };
            assert_eq!(ids(&found), ids(&plain), "{name} {how}");
        };
        same(&text.replace('\n', "\r\n"), "with the line ends of Windows");
        let dress = |before: &str, after: &str| -> String {
            text.lines()
                .map(|l| format!("{before}{l}{after}\n"))
                .collect()
        };
        if name.contains(".wrapped-") {
            // A terminal breaks a line with what stands before it.
            continue;
        }
        same(&dress("2026-11-20T10:00:00.1234567Z ", ""), "with times");
        same(&dress("\u{1b}[31m", "\u{1b}[0m"), "with colours");
        if !text
            .lines()
            .any(|l| l.starts_with('#') || l.contains(" | "))
        {
            same(&dress("hut-1  | ", ""), "of a service");
        }
    }
}
