//! Remarks on a file of asks, as text.

use eutaxis_core::proofread::{Remark, Severity};

use unicode_width::UnicodeWidthStr;

use super::table::wrap;
use super::{style, width};
use crate::words::{count, place, troubles};

/// Fewer columns than this are too few for a sentence.
const NARROWEST: usize = 40;

pub(crate) fn text(remarks: &[Remark], files: &[String], asked: usize, alone: bool) -> String {
    let width = width();
    let number = |severity: Severity| {
        remarks
            .iter()
            .filter(|r| r.trouble.severity() == severity)
            .count()
    };
    let (breaks, risks, notes) = (
        number(Severity::Breaks),
        number(Severity::Risk),
        number(Severity::Note),
    );
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
    let mut line = format!(
        "{head} in {} ({})",
        files.join(", "),
        count(asked, "requirement")
    );
    if breaks > 0 && risks > 0 {
        line.push_str(&format!(", and {}", count(risks, "risk")));
    }
    if notes > 0 {
        line.push_str(&format!(", {}", count(notes, "note")));
    }
    let mut text = format!(
        "{}\n",
        wrap(&line, width).join("\n").replacen(&head, &painted, 1)
    );
    let room = |texts: &dyn Fn(&Remark) -> String| {
        remarks.iter().map(|r| texts(r).width()).max().unwrap_or(0)
    };
    let (places, ids) = (
        room(&|r| place(&r.place)),
        room(&|r| r.trouble.id().to_owned()),
    );
    let beside = 8 + places + 2 + ids + 2;
    // Where too little is left beside them, the words stand below.
    let indent = if width < beside + NARROWEST {
        8
    } else {
        beside
    };
    for remark in remarks {
        let severity = remark.trouble.severity();
        let word = format!("{:<6}", severity.as_str());
        let painted = match severity {
            Severity::Breaks => style::barred(&word),
            Severity::Risk => style::care(&word),
            Severity::Note => style::dim(&word),
        };
        let head = format!(
            "{painted}  {:<places$}  {:<ids$}",
            place(&remark.place),
            remark.trouble.id()
        );
        let (told, remedy) = troubles::told(remark);
        let mut lines = wrap(&told, width.saturating_sub(indent)).into_iter();
        text.push('\n');
        if indent == beside {
            text.push_str(&format!("{head}  {}\n", lines.next().unwrap_or_default()));
        } else {
            text.push_str(&format!("{}\n", head.trim_end()));
        }
        for line in lines {
            text.push_str(&format!("{}{line}\n", " ".repeat(indent)));
        }
        for (i, part) in wrap(&remedy, width.saturating_sub(indent + 5))
            .iter()
            .enumerate()
        {
            let lead = if i == 0 {
                format!("{}  ", style::care("try"))
            } else {
                " ".repeat(5)
            };
            text.push_str(&format!("{}{lead}{part}\n", " ".repeat(indent)));
        }
    }
    if alone {
        let told = "by the lines alone: with a depot named, names, versions and files are looked \
            up too (--depot)";
        text.push_str(&style::dim_lines(&format!(
            "\n{}\n",
            wrap(told, width).join("\n")
        )));
    }
    text
}
