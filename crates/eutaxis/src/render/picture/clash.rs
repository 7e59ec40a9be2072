//! A clash as an SVG: the facts, the axis of every contested project, the ways out.

use super::{BARRED, CHARACTERS, EMPTY, GOOD, INK, LINE, MARGIN, PALE, Page, WIDTH};
use crate::answer::clash::Refusal;
use crate::render::axis::{each, folded};
use crate::render::clash as words_of;
use crate::render::table::wrap;
use crate::words::place;

/// A row of the axis begins here.
const LEAD: usize = 190;
/// The other end of a stretch stands so far below.
const BELOW: usize = 17;
/// A release gets so much room at most, and at least.
const WIDEST: usize = 92;
const NARROWEST: usize = 58;

/// The whole picture.
pub(crate) fn clash(refusal: &Refusal<'_>) -> String {
    let mut page = Page::new();
    let facts = refusal.clash.facts.len();
    page.text(
        MARGIN,
        18,
        BARRED,
        true,
        &format!(
            "Cannot be settled for {}: {facts} facts clash",
            refusal.shown
        ),
    );
    page.y += 10;
    for (i, fact) in refusal.clash.facts.iter().enumerate() {
        let (word, rest) = words_of::words(fact);
        let origin = fact
            .origin
            .as_ref()
            .map_or(String::new(), |o| format!("   ({})", place(o)));
        for (n, line) in wrap(&format!("{rest}{origin}"), CHARACTERS - 16)
            .iter()
            .enumerate()
        {
            if n == 0 {
                page.beside(MARGIN, PALE, &(i + 1).to_string());
                page.beside(MARGIN + 28, PALE, word);
            }
            page.text(MARGIN + 110, 14, INK, false, line);
        }
    }
    for contested in refusal
        .clash
        .contested
        .iter()
        .filter(|c| words_of::told(refusal.clash).contains(&c.project))
    {
        page.y += 16;
        let room = WIDTH - 2 * MARGIN - LEAD;
        let all = each(contested);
        let stretches = if all.len() * NARROWEST <= room {
            all
        } else {
            folded(contested)
        };
        let cell = (room / stretches.len().max(1)).min(WIDEST);
        page.beside(MARGIN, INK, contested.project.as_str());
        for (i, stretch) in stretches.iter().enumerate() {
            // A stretch has its ends under each other.
            page.beside(MARGIN + LEAD + i * cell, PALE, &stretch.first);
            page.y += BELOW;
            page.beside(
                MARGIN + LEAD + i * cell,
                PALE,
                stretch.last.as_deref().unwrap_or_default(),
            );
            page.y -= BELOW;
        }
        page.y += 10
            + if stretches.iter().any(|s| s.last.is_some()) {
                BELOW
            } else {
                0
            };
        for (row, (fact, _)) in contested.rows.iter().enumerate() {
            page.y += LINE;
            page.label(MARGIN + 16, &format!("fact {}", fact + 1));
            for (i, stretch) in stretches.iter().enumerate() {
                let allowed = stretch.allowed.get(row).copied().unwrap_or(false);
                page.cell(
                    MARGIN + LEAD + i * cell,
                    cell,
                    if allowed { GOOD } else { EMPTY },
                );
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
            for (n, line) in wrap(&crate::words::ways::sentence(way), CHARACTERS - 6)
                .iter()
                .enumerate()
            {
                if n == 0 {
                    page.beside(MARGIN + 12, GOOD, &letter.to_string());
                }
                page.text(MARGIN + 40, 14, INK, false, line);
            }
        }
    }
    page.finish()
}
