//! The pages of `docs/` as text: headings, paragraphs that fit the width, lists, tables, code as it
//! stands.

use eutaxis_core::fault::escaped;
use eutaxis_core::knowledge::TradeWord;
use pulldown_cmark::{Event, Options, Parser, Tag, TagEnd};

use super::style;
use super::table::{Table, labelled, wrap};
use super::width;

/// All topics, with what each tells.
pub(crate) fn overview(commands: &[(&str, String)], matters: &[(&str, String)]) -> String {
    let mut text = format!("{}\n", style::strong("eutaxis help TOPIC shows a page:"));
    for (head, topics) in [("Commands", commands), ("Topics", matters)] {
        let mut table = Table::new(&["", ""]);
        for (topic, about) in topics {
            table.row([format!("  {topic}"), about.clone()]);
        }
        text.push_str(&format!("\n{head}\n{}", table.text(width())));
    }
    let more = "Words of the trade lead to the command that does it: eutaxis help install. The \
                options of a command: eutaxis COMMAND --help.";
    text.push_str(&format!("\n{}\n", wrap(more, width()).join("\n")));
    text
}

/// What does what a word of the trade means.
pub(crate) fn word(word: &str, meant: &TradeWord) -> String {
    let head = format!("`{}` is called otherwise here:", escaped(word));
    let mut text = format!("{}\n", wrap(&head, width()).join("\n"));
    for command in &meant.commands {
        text.push_str(&format!("  eutaxis {command}\n"));
    }
    let mut says = meant.says.clone();
    if let Some(first) = says.get(..1).map(str::to_uppercase) {
        says.replace_range(..1, &first);
    }
    text.push_str(&format!("{}.\n", wrap(&says, width()).join("\n")));
    text
}

/// A page of Markdown.
pub(crate) fn page(markdown: &str) -> String {
    let mut page = Page {
        width: width(),
        ..Page::default()
    };
    for event in Parser::new_ext(markdown, Options::ENABLE_TABLES) {
        page.take(event);
    }
    page.out
}

/// What is put together of a page.
#[derive(Default)]
struct Page {
    out: String,
    width: usize,
    /// The paragraph, heading or cell that is being read.
    line: String,
    /// The lists that it is in, with the number of the next item where they are numbered.
    lists: Vec<Option<u64>>,
    /// What stands before the first line of an item.
    mark: String,
    /// The rows of the table that is being read; the first is its head.
    rows: Vec<Vec<String>>,
    /// Code, which is not wrapped.
    is_code: bool,
    /// A picture, which cannot be shown.
    is_picture: bool,
}

impl Page {
    #[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
    fn take(&mut self, event: Event<'_>) {
        match event {
            Event::Start(Tag::List(first)) => {
                self.end_paragraph();
                self.lists.push(first);
            }
            Event::End(TagEnd::List(_)) => {
                self.lists.pop();
                if self.lists.is_empty() {
                    self.out.push('\n');
                }
            }
            Event::Start(Tag::Item) => {
                let mark = match self.lists.last_mut() {
                    Some(Some(number)) => {
                        *number += 1;
                        format!("{}. ", *number - 1)
                    }
                    _ => "- ".to_owned(),
                };
                self.mark = format!("{}{mark}", "  ".repeat(self.lists.len().saturating_sub(1)));
            }
            Event::Start(Tag::CodeBlock(_)) => {
                self.end_paragraph();
                self.is_code = true;
            }
            Event::End(TagEnd::CodeBlock) => {
                self.is_code = false;
                self.out.push('\n');
            }
            Event::Start(Tag::Image { .. }) => self.is_picture = true,
            Event::End(TagEnd::Image) => self.is_picture = false,
            Event::End(TagEnd::Heading(_)) => {
                let line = std::mem::take(&mut self.line);
                self.out.push_str(&format!("{}\n\n", style::strong(&line)));
            }
            Event::End(TagEnd::Paragraph | TagEnd::Item) => self.end_paragraph(),
            Event::End(TagEnd::TableCell) => {
                let cell = std::mem::take(&mut self.line);
                if let Some(row) = self.rows.last_mut() {
                    row.push(cell);
                }
            }
            Event::Start(Tag::TableHead | Tag::TableRow) => self.rows.push(Vec::new()),
            Event::End(TagEnd::Table) => self.end_table(),
            Event::Text(text) if self.is_code => {
                for line in text.lines() {
                    self.out.push_str(format!("    {line}").trim_end());
                    self.out.push('\n');
                }
            }
            Event::Text(text) if !self.is_picture => self.line.push_str(&text),
            Event::Code(text) => self.line.push_str(&format!("`{text}`")),
            Event::SoftBreak | Event::HardBreak => self.line.push(' '),
            _ => {}
        }
    }

    /// A paragraph, or what an item holds before another list.
    fn end_paragraph(&mut self) {
        let line = std::mem::take(&mut self.line);
        let mark = std::mem::take(&mut self.mark);
        if line.trim().is_empty() {
            return;
        }
        let indent = 2 * self.lists.len();
        let room = self.width.saturating_sub(indent).max(1);
        for (n, part) in wrap(line.trim(), room).iter().enumerate() {
            let lead = match n {
                0 if !mark.is_empty() => format!("{mark:indent$}"),
                _ => " ".repeat(indent),
            };
            self.out.push_str(&format!("{lead}{part}\n"));
        }
        if self.lists.is_empty() {
            self.out.push('\n');
        }
    }

    /// Columns side by side where they fit; else each row by its first cell, with the others below.
    fn end_table(&mut self) {
        let rows = std::mem::take(&mut self.rows);
        let mut rows = rows.into_iter();
        let head = rows.next().unwrap_or_default();
        let names: Vec<&str> = head.iter().map(String::as_str).collect();
        let longest = |row: &Vec<String>| {
            let before = row.len().saturating_sub(1);
            row.iter().take(before).map(String::len).sum::<usize>()
        };
        let rows: Vec<Vec<String>> = rows.collect();
        let fits = rows.iter().map(longest).max().unwrap_or(0) <= self.width / 2;
        if fits {
            let mut table = Table::new(&names);
            rows.into_iter().for_each(|row| table.cells(row));
            self.out.push_str(&table.text(self.width));
        } else {
            for row in rows {
                let mut cells = row.into_iter();
                let first = cells.next().unwrap_or_default();
                self.out
                    .push_str(&format!("{}\n", wrap(&first, self.width).join("\n")));
                let others = cells.filter(|c| !c.is_empty());
                others.for_each(|cell| self.out.push_str(&labelled("  ", "  ", &cell, self.width)));
            }
        }
        self.out.push('\n');
    }
}

#[cfg(test)]
mod tests {
    use super::page;

    #[test]
    fn a_page_reads_as_text() {
        let text = page(
            "# firn\n\n*One `code`\nline.*\n\n    eutaxis firn\n      more\n\n- first [page](x.md)\n- \
             second\n  - below\n\n1. one\n2. two\n\n| a | b |\n|---|---|\n| `x` | y |\n\n![pic](p.png)\n",
        );
        let plain = anstream::adapter::strip_str(&text).to_string();
        assert_eq!(
            plain,
            "firn\n\nOne `code` line.\n\n    eutaxis firn\n      more\n\n- first page\n- second\n  - \
             below\n\n1. one\n2. two\n\na    b\n`x`  y\n\n"
        );
    }
}
