//! What `diagnose` found, as text: the root cause first, the line that shows it, why, and what to
//! do.

use eutaxis_core::diagnose::{Aside, Ended};
use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::escaped;
use eutaxis_core::remedy::{Remedy, Step};

use super::table::{continued, wrap};
use super::{style, width};
use crate::answer::diagnose::{Found, LogOf, Report};
use crate::words::count;

/// So many causes beside the root are told.
const MOST_OTHERS: usize = 5;
/// Where the words begin.
const INDENT: usize = 12;

pub(crate) fn text(report: &Report, verbose: bool) -> String {
    let width = width();
    let mut text = match report.found.as_slice() {
        [] => nothing(report, width),
        [root, others @ ..] => {
            let mut text = root_cause(root, report.of.as_ref(), width);
            let shown = if verbose { others.len() } else { MOST_OTHERS };
            for other in others.iter().take(shown) {
                text.push_str(&other_cause(other, root, width));
            }
            if let Some(more) = others.len().checked_sub(shown).filter(|n| *n > 0) {
                let more = format!("and {more} more (-v)");
                text.push_str(&format!(
                    "\n{}",
                    style::dim_lines(&lines(&wrap(&more, width)))
                ));
            }
            text
        }
    };
    text.push_str(&asides(report, width, verbose));
    for note in &report.notes {
        text.push_str(&format!(
            "\n{}",
            style::dim_lines(&lines(&wrap(&escaped(note), width)))
        ));
    }
    if let Some(file) = &report.written {
        text.push_str(&format!("\nwrote {}\n", file.display()));
    }
    text
}

fn lines(of: &[String]) -> String {
    of.iter().map(|line| format!("{line}\n")).collect()
}

/// A word in the margin, and text beside it.
fn beside(word: &str, painted: &str, text: &str, width: usize) -> String {
    let room = width.saturating_sub(INDENT).max(1);
    let wrapped: Vec<String> = wrap(&escaped(text), room)
        .iter()
        .flat_map(|line| broken(line, room))
        .collect();
    let lead = |i: usize| {
        if i == 0 {
            // A word that needs all of the room, as the number of a line in a long log may.
            format!(
                "{painted}{}",
                " ".repeat(INDENT.saturating_sub(word.len()).max(1))
            )
        } else {
            " ".repeat(INDENT)
        }
    };
    wrapped
        .iter()
        .enumerate()
        .map(|(i, line)| format!("{}{line}\n", lead(i)).replace(" \n", "\n"))
        .collect()
}

/// A line in pieces of so many characters: a path may be longer than any line.
fn broken(line: &str, room: usize) -> Vec<String> {
    let all: Vec<char> = line.chars().collect();
    all.chunks(room)
        .map(|piece| piece.iter().collect())
        .collect()
}

fn root_cause(found: &Found, of: Option<&LogOf>, width: usize) -> String {
    let title = format!("Root cause: {}.", escaped(&found.told.title));
    let head = wrap(&title, width).join("\n");
    let mut text = format!(
        "{}\n\n",
        head.replacen("Root cause", &style::barred("Root cause"), 1)
    );
    let number = format!("line {}", found.cause.line);
    text.push_str(&beside(
        &number,
        &style::dim(&number),
        &found.cause.excerpt,
        width,
    ));
    text.push_str(&of.map_or(String::new(), |of| log_of(of, width)));
    text.push_str(&beside(
        "because",
        "because",
        &found.told.explanation,
        width,
    ));
    for (i, fact) in found.checked.iter().enumerate() {
        let word = if i == 0 { "checked" } else { "" };
        text.push_str(&beside(word, word, fact, width));
    }
    if let Some(doubt) = doubt(found) {
        text.push_str(&beside("sure?", &style::care("sure?"), doubt, width));
    }
    text.push_str(&remedies(&found.told.remedies, width));
    let vain = &found.told.would_not_help;
    if !vain.is_empty() {
        text.push('\n');
        text.push_str(&style::dim_lines(&lines(&wrap(
            &escaped(&format!("would not help: {}", vain.join("; "))),
            width,
        ))));
    }
    text
}

/// Where the log was written.
fn log_of(of: &LogOf, width: usize) -> String {
    let mut told = of.words.clone();
    if let Some(why) = &of.elsewhere {
        told.push_str(&format!(", on another machine: {why}"));
    }
    if !of.assumed.is_empty() {
        told.push_str(&format!(
            "; not told, and taken to be: {} (--target says better)",
            of.assumed.join(", ")
        ));
    }
    beside("log of", "log of", &told, width)
}

fn doubt(found: &Found) -> Option<&'static str> {
    use eutaxis_core::knowledge::Confidence;
    match found.cause.confidence {
        Confidence::High => None,
        Confidence::Medium => Some("usually; the words of the log leave room for another cause"),
        Confidence::Low => Some("a guess: the line alone does not decide it"),
    }
}

fn remedies(remedies: &[Remedy], width: usize) -> String {
    let mut text = String::new();
    for (i, remedy) in remedies.iter().enumerate() {
        let rests = remedy.evidence.map_or(String::new(), |e| format!("({e})"));
        let rests_after = remedy
            .evidence
            .map_or(String::new(), |_| format!("  {rests}"));
        let is_verified = remedy.evidence.is_some_and(Evidence::is_verified);
        let word = match i {
            0 if is_verified => "fix",
            0 => "try",
            _ => "",
        };
        let body = format!("{}  {}{rests_after}", i + 1, remedy.words);
        let wrapped = wrap(&escaped(&body), width.saturating_sub(INDENT));
        for (n, line) in wrapped.iter().enumerate() {
            let lead = if n == 0 && !word.is_empty() {
                format!("{}{}", style::care(word), " ".repeat(INDENT - word.len()))
            } else {
                " ".repeat(INDENT)
            };
            let more = if n > 0 { "   " } else { "" };
            let line = if is_verified {
                line.replace(&rests, &style::good(&rests))
            } else {
                line.clone()
            };
            text.push_str(&format!("{}\n", format!("{lead}{more}{line}").trim_end()));
        }
        for line in remedy
            .step
            .iter()
            .flat_map(|s| command(s, width.saturating_sub(INDENT + 3)))
        {
            text.push_str(&format!(
                "{}{}\n",
                " ".repeat(INDENT + 3),
                style::strong(&line)
            ));
        }
    }
    text
}

/// A command on lines of its own, as a shell takes them.
fn command(step: &Step, width: usize) -> Vec<String> {
    crate::words::steps::typed(step)
        .split_inclusive(" && ")
        .flat_map(|part| continued(&escaped(part.trim_end()), width))
        .collect()
}

/// Beside the root: the cause, its line, and the first thing to do.
fn other_cause(found: &Found, root: &Found, width: usize) -> String {
    // Several machines may write into one log.
    let of = found
        .cause
        .origin
        .words()
        .filter(|of| Some(of) != root.cause.origin.words().as_ref());
    let of = of.map_or(String::new(), |of| format!(" ({of})"));
    let title = format!("line {}: {}{of}", found.cause.line, found.told.title);
    let mut text = format!("\n{}", beside("also", &style::care("also"), &title, width));
    if let Some(first) = found.told.remedies.first() {
        let rests = first.evidence.map_or(String::new(), |e| format!("  ({e})"));
        let words = format!("{}{rests}", first.words);
        text.push_str(&beside("", "", &words, width));
        for line in first
            .step
            .iter()
            .flat_map(|s| command(s, width.saturating_sub(INDENT)))
        {
            text.push_str(&format!("{}{line}\n", " ".repeat(INDENT)));
        }
    }
    text
}

/// What is no cause of its own, shortly.
fn asides(report: &Report, width: usize, verbose: bool) -> String {
    let mut parts = Vec::new();
    let told = |all: &[Aside], what: &str| {
        let all: Vec<String> = all
            .iter()
            .map(|a| format!("{} (line {})", a.id, a.line))
            .collect();
        (!all.is_empty()).then(|| format!("{what}: {}", all.join(", ")))
    };
    parts.extend(told(&report.diagnosis.overcome, "overcome"));
    parts.extend(told(&report.diagnosis.consequences, "goes away with it"));
    if verbose {
        parts.extend(told(&report.diagnosis.guessed, "perhaps"));
    }
    let mut text = if parts.is_empty() {
        String::new()
    } else {
        "\n".to_owned()
    };
    for part in parts {
        text.push_str(&style::dim_lines(&lines(&wrap(&escaped(&part), width))));
    }
    text
}

/// No cause: the log ends well, or nothing that is known explains it.
fn nothing(report: &Report, width: usize) -> String {
    let read = count(
        usize::try_from(report.diagnosis.lines).unwrap_or(usize::MAX),
        "line",
    );
    if report.diagnosis.lines == 0 {
        return "Nothing is broken: the log is empty\n".to_owned();
    }
    match report.diagnosis.ended {
        Ended::Well => {
            let line = format!("Nothing is broken: the log ends well ({read})");
            format!("{}\n", style::good(&line))
        }
        ended @ (Ended::Badly | Ended::Unknown) => {
            let how = if let Ended::Badly = ended {
                "It ends badly"
            } else {
                "It does not say how it ended"
            };
            let mut text = format!(
                "{}\n",
                style::care(&format!("No cause that is known was seen in {read}"))
            );
            text.push_str(&lines(&wrap(&format!("{how}; its last lines:"), width)));
            for line in &report.diagnosis.last {
                text.push_str(&format!("    {}\n", escaped(line)));
            }
            let help = "What you find out can be written down as a sign of your own \
                (docs/diagnose.md, \"Files of your own\").";
            text.push_str(&lines(&wrap(help, width)));
            text
        }
    }
}
