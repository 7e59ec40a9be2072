//! What `furnish` did, as text.

use std::path::Path;

use eutaxis_core::fault::escaped;
use eutaxis_core::record::Since;
use eutaxis_world::environment::{Holder, Report};

use super::table::{Table, continued, labelled, wrap};
use super::{style, width};
use crate::answer::furnish::{Checked, Done, Judged, Refused};
use crate::words::{count, near, size};

/// Several environments: each as if it were alone, and what they came to together.
pub(crate) fn several(all: &[Done], verbose: bool) -> String {
    let sum = |of: fn(&Report) -> u64| all.iter().map(|d| of(&d.report)).sum::<u64>();
    let (added, shared) = (sum(|r| r.bytes.added), sum(|r| r.bytes.shared));
    let mut table = Table::new(&[
        "environment",
        "interpreter",
        "projects",
        "added to the disk",
        "shared",
    ]);
    for Done { report, python, .. } in all {
        let projects = report.placed.len() + report.replaced.len() + report.kept.len();
        table.row([
            near(&report.environment),
            python.clone(),
            projects.to_string(),
            size(report.bytes.added),
            size(report.bytes.shared),
        ]);
    }
    let head = format!("{} in order:", count(all.len(), "environment"));
    let line = format!(
        "{head} {} added to the disk in all, {} shared",
        size(added),
        size(shared)
    );
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width())
            .join("\n")
            .replacen(&head, &style::good(&head), 1)
    );
    text.push_str(&table.text(width()));
    for one in all {
        text.push_str(&format!("\n{}", self::text(one, verbose)));
    }
    text
}

/// What importing runs into, before everything else.
fn cautions(judged: &Judged, width: usize) -> String {
    let mut text = String::new();
    for failure in &judged.failures {
        let line = format!(
            "importing what is asked for will fail: {}",
            escaped(failure)
        );
        text.push_str(&labelled("caution", &style::care("caution"), &line, width));
    }
    text
}

/// What the set rests on, when that is more than what was read on the way.
fn proof(judged: &Judged) -> Option<String> {
    let tried = judged
        .tried
        .as_ref()
        .filter(|_| judged.failures.is_empty())?;
    Some(super::proof::ran(tried, judged.followed))
}

/// What to do about what importing runs into, where something may.
fn again(judged: &Judged, width: usize) -> String {
    let Some(again) = &judged.again else {
        return String::new();
    };
    let words = "settle once more, and let what fails be learnt:";
    let mut text = labelled("try", &style::care("try"), words, width);
    for line in continued(&escaped(again), width.saturating_sub(6)) {
        text.push_str(&format!("      {line}\n"));
    }
    text
}

/// That a set was not placed.
pub(crate) fn refused(at: &Path, judged: &Judged, before: &[String]) -> String {
    let width = width();
    let place = near(at);
    let head = "Not placed";
    let why = match judged.refused {
        Some(Refused::WouldBreak) => {
            format!("{place} imports what it holds, and would no longer do so")
        }
        Some(Refused::Unproven) | None => format!("{place} is as it was"),
    };
    let line = format!("{head}: {why}");
    let mut text = wrap(&line, width)
        .join("\n")
        .replacen(head, &style::barred(head), 1);
    text.push_str("\n\n");
    let evidence = judged.level;
    for failure in &judged.failures {
        let line = format!("{} ({evidence})", escaped(failure));
        text.push_str(&labelled("failed", &style::barred("failed"), &line, width));
    }
    text.push('\n');
    text.push_str(&again(judged, width));
    let words = "place it all the same: the same command with --anyway";
    text.push_str(&labelled("try", &style::care("try"), words, width));
    if !before.is_empty() {
        text.push_str(&format!("\nin order before that: {}\n", before.join(", ")));
    }
    text
}

pub(crate) fn text(done: &Done, verbose: bool) -> String {
    let Done {
        report,
        python,
        judged,
        kernel,
        ..
    } = done;
    let width = width();
    let place = near(&report.environment);
    let mut text = stale(&done.since, &done.settle, width);
    text.push_str(&cautions(judged, width));
    text.push_str(&format!("{}\n", headline(report, &place, python)));
    if let Some(line) = proof(judged) {
        text.push_str(&labelled("proof", &style::good("proof"), &line, width));
    }
    for part in &judged.scripts {
        let line = escaped(part);
        text.push_str(&labelled("caution", &style::care("caution"), &line, width));
    }
    text.push_str(&again(judged, width));
    let left = super::proof::left(judged.tried.as_ref());
    if let Some(line) = super::proof::apart(&judged.apart, left) {
        text.push_str(&labelled(
            "note",
            &style::dim("note"),
            &escaped(&line),
            width,
        ));
    }
    let mut table = Table::new(&["", "", ""]);
    for (name, version, file) in &report.placed {
        table.row(["  placed".into(), format!("{name} {version}"), file.clone()]);
    }
    for moved in &report.replaced {
        let what = format!("{} {}", moved.name, moved.before);
        table.row([
            "  replaced".into(),
            what,
            format!("now {} from {}", moved.after, moved.file),
        ]);
    }
    for (name, version) in &report.removed {
        table.row([
            "  removed".into(),
            format!("{name} {version}"),
            String::new(),
        ]);
    }
    let list = table.text(width);
    if !list.is_empty() {
        text.push_str(&format!("\n{list}"));
    }
    if verbose {
        for name in &report.kept {
            text.push_str(&format!("  kept      {name}\n"));
        }
    }
    if !report.unpinned.is_empty() {
        let names: Vec<String> = report
            .unpinned
            .iter()
            .map(|(n, v)| format!("{n} {v}"))
            .collect();
        let words = format!(
            "in no pins, and left as they are: {}. --tidy removes them.",
            names.join(", ")
        );
        text.push('\n');
        text.push_str(&labelled("caution", &style::care("caution"), &words, width));
    }
    for holder in &report.holders {
        text.push('\n');
        text.push_str(&labelled(
            "caution",
            &style::care("caution"),
            &held(holder),
            width,
        ));
    }
    let bytes = report.bytes;
    text.push_str(&style::dim(&format!(
        "\n{} read from depots, {} added to the disk, {} shared with the store; {:.2} s\n",
        size(bytes.fetched),
        size(bytes.added),
        size(bytes.shared),
        report.seconds
    )));
    if let Some(kernel) = kernel {
        let file = crate::words::near(&kernel.file);
        text.push_str(&format!("notebooks start it by {file}\n"));
        if let Some(project) = &kernel.lacks {
            let words = format!(
                "{project} is not placed, which a kernel runs as: \
                 eutaxis settle --and {project}, then eutaxis furnish"
            );
            text.push_str(&labelled("caution", &style::care("caution"), &words, width));
        }
    }
    text.push_str(&format!(
        "enter it:  {}\n",
        crate::words::enter::line(Path::new(&place))
    ));
    text
}

/// That a process still runs with what was there before.
fn held(holder: &Holder) -> String {
    const MOST: usize = 60;
    let command: String = escaped(&holder.command).chars().take(MOST).collect();
    let what = match holder.holds.as_slice() {
        [] => "runs from before the change".to_owned(),
        holds => format!("still holds the old {}", escaped(&holds.join(", "))),
    };
    format!("process {} ({command}) {what}: start it anew.", holder.pid)
}

/// That the files of the question say something else by now.
fn stale(since: &Since, settle: &str, width: usize) -> String {
    let Some(told) = crate::words::since(since) else {
        return String::new();
    };
    let line = format!("the pins are older than what is asked: {}.", escaped(&told));
    let mut text = labelled("caution", &style::care("caution"), &line, width);
    text.push_str(&labelled(
        "try",
        &style::care("try"),
        &format!("settle again:  {settle}"),
        width,
    ));
    text
}

/// Whether environments are as pinned, and pins as asked.
pub(crate) fn checked(all: &[Checked]) -> String {
    let width = width();
    let mut text = String::new();
    for one in all {
        let place = near(&one.report.environment);
        let report = &one.report;
        let line = match (one.is_as_pinned(), report.made) {
            (true, _) => format!(
                "{} {place} holds {} as pinned",
                style::good("In order:"),
                count(report.kept.len(), "project")
            ),
            (false, true) => format!("{} {place} is not made yet", style::barred("No:")),
            (false, false) => format!(
                "{} {place} is not as pinned: {} to place, {} to replace, {} to remove",
                style::barred("No:"),
                report.placed.len(),
                report.replaced.len(),
                report.removed.len()
            ),
        };
        text.push_str(&format!("{line}\n"));
        let mut table = Table::new(&["", "", ""]);
        let placed = report.placed.iter().filter(|_| !report.made);
        for (name, version, _) in placed {
            table.row([
                "  absent".into(),
                format!("{name} {version}"),
                String::new(),
            ]);
        }
        for moved in &report.replaced {
            let what = format!("{} {}", moved.name, moved.before);
            table.row(["  other".into(), what, format!("pinned is {}", moved.after)]);
        }
        for (name, version) in &report.removed {
            table.row([
                "  not pinned".into(),
                format!("{name} {version}"),
                String::new(),
            ]);
        }
        text.push_str(&table.text(width));
        if !one.is_as_pinned() {
            let words = format!("bring it to the pins:  {}", one.furnish);
            text.push_str(&labelled("try", &style::care("try"), &words, width));
        }
        text.push_str(&stale(&one.since, &one.settle, width));
    }
    text
}

fn headline(report: &Report, place: &str, python: &str) -> String {
    let total = report.placed.len() + report.replaced.len() + report.kept.len();
    if report.made {
        return format!(
            "{} {place} with {python}, {}",
            style::good("Made"),
            count(total, "project")
        );
    }
    if report.placed.is_empty() && report.replaced.is_empty() && report.removed.is_empty() {
        return format!(
            "{} {place} holds {} as pinned; nothing was changed",
            style::good("In order:"),
            count(total, "project")
        );
    }
    let [placed, replaced, removed, kept] = [
        report.placed.len(),
        report.replaced.len(),
        report.removed.len(),
        report.kept.len(),
    ];
    let head = style::good("Brought up to the pins:");
    format!(
        "{head} {place} ({python}): {placed} placed, {replaced} replaced, {removed} removed, \
            {kept} kept"
    )
}
