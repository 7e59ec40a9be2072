//! Files that were fetched, for programs.

use eutaxis_world::gather::{How, Piece, Report};
use schemars::JsonSchema;
use serde::Serialize;

use super::shown;

/// What `gather` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Gather {
    into: String,
    files: Vec<File>,
    bytes: Bytes,
    written: Vec<String>,
    seconds: f64,
}

/// A file.
#[derive(Debug, Serialize, JsonSchema)]
struct File {
    name: String,
    version: String,
    file: String,
    sha256: String,
    size: u64,
    #[schemars(extend("enum" = ["fetched", "copied", "kept"]))]
    how: String,
}

/// Bytes by what was done.
#[derive(Debug, Serialize, JsonSchema)]
struct Bytes {
    fetched: u64,
    copied: u64,
    kept: u64,
}

impl Gather {
    pub(crate) fn new(pieces: &[Piece], report: &Report, written: Vec<String>) -> Self {
        let sum = |wanted: How| {
            let files = report.files.iter().filter(|(how, _)| *how == wanted);
            files.map(|(_, bytes)| bytes).sum()
        };
        let files = pieces
            .iter()
            .zip(&report.files)
            .map(|(piece, (how, size))| File {
                name: piece.project.to_string(),
                version: piece.version.clone(),
                file: piece.filename.clone(),
                sha256: piece.sha256.clone(),
                size: *size,
                how: match how {
                    How::Fetched => "fetched",
                    How::Copied => "copied",
                    How::Kept => "kept",
                }
                .to_owned(),
            });
        Gather {
            into: shown(&report.into),
            files: files.collect(),
            bytes: Bytes {
                fetched: sum(How::Fetched),
                copied: sum(How::Copied),
                kept: sum(How::Kept),
            },
            written,
            seconds: report.seconds,
        }
    }
}
