//! Which of the causes that were seen is the root: what was overcome is none, and what goes away
//! with another is none of its own.

use super::origin::Listener;
use super::reader::{Passed, Sighting};
use super::{Aside, Cause, Diagnosis, Ended};
use eutaxis_standards::knowledge::{CauseKind, Causes, Confidence, Course};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::Version;

/// Everything that was seen.
#[derive(Debug)]
pub(super) struct Seen {
    pub(super) sightings: Vec<Sighting>,
    pub(super) passed: Vec<Passed>,
    pub(super) listener: Listener,
}

/// From this depth on a cause is one project's own, and hides nothing of another's.
const OF_A_PROJECT: u32 = 30;

pub(super) fn judge(seen: Seen, causes: &Causes, lines: u64, last: Vec<String>) -> Diagnosis {
    let ending = |s: &Sighting| ended_otherwise(s, &seen.sightings, causes);
    let gone: Vec<bool> = seen
        .sightings
        .iter()
        .map(|s| is_overcome(s, causes, &seen.passed) || ending(s))
        .collect();
    let mut standing = seen.sightings;
    let overcome = taken_out(&mut standing, gone);
    let merged = merged(standing);
    // What is only guessed counts when nothing is told.
    let told = merged.iter().any(|(s, _)| s.sure > Confidence::Low);
    let (guessed, mut open): (Vec<_>, Vec<_>) = merged
        .into_iter()
        .partition(|(s, _)| s.is_aside || (told && s.sure == Confidence::Low));
    let hidden: Vec<bool> = open
        .iter()
        .map(|(s, _)| open.iter().any(|(t, _)| hides(t, s, causes)))
        .collect();
    let mut consequences = taken_out(&mut open, hidden);
    // Of one line one thing is told.
    let is_root = |s: &Sighting| {
        open.iter()
            .any(|(r, _)| r.line == s.line && r.stream == s.stream)
    };
    let other_words: Vec<bool> = consequences.iter().map(|(s, _)| is_root(s)).collect();
    let of_the_same_line = taken_out(&mut consequences, other_words);
    // What was done last ended the run; within it what lies nearest to the root comes first.
    open.sort_by_key(|(s, _)| {
        let nearness = (depth(s, causes), std::cmp::Reverse(s.sure), s.line);
        (std::cmp::Reverse(s.episode), nearness)
    });
    for (root, _) in &mut open {
        adopt(root, &consequences);
        adopt(root, &of_the_same_line);
    }
    let aside = |all: Vec<Sighting>| -> Vec<Aside> {
        let mut told: Vec<Aside> = Vec::new();
        for s in all {
            let id = causes.kind(s.kind).map_or("", |k| k.id.as_str());
            match told.iter_mut().find(|a| a.id == id) {
                Some(known) => known.times += 1,
                None => told.push(Aside {
                    id: id.to_owned(),
                    line: s.line,
                    excerpt: s.excerpt,
                    times: 1,
                }),
            }
        }
        told
    };
    let found: Vec<Cause> = open
        .into_iter()
        .filter_map(|(s, times)| cause(s, times, causes, &seen.listener))
        .collect();
    let of = match found.first() {
        Some(root) => root.origin.clone(),
        None => seen.listener.origin("", 0),
    };
    Diagnosis {
        of,
        ended: ended(&found, &seen.passed),
        causes: found,
        consequences: aside(consequences.into_iter().map(|(s, _)| s).collect()),
        overcome: aside(overcome),
        guessed: aside(guessed.into_iter().map(|(s, _)| s).collect()),
        lines,
        last,
    }
}

/// Takes those out that are marked, in their order.
fn taken_out<T>(all: &mut Vec<T>, marked: Vec<bool>) -> Vec<T> {
    let mut marks = marked.into_iter();
    all.extract_if(.., |_| marks.next().unwrap_or(false))
        .collect()
}

fn cause(
    mut sighting: Sighting,
    times: usize,
    causes: &Causes,
    listener: &Listener,
) -> Option<Cause> {
    let mut origin = listener.origin(&sighting.stream, sighting.episode);
    if let Some(series) = sighting.facts.get("interpreter") {
        // What its own frames tell counts more than what was told anywhere.
        let same = origin
            .interpreter
            .as_deref()
            .map(|i| i.trim_end_matches('t'))
            == Some(&series);
        origin.interpreter = if same {
            origin.interpreter
        } else {
            Some(series)
        };
    }
    let mut id = causes.kind(sighting.kind)?.id.clone();
    if id == "version-unknown" && is_below_what_is_offered(&sighting) {
        // What is older than all that is offered was once made, for older interpreters.
        "no-release-fits".clone_into(&mut id);
    }
    if id == "module-absent" {
        listener.mismatch(&sighting.stream, sighting.episode, &mut sighting.facts);
    }
    Some(Cause {
        origin,
        id,
        confidence: sighting.sure,
        line: sighting.line,
        excerpt: sighting.excerpt,
        facts: sighting.facts,
        times,
        sign: Some(sighting.sign),
    })
}

/// Whether the release that was asked for is older than each that the log says is there.
fn is_below_what_is_offered(sighting: &Sighting) -> bool {
    let read = |text: &String| Version::parse(text.trim()).ok();
    let asked = sighting.facts.get("version").and_then(|v| read(&v));
    let offered: Vec<Version> = sighting
        .facts
        .all("offered")
        .iter()
        .filter_map(read)
        .collect();
    asked.is_some_and(|asked| !offered.is_empty() && offered.iter().all(|o| asked < *o))
}

fn ended(found: &[Cause], passed: &[Passed]) -> Ended {
    match passed
        .iter()
        .rev()
        .find(|p| p.course != Course::On)
        .map(|p| p.course)
    {
        _ if !found.is_empty() => Ended::Badly,
        Some(Course::Well) => Ended::Well,
        Some(Course::Badly) => Ended::Badly,
        _ => Ended::Unknown,
    }
}

fn depth(sighting: &Sighting, causes: &Causes) -> u32 {
    causes.kind(sighting.kind).map_or(u32::MAX, |k| k.depth)
}

/// Whether what came after it shows that it did not matter in the end.
fn is_overcome(sighting: &Sighting, causes: &Causes, passed: &[Passed]) -> bool {
    let of_stream = |p: &&Passed| {
        p.stream == sighting.stream || p.stream.is_empty() || sighting.stream.is_empty()
    };
    let after = passed
        .iter()
        .filter(|p| p.line > sighting.line)
        .filter(of_stream);
    // What is done later says something only of what it names.
    let speaks_of_it = |p: &Passed| {
        p.episode == sighting.episode || p.stream != sighting.stream || names(&p.text, sighting)
    };
    let well = |p: &&Passed| {
        p.course == Course::Well && speaks_of_it(p) && !names_others_only(&p.text, sighting)
    };
    if sighting.transient {
        return after
            .clone()
            .any(|p| matches!(p.course, Course::On | Course::Well));
    }
    let lasting = causes.kind(sighting.kind).is_some_and(|k| k.lasting);
    after.filter(well).count() > usize::from(lasting)
}

/// Whether something that was tried again must have come about in the end: what came after it would
/// not have been reached otherwise.
fn ended_otherwise(sighting: &Sighting, all: &[Sighting], causes: &Causes) -> bool {
    let Some(kind) = causes.kind(sighting.kind).filter(|_| sighting.transient) else {
        return false;
    };
    let follows = |other: &&Sighting| {
        let id = causes.kind(other.kind).map_or("", |k| k.id.as_str());
        let is_hidden = kind.hides.iter().any(|h| h == id || h == "*");
        other.line > sighting.line
            && other.kind != sighting.kind
            && other.sure > Confidence::Low
            && !other.transient
            && !is_hidden
    };
    all.iter().any(|other| follows(&other))
        && !all.iter().any(|o| o.kind == sighting.kind && !o.transient)
}

/// Whether a line names the project or module of what was seen.
fn names(text: &str, sighting: &Sighting) -> bool {
    let told = ["project", "module", "of"].iter();
    let told: Vec<Name> = told
        .filter_map(|n| Name::parse(&sighting.facts.get(n)?).ok())
        .collect();
    let mut words = text.split([' ', ',', '=', ':']);
    words.any(|word| {
        let plain = word.rsplit_once('-').map_or(word, |(name, _)| name);
        let is_it = |w: &str| Name::parse(w).is_ok_and(|n| told.contains(&n));
        is_it(word) || is_it(plain)
    })
}

/// `Successfully installed moulin-5.0` says nothing of another project.
fn names_others_only(text: &str, sighting: &Sighting) -> bool {
    let Some(project) = sighting
        .facts
        .get("project")
        .and_then(|p| Name::parse(&p).ok())
    else {
        return false;
    };
    let versioned = |word: &&str| {
        word.rsplit_once('-')
            .is_some_and(|(_, v)| v.starts_with(|c: char| c.is_ascii_digit()))
    };
    let mut words = text.split_whitespace().filter(versioned).peekable();
    let named = words.peek().is_some();
    let is_it = |word: &str| {
        word.rsplit_once('-')
            .and_then(|(name, _)| Name::parse(name).ok())
            .is_some_and(|n| n == project)
    };
    named && !words.any(is_it)
}

/// The same cause seen several times is one; where it was seen first counts, and how surely at
/// best.
fn merged(all: Vec<Sighting>) -> Vec<(Sighting, usize)> {
    let mut merged: Vec<(Sighting, usize)> = Vec::new();
    for sighting in all {
        let same = |(s, _): &&mut (Sighting, usize)| {
            s.kind == sighting.kind
                && agree(s, &sighting)
                && (s.episode == sighting.episode
                    || s.stream != sighting.stream
                    || shares(s, &sighting))
                && (s.chain.is_none() || s.chain != sighting.chain)
        };
        match merged.iter_mut().find(same) {
            Some((known, times)) => {
                *times += 1;
                if known.is_aside && !sighting.is_aside {
                    // What ended it counts, not what was said of it before.
                    (known.line, known.chain) = (sighting.line, sighting.chain);
                    known.excerpt.clone_from(&sighting.excerpt);
                    known.is_aside = false;
                }
                if sighting.sure > known.sure {
                    (known.sure, known.sign) = (sighting.sure, sighting.sign);
                }
                for (name, values, _) in sighting.facts.iter() {
                    if known.facts.all(name).is_empty() {
                        values.iter().for_each(|v| known.facts.take(name, v));
                    }
                }
            }
            None => merged.push((sighting, 1)),
        }
    }
    merged
}

/// Whether both tell the same of what tells one cause from another.
fn shares(a: &Sighting, b: &Sighting) -> bool {
    let (a, b) = (a.facts.key(), b.facts.key());
    a.iter().any(|(name, values)| {
        let mut same = b.iter().filter(|(n, _)| n == name);
        same.any(|(_, v)| same_values(values, v))
    }) || (a.is_empty() && b.is_empty())
}

/// No fact that both tell is another.
fn agree(a: &Sighting, b: &Sighting) -> bool {
    let (a, b) = (a.facts.key(), b.facts.key());
    let differs = |(name, values): &(&str, &[String])| {
        b.iter().any(|(n, v)| n == name && !same_values(values, v))
    };
    !a.iter().any(differs)
}

fn same_values(a: &[String], b: &[String]) -> bool {
    let plain = |v: &String| Name::parse(v).map_or_else(|_| v.clone(), |n| n.to_string());
    a.iter().map(plain).eq(b.iter().map(plain))
}

/// Whether one goes away when the other is mended.
fn hides(root: &Sighting, other: &Sighting, causes: &Causes) -> bool {
    if let (Some((chain, place)), Some((of, after))) = (root.chain, other.chain)
        && chain == of
        && place != after
    {
        // The exception that was raised first led to those that follow.
        return place < after;
    }
    if root.kind == other.kind {
        return false;
    }
    let is_elsewhere = root.stream == other.stream && root.episode != other.episode;
    if is_elsewhere && !shares(root, other) {
        return false;
    }
    let (Some(kind), Some(of)) = (causes.kind(root.kind), causes.kind(other.kind)) else {
        return false;
    };
    let named = |k: &CauseKind, id: &str| k.hides.iter().any(|h| h == id || h == "*");
    // What was told before is no consequence where it is a module that is absent: another one was
    // looked for.
    if of.id == "module-absent" && other.line < root.line {
        return false;
    }
    // On one line both speak of the same thing.
    let apart = kind.depth >= OF_A_PROJECT
        && root.line != other.line
        && are_of_different_projects(root, other);
    // Where each would hide the other, the one that is told more surely stays, then the one that
    // lies nearer to the root.
    let mutual = named(of, &kind.id);
    let loses =
        (other.sure, std::cmp::Reverse(of.depth)) >= (root.sure, std::cmp::Reverse(kind.depth));
    named(kind, &of.id) && !(mutual && loses) && !apart
}

fn are_of_different_projects(a: &Sighting, b: &Sighting) -> bool {
    let names = |s: &Sighting| -> Vec<Name> {
        let told = ["of", "project"].iter().filter_map(|n| s.facts.get(n));
        told.filter_map(|p| Name::parse(&p).ok()).collect()
    };
    let (mine, theirs) = (names(a), names(b));
    !mine.is_empty() && !theirs.is_empty() && !mine.iter().any(|n| theirs.contains(n))
}

/// What a consequence tells of the project, its cause may not have told.
fn adopt(root: &mut Sighting, consequences: &[(Sighting, usize)]) {
    let of_it = |s: &Sighting| s.stream != root.stream || s.episode == root.episode;
    let consequences: Vec<&(Sighting, usize)> =
        consequences.iter().filter(|(s, _)| of_it(s)).collect();
    let after = consequences
        .iter()
        .filter(|(s, _)| s.line >= root.line)
        .chain(&consequences);
    for name in ["project", "version", "requirement", "wheel"] {
        if root.facts.get(name).is_none()
            && let Some(told) = after.clone().find_map(|(s, _)| s.facts.get(name))
        {
            root.facts.set(name, told);
        }
    }
    if root.facts.get("of").is_none()
        && let Some(project) = consequences
            .iter()
            .find_map(|(s, _)| s.facts.get("project"))
    {
        root.facts.set("of", project);
    }
}
