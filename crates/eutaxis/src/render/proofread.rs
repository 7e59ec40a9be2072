//! Remarks on a file of asks, as text.

use eutaxis_core::proofread::{Remark, Severity};

use super::table::wrap;
use super::{count, place, style, width};

pub(crate) fn text(remarks: &[Remark], files: &[String], asked: usize, alone: bool) -> String {
    let width = width();
    let number = |severity: Severity| remarks.iter().filter(|r| r.severity == severity).count();
    let (breaks, risks, notes) = (number(Severity::Breaks), number(Severity::Risk), number(Severity::Note));
    let head = match (breaks, risks) {
        (0, 0) => "Nothing is wrong".to_owned(),
        (0, n) => count(n, "risk"),
        (n, _) => format!("{} that cannot be settled", count(n, "line")),
    };
    let painted = match (breaks, risks) {
        (0, 0) => style::good(&head),
        (0, _) => style::care(&head),
        _ => style::barred(&head),
    };
    let mut line = format!("{head} in {} ({})", files.join(", "), count(asked, "requirement"));
    if breaks > 0 && risks > 0 {
        line.push_str(&format!(", and {}", count(risks, "risk")));
    }
    if notes > 0 {
        line.push_str(&format!(", {}", count(notes, "note")));
    }
    let mut text = format!("{}\n", wrap(&line, width).join("\n").replacen(&head, &painted, 1));
    for remark in remarks {
        let word = remark.severity.as_str();
        let painted = match remark.severity {
            Severity::Breaks => style::barred(&format!("{word:<6}")),
            Severity::Risk => style::care(&format!("{word:<6}")),
            Severity::Note => style::dim(&format!("{word:<6}")),
        };
        let told = format!("{}  {}  {}", place(&remark.place), remark.id, remark.text);
        text.push('\n');
        for (i, part) in wrap(&told.replace("  ", "\u{a0}\u{a0} "), width.saturating_sub(8)).iter().enumerate() {
            text.push_str(&format!("{}{part}\n", if i == 0 { format!("{painted}  ") } else { " ".repeat(8) }));
        }
        for (i, part) in wrap(&remark.remedy, width.saturating_sub(12)).iter().enumerate() {
            let lead = if i == 0 { format!("        {}  ", style::care("do")) } else { " ".repeat(12) };
            text.push_str(&format!("{lead}{part}\n"));
        }
    }
    if alone {
        let told = "by the lines alone: with a depot named, names, versions and files are looked up too (--depot)";
        text.push_str(&style::dim_lines(&format!("\n{}\n", wrap(told, width).join("\n"))));
    }
    text
}
