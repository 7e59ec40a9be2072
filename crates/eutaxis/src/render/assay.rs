//! What wheels need, as text: a verdict per file, what bars it, what of its promises is broken,
//! what it needs from outside.

use eutaxis_core::assay::{Needs, Remark};
use eutaxis_core::fault::escaped;

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::assay::{Bar, Verdict, Word};
use crate::plan::Chosen;
use crate::words::{count, near, size};

/// So many remarks of one kind are told of a file; -v tells all.
const MOST: usize = 6;

pub(crate) fn text(
    verdicts: &[Verdict],
    chosen: &Chosen,
    looked_here: bool,
    verbose: bool,
) -> String {
    let width = width();
    let fitting = verdicts.iter().filter(|v| v.word == Word::Fits).count();
    let answer = match (verdicts, fitting) {
        ([one], _) => one.word.as_str().to_owned(),
        (all, n) if n == all.len() => format!("All {n} fit"),
        (all, n) => format!("{n} of {} fit", all.len()),
    };
    let painted = if fitting == verdicts.len() {
        style::good(&answer)
    } else {
        style::barred(&answer)
    };
    let subject = match verdicts {
        [one] => format!("{}: {answer}", near(&one.path)),
        _ => answer.clone(),
    };
    let name = chosen.target.to_string();
    let on = if chosen.shown == name {
        name
    } else {
        format!("{} ({name})", chosen.shown)
    };
    let gaps = verdicts
        .iter()
        .filter(|v| v.beside.as_ref().is_some_and(|g| !g.is_empty()));
    let gaps = gaps.count();
    let kept = match verdicts {
        _ if gaps > 0 => {
            let which = match verdicts.len() {
                1 => "it does not import".to_owned(),
                _ => format!("{gaps} do not import"),
            };
            format!("; beside the pins {which}")
        }
        [one] if one.word == Word::Fits && !one.broken.is_empty() => {
            let are = if one.broken.len() == 1 { "is" } else { "are" };
            format!(
                "; {} of its name {are} broken",
                count(one.broken.len(), "promise")
            )
        }
        _ => String::new(),
    };
    let line = format!("{subject} on {on}{kept}");
    // Only the verdict is painted, not what its name may hold of it.
    let lines = wrap(&line, width).join("\n");
    let mut text = match lines.rfind(&answer) {
        Some(at) => format!("{}{painted}{}\n", &lines[..at], &lines[at + answer.len()..]),
        None => format!("{lines}\n"),
    };
    for verdict in verdicts {
        if verdicts.len() > 1 {
            several(verdict, width, verbose, &mut text);
        }
        if verdicts.len() == 1 || verbose {
            text.push('\n');
            one(verdict, width, verbose, &mut text);
        }
    }
    if !looked_here {
        let told = "libraries from outside were not looked for: this target is only described";
        text.push_str(&style::dim_lines(&format!(
            "\n{}\n",
            wrap(told, width).join("\n")
        )));
    }
    text
}

/// A file among several: its verdict, its name, and what decides.
fn several(verdict: &Verdict, width: usize, verbose: bool, text: &mut String) {
    let word = format!("{:<10}", verdict.word.as_str());
    let painted = if verdict.word == Word::Fits {
        style::good(&word)
    } else {
        style::barred(&word)
    };
    let name = verdict
        .path
        .file_name()
        .map_or_else(|| near(&verdict.path), |n| n.to_string_lossy().into_owned());
    text.push_str(&format!("\n{painted}  {}\n", escaped(&name)));
    let bars = barred(&verdict.bars);
    let told = if bars.is_empty() {
        broken(&verdict.broken)
    } else {
        bars
    };
    // With all of it below, what decides is not said twice.
    for line in told.into_iter().take(if verbose { 0 } else { 2 }) {
        wrap(&line, width.saturating_sub(12))
            .iter()
            .for_each(|l| text.push_str(&format!("{}{l}\n", " ".repeat(12))));
    }
}

fn one(verdict: &Verdict, width: usize, verbose: bool, text: &mut String) {
    let bars = barred(&verdict.bars);
    remarks("barred", style::barred, &bars, width, verbose, text);
    // What bars it is not told once more as a promise.
    let bars = |r: &Remark| {
        let mut bars = verdict.bars.iter();
        bars.any(|b| matches!(b, Bar::Judged(judged) if judged == r))
    };
    let others = verdict.broken.iter().filter(|r| !bars(r));
    remarks("broken", style::care, &broken(others), width, verbose, text);
    if verdict.word == Word::Unreadable {
        return;
    }
    let compiled = if verdict.needs.is_empty() {
        "nothing compiled".to_owned()
    } else {
        format!("{} compiled", verdict.needs.len())
    };
    let record = if verdict.record.is_empty() {
        "RECORD and hashes agree"
    } else {
        "RECORD does not agree"
    };
    let line = format!(
        "{}, {} unpacked, {compiled}; {record}",
        count(verdict.files, "file"),
        size(verdict.unpacked)
    );
    text.push_str(&labelled("holds ", &style::dim("holds "), &line, width));
    let inside = &verdict.inside;
    for (label, names) in [
        ("module", &inside.modules),
        ("script", &inside.scripts),
        ("needs ", &inside.requires),
    ] {
        if !names.is_empty() {
            let line = escaped(&some(names, verbose));
            text.push_str(&labelled(label, &style::dim(label), &line, width));
        }
    }
    for code in &verdict.code {
        let more = if code.is_whole {
            ""
        } else {
            ", and more that is packed"
        };
        let line = format!("code of {} {code}{more}", code.family.name);
        text.push_str(&labelled("device", &style::dim("device"), &line, width));
    }
    if let Some(platform) = verdict.local_platform() {
        let line = format!(
            "{platform} is the tag of a local build: it fits machines of this kind by name, and \
                promises nothing of their C library"
        );
        text.push_str(&labelled("local ", &style::care("local "), &line, width));
    }
    match verdict.beside.as_deref() {
        None => {}
        Some([]) => {
            let line = "what importing it is sure to take is there (read)";
            text.push_str(&labelled("beside", &style::good("beside"), line, width));
        }
        Some(gaps) => {
            for gap in gaps {
                let line = format!("{} (read)", escaped(gap));
                text.push_str(&labelled("beside", &style::barred("beside"), &line, width));
            }
        }
    }
    if !verdict.needs.is_empty() {
        text.push('\n');
        text.push_str(&needs(&verdict.needs, width, verbose));
    }
}

/// The first of many names; with -v all.
fn some(names: &[String], verbose: bool) -> String {
    let most = if verbose { names.len() } else { 2 * MOST };
    let shown: Vec<&str> = names.iter().take(most).map(String::as_str).collect();
    match names.len().saturating_sub(most) {
        0 => shown.join(", "),
        more => format!("{} and {more} more (-v)", shown.join(", ")),
    }
}

fn barred(bars: &[Bar]) -> Vec<String> {
    let line = |b: &Bar| format!("{}: {}", b.kind(), escaped(&b.detail()));
    bars.iter().map(line).collect()
}

fn broken<'a>(remarks: impl IntoIterator<Item = &'a Remark>) -> Vec<String> {
    let line = |r: &Remark| format!("{}: {}", r.kind().as_str(), escaped(&r.to_string()));
    remarks.into_iter().map(line).collect()
}

fn remarks(
    label: &str,
    paint: fn(&str) -> String,
    lines: &[String],
    width: usize,
    verbose: bool,
    text: &mut String,
) {
    let most = if verbose { lines.len() } else { MOST };
    for line in lines.iter().take(most) {
        text.push_str(&labelled(label, &paint(label), line, width));
    }
    if lines.len() > most {
        let line = format!("{} more (-v shows them)", lines.len() - most);
        text.push_str(&labelled(label, &paint(label), &line, width));
    }
}

/// What compiled files need; files with equal needs share a row.
fn needs(all: &[Needs], width: usize, verbose: bool) -> String {
    let mut table = Table::new(&[
        "compiled file",
        "for",
        "lowest",
        "Python",
        "needs from outside",
    ]);
    let mut rows: Vec<(Vec<&Needs>, [String; 4])> = Vec::new();
    let dash = |text: &Option<String>| text.clone().unwrap_or_else(|| "-".to_owned());
    for one in all {
        let outside: Vec<String> = one
            .needs
            .iter()
            .map(|n| {
                if one.absent.contains(n) {
                    format!("{n} (absent)")
                } else {
                    n.clone()
                }
            })
            .chain(one.accelerator.clone())
            .collect();
        let outside = if outside.is_empty() {
            "nothing".to_owned()
        } else {
            outside.join(", ")
        };
        let arch = if one.arch.is_empty() {
            "unreadable".to_owned()
        } else {
            one.arch.clone()
        };
        let cells = [arch, dash(&one.libc_floor), dash(&one.python_abi), outside];
        match rows
            .iter_mut()
            .find(|(_, other)| !verbose && *other == cells)
        {
            Some((files, _)) => files.push(one),
            None => rows.push((vec![one], cells)),
        }
    }
    for (files, [arch, floor, python, outside]) in rows {
        let first = files.first().map_or(String::new(), |n| {
            shortened(&escaped(&n.path), width * 2 / 5)
        });
        let name = if files.len() > 1 {
            format!("{first} and {} more", files.len() - 1)
        } else {
            first
        };
        table.row([name, arch, floor, python, outside]);
    }
    table.text(width)
}

/// A long path without its middle: its start tells the project, its end the form.
fn shortened(path: &str, most: usize) -> String {
    let count = path.chars().count();
    if count <= most {
        return path.to_owned();
    }
    let half = most.saturating_sub(3) / 2;
    let start: String = path.chars().take(most.saturating_sub(3) - half).collect();
    let end: String = path.chars().skip(count - half).collect();
    format!("{start}...{end}")
}
