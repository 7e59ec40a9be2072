//! `assay`: what does this wheel really need, and does it run on the target?

mod beside;

use std::path::Path;

use eutaxis_core::Target;
use eutaxis_core::artifact::{EntryPoints, Metadata, WheelName};
use eutaxis_core::assay::{Assayed, Contents, assay};
use eutaxis_core::interface::Set;
use eutaxis_world::assay::{Looked, look_into};
use eutaxis_world::loader::Loader;
use eutaxis_world::root::stand_in;
use eutaxis_world::wheel::{Refusal, RefusalKind, sources};
use eutaxis_world::{Error, Errors};

use crate::answer::assay::{Bar, Inside, Verdict, Word};
use crate::cli::{Assay, Common};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Chosen, Surroundings};
use crate::{render, report};

pub(crate) fn run(arguments: &Assay, common: &Common, output: &Output) -> Result<Answer, Errors> {
    let surroundings = Surroundings::new(common)?;
    let absent = arguments.files.iter().filter(|f| !f.is_file());
    Errors::of(absent.map(|f| no_file(f)).collect())?;
    let chosen = plan::target(&arguments.target, &surroundings)?;
    let loader = loader(&chosen, arguments, &surroundings)?;
    let depots = plan::named_depots(&arguments.depots, &surroundings, false)?;
    let bar = output.progress();
    bar.set_length(arguments.files.len() as u64);
    bar.set_message("reading");
    let mut verdicts = Vec::new();
    for file in &arguments.files {
        let looked = look_into(file, &chosen.target, loader.as_ref());
        bar.inc(1);
        let beside = |name: &WheelName| match &arguments.beside {
            Some(pins) => beside::gaps(file, name, pins, &chosen, &surroundings, &depots).map(Some),
            None => Ok(None),
        };
        let judged = looked.and_then(|l| {
            let found = match (&l.name, l.refusals.is_empty()) {
                (Ok(name), true) => beside(name)?,
                _ => None,
            };
            let verdict = verdict(file, l, &chosen.target);
            Ok(Verdict {
                beside: found,
                ..verdict
            })
        });
        verdicts.push(judged);
    }
    bar.finish_and_clear();
    let verdicts: Vec<Verdict> = verdicts.into_iter().collect::<Result<_, _>>()?;
    let text = render::assay::text(&verdicts, &chosen, loader.is_some(), output.verbose());
    let holds = |v: &Verdict| v.beside.as_ref().is_none_or(Vec::is_empty);
    let all = verdicts.iter().all(|v| v.word == Word::Fits && holds(v));
    Ok(Answer {
        outcome: if all { Outcome::Ok } else { Outcome::No },
        text,
        report: report::Assay::new(&verdicts, &chosen.target).into(),
    })
}

fn no_file(path: &Path) -> Error {
    let what = if path.is_dir() {
        "is a folder"
    } else {
        "is not there"
    };
    Error::request(format!("{} {what}", path.display()))
        .help("name wheels: files whose names end in .whl")
}

/// The loader of the machine that is the target; none for a target that is only described.
fn loader(
    chosen: &Chosen,
    arguments: &Assay,
    surroundings: &Surroundings,
) -> Result<Option<Loader>, Error> {
    if !chosen.here {
        return Ok(None);
    }
    let found = plan::interpreter(arguments.target.interpreter.as_deref(), surroundings)?;
    Ok(Some(Loader::new(
        stand_in().as_deref(),
        Some(&found.facts.executable),
    )))
}

/// What can be imported and typed of a wheel, and what it needs.
fn inside(path: &Path, metadata: Option<&Metadata>, target: &Target) -> Inside {
    let is_points = |p: &str| p.ends_with(".dist-info/entry_points.txt");
    let mut inside = Inside::default();
    if let Ok(sources) = sources(path, &is_points) {
        let mut set = Set::new(1);
        let paths = sources.paths.iter().flatten();
        paths.for_each(|path| set.add(0, path));
        inside.modules = set.public(0);
        let points = sources
            .found
            .first()
            .map(|(_, bytes)| EntryPoints::parse(bytes));
        let points = points.and_then(Result::ok).unwrap_or_default();
        inside.scripts = points.scripts().map(|p| p.name.clone()).collect();
    }
    let needs = metadata.map(|m| m.needs_in_force(&target.markers, &[]));
    inside.requires = needs.unwrap_or_default();
    inside
}

fn verdict(path: &Path, looked: Looked, target: &Target) -> Verdict {
    let mut bars: Vec<Bar> = Vec::new();
    bars.extend(looked.refusals.iter().cloned().map(Bar::Refused));
    let assayed = match &looked.name {
        Ok(name) => {
            let contents = Contents {
                name,
                metadata: looked.metadata.as_ref(),
                variants: looked
                    .variants
                    .as_ref()
                    .map(|v| v.as_ref().map_err(String::as_str)),
                carried: &looked.carried,
            };
            assay(&contents, target)
        }
        Err(fault) => {
            let refusal = Refusal {
                kind: RefusalKind::Name,
                detail: fault.to_string(),
            };
            bars.push(Bar::Refused(refusal));
            Assayed::default()
        }
    };
    bars.extend(assayed.bars.into_iter().map(Bar::Judged));
    let about_record = |r: &&Refusal| matches!(r.kind, RefusalKind::Record | RefusalKind::Hash);
    let word = match (looked.unreadable, bars.is_empty()) {
        (true, _) => Word::Unreadable,
        (false, true) => Word::Fits,
        (false, false) => Word::Barred,
    };
    let inside = inside(path, looked.metadata.as_ref(), target);
    Verdict {
        inside,
        beside: None,
        path: path.to_owned(),
        word,
        bars,
        broken: assayed.broken,
        needs: assayed.needs,
        code: assayed.code,
        record: looked
            .refusals
            .iter()
            .filter(about_record)
            .map(|r| r.detail.clone())
            .collect(),
        files: looked.files,
        unpacked: looked.unpacked,
    }
}
