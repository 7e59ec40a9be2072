//! A settled set with all that is said of it.

use std::collections::BTreeMap;
use std::path::Path;

use eutaxis_core::fault::{Origin, escaped};
use eutaxis_core::offer::{Adjustment, has_stated, hashes_of};
use eutaxis_core::pins::Lock;
use eutaxis_core::record::{Moved, moved};
use eutaxis_core::requirement::{Accepts, Directive, StatedHash};
use eutaxis_core::solve::{Chosen, Problem, Solution};
use eutaxis_world::Error;
use eutaxis_world::catalogue::ListedFile;
use eutaxis_world::depot::Place;
use eutaxis_world::files::sha256_of;
use eutaxis_world::network::as_stated;
use eutaxis_world::supply::Run;
use rayon::prelude::*;

use crate::answer::settle::{InPlace, Move, Pinned, Settled};
use crate::output::Output;
use crate::words;

/// The pin of a chosen release, and the files that it will place.
fn listed<'a>(chosen: &'a Chosen, problem: &Problem, run: &Run) -> Result<Listed<'a>, Error> {
    let place = run.place_of(&chosen.project, &chosen.file)?;
    let unsure = unsure_hashes(chosen, problem);
    let on_disk = match (&place, chosen.file.hashes.sha256()) {
        (Place::Disk(path), _) => Some(path.clone()),
        (Place::Url(_), Some(_)) if !unsure.is_empty() => {
            Some(run.obtain(&chosen.project, &chosen.file)?)
        }
        // Nothing says which bytes it must be: those that are there now are fetched, and
        // pinned.
        (Place::Url(_), None) => Some(run.obtain(&chosen.project, &chosen.file)?),
        (Place::Url(_), Some(_)) => None,
    };
    if let Some(path) = &on_disk {
        for (adjustment, stated) in unsure {
            ensure_stated(chosen, path, stated, &adjustment.origin)?;
        }
    }
    let length = || {
        on_disk
            .as_ref()
            .and_then(|p| std::fs::metadata(p).ok())
            .map(|m| m.len())
    };
    let (sha256, size) = match (chosen.file.hashes.sha256(), &on_disk) {
        (Some(hash), _) => (hash.to_owned(), chosen.file.size.or_else(length)),
        (None, Some(path)) => sha256_of(path).map(|(hash, size)| (hash, Some(size)))?,
        (None, None) => {
            return Err(Error::contents(format!(
                "{} has no hash",
                chosen.file.filename
            )));
        }
    };
    let direct_url = problem.asks.iter().find_map(|ask| {
        if let Accepts::Url(url) = &ask.requirement.accepts
            && ask.requirement.name == chosen.project
        {
            Some(url.clone())
        } else {
            None
        }
    });
    let listed = run.listed(&chosen.project, &chosen.file);
    let source = run.depot_of(&chosen.project);
    let origin = source
        .as_ref()
        .filter(|_| direct_url.is_none())
        .map(|d| d.origin());
    let depot = source
        .as_ref()
        .map_or(String::new(), |d| d.label().to_owned());
    let index = source.and_then(|d| d.index());
    let kept = problem.prior.get(&chosen.project) == Some(&chosen.version);
    Ok((
        Pinned {
            chosen,
            place,
            sha256,
            size,
            depot,
            origin,
            index,
            tree: direct_url.as_ref().and_then(|url| run.tree(url)),
            direct_url,
            kept,
        },
        listed,
    ))
}

/// The hashes that lines state for a chosen file, of algorithms by which nothing is known of it yet.
fn unsure_hashes<'a>(
    chosen: &Chosen,
    problem: &'a Problem,
) -> Vec<(&'a Adjustment, &'a [StatedHash])> {
    let speaking = problem.adjustments.iter();
    let speaking =
        speaking.filter(|a| a.speaks_of(&chosen.project, &chosen.version, &problem.target));
    let stated = speaking.filter_map(|a| Some((a, hashes_of(a)?)));
    stated
        .filter(|(_, stated)| has_stated(&chosen.file.hashes, stated).is_none())
        .collect()
}

/// The bytes themselves have one of the hashes that a line states.
fn ensure_stated(
    chosen: &Chosen,
    path: &Path,
    stated: &[StatedHash],
    origin: &Origin,
) -> Result<(), Error> {
    let found = as_stated(path, stated)?;
    if has_stated(&found, stated) == Some(true) {
        return Ok(());
    }
    let error = Error::contents(format!(
        "{} has none of the hashes stated at {origin}",
        chosen.file.filename
    ));
    Err(error.help("the depot has another file than the list was made for: look at both"))
}

/// Sources of an older kind, whose needs a build may come to otherwise: one line.
fn unsure(pins: &[Pinned<'_>]) -> Option<String> {
    use eutaxis_core::artifact::Unsure;
    let told = |pin: &Pinned<'_>| {
        let chosen = pin.chosen;
        let from = chosen.unsure?;
        let from = match from {
            Unsure::Build => "nothing in it tells them, so none is counted on",
            Unsure::Requires | Unsure::Info | Unsure::Settings => from.as_str(),
        };
        Some(format!("{} {} ({from})", chosen.project, chosen.version))
    };
    let told: Vec<String> = pins.iter().filter_map(told).collect();
    (!told.is_empty()).then(|| {
        format!(
            "what older sources say that they need is not sure until they are built: {}.",
            told.join(", ")
        )
    })
}

/// Projects whose depot says that they are archived, deprecated or the like (PEP 792).
fn marked(pins: &[Pinned<'_>], run: &Run) -> Vec<String> {
    let one = |pin: &Pinned<'_>| {
        let project = &pin.chosen.project;
        let (status, reason) = run.page_of(project).and_then(|p| p.status.clone())?;
        let why = reason.map_or(String::new(), |r| {
            format!(": {}", eutaxis_core::fault::escaped(&r))
        });
        Some(format!("{project} is marked {status} in its depot{why}."))
    };
    pins.iter().filter_map(one).collect()
}

/// The solution with where each file lies, its hash and size, and what should be known of it.
pub(super) fn settle<'a>(
    solution: &'a Solution,
    problem: &'a Problem,
    directives: &[Directive],
    run: &Run,
    target: &str,
    output: &Output,
) -> Result<Settled<'a>, Error> {
    let pins: Vec<Result<Listed<'a>, Error>> = solution
        .chosen
        .par_iter()
        .map(|chosen| listed(chosen, problem, run))
        .collect();
    let pins: Vec<Listed<'a>> = pins.into_iter().collect::<Result<_, _>>()?;
    let in_place = in_place(&pins);
    let shared = shared_paths(&pins);
    let mut pins: Vec<Pinned<'a>> = pins.into_iter().map(|(pin, _)| pin).collect();
    pins.sort_by(|a, b| a.chosen.project.cmp(&b.chosen.project));
    let left_out: Vec<Directive> = directives
        .iter()
        .filter(|d| !d.kind.means_nothing())
        .cloned()
        .collect();
    let mut cautions = directive_cautions(directives);
    let asked = problem.asks.iter().map(|a| &a.requirement.name);
    cautions.extend(asked.filter_map(words::of_module));
    cautions.extend(words::releases::cautions(
        &solution.cautions,
        problem,
        output.verbose(),
    ));
    cautions.extend(idle_adjustments(problem, run));
    cautions.extend(shared);
    cautions.extend(unsure(&pins));
    cautions.extend(in_several(&pins, run, output.verbose()));
    cautions.extend(marked(&pins, run));
    cautions.extend(undated(&pins));
    Ok(Settled {
        target: target.to_owned(),
        pins,
        problem,
        solution,
        verbose: output.verbose(),
        left_out,
        but_not: Vec::new(),
        moves: Vec::new(),
        cautions,
        in_place,
        taken: None,
        proof: None,
        builds: Vec::new(),
        permit: None,
        evidence: None,
        written: Vec::new(),
        files: Vec::new(),
    })
}

/// Projects that two depots offer and that are routed to none: one line.
fn in_several(pins: &[Pinned<'_>], run: &Run, all: bool) -> Option<String> {
    let names: Vec<&str> = pins
        .iter()
        .filter(|p| run.is_in_several(&p.chosen.project))
        .map(|p| p.chosen.project.as_str())
        .collect();
    let told = match names.as_slice() {
        [] => return None,
        [one] => format!("{one} is"),
        names if all => format!("{} are", names.join(", ")),
        names => format!("{} projects are (-v names them)", names.len()),
    };
    Some(format!(
        "{told} offered by two depots: the first that has it serves it. `only` in [[depot]] says \
            which one is meant."
    ))
}

/// A pin with the files of its wheel, where they are known.
type Listed<'a> = (Pinned<'a>, Option<Vec<ListedFile>>);

/// A wheel unpacks to about so many times its bytes, where nothing better is known.
const UNPACKS_TO: u64 = 3;

/// What all wheels take in place: by the lists of their files where they are known, else by what
/// those whose lists are known unpack to.
fn in_place(pins: &[Listed<'_>]) -> Option<InPlace> {
    if !pins
        .iter()
        .all(|(pin, _)| pin.is_wheel() || pin.tree.is_some())
    {
        return None;
    }
    let unpacked = |list: &[ListedFile]| list.iter().map(|f| f.size).fold(0, u64::saturating_add);
    let known = || {
        pins.iter()
            .filter_map(|(pin, list)| Some((pin.size?, unpacked(list.as_ref()?))))
    };
    let (packed, plain) = known().fold((0u64, 0u64), |(p, u), (a, b)| {
        (p.saturating_add(a), u.saturating_add(b))
    });
    let estimated = |size: u64| match packed {
        0 => size.saturating_mul(UNPACKS_TO),
        packed => u64::try_from(u128::from(size) * u128::from(plain) / u128::from(packed))
            .unwrap_or(u64::MAX),
    };
    let mut total = InPlace {
        bytes: 0,
        is_exact: true,
    };
    for (pin, list) in pins {
        let bytes = match list {
            Some(list) => unpacked(list),
            None => {
                total.is_exact = false;
                estimated(pin.size?)
            }
        };
        total.bytes = total.bytes.saturating_add(bytes);
    }
    Some(total)
}

/// Pinned projects that bring different files of one path, as far as their lists are known.
fn shared_paths(pins: &[Listed<'_>]) -> Vec<String> {
    let mut owners: BTreeMap<&str, (usize, &ListedFile)> = BTreeMap::new();
    let mut pairs: BTreeMap<(usize, usize), Vec<&str>> = BTreeMap::new();
    for (at, (_, list)) in pins.iter().enumerate() {
        for file in list.iter().flatten().filter(|f| !f.path.ends_with('/')) {
            match owners.get(file.path.as_str()) {
                // Equal bytes may lie at one path.
                Some((_, other)) if (other.size, other.crc) == (file.size, file.crc) => {}
                Some((owner, _)) => pairs.entry((*owner, at)).or_default().push(&file.path),
                None => {
                    owners.insert(&file.path, (at, file));
                }
            }
        }
    }
    let name = |at: usize| {
        pins.get(at)
            .map_or(String::new(), |(pin, _)| pin.chosen.project.to_string())
    };
    let told = pairs.into_iter().map(|((one, other), paths)| {
        let more = if paths.len() > 1 {
            format!(" and {} more", paths.len() - 1)
        } else {
            String::new()
        };
        let first = paths.first().map_or(String::new(), |p| escaped(p));
        let mut names = [name(one), name(other)];
        names.sort();
        let [one, other] = names;
        format!(
            "{one} and {other} both bring {first}{more}, with different contents: `furnish` \
                refuses to place one over the other."
        )
    });
    told.collect()
}

/// Pins whose depot gives no date, beside others that have one: whose date is taken from elsewhere,
/// and of which nothing is known.
fn undated(pins: &[Pinned<'_>]) -> Vec<String> {
    let is_dated = pins.iter().any(|p| p.chosen.file.published.is_some());
    let open = pins
        .iter()
        .filter(|p| p.chosen.file.published.is_none() && p.tree.is_none());
    let (known, unknown): (Vec<_>, Vec<_>) = open.partition(|p| p.chosen.appeared().is_some());
    let names = |pins: &[&Pinned<'_>]| {
        let name = |p: &&Pinned<'_>| {
            let date = p.chosen.appeared().map(words::chronology::month);
            let date = date.map_or(String::new(), |d| format!(" ({d})"));
            format!("{} {}{date}", p.chosen.project, p.chosen.version)
        };
        pins.iter().map(name).collect::<Vec<_>>().join(", ")
    };
    let mut cautions = Vec::new();
    if !known.is_empty() && is_dated {
        cautions.push(format!(
            "The date of {} is that of the same release in another depot, or of its archive: its own \
                depot gives none.",
            names(&known)
        ));
    }
    if !unknown.is_empty() && is_dated {
        cautions.push(format!(
            "No date is known of {}: dates tell nothing of whether that goes with the others.",
            names(&unknown)
        ));
    }
    cautions
}

/// Adjustments that speak of nothing here.
fn idle_adjustments(problem: &Problem, run: &Run) -> Vec<String> {
    let mut cautions = Vec::new();
    for adjustment in problem
        .adjustments
        .iter()
        .filter(|a| a.learnt.is_none() && hashes_of(a).is_none() && a.counts_on(&problem.target))
    {
        let project = &adjustment.project;
        let why = match run.page_of(project) {
            None => "the project has no part in this".to_owned(),
            Some(page)
                if !page
                    .files
                    .iter()
                    .any(|f| adjustment.versions.matches(f.kind.version())) =>
            {
                format!("no release is {}", adjustment.versions)
            }
            Some(_) => continue,
        };
        cautions.push(format!(
            "{}: the adjustment of {project} matches nothing: {why}.",
            adjustment.origin
        ));
    }
    cautions
}

fn directive_cautions(directives: &[Directive]) -> Vec<String> {
    let one = |d: &Directive| {
        let left = if d.kind.means_nothing() {
            ""
        } else {
            "is left out: "
        };
        let (text, instead) = (
            words::troubles::directive(d),
            words::troubles::instead(d.kind),
        );
        format!("{}: `{text}` {left}{instead}.", d.origin)
    };
    directives.iter().map(one).collect()
}

/// Files of pages that were left out, named with `-v`.
pub(super) fn report_left_out(run: &Run, solution: &Solution, output: &Output) {
    for chosen in &solution.chosen {
        let Some(page) = run.page_of(&chosen.project) else {
            continue;
        };
        if output.verbose() {
            page.skipped.iter().for_each(|s| {
                output.notice(&format!(
                    "left out: {}: {}",
                    eutaxis_core::fault::escaped(&s.filename),
                    s.reason
                ))
            });
            page.remarks.iter().for_each(|r| {
                output.notice(&format!("remark: {}", eutaxis_core::fault::escaped(r)))
            });
        }
    }
}

pub(super) fn moves(old: Option<&Lock>, settled: &Settled<'_>) -> Vec<Move> {
    let Some(lock) = old else { return Vec::new() };
    let moved = moved(lock, settled.pins.iter().map(|p| p.chosen));
    let one = |m: Moved| Move {
        project: m.project.to_string(),
        before: m.before,
        after: m.after.map(|v| v.to_string()),
        kind: m.kind.as_str(),
    };
    // Folders are pinned without a version, so that none of them moves.
    let is_folder = |m: &Moved| {
        let pinned = lock.packages.iter().find(|p| p.name == m.project);
        let tree = settled.pins.iter().find(|p| p.chosen.project == m.project);
        pinned.is_some_and(|p| p.directory.is_some()) && tree.is_some_and(|p| p.tree.is_some())
    };
    moved
        .into_iter()
        .filter(|m| !is_folder(m))
        .map(one)
        .collect()
}
