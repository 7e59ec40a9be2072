//! `settle`: which exact files, together? or what clashes.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::index::FileKind;
use eutaxis_core::name::nearest;
use eutaxis_core::pins::{Lock, LockFile, Package, pin_list};
use eutaxis_core::solve::{Asker, Chosen, Clash, Problem, Solution};
use eutaxis_core::target::System;
use eutaxis_core::{Ask, Name, Requirement, Target, Version};
use eutaxis_world::depot::{Depots, Place, unpacked_size};
use eutaxis_world::files::{read_text, relative, sha256_of, slashed, write_whole};
use eutaxis_world::supply::{Outcome as End, Run};
use eutaxis_world::{Doing, Error};
use rayon::prelude::*;
use serde_json::{Map, Value, json};

use crate::cli::{Common, Settle};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Asks, Surroundings};
use crate::render;

/// A chosen file with where it lies.
#[derive(Debug)]
pub(crate) struct Pinned<'a> {
    pub(crate) chosen: &'a Chosen,
    place: Place,
    sha256: String,
    pub(crate) size: Option<u64>,
    depot: String,
    index: Option<String>,
    direct_url: Option<String>,
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

/// A settled set with all that is said of it.
#[derive(Debug)]
pub(crate) struct Settled<'a> {
    pub(crate) target: String,
    pub(crate) pins: Vec<Pinned<'a>>,
    asks: &'a [Ask],
    pub(crate) moves: Vec<Move>,
    pub(crate) cautions: Vec<String>,
    /// Unpacked bytes of all wheels, when every file was a wheel that could be looked into.
    pub(crate) in_place: Option<u64>,
    /// What was written, in words.
    pub(crate) written: Vec<String>,
    files: Vec<String>,
}

impl Settled<'_> {
    /// Where an ask was stated.
    pub(crate) fn origin(&self, ask: usize) -> Option<&Origin> {
        self.asks.get(ask).map(|a| &a.origin)
    }

    /// The requirement of an ask.
    pub(crate) fn requirement(&self, ask: usize) -> Option<&Requirement> {
        self.asks.get(ask).map(|a| &a.requirement)
    }
}

pub(crate) fn run(arguments: &Settle, common: &Common, output: &Output) -> Result<Answer, Vec<Error>> {
    let one = |e: Error| vec![e];
    let surroundings = Surroundings::new(common).map_err(one)?;
    let mut asks = plan::asks(&arguments.asks)?;
    let chosen = plan::target(&arguments.target, &surroundings).map_err(one)?;
    let policy = plan::policy(&arguments.policy, &surroundings.config).map_err(one)?;
    let depots = plan::depots(&arguments.depots, &surroundings, !arguments.renew.is_empty()).map_err(one)?;
    plan::keep_secrets(asks.asks.iter_mut().map(|a| &mut a.requirement), depots.network());
    ensure_python(&asks, &chosen.target).map_err(one)?;
    let old = earlier_pins(&arguments.out).map_err(one)?;
    let prior = prior(old.as_ref(), &arguments.renew).map_err(one)?;
    let problem = Problem {
        target: chosen.target.clone(),
        policy,
        asks: asks.asks.clone(),
        bounds: asks.bounds.clone(),
        prior: prior.clone(),
    };
    let mut run = Run::new(Arc::clone(&depots));
    let bar = output.progress();
    bar.set_message("settling");
    let end = run.solve(problem, &|read| bar.set_position((read.pages + read.metadata) as u64));
    bar.finish_and_clear();
    output.report_network(depots.network());
    match end.map_err(one)? {
        End::Clash(clash) => Ok(clash_answer(&clash, &chosen.shown, &chosen.target, &depots)),
        End::Settled(solution) => {
            let mut settled = settle(&solution, &asks, &run, &chosen.shown, &prior).map_err(one)?;
            report_left_out(&run, &solution, output);
            settled.moves = moves(old.as_ref(), &settled);
            let lock = lock(&settled, &chosen.target, &arguments.out).map_err(one)?;
            write(&mut settled, &lock, arguments).map_err(one)?;
            Ok(Answer {
                outcome: Outcome::Ok,
                text: render::settle::text(&settled),
                json: settled.json(&chosen.target),
            })
        }
    }
}

/// `requires-python` of the project file must take the target's interpreter.
fn ensure_python(asks: &Asks, target: &Target) -> Result<(), Error> {
    match &asks.requires_python {
        Some((set, origin)) if !set.matches(&target.interpreter.version) => {
            let error =
                Error::request(format!("{origin} says requires-python {set}; the target has {}", target.interpreter));
            Err(error.help("name another interpreter with --interpreter, or change that line"))
        }
        _ => Ok(()),
    }
}

fn earlier_pins(path: &Path) -> Result<Option<Lock>, Error> {
    if !path.exists() {
        return Ok(None);
    }
    let text = read_text(path)?;
    let shown = path.display().to_string();
    Lock::parse(&text).map(Some).map_err(|f| {
        let error = Error::in_file(&shown, &text, &f);
        let help = error
            .help
            .clone()
            .unwrap_or_else(|| "it would be written over: move it away, or name another file with --out".to_owned());
        error.help(help)
    })
}

/// The releases of earlier pins that are to be kept while they hold.
fn prior(old: Option<&Lock>, renew: &[String]) -> Result<BTreeMap<Name, Version>, Error> {
    let Some(lock) = old else {
        return match renew.iter().find(|r| !r.is_empty()) {
            None => Ok(BTreeMap::new()),
            Some(name) => Err(Error::request(format!("there are no earlier pins in which {name} could be renewed"))
                .help("if it is asked for, put --renew behind the requirements, or leave it out")),
        };
    };
    if renew.iter().any(String::is_empty) {
        return Ok(BTreeMap::new());
    }
    let mut let_go = Vec::new();
    for text in renew {
        let name = Name::parse(text).map_err(|f| Error::in_file("--renew", text, &f))?;
        if !lock.packages.iter().any(|p| p.name == name) {
            return Err(Error::request(format!("{name} is not among the earlier pins, so there is nothing to renew")));
        }
        let_go.push(name);
    }
    let pinned = lock.packages.iter().filter(|p| !let_go.contains(&p.name));
    Ok(pinned.filter_map(|p| Some((p.name.clone(), Version::parse(p.version.as_deref()?).ok()?))).collect())
}

fn settle<'a>(
    solution: &'a Solution,
    asks: &'a Asks,
    run: &Run,
    target: &str,
    prior: &BTreeMap<Name, Version>,
) -> Result<Settled<'a>, Error> {
    let pins: Vec<Result<(Pinned<'a>, Option<u64>), Error>> = solution
        .chosen
        .par_iter()
        .map(|chosen| {
            let place = run.place_of(&chosen.project, &chosen.file)?;
            let on_disk = match (&place, chosen.file.hashes.get("sha256")) {
                (Place::Disk(path), _) => Some(path.clone()),
                // Nothing says which bytes it must be: those that are there now are fetched, and pinned.
                (Place::Url(_), None) => Some(run.obtain(&chosen.project, &chosen.file)?),
                (Place::Url(_), Some(_)) => None,
            };
            let length = || on_disk.as_ref().and_then(|p| std::fs::metadata(p).ok()).map(|m| m.len());
            let (sha256, size) = match (chosen.file.hashes.get("sha256"), &on_disk) {
                (Some(hash), _) => (hash.clone(), chosen.file.size.or_else(length)),
                (None, Some(path)) => sha256_of(path).map(|(hash, size)| (hash, Some(size)))?,
                (None, None) => return Err(Error::contents(format!("{} has no hash", chosen.file.filename))),
            };
            let direct_url = asks.asks.iter().find_map(|ask| match &ask.requirement.accepts {
                eutaxis_core::requirement::Accepts::Url(url) if ask.requirement.name == chosen.project => {
                    Some(url.clone())
                }
                _ => None,
            });
            let wheel = on_disk.filter(|p| p.extension().is_some_and(|e| e == "whl"));
            let unpacked = wheel.and_then(|p| unpacked_size(&p));
            let source = run.depot_of(&chosen.project);
            let depot = source.map_or(String::new(), |d| d.label().to_owned());
            let index = source.and_then(|d| d.index());
            let kept = prior.get(&chosen.project) == Some(&chosen.version);
            Ok((Pinned { chosen, place, sha256, size, depot, index, direct_url, kept }, unpacked))
        })
        .collect();
    let pins: Vec<(Pinned<'a>, Option<u64>)> = pins.into_iter().collect::<Result<_, _>>()?;
    let in_place = pins.iter().map(|(_, unpacked)| *unpacked).sum();
    let mut pins: Vec<Pinned<'a>> = pins.into_iter().map(|(pin, _)| pin).collect();
    pins.sort_by(|a, b| a.chosen.project.cmp(&b.chosen.project));
    let mut cautions = directive_cautions(asks);
    cautions.extend(render::settle::cautions(solution));
    for pin in &pins {
        let status = run.page_of(&pin.chosen.project).and_then(|p| p.status.clone());
        if let Some((status, reason)) = status {
            let why = reason.map_or(String::new(), |r| format!(": {}", eutaxis_core::fault::escaped(&r)));
            cautions.push(format!("{} is marked {status} in its depot{why}.", pin.chosen.project));
        }
    }
    Ok(Settled {
        target: target.to_owned(),
        pins,
        asks: &asks.asks,
        moves: Vec::new(),
        cautions,
        in_place,
        written: Vec::new(),
        files: Vec::new(),
    })
}

fn directive_cautions(asks: &Asks) -> Vec<String> {
    let one = |d: &eutaxis_core::requirement::Directive| {
        format!(
            "{}: `{}` is a directive, not a requirement, and was left out: {}.",
            d.origin,
            eutaxis_core::fault::escaped(&d.text),
            d.advice
        )
    };
    asks.directives.iter().map(one).collect()
}

/// Files of pages that were left out: counted, and with `-v` named.
fn report_left_out(run: &Run, solution: &Solution, output: &Output) {
    let mut count = 0;
    for chosen in &solution.chosen {
        let Some(page) = run.page_of(&chosen.project) else { continue };
        count += page.skipped.len();
        if output.verbose() {
            page.skipped.iter().for_each(|s| {
                output.notice(&format!("left out: {}: {}", eutaxis_core::fault::escaped(&s.filename), s.reason))
            });
            page.remarks.iter().for_each(|r| output.notice(&format!("remark: {}", eutaxis_core::fault::escaped(r))));
        }
    }
    if count > 0 && !output.verbose() {
        output.notice(&format!(
            "{} of the depots cannot be used and were left out (-v names them)",
            render::count(count, "file")
        ));
    }
}

fn moves(old: Option<&Lock>, settled: &Settled<'_>) -> Vec<Move> {
    let Some(lock) = old else { return Vec::new() };
    let mut moves = Vec::new();
    for pin in &settled.pins {
        let (name, after) = (&pin.chosen.project, &pin.chosen.version);
        let before = lock.packages.iter().find(|p| p.name == *name).and_then(|p| p.version.clone());
        let parsed = before.as_deref().and_then(|v| Version::parse(v).ok());
        let kind = match &parsed {
            None => "added",
            Some(v) if v < after => "raised",
            Some(v) if v > after => "lowered",
            Some(_) => continue,
        };
        moves.push(Move { project: name.to_string(), before, after: Some(after.to_string()), kind });
    }
    for package in &lock.packages {
        if !settled.pins.iter().any(|p| p.chosen.project == package.name) {
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

/// The pins as a lock file of the standard; what is ours stands in `[tool.eutaxis]`.
fn lock(settled: &Settled<'_>, target: &Target, out: &Path) -> Result<Lock, Error> {
    let folder = std::path::absolute(out).doing("cannot find", out)?.parent().map(Path::to_owned).unwrap_or_default();
    let packages = settled.pins.iter().map(|pin| package(pin, &folder)).collect();
    let mut own = toml::Table::new();
    own.insert("target".into(), toml::Value::String(target.to_string()));
    let mut tool = toml::Table::new();
    tool.insert("eutaxis".into(), toml::Value::Table(own));
    Ok(Lock {
        lock_version: "1.0".to_owned(),
        environments: vec![environment(target)],
        requires_python: Some(format!("=={}.*", target.interpreter.series_text())),
        created_by: "eutaxis".to_owned(),
        packages,
        tool: Some(tool),
        ..Lock::default()
    })
}

/// The marker that such targets have in common.
fn environment(target: &Target) -> String {
    let markers = &target.markers;
    let machine = match target.platform.system {
        // 32-bit programs may run on a 64-bit kernel, and the marker speaks of the kernel.
        System::Linux(_) if target.platform.arch().starts_with("armv") => {
            "platform_machine in 'armv6l armv7l armv8l aarch64'".to_owned()
        }
        System::Linux(_) if target.platform.arch() == "i686" => {
            "platform_machine in 'i386 i486 i586 i686 x86_64'".to_owned()
        }
        _ => format!("platform_machine == '{}'", markers.platform_machine),
    };
    format!(
        "sys_platform == '{}' and {machine} and implementation_name == '{}'",
        markers.sys_platform, markers.implementation_name
    )
}

fn package(pin: &Pinned<'_>, folder: &Path) -> Package {
    let chosen = pin.chosen;
    let file = LockFile {
        name: Some(chosen.file.filename.to_string()),
        upload_time: chosen.file.published.and_then(|t| t.to_string().parse().ok()),
        url: match &pin.place {
            Place::Url(url) => Some(url.to_string()),
            Place::Disk(_) => None,
        },
        path: match &pin.place {
            Place::Disk(path) => Some(relative(folder, path).unwrap_or_else(|| slashed(path))),
            Place::Url(_) => None,
        },
        size: pin.size,
        hashes: [("sha256".to_owned(), pin.sha256.clone())].into(),
    };
    let mut own = toml::Table::new();
    let asked_by: Vec<toml::Value> = asker_words(chosen).into_iter().map(toml::Value::String).collect();
    own.insert("asked-by".into(), toml::Value::Array(asked_by));
    if let Some(url) = &pin.direct_url {
        own.insert("direct-url".into(), toml::Value::String(url.clone()));
    }
    let mut tool = toml::Table::new();
    tool.insert("eutaxis".into(), toml::Value::Table(own));
    let name_only = |name: &Name| {
        let mut table = toml::Table::new();
        table.insert("name".into(), toml::Value::String(name.to_string()));
        table
    };
    let (sdist, wheels) = if pin.is_wheel() { (None, vec![file]) } else { (Some(file), Vec::new()) };
    Package {
        name: chosen.project.clone(),
        version: Some(chosen.version.to_string()),
        marker: None,
        requires_python: chosen.file.requires_python.as_ref().map(ToString::to_string),
        dependencies: chosen.needs.iter().map(name_only).collect(),
        vcs: None,
        directory: None,
        archive: None,
        index: pin.index.clone(),
        sdist,
        wheels,
        attestation_identities: Vec::new(),
        tool: Some(tool),
    }
}

/// Who asks, for files and JSON: `ask` for the user's own asks, and names of projects.
fn asker_words(chosen: &Chosen) -> Vec<String> {
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

fn write(settled: &mut Settled<'_>, lock: &Lock, arguments: &Settle) -> Result<(), Error> {
    let out = &arguments.out;
    let text = lock.write();
    let same = std::fs::read_to_string(out).is_ok_and(|old| old == text);
    if same {
        settled.written.push(format!("{} is as it was", out.display()));
    } else {
        write_whole(out, text.as_bytes())?;
        settled.written.push(format!("wrote {}", out.display()));
        settled.files.push(out.display().to_string());
    }
    if let Some(list) = &arguments.list {
        let lock = if arguments.exact { with_file_urls(lock, settled) } else { lock.clone() };
        write_whole(list, pin_list(&lock, arguments.exact).as_bytes())?;
        settled.written.push(format!("wrote {}", list.display()));
        settled.files.push(list.display().to_string());
    }
    Ok(())
}

/// For exact pin lists: `file:` URLs of files on disk.
fn with_file_urls(lock: &Lock, settled: &Settled<'_>) -> Lock {
    let mut lock = lock.clone();
    for package in &mut lock.packages {
        let Some(pin) = settled.pins.iter().find(|p| p.chosen.project == package.name) else { continue };
        for file in package.wheels.iter_mut().chain(&mut package.sdist) {
            file.url = Some(match &pin.place {
                Place::Disk(path) => eutaxis_world::files::file_url(path),
                Place::Url(url) => url.to_string(),
            });
        }
    }
    lock
}

fn clash_answer(clash: &Clash, shown: &str, target: &Target, depots: &Depots) -> Answer {
    let known = if clash.absent.is_empty() { Vec::new() } else { depots.projects() };
    let near = |name: &Name| {
        let names = nearest(name.as_str(), known.iter().map(Name::as_str), 3);
        known.iter().filter(|k| names.contains(&k.as_str())).cloned().collect::<Vec<_>>()
    };
    let listed = !known.is_empty();
    let text = render::clash::text(clash, shown, &near, listed);
    let facts: Vec<Value> = clash
        .facts
        .iter()
        .enumerate()
        .map(|(i, f)| {
            let mut fact = json!({"id": i + 1, "kind": f.kind.as_str(), "project": f.project, "versions": f.versions, "text": f.text});
            if let Some(needs) = &f.needs {
                fact["needs"] = json!(needs);
            }
            if let Some(origin) = &f.origin {
                fact["origin"] = json!(origin.to_string());
            }
            fact
        })
        .collect();
    let versions = |list: &[Version]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
    let contested: Vec<Value> = clash
        .contested
        .iter()
        .map(|c| {
            let rows: Vec<Value> =
                c.rows.iter().map(|(fact, allows)| json!({"fact": fact + 1, "allows": versions(allows)})).collect();
            json!({"project": c.project.as_str(), "releases": versions(&c.releases), "rows": rows})
        })
        .collect();
    let absent: Vec<Value> = clash
        .absent
        .iter()
        .map(|name| json!({"name": name.as_str(), "nearest": near(name).iter().map(Name::as_str).collect::<Vec<_>>()}))
        .collect();
    let mut object = Map::new();
    object.insert("target".into(), json!(target.to_string()));
    object.insert("clash".into(), json!({"facts": facts, "contested": contested}));
    object.insert("absent".into(), json!(absent));
    object.insert("ways_out".into(), json!([]));
    Answer { outcome: Outcome::No, text, json: object }
}

impl Settled<'_> {
    fn json(&self, target: &Target) -> Map<String, Value> {
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
                })
            })
            .collect();
        let moves: Vec<Value> = self
            .moves
            .iter()
            .map(|m| json!({"project": m.project, "before": m.before, "after": m.after, "kind": m.kind}))
            .collect();
        let mut object = Map::new();
        object.insert("target".into(), json!(target.to_string()));
        object.insert("pins".into(), json!(pins));
        object.insert("cautions".into(), json!(self.cautions));
        object.insert("moves".into(), json!(moves));
        object.insert("written".into(), json!(self.files));
        object
    }
}
