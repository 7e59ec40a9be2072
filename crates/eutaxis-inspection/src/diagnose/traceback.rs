//! Tracebacks of the interpreter, put together line by line: a chain of exceptions, the first one
//! raised first.

/// More frames than this are not kept: the outermost go.
const MOST_FRAMES: usize = 60;
/// A traceback of more lines is none.
const MOST_LINES: usize = 3000;
/// Blank lines between the parts of a chain.
const MOST_BLANK: usize = 3;

/// A call on the way to an exception.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Frame {
    /// The file, as it stands there.
    pub(super) file: String,
    /// The function.
    pub(super) function: String,
    /// The line of code, if it is shown.
    pub(super) code: String,
}

/// What a line means for a traceback.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Turn {
    /// It belongs to it.
    Within,
    /// It is the exception with its message; the frames that led there, and how many exceptions
    /// came before it in the chain.
    Raised(Vec<Frame>, usize),
    /// The traceback is over, and the line is none of it.
    Over,
}

/// A traceback that is being read.
#[derive(Debug)]
pub(super) struct Open {
    /// Blanks before its first line.
    indent: usize,
    frames: Vec<Frame>,
    /// Exceptions of the chain so far.
    raised: usize,
    /// After an exception; so many blank lines so far.
    between: Option<usize>,
    /// The next one was caused by it, or came while it was handled.
    linked: bool,
    lines: usize,
}

const HEAD: &str = "Traceback (most recent call last):";
const LINKS: [&str; 2] = [
    "During handling of the above exception, another exception occurred:",
    "The above exception was the direct cause of the following exception:",
];

/// Begins with this line, if it begins a traceback; also that of a file that cannot be compiled,
/// which has no head, and one whose head was cut off.
pub(super) fn begins(line: &str) -> Option<Open> {
    let indent = indent_of(line);
    let open = |indent, frames| Open {
        indent,
        frames,
        raised: 0,
        between: None,
        linked: false,
        lines: 0,
    };
    if line.trim_end().ends_with(HEAD) {
        // Words of a logger may stand before it; then its indentation is not known, and that of the
        // frames counts.
        let before = line.trim_end().len().saturating_sub(HEAD.len());
        let alone = line
            .get(..before)
            .is_some_and(|b| b.trim().is_empty() || b.ends_with("Group "));
        return Some(open(if alone { indent } else { 0 }, Vec::new()));
    }
    frame_of(line)
        .filter(|_| indent >= 2)
        .map(|frame| open(indent - 2, vec![frame]))
}

impl Open {
    /// What the next line means.
    pub(super) fn next(&mut self, line: &str) -> Turn {
        self.lines += 1;
        if self.lines > MOST_LINES {
            return Turn::Over;
        }
        if let Some(blank) = self.between {
            return self.link(line, blank);
        }
        if line.trim().is_empty() {
            return Turn::Within;
        }
        if line.trim_end().ends_with(HEAD) {
            // Its head anew, without an exception before: the first part was cut off, or another
            // one begins.
            self.frames.clear();
            return Turn::Within;
        }
        if let Some(frame) = frame_of(line) {
            if self.frames.len() >= MOST_FRAMES {
                self.frames.remove(0);
            }
            self.frames.push(frame);
            return Turn::Within;
        }
        if indent_of(line) > self.indent {
            let code = line.trim();
            if let Some(frame) = self
                .frames
                .last_mut()
                .filter(|f| f.code.is_empty() && !is_mark(code))
            {
                frame.code = code.to_owned();
            }
            return Turn::Within;
        }
        if is_exception(line.trim()) {
            (self.between, self.linked) = (Some(0), false);
            self.raised += 1;
            return Turn::Raised(std::mem::take(&mut self.frames), self.raised - 1);
        }
        Turn::Over
    }

    /// After an exception: lines of its message, then perhaps the link to the next one.
    fn link(&mut self, line: &str, blank: usize) -> Turn {
        let text = line.trim();
        if text.is_empty() {
            self.between = Some(blank + 1);
            return if blank >= MOST_BLANK {
                Turn::Over
            } else {
                Turn::Within
            };
        }
        if LINKS.contains(&text) {
            (self.between, self.linked) = (Some(0), true);
            return Turn::Within;
        }
        if text.ends_with(HEAD) && self.linked {
            self.between = None;
            self.indent = indent_of(line);
            return Turn::Within;
        }
        Turn::Over
    }
}

fn indent_of(line: &str) -> usize {
    line.len() - line.trim_start_matches([' ', '\t']).len()
}

/// `File "PATH", line 7, in FUNCTION`
pub(super) fn frame_of(line: &str) -> Option<Frame> {
    let rest = line.trim_start().strip_prefix("File \"")?;
    let (file, rest) = rest.split_once('"')?;
    let rest = rest.strip_prefix(", line ")?;
    let function = rest
        .split_once(", in ")
        .map_or("", |(_, function)| function.trim());
    Some(Frame {
        file: file.to_owned(),
        function: function.to_owned(),
        code: String::new(),
    })
}

/// Carets and tildes under a line of code.
fn is_mark(text: &str) -> bool {
    text.chars().all(|c| matches!(c, '^' | '~' | ' '))
}

/// `package.Kind: message`, or a kind alone.
fn is_exception(text: &str) -> bool {
    let kind = text.split([':', ' ']).next().unwrap_or(text);
    let dotted = !kind.is_empty()
        && kind
            .split('.')
            .all(|p| eutaxis_standards::name::is_identifier(p) || p.starts_with('<'));
    dotted
        && (text.len() == kind.len() || text.get(kind.len()..).is_some_and(|r| r.starts_with(':')))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Exceptions with the files of their frames.
    fn read(text: &str) -> Vec<String> {
        let mut open: Option<Open> = None;
        let mut found = Vec::new();
        for line in text.lines() {
            match open.as_mut().map(|o| o.next(line)) {
                Some(Turn::Within) => {}
                Some(Turn::Raised(frames, before)) => {
                    let frames: Vec<String> = frames
                        .iter()
                        .map(|f| {
                            format!("{} {} {}", f.file, f.function, f.code)
                                .trim()
                                .to_owned()
                        })
                        .collect();
                    found.push(format!("{before} {} [{}]", line.trim(), frames.join("; ")));
                }
                Some(Turn::Over) | None => open = begins(line),
            }
        }
        found
    }

    #[rstest]
    #[case::plain("Traceback (most recent call last):\n  File \"a.py\", line 1, in <module>\n    \
        import b\n    ^^^^^^^^\nModuleNotFoundError: No module named 'b'\nafter",
        &["0 ModuleNotFoundError: No module named 'b' [a.py <module> import b]"])]
    #[case::chain("Traceback (most recent call last):\n  File \"a.py\", line 1, in f\nKeyError: \
        1\n\nDuring handling of the above exception, another exception occurred:\n\nTraceback \
        (most recent call last):\n  File \"b.py\", line 1, in g\nOSError: x\n",
        &["0 KeyError: 1 [a.py f]", "1 OSError: x [b.py g]"])]
    #[case::indented("    Traceback (most recent call last):\n      File \"<string>\", line 2, in \
        <module>\n    zipfile.BadZipFile: File is not a zip file\n    [end]",
        &["0 zipfile.BadZipFile: File is not a zip file [<string> <module>]"])]
    #[case::not_compiled("  File \"a.py\", line 3\n    x = (y := 1)\n           ^\nSyntaxError: \
        invalid syntax\n",
        &["0 SyntaxError: invalid syntax [a.py  x = (y := 1)]"])]
    #[case::kind_alone("Traceback (most recent call last):\n  File \"a.py\", line 1, in \
        f\nMemoryError\n", &["0 MemoryError [a.py f]"])]
    #[case::two("Traceback (most recent call last):\n  File \"a.py\", line 1, in \
        f\nMemoryError\nTraceback (most recent call last):\n  File \"b.py\", line 1, in \
        f\nOSError: y\n",
        &["0 MemoryError [a.py f]", "0 OSError: y [b.py f]"])]
    #[case::cut_off("Traceback (most recent call last):\n  File \"a.py\", line 1, in f\nand then \
        it goes on\nOSError: y", &[])]
    #[case::without_head("ning of the log is lost\n  File \"a.py\", line 1, in f\n    g()\n  File \
        \"b.py\", line 2, in g\nOSError: y", &["0 OSError: y [a.py f g(); b.py g]"])]
    #[case::logged("ERROR 12:00 Traceback (most recent call last):\n  File \"a.py\", line 1, in \
        f\nOSError: y", &["0 OSError: y [a.py f]"])]
    fn tracebacks_are_put_together(#[case] text: &str, #[case] expected: &[&str]) {
        assert_eq!(read(text), expected);
    }
}
