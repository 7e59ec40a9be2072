//! The matrix of interpreters and targets as a picture, with the toolkits below it.

use eutaxis_core::span::{Cell, Split};

use super::{BARRED, CHARACTERS, EMPTY, GOOD, INK, LINE, MARGIN, PALE, Page, WIDTH};
use crate::answer::span::Report;
use crate::render::span::{cell_words, legend, taken};
use crate::render::table::wrap;
use crate::words::count;

/// The cells begin here.
const LEAD: usize = 96;
/// A cell is so wide at most.
const WIDEST: usize = 210;
/// A character is about so wide.
const CHARACTER: usize = 8;

/// The whole picture.
pub(crate) fn span(report: &Report<'_>) -> String {
    let mut page = Page::new();
    let (colour, head) = match report.best.as_ref().and_then(|b| report.rows.get(b.row)) {
        Some(_) => (GOOD, format!("Take {}", taken(report))),
        None => (BARRED, "No interpreter holds everything".to_owned()),
    };
    page.text(MARGIN, 18, colour, true, &head);
    let asks: Vec<String> = report
        .asks
        .asks
        .iter()
        .map(|a| a.requirement.short())
        .collect();
    for line in wrap(&format!("asks: {}", asks.join(", ")), CHARACTERS) {
        page.text(MARGIN, 14, PALE, false, &line);
    }
    page.y += 12;
    let heads: Vec<String> = report.columns.iter().map(|c| c.shown.clone()).collect();
    let rows = report.rows.iter().enumerate().map(|(row, head)| {
        let cells = (0..report.columns.len()).map(|column| {
            (
                report.cell(row, column),
                report.matrix.built(row, column),
                report.matrix.lost(row, column).len(),
            )
        });
        let best = report.best.as_ref().is_some_and(|b| b.row == row);
        (head.series.to_string(), best, cells.collect())
    });
    matrix(&mut page, &heads, rows.collect());
    page.y += 8;
    for line in legend(report, CHARACTERS) {
        page.text(MARGIN, 14, PALE, false, &line);
    }
    if let Some(Split::Parts(parts)) = &report.split {
        page.y += 12;
        page.text(
            MARGIN,
            14,
            INK,
            true,
            &format!("Smallest split: {}", count(parts.len(), "environment")),
        );
        for part in parts {
            let series = report
                .rows
                .get(part.row)
                .map(|h| h.series.to_string())
                .unwrap_or_default();
            let asks = part.asks.iter().filter_map(|i| report.asks.asks.get(*i));
            let names: Vec<String> = asks.map(|a| a.requirement.short()).collect();
            page.beside(MARGIN, GOOD, &series);
            for line in wrap(&names.join(", "), CHARACTERS - 12) {
                page.text(MARGIN + LEAD, 14, INK, false, &line);
            }
        }
    }
    for toolkits in &report.toolkits {
        page.y += 20;
        let shown = report
            .columns
            .get(toolkits.column)
            .map_or("", |c| c.shown.as_str());
        page.text(
            MARGIN,
            14,
            INK,
            true,
            &format!("{} on {shown}", toolkits.family.name),
        );
        let row = report.best.as_ref().and_then(|b| report.rows.get(b.row));
        let best = row.and_then(|head| toolkits.best(head.series));
        let heads: Vec<String> = toolkits
            .interpreters
            .iter()
            .map(ToString::to_string)
            .collect();
        let rows = toolkits.toolkits.iter().zip(&toolkits.rows);
        let rows = rows.map(|(toolkit, cells)| {
            let cells = cells.iter().map(|cell| (Some(cell), 0, 0)).collect();
            (toolkit.to_string(), best == Some(toolkit), cells)
        });
        matrix(&mut page, &heads, rows.collect());
    }
    page.finish()
}

/// A row: its head, whether it is the one to take, and its cells with how many projects are built
/// and older in each.
type Row<'a> = (String, bool, Vec<(Option<&'a Cell>, usize, usize)>);

fn matrix(page: &mut Page, heads: &[String], rows: Vec<Row<'_>>) {
    let width = ((WIDTH - 2 * MARGIN - LEAD) / heads.len().max(1)).min(WIDEST);
    let fits = |text: String| -> String {
        let most = width / CHARACTER;
        if text.chars().count() <= most {
            text
        } else {
            text.chars()
                .take(most.saturating_sub(1))
                .chain(['…'])
                .collect()
        }
    };
    for (i, head) in heads.iter().enumerate() {
        page.label(MARGIN + LEAD + i * width, &fits(head.clone()));
    }
    page.y += LINE;
    for (head, best, cells) in rows {
        page.beside(MARGIN, if best { GOOD } else { INK }, &head);
        if best {
            page.beside(MARGIN + LEAD - 46, GOOD, "take");
        }
        for (i, (cell, built, older)) in cells.into_iter().enumerate() {
            let Some(cell) = cell else { continue };
            let settles = cell.solution().is_some();
            let x = MARGIN + LEAD + i * width;
            page.mark(x, if settles { GOOD } else { EMPTY });
            let colour = if settles { INK } else { PALE };
            page.beside(
                x + 24,
                colour,
                &fits(cell_words(cell, built, older, width > 160)),
            );
        }
        page.y += LINE;
    }
}
