//! A clash as an SVG: the facts, the axis of every contested project, the ways out.

use std::fmt::Write;

use super::axis::{each, folded};
use super::{clash as words_of, place, ways};
use crate::commands::settle::Refusal;

/// Wide enough for any page; text is 14 units high.
const WIDTH: usize = 1000;
const MARGIN: usize = 32;
const LINE: usize = 24;
/// A row of the axis begins here.
const LEAD: usize = 190;
/// The other end of a stretch stands so far below.
const BELOW: usize = 17;
/// A release gets so much room at most, and at least.
const WIDEST: usize = 92;
const NARROWEST: usize = 58;
/// So many characters fit on a line.
const CHARACTERS: usize = 112;

const INK: &str = "#1d2730";
const PALE: &str = "#66727c";
const GOOD: &str = "#2f7d6b";
const BARRED: &str = "#b3402e";
const EMPTY: &str = "#e9edef";

/// The whole picture.
pub(crate) fn clash(refusal: &Refusal<'_>) -> String {
    let mut page = Page { body: String::new(), y: MARGIN + 8 };
    let facts = refusal.clash.facts.len();
    page.text(MARGIN, 18, BARRED, true, &format!("Cannot be settled for {}: {facts} facts clash", refusal.shown));
    page.y += 10;
    for (i, fact) in refusal.clash.facts.iter().enumerate() {
        let (word, rest) = words_of::words(fact);
        let origin = fact.origin.as_ref().map_or(String::new(), |o| format!("   ({})", place(o)));
        for (n, line) in super::table::wrap(&format!("{rest}{origin}"), CHARACTERS - 16).iter().enumerate() {
            if n == 0 {
                page.beside(MARGIN, PALE, &(i + 1).to_string());
                page.beside(MARGIN + 28, PALE, word);
            }
            page.text(MARGIN + 110, 14, INK, false, line);
        }
    }
    for contested in refusal.clash.contested.iter().filter(|c| words_of::told(refusal.clash).contains(&c.project)) {
        page.y += 16;
        let room = WIDTH - 2 * MARGIN - LEAD;
        let all = each(contested);
        let stretches = if all.len() * NARROWEST <= room { all } else { folded(contested) };
        let cell = (room / stretches.len().max(1)).min(WIDEST);
        page.beside(MARGIN, INK, contested.project.as_str());
        for (i, stretch) in stretches.iter().enumerate() {
            // A stretch has its ends under each other.
            let (first, last) = stretch.label.split_once(" to ").unwrap_or((&stretch.label, ""));
            page.beside(MARGIN + LEAD + i * cell, PALE, first);
            page.y += BELOW;
            page.beside(MARGIN + LEAD + i * cell, PALE, last);
            page.y -= BELOW;
        }
        page.y += 10 + if stretches.iter().any(|s| s.label.contains(" to ")) { BELOW } else { 0 };
        for (row, (fact, _)) in contested.rows.iter().enumerate() {
            page.y += LINE;
            page.label(MARGIN + 16, &format!("fact {}", fact + 1));
            for (i, stretch) in stretches.iter().enumerate() {
                let allowed = stretch.allowed.get(row).copied().unwrap_or(false);
                page.cell(MARGIN + LEAD + i * cell, cell, if allowed { GOOD } else { EMPTY });
            }
        }
        page.y += LINE;
        page.label(MARGIN + 16, "left");
        for i in 0..stretches.len() {
            page.outline(MARGIN + LEAD + i * cell, cell);
        }
        page.y += LINE;
    }
    if !refusal.ways.is_empty() {
        page.y += 20;
        page.text(MARGIN, 14, INK, true, "ways out, each solved to the end");
        for (letter, way) in ('a'..='z').zip(refusal.ways) {
            for (n, line) in super::table::wrap(&ways::sentence(way), CHARACTERS - 6).iter().enumerate() {
                if n == 0 {
                    page.beside(MARGIN + 12, GOOD, &letter.to_string());
                }
                page.text(MARGIN + 40, 14, INK, false, line);
            }
        }
    }
    page.finish()
}

struct Page {
    body: String,
    /// The base line of the next text.
    y: usize,
}

impl Page {
    /// A line of text, and on to the next.
    fn text(&mut self, x: usize, size: usize, colour: &str, bold: bool, text: &str) {
        let weight = if bold { " font-weight=\"bold\"" } else { "" };
        let (y, text) = (self.y, escaped(text));
        let _ = writeln!(
            self.body,
            "<text x=\"{x}\" y=\"{y}\" font-size=\"{size}\" fill=\"{colour}\"{weight} xml:space=\"preserve\">{text}</text>"
        );
        self.y += LINE;
    }

    /// Text on the same line.
    fn beside(&mut self, x: usize, colour: &str, text: &str) {
        let y = self.y;
        self.text(x, 14, colour, false, text);
        self.y = y;
    }

    fn label(&mut self, x: usize, text: &str) {
        self.beside(x, PALE, text);
    }

    fn cell(&mut self, x: usize, width: usize, colour: &str) {
        let (y, width) = (self.y - 13, width - 3);
        let _ = writeln!(
            self.body,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"16\" rx=\"2\" fill=\"{colour}\"/>"
        );
    }

    fn outline(&mut self, x: usize, width: usize) {
        let (y, width) = (self.y - 13, width - 3);
        let _ = writeln!(
            self.body,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"16\" rx=\"2\" fill=\"none\" stroke=\"{BARRED}\" stroke-dasharray=\"3 3\"/>"
        );
    }

    fn finish(self) -> String {
        let height = self.y + MARGIN - 8;
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{WIDTH}\" height=\"{height}\" viewBox=\"0 0 {WIDTH} {height}\" font-family=\"ui-monospace, monospace\">\n<rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n{}</svg>\n",
            self.body
        )
    }
}

/// Text between tags; control characters have no place there.
fn escaped(text: &str) -> String {
    eutaxis_core::fault::escaped(text).replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
