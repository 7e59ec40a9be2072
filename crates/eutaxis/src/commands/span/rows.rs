//! The rows of the matrix: which series of interpreters are looked at.

use std::collections::BTreeSet;

use eutaxis_core::Name;
use eutaxis_core::fault::{Fault, escaped};
use eutaxis_core::knowledge;
use eutaxis_core::solve::End;
use eutaxis_core::span::{Series, mentioned};
use eutaxis_core::targets::Implementation;
use eutaxis_world::Error;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::{Progress, Run};

use super::Question;
use crate::answer::span::Head;

/// No range names more series than this.
const MOST: u64 = 60;

/// `3.11`, as far as there can be such a series.
fn series(text: &str) -> Option<Series> {
    let (major, minor) = text.split_once('.')?;
    let (major, minor) = (major.parse().ok()?, minor.parse().ok()?);
    ((2..=9).contains(&major) && minor < 100).then_some(Series { major, minor })
}

/// The rows that are asked for.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Stated {
    /// The newest first.
    pub(super) series: Vec<Series>,
    /// Of ranges what is newer than every series that is known: there are no rows of it.
    pub(super) unknown: Vec<Series>,
}

/// The newest series of a major that is known; none where none of it is.
fn newest_known(major: u64) -> Option<Series> {
    let all = knowledge::series_of("cpython").filter_map(|s| series(&s.version));
    all.filter(|s| s.major == major).max()
}

/// Reads `3.8..3.13`, `3.9,3.11`, or both together. A range holds the series that exist; one that is
/// named by itself is looked at whatever is known of it.
pub(super) fn parse(text: &str) -> Result<Stated, Error> {
    let bad = |what: &str, at: usize| {
        let fault = Fault::new(
            format!("`{}` is not a version such as 3.11", escaped(what)),
            at,
        );
        Error::in_file(
            "--interpreters",
            text,
            &fault.hint("write a range (3.8..3.13), or versions (3.9,3.11)"),
        )
    };
    let one = |part: &str, at: usize| series(part.trim()).ok_or_else(|| bad(part.trim(), at));
    let mut found: BTreeSet<Series> = BTreeSet::new();
    let mut unknown: BTreeSet<Series> = BTreeSet::new();
    let mut at = 0;
    for part in text.split(',') {
        match part.split_once("..") {
            None => {
                found.insert(one(part, at)?);
            }
            Some((low, high)) => {
                let (low, high) = (one(low, at)?, one(high, at + low.len() + 2)?);
                if low.major != high.major || low > high || high.minor - low.minor > MOST {
                    let fault = Fault::new(format!("{low}..{high} is no range of versions"), at);
                    let fault = fault.hint("write the older one first, both of one major");
                    return Err(Error::in_file("--interpreters", text, &fault));
                }
                let range = (low.minor..=high.minor).map(|minor| Series {
                    major: low.major,
                    minor,
                });
                let newest = newest_known(low.major);
                let exists = |s: &Series| newest.is_none_or(|newest| *s <= newest);
                let (there, not): (Vec<Series>, Vec<Series>) = range.partition(exists);
                if there.is_empty() {
                    let newest = newest.map(|n| format!("the newest that is known is {n}"));
                    let fault = Fault::new(format!("no version of {low}..{high} exists"), at);
                    let fault = fault.hint(newest.unwrap_or_default());
                    return Err(Error::in_file("--interpreters", text, &fault));
                }
                found.extend(there);
                unknown.extend(not);
            }
        }
        at += part.len() + 1;
    }
    Ok(Stated {
        series: found.into_iter().rev().collect(),
        unknown: unknown.into_iter().collect(),
    })
}

/// The rows, the newest first: those that are stated, else all from the oldest that the files of
/// the projects speak of to the newest there is, those of the targets, and those that are here.
pub(super) fn heads(
    question: &Question<'_>,
    stated: Option<Vec<Series>>,
    run: &Run,
    progress: Progress<'_>,
) -> Result<Vec<Head>, Error> {
    let here = here(question);
    let series = match stated {
        Some(series) => series,
        None => {
            let mut all = spoken_of(question, run, progress)?;
            for column in question.columns {
                let (major, minor) = column.target.interpreter.series();
                all.insert(Series { major, minor });
            }
            all.extend(here.iter().map(|(series, _)| *series));
            all.into_iter().rev().collect()
        }
    };
    let found = |series: &Series| {
        here.iter()
            .find(|(s, _)| s == series)
            .map(|(_, found)| found.clone())
    };
    Ok(series
        .into_iter()
        .map(|series| Head {
            here: found(&series),
            series,
        })
        .collect())
}

/// Interpreters that are here, one per series, plain ones before those of environments.
fn here(question: &Question<'_>) -> Vec<(Series, Found)> {
    let surroundings = question.surroundings;
    let (mut all, _) = surroundings.finder().all(&surroundings.probes());
    all.retain(|f| f.facts.implementation == "cpython" && !f.facts.free_threaded);
    all.sort_by_key(|f| f.facts.in_environment());
    let mut found: Vec<(Series, Found)> = Vec::new();
    for one in all {
        let Ok(interpreter) = one.facts.interpreter() else {
            continue;
        };
        let (major, minor) = interpreter.series();
        let series = Series { major, minor };
        if !found.iter().any(|(s, _)| *s == series) {
            found.push((series, one));
        }
    }
    found
}

/// The series that count for the files of all projects which are asked for, or come in with the
/// targets as they are.
fn spoken_of(
    question: &Question<'_>,
    run: &Run,
    progress: Progress<'_>,
) -> Result<BTreeSet<Series>, Error> {
    let problems: Vec<_> = question
        .columns
        .iter()
        .map(|c| question.on(c.target.clone()))
        .collect();
    let mut names: BTreeSet<Name> = question
        .asks
        .asks
        .iter()
        .map(|a| a.requirement.name.clone())
        .collect();
    for end in run.each(&problems, progress)? {
        if let End::Settled(solution) = end {
            names.extend(solution.chosen.iter().map(|c| c.project.clone()));
        }
    }
    let pages = names.iter().filter_map(|name| run.page_of(name));
    let spoken: BTreeSet<Series> = pages.flat_map(|page| mentioned(&page)).collect();
    let Some(oldest) = spoken.first() else {
        return Ok(spoken);
    };
    // From the oldest on every series that is known: a bound such as <3.10 means the one before it,
    // and one without an upper bound the newest of all.
    let known =
        knowledge::series_of(Implementation::Cpython.name()).filter_map(|s| series(&s.version));
    Ok(known
        .filter(|s| oldest <= s)
        .chain(spoken.iter().copied())
        .collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("3.8..3.11", "3.11 3.10 3.9 3.8")]
    #[case("3.9, 3.12,3.9", "3.12 3.9")]
    #[case("3.13,3.8..3.9", "3.13 3.9 3.8")]
    fn ranges_are_read(#[case] text: &str, #[case] expected: &str) {
        let told: Vec<String> = parse(text)
            .unwrap()
            .series
            .iter()
            .map(ToString::to_string)
            .collect();
        assert_eq!(told.join(" "), expected);
    }

    #[test]
    fn a_range_holds_what_exists() {
        let newest = newest_known(3).unwrap();
        let past = Series {
            minor: newest.minor + 2,
            ..newest
        };
        let stated = parse(&format!("3.12..{past}")).unwrap();
        assert_eq!(stated.series.first(), Some(&newest));
        assert_eq!(stated.unknown.len(), 2);
        // By itself it is looked at.
        assert_eq!(parse(&past.to_string()).unwrap().series, [past]);
    }

    #[rstest]
    #[case("3.11..3.8", "no range")]
    #[case("2.7..3.8", "no range")]
    #[case("three", "not a version")]
    #[case("3.60..3.70", "exists")]
    #[case("3.8..", "not a version")]
    #[case("3.8..3.9999999999999999999999", "not a version")]
    fn bad_ranges_are_refused(#[case] text: &str, #[case] part: &str) {
        assert!(parse(text).unwrap_err().message.contains(part));
    }
}
