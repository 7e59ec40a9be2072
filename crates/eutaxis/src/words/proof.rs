//! What pins say of how far they were proven, in words.

use eutaxis_core::evidence::Evidence;
use eutaxis_core::record::Proof;

use super::day;

/// In a few words, beside the pins' name; pins that record nothing rest on what metadata declare.
pub(crate) fn in_short(proof: Option<&Proof>) -> String {
    match proof {
        Some(proof) if proof.level.is_verified() => {
            format!("{} on {}", proof.level, day(proof.at))
        }
        _ => "never read nor run".to_owned(),
    }
}

/// As a sentence of its own.
pub(crate) fn in_full(proof: Option<&Proof>) -> String {
    match proof {
        Some(proof) if proof.level == Evidence::Ran => {
            let by = proof.interpreter.as_ref();
            let by = by.map_or(String::new(), |i| format!(" by {i}"));
            format!("ran: its imports were tried{by} on {}", day(proof.at))
        }
        Some(proof) if proof.level == Evidence::Read => format!(
            "read: its contents go together by what was read on {}; no import was tried",
            day(proof.at)
        ),
        _ => "declared: it goes together by the metadata; --prove reads its contents and tries \
            its imports"
            .to_owned(),
    }
}
