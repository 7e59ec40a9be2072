//! `diagnose`: what broke this installation, build or import, and what mends it?

mod check;
mod sarif;

use std::fs::File;
use std::io::{IsTerminal, Read};
use std::path::Path;

use eutaxis_core::diagnose::{Context, Reader};
use eutaxis_world::root::{distribution, root};
use eutaxis_world::{Doing, Error};

use crate::cli::{Common, Diagnose};
use crate::output::{Answer, Outcome, Output};
use crate::plan::Surroundings;
use crate::{render, report};

/// The log is read in pieces of this size.
const PIECE: usize = 1 << 20;

pub(crate) fn run(arguments: &Diagnose, common: &Common, output: &Output) -> Result<Answer, Error> {
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
    let report = check::all(diagnosis, arguments, &surroundings, output)?;
    if let Some(file) = &report.written {
        sarif::write(&report.found, arguments.log.as_deref(), file)?;
    }
    let outcome = if report.found.is_empty() {
        Outcome::Ok
    } else {
        Outcome::No
    };
    let text = render::diagnose::text(&report, output.verbose());
    Ok(Answer {
        outcome,
        text,
        report: report::Diagnose::from(&report).into(),
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
