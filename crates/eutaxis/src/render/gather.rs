//! What `gather` did, as text.

use eutaxis_world::gather::{How, Piece, Report};

use super::table::{Table, wrap};
use super::{style, width};
use crate::typed::quoted;
use crate::words::{count, file_part, near, size};

/// More files than this are counted, not listed.
const MOST_LISTED: usize = 40;

pub(crate) fn text(pieces: &[Piece], report: &Report, pins: &[String]) -> String {
    let width = width();
    let place = near(&report.into);
    let total: u64 = report.files.iter().map(|(_, n)| n).sum();
    let of = |wanted: How| report.files.iter().filter(move |(h, _)| *h == wanted);
    let new = of(How::Fetched).chain(of(How::Copied)).count();
    let head = if new == 0 { "In order:" } else { "Gathered:" };
    let kept = of(How::Kept).count();
    let parts: Vec<String> = [
        (of(How::Fetched).count(), format!("fetched{}", rate(report))),
        (of(How::Copied).count(), "copied from this disk".to_owned()),
        (kept, "there already".to_owned()),
    ]
    .into_iter()
    .filter(|(n, _)| *n > 0)
    .map(|(n, what)| format!("{n} {what}"))
    .collect();
    let line = format!(
        "{head} {} in {place}, {} ({})",
        count(pieces.len(), "file"),
        size(total).replace(' ', "\u{a0}"),
        parts.join(", ")
    );
    let mut text = format!(
        "{}\n",
        wrap(&line, width)
            .join("\n")
            .replacen(head, &style::good(head), 1)
    );
    let listed: Vec<_> = pieces
        .iter()
        .zip(&report.files)
        .filter(|(_, (how, _))| *how != How::Kept)
        .collect();
    if !listed.is_empty() {
        text.push('\n');
    }
    let mut table = Table::new(&["", "", "", ""]);
    for (piece, (_, bytes)) in listed.iter().take(MOST_LISTED) {
        table.row([
            format!("  {}", piece.project),
            piece.version.clone(),
            size(*bytes),
            file_part(&piece.filename).to_owned(),
        ]);
    }
    text.push_str(&table.text(width));
    if listed.len() > MOST_LISTED {
        text.push_str(&format!("  and {} more\n", listed.len() - MOST_LISTED));
    }
    text.push('\n');
    let mut table = Table::new(&["", ""]);
    let options = format!(
        "--depot {} --offline  behind a command that asks depots",
        quoted(&place)
    );
    table.row(["use it without a network".into(), options]);
    if let Some(pins) = pins.first() {
        let pins = near(std::path::Path::new(pins));
        table.row([
            "carry it away, and there".into(),
            format!("eutaxis furnish {} --offline", quoted(&pins)),
        ]);
    }
    table.row([
        "serve it".into(),
        format!("{place} is an index for any web server"),
    ]);
    text.push_str(&table.text(width));
    text
}

fn rate(report: &Report) -> String {
    let bytes: u64 = report
        .files
        .iter()
        .filter(|(h, _)| *h == How::Fetched)
        .map(|(_, n)| n)
        .sum();
    if report.seconds < 0.001 || bytes == 0 {
        return String::new();
    }
    // A rate for people: the fraction of a byte does not matter.
    let rate = (bytes as f64 / report.seconds) as u64;
    format!(" at {}/s", size(rate).replace(' ', "\u{a0}"))
}
