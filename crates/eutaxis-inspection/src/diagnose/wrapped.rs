//! Lines that a terminal or an editor broke at a width: put together again before they are read.
//!
//! The width is told by the first part of a log: no line is longer, and a line of just that width ends
//! within what must stand on one line. What a service puts before each line came after that, and has
//! no part in the width.

use super::prefix::parted;

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
    /// At this many characters; behind what a service put before each piece, when true.
    At(usize, bool),
}

impl Wrap {
    /// Whether lines are put together.
    pub(super) fn is_any(&self) -> bool {
        matches!(self, Wrap::At(..))
    }

    /// The lines to read after these: none until the width is known, then all.
    pub(super) fn lines(&mut self, lines: Vec<u8>, is_last: bool) -> Vec<u8> {
        match self {
            Wrap::No => lines,
            Wrap::At(width, behind) => joined(lines, *width, *behind),
            Wrap::Unknown(seen) => {
                seen.extend(lines);
                if seen.len() < SAMPLE && !is_last {
                    return Vec::new();
                }
                let seen = std::mem::take(seen);
                *self = Wrap::of(&seen);
                self.lines(seen, is_last)
            }
        }
    }
}

impl Wrap {
    fn of(sample: &[u8]) -> Wrap {
        let lines: Vec<&[u8]> = sample.split(|b| *b == b'\n').collect();
        if let Some(width) = width(&lines) {
            return Wrap::At(width, false);
        }
        let written = lines.iter().filter(|line| !line.is_empty());
        if !written.clone().all(|line| behind(line).len() < line.len()) {
            return Wrap::No;
        }
        let lines: Vec<&[u8]> = written.map(|line| behind(line)).collect();
        width(&lines).map_or(Wrap::No, |width| Wrap::At(width, true))
    }
}

/// What stands behind the time, the step or the service that a line begins with.
fn behind(line: &[u8]) -> &[u8] {
    let length = std::str::from_utf8(line).map_or(line.len(), |text| parted(text).1.len());
    line.get(line.len() - length..).unwrap_or(line)
}

fn characters(line: &[u8]) -> usize {
    let line = line.strip_suffix(b"\r").unwrap_or(line);
    let is_begin = |b: &&u8| (**b & 0xc0) != 0x80;
    line.iter().filter(is_begin).count()
}

/// The width at which lines are broken.
fn width(lines: &[&[u8]]) -> Option<usize> {
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

/// The same lines with those put together that are as wide as that, each without what stands before
/// it when that is so for all.
fn joined(lines: Vec<u8>, width: usize, is_behind: bool) -> Vec<u8> {
    let mut whole = Vec::with_capacity(lines.len());
    let mut goes_on = false;
    for line in lines.split_inclusive(|b| *b == b'\n') {
        let plain = line.strip_suffix(b"\n").unwrap_or(line);
        let part = if is_behind { behind(plain) } else { plain };
        let shown = if goes_on { part } else { plain };
        goes_on = plain.len() < line.len() && characters(part) >= width;
        if goes_on {
            whole.extend_from_slice(shown.strip_suffix(b"\r").unwrap_or(shown));
            whole.push(JOINT);
        } else {
            whole.extend_from_slice(shown);
            whole.extend_from_slice(line.get(plain.len()..).unwrap_or_default());
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

    /// Each piece has its time.
    #[rstest]
    #[case(60)]
    #[case(80)]
    fn what_a_service_puts_before_is_no_part(#[case] width: usize) {
        let whole = format!(
            "Traceback (most recent call last):\n{FRAME}\n    import firnio\nModuleNotFoundError: No module named 'firnio'\n"
        );
        let timed = |text: &str| -> String {
            let lines = text.lines().enumerate();
            lines
                .map(|(n, line)| format!("2026-11-20T10:00:{n:02}.1234567Z {line}\n"))
                .collect()
        };
        let read = read(&timed(&broken(&whole, width)));
        let without: String = read
            .lines()
            .map(|line| format!("{}\n", &line[29..]))
            .collect();
        assert_eq!(without, whole);
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
