//! A set as a graph: a box for each project, from what is asked on the left to what is needed by
//! others on the right; a line from who needs to who is needed.

use std::fmt::Write;

use super::layers::{Layout, as_float, layout};
use super::{BARRED, EMPTY, GOOD, INK, LINE, MARGIN, PALE, Page, WIDTH, escaped};
use crate::answer::reason::{Edge, Graph, Node};
use crate::words::count;

/// A box is so high, and a row so much of the page.
const BOX: f64 = 36.0;
const ROW: f64 = 52.0;
/// Room between two layers at least, and at most.
const GAP: f64 = 70.0;
const WIDEST_GAP: f64 = 190.0;
/// So many bounds stand at a box; the lines have the others.
const MOST_BOUNDS: usize = 3;
/// A character of 14 units, and one of 11.
const CHARACTER: f64 = 8.43;
const SMALL: f64 = 6.63;

/// Where a layer begins, and how wide its boxes are.
#[derive(Clone, Copy, Default)]
struct Column {
    x: f64,
    width: f64,
}

/// The whole picture.
pub(crate) fn graph(graph: &Graph, pins: &str) -> String {
    let lines: Vec<(usize, usize)> = graph.edges.iter().map(|e| (e.from, e.to)).collect();
    let placed = layout(graph.nodes.len(), &lines);
    let (columns, width) = columns(graph, &placed);
    let mut page = Page::new();
    heading(&mut page, graph, pins);
    let top = as_float(page.y);
    let mut picture = Picture {
        columns: &columns,
        placed: &placed,
        top,
        body: String::new(),
    };
    let mut edges: Vec<(usize, &Edge)> = graph.edges.iter().enumerate().collect();
    // Lines may share a way: those that tell more lie above.
    edges.sort_by_key(|(_, edge)| upper_bound(graph, edge).is_some());
    for (at, edge) in edges {
        let Some(from) = graph.nodes.get(edge.from) else {
            continue;
        };
        let told = format!("{} needs {}", from.project, edge.requirement);
        let bound = upper_bound(graph, edge);
        picture.line(at, (edge.from, edge.to), &told, bound.is_some());
    }
    for at in 0..graph.nodes.len() {
        let mine = graph.edges.iter().filter(|e| e.to == at);
        let mut bounds: Vec<&str> = mine.filter_map(|e| upper_bound(graph, e)).collect();
        bounds.sort_unstable();
        bounds.dedup();
        picture.bounds(at, &bounds);
    }
    for (at, node) in graph.nodes.iter().enumerate() {
        picture.node(at, node);
    }
    page.body.push_str(&picture.body);
    page.y += whole(placed.height * ROW);
    page.finish_wide(whole(width).max(WIDTH))
}

fn heading(page: &mut Page, graph: &Graph, pins: &str) {
    let projects = count(graph.nodes.len(), "project");
    let head = match &graph.project {
        None => format!("What {pins} holds: {projects}"),
        Some(project) => format!("What {project} has to do with in {pins}: {projects}"),
    };
    page.text(MARGIN, 18, INK, true, &head);
    page.mark(MARGIN, GOOD);
    page.beside(MARGIN + 22, PALE, "you ask for it");
    page.mark(MARGIN + 180, EMPTY);
    page.beside(MARGIN + 202, PALE, "others need it");
    if graph.edges.iter().any(|e| upper_bound(graph, e).is_some()) {
        page.mark(MARGIN + 360, BARRED);
        page.beside(
            MARGIN + 382,
            PALE,
            "needs it under a bound; a newer one is there",
        );
    }
    page.y += LINE;
}

/// The bound of a line that may keep a newer release out.
fn upper_bound<'a>(graph: &Graph, edge: &'a Edge) -> Option<&'a str> {
    let to = graph.nodes.get(edge.to)?;
    to.newest.as_ref()?;
    let bound = edge.requirement.strip_prefix(to.project.as_str())?.trim();
    let says = ["<", "==", "~="].iter().any(|word| bound.contains(word));
    says.then_some(bound)
}

/// The lines of a box: what it is, and what is newer.
fn labels(node: &Node) -> (String, Option<String>) {
    let version = node.version.as_deref().unwrap_or_default();
    let label = format!("{} {version}", node.project);
    let newest = node.newest.as_ref().map(|n| format!("newest is {n}"));
    (label.trim_end().to_owned(), newest)
}

fn columns(graph: &Graph, placed: &Layout) -> (Vec<Column>, f64) {
    let characters = |text: &str| as_float(text.chars().count());
    let mut columns = vec![Column::default(); placed.depth];
    for (node, layer) in graph.nodes.iter().zip(&placed.layers) {
        let (label, newest) = labels(node);
        let small = newest.map_or(0.0, |n| characters(&n) * SMALL);
        let width = (characters(&label) * CHARACTER).max(small) + 20.0;
        if let Some(column) = columns.get_mut(*layer) {
            column.width = column.width.max(width);
        }
    }
    let boxes: f64 = columns.iter().map(|c| c.width).sum();
    let gaps = as_float(columns.len().saturating_sub(1)).max(1.0);
    let page = as_float(WIDTH - 2 * MARGIN);
    let gap = ((page - boxes) / gaps).clamp(GAP, WIDEST_GAP);
    let mut x = as_float(MARGIN);
    for column in &mut columns {
        column.x = x;
        x += column.width + gap;
    }
    (columns, x - gap + as_float(MARGIN))
}

/// Units of a page.
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "what is drawn is small and positive, and a cast stays in range"
)]
fn whole(length: f64) -> usize {
    length.ceil().max(0.0) as usize
}

struct Picture<'a> {
    columns: &'a [Column],
    placed: &'a Layout,
    /// Where the highest row begins.
    top: f64,
    body: String,
}

impl Picture<'_> {
    fn column(&self, layer: usize) -> Column {
        self.columns.get(layer).copied().unwrap_or_default()
    }

    fn middle(&self, height: f64) -> f64 {
        self.top + height * ROW + BOX / 2.0
    }

    fn end(&self, node: usize) -> (usize, f64) {
        let layer = self.placed.layers.get(node).copied().unwrap_or_default();
        let height = self.placed.heights.get(node).copied().unwrap_or_default();
        (layer, self.middle(height))
    }

    /// A line between two nodes, past what stands between them.
    fn line(&mut self, at: usize, (from, to): (usize, usize), told: &str, is_bound: bool) {
        let (left, y) = self.end(from);
        let (right, end) = self.end(to);
        let start = self.column(left);
        let colour = if is_bound { BARRED } else { PALE };
        let mut path = format!("M{:.1} {y:.1}", start.x + start.width);
        let target = self.column(right);
        match self.placed.ways.get(at).cloned().flatten() {
            Some(way) => {
                let mut here = (start.x + start.width, y);
                let passed = way.iter().zip(left + 1..).map(|(height, layer)| {
                    let column = self.column(layer);
                    (column.x, column.x + column.width, self.middle(*height))
                });
                let ends = passed.chain([(target.x, target.x, end)]);
                for (x, beyond, y) in ends {
                    let half = (x - here.0) / 2.0;
                    let _ = write!(
                        path,
                        " C{:.1} {:.1} {:.1} {y:.1} {x:.1} {y:.1} H{beyond:.1}",
                        here.0 + half,
                        here.1,
                        x - half
                    );
                    here = (beyond, y);
                }
            }
            // It leads back: around below both.
            None => {
                let (x, back) = (start.x + start.width, target.x + target.width);
                let low = y.max(end) + ROW * 0.6;
                let beyond = x.max(back) + 26.0;
                let _ = write!(
                    path,
                    " C{beyond:.1} {y:.1} {beyond:.1} {low:.1} {:.1} {low:.1} S{beyond:.1} {end:.1} \
                        {back:.1} {end:.1}",
                    x.min(back) + 10.0
                );
            }
        }
        let dashes = match self.placed.ways.get(at) {
            Some(Some(_)) => "",
            Some(None) | None => " stroke-dasharray=\"4 3\"",
        };
        let _ = writeln!(
            self.body,
            "<path d=\"{path}\" fill=\"none\" stroke=\"{colour}\" stroke-width=\"1.3\"{dashes}>\
                <title>{}</title></path>",
            escaped(told)
        );
    }

    /// The bounds under which a project is needed, above where their lines end.
    fn bounds(&mut self, node: usize, bounds: &[&str]) {
        let (layer, y) = self.end(node);
        for (above, bound) in bounds.iter().take(MOST_BOUNDS).rev().enumerate() {
            let _ = writeln!(
                self.body,
                "<text x=\"{:.1}\" y=\"{:.1}\" font-size=\"11\" fill=\"{BARRED}\" text-anchor=\"end\" \
                    stroke=\"#ffffff\" stroke-width=\"3\" paint-order=\"stroke\">{}</text>",
                self.column(layer).x - 6.0,
                y - 6.0 - 12.0 * as_float(above),
                escaped(bound)
            );
        }
    }

    fn node(&mut self, at: usize, node: &Node) {
        let (layer, y) = self.end(at);
        let column = self.column(layer);
        let (label, newest) = labels(node);
        let (fill, ink) = match node.asked.is_empty() {
            true => (EMPTY, INK),
            false => (GOOD, "#ffffff"),
        };
        let edge = match node.is_subject {
            true => format!(" stroke=\"{INK}\" stroke-width=\"3\""),
            false => String::new(),
        };
        let told = match node.asked.is_empty() {
            true => String::new(),
            false => format!("<title>you ask {}</title>", escaped(&node.asked.join(", "))),
        };
        let _ = writeln!(
            self.body,
            "<rect x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{BOX}\" rx=\"4\" \
                fill=\"{fill}\"{edge}>{told}</rect>",
            column.x,
            y - BOX / 2.0,
            column.width
        );
        let base = if newest.is_some() { y - 2.0 } else { y + 5.0 };
        let mut text = |y: f64, size: usize, text: &str| {
            let _ = writeln!(
                self.body,
                "<text x=\"{:.1}\" y=\"{y:.1}\" font-size=\"{size}\" fill=\"{ink}\">{}</text>",
                column.x + 10.0,
                escaped(text)
            );
        };
        text(base, 14, &label);
        if let Some(newest) = newest {
            text(y + 12.0, 11, &newest);
        }
    }
}
