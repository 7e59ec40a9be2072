//! How far a set was proven, as text.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::escaped;
use eutaxis_core::offer::{Adjustment, Effect};

use super::table::{labelled, wrap};
use super::{style, width};
use crate::answer::proof::{Proof, Round};
use crate::words::count;

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
    for script in &proof.scripts {
        let line = escaped(script);
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
    for way in &proof.ways {
        let line =
            format!("an interpreter of this machine that has it: the same command with  {way}");
        text.push_str(&labelled("try", &style::care("try"), &line, width));
    }
    text.push_str(
        "\nnothing was written; without --prove it is settled by what the metadata say\n",
    );
    text
}

/// What a round found, and what follows from it.
pub(crate) fn round(round: &Round) -> String {
    let so = match &round.learnt {
        Some(adjustment) => format!("so {}", lesson(adjustment)),
        None => "nothing follows from it".to_owned(),
    };
    let failed = match round.evidence {
        Evidence::Ran => format!("{} (ran; in {})", round.failed, round.project),
        Evidence::Read | Evidence::Solved => format!("{} {} (read)", round.project, round.failed),
    };
    format!("set {}: {failed}: {so}", round.number)
}

/// What was learnt, in words.
pub(crate) fn lesson(adjustment: &Adjustment) -> String {
    let who = format!("{} {}", adjustment.project, adjustment.versions);
    match &adjustment.effect {
        Effect::Needs(needs) => format!("{who} needs {needs}"),
        Effect::Avoid => format!("{who} does not run here"),
        Effect::NeedsOnly(_) | Effect::Take | Effect::MadeFor(_) => who,
    }
}

/// What the set rests on.
pub(crate) fn level(proof: &Proof) -> String {
    let read = count(proof.followed, "source");
    let sets = proof.rounds.iter().map(|r| r.number).max().unwrap_or(0);
    let after = match sets {
        0 => String::new(),
        n => format!(", after {} that did not hold", count(n, "set")),
    };
    match &proof.tried {
        Some(tried) if proof.level.as_str() == "ran" => format!(
            "ran: {} import by {} in {:.1} s, {read} read{after}",
            count(tried.modules, "module"),
            tried.interpreter,
            tried.seconds
        ),
        _ => format!("{}: {read} followed{after}", proof.level),
    }
}
