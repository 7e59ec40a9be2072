//! Lines that a terminal or an editor broke at a width: put together again before they are read.
//!
//! The width is told by the first part of a log: no line is longer, and a line of just that width ends
//! within what must stand on one line.

/// So much of a log is looked at before it is read.
const SAMPLE: usize = 64 * 1024;
/// Narrower and wider ones are none.
const WIDTHS: std::ops::RangeInclusive<usize> = 40..=250;

/// What stands in place of a line feed that was put in: it counts as one, and is left out.
pub(super) const JOINT: u8 = 0x0b;

/// How a log is broken.
#[derive(Debug)]
pub(super) enum Wrap {
    /// Not enough was seen: the lines so far.
    Unknown(Vec<u8>),
    /// It is not.
    No,
    /// At this many characters.
    At(usize),
}

impl Wrap {
    /// Whether lines are put together.
    pub(super) fn is_any(&self) -> bool {
        matches!(self, Wrap::At(_))
    }

    /// The lines to read after these: none until the width is known, then all.
    pub(super) fn lines(&mut self, lines: Vec<u8>, is_last: bool) -> Vec<u8> {
        match self {
            Wrap::No => lines,
            Wrap::At(width) => joined(lines, *width),
            Wrap::Unknown(seen) => {
                seen.extend(lines);
                if seen.len() < SAMPLE && !is_last {
                    return Vec::new();
                }
                let seen = std::mem::take(seen);
                *self = width(&seen).map_or(Wrap::No, Wrap::At);
                self.lines(seen, is_last)
            }
        }
    }
}

fn characters(line: &[u8]) -> usize {
    let line = line.strip_suffix(b"\r").unwrap_or(line);
    let is_begin = |b: &&u8| (**b & 0xc0) != 0x80;
    line.iter().filter(is_begin).count()
}

/// The width at which lines are broken.
fn width(text: &[u8]) -> Option<usize> {
    let lines: Vec<&[u8]> = text.split(|b| *b == b'\n').collect();
    let widest = lines.iter().map(|l| characters(l)).max()?;
    if !WIDTHS.contains(&widest) {
        return None;
    }
    let is_broken = lines.windows(2).any(|pair| match pair {
        [line, next] => characters(line) == widest && ends_within(line, next),
        _ => false,
    });
    is_broken.then_some(widest)
}

/// Whether a line ends within something that goes on in the next: the place of a frame, or a word in
/// quotation marks behind the name of an exception.
fn ends_within(line: &[u8], next: &[u8]) -> bool {
    let (line, next) = (String::from_utf8_lossy(line), String::from_utf8_lossy(next));
    let (trimmed, next) = (
        line.trim_start().trim_end_matches('\r'),
        next.trim_end_matches('\r'),
    );
    let goes_on = next.starts_with(|c: char| !c.is_whitespace());
    if trimmed.starts_with("File \"") {
        // One of a file that cannot be compiled ends with the number of the line.
        let is_whole = is_frame(trimmed) && !next.starts_with(", in ");
        return !is_whole && is_frame(&format!("{trimmed}{next}"));
    }
    let kind = trimmed.split(':').next().unwrap_or_default();
    let is_exception = kind.ends_with("Error") || kind.ends_with("Exception");
    let opens = trimmed.matches('\'').count() % 2 == 1 || trimmed.matches('"').count() % 2 == 1;
    is_exception && goes_on && opens
}

/// `File "PATH", line 7, in FUNCTION`, whole.
fn is_frame(line: &str) -> bool {
    let rest = line
        .strip_prefix("File \"")
        .and_then(|r| r.split_once("\", line "));
    let Some((_, rest)) = rest else {
        return false;
    };
    let behind = rest.trim_start_matches(|c: char| c.is_ascii_digit());
    let is_numbered = behind.len() < rest.len();
    let function = behind.strip_prefix(", in ");
    let is_named = |f: &str| f.starts_with('<') == f.ends_with('>') && !f.is_empty();
    is_numbered && (behind.is_empty() || function.is_some_and(is_named))
}

/// The same lines with those put together that are as wide as that.
fn joined(lines: Vec<u8>, width: usize) -> Vec<u8> {
    let mut whole = Vec::with_capacity(lines.len());
    for line in lines.split_inclusive(|b| *b == b'\n') {
        let plain = line.strip_suffix(b"\n").unwrap_or(line);
        if plain.len() < line.len() && characters(plain) >= width {
            whole.extend_from_slice(plain.strip_suffix(b"\r").unwrap_or(plain));
            whole.push(JOINT);
        } else {
            whole.extend_from_slice(line);
        }
    }
    whole
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FRAME: &str =
        "  File \"/home/ada/a/long/path/of/a/camp/scripts/plot_depths.py\", line 12, in <module>";

    fn broken(text: &str, width: usize) -> String {
        let mut out = String::new();
        for line in text.lines() {
            let characters: Vec<char> = line.chars().collect();
            for part in characters.chunks(width) {
                out.extend(part);
                out.push('\n');
            }
        }
        out
    }

    fn read(text: &str) -> String {
        let mut wrap = Wrap::Unknown(Vec::new());
        let lines = wrap.lines(text.as_bytes().to_vec(), true);
        let text = String::from_utf8(lines).unwrap();
        text.replace("\u{b}", "")
    }

    #[rstest]
    #[case(60)]
    #[case(72)]
    #[case(80)]
    fn what_was_broken_is_whole_again(#[case] width: usize) {
        let whole = format!(
            "Traceback (most recent call last):\n{FRAME}\n    import firnio\n{FRAME}\nModuleNotFoundError: No module named 'firnio'\n"
        );
        assert_eq!(read(&broken(&whole, width)), whole);
    }

    #[rstest]
    #[case::unbroken(
        "Traceback (most recent call last):\n  File \"a.py\", line 1, in <module>\nOSError: x\n"
    )]
    #[case::equally_long(
        "error: one thing that is fifty characters long, no\nerror: two things that are as long as that one, no\n"
    )]
    #[case::nothing("")]
    fn what_is_whole_stays(#[case] text: &str) {
        assert_eq!(read(text), text);
    }
}
