//! Interpreters against targets, as text: which to take and why, the matrix, what stands in the
//! way, the split.

use eutaxis_core::Name;
use eutaxis_core::offer::BarKind;
use eutaxis_core::solve::{Clash, FactKind};
use eutaxis_core::span::{Cell, Cost, Split, in_few_words};

use super::table::{Table, labelled, labelled_command, wrap};
use super::{style, width};
use crate::answer::span::{Report, Toolkits};
use crate::plan::Chosen;
use crate::typed;
use crate::words::{count, near};

/// So many reasons are told.
const MOST_REASONS: usize = 6;
/// Of one clash so many facts are told.
const MOST_FACTS: usize = 3;

/// How much a cell says.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Detail {
    /// With the project that stands in the way.
    Project,
    /// Only what kind of thing it is.
    Kind,
}

pub(crate) fn text(report: &Report<'_>) -> String {
    let width = width();
    let mut text = headline(report, width);
    text.push_str(&matrix(report, width));
    let reasons = reasons(report, width);
    if !reasons.is_empty() {
        text.push('\n');
        text.push_str(&reasons);
    }
    if !report.builds.is_empty() {
        text.push('\n');
        text.push_str(&super::build::on_targets(
            &report.builds,
            report.columns.len(),
            width,
        ));
    }
    if let Some(split) = &report.split {
        text.push('\n');
        text.push_str(&self::split(split, report, width));
    }
    for toolkits in &report.toolkits {
        text.push('\n');
        text.push_str(&self::toolkits(toolkits, report, width));
    }
    if report.best.is_some() {
        text.push('\n');
        text.push_str(&labelled_command("settle it:", &command(report), width));
    }
    text
}

/// Which interpreter to take, and why that one.
fn headline(report: &Report<'_>, width: usize) -> String {
    let (asks, targets) = (report.asks.asks.len(), report.columns.len());
    let all = match asks {
        1 => "the one ask settles".to_owned(),
        2 => "both asks settle".to_owned(),
        n => format!("all {n} asks settle"),
    };
    let place = |n: usize| match n {
        1 => format!(
            "on {}",
            report.columns.first().map_or("", |c| c.shown.as_str())
        ),
        n => format!("on all {n} targets"),
    };
    let Some(best) = &report.best else {
        let head = "No interpreter holds everything";
        let line = format!(
            "{head} {}: {} cannot be together under any one of {}.",
            place(targets),
            count(asks, "ask"),
            count(report.rows.len(), "version")
        );
        return format!(
            "{}\n\n",
            wrap(&line, width)
                .join("\n")
                .replacen(head, &style::barred(head), 1)
        );
    };
    let head = format!("Take {}", taken(report));
    let passed: Vec<String> = best
        .passed_over
        .iter()
        .filter_map(|r| report.rows.get(*r))
        .map(|h| h.series.to_string())
        .collect();
    let built = match best.built {
        0 => String::new(),
        n => format!(", {} only as source", count(n, "project")),
    };
    let older = match best.lost {
        0 => String::new(),
        n => format!(", with {} older than under another", count(n, "release")),
    };
    let why = if passed.is_empty() {
        format!("the newest on which {all} {}{built}{older}", place(targets))
    } else {
        let newer = passed.join(" and ");
        let cost = match best.cost {
            Cost::Built => format!("under {newer} more must be built from source"),
            Cost::Unaccelerated => format!("under {newer} more leave the accelerator unused"),
            Cost::Younger => format!("{newer} came after the time of what is asked for"),
            Cost::Older => format!("under {newer} more releases have to be older"),
            Cost::Absent => format!("{newer} is not on this machine"),
        };
        format!("{all} {}{built}{older}; {cost}", place(targets))
    };
    let line = format!("{head}: {why}.");
    format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::good(&head), 1)
    )
}

/// The interpreter to take: `CPython 3.12`, or that of the targets where they have another kind.
pub(crate) fn taken(report: &Report<'_>) -> String {
    let row = report.best.as_ref().and_then(|b| report.rows.get(b.row));
    let series = row.map(|h| h.series.to_string()).unwrap_or_default();
    let (implementation, threads) = kind(report);
    let name = if implementation == "pypy" {
        "PyPy"
    } else {
        "CPython"
    };
    format!("{name} {series}{threads}")
}

/// What the interpreters of all targets are: the implementation, and `t` for builds without the
/// global lock. Where the targets differ, the plain one.
fn kind<'a>(report: &'a Report<'_>) -> (&'a str, &'static str) {
    let of = |c: &Chosen| {
        let interpreter = &c.target.interpreter;
        (
            interpreter.implementation.clone(),
            interpreter.free_threaded,
        )
    };
    let first = report.columns.first();
    match first.filter(|f| report.columns.iter().all(|c| of(c) == of(f))) {
        Some(chosen) => {
            let interpreter = &chosen.target.interpreter;
            (
                interpreter.implementation.name(),
                if interpreter.free_threaded { "t" } else { "" },
            )
        }
        None => ("cpython", ""),
    }
}

/// `--interpreter` for a series, as typed.
fn interpreter_option(series: &str, report: &Report<'_>) -> String {
    match kind(report) {
        ("cpython", threads) => format!("--interpreter {series}{threads}"),
        (implementation, _) => format!("--interpreter \"{implementation} {series}\""),
    }
}

/// Rows at the end that hold nothing anywhere say the same: they are told in one line.
fn shown_rows(report: &Report<'_>) -> usize {
    let settles = |row: usize| {
        (0..report.columns.len()).any(|c| report.cell(row, c).and_then(Cell::solution).is_some())
    };
    let last = (0..report.rows.len()).rev().find(|r| settles(*r));
    last.map_or(report.rows.len(), |r| r + 1)
}

/// A cell in a few words.
pub(crate) fn cell_words(cell: &Cell, built: usize, older: usize, project: bool) -> String {
    match cell {
        Cell::Settled(solution) => {
            let unused = match solution.unaccelerated().next() {
                Some(_) => "  -acc",
                None => "",
            };
            let lost = if older > 0 {
                format!("  -{older}")
            } else {
                String::new()
            };
            let source = if built > 0 {
                format!("  {built} built")
            } else {
                String::new()
            };
            format!("settles {}{lost}{source}{unused}", solution.chosen.len())
        }
        Cell::Clash(clash) => {
            let (word, about) = in_few_words(clash);
            if project && !about.is_empty() {
                format!("{word}: {about}")
            } else {
                word.to_owned()
            }
        }
        Cell::Barred(_) => "barred".to_owned(),
        Cell::GaveUp => "not known".to_owned(),
    }
}

fn matrix(report: &Report<'_>, width: usize) -> String {
    let shown = shown_rows(report);
    let table = |detail: Detail| {
        let mut heads = vec!["".to_owned()];
        heads.extend(report.columns.iter().map(|c| c.shown.clone()));
        let rows: Vec<Vec<String>> = (0..shown)
            .map(|row| {
                let mut cells = vec![row_head(report, row)];
                cells.extend((0..report.columns.len()).map(|column| {
                    let older = report.matrix.lost(row, column).len();
                    let built = report.matrix.built(row, column);
                    let cell = report.cell(row, column);
                    cell.map_or(String::new(), |c| {
                        cell_words(c, built, older, detail == Detail::Project)
                    })
                }));
                cells
            })
            .collect();
        (heads, rows)
    };
    let wide = |(heads, rows): &(Vec<String>, Vec<Vec<String>>)| {
        let longest = |c: usize| {
            rows.iter()
                .map(|r| r.get(c).map_or(0, String::len))
                .chain([heads.get(c).map_or(0, String::len)])
                .max()
        };
        (0..heads.len())
            .map(|c| longest(c).unwrap_or(0) + 2)
            .sum::<usize>()
            .saturating_sub(2)
    };
    let (full, short) = (table(Detail::Project), table(Detail::Kind));
    let mut text = if wide(&full) <= width {
        plain_table(&full)
    } else if wide(&short) <= width {
        plain_table(&short)
    } else {
        one_by_one(report, &full)
    };
    let folded: Vec<String> = report
        .rows
        .iter()
        .skip(shown)
        .map(|h| h.series.to_string())
        .collect();
    if !folded.is_empty() {
        let line = format!("{}: not all asks settle, on any target", folded.join(", "));
        text.push_str(&format!("{}\n", style::dim(&wrap(&line, width).join("\n"))));
    }
    for line in legend(report, width) {
        text.push_str(&format!("{}\n", style::dim(&line)));
    }
    text
}

/// What the short signs in cells mean, as far as they occur.
pub(crate) fn legend(report: &Report<'_>, width: usize) -> Vec<String> {
    let any = |of: &dyn Fn(usize, usize) -> bool| {
        (0..report.rows.len()).any(|r| (0..report.columns.len()).any(|c| of(r, c)))
    };
    let mut legend: Vec<&str> = Vec::new();
    if any(&|r, c| !report.matrix.lost(r, c).is_empty()) {
        legend.push("-N: so many projects are older than in another row of the column");
    }
    if any(&|r, c| report.matrix.built(r, c) > 0) {
        legend.push("N built: so many have only source there, which must be built");
    }
    let mut unused: Vec<&Name> = Vec::new();
    for (row, cells) in report.matrix.rows().iter().enumerate() {
        unused.extend((0..cells.len()).flat_map(|c| report.matrix.unaccelerated(row, c)));
    }
    unused.sort();
    unused.dedup();
    let mut lines: Vec<String> = legend.into_iter().map(str::to_owned).collect();
    if !unused.is_empty() {
        let names: Vec<&str> = unused.iter().map(|n| n.as_str()).collect();
        lines.push(format!(
            "-acc: the accelerator of the place is left unused by {}, and builds elsewhere use it",
            names.join(", ")
        ));
    }
    lines.iter().flat_map(|l| wrap(l, width)).collect()
}

/// `3.11  <-`
fn row_head(report: &Report<'_>, row: usize) -> String {
    let series = report
        .rows
        .get(row)
        .map(|h| h.series.to_string())
        .unwrap_or_default();
    let best = report.best.as_ref().is_some_and(|b| b.row == row);
    if best {
        format!("{series}  <-")
    } else {
        series
    }
}

fn plain_table((heads, rows): &(Vec<String>, Vec<Vec<String>>)) -> String {
    let heads: Vec<&str> = heads.iter().map(String::as_str).collect();
    let mut table = Table::new(&heads);
    rows.iter().for_each(|row| table.cells(row.clone()));
    table.text(usize::MAX / 2)
}

/// Where the columns do not fit beside each other: the targets under each other.
fn one_by_one(report: &Report<'_>, (heads, rows): &(Vec<String>, Vec<Vec<String>>)) -> String {
    let mut text = String::new();
    for (i, head) in heads.iter().enumerate().skip(1) {
        if i > 1 {
            text.push('\n');
        }
        text.push_str(&format!("{}\n", style::dim(head)));
        let mut table = Table::new(&["", ""]);
        for (row, cells) in rows.iter().enumerate() {
            table.cells(vec![
                row_head(report, row),
                cells.get(i).cloned().unwrap_or_default(),
            ]);
        }
        text.push_str(&table.text(usize::MAX / 2));
    }
    text
}

/// What stands in the way of the rows that are newer than the one to take, or of all, each sentence
/// once.
fn reasons(report: &Report<'_>, width: usize) -> String {
    let until = report.best.as_ref().map_or(shown_rows(report), |b| b.row);
    let mut told: Vec<(String, Vec<(String, String)>)> = Vec::new();
    for row in 0..until {
        for (column, chosen) in report.columns.iter().enumerate() {
            let Some(why) = report.cell(row, column).and_then(why) else {
                continue;
            };
            let series = report
                .rows
                .get(row)
                .map(|h| h.series.to_string())
                .unwrap_or_default();
            let place = (series, chosen.shown.clone());
            match told.iter_mut().find(|(w, _)| *w == why) {
                Some((_, places)) => places.push(place),
                None => told.push((why, vec![place])),
            }
        }
    }
    let more = told.len().saturating_sub(MOST_REASONS);
    let mut table = Table::new(&["", ""]);
    for (why, places) in told.iter().take(MOST_REASONS) {
        let rows: Vec<usize> = (0..report.rows.len())
            .filter(|r| {
                report
                    .rows
                    .get(*r)
                    .is_some_and(|h| places.iter().any(|(s, _)| *s == h.series.to_string()))
            })
            .collect();
        let mut targets: Vec<&str> = places.iter().map(|(_, t)| t.as_str()).collect();
        targets.sort_unstable();
        targets.dedup();
        let on = match (report.columns.len(), targets.len()) {
            (1, _) => String::new(),
            (all, some) if all == some => String::new(),
            _ => format!(" on {}", targets.join(", ")),
        };
        table.row([format!("{}{on}", runs(&rows, report)), why.clone()]);
    }
    let mut text = if told.is_empty() {
        String::new()
    } else {
        table.text(width)
    };
    if more > 0 {
        text.push_str(&format!("and {} more\n", count(more, "reason")));
    }
    if let Some(best) = &report.best
        && let Some(head) = report.rows.get(best.row)
        && let Some(here) = head
            .here
            .as_ref()
            .filter(|_| kind(report) == ("cpython", ""))
    {
        text.push_str(&format!("{} is here: {}\n", head.series, near(&here.path)));
    }
    text
}

/// Rows by their versions, those that follow each other as `3.9 to 3.13`.
fn runs(rows: &[usize], report: &Report<'_>) -> String {
    let name = |row: usize| {
        report
            .rows
            .get(row)
            .map(|h| h.series.to_string())
            .unwrap_or_default()
    };
    let mut parts: Vec<(usize, usize)> = Vec::new();
    for row in rows {
        match parts.last_mut() {
            Some((_, last)) if *last + 1 == *row => *last = *row,
            _ => parts.push((*row, *row)),
        }
    }
    let words = parts.iter().map(|(newest, oldest)| match oldest - newest {
        0 => name(*newest),
        1 => format!("{}, {}", name(*newest), name(*oldest)),
        _ => format!("{} to {}", name(*oldest), name(*newest)),
    });
    words.collect::<Vec<_>>().join(", ")
}

/// Why a cell does not settle: its bars, else the needs that clash.
fn why(cell: &Cell) -> Option<String> {
    match cell {
        Cell::Settled(_) => None,
        Cell::Barred(why) => Some(why.clone()),
        Cell::GaveUp => Some("the search gave up after very many conflicts".to_owned()),
        Cell::Clash(clash) => Some(clash_words(clash)),
    }
}

fn clash_words(clash: &Clash) -> String {
    let of = |bars: bool| {
        let is_bar = |k: FactKind| matches!(k, FactKind::Bar(_) | FactKind::Built);
        clash
            .facts
            .iter()
            .filter(move |f| is_bar(f.kind) == bars && f.kind != FactKind::Ask)
            .map(|f| f.without_place.clone())
    };
    let mut facts: Vec<String> = of(true).chain(of(false)).collect();
    if facts.is_empty() {
        facts = clash.facts.iter().map(|f| f.text.clone()).collect();
    }
    let more = facts.len().saturating_sub(MOST_FACTS);
    facts.truncate(MOST_FACTS);
    let rest = if more > 0 {
        format!("; and {} more", count(more, "fact"))
    } else {
        String::new()
    };
    format!("{}{rest}", facts.join("; "))
}

/// The environments into which the asks must be split, each with the command that settles it.
fn split(split: &Split, report: &Report<'_>, width: usize) -> String {
    let ask = |i: &usize| report.asks.asks.get(*i);
    let parts = match split {
        Split::Parts(parts) => parts,
        Split::Nowhere(i) => {
            let name = ask(i).map_or(String::new(), |a| a.requirement.short());
            return labelled("try", &style::care("try"), &nowhere(&name, report), width);
        }
        Split::GaveUp => {
            let line = "no split was found within the limit: ask for less at once, or name fewer \
                interpreters";
            return labelled("try", &style::care("try"), line, width);
        }
    };
    let head = format!(
        "Smallest split: {}, solved to the end",
        count(parts.len(), "environment")
    );
    let mut text = format!("{}\n", style::strong(&head));
    let mut table = Table::new(&["", "interpreter", "projects", "asks"]);
    for (i, part) in parts.iter().enumerate() {
        let names: Vec<String> = part
            .asks
            .iter()
            .filter_map(ask)
            .map(|a| a.requirement.short())
            .collect();
        let sizes: Vec<usize> = part.solutions.iter().map(|s| s.chosen.len()).collect();
        let (least, most) = (
            sizes.iter().min().copied().unwrap_or(0),
            sizes.iter().max().copied().unwrap_or(0),
        );
        let projects = if least == most {
            least.to_string()
        } else {
            format!("{least} to {most}")
        };
        table.row([
            format!(" {}", i + 1),
            report
                .rows
                .get(part.row)
                .map(|h| h.series.to_string())
                .unwrap_or_default(),
            projects,
            names.join(", "),
        ]);
    }
    text.push_str(&table.text(width));
    text.push('\n');
    for (i, part) in parts.iter().enumerate() {
        let asks: Vec<String> = part
            .asks
            .iter()
            .filter_map(ask)
            .map(|a| typed::quoted(&a.requirement.to_string()))
            .collect();
        let series = report
            .rows
            .get(part.row)
            .map(|h| h.series.to_string())
            .unwrap_or_default();
        let line = format!(
            "eutaxis settle {}{} {} --out pylock.{}.toml",
            asks.join(" "),
            options(report),
            interpreter_option(&series, report),
            i + 1
        );
        let head = format!("settle {}:", i + 1);
        text.push_str(&labelled_command(&head, &line, width));
    }
    let pins: Vec<String> = (1..=parts.len())
        .map(|i| format!("pylock.{i}.toml"))
        .collect();
    let line = format!(
        "Once they are settled, `eutaxis proofread . {}` tells which file of your code imports of \
            more than one of them.",
        pins.join(" ")
    );
    text.push_str(&format!("\n{}\n", wrap(&line, width).join("\n")));
    text
}

/// What to do when an ask cannot be had on all targets, whatever the interpreter.
fn nowhere(name: &str, report: &Report<'_>) -> String {
    let settles = |column: &usize| {
        (0..report.rows.len())
            .any(|row| report.cell(row, *column).and_then(Cell::solution).is_some())
    };
    let some = (0..report.columns.len())
        .filter(settles)
        .filter_map(|c| report.columns.get(c));
    let some: Vec<&str> = some.map(|c| c.shown.as_str()).collect();
    if some.is_empty() {
        return format!(
            "no split helps: {name} cannot be had under any of these interpreters. `eutaxis \
                settle` for it alone says why, and what does"
        );
    }
    format!(
        "no split helps: {name} cannot be had on all of these targets, whatever the interpreter. \
            Everything settles on {}; ask for that apart, and elsewhere without {name}",
        some.join(", ")
    )
}

/// Toolkits against interpreters on one target.
fn toolkits(toolkits: &Toolkits, report: &Report<'_>, width: usize) -> String {
    let shown = report
        .columns
        .get(toolkits.column)
        .map_or("", |c| c.shown.as_str());
    let row = report.best.as_ref().and_then(|b| report.rows.get(b.row));
    let best = row.and_then(|head| Some((head.series, toolkits.best(head.series)?)));
    let family = &toolkits.family.name;
    let head = match best {
        Some((series, toolkit)) => {
            format!(
                "{family} on {shown}: {toolkit} is the newest toolkit for which everything settles \
                    under {series}"
            )
        }
        None if row.is_none() => format!("{family} on {shown}: toolkits against interpreters"),
        None => format!(
            "{family} on {shown}: no toolkit holds everything; builds without it are in the table \
                above"
        ),
    };
    let mut text = format!("{}\n", wrap(&head, width).join("\n"));
    let mut heads = vec![family.clone()];
    heads.extend(toolkits.interpreters.iter().map(ToString::to_string));
    let heads: Vec<&str> = heads.iter().map(String::as_str).collect();
    let mut table = Table::new(&heads);
    let mut reasons: Vec<(String, String)> = Vec::new();
    for (toolkit, cells) in toolkits.toolkits.iter().zip(&toolkits.rows) {
        let mark = if best.is_some_and(|(_, b)| b == toolkit) {
            "  <-"
        } else {
            ""
        };
        let mut line = vec![format!("{toolkit}{mark}")];
        line.extend(cells.iter().map(|cell| cell_words(cell, 0, 0, false)));
        table.cells(line);
        if let Some(why) = cells
            .iter()
            .find_map(|cell| no_build(cell, family, &toolkit.to_string()).or_else(|| why(cell)))
        {
            reasons.push((toolkit.to_string(), why));
        }
    }
    text.push_str(&table.text(width));
    for (toolkit, why) in reasons.iter().take(MOST_REASONS) {
        text.push_str(&labelled(toolkit, toolkit, why, width));
    }
    text
}

/// The projects that have no build for a toolkit, when that is what stands in the way.
fn no_build(cell: &Cell, family: &str, toolkit: &str) -> Option<String> {
    let Cell::Clash(clash) = cell else {
        return None;
    };
    let bars = clash
        .facts
        .iter()
        .filter(|f| f.kind == FactKind::Bar(BarKind::Accelerator));
    let mut names: Vec<&str> = bars.map(|f| f.project.as_str()).collect();
    names.dedup();
    let have = if names.len() == 1 { "has" } else { "have" };
    (!names.is_empty()).then(|| {
        format!(
            "{} {have} no build for {family} {toolkit} that would do",
            names.join(", ")
        )
    })
}

/// The `settle` that goes with the answer, as typed.
fn command(report: &Report<'_>) -> String {
    let row = report.best.as_ref().and_then(|b| report.rows.get(b.row));
    let series = row.map(|h| h.series.to_string()).unwrap_or_default();
    let asks = typed::line(&typed::asks(&report.arguments.asks));
    let out = report.out.as_ref().map_or(String::new(), |out| {
        format!(" --out {}", typed::quoted(&near(out)))
    });
    format!(
        "eutaxis settle{asks}{} {}{out}",
        options(report),
        interpreter_option(&series, report)
    )
}

/// The options on targets, depots and policy, as typed.
fn options(report: &Report<'_>) -> String {
    let arguments = report.arguments;
    let parts = [
        typed::target(&arguments.target),
        typed::depots(&arguments.depots),
        typed::policy(&arguments.policy),
    ];
    typed::line(&parts.concat())
}
