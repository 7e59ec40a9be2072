//! A settled set with all that is said of it.

use std::collections::BTreeMap;

use eutaxis_core::Version;
use eutaxis_core::fault::{Origin, escaped};
use eutaxis_core::index::FileKind;
use eutaxis_core::offer::Adjustment;
use eutaxis_core::pins::Lock;
use eutaxis_core::requirement::{Accepts, Directive};
use eutaxis_core::solve::{Asker, Caution, Chosen, Problem, Solution, Strength};
use eutaxis_world::Error;
use eutaxis_world::catalogue::ListedFile;
use eutaxis_world::depot::Place;
use eutaxis_world::files::{sha256_of, slashed};
use eutaxis_world::supply::Run;
use rayon::prelude::*;
use serde_json::{Map, Value, json};

use super::Taken;
use crate::output::Output;
use crate::render;

/// A chosen file with where it lies.
#[derive(Debug)]
pub(crate) struct Pinned<'a> {
    pub(crate) chosen: &'a Chosen,
    pub(super) place: Place,
    pub(super) sha256: String,
    pub(crate) size: Option<u64>,
    depot: String,
    /// The depot by what it is known by; none of a file that an ask demands by its address.
    pub(super) origin: Option<String>,
    pub(super) index: Option<String>,
    pub(super) direct_url: Option<String>,
    /// An earlier pin that was kept.
    pub(crate) kept: bool,
}

impl Pinned<'_> {
    pub(crate) fn is_wheel(&self) -> bool {
        matches!(self.chosen.file.kind, FileKind::Wheel(_))
    }
}

/// A project whose pin is another than before.
#[derive(Debug)]
pub(crate) struct Move {
    pub(crate) project: String,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
    pub(crate) kind: &'static str,
}

/// Bytes of all wheels once unpacked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct InPlace {
    pub(crate) bytes: u64,
    /// The files of every wheel are known; else some of it is estimated.
    pub(crate) is_exact: bool,
}

/// A settled set with all that is said of it.
#[derive(Debug)]
pub(crate) struct Settled<'a> {
    pub(crate) target: String,
    pub(crate) pins: Vec<Pinned<'a>>,
    pub(crate) problem: &'a Problem,
    solution: &'a Solution,
    /// Everything is told by its name.
    verbose: bool,
    pub(crate) moves: Vec<Move>,
    pub(crate) cautions: Vec<String>,
    /// What it takes in place, when all are wheels.
    pub(crate) in_place: Option<InPlace>,
    /// Another interpreter was taken than the one that comes first.
    pub(crate) taken: Option<Taken>,
    /// What was written, in words.
    pub(crate) written: Vec<String>,
    pub(super) files: Vec<String>,
}

impl Settled<'_> {
    /// Where an ask was stated.
    pub(crate) fn origin(&self, ask: usize) -> Option<&Origin> {
        self.problem.asks.get(ask).map(|a| &a.origin)
    }

    /// What dates had a part in: a label and a line for each.
    pub(crate) fn first_lines(&self) -> Vec<(&'static str, String)> {
        render::chronology::first_lines(self.solution, self.verbose)
    }

    /// The adjustments that spoke of what was chosen.
    pub(crate) fn adjusted(&self) -> Vec<&Adjustment> {
        let spoke = |i: &usize| self.pins.iter().any(|p| p.chosen.adjusted.contains(i));
        (0..self.problem.adjustments.len())
            .filter(spoke)
            .filter_map(|i| self.problem.adjustments.get(i))
            .collect()
    }
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
        .map(|chosen| {
            let place = run.place_of(&chosen.project, &chosen.file)?;
            let on_disk = match (&place, chosen.file.hashes.sha256()) {
                (Place::Disk(path), _) => Some(path.clone()),
                // Nothing says which bytes it must be: those that are there now are fetched, and
                // pinned.
                (Place::Url(_), None) => Some(run.obtain(&chosen.project, &chosen.file)?),
                (Place::Url(_), Some(_)) => None,
            };
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
                    direct_url,
                    kept,
                },
                listed,
            ))
        })
        .collect();
    let pins: Vec<Listed<'a>> = pins.into_iter().collect::<Result<_, _>>()?;
    let in_place = in_place(&pins);
    let shared = shared_paths(&pins);
    let mut pins: Vec<Pinned<'a>> = pins.into_iter().map(|(pin, _)| pin).collect();
    pins.sort_by(|a, b| a.chosen.project.cmp(&b.chosen.project));
    let mut cautions = directive_cautions(directives);
    cautions.extend(render::words::cautions(
        &solution.cautions,
        problem,
        output.verbose(),
    ));
    cautions.extend(idle_adjustments(problem, run));
    cautions.extend(shared);
    cautions.extend(in_several(&pins, run, output.verbose()));
    for pin in &pins {
        let status = run
            .page_of(&pin.chosen.project)
            .and_then(|p| p.status.clone());
        if let Some((status, reason)) = status {
            let why = reason.map_or(String::new(), |r| {
                format!(": {}", eutaxis_core::fault::escaped(&r))
            });
            cautions.push(format!(
                "{} is marked {status} in its depot{why}.",
                pin.chosen.project
            ));
        }
    }
    Ok(Settled {
        target: target.to_owned(),
        pins,
        problem,
        solution,
        verbose: output.verbose(),
        moves: Vec::new(),
        cautions,
        in_place,
        taken: None,
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
    if !pins.iter().all(|(pin, _)| pin.is_wheel()) {
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

/// Adjustments that speak of nothing here.
fn idle_adjustments(problem: &Problem, run: &Run) -> Vec<String> {
    let mut cautions = Vec::new();
    for adjustment in problem
        .adjustments
        .iter()
        .filter(|a| a.counts_on(&problem.target))
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
        format!(
            "{}: `{}` is a directive, not a requirement, and was left out: {}.",
            d.origin,
            escaped(&d.text),
            d.advice
        )
    };
    directives.iter().map(one).collect()
}

/// Files of pages that were left out: counted, and with `-v` named.
pub(super) fn report_left_out(run: &Run, solution: &Solution, output: &Output) {
    let mut count = 0;
    for chosen in &solution.chosen {
        let Some(page) = run.page_of(&chosen.project) else {
            continue;
        };
        count += page.skipped.len();
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
    if count > 0 && !output.verbose() {
        output.notice(&format!(
            "{} of the depots cannot be used and were left out (-v names them)",
            render::count(count, "file")
        ));
    }
}

pub(super) fn moves(old: Option<&Lock>, settled: &Settled<'_>) -> Vec<Move> {
    let Some(lock) = old else { return Vec::new() };
    let mut moves = Vec::new();
    for pin in &settled.pins {
        let (name, after) = (&pin.chosen.project, &pin.chosen.version);
        let before = lock
            .packages
            .iter()
            .find(|p| p.name == *name)
            .and_then(|p| p.version.clone());
        let parsed = before.as_deref().and_then(|v| Version::parse(v).ok());
        let kind = match &parsed {
            None => "added",
            Some(v) if v < after => "raised",
            Some(v) if v > after => "lowered",
            Some(_) => continue,
        };
        moves.push(Move {
            project: name.to_string(),
            before,
            after: Some(after.to_string()),
            kind,
        });
    }
    for package in &lock.packages {
        if !settled
            .pins
            .iter()
            .any(|p| p.chosen.project == package.name)
        {
            moves.push(Move {
                project: package.name.to_string(),
                before: package.version.clone(),
                after: None,
                kind: "dropped",
            });
        }
    }
    moves
}

impl Settled<'_> {
    pub(super) fn json(&self) -> Map<String, Value> {
        let pins: Vec<Value> = self
            .pins
            .iter()
            .map(|pin| {
                let chosen = pin.chosen;
                let (at, place) = match &pin.place {
                    Place::Disk(path) => ("path", slashed(path)),
                    Place::Url(url) => ("url", url.to_string()),
                };
                json!({
                    "name": chosen.project.as_str(),
                    "version": chosen.version.to_string(),
                    "file": &*chosen.file.filename,
                    "kind": if pin.is_wheel() { "wheel" } else { "sdist" },
                    at: place,
                    "sha256": pin.sha256,
                    "size": pin.size,
                    "published": chosen.file.published.map(|t| t.to_string()),
                    "asked_by": asker_words(chosen),
                    "depot": pin.depot,
                    "accelerator": render::words::build_json(chosen.build.as_ref()),
                })
            })
            .collect();
        let moves: Vec<Value> = self
            .moves
            .iter()
            .map(|m| json!({"project": m.project, "before": m.before, "after": m.after, "kind": m.kind}))
            .collect();
        let mut object = Map::new();
        object.insert("target".into(), json!(self.problem.target.to_string()));
        object.insert("pins".into(), json!(pins));
        object.insert("cautions".into(), json!(self.cautions));
        object.insert("chronology".into(), json!(self.chronology()));
        object.insert(
            "held_back".into(),
            json!(render::chronology::held_back_json(self.solution)),
        );
        object.insert(
            "let_go".into(),
            json!(render::chronology::let_go_json(self.solution)),
        );
        object.insert(
            "adjusted".into(),
            json!(
                self.adjusted()
                    .iter()
                    .map(|a| render::words::adjustment_json(a))
                    .collect::<Vec<_>>()
            ),
        );
        object.insert("moves".into(), json!(moves));
        if let Some(taken) = &self.taken {
            let interpreter =
                json!({"path": taken.path, "version": taken.version, "because": taken.because});
            object.insert("interpreter".into(), interpreter);
        }
        object.insert("written".into(), json!(self.files));
        object
    }

    /// Every pair of which the one cannot have known the other, strong or not.
    fn chronology(&self) -> Vec<Value> {
        let strength = |s: &Strength| match s {
            Strength::Strong => "strong",
            Strength::Middling => "middling",
            Strength::Weak => "weak",
        };
        let one = |caution: &Caution| {
            if let Caution::NeverMet {
                project,
                version,
                published,
                other,
                other_version,
                began,
                strength: s,
            } = caution
            {
                Some(json!({
                    "project": project.as_str(), "version": version.to_string(), "published": published.to_string(),
                    "needs": other.as_str(), "needs_version": other_version.to_string(), "began": began.to_string(),
                    "strength": strength(s),
                }))
            } else {
                None
            }
        };
        self.solution.cautions.iter().filter_map(one).collect()
    }
}

/// Who asks, for files and JSON: `ask` for the user's own asks, and names of projects.
pub(crate) fn asker_words(chosen: &Chosen) -> Vec<String> {
    let mut words = Vec::new();
    for asker in &chosen.asked_by {
        let word = match asker {
            Asker::Ask(_) => "ask".to_owned(),
            Asker::Project(name, _) => name.to_string(),
        };
        if !words.contains(&word) {
            words.push(word);
        }
    }
    words
}
