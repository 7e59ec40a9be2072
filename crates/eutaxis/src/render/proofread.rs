//! Remarks on files of asks and on code, as text.

use eutaxis_core::fault::escaped;
use eutaxis_core::severity::Severity;

use unicode_width::UnicodeWidthStr;

use super::table::wrap;
use super::{style, width};
use crate::answer::proofread::{Proofread, Told};
use crate::words::{self, count};

/// Fewer columns than this are too few for a sentence.
const NARROWEST: usize = 56;

/// The verdict, and what it is about.
fn verdict(found: &Proofread) -> (String, String) {
    let of = |severity: Severity| {
        found
            .remarks
            .iter()
            .filter(move |r| r.severity() == severity)
    };
    let (breaks, risks, notes) = (
        of(Severity::Breaks).count(),
        of(Severity::Risk).count(),
        of(Severity::Note).count(),
    );
    let in_code = of(Severity::Breaks)
        .filter(|told| matches!(told, Told::Own(_)))
        .count();
    let head = match (breaks, risks) {
        (0, 0) => "Nothing is wrong".to_owned(),
        (0, n) => count(n, "risk"),
        (1, _) if in_code == 1 => "1 import breaks".to_owned(),
        (n, _) if in_code == n => format!("{n} imports break"),
        (n, _) if in_code == 0 => format!("{} that cannot be settled", count(n, "line")),
        (n, _) => format!("{n} lines and imports that break"),
    };
    let mut about = Vec::new();
    if found.asked > 0 || found.code.is_none() {
        about.push(count(found.asked, "requirement"));
    }
    about.extend(found.code.as_ref().map(|code| {
        let read = format!(
            "{}, {}",
            count(code.files, "file"),
            count(code.imports, "import")
        );
        match code.against.as_slice() {
            [] => format!("{read}, held against the standard library alone"),
            labels => format!("{read}, held against {}", labels.join(" and ")),
        }
    }));
    let mut line = format!(" in {} ({})", found.files.join(", "), about.join("; "));
    if breaks > 0 && risks > 0 {
        line.push_str(&format!(", and {}", count(risks, "risk")));
    }
    if notes > 0 {
        line.push_str(&format!(", {}", count(notes, "note")));
    }
    (head, line)
}

pub(crate) fn text(found: &Proofread) -> String {
    let width = width();
    let remarks = &found.remarks;
    let worst = remarks.iter().map(Told::severity).min();
    let (head, line) = verdict(found);
    let painted = match worst {
        Some(Severity::Breaks) => style::barred(&head),
        Some(Severity::Risk) => style::care(&head),
        Some(Severity::Note) | None => style::good(&head),
    };
    let line = format!("{head}{line}");
    let mut text = format!(
        "{}\n",
        wrap(&line, width).join("\n").replacen(&head, &painted, 1)
    );
    let room = |texts: &dyn Fn(&Told) -> String| {
        remarks.iter().map(|r| texts(r).width()).max().unwrap_or(0)
    };
    let (places, ids) = (room(&|r| escaped(&r.place())), room(&|r| r.id().to_owned()));
    let beside = 8 + places + 2 + ids + 2;
    // Where too little is left beside them, the words stand below.
    let indent = if width < beside + NARROWEST {
        8
    } else {
        beside
    };
    let never = |told: &&Told| told.id() == "never-imported";
    let all_never: Vec<_> = (remarks.iter().filter(never))
        .filter_map(|told| match told {
            Told::Own(own) => Some((&own.remark, &own.mends)),
            Told::Line(_) | Told::Unread(..) => None,
        })
        .collect();
    let together = (all_never.len() > 1)
        .then(|| words::own::never_imported(&all_never))
        .flatten();
    let mut is_told = false;
    for remark in remarks {
        // What is imported nowhere is told once, at the place of the first.
        if together.is_some() && never(&remark) && std::mem::replace(&mut is_told, true) {
            continue;
        }
        let severity = remark.severity();
        let word = format!("{:<6}", severity.as_str());
        let painted = match severity {
            Severity::Breaks => style::barred(&word),
            Severity::Risk => style::care(&word),
            Severity::Note => style::dim(&word),
        };
        let head = format!(
            "{painted}  {:<places$}  {:<ids$}",
            escaped(&remark.place()),
            remark.id()
        );
        let (told, remedy) = match &together {
            Some(both) if never(&remark) => both.clone(),
            Some(_) | None => remark.told(),
        };
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
    if found.alone && found.asked > 0 {
        let told = "by the lines alone: with a depot named, names, versions and files are looked \
            up too (--depot)";
        text.push_str(&style::dim_lines(&format!(
            "\n{}\n",
            wrap(told, width).join("\n")
        )));
    }
    text
}
