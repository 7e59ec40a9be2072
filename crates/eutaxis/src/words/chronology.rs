//! What dates had a part in, in words: what is held back, and which strong facts had to be let go.

use eutaxis_core::Version;
use eutaxis_core::solve::{Doubt, DoubtKind, HeldBack, Out, OwnTime, Solution};
use jiff::{SignedDuration, Timestamp};

use super::day;

/// So many of a kind are named; the rest is counted.
const MOST_NAMED: usize = 4;
/// What is so much older than the newest that would do is counted.
const MUCH_OLDER: SignedDuration = SignedDuration::from_hours(2 * 365 * 24);

/// Year and month.
pub(crate) fn month(at: Timestamp) -> String {
    day(at).chars().take(7).collect()
}

fn dated(at: Option<Timestamp>) -> String {
    at.map_or(String::new(), |t| format!(" ({})", month(t)))
}

/// A held ask with its date.
pub(crate) fn asked(solution: &Solution, time: &OwnTime) -> String {
    match solution.chosen.iter().find(|c| c.project == time.of) {
        Some(chosen) => format!("{} {}{}", time.of, chosen.version, dated(chosen.appeared())),
        None => time.of.to_string(),
    }
}

/// A strong fact with its dates.
pub(crate) fn doubt(doubt: &Doubt) -> String {
    let Doubt {
        project,
        version,
        other,
        published,
        began,
        ..
    } = doubt;
    let (then, since) = (dated(*published), dated(*began));
    match &doubt.kind {
        DoubtKind::Interpreter { series, classified } => {
            let stop = classified
                .as_ref()
                .map_or(String::new(), |c| format!(", its classifiers stop at {c}"));
            format!("{project} {version}{then} is years older than {series}{since}{stop}")
        }
        DoubtKind::Series { series } => {
            format!(
                "{project} {version}{then} is of before {other} {series}{since} and sets no upper \
                    bound"
            )
        }
        DoubtKind::Compiled { series } => {
            format!(
                "{project} {version}{then} was compiled before {other} {series}{since} existed and \
                    sets no upper bound"
            )
        }
        DoubtKind::Learnt { by, bound } => {
            format!("{project} {version}{then} sets no bound, {by}{since} needs {bound}")
        }
    }
}

/// What a reader should see before the table: a label and a line for each; with `all` everything by
/// its name.
pub(crate) fn first_lines(solution: &Solution, all: bool) -> Vec<(&'static str, String)> {
    let most = if all { usize::MAX } else { MOST_NAMED };
    let mut lines: Vec<(&'static str, String)> = Vec::new();
    let mut times: Vec<(&eutaxis_core::Name, &Version, Timestamp)> = Vec::new();
    for held in &solution.held_back {
        if let Out::Late(name, version, first) = &held.because
            && !times.iter().any(|(n, ..)| *n == name)
        {
            times.push((name, version, *first));
        }
    }
    for (name, version, first) in times {
        let of_it: Vec<&HeldBack> = solution
            .held_back
            .iter()
            .filter(|h| matches!(&h.because, Out::Late(n, ..) if n == name))
            .collect();
        let old = of_it.iter().filter(|h| is_much_older(h)).count();
        let old = match old {
            0 => String::new(),
            n => format!(" ({n} of them more than two years older than the newest)"),
        };
        let line = format!(
            "{} to the time of {name} {version} ({}): {}{old}; newest: \
                --chronology\u{a0}caution\u{a0}--renew",
            of_it.len(),
            month(first),
            named(&of_it, most)
        );
        lines.push(("held back", line));
    }
    let doubted: Vec<(&HeldBack, &Doubt)> = solution
        .held_back
        .iter()
        .filter_map(|h| {
            if let Out::Doubted(doubt) = &h.because {
                Some((h, doubt))
            } else {
                None
            }
        })
        .collect();
    for (held, why) in doubted.iter().take(most) {
        let line = format!(
            "{} {}: {} (--chronology\u{a0}caution\u{a0}--renew takes {})",
            held.project,
            held.version,
            doubt(why),
            held.instead_of
        );
        lines.push(("held back", line));
    }
    if doubted.len() > most {
        let rest: Vec<&HeldBack> = doubted.iter().skip(most).map(|(held, _)| *held).collect();
        lines.push((
            "held back",
            format!(
                "{} more by strong facts: {} (-v tells why)",
                rest.len(),
                named(&rest, most)
            ),
        ));
    }
    for gone in solution.let_go.iter().take(most) {
        lines.push((
            "let go",
            format!(
                "{}: no set of releases that heeds it was found, so it may fail",
                doubt(gone)
            ),
        ));
    }
    if solution.let_go.len() > most {
        lines.push((
            "let go",
            format!(
                "{} more strong facts (-v names them)",
                solution.let_go.len() - most
            ),
        ));
    }
    let prereleases: Vec<String> = solution
        .chosen
        .iter()
        .filter(|c| c.version.is_prerelease())
        .map(|c| format!("{} {}", c.project, c.version))
        .collect();
    if !prereleases.is_empty() {
        lines.push(("pre-release", prereleases.join(", ")));
    }
    lines
}

fn is_much_older(held: &HeldBack) -> bool {
    held.published
        .zip(held.newer_published)
        .is_some_and(|(mine, newer)| newer.duration_since(mine) > MUCH_OLDER)
}

fn named(held: &[&HeldBack], most: usize) -> String {
    let mut words: Vec<String> = held
        .iter()
        .take(most)
        .map(|h| format!("{} {}", h.project, h.version))
        .collect();
    if held.len() > most {
        words.push(format!("and {} more", held.len() - most));
    }
    words.join(", ")
}

/// What keeps a release back, where dates do.
pub(crate) fn held_back(held: &HeldBack) -> Option<String> {
    match &held.because {
        Out::Late(name, version, first) => Some(format!(
            "it came after the time of {name} {version} ({})",
            month(*first)
        )),
        Out::Doubted(fact) => Some(doubt(fact)),
        Out::Excluded(..)
        | Out::Bound(_)
        | Out::Barred(_)
        | Out::Yanked(_)
        | Out::Prerelease
        | Out::Source(_)
        | Out::Unmet(..)
        | Out::Older
        | Out::OtherToolkit(..)
        | Out::Unserved(_)
        | Out::OtherBuild => None,
    }
}
