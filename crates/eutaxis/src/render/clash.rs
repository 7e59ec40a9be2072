//! A clash, as text: the facts with their origins, then the contested releases as an axis.

use eutaxis_core::Name;
use eutaxis_core::solve::{Clash, Contested, FactKind};
use unicode_width::UnicodeWidthStr;

use super::table::{Table, labelled, wrap};
use super::{count, style, width};

/// `nearest` gives names like the one asked for; `listed`: the depots list projects at all.
pub(crate) fn text(clash: &Clash, target: &str, nearest: &dyn Fn(&Name) -> Vec<Name>, listed: bool) -> String {
    let width = width();
    let head = "Cannot be settled";
    let line = format!("{head} for {target}: {} cannot hold together.", count(clash.facts.len(), "fact"));
    let mut text = format!("{}\n\n", wrap(&line, width).join("\n").replacen(head, &style::barred(head), 1));
    let mut table = Table::new(&["", "", ""]);
    for (i, fact) in clash.facts.iter().enumerate() {
        let (word, rest) = match fact.kind {
            FactKind::Ask => ("you ask", fact.text.trim_start_matches("you ask ")),
            FactKind::Bound => ("you bound", fact.text.trim_start_matches("you bound ")),
            FactKind::Needs => ("needs", fact.text.as_str()),
            FactKind::Bar(_) => ("barred", fact.text.as_str()),
        };
        let origin = fact.origin.as_ref().map_or(String::new(), |o| format!("   ({})", super::place(o)));
        table.row([format!("{:>2}", i + 1), word.to_owned(), format!("{rest}{origin}")]);
    }
    text.push_str(&table.text(width));
    for contested in &clash.contested {
        text.push('\n');
        text.push_str(&axis(contested, width));
    }
    for name in &clash.absent {
        let near = nearest(name);
        let words: Vec<&str> = near.iter().map(Name::as_str).collect();
        let advice = match (words.as_slice(), listed) {
            ([], true) => format!("look at the name {name}: no depot has it; nothing there has a name like it"),
            ([], false) => format!("no depot has {name}: {}", super::NO_LIST),
            (words, _) => format!("look at the name {name}: no depot has it; nearest: {}", words.join(", ")),
        };
        text.push('\n');
        text.push_str(&labelled("do", &style::care("do"), &advice, width));
    }
    if clash.absent.is_empty() {
        text.push('\n');
        let advice = "change one of the facts that are yours (a line above, --interpreter, --wheels, --prereleases, --as-of) and settle again; nothing was written";
        text.push_str(&labelled("do", &style::care("do"), advice, width));
    }
    text
}

/// Releases from left to right, one row per fact, and what is left: nothing.
fn axis(contested: &Contested, width: usize) -> String {
    let releases: Vec<String> = contested.releases.iter().map(ToString::to_string).collect();
    let columns: Vec<usize> = releases.iter().map(|r| r.width().max(4) + 1).collect();
    let lead = contested.project.as_str().width().max("fact 00".len()) + 3;
    if lead + columns.iter().sum::<usize>() > width {
        return ranges(contested, width);
    }
    let mut text = format!("{:lead$}", format!(" {}", contested.project));
    for (release, column) in releases.iter().zip(&columns) {
        text.push_str(&format!("{release:<column$}"));
    }
    text = format!("{}\n", style::strong(text.trim_end()));
    for (fact, allowed) in &contested.rows {
        let mut line = format!("{:lead$}", format!("   fact {}", fact + 1));
        for (release, column) in contested.releases.iter().zip(&columns) {
            let mark = if allowed.contains(release) { "####" } else { " . " };
            line.push_str(&format!("{mark:<column$}"));
        }
        text.push_str(&format!("{}\n", line.trim_end()));
    }
    let left: String = columns.iter().map(|c| format!("{:<c$}", " . ")).collect();
    text.push_str(&format!("{}\n", format!("{:lead$}{left}", "   left").trim_end()));
    text
}

/// For histories that are too long for the width: the ends of what each fact allows.
fn ranges(contested: &Contested, width: usize) -> String {
    let mut text = format!("{}\n", style::strong(&format!(" {}", contested.project)));
    for (fact, allowed) in &contested.rows {
        let words = match (allowed.first(), allowed.last()) {
            (Some(first), Some(last)) if first != last => {
                format!("{} from {first} to {last}", count(allowed.len(), "release"))
            }
            (Some(only), _) => only.to_string(),
            _ => "nothing".to_owned(),
        };
        for line in wrap(&format!("fact {} allows {words}", fact + 1), width.saturating_sub(3)) {
            text.push_str(&format!("   {line}\n"));
        }
    }
    text.push_str("   left: nothing\n");
    text
}
