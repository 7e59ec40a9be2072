//! Lines of files that a way out changes.

use schemars::JsonSchema;
use serde::Serialize;

use super::shown;
use crate::answer::edits::FileEdit;

/// The lines of one file.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FileEdits {
    file: String,
    lines: Vec<Line>,
}

/// A line: null before where it comes, null after where it goes.
#[derive(Debug, Serialize, JsonSchema)]
struct Line {
    /// From 1.
    line: usize,
    before: Option<String>,
    after: Option<String>,
}

impl From<&FileEdit> for FileEdits {
    fn from(edit: &FileEdit) -> Self {
        let lines = edit.lines().into_iter();
        FileEdits {
            file: shown(&edit.file),
            lines: lines
                .map(|(line, before, after)| Line {
                    line,
                    before,
                    after,
                })
                .collect(),
        }
    }
}
