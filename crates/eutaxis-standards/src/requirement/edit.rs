//! Changing one requirement in the file in which it stands, and nothing else there: comments and
//! layout stay.

use super::Requirement;

/// What kind of file it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileForm {
    /// A requirement list, one a line.
    List,
    /// A file in which requirements stand as quoted strings: `pyproject.toml`, or the metadata
    /// block of a script.
    Quoted,
}

/// A change to a file of asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Edit<'a> {
    /// The requirement gets other bounds.
    Replace(&'a Requirement, &'a Requirement),
    /// The requirement is left out; in a list its line becomes a comment.
    Remove(&'a Requirement),
    /// The requirement goes, and its line with it where nothing else stands there.
    Delete(&'a Requirement),
    /// A requirement joins behind the one that stands there.
    AddBehind(&'a Requirement, &'a Requirement),
}

/// The text with the requirement that begins on `line` (counted from 1) changed; none when it does
/// not stand there.
pub fn edited(text: &str, form: FileForm, line: u32, edit: Edit<'_>) -> Option<String> {
    let (Edit::Replace(old, _) | Edit::Remove(old) | Edit::Delete(old) | Edit::AddBehind(old, _)) =
        edit;
    let start = line_start(text, line)?;
    let place = match form {
        FileForm::List => in_list(text, start, old)?,
        FileForm::Quoted => in_quotes(text, start, old)?,
    };
    let (before, rest) = text.split_at_checked(place.start)?;
    let (mine, after) = rest.split_at_checked(place.end - place.start)?;
    Some(match (edit, form) {
        (Edit::Replace(_, new), _) => format!("{before}{}{after}", with_bounds(mine, new)),
        (Edit::Remove(_), FileForm::List) => {
            let line = text.get(start..)?;
            format!("{}# {line}", text.get(..start)?)
        }
        (Edit::Delete(_), FileForm::List) => {
            // The whole logical line, with what stands behind the requirement.
            let end = logical_end(text, start);
            format!("{}{}", text.get(..start)?, text.get(end..)?)
        }
        (Edit::Remove(_) | Edit::Delete(_), FileForm::Quoted) => {
            // The quotes go with it, and the comma behind it.
            let before = before.get(..before.len() - 1)?;
            let after = after.get(1..)?;
            let after = after
                .trim_start_matches([' ', '\t'])
                .strip_prefix(',')
                .unwrap_or(after);
            let line = after
                .find('\n')
                .map_or(after, |end| after.get(..end).unwrap_or(after));
            let lead = before
                .rfind('\n')
                .map_or(before, |at| before.get(at + 1..).unwrap_or(before));
            let alone = lead.trim_matches([' ', '\t', '#']).is_empty() && line.trim().is_empty();
            if alone {
                format!(
                    "{}{}",
                    before.get(..before.len() - lead.len())?,
                    after.get(line.len()..)?.strip_prefix('\n')?
                )
            } else {
                let after = after.trim_start_matches(' ');
                // Nothing is left behind at the end of a line.
                let before = match after.starts_with(['\n', '\r']) {
                    true => before.trim_end_matches([' ', '\t']),
                    false => before,
                };
                format!("{before}{after}")
            }
        }
        (Edit::AddBehind(_, new), FileForm::List) => {
            let line = text.get(place.end..)?;
            let end = place.end + line.find('\n').map_or(line.len(), |at| at + 1);
            let (before, after) = text.split_at_checked(end)?;
            let gap = if before.ends_with('\n') { "" } else { "\n" };
            format!("{before}{gap}{new}\n{after}")
        }
        (Edit::AddBehind(_, new), FileForm::Quoted) => {
            let quote = after.get(..1)?;
            let new = if quote == "\"" {
                new.to_string().replace('"', "'")
            } else {
                new.to_string().replace('\'', "\"")
            };
            format!("{before}{mine}{quote}, {quote}{new}{after}")
        }
    })
}

/// Lines that differ, as (number, before, after); one side is none where a line is only there or
/// only here.
pub fn changed_lines(before: &str, after: &str) -> Vec<(usize, Option<String>, Option<String>)> {
    let (old, new): (Vec<&str>, Vec<&str>) = (before.lines().collect(), after.lines().collect());
    let same = old.iter().zip(&new).take_while(|(a, b)| a == b).count();
    let most = old.len().min(new.len()) - same;
    let same_end = old
        .iter()
        .rev()
        .zip(new.iter().rev())
        .take(most)
        .take_while(|(a, b)| a == b)
        .count();
    let old = old.get(same..old.len() - same_end).unwrap_or(&[]);
    let new = new.get(same..new.len() - same_end).unwrap_or(&[]);
    let line = |lines: &[&str], i: usize| lines.get(i).map(|l| (*l).to_owned());
    (0..old.len().max(new.len()))
        .map(|i| (same + i + 1, line(old, i), line(new, i)))
        .collect()
}

fn line_start(text: &str, line: u32) -> Option<usize> {
    let lines = usize::try_from(line).ok()?.checked_sub(1)?;
    if lines == 0 {
        return Some(if text.starts_with('\u{feff}') {
            '\u{feff}'.len_utf8()
        } else {
            0
        });
    }
    text.match_indices('\n')
        .nth(lines - 1)
        .map(|(at, _)| at + 1)
}

type Place = std::ops::Range<usize>;

/// Where the line ends that begins at `start`, with those that backslashes join to it.
fn logical_end(text: &str, start: usize) -> usize {
    let mut end = start;
    for line in text.get(start..).unwrap_or("").split_inclusive('\n') {
        end += line.len();
        if !line.trim_end_matches(['\n', '\r']).ends_with('\\') {
            break;
        }
    }
    end
}

/// Where the requirement stands that begins a line; lines joined by a backslash count as one.
fn in_list(text: &str, start: usize, wanted: &Requirement) -> Option<Place> {
    let logical = text.get(start..logical_end(text, start))?;
    let lead = logical.len() - logical.trim_start().len();
    // A comment begins behind white space; what an installer is told, behind two dashes.
    let stops = [" #", "\t#", " --"];
    let stop = stops
        .iter()
        .filter_map(|s| logical.find(s))
        .min()
        .unwrap_or(logical.len());
    let body = logical.get(lead..stop)?.trim_end();
    let plain = body.replace("\\\r\n", "   ").replace("\\\n", "  ");
    let found = Requirement::parse(plain.trim_end_matches('\\')).ok()?;
    (found == *wanted).then(|| start + lead..start + lead + body.len())
}

/// Where the requirement stands between quotes, on this line.
fn in_quotes(text: &str, start: usize, wanted: &Requirement) -> Option<Place> {
    let line = text.get(start..)?.lines().next()?;
    let mut open: Option<(usize, char)> = None;
    for (at, c) in line.char_indices() {
        match open {
            Some((from, quote)) if c == quote => {
                open = None;
                let inner = line.get(from + 1..at)?;
                if Requirement::parse(inner).is_ok_and(|r| r == *wanted) {
                    return Some(start + from + 1..start + at);
                }
            }
            None if c == '"' || c == '\'' => open = Some((at, c)),
            _ => {}
        }
    }
    None
}

/// The written requirement with the bounds of another; name, extras and marker stay as they were
/// written.
fn with_bounds(written: &str, new: &Requirement) -> String {
    let Some(set) = new.versions() else {
        return new.to_string();
    };
    let after_name = written
        .find(|c: char| !(c.is_alphanumeric() || "-_.".contains(c)))
        .unwrap_or(written.len());
    let (name, rest) = written.split_at(after_name);
    let extras = rest
        .find('[')
        .filter(|at| rest.get(..*at).is_some_and(|b| b.trim().is_empty()));
    let after_extras = extras.and_then(|_| rest.find(']')).map_or(0, |at| at + 1);
    let (extras, rest) = rest.split_at(after_extras);
    let marker = rest.find(';').map_or("", |at| rest.get(at..).unwrap_or(""));
    let bounds = rest.get(..rest.len() - marker.len()).unwrap_or("");
    let lead = bounds
        .get(..bounds.len() - bounds.trim_start().len())
        .filter(|l| !l.contains('\\'))
        .unwrap_or("");
    let trail = bounds
        .get(bounds.trim_end().len()..)
        .filter(|_| !marker.is_empty())
        .unwrap_or("");
    format!("{name}{extras}{lead}{set}{trail}{marker}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn read(text: &str) -> Requirement {
        Requirement::parse(text).unwrap()
    }

    #[rstest]
    #[case::plain(
        "# head\nm==1.0\nother\n",
        2,
        "m==1.0",
        "m>=2",
        "# head\nm>=2\nother\n"
    )]
    #[case::comment_and_spaces(
        "  M [x] == 1.0   # why\n",
        1,
        "m[x]==1.0",
        "m[x]>=2",
        "  M [x] >=2   # why\n"
    )]
    #[case::marker(
        "m>=1,<2 ; os_name == 'nt'",
        1,
        "m>=1,<2; os_name == 'nt'",
        "m>=1,<=3; os_name == 'nt'",
        "m>=1,<=3 ; os_name == 'nt'"
    )]
    #[case::joined_lines("m>=1, \\\n  <2 # x\nn\n", 1, "m>=1,<2", "m>=0", "m>=0 # x\nn\n")]
    #[case::line_ends("m==1\r\nn==2\r\n", 2, "n==2", "n>=3", "m==1\r\nn>=3\r\n")]
    #[case::tail("m==1 --x=y\n", 1, "m==1", "m>=3", "m>=3 --x=y\n")]
    fn a_line_of_a_list_gets_other_bounds(
        #[case] text: &str,
        #[case] line: u32,
        #[case] old: &str,
        #[case] new: &str,
        #[case] expected: &str,
    ) {
        let edit = Edit::Replace(&read(old), &read(new));
        assert_eq!(
            edited(text, FileForm::List, line, edit).as_deref(),
            Some(expected)
        );
    }

    #[rstest]
    #[case(
        "d = [\"m==1\", 'n<2']\n",
        "n<2",
        "n<=2.1",
        "d = [\"m==1\", 'n<=2.1']\n"
    )]
    #[case("#   \"m==1\",\n", "m==1", "m>=2", "#   \"m>=2\",\n")]
    fn a_quoted_one_too(
        #[case] text: &str,
        #[case] old: &str,
        #[case] new: &str,
        #[case] expected: &str,
    ) {
        let edit = Edit::Replace(&read(old), &read(new));
        assert_eq!(
            edited(text, FileForm::Quoted, 1, edit).as_deref(),
            Some(expected)
        );
    }

    #[rstest]
    #[case::list(FileForm::List, "m==1 # x\nn\n", "# m==1 # x\nn\n")]
    #[case::own_line(FileForm::Quoted, "  'm==1',\n  'n',\n", "  'n',\n")]
    #[case::in_a_row(FileForm::Quoted, "d = ['m==1', 'n']\n", "d = ['n']\n")]
    fn one_is_left_out(#[case] form: FileForm, #[case] text: &str, #[case] expected: &str) {
        assert_eq!(
            edited(text, form, 1, Edit::Remove(&read("m==1"))).as_deref(),
            Some(expected)
        );
    }

    #[rstest]
    #[case::list(FileForm::List, "a\nm==1 \\\n  --hash=x:y # x\nn\n", 2, "a\nn\n")]
    #[case::own_line(FileForm::Quoted, "  'm==1',\n  'n',\n", 1, "  'n',\n")]
    #[case::the_last_of_a_line(FileForm::Quoted, "  'n', 'm==1',\n", 1, "  'n',\n")]
    fn one_goes(
        #[case] form: FileForm,
        #[case] text: &str,
        #[case] line: u32,
        #[case] expected: &str,
    ) {
        assert_eq!(
            edited(text, form, line, Edit::Delete(&read("m==1"))).as_deref(),
            Some(expected)
        );
    }

    #[rstest]
    #[case::list(FileForm::List, "m==1 # x", "m==1 # x\nn==2\n")]
    #[case::quoted(FileForm::Quoted, "d = ['m==1']\n", "d = ['m==1', 'n==2']\n")]
    fn one_is_added(#[case] form: FileForm, #[case] text: &str, #[case] expected: &str) {
        let edit = Edit::AddBehind(&read("m==1"), &read("n==2"));
        assert_eq!(edited(text, form, 1, edit).as_deref(), Some(expected));
    }

    #[test]
    fn nothing_is_changed_where_something_else_stands() {
        assert_eq!(
            edited("m==1\n", FileForm::List, 1, Edit::Remove(&read("m==2"))),
            None
        );
        assert_eq!(
            edited("m==1\n", FileForm::List, 7, Edit::Remove(&read("m==1"))),
            None
        );
    }

    #[test]
    fn changed_lines_are_told_with_their_numbers() {
        assert_eq!(
            changed_lines("a\nb\nc\n", "a\nx\nc\n"),
            [(2, Some("b".to_owned()), Some("x".to_owned()))]
        );
        assert_eq!(
            changed_lines("a\n", "a\nb\n"),
            [(2, None, Some("b".to_owned()))]
        );
    }
}
