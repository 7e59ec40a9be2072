//! Aligned columns that fit the width: the last column takes what is left and wraps; when too
//! little is left it stands on a line of its own.

use unicode_width::UnicodeWidthStr;

use super::style;

/// The last column moves to its own line when fewer columns than this are left for it.
const NARROWEST: usize = 24;

/// A table. Cells are plain text; the head is dimmed.
#[derive(Debug)]
pub(crate) struct Table {
    head: Vec<String>,
    rows: Vec<Vec<String>>,
}

impl Table {
    pub(crate) fn new(head: &[&str]) -> Self {
        Table {
            head: head.iter().map(|h| (*h).to_owned()).collect(),
            rows: Vec::new(),
        }
    }

    pub(crate) fn row<const N: usize>(&mut self, cells: [String; N]) {
        self.rows.push(cells.into());
    }

    /// A row with as many cells as the head.
    pub(crate) fn cells(&mut self, cells: Vec<String>) {
        self.rows.push(cells);
    }

    /// The text, each line ended; `paint` colours a finished first cell.
    pub(crate) fn text(&self, width: usize) -> String {
        let columns = self.head.len();
        let fixed = columns.saturating_sub(1);
        let widths: Vec<usize> = (0..fixed)
            .map(|c| {
                self.all()
                    .filter_map(|row| row.get(c))
                    .map(|cell| cell.width())
                    .max()
                    .unwrap_or(0)
            })
            .collect();
        let used: usize = widths.iter().map(|w| w + 2).sum();
        let longest = self
            .all()
            .filter_map(|row| row.last())
            .map(|cell| cell.width())
            .max()
            .unwrap_or(0);
        let below = used + longest > width && width < used + NARROWEST;
        let mut text = String::new();
        let headed = self.head.iter().any(|c| !c.is_empty());
        for (i, row) in self.all().enumerate() {
            let is_head = headed && i == 0;
            let mut row = row.clone();
            if let Some(last) = row.last_mut().filter(|_| below && is_head) {
                // The head of a column that stands below the others would head nothing.
                last.clear();
            }
            let line = self.line(&row, &widths, width, below);
            if is_head {
                line.lines().for_each(|l| {
                    text.push_str(&style::dim(l));
                    text.push('\n');
                });
            } else {
                text.push_str(&line);
            }
        }
        text
    }

    fn all(&self) -> impl Iterator<Item = &Vec<String>> {
        std::iter::once(&self.head)
            .filter(|h| h.iter().any(|c| !c.is_empty()))
            .chain(&self.rows)
    }

    fn line(&self, row: &[String], widths: &[usize], width: usize, below: bool) -> String {
        let mut line = String::new();
        for (cell, width) in row.iter().zip(widths) {
            line.push_str(cell);
            line.push_str(&" ".repeat(width - cell.width() + 2));
        }
        let last = row.last().map_or("", String::as_str);
        if below {
            let line = line.trim_end().to_owned();
            let rest: String = wrap(last, width.saturating_sub(4))
                .iter()
                .map(|l| format!("    {l}\n"))
                .collect();
            return if last.is_empty() {
                format!("{line}\n")
            } else {
                format!("{line}\n{rest}")
            };
        }
        let indent = line.width();
        let wrapped = wrap(last, width.saturating_sub(indent));
        let mut text = String::new();
        for (i, part) in wrapped.iter().enumerate() {
            let lead = if i == 0 {
                line.clone()
            } else {
                " ".repeat(indent)
            };
            text.push_str(format!("{lead}{part}").trim_end());
            text.push('\n');
        }
        text
    }
}

/// Words in lines of at most `width` columns; a longer word stands alone. A no-break space holds
/// two words together and is an ordinary one afterwards.
pub(crate) fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let Some(line) = lines.last_mut() else {
            continue;
        };
        if line.is_empty() {
            line.push_str(word);
        } else if line.width() + 1 + word.width() <= width {
            line.push(' ');
            line.push_str(word);
        } else {
            lines.push(word.to_owned());
        }
    }
    lines
        .into_iter()
        .map(|line| line.replace('\u{a0}', " "))
        .collect()
}

/// A paragraph behind a word: `care  text`, further lines under the text.
pub(crate) fn labelled(label: &str, painted: &str, text: &str, width: usize) -> String {
    let indent = label.width() + 2;
    behind(painted, indent, &wrap(text, width.saturating_sub(indent)))
}

/// A command behind a word, in lines that a shell joins again.
pub(crate) fn labelled_command(label: &str, command: &str, width: usize) -> String {
    let indent = label.width() + 2;
    behind(
        label,
        indent,
        &continued(command, width.saturating_sub(indent)),
    )
}

/// Lines behind a word as it is drawn, all of them indented alike.
fn behind(painted: &str, indent: usize, lines: &[String]) -> String {
    let mut out = String::new();
    for (i, line) in lines.iter().enumerate() {
        let lead = if i == 0 {
            format!("{painted}  ")
        } else {
            " ".repeat(indent)
        };
        out.push_str(&format!("{lead}{line}\n"));
    }
    out
}

/// A command in lines that a shell joins again; what stands in quotes stays together.
pub(crate) fn continued(command: &str, width: usize) -> Vec<String> {
    let mut quote = None;
    let mut hold = |c: char| {
        match quote {
            None if c == '"' || c == '\'' => quote = Some(c),
            Some(open) if c == open => quote = None,
            _ => {}
        }
        if c == ' ' && quote.is_some() {
            '\u{a0}'
        } else {
            c
        }
    };
    let held: String = command.chars().map(&mut hold).collect();
    // An option and its value stay together as well.
    let held = with_values(&held);
    if held.width() <= width {
        return vec![command.to_owned()];
    }
    let mut lines = wrap(&held, width.saturating_sub(2));
    let last = lines.len().saturating_sub(1);
    for line in lines.iter_mut().take(last) {
        line.push_str(" \\");
    }
    lines
}

/// The blank between an option and its value as one that does not break.
fn with_values(command: &str) -> String {
    let mut words = command.split(' ').peekable();
    let mut out = String::new();
    while let Some(word) = words.next() {
        out.push_str(word);
        if let Some(next) = words.peek() {
            let is_option = word.starts_with("--") && !word.contains('=');
            // What leads to the next command stands behind this one.
            let holds = is_option && !next.starts_with('-') || *next == "&&";
            out.push(if holds { '\u{a0}' } else { ' ' });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table() -> Table {
        let mut table = Table::new(&["project", "release", "note"]);
        table.row([
            "radargram".into(),
            "2.0.3".into(),
            "newest 2.2.0 is barred: needs glibc 2.34, here 2.31".into(),
        ]);
        table.row(["\u{e9}t\u{e9}".into(), "1".into(), String::new()]);
        table
    }

    fn plain(text: &str) -> String {
        anstream::adapter::strip_str(text).to_string()
    }

    #[test]
    fn columns_are_aligned_and_wrap() {
        assert_eq!(
            plain(&table().text(50)),
            "project    release  note\nradargram  2.0.3    newest 2.2.0 is barred: \
                needs\n                    glibc 2.34, here 2.31\n\u{e9}t\u{e9}        1\n"
        );
    }

    #[test]
    fn only_a_head_is_dimmed() {
        let mut table = Table::new(&["", ""]);
        table.row(["1".into(), "one".into()]);
        assert_eq!(table.text(40), "1  one\n");
    }

    #[test]
    fn a_narrow_last_column_stands_below() {
        let text = plain(&table().text(40));
        assert!(
            text.contains("radargram  2.0.3\n    newest 2.2.0 is barred: needs glibc\n"),
            "{text}"
        );
        assert!(text.lines().all(|l| l.width() <= 40));
    }

    #[test]
    fn commands_are_broken_as_a_shell_joins_them() {
        let command = "eutaxis settle \"frostgrid >=1,<2\" sastrugi==0.8.1 --out pylock.toml";
        assert_eq!(continued(command, 90), [command]);
        let lines = continued(command, 40);
        assert_eq!(
            lines,
            [
                "eutaxis settle \"frostgrid >=1,<2\" \\",
                "sastrugi==0.8.1 --out pylock.toml"
            ]
        );
    }
}
