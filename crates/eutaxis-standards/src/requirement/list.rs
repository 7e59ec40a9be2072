//! Requirement lists: one dependency specifier a line, `#` comments, blank lines, a backslash joins
//! lines.
//!
//! A line that begins with `-` is a directive to some installer, not a requirement. It is kept
//! apart, with the job that it seems to ask for.

use super::{Ask, Requirement};
use crate::fault::{Fault, Origin};

/// A list that has been read: what it asks for, and the lines that are no requirements.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RequirementList {
    /// The requirements in the order written.
    pub asks: Vec<Ask>,
    /// Directive lines, and directives that follow a requirement on its line.
    pub directives: Vec<Directive>,
}

/// A line, or the tail of one, that speaks to an installer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Directive {
    /// Where it stands.
    pub origin: Origin,
    /// Its text.
    pub text: String,
    /// What it seems to be for.
    pub kind: DirectiveKind,
}

/// What a directive seems to be for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DirectiveKind {
    /// To name a place that offers files.
    Place,
    /// To read bounds from a file.
    Bounds,
    /// To read requirements from a file.
    Asks,
    /// To take pre-releases.
    Prereleases,
    /// To say whether wheels or sources are taken.
    Wheels,
    /// To state the hash of a file.
    Hash,
    /// To place a source tree.
    Tree,
    /// Nothing that means something here.
    Nothing,
}

impl RequirementList {
    /// Reads a list. `file` names it in the origins.
    ///
    /// # Errors
    /// All lines that are no requirement, each with its offset in `text`.
    pub fn parse(text: &str, file: &str) -> Result<Self, Vec<Fault>> {
        let (list, faults) = RequirementList::read(text, file);
        if faults.is_empty() {
            Ok(list)
        } else {
            Err(faults)
        }
    }

    /// Reads what can be read of a list; and all lines that are no requirement, each with its
    /// offset in `text`.
    pub fn read(text: &str, file: &str) -> (Self, Vec<Fault>) {
        let mut list = RequirementList::default();
        let mut faults = Vec::new();
        for (start, number, line) in logical_lines(text) {
            let line = without_comment(&line).trim_end().to_owned();
            let trimmed = line.trim_start();
            if trimmed.is_empty() {
                continue;
            }
            let at = start + (line.len() - trimmed.len());
            let origin = Origin::line(file, number);
            if trimmed.starts_with('-') {
                list.directives.push(directive(origin, trimmed));
                continue;
            }
            let (requirement, tail) = split_tail(trimmed);
            if let Some(tail) = tail {
                list.directives.push(directive(origin.clone(), tail));
            }
            match Requirement::parse(requirement) {
                Ok(requirement) => list.asks.push(Ask {
                    requirement,
                    origin,
                }),
                Err(fault) => faults.push(better_hint(fault, requirement).shifted(at)),
            }
        }
        (list, faults)
    }
}

/// Lines with their offsets and numbers; a backslash at the end joins the next line. Joined text
/// keeps every offset, because the backslash and the line end are replaced by as many spaces.
fn logical_lines(text: &str) -> Vec<(usize, u32, String)> {
    let mut lines = Vec::new();
    let mut at = 0;
    let mut open: Option<(usize, u32, String)> = None;
    for (number, raw) in (1..).zip(text.split_inclusive('\n')) {
        let start = at;
        at += raw.len();
        let content = raw.trim_end_matches(['\n', '\r']);
        let (mut first, line, mut joined) = open.take().unwrap_or((start, number, String::new()));
        let content = if start == 0 && content.starts_with('\u{feff}') {
            first = '\u{feff}'.len_utf8();
            content.trim_start_matches('\u{feff}')
        } else {
            content
        };
        let commented = joined.is_empty() && content.trim_start().starts_with('#');
        match content.strip_suffix('\\') {
            Some(head) if !commented => {
                joined.push_str(head);
                joined.push_str(&" ".repeat(raw.len() - head.len()));
                open = Some((first, line, joined));
            }
            _ => {
                joined.push_str(content);
                lines.push((first, line, joined));
            }
        }
    }
    lines.extend(open);
    lines
}

/// A comment begins at the start of the line or after white space, so that URLs keep their
/// fragments.
fn without_comment(line: &str) -> &str {
    let mut before = ' ';
    for (at, c) in line.char_indices() {
        if c == '#' && before.is_whitespace() {
            return line.get(..at).unwrap_or("");
        }
        before = c;
    }
    line
}

/// `name==1.0 --hash=...`: the requirement, and the directive behind it.
fn split_tail(line: &str) -> (&str, Option<&str>) {
    match line.find(" --") {
        Some(at) => (
            line.get(..at).unwrap_or(line).trim_end(),
            line.get(at..).map(str::trim),
        ),
        None => (line, None),
    }
}

fn directive(origin: Origin, text: &str) -> Directive {
    let word = text.trim_start_matches('-').to_ascii_lowercase();
    let short = !text.starts_with("--");
    let has = |part: &str| !short && word.contains(part);
    let kind = if has("index") || has("link") || (short && word.starts_with(['i', 'f'])) {
        DirectiveKind::Place
    } else if has("constraint") || (short && word.starts_with('c')) {
        DirectiveKind::Bounds
    } else if has("requirement") || (short && word.starts_with('r')) {
        DirectiveKind::Asks
    } else if has("pre") {
        DirectiveKind::Prereleases
    } else if has("binary") {
        DirectiveKind::Wheels
    } else if has("hash") {
        DirectiveKind::Hash
    } else if has("edit") || (short && word.starts_with('e')) {
        DirectiveKind::Tree
    } else {
        DirectiveKind::Nothing
    };
    Directive {
        origin,
        text: text.to_owned(),
        kind,
    }
}

/// A path or URL alone on a line, and quotes that belong to a shell, are common habits: say how the
/// standard writes it.
fn better_hint(fault: Fault, text: &str) -> Fault {
    let bare = text.trim().trim_matches(['"', '\'']);
    if bare != text.trim() && Requirement::parse(bare).is_ok() {
        return fault.hint(format!("write `{bare}`: quotes belong to the shell"));
    }
    let path_like = text.contains("://")
        || text.starts_with("./")
        || text.starts_with('/')
        || text.ends_with(".whl");
    if path_like && !text.contains('@') {
        fault.hint(format!("write `name @ {text}`"))
    } else {
        fault
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault::line_and_column;

    fn shown(list: &RequirementList) -> Vec<String> {
        list.asks
            .iter()
            .map(|a| format!("{} {}", a.origin, a.requirement))
            .collect()
    }

    #[test]
    fn a_list_is_read_with_its_places() {
        let text = "\u{feff}# ice radar\r\nradargram >=2 # newest\r\n\r\n  firnio\\\r\n  \
            >=1,\\\r\n  <2\nwirepack @ file:///w.whl#sha256=ab";
        let list = RequirementList::parse(text, "asks.txt").unwrap();
        assert_eq!(
            shown(&list),
            [
                "asks.txt:2 radargram>=2",
                "asks.txt:4 firnio>=1,<2",
                "asks.txt:7 wirepack @ file:///w.whl#sha256=ab"
            ]
        );
    }

    #[test]
    fn directives_are_kept_apart_with_what_they_are_for() {
        let text = "-r base.txt\n--extra-index-url https://x.example\nfirnio==1.0 \
            --hash=sha256:00\n-e .\n--pre\n";
        let list = RequirementList::parse(text, "a").unwrap();
        let kinds: Vec<DirectiveKind> = list.directives.iter().map(|d| d.kind).collect();
        assert_eq!(shown(&list), ["a:3 firnio==1.0"]);
        assert_eq!(
            kinds,
            [
                DirectiveKind::Asks,
                DirectiveKind::Place,
                DirectiveKind::Hash,
                DirectiveKind::Tree,
                DirectiveKind::Prereleases
            ]
        );
    }

    #[test]
    fn every_bad_line_is_told_with_its_offset() {
        let text = "firnio\nfrost grid\n./w.whl\n'firnio>=2'\n";
        let faults = RequirementList::parse(text, "a").unwrap_err();
        let places: Vec<(u32, u32)> = faults
            .iter()
            .map(|f| line_and_column(text, f.offset()))
            .collect();
        assert_eq!(places, [(2, 7), (3, 1), (4, 1)]);
        assert!(faults[1].advice().unwrap().contains("name @ ./w.whl"));
        assert!(faults[2].advice().unwrap().contains("`firnio>=2`"));
    }
}
