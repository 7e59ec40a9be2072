//! How far a set was proven, as text.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::escaped;
use eutaxis_core::offer::{Adjustment, Effect};

use super::table::{labelled, wrap};
use super::{style, width};
use crate::answer::proof::{Apart, Proof, Round, Tried};
use crate::words::count;

/// A line about a proof: its label, that label as it is drawn, and what it says.
type Line = (&'static str, String, String);

/// What the set rests on, what was learnt on the way, and why it was not proven further.
fn said(proof: &Proof) -> Vec<Line> {
    let word = if proof.level.is_verified() {
        style::good("proof")
    } else {
        style::care("proof")
    };
    let care = |label: &'static str, line: String| (label, style::care(label), line);
    let learnt = proof
        .rounds
        .iter()
        .map(|r| care("learnt", escaped(&round(r))));
    let short = proof.short_of.iter().map(|why| {
        let line = format!("not proven further: {}", escaped(why));
        care("caution", line)
    });
    let scripts = proof.scripts.iter().map(|s| care("caution", escaped(s)));
    let slight = proof.slight.iter().map(|s| care("caution", escaped(s)));
    let apart = apart(&proof.apart, left(proof.tried.as_ref()));
    let apart = apart.map(|line| ("note", style::dim("note"), escaped(&line)));
    let leaves = proof.leaves.iter().map(|left| {
        let line = format!("importing it writes {}", escaped(left));
        ("note", style::dim("note"), line)
    });
    std::iter::once(("proof", word, level(proof)))
        .chain(learnt)
        .chain(short)
        .chain(slight)
        .chain(scripts)
        .chain(apart)
        .chain(leaves)
        .collect()
}

/// The lines about a proof.
pub(super) fn lines(proof: &Proof, width: usize) -> String {
    let each = said(proof).into_iter();
    each.map(|(label, painted, line)| labelled(label, &painted, &line, width))
        .collect()
}

/// The lines about proofs for several targets: what is the same for some of them is told once.
pub(super) fn lines_of(proofs: &[(&str, &Proof)], width: usize) -> String {
    let mut told: Vec<(Line, Vec<&str>)> = Vec::new();
    for (target, proof) in proofs {
        for line in said(proof) {
            match told.iter_mut().find(|(known, _)| *known == line) {
                Some((_, targets)) => targets.push(target),
                None => told.push((line, vec![target])),
            }
        }
    }
    // What the sets rest on comes first.
    told.sort_by_key(|((label, _, _), _)| *label != "proof");
    let each = told.into_iter().map(|((label, painted, line), targets)| {
        let line = if targets.len() == proofs.len() {
            line
        } else {
            format!("{}: {line}", targets.join(", "))
        };
        labelled(label, &painted, &line, width)
    });
    each.collect()
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
        Effect::FailsToBuild => format!("{who} does not build"),
        Effect::NeedsOnly(_) | Effect::Take | Effect::MadeFor(_) | Effect::Hashed(_) => who,
    }
}

/// What the set rests on.
pub(crate) fn level(proof: &Proof) -> String {
    let sets = proof.rounds.iter().map(|r| r.number).max().unwrap_or(0);
    let after = match sets {
        0 => String::new(),
        n => format!(", after {} that did not hold", count(n, "set")),
    };
    match &proof.tried {
        Some(tried) if proof.level == Evidence::Ran => {
            format!("{}{after}", ran(tried, proof.followed))
        }
        _ => {
            let read = count(proof.followed, "source");
            format!("{}: {read} followed{after}", proof.level)
        }
    }
}

/// What was imported by whom, and how many sources were read on the way.
pub(super) fn ran(tried: &Tried, sources: usize) -> String {
    let below = match tried.below {
        None => String::new(),
        Some(below) if below.modules == 0 => String::new(),
        Some(below) if below.failed == 0 => format!(" and {} below", below.modules),
        Some(below) => format!(
            " and {} of {} below",
            below.modules - below.failed,
            below.modules
        ),
    };
    format!(
        "ran: {}{below} import by {} in {:.1} s, {} read",
        count(tried.modules, "module"),
        tried.interpreter,
        tried.seconds + tried.below.map_or(0.0, |b| b.seconds),
        count(sources, "source")
    )
}

/// So many modules below were not come to.
pub(super) fn left(tried: Option<&Tried>) -> usize {
    tried.and_then(|t| t.below).map_or(0, |b| b.left)
}

/// The modules below that do not import by themselves, in a sentence; none when there are none. So
/// many were not tried.
pub(super) fn apart(all: &[Apart], left: usize) -> Option<String> {
    const MOST: usize = 6;
    let mut why = Vec::new();
    let wanting = all.iter().filter(|a| a.lacks.is_some()).count();
    if wanting > 0 {
        let mut lacking: Vec<&str> = all.iter().filter_map(|a| a.lacks.as_deref()).collect();
        lacking.sort_unstable();
        lacking.dedup();
        let more = lacking.len().saturating_sub(MOST);
        lacking.truncate(MOST);
        let more = if more == 0 {
            String::new()
        } else {
            format!(" and {more} more")
        };
        why.push(format!(
            "{} {}{more}, which nobody asks for",
            want(wanting),
            lacking.join(", ")
        ));
    }
    let mut others = all.iter().filter(|a| a.lacks.is_none());
    if let Some(first) = others.next() {
        let number = all.len() - wanting;
        why.push(format!(
            "{} more than an import, as {}: {}",
            want(number),
            first.module,
            first.told
        ));
    }
    let not_tried = (left > 0).then(|| {
        let them = count(left, "module");
        format!("{them} below were not tried: time was up")
    });
    let parts = (!why.is_empty())
        .then(|| format!("parts that do not import by themselves: {}", why.join("; ")));
    let all: Vec<String> = parts.into_iter().chain(not_tried).collect();
    (!all.is_empty()).then(|| all.join("; "))
}

fn want(number: usize) -> String {
    let verb = if number == 1 { "wants" } else { "want" };
    format!("{number} {verb}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::none(&[], 0, None)]
    #[case::one(
        &[("a.b", Some("tarn"))],
        0,
        Some("parts that do not import by themselves: 1 wants tarn, which nobody asks for")
    )]
    #[case::many(
        &[("a.b", Some("tarn")), ("a.c", Some("firn")), ("a.d", Some("tarn")), ("a.e", None)],
        0,
        Some(
            "parts that do not import by themselves: 3 want firn, tarn, which nobody asks for; 1 \
                wants more than an import, as a.e: no station"
        )
    )]
    #[case::late(&[], 2, Some("2 modules below were not tried: time was up"))]
    fn parts_are_told_in_a_sentence(
        #[case] all: &[(&str, Option<&str>)],
        #[case] left: usize,
        #[case] expected: Option<&str>,
    ) {
        let one = |(module, lacks): &(&str, Option<&str>)| Apart {
            module: (*module).to_owned(),
            lacks: lacks.map(str::to_owned),
            told: "no station".to_owned(),
        };
        let all: Vec<Apart> = all.iter().map(one).collect();
        assert_eq!(apart(&all, left).as_deref(), expected);
    }
}
