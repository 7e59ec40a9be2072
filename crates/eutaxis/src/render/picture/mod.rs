//! Answers as SVG: a page of text and boxes, white, a thousand units wide; a graph may be wider.

mod clash;
mod graph;
mod layers;
mod span;

use std::fmt::Write;

pub(crate) use clash::clash;
pub(crate) use graph::graph;
pub(crate) use span::span;

/// Wide enough for any page; text is 14 units high.
const WIDTH: usize = 1000;
const MARGIN: usize = 32;
const LINE: usize = 24;
/// So many characters fit on a line.
const CHARACTERS: usize = 112;

const INK: &str = "#1d2730";
const PALE: &str = "#66727c";
const GOOD: &str = "#2f7d6b";
const BARRED: &str = "#b3402e";
const EMPTY: &str = "#e9edef";

struct Page {
    body: String,
    /// The base line of the next text.
    y: usize,
}

impl Page {
    fn new() -> Self {
        Page {
            body: String::new(),
            y: MARGIN + 8,
        }
    }

    /// A line of text, and on to the next.
    pub(super) fn text(&mut self, x: usize, size: usize, colour: &str, bold: bool, text: &str) {
        let weight = if bold { " font-weight=\"bold\"" } else { "" };
        let (y, text) = (self.y, escaped(text));
        let _ = writeln!(
            self.body,
            "<text x=\"{x}\" y=\"{y}\" font-size=\"{size}\" fill=\"{colour}\"{weight} \
                xml:space=\"preserve\">{text}</text>"
        );
        self.y += LINE;
    }

    /// Text on the same line.
    pub(super) fn beside(&mut self, x: usize, colour: &str, text: &str) {
        let y = self.y;
        self.text(x, 14, colour, false, text);
        self.y = y;
    }

    pub(super) fn label(&mut self, x: usize, text: &str) {
        self.beside(x, PALE, text);
    }

    pub(super) fn cell(&mut self, x: usize, width: usize, colour: &str) {
        let (y, width) = (self.y - 13, width - 3);
        let _ = writeln!(
            self.body,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"16\" rx=\"2\" fill=\"{colour}\"/>"
        );
    }

    /// A small box before a text.
    pub(super) fn mark(&mut self, x: usize, colour: &str) {
        let y = self.y - 12;
        let _ = writeln!(
            self.body,
            "<rect x=\"{x}\" y=\"{y}\" width=\"14\" height=\"14\" rx=\"2\" fill=\"{colour}\"/>"
        );
    }

    pub(super) fn outline(&mut self, x: usize, width: usize) {
        let (y, width) = (self.y - 13, width - 3);
        let _ = writeln!(
            self.body,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"16\" rx=\"2\" fill=\"none\" \
                stroke=\"{BARRED}\" stroke-dasharray=\"3 3\"/>"
        );
    }

    pub(super) fn finish(self) -> String {
        self.finish_wide(WIDTH)
    }

    /// A page that may be wider than others.
    pub(super) fn finish_wide(self, width: usize) -> String {
        let height = self.y + MARGIN - 8;
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
                viewBox=\"0 0 {width} {height}\" font-family=\"ui-monospace, monospace\">\n<rect \
                width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n{}</svg>\n",
            self.body
        )
    }
}

/// Text between tags; control characters have no place there.
fn escaped(text: &str) -> String {
    eutaxis_core::fault::escaped(text)
        .replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}
