//! What cache and store hold, as text.

use std::path::Path;

use eutaxis_world::build::Record;
use eutaxis_world::stock::Part;

use super::table::{Table, wrap};
use super::{style, width};
use crate::words::{seconds, size};

pub(crate) fn text(cache: &Path, parts: &[Part], built: &[Record], freed: Option<u64>) -> String {
    let width = width();
    let total: u64 = parts.iter().map(|p| p.bytes).sum();
    let mut text = String::new();
    if let Some(freed) = freed {
        text.push_str(&format!("{} {}\n", style::good("Freed:"), size(freed)));
    }
    let line = format!("{} in {}", size(total), cache.display());
    text.push_str(&format!("{}\n\n", wrap(&line, width).join("\n")));
    let mut table = Table::new(&["", "entries", "size"]);
    for part in parts {
        table.row([
            part.what.to_owned(),
            part.entries.to_string(),
            size(part.bytes),
        ]);
    }
    text.push_str(&table.text(width));
    if !built.is_empty() {
        text.push_str("\nbuilt here from source\n");
        let mut table = Table::new(&["  wheel", "took", "built by", "note"]);
        for one in built {
            let by: Vec<String> = one.by.iter().map(|(n, v, _)| format!("{n} {v}")).collect();
            table.row([
                format!("  {}", one.wheel),
                seconds(one.seconds),
                by.join(", "),
                super::build::note(one),
            ]);
        }
        text.push_str(&table.text(width));
    }
    if freed.is_none() && total > 0 {
        let advice = "make room:  eutaxis stock --trim 30d  drops what was not used for 30 days;  \
            --trim 2GB  what was used longest ago. Environments stay as they are.";
        text.push_str(&format!("\n{}\n", wrap(advice, width).join("\n")));
    }
    text
}
