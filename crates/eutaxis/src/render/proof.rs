//! How far a set was proven, as text.

use eutaxis_core::fault::escaped;

use super::table::{labelled, wrap};
use super::{style, width};
use crate::answer::proof::Proof;
use crate::words::proof::{level, round};

/// What the set rests on, what was learnt on the way, and why it was not proven further.
pub(super) fn lines(proof: &Proof, width: usize) -> String {
    let word = |text: &str| {
        if proof.level.is_verified() {
            style::good(text)
        } else {
            style::care(text)
        }
    };
    let mut text = labelled("proof", &word("proof"), &level(proof), width);
    for found in &proof.rounds {
        let line = escaped(&round(found));
        text.push_str(&labelled("learnt", &style::care("learnt"), &line, width));
    }
    for why in &proof.short_of {
        let line = format!("not proven further: {}", escaped(why));
        text.push_str(&labelled("caution", &style::care("caution"), &line, width));
    }
    for left in &proof.leaves {
        let line = format!("importing it writes {}", escaped(left));
        text.push_str(&labelled("note", &style::dim("note"), &line, width));
    }
    text.push('\n');
    text
}

/// That no set was found that holds.
pub(crate) fn refused(proof: &Proof, target: &str) -> String {
    let width = width();
    let head = "Not proven";
    let line = format!("{head}: no set was found that imports on {target}");
    let mut text = wrap(&line, width)
        .join("\n")
        .replacen(head, &style::barred(head), 1);
    text.push_str("\n\n");
    for found in &proof.rounds {
        let line = escaped(&round(found));
        text.push_str(&labelled("failed", &style::barred("failed"), &line, width));
    }
    for why in &proof.short_of {
        text.push_str(&labelled(
            "ended",
            &style::care("ended"),
            &escaped(why),
            width,
        ));
    }
    text.push_str(
        "\nnothing was written; without --prove it is settled by what the metadata say\n",
    );
    text
}
