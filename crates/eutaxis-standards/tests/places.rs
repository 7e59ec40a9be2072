//! Tags and markers on many kinds of machine, against a table of what the standards say
//! (`places/targets.txt`).

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::wildcard_enum_match_arm
)]

use std::collections::BTreeSet;

use eutaxis_standards::artifact::WheelName;
use eutaxis_standards::{Marker, Target};

/// What the table says of one target.
#[derive(Default)]
struct Row<'a> {
    spec: &'a str,
    count: usize,
    /// Place in the list, and tags.
    takes: Vec<(u32, &'a str)>,
    refuses: Vec<&'a str>,
    holds: Vec<&'a str>,
    fails: Vec<&'a str>,
}

fn table() -> Vec<Row<'static>> {
    let mut rows: Vec<Row<'static>> = Vec::new();
    for line in include_str!("places/targets.txt")
        .lines()
        .filter(|l| !l.starts_with('#') && !l.trim().is_empty())
    {
        let (word, rest) = line.trim().split_once(' ').unwrap();
        let rest = rest.trim();
        if word == "target" {
            rows.push(Row {
                spec: rest,
                ..Row::default()
            });
            continue;
        }
        let row = rows.last_mut().unwrap();
        match word {
            "tags" => row.count = rest.parse().unwrap(),
            "takes" => {
                let (place, tags) = rest.split_once(' ').unwrap();
                row.takes.push((place.parse().unwrap(), tags));
            }
            "not" => row.refuses.push(rest),
            "holds" => row.holds.push(rest),
            "fails" => row.fails.push(rest),
            other => panic!("{other}"),
        }
    }
    rows
}

fn rank(target: &Target, tags: &str) -> Option<u32> {
    let name = WheelName::parse(&format!("sastrugi-0.9-{tags}.whl")).unwrap();
    target.rank(&name.tags).map(|r| r.0)
}

#[test]
fn the_table_is_wide_enough() {
    let rows = table();
    let names: BTreeSet<&str> = rows
        .iter()
        .flat_map(|r| {
            r.takes
                .iter()
                .map(|(_, t)| *t)
                .chain(r.refuses.iter().copied())
        })
        .collect();
    assert!(
        rows.len() >= 40 && names.len() >= 300,
        "{} targets, {} names",
        rows.len(),
        names.len()
    );
}

#[test]
fn every_target_takes_what_the_standards_say_in_their_order() {
    for row in table() {
        let target = Target::parse(row.spec).unwrap();
        assert_eq!(target.tags().len(), row.count, "{}", row.spec);
        for (place, tags) in &row.takes {
            assert_eq!(rank(&target, tags), Some(*place), "{}: {tags}", row.spec);
        }
        for tags in &row.refuses {
            assert_eq!(rank(&target, tags), None, "{}: {tags}", row.spec);
        }
        // Of several tags in one name the best counts.
        if let (Some((best, first)), Some((_, last))) = (row.takes.first(), row.takes.last()) {
            let part = |tags: &str, i: usize| tags.split('-').nth(i).unwrap().to_owned();
            let joined: Vec<String> = (0..3)
                .map(|i| format!("{}.{}", part(last, i), part(first, i)))
                .collect();
            assert_eq!(
                rank(&target, &joined.join("-")),
                Some(*best),
                "{}",
                row.spec
            );
        }
    }
}

#[test]
fn markers_say_on_every_target_what_such_a_machine_reports() {
    for row in table() {
        let target = Target::parse(row.spec).unwrap();
        for (markers, expected) in [(&row.holds, true), (&row.fails, false)] {
            for text in markers {
                assert_eq!(
                    Marker::parse(text).unwrap().holds(&target.markers, None),
                    expected,
                    "{}: {text}",
                    row.spec
                );
            }
        }
    }
}

/// A file that one target of the table takes and another does not is told apart by a reason.
#[test]
fn whatever_does_not_fit_has_a_nearest_miss() {
    for row in table() {
        let target = Target::parse(row.spec).unwrap();
        for tags in &row.refuses {
            let name = WheelName::parse(&format!("sastrugi-0.9-{tags}.whl")).unwrap();
            let miss = format!("{:?}", target.tag_miss(&name.tags));
            assert!(
                !miss.is_empty() && !miss.contains("Unknown(\"any\")"),
                "{}: {tags}: {miss}",
                row.spec
            );
        }
    }
}
