//! Sentences that several answers share: what keeps a release out, what to take care of, what was
//! adjusted.

use eutaxis_core::fault::escaped;
use eutaxis_core::offer::{Adjustment, ByExtra, Chronology, Effect, Loss};
use eutaxis_core::rehearse::Break;
use eutaxis_core::solve::{Asker, Caution, Newer, Out, Problem, Strength};
use eutaxis_core::targets::Accelerators;
use eutaxis_core::{Name, Requirement};

use super::chronology::{self, month};
use super::place;

/// What keeps a newer release out, a sentence for each reason.
pub(crate) fn all_out(newer: &Newer, problem: &Problem) -> Vec<String> {
    if newer.out.is_empty() {
        return vec!["it does not go with the choices made before it".to_owned()];
    }
    newer
        .out
        .iter()
        .map(|out| out_words(out, problem))
        .collect()
}

fn out_words(out: &Out, problem: &Problem) -> String {
    match out {
        Out::Excluded(Asker::Ask(i), words) => {
            let origin = problem
                .ask(*i)
                .map_or(String::new(), |a| format!(" ({})", place(&a.origin)));
            format!("you ask {words}{origin}")
        }
        Out::Excluded(Asker::Project(name, _), words) => format!("{name} needs {words}"),
        Out::Bound(i) => problem.bound(*i).map_or(String::new(), |b| {
            format!("you bound {} ({})", b.requirement.short(), place(&b.origin))
        }),
        Out::Barred(bar) => bar.to_string(),
        Out::Yanked(reason) if reason.is_empty() => "yanked".to_owned(),
        Out::Yanked(reason) => format!("yanked: \"{}\"", escaped(reason)),
        Out::Prerelease => "a pre-release, which nothing asked for".to_owned(),
        Out::Source(Some(why)) => format!("only source here: {why}"),
        Out::Source(None) => "only source".to_owned(),
        Out::Unmet(need, chosen) => format!("it needs {need}, and {chosen} was chosen"),
        Out::Doubted(doubt) => chronology::doubt(doubt),
        Out::Late(name, version, first) => format!(
            "it came after the time of {name} {version} ({})",
            month(*first)
        ),
        Out::OtherToolkit(name, version) => {
            format!(
                "it is built for another toolkit than {name} {version}, and an environment holds \
                    one"
            )
        }
        Out::Unserved(because) => because.to_string(),
        Out::OtherBuild => "another build uses the accelerator of this place better".to_owned(),
        Out::Older => "the oldest is preferred".to_owned(),
    }
}

/// What a better release is out for, in one sentence; where it is not the newest, that is named
/// too.
pub(crate) fn better_out(better: &Newer, newest: &Newer, problem: &Problem, kept: bool) -> String {
    if better.version.public() == newest.version.public() {
        return newest_out(better, problem, kept);
    }
    format!(
        "{}; newest {}",
        release_out(better, problem, kept),
        newest.version
    )
}

/// What the newest release that was not taken is out for, in one sentence.
pub(crate) fn newest_out(newer: &Newer, problem: &Problem, kept: bool) -> String {
    let is = if newer.out.is_empty() && kept {
        " is"
    } else {
        ""
    };
    format!("newest{is} {}", release_out(newer, problem, kept))
}

/// A release, and what it is out for.
fn release_out(newer: &Newer, problem: &Problem, kept: bool) -> String {
    let version = &newer.version;
    match newer.out.first() {
        None if kept => format!("{version}: the earlier pin is kept (--renew)"),
        None => format!("{version} does not go with the other choices"),
        Some(Out::Barred(bar)) => format!("{version} is barred: {bar}"),
        Some(Out::Yanked(reason)) if reason.is_empty() => format!("{version} is yanked"),
        Some(Out::Yanked(reason)) => format!("{version} is yanked: {}", escaped(reason)),
        Some(Out::Source(Some(why))) => format!("{version} has only source here: {why}"),
        Some(Out::Source(None)) => format!("{version} has only source"),
        Some(Out::Unmet(need, chosen)) => {
            format!("{version} needs {need}, and {chosen} was chosen")
        }
        // Where an ask stands is told in the column beside.
        Some(Out::Excluded(Asker::Ask(_), words)) => format!("{version} is out: you ask {words}"),
        Some(out) => format!("{version} is out: {}", out_words(out, problem)),
    }
}

/// Whether a caution says that an accelerator of the place is not used, or perhaps not served: that
/// stands in the first lines.
pub(crate) fn is_of_accelerator(caution: &Caution) -> bool {
    matches!(
        caution,
        Caution::Unaccelerated { .. } | Caution::Unserved { .. } | Caution::RuntimeByExtra { .. }
    )
}

/// That a release leaves the accelerators of the place unused, what shows that others do, and what
/// keeps to those that use them.
pub(crate) fn unused(release: &str, loss: &Loss, here: &Accelerators) -> String {
    let families = here.names();
    let last = loss.last.as_ref();
    let last = last.map_or(String::new(), |last| {
        let required = here.here.first().map_or("", |a| a.family.name.as_str());
        format!(
            " The last with {families} here was {last}: --accelerator \"{required} required\" takes it."
        )
    });
    format!("{release} leaves {families} unused: {}.{last}", loss.shown)
}

/// That a release brings the runtime only with an extra.
pub(crate) fn by_extra(release: &str, project: &Name, by: &ByExtra) -> String {
    let (family, toolkit) = &by.brings;
    let which = match toolkit.exactness() {
        0 => String::new(),
        _ => format!(", for {family} {toolkit}"),
    };
    format!(
        "{release} brings no runtime of {family} by itself: {project}[{}] does{which}.",
        by.extra
    )
}

/// Cautions of a solution in words: all that may break, and of chronology the strong ones; with
/// `all` every one.
pub(crate) fn cautions<'a>(
    cautions: impl IntoIterator<Item = &'a Caution>,
    problem: &Problem,
    all: bool,
) -> Vec<String> {
    let mut told = Vec::new();
    let mut quiet = 0;
    for caution in cautions {
        match caution {
            Caution::ExtraAbsent {
                project,
                version,
                extra,
            } => told.push(format!(
                "{project} {version} offers no extra `{extra}`: it adds nothing. Look for a \
                    misspelling, or leave it out."
            )),
            Caution::Unaccelerated {
                project,
                version,
                loss,
                alone,
            } => {
                let here = &problem.target.accelerators;
                let one = unused(&format!("{project} {version}"), loss, here);
                told.push(match alone {
                    true => format!("nothing in this answer uses {}. {one}", here.names()),
                    false => one,
                });
            }
            Caution::RuntimeByExtra {
                project,
                version,
                by,
            } => told.push(by_extra(&format!("{project} {version}"), project, by)),
            Caution::Unserved {
                project,
                version,
                because,
            } => told.push(format!("{project} {version} is {because}.")),
            Caution::Unread {
                project,
                version,
                text,
            } => told.push(format!(
                "{project} {version} needs `{}`, which cannot be read: its bounds count as none. \
                    [[adjust]] with `needs` says what is meant.",
                escaped(text)
            )),
            Caution::Yanked {
                project,
                version,
                reason,
            } => {
                let why = if reason.is_empty() {
                    String::new()
                } else {
                    format!(": \"{}\"", escaped(reason))
                };
                told.push(format!(
                    "{project} {version} is yanked{why}. It is taken because it is pinned exactly."
                ));
            }
            // Where dates have a part in the choice, what is strong was heeded, or is told as let
            // go.
            Caution::NeverMet { strength, .. }
                if !all
                    && (*strength != Strength::Strong || problem.policy.chronology.decides()) =>
            {
                quiet += 1;
            }
            Caution::NeverMet { .. } => told.extend(never_met(caution, problem.policy.chronology)),
        }
    }
    if quiet > 0 {
        told.push(match quiet {
            1 => "1 release was published after one that needs it, which usually works (-v names \
                 it)."
                .to_owned(),
            n => format!(
                "{n} releases were published after those that need them, which usually works (-v \
                 names them)."
            ),
        });
    }
    told
}

/// Both dates, and what to do when it fails.
fn never_met(caution: &Caution, chronology: Chronology) -> Option<String> {
    let Caution::NeverMet {
        project,
        version,
        published,
        other,
        other_version,
        began,
        strength,
    } = caution
    else {
        return None;
    };
    let (then, since) = (month(*published), month(*began));
    let series = other_version.release_number(0);
    let heed = if chronology.decides() {
        // What dates say was heeded already.
        format!("If it fails: \"{other}<{series}\" beside it holds {other} back.")
    } else {
        format!("If it fails: --chronology heed --renew holds {other} back where that can be.")
    };
    Some(match strength {
        Strength::Strong => format!(
            "{project} {version} ({then}) was compiled before {other} {series} ({since}) existed \
                and sets no upper bound. {heed}"
        ),
        Strength::Middling => format!(
            "{project} {version} ({then}) appeared before {other} {series} ({since}) existed and \
                sets no upper bound. {heed}"
        ),
        Strength::Weak => {
            format!(
                "{project} {version} ({then}) is years older than {other} {other_version} \
                    ({since}), which it needs."
            )
        }
    })
}

/// An adjustment in words, with its reason and place.
pub(crate) fn adjustment(adjustment: &Adjustment) -> String {
    let versions = if adjustment.versions.is_empty() {
        String::new()
    } else {
        format!(" {}", adjustment.versions)
    };
    let effect = match &adjustment.effect {
        Effect::Needs(requirement) => format!("needs {}", requirement.short()),
        Effect::NeedsOnly(needs) if needs.is_empty() => "needs nothing".to_owned(),
        Effect::NeedsOnly(needs) => {
            format!(
                "needs only {}",
                needs
                    .iter()
                    .map(Requirement::short)
                    .collect::<Vec<_>>()
                    .join(", ")
            )
        }
        Effect::Hashed(stated) => {
            format!("has one of {} stated", super::count(stated.len(), "hash"))
        }
        Effect::Take => "is taken though it is quarantined".to_owned(),
        Effect::FailsToBuild => "its source does not build".to_owned(),
        Effect::Avoid => "is avoided".to_owned(),
        Effect::MadeFor(made_for) => format!("is {made_for}"),
    };
    let because = escaped(&adjustment.because);
    format!(
        "{}{versions} {effect}: \"{because}\" ({})",
        adjustment.project,
        place(&adjustment.origin)
    )
}

/// A need that is not met any more.
pub(crate) fn broken(b: &Break) -> String {
    format!(
        "{} {} needs {}, and finds {}",
        b.project,
        b.version,
        b.needs.short(),
        b.found
    )
}
