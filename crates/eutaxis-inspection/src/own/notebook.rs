//! The code of a notebook (the open format of notebooks, versions 3 and 4): its cells as one source,
//! with the cell and the line within that each line is from.

use serde::Deserialize;

/// The code of a notebook.
#[derive(Debug, Default)]
pub(super) struct Cells {
    /// All of it.
    pub(super) source: String,
    /// For each line the cell, from 1 among all cells, and the line within, from 1.
    pub(super) lines: Vec<(u32, u32)>,
}

#[derive(Deserialize)]
struct Notebook {
    #[serde(default)]
    metadata: Metadata,
    #[serde(default)]
    cells: Vec<Cell>,
    #[serde(default)]
    worksheets: Vec<Sheet>,
}

#[derive(Default, Deserialize)]
struct Metadata {
    #[serde(default)]
    kernelspec: Language,
    #[serde(default)]
    language_info: Language,
}

#[derive(Default, Deserialize)]
struct Language {
    language: Option<String>,
    name: Option<String>,
}

#[derive(Deserialize)]
struct Sheet {
    #[serde(default)]
    cells: Vec<Cell>,
}

#[derive(Deserialize)]
struct Cell {
    #[serde(default)]
    cell_type: String,
    #[serde(default, alias = "input")]
    source: Text,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Text {
    Whole(String),
    Lines(Vec<String>),
}

impl Default for Text {
    fn default() -> Self {
        Text::Whole(String::new())
    }
}

/// Reads a notebook; one in another language has no cells.
///
/// # Errors
/// When the bytes are no notebook.
pub(super) fn read(bytes: &[u8]) -> Result<Cells, String> {
    let notebook: Notebook = serde_json::from_slice(bytes).map_err(|e| e.to_string())?;
    let metadata = &notebook.metadata;
    let language = metadata.kernelspec.language.as_deref();
    let language = language.or(metadata.language_info.name.as_deref());
    let mut cells = Cells::default();
    if language.is_some_and(|l| !l.to_ascii_lowercase().contains("python")) {
        return Ok(cells);
    }
    let sheets = notebook.worksheets.iter().flat_map(|s| &s.cells);
    for (number, cell) in (1..).zip(notebook.cells.iter().chain(sheets)) {
        if cell.cell_type != "code" {
            continue;
        }
        let text = match &cell.source {
            Text::Whole(text) => text.clone(),
            Text::Lines(lines) => lines.concat(),
        };
        cells.add(number, &text);
    }
    Ok(cells)
}

impl Cells {
    /// Adds a cell; what speaks to the notebook instead of the interpreter is left out.
    fn add(&mut self, number: u32, text: &str) {
        // A whole cell may be in another language, or for another program.
        let first = text.trim_start().strip_prefix("%%");
        let magic = first.and_then(|rest| rest.split_whitespace().next());
        let is_code = magic.is_none_or(|m| matches!(m, "time" | "timeit" | "capture" | "prun"));
        for (line, text) in (1..).zip(text.lines()) {
            let bare = text.trim();
            let is_own = is_code && !bare.starts_with(['%', '!', '?']) && !bare.ends_with('?');
            if is_own {
                self.source.push_str(text);
            } else {
                // A block keeps a statement.
                let indent = text.len() - text.trim_start().len();
                self.source.push_str(text.get(..indent).unwrap_or_default());
                self.source.push_str("pass");
            }
            self.source.push('\n');
            self.lines.push((number, line));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn cells_of_code_are_one_source() {
        let text = r#"{"cells": [
            {"cell_type": "markdown", "source": "import no"},
            {"cell_type": "code", "source": ["%load_ext gusts\n", "import firnio\n", "firnio?"]},
            {"cell_type": "code", "source": "%%bash\nimport no"},
            {"cell_type": "code", "source": "%%time\nimport katabat"}
        ], "metadata": {"kernelspec": {"language": "python"}}}"#;
        let cells = read(text.as_bytes()).unwrap();
        assert_eq!(
            cells.source,
            "pass\nimport firnio\npass\npass\npass\npass\nimport katabat\n"
        );
        assert_eq!(cells.lines[1], (2, 2));
        assert_eq!(cells.lines[6], (4, 2));
    }

    #[rstest]
    #[case::old(
        r#"{"worksheets": [{"cells": [{"cell_type": "code", "input": "import a"}]}]}"#,
        1
    )]
    #[case::another_language(
        r#"{"cells": [{"cell_type": "code", "source": "a"}],
        "metadata": {"language_info": {"name": "julia"}}}"#,
        0
    )]
    #[case::empty("{}", 0)]
    fn other_notebooks(#[case] text: &str, #[case] lines: usize) {
        assert_eq!(read(text.as_bytes()).unwrap().lines.len(), lines);
    }

    #[test]
    fn what_is_no_notebook_is_told() {
        assert!(read(b"import a").is_err());
    }
}
