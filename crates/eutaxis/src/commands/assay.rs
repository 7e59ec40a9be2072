//! `assay`: what does this wheel really need, and does it run on the target?

use std::path::Path;

use eutaxis_core::Target;
use eutaxis_core::assay::{Assayed, Contents, Remark, assay};
use eutaxis_world::assay::{Looked, look_into};
use eutaxis_world::loader::Loader;
use eutaxis_world::root::stand_in;
use eutaxis_world::wheel::RefusalKind;
use eutaxis_world::{Error, Errors};

use crate::answer::assay::{Verdict, Word};
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
    let bar = output.progress();
    bar.set_length(arguments.files.len() as u64);
    bar.set_message("reading");
    let mut verdicts = Vec::new();
    for file in &arguments.files {
        let looked = look_into(file, &chosen.target, loader.as_ref());
        bar.inc(1);
        verdicts.push(looked.map(|l| verdict(file, l, &chosen.target)));
    }
    bar.finish_and_clear();
    let verdicts: Vec<Verdict> = verdicts.into_iter().collect::<Result<_, _>>()?;
    let text = render::assay::text(&verdicts, &chosen, loader.is_some(), output.verbose());
    let all = verdicts.iter().all(|v| v.word == Word::Fits);
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

fn verdict(path: &Path, looked: Looked, target: &Target) -> Verdict {
    let assayed = match &looked.name {
        Ok(name) => {
            let contents = Contents {
                name,
                metadata: looked.metadata.as_ref(),
                carried: &looked.carried,
            };
            assay(&contents, target)
        }
        Err(fault) => {
            let bars = vec![Remark {
                kind: "name",
                detail: fault.to_string(),
            }];
            Assayed {
                bars,
                ..Assayed::default()
            }
        }
    };
    let refused = |r: &eutaxis_world::wheel::Refusal| Remark {
        kind: r.kind.as_str(),
        detail: r.detail.clone(),
    };
    let bars: Vec<Remark> = looked
        .refusals
        .iter()
        .map(refused)
        .chain(assayed.bars)
        .collect();
    let about_record = |r: &&eutaxis_world::wheel::Refusal| {
        matches!(r.kind, RefusalKind::Record | RefusalKind::Hash)
    };
    let word = match (looked.unreadable, bars.is_empty()) {
        (true, _) => Word::Unreadable,
        (false, true) => Word::Fits,
        (false, false) => Word::Barred,
    };
    Verdict {
        path: path.to_owned(),
        word,
        bars,
        broken: assayed.broken,
        needs: assayed.needs,
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
