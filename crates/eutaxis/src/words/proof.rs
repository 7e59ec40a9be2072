//! How far a set was proven, in words.

use eutaxis_core::offer::{Adjustment, Effect};

use super::count;
use crate::answer::proof::{Proof, Round};

/// What a round found, and what was learnt from it.
pub(crate) fn round(round: &Round) -> String {
    let learnt = match &round.learnt {
        Some(adjustment) => format!("learnt: {}", lesson(adjustment)),
        None => "nothing was learnt from it".to_owned(),
    };
    format!(
        "set {}: {} {} ({}); {learnt}",
        round.number,
        round.project,
        round.failed,
        round.evidence.as_str()
    )
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
