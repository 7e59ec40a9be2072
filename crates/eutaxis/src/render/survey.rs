//! What `survey` found, as text.

use super::table::{Table, labelled};
use super::{style, width};
use crate::commands::survey::Report;

pub(crate) fn text(report: &Report) -> String {
    let width = width();
    let mut text = format!("{} {}\n\n", style::strong("This machine:"), report.machine_words());
    if report.interpreters.is_empty() {
        text.push_str("No Python interpreter was found.\n");
    } else {
        let mut table = Table::new(&["  interpreter", "version", "kind", "where"]);
        for found in &report.interpreters {
            let mark = if found.default { "*" } else { " " };
            table.row([
                format!("{mark} {}", found.name),
                found.version.clone(),
                found.kind.clone(),
                found.path.clone(),
            ]);
        }
        text.push_str(&table.text(width));
        if report.interpreters.iter().any(|i| i.default) {
            text.push_str(&style::dim("\n* is what the bare name `python3` starts here.\n"));
        }
    }
    if let Some(target) = &report.target {
        text.push_str(&format!("\nAs a target:  {target}\n"));
    }
    for caution in &report.cautions {
        text.push('\n');
        text.push_str(&labelled("care", &style::care("care"), caution, width));
    }
    if let Some(tags) = &report.tags {
        text.push_str(&format!("\n{} wheel tags are accepted, best first:\n", tags.len()));
        for tag in tags {
            text.push_str(&format!("{tag}\n"));
        }
    }
    if let Some(saved) = &report.saved {
        text.push_str(&format!("\nwrote {saved}\n"));
    }
    text
}
