//! Whether pins hold, as text.

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::settle::{Checked, Differs};
use crate::words::{self, count};

pub(crate) fn text(all: &[Checked]) -> String {
    let width = width();
    let mut text = String::new();
    for checked in all {
        let (count, file, shown) = (
            count(checked.count, "project"),
            &checked.file,
            &checked.shown,
        );
        let (painted, head, rest): (fn(&str) -> String, _, _) = match checked.drifts.len() {
            0 => (
                style::good,
                "The pins hold:",
                format!("{count} in {file} for {shown}"),
            ),
            n => (
                style::barred,
                "The pins do not hold:",
                format!("{n} of what {file} pins for {shown} would move"),
            ),
        };
        let line = wrap(&format!("{head} {rest}"), width).join("\n");
        text.push_str(&format!("{}\n", line.replacen(head, &painted(head), 1)));
        let proof = words::proof::in_full(checked.proof.as_ref());
        text.push_str(&labelled("proof", &style::dim("proof"), &proof, width));
        let mut table = Table::new(&["", "", "", ""]);
        for drift in &checked.drifts {
            let (before, after) = (
                drift.before.as_deref().unwrap_or("-"),
                drift.after.as_deref().unwrap_or("-"),
            );
            table.row([
                format!("  {}", drift.kind),
                drift.project.clone(),
                format!("{before} -> {after}"),
                drift.because.clone(),
            ]);
        }
        text.push_str(&table.text(width));
    }
    if all.iter().any(|c| !c.drifts.is_empty()) {
        text.push('\n');
        let renew: String = all
            .iter()
            .flat_map(|c| &c.to_renew)
            .map(|name| format!(" --renew {name}"))
            .collect();
        let with = if renew.is_empty() {
            renew
        } else {
            format!(" and with {}", renew.trim_start())
        };
        let advice = format!(
            "the same command without --check{with} writes the pins anew; nothing was written"
        );
        text.push_str(&labelled("try", &style::care("try"), &advice, width));
    }
    text
}

/// Where an environment differs from what is asked at an address.
pub(crate) fn differs(differs: &Differs) -> String {
    let width = width();
    let all = differs.met + differs.apart.len();
    let line = format!(
        "{} ({}) meets {} of {} of {}",
        differs.environment,
        differs.target,
        differs.met,
        count(all, "ask"),
        differs.address
    );
    let mut text = format!("{}\n", wrap(&line, width).join("\n"));
    if differs.apart.is_empty() {
        return text;
    }
    let mut table = Table::new(&["project", "asked", "here", "where"]);
    for one in &differs.apart {
        table.row([
            one.project.clone(),
            one.asked.clone(),
            one.here.clone().unwrap_or_else(|| "not there".to_owned()),
            one.place.clone(),
        ]);
    }
    text.push_str(&format!("\n{}", table.text(width)));
    if !differs.settle.is_empty() {
        let words = "an environment as it is asked there:";
        text.push_str(&format!(
            "\n{}",
            labelled("try", &style::care("try"), words, width)
        ));
        text.push_str(&format!("     {}\n", differs.settle));
    }
    text
}
