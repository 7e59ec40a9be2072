//! `diagnose`: what broke this installation, build or import, and what mends it?

mod check;
mod sarif;

use std::fs::File;
use std::io::{IsTerminal, Read};
use std::path::{Path, PathBuf};

use eutaxis_core::diagnose::{Aside, Cause, Context, Diagnosis, Facts, Reader, Told};
use eutaxis_world::environment::snapshot::distribution;
use eutaxis_world::root::root;
use eutaxis_world::{Doing, Error};
use serde_json::{Map, Value, json};

use crate::cli::{Common, Diagnose};
use crate::output::{Answer, Outcome, Output};
use crate::plan::Surroundings;
use crate::render;

/// The log is read in pieces of this size.
const PIECE: usize = 1 << 18;

/// A cause with its words, and what was checked.
#[derive(Debug)]
pub(crate) struct Found {
    pub(crate) cause: Cause,
    pub(crate) told: Told,
    /// What the environment, the target or the depots say of it, in sentences.
    pub(crate) checked: Vec<String>,
}

/// Everything that is shown.
#[derive(Debug)]
pub(crate) struct Report {
    pub(crate) diagnosis: Diagnosis,
    pub(crate) found: Vec<Found>,
    /// Why something was not checked.
    pub(crate) notes: Vec<String>,
    /// Where the causes were written.
    pub(crate) written: Option<PathBuf>,
}

pub(crate) fn run(
    arguments: &Diagnose,
    common: &Common,
    output: &Output,
) -> Result<Answer, Vec<Error>> {
    walk(arguments, common, output).map_err(|e| vec![e])
}

fn walk(arguments: &Diagnose, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::reading(common)?;
    let config = &surroundings.config;
    let distributions = distribution(&root());
    let context = Context {
        families: &config.families,
        libraries: &config.libraries,
        distributions: &distributions,
    };
    let causes = config.causes();
    let mut reader = Reader::new(&causes, &context);
    read(arguments.log.as_deref(), &mut reader)?;
    let diagnosis = reader.finish();
    let (found, notes) = check::all(&diagnosis.causes, arguments, &surroundings, output)?;
    if let Some(file) = &arguments.sarif {
        sarif::write(&found, arguments.log.as_deref(), file)?;
    }
    let report = Report {
        diagnosis,
        found,
        notes,
        written: arguments.sarif.clone(),
    };
    let outcome = if report.found.is_empty() {
        Outcome::Ok
    } else {
        Outcome::No
    };
    let text = render::diagnose::text(&report, output.verbose());
    Ok(Answer {
        outcome,
        text,
        json: json(&report),
    })
}

/// Reads the log, or standard input, to its end.
fn read(log: Option<&Path>, reader: &mut Reader<'_>) -> Result<(), Error> {
    let log = log.filter(|l| *l != Path::new("-"));
    let shown = log.unwrap_or(Path::new("standard input"));
    let mut source: Box<dyn Read> = match log {
        Some(path) if path.is_dir() => {
            let error = Error::request(format!("{} is a folder, not a log", path.display()));
            return Err(error.help("name the file that the program's output was written to"));
        }
        Some(path) => Box::new(
            File::open(path)
                .doing("cannot read", path)
                .map_err(Error::of_request)?,
        ),
        None if std::io::stdin().is_terminal() => {
            let error = Error::request("no log is named, and standard input is a terminal");
            return Err(error
                .help("name a file, or send the output here:  COMMAND 2>&1 | eutaxis diagnose"));
        }
        None => Box::new(std::io::stdin().lock()),
    };
    let mut piece = vec![0; PIECE];
    let mut begun = false;
    loop {
        match source.read(&mut piece) {
            Ok(0) => return Ok(()),
            Ok(n) => {
                let bytes = piece.get(..n).unwrap_or_default();
                if let Some((how, unpack)) = packed(bytes).filter(|_| !begun) {
                    let error =
                        Error::request(format!("{} is packed ({how}), not text", shown.display()));
                    return Err(error.help(format!(
                        "unpack it on the way:  {unpack} FILE | eutaxis diagnose"
                    )));
                }
                begun = true;
                reader.read(bytes);
            }
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e).doing("cannot read", shown),
        }
    }
}

/// How a file is packed, by its first bytes, and what unpacks it.
fn packed(head: &[u8]) -> Option<(&'static str, &'static str)> {
    let kinds: [(&[u8], _); 5] = [
        (b"\x1f\x8b", ("gzip", "zcat")),
        (b"\x28\xb5\x2f\xfd", ("zstd", "zstdcat")),
        (b"\xfd7zXZ\0", ("xz", "xzcat")),
        (b"BZh", ("bzip2", "bzcat")),
        (b"PK\x03\x04", ("zip", "unzip -p")),
    ];
    kinds
        .into_iter()
        .find(|(mark, _)| head.starts_with(mark))
        .map(|(_, how)| how)
}

fn json(report: &Report) -> Map<String, Value> {
    let diagnosis = &report.diagnosis;
    let mut object = Map::new();
    object.insert(
        "causes".into(),
        report.found.iter().map(found_json).collect(),
    );
    let asides = |all: &[Aside]| -> Value {
        all.iter()
            .map(|a| json!({"id": a.id, "line": a.line, "excerpt": a.excerpt, "times": a.times}))
            .collect()
    };
    object.insert("consequences".into(), asides(&diagnosis.consequences));
    object.insert("overcome".into(), asides(&diagnosis.overcome));
    object.insert("perhaps".into(), asides(&diagnosis.guessed));
    object.insert("ended".into(), diagnosis.ended.as_str().into());
    object.insert("lines".into(), diagnosis.lines.into());
    object.insert("notes".into(), json!(report.notes));
    object
}

fn found_json(found: &Found) -> Value {
    let (cause, told) = (&found.cause, &found.told);
    let remedies: Vec<Value> = told
        .remedies
        .iter()
        .map(|r| json!({"text": r.text, "change": r.change, "verified": r.verified}))
        .collect();
    json!({
        "id": cause.id, "confidence": cause.confidence.as_str(), "line": cause.line, "excerpt": cause.excerpt,
        "facts": facts_json(&cause.facts), "title": told.title, "explanation": told.explanation, "checked": found.checked,
        "remedies": remedies, "would_not_help": told.would_not_help, "times": cause.times,
    })
}

fn facts_json(facts: &Facts) -> Value {
    let value = |values: &[String], list: bool| match values {
        [one] if !list => json!(one),
        several => json!(several),
    };
    Value::Object(
        facts
            .iter()
            .map(|(name, values, list)| (name.to_owned(), value(values, list)))
            .collect(),
    )
}
