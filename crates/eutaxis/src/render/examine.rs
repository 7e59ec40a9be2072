//! What `examine` found, as text: worst first, one line each, with what to do below.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Finding, Severity, Sight};
use eutaxis_core::fault::escaped;
use unicode_width::UnicodeWidthStr;

use super::table::{Table, continued, wrap};
use super::{style, width};
use crate::answer::examine::{
    Compared, Difference, DifferenceKind, Listed, Report, Share, kind_word,
};
use crate::words::{self, count, size};

/// Fewer columns than this are too few for a sentence beside the ids.
const NARROWEST: usize = 44;
/// The longest bar of a share.
const BAR: usize = 24;

pub(crate) fn text(report: &Report, verbose: bool) -> String {
    let width = width();
    let mut text = head(report, width);
    let counting = report
        .findings
        .iter()
        .filter(|f| verbose || f.severity != Severity::Note);
    let shown: Vec<Row<'_>> = if verbose {
        counting.map(Row::one).collect()
    } else {
        joined(counting)
    };
    let room = |of: &dyn Fn(&Row<'_>) -> usize| shown.iter().map(of).max().unwrap_or(0);
    let (ids, names) = (room(&|r| r.finding.id().len()), room(&|r| r.who().width()));
    let beside = 8 + ids + 2 + names + 2;
    // Where too little is left beside them, the words stand below.
    let below = width < beside + NARROWEST;
    let indent = if below { 8 } else { beside };
    for row in &shown {
        let finding = row.finding;
        let lead = format!(
            "{}  {:<ids$}  {}",
            severity(finding.severity),
            finding.id(),
            padded(&row.who(), names)
        );
        let mut lines = wrap(&escaped(&row.evidence()), width.saturating_sub(indent)).into_iter();
        text.push('\n');
        if below {
            text.push_str(&format!("{}\n", lead.trim_end()));
        } else {
            text.push_str(&format!("{lead}  {}\n", lines.next().unwrap_or_default()));
        }
        lines.for_each(|line| text.push_str(&format!("{}{line}\n", " ".repeat(indent))));
        text.push_str(&remedy(finding, width));
        for path in finding.paths.iter().filter(|_| verbose) {
            text.push_str(&format!(
                "{}{}\n",
                " ".repeat(8),
                style::dim(&escaped(path))
            ));
        }
    }
    let notes = report
        .findings
        .iter()
        .filter(|f| !verbose && f.severity == Severity::Note)
        .count();
    if notes > 0 {
        let line = format!(
            "{} (-v shows {})",
            count(notes, "note"),
            if notes == 1 { "it" } else { "them" }
        );
        text.push_str(&format!("\n{}\n", style::dim(&line)));
    }
    if let Some(sizes) = &report.sizes {
        text.push_str(&shares(sizes, width));
    }
    if let Some(file) = &report.written {
        text.push_str(&format!("\nwrote {}\n", file.display()));
    }
    text
}

/// What to do: in words, and the command on lines of its own, as a shell takes them.
fn remedy(finding: &Finding, width: usize) -> String {
    let is_verified = finding.remedy.evidence.is_some_and(Evidence::is_verified);
    let word = if is_verified { "fix" } else { "try" };
    let rests = finding
        .remedy
        .evidence
        .map_or(String::new(), |e| format!(" ({e})"));
    let words = format!("{}{rests}", escaped(&finding.remedy.words));
    let step = finding.remedy.step.as_ref();
    let command = step.map(|step| escaped(&words::steps::typed(step)));
    let mut lines = wrap(&words, width.saturating_sub(14));
    for part in command.iter().flat_map(|c| c.split_inclusive(" && ")) {
        lines.extend(continued(part.trim_end(), width.saturating_sub(14)));
    }
    let lead = |i: usize| {
        if i == 0 {
            format!("{}{}", style::care(word), " ".repeat(6 - word.len()))
        } else {
            " ".repeat(6)
        }
    };
    lines
        .iter()
        .enumerate()
        .map(|(i, line)| format!("{}{}{line}\n", " ".repeat(8), lead(i)))
        .collect()
}

/// From so many on, findings of one kind with one remedy share a line.
const MANY: usize = 3;

/// A line of the answer.
struct Row<'a> {
    finding: &'a Finding,
    /// The projects for which it stands, where it is the same for many.
    projects: Vec<String>,
}

impl<'a> Row<'a> {
    fn one(finding: &'a Finding) -> Self {
        Row {
            finding,
            projects: Vec::new(),
        }
    }

    /// The project with its release, or how many there are.
    fn who(&self) -> String {
        if !self.projects.is_empty() {
            return count(self.projects.len(), "project");
        }
        match (&self.finding.project, &self.finding.version) {
            (Some(project), Some(version)) => format!("{project} {version}"),
            (Some(project), None) => project.to_string(),
            (None, _) => "-".to_owned(),
        }
    }

    fn evidence(&self) -> String {
        let evidence = self.finding.evidence();
        match self.projects.as_slice() {
            [] => evidence,
            names => format!("{evidence}: {}", names.join(", ")),
        }
    }
}

/// Findings that are the same for many projects share a line, that of the first of them.
fn joined<'a>(findings: impl Iterator<Item = &'a Finding>) -> Vec<Row<'a>> {
    let all: Vec<&Finding> = findings.collect();
    let alike = |a: &Finding, b: &Finding| {
        (a.severity, &a.remedy, &a.trouble, &a.cause)
            == (b.severity, &b.remedy, &b.trouble, &b.cause)
    };
    let mut rows: Vec<Row<'a>> = Vec::new();
    for finding in &all {
        let group = || {
            all.iter()
                .filter(|f| f.project.is_some() && alike(f, finding))
        };
        if finding.project.is_none() || group().count() < MANY {
            rows.push(Row::one(finding));
            continue;
        }
        if group()
            .next()
            .is_some_and(|first| std::ptr::eq(*first, *finding))
        {
            let names = group().filter_map(|f| Some(f.project.as_ref()?.to_string()));
            rows.push(Row {
                finding,
                projects: names.collect(),
            });
        }
    }
    rows
}

fn padded(text: &str, to: usize) -> String {
    format!("{text}{}", " ".repeat(to.saturating_sub(text.width())))
}

fn severity(severity: Severity) -> String {
    let word = format!("{:<6}", severity.as_str());
    match severity {
        Severity::Breaks => style::barred(&word),
        Severity::Risk => style::care(&word),
        Severity::Note => style::dim(&word),
    }
}

/// The answer: how many of each, where, and what was looked at.
fn head(report: &Report, width: usize) -> String {
    let number = |severity: Severity| {
        report
            .findings
            .iter()
            .filter(|f| f.severity == severity)
            .count()
    };
    let (breaks, risks) = (number(Severity::Breaks), number(Severity::Risk));
    let things = |n: usize, one: &str, many: &str| {
        if n == 1 {
            format!("1 {one}")
        } else {
            format!("{n} {many}")
        }
    };
    let answer = match (breaks, risks) {
        (0, 0) => "Nothing is wrong".to_owned(),
        (0, n) => things(n, "risk", "risks"),
        (n, 0) => things(n, "thing breaks", "things break"),
        (n, m) => format!(
            "{} and {}",
            things(n, "thing breaks", "things break"),
            things(m, "is a risk", "are risks")
        ),
    };
    let painted = match (breaks, risks) {
        (0, 0) => style::good(&answer),
        (0, _) => style::care(&answer),
        _ => style::barred(&answer),
    };
    let snapshot = &report.snapshot;
    let interpreter = &snapshot.target.interpreter;
    let projects = count(snapshot.here().count(), "project");
    let place = &snapshot.name;
    let line = format!(
        "{answer} in {place} ({} with {interpreter}, {projects})",
        kind_word(snapshot.kind)
    );
    let mut text = format!(
        "{}\n",
        wrap(&line, width).join("\n").replacen(&answer, &painted, 1)
    );
    let mut looked = Vec::new();
    if let Some(pins) = &snapshot.pins {
        looked.push(format!(
            "compared with {} ({}, {})",
            pins.shown,
            count(pins.entries.len(), "pin"),
            words::proof::in_short(report.proof.as_ref())
        ));
    }
    if report.followed > 0 {
        let sources = count(report.followed, "source");
        looked.push(format!("imports followed through {sources}"));
    }
    looked.extend(
        report
            .tried
            .modules
            .map(|n| format!("imports of {} tried", count(n, "module"))),
    );
    if let Some(seen) = &report.tried.seen {
        let right = seen.iter().filter(|s| s.is_right());
        looked.extend(right.map(Sight::words));
        if seen.is_empty() {
            looked.push(
                "nothing that is placed can be asked for an accelerator: no [[check]] is known for it"
                    .to_owned(),
            );
        }
    }
    let trials = report.tried.trials.as_ref();
    looked.extend(trials.map(|t| format!("{} run", count(t.len(), "trial"))));
    for trial in trials.into_iter().flatten() {
        if let Some(awaited) = &trial.awaited
            && let [first, second] = awaited.seconds.as_slice()
        {
            looked.push(format!(
                "{} shows {} after {first:.1} s, at a second start after {second:.1} s",
                trial.name, awaited.what
            ));
        }
    }
    looked.extend(
        report
            .quick
            .then(|| "hashes of files and what they import left out".to_owned()),
    );
    if let Some(other) = &report.other {
        looked.push(format!(
            "the bare name python3 starts another interpreter: {}",
            other.display()
        ));
    }
    if !looked.is_empty() {
        text.push_str(&style::dim_lines(&format!(
            "{}\n",
            wrap(&looked.join("; "), width).join("\n")
        )));
    }
    text
}

/// What takes the room, with bars.
fn shares(sizes: &[Share], width: usize) -> String {
    let total: u64 = sizes.iter().map(|s| s.bytes).sum();
    let largest = sizes.first().map_or(1, |s| s.bytes.max(1));
    let bars = width > 70;
    let mut table = Table::new(&["project", "size", "files", "share", ""]);
    for share in sizes {
        let name = match (&share.project, &share.version) {
            (Some(project), Some(version)) => format!("{project} {version}"),
            (Some(project), None) => project.clone(),
            (None, _) => "(no project's)".to_owned(),
        };
        let percent = share
            .bytes
            .saturating_mul(100)
            .checked_div(total)
            .unwrap_or(0);
        let length =
            usize::try_from(share.bytes.saturating_mul(BAR as u64) / largest).unwrap_or(BAR);
        let bar = if bars {
            "#".repeat(length.max(usize::from(share.bytes > 0)))
        } else {
            String::new()
        };
        table.cells(vec![
            name,
            size(share.bytes),
            share.files.to_string(),
            format!("{percent} %"),
            bar,
        ]);
    }
    format!("\n{} in all\n\n{}", size(total), table.text(width))
}

/// What an environment holds.
pub(crate) fn listed(listed: &Listed) -> String {
    let head = format!(
        "{} holds {} ({})",
        listed.environment,
        count(listed.all.len(), "project"),
        listed.target
    );
    let mut table = Table::new(&["project", "release", "asked", "from"]);
    for one in &listed.all {
        let file = one
            .file
            .clone()
            .filter(|_| one.from.is_empty() || one.from == "placed by eutaxis");
        table.row([
            one.project.clone(),
            one.version.clone().unwrap_or_else(|| "-".to_owned()),
            String::from(if one.is_asked { "yes" } else { "" }),
            escaped(&file.unwrap_or_else(|| one.from.clone())),
        ]);
    }
    let width = width();
    format!("{}\n\n{}", wrap(&head, width).join("\n"), table.text(width))
}

/// How two differ.
pub(crate) fn compared(compared: &Compared) -> String {
    let Compared {
        here,
        there,
        same,
        all,
    } = compared;
    let width = width();
    if all.is_empty() {
        let line = format!(
            "{here} and {there} hold the same: {}",
            count(*same, "project")
        );
        return format!("{}\n", wrap(&line, width).join("\n"));
    }
    let line = format!(
        "{here} and {there} differ in {}; {} the same",
        count(all.len(), "thing"),
        words_of_same(*same)
    );
    let mut text = format!("{}\n", wrap(&line, width).join("\n"));
    let is_library = |one: &&Difference| one.kind == DifferenceKind::Library;
    let (libraries, rest): (Vec<&Difference>, Vec<&Difference>) = all.iter().partition(is_library);
    if !rest.is_empty() {
        let mut table = Table::new(&["", "", here, there]);
        for one in rest {
            let what = match one.kind {
                DifferenceKind::Place => "place",
                DifferenceKind::OnlyHere | DifferenceKind::OnlyThere => "only in one",
                DifferenceKind::Version => "release",
                DifferenceKind::File => "file",
                DifferenceKind::Library => "library",
            };
            let side = |text: &Option<String>| escaped(text.as_deref().unwrap_or("-"));
            let project = one.project.clone().unwrap_or_default();
            table.row([what.to_owned(), project, side(&one.here), side(&one.there)]);
        }
        text.push_str(&format!("\n{}", table.text(width)));
    }
    // Their texts are too long to stand beside each other.
    if !libraries.is_empty() {
        let mut table = Table::new(&["library", "", ""]);
        for one in libraries {
            let name = escaped(one.project.as_deref().unwrap_or_default());
            let side = |text: &Option<String>| {
                let none = "no file needs it".to_owned();
                text.as_deref().map_or(none, escaped)
            };
            table.row([name, here.clone(), side(&one.here)]);
            table.row([String::new(), there.clone(), side(&one.there)]);
        }
        text.push_str(&format!("\n{}", table.text(width)));
    }
    text
}

fn words_of_same(same: usize) -> String {
    let verb = if same == 1 { "is" } else { "are" };
    format!("{} {verb}", count(same, "project"))
}
