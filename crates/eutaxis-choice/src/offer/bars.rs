//! The checks that bar a file, and what sums them up for a release.

use super::{Bar, Judged, OfferFile, Wheels};
use eutaxis_standards::targets::Target;

/// Files that are still served of a project that is quarantined (PEP 792).
pub(super) fn quarantined(judged: &Judged<'_>) -> Option<Bar> {
    judged
        .quarantined
        .map(|reason| Bar::Quarantined(reason.to_owned()))
}

/// `--as-of` (docs/choice.md, as-of): a file of that very moment exists, one without date does not
/// unless the user takes such.
pub(super) fn date(judged: &Judged<'_>) -> Option<Bar> {
    let as_of = judged.policy.as_of?;
    match judged.published {
        None => (!judged.policy.take_undated).then_some(Bar::Undated),
        Some(published) => (published > as_of).then_some(Bar::Later { as_of, published }),
    }
}

/// Requires-Python, per file, against the whole version of the interpreter (docs/choice.md,
/// Requires-Python).
pub(super) fn requires_python(judged: &Judged<'_>) -> Option<Bar> {
    let set = judged.requires_python?;
    judged.target.python_misfit(set).map(Bar::Misfit)
}

/// The wheel's tags.
pub(super) fn tags(judged: &Judged<'_>) -> Option<Bar> {
    let tags = judged.tags?;
    if judged.rank.is_some() {
        return None;
    }
    let misfits = judged.target.misfits([tags]);
    misfits.into_iter().next().map(Bar::Misfit)
}

/// What a variant asks of the target (draft PEP 825), where its tags fit.
pub(super) fn variant(judged: &Judged<'_>) -> Option<Bar> {
    judged.rank?;
    let miss = judged.variant.as_ref()?.as_ref().err()?;
    Some(Bar::Variant(Box::new(miss.clone())))
}

/// `--wheels only`, but for projects named by `--build`; and wheels of projects named by `--rebuild`.
pub(super) fn wheels_policy(judged: &Judged<'_>) -> Option<Bar> {
    let policy = judged.policy;
    if judged.tags.is_some() {
        let is_rebuilt = policy.rebuild.contains(judged.project);
        return is_rebuilt.then_some(Bar::ToBeBuilt);
    }
    let barred = policy.wheels == Wheels::Only && !policy.builds(judged.project);
    barred.then_some(Bar::OnlySource)
}

/// The bars of a release: those of its files, summed up, each once.
pub(super) fn of_release(files: &[OfferFile], target: &Target) -> Vec<Bar> {
    // A wheel whose tags fit is the nearest miss of all: only what bars it counts then.
    let one_fits = files.iter().any(|f| f.rank.is_some());
    let misses = files.iter().filter(|_| !one_fits);
    let wheels = misses.filter_map(|f| f.file.kind.tags());
    let misfits = target.misfits(wheels).into_iter();
    let mut bars: Vec<Bar> = misfits.map(Bar::Misfit).collect();
    let told_by_tags = |f: &OfferFile| f.is_wheel() && f.rank.is_none();
    for file in files.iter().filter(|f| !told_by_tags(f)) {
        for bar in &file.bars {
            if !bars.contains(bar) {
                bars.push(bar.clone());
            }
        }
    }
    bars
}
