//! Requirement lists as they are found in circulation: one dependency specifier a line, `#` comments,
//! blank lines, a backslash joins lines; other lists that are followed; hashes behind a requirement;
//! paths and addresses without a name.
//!
//! Any other line that begins with `-` is a directive to some installer, not a requirement. It is
//! kept apart, with the job that it seems to ask for. Lists of this form are only read.

use super::directive::{Directive, Spoken, spoken};
use super::{Ask, Requirement, Unnamed};
use crate::fault::{Fault, FaultKind, Origin};
use crate::hashes::Algorithm;

/// A hash that a line states for the file of its requirement.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct StatedHash {
    /// How it is computed.
    pub algorithm: Algorithm,
    /// Its value in lower-case hexadecimal.
    pub value: Box<str>,
}

impl StatedHash {
    /// Reads `sha256:VALUE`.
    ///
    /// # Errors
    /// An algorithm that is not known, or a value that is none of it.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let Some((name, value)) = text.split_once(':') else {
            let fault = Fault::new(format!("`{text}` is no hash"), 0);
            return Err(fault.hint("write it as `sha256:` and 64 hexadecimal digits"));
        };
        let Some(algorithm) = Algorithm::named(name) else {
            let fault = Fault::of(
                FaultKind::Unknown,
                format!("`{name}` is no kind of hash that is known"),
                0,
            );
            return Err(fault.hint("sha256, sha384 and sha512 are usual"));
        };
        let value = value.to_ascii_lowercase();
        let is_hex = value.bytes().all(|b| b.is_ascii_hexdigit());
        let digits = algorithm.digits();
        if !is_hex || value.is_empty() || digits.is_some_and(|n| n != value.len()) {
            let of = digits.map_or(String::new(), |n| format!("{n} "));
            return Err(Fault::new(
                format!(
                    "a {name} hash has {of}hexadecimal digits; this one has {}",
                    value.len()
                ),
                name.len() + 1,
            ));
        }
        Ok(StatedHash {
            algorithm,
            value: value.into(),
        })
    }
}

impl std::fmt::Display for StatedHash {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}", self.algorithm.as_str(), self.value)
    }
}

/// What a line of a list is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Entry {
    /// A requirement, and the hashes of which its file must have one; none: any file does.
    Ask(Ask, Vec<StatedHash>),
    /// A path or an address without a name.
    Unnamed(Unnamed, Vec<StatedHash>),
    /// Another list that is read in its place.
    Follow {
        /// Its path, relative to the list, or its address.
        path: String,
        /// It bounds, and asks for nothing.
        bounds: bool,
        /// Where that is said.
        origin: Origin,
    },
    /// A line, or the tail of one, that speaks to an installer.
    Directive(Directive),
}

/// A list that has been read.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RequirementList {
    /// Its lines in the order written.
    pub entries: Vec<Entry>,
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
            let read = list.line(trimmed, Origin::line(file, number));
            faults.extend(read.err().map(|fault| fault.shifted(at)));
        }
        (list, faults)
    }

    fn line(&mut self, line: &str, origin: Origin) -> Result<(), Fault> {
        if !line.starts_with('-') {
            return self.requirement(line, false, &origin);
        }
        match spoken(line) {
            Spoken::Follow(path, bounds) => {
                if path.is_empty() {
                    let fault = Fault::new("the name of a file is missing", line.len());
                    return Err(fault.hint("write `-r FILE` or `-c FILE`"));
                }
                self.entries.push(Entry::Follow {
                    path: path.to_owned(),
                    bounds,
                    origin,
                });
                Ok(())
            }
            Spoken::Editable(rest) => {
                let lead = line.len() - rest.len();
                let read = self.requirement(rest, true, &origin);
                read.map_err(|fault| fault.shifted(lead))
            }
            Spoken::Other(kind) => {
                self.entries
                    .push(Entry::Directive(Directive::new(origin, line, kind)));
                Ok(())
            }
        }
    }

    /// A requirement, or a path or address, with what stands behind it.
    fn requirement(&mut self, line: &str, editable: bool, origin: &Origin) -> Result<(), Fault> {
        let (body, tails) = split_tails(line);
        let mut hashes = Vec::new();
        for (at, tail) in tails {
            match tail.strip_prefix("--hash") {
                Some(value) => {
                    let value = value.trim_start_matches(['=', ' ', '\t']);
                    let lead = at + tail.len() - value.len();
                    hashes.push(StatedHash::parse(value).map_err(|f| f.shifted(lead))?);
                }
                None => {
                    let kind = super::directive::kind(tail);
                    let directive = Directive::new(origin.clone(), tail, kind);
                    self.entries.push(Entry::Directive(directive));
                }
            }
        }
        let read = match super::unnamed::is_file_name(body) {
            // Such a name is none of a project, though the grammar of names would take it.
            true => Err(Fault::new("it is the name of a file", 0)),
            false => Requirement::parse(body),
        };
        match read {
            // With its name before it, a tree is one all the same.
            Ok(requirement) if editable && requirement.versions().is_none() => {
                let unnamed = Unnamed::of(&requirement, origin);
                self.entries.push(Entry::Unnamed(unnamed, hashes));
                Ok(())
            }
            Ok(requirement) if !editable => {
                let ask = Ask {
                    requirement,
                    origin: origin.clone(),
                };
                self.entries.push(Entry::Ask(ask, hashes));
                Ok(())
            }
            read => match Unnamed::read(body, editable, origin) {
                Some(unnamed) => {
                    self.entries.push(Entry::Unnamed(unnamed, hashes));
                    Ok(())
                }
                None => Err(better_hint(
                    read.err()
                        .unwrap_or_else(|| Fault::new("a path or an address is missing", 0)),
                    body,
                )),
            },
        }
    }

    /// The requirements in the order written.
    pub fn asks(&self) -> impl Iterator<Item = &Ask> {
        self.entries.iter().filter_map(|entry| match entry {
            Entry::Ask(ask, _) => Some(ask),
            Entry::Unnamed(..) | Entry::Follow { .. } | Entry::Directive(_) => None,
        })
    }

    /// The lines that speak to an installer.
    pub fn directives(&self) -> impl Iterator<Item = &Directive> {
        self.entries.iter().filter_map(|entry| match entry {
            Entry::Directive(directive) => Some(directive),
            Entry::Ask(..) | Entry::Unnamed(..) | Entry::Follow { .. } => None,
        })
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

/// `name==1.0 --hash=... --hash=...`: the requirement, and what stands behind it, each with its
/// offset.
fn split_tails(line: &str) -> (&str, Vec<(usize, &str)>) {
    let starts: Vec<usize> = [" --", "\t--"]
        .iter()
        .flat_map(|mark| line.match_indices(mark).map(|(at, _)| at))
        .collect();
    let mut starts = starts;
    starts.sort_unstable();
    let body = line.get(..starts.first().copied().unwrap_or(line.len()));
    let ends = starts.iter().skip(1).copied().chain([line.len()]);
    let tails = starts.iter().zip(ends).filter_map(|(from, to)| {
        let text = line.get(*from..to)?;
        let lead = text.len() - text.trim_start().len();
        Some((from + lead, text.trim()))
    });
    (body.unwrap_or(line).trim_end(), tails.collect())
}

/// Quotes that belong to a shell are a common habit: say how the standard writes it.
fn better_hint(fault: Fault, text: &str) -> Fault {
    let bare = text.trim().trim_matches(['"', '\'']);
    if bare != text.trim() && Requirement::parse(bare).is_ok() {
        return fault.hint(format!("write `{bare}`: quotes belong to the shell"));
    }
    fault
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault::line_and_column;
    use rstest::rstest;

    fn shown(list: &RequirementList) -> Vec<String> {
        let one = |entry: &Entry| match entry {
            Entry::Ask(a, hashes) => {
                let hashes: String = hashes.iter().map(|h| format!(" {h}")).collect();
                format!("{} {}{hashes}", a.origin, a.requirement)
            }
            Entry::Unnamed(u, _) => {
                format!(
                    "{} at {}{}",
                    u.origin,
                    u.place,
                    if u.editable { " editable" } else { "" }
                )
            }
            Entry::Follow {
                path,
                bounds,
                origin,
            } => format!(
                "{origin} {} {path}",
                if *bounds { "bounds" } else { "asks" }
            ),
            Entry::Directive(d) => format!("{} {:?} {}", d.origin, d.kind, d.value),
        };
        list.entries.iter().map(one).collect()
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

    #[rstest]
    #[case::asks("-r base.txt", "asks base.txt")]
    #[case::glued("-rbase.txt", "asks base.txt")]
    #[case::long("--requirement=base.txt", "asks base.txt")]
    #[case::long_apart("--requirement  sub/base.txt # why", "asks sub/base.txt")]
    #[case::bounds(
        "-c https://camp.example/limits.txt",
        "bounds https://camp.example/limits.txt"
    )]
    #[case::here("-e .", "at . editable")]
    #[case::named(
        "-e git+https://camp.example/r.git@v1#egg=radargram",
        "at git+https://camp.example/r.git@v1#egg=radargram editable"
    )]
    #[case::named_tree(
        "-e radargram @ file:///srv/r",
        "at file:///srv/r#egg=radargram editable"
    )]
    #[case::a_path(
        "./wheels/firnio-1.0-py3-none-any.whl",
        "at ./wheels/firnio-1.0-py3-none-any.whl"
    )]
    #[case::an_archive("firnio-1.0.tar.gz", "at firnio-1.0.tar.gz")]
    #[case::an_address(
        "https://camp.example/firnio-1.0.zip#sha256=ab",
        "at https://camp.example/firnio-1.0.zip#sha256=ab"
    )]
    #[case::pre("--pre", "Prereleases ")]
    #[case::place(
        "--extra-index-url https://camp.example/s",
        "Place https://camp.example/s"
    )]
    #[case::short_place("-i https://camp.example/s", "Place https://camp.example/s")]
    #[case::links("-f wheels", "Place wheels")]
    #[case::wheels("--only-binary=:all:", "Wheels :all:")]
    #[case::source("--no-binary firnio", "Source firnio")]
    #[case::nothing("--prefer-binary", "Nothing ")]
    #[case::unknown("--season winter", "Unknown winter")]
    #[case::hashes(
        "firnio==1.0 \\\n  --hash=sha256:0000000000000000000000000000000000000000000000000000000000000001 \\\n  --hash sha1:00000000000000000000000000000000000000AA",
        "firnio==1.0 sha256:0000000000000000000000000000000000000000000000000000000000000001 sha1:00000000000000000000000000000000000000aa"
    )]
    fn lines_are_read_for_what_they_are(#[case] line: &str, #[case] expected: &str) {
        let list = RequirementList::parse(line, "a").unwrap();
        assert_eq!(shown(&list), [format!("a:1 {expected}")]);
    }

    #[test]
    fn what_stands_behind_a_requirement_is_kept_apart() {
        let text = "firnio==1.0 --config-settings=x=y --global-option=z\n";
        let list = RequirementList::parse(text, "a").unwrap();
        assert_eq!(
            shown(&list),
            [
                "a:1 BuildSettings x=y",
                "a:1 BuildSettings z",
                "a:1 firnio==1.0"
            ]
        );
    }

    #[rstest]
    #[case("firnio --hash=xx:00", 1, 15, "no kind of hash")]
    #[case("firnio --hash=sha256:00", 1, 22, "64 hexadecimal digits")]
    #[case("firnio --hash=00", 1, 15, "is no hash")]
    #[case("-r", 1, 3, "missing")]
    #[case("-e firnio>=2", 1, 4, "a path or an address")]
    fn bad_lines_are_told_with_their_place(
        #[case] text: &str,
        #[case] line: u32,
        #[case] column: u32,
        #[case] what: &str,
    ) {
        let faults = RequirementList::parse(text, "a").unwrap_err();
        let [fault] = faults.as_slice() else {
            panic!("{faults:?}")
        };
        assert_eq!(
            line_and_column(text, fault.offset()),
            (line, column),
            "{fault}"
        );
        assert!(fault.to_string().contains(what), "{fault}");
    }

    #[test]
    fn every_bad_line_is_told_with_its_offset() {
        let text = "firnio\nfrost grid\n'firnio>=2'\n";
        let faults = RequirementList::parse(text, "a").unwrap_err();
        let places: Vec<(u32, u32)> = faults
            .iter()
            .map(|f| line_and_column(text, f.offset()))
            .collect();
        assert_eq!(places, [(2, 7), (3, 1)]);
        assert!(faults[1].advice().unwrap().contains("`firnio>=2`"));
    }
}
