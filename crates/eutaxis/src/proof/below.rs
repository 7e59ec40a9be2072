//! What is wrong below the modules that people import first: between projects of the set, or only with
//! a part that wants more than is there.

use std::collections::BTreeSet;

use eutaxis_core::interface::Gap;

use super::contents::Contents;
use super::failure::Failure;
use crate::answer::proof::Apart;

/// What is between two projects, once for each kind; and the rest, which no other set mends.
pub(crate) fn sorted(failures: Vec<Failure>, contents: &Contents) -> (Vec<Failure>, Vec<Apart>) {
    let mut between: Vec<Failure> = Vec::new();
    let mut apart = Vec::new();
    for mut failure in failures {
        if !failure.is_between() {
            apart.push(self::apart(failure, contents));
        } else if !between.iter().any(|f| f.kind == failure.kind) {
            failure.slight = true;
            between.push(failure);
        }
    }
    (between, apart)
}

/// As something that no other set mends.
pub(crate) fn apart(failure: Failure, contents: &Contents) -> Apart {
    Apart {
        lacks: failure.lacks_of_nobody(),
        told: told(&failure, contents),
        module: failure.root,
    }
}

/// The same by what sources show; each module once.
pub(crate) fn read(gaps: &[Gap], contents: &Contents) -> (Vec<Failure>, Vec<Apart>) {
    let mut seen = BTreeSet::new();
    let failures = gaps.iter().filter(|g| seen.insert((&g.taker, &g.root)));
    let failures = failures.map(|g| Failure::of_gap(g, contents)).collect();
    sorted(failures, contents)
}

/// A failure with the release that ran into it.
pub(crate) fn told(failure: &Failure, contents: &Contents) -> String {
    format!("{} {}", contents.name(failure.taker), failure.told)
}
