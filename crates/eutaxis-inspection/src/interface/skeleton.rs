//! Source without what an import does not run: bodies of functions, comments, texts that stand
//! alone. Lines stay where they are, so that what is parsed afterwards is told by its line.
//!
//! Only lines are told apart here, by the rules of lexical analysis that all series of the language
//! share: logical lines, brackets, strings, indentation.

use memchr::memchr2;

/// What is left of a source, and what bodies of functions say that matters outside of them.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Skeleton {
    /// The source without them.
    pub(super) text: Vec<u8>,
    /// Names that functions bind in their module (`global`).
    pub(super) globals: Vec<String>,
}

/// A logical line: where it ends, and whether a colon is the last of it.
struct Line {
    end: usize,
    opens: bool,
    /// It is one string and nothing else.
    lone_text: bool,
    /// Where its comment begins, when it has one in its last physical line.
    comment: Option<usize>,
}

/// Takes away what an import does not run.
pub(super) fn skeleton(source: &[u8]) -> Skeleton {
    let source = source.strip_prefix(b"\xef\xbb\xbf").unwrap_or(source);
    let mut left = Skeleton {
        text: Vec::with_capacity(source.len() / 2),
        globals: Vec::new(),
    };
    let mut at = 0;
    // The indentation of the function whose body is being left out.
    let mut inside: Option<usize> = None;
    while at < source.len() {
        let (indent, start) = indentation(source, at);
        let line = logical_line(source, start);
        let words = source.get(start..line.end).unwrap_or_default();
        let is_blank = matches!(source.get(start), None | Some(b'\n' | b'\r' | b'#'));
        if !is_blank && inside.is_some_and(|i| indent <= i) {
            inside = None;
        }
        if is_blank || inside.is_some() {
            if inside.is_some() {
                globals(words, &mut left.globals);
            }
            keep_lines(source.get(at..line.end).unwrap_or_default(), &mut left.text);
        } else if line.opens && is_function(words) {
            let header = source.get(at..line.comment.unwrap_or(line.end));
            let mut header = header.unwrap_or_default().trim_ascii_end();
            // A backslash behind the colon joins a line that has nothing but a comment.
            while let Some(before) = header.strip_suffix(b"\\") {
                header = before.trim_ascii_end();
            }
            left.text.extend_from_slice(header);
            left.text.extend_from_slice(b" pass\n");
            let behind = source.get(at + header.len()..line.end).unwrap_or_default();
            let lines = memchr::memchr_iter(b'\n', behind).count();
            left.text
                .extend(std::iter::repeat_n(b'\n', lines.saturating_sub(1)));
            inside = Some(indent);
        } else if line.lone_text {
            // What stands alone in a block keeps the block.
            left.text
                .extend_from_slice(source.get(at..start).unwrap_or_default());
            left.text.extend_from_slice(b"0");
            keep_lines(words, &mut left.text);
        } else {
            left.text
                .extend_from_slice(source.get(at..line.end).unwrap_or_default());
        }
        at = line.end;
    }
    left
}

fn keep_lines(text: &[u8], into: &mut Vec<u8>) {
    into.extend(memchr::memchr_iter(b'\n', text).map(|_| b'\n'));
}

/// The column of a line's first sign (language reference 2.1.8: a tab goes to the next multiple of
/// eight), and where it is.
fn indentation(source: &[u8], mut at: usize) -> (usize, usize) {
    let mut column = 0;
    while let Some(byte) = source.get(at) {
        match byte {
            b' ' => column += 1,
            b'\t' => column = (column / 8 + 1) * 8,
            b'\x0c' => column = 0,
            _ => break,
        }
        at += 1;
    }
    (column, at)
}

fn is_function(line: &[u8]) -> bool {
    let line = line
        .strip_prefix(b"async")
        .map_or(line, |rest| rest.trim_ascii_start());
    line.strip_prefix(b"def")
        .is_some_and(|rest| rest.first().is_some_and(u8::is_ascii_whitespace))
}

fn globals(line: &[u8], into: &mut Vec<String>) {
    let Some(rest) = line.strip_prefix(b"global ") else {
        return;
    };
    let rest = String::from_utf8_lossy(rest);
    let rest = rest.split(['#', ';']).next().unwrap_or_default();
    let names = rest.split([',', '\\']).map(str::trim);
    into.extend(names.filter(|n| !n.is_empty()).map(str::to_owned));
}

/// Reads a logical line (language reference 2.1.5): across brackets, long strings and backslashes.
fn logical_line(source: &[u8], start: usize) -> Line {
    let mut line = Line {
        end: source.len(),
        opens: false,
        lone_text: false,
        comment: None,
    };
    let mut depth = 0usize;
    let mut at = start;
    // What was seen but white space: how many strings, and whether anything else.
    let (mut strings, mut others) = (0, 0);
    let mut last = b' ';
    while let Some(&byte) = source.get(at) {
        match byte {
            b'\n' if depth == 0 => {
                line.end = at + 1;
                break;
            }
            b'#' => {
                let rest = source.get(at..).unwrap_or_default();
                let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                line.comment = (depth == 0).then_some(at);
                at += length;
                continue;
            }
            b'\'' | b'"' => {
                let is_prefix = last.is_ascii_alphabetic();
                at = past_string(source, at);
                strings += 1;
                others -= i32::from(is_prefix && others == 1 && strings == 1);
                last = byte;
                continue;
            }
            b'\\' => {
                // A backslash joins lines; what it stands before otherwise is no business of ours.
                let two = source.get(at + 1) == Some(&b'\r');
                at += if two { 3 } else { 2 };
                continue;
            }
            b'(' | b'[' | b'{' => depth += 1,
            b')' | b']' | b'}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if !byte.is_ascii_whitespace() {
            // A prefix of a string counts as one sign.
            others += i32::from(!(last.is_ascii_alphabetic() && byte.is_ascii_alphabetic()));
            last = byte;
        }
        at += 1;
    }
    line.opens = last == b':' && depth == 0;
    line.lone_text = strings == 1 && others == 0;
    line
}

/// The place behind a string that begins here (language reference 2.4.1).
fn past_string(source: &[u8], at: usize) -> usize {
    let rest = source.get(at..).unwrap_or_default();
    let quote = rest.first().copied().unwrap_or(b'"');
    let long = rest.get(..3) == Some(&[quote; 3]);
    let mut inside = if long { 3 } else { 1 };
    loop {
        let left = rest.get(inside..).unwrap_or_default();
        let found = if long {
            memchr2(quote, b'\\', left)
        } else {
            memchr::memchr3(quote, b'\\', b'\n', left)
        };
        let Some(found) = found else {
            return source.len();
        };
        inside += found;
        match rest.get(inside) {
            Some(b'\\') => inside += 2,
            // A short string that is not closed ends with its line.
            Some(b'\n') => return at + inside,
            _ if !long => return at + inside + 1,
            _ if rest.get(inside..inside + 3) == Some(&[quote; 3]) => return at + inside + 3,
            _ => inside += 1,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn left(source: &str) -> String {
        String::from_utf8(skeleton(source.as_bytes()).text).unwrap()
    }

    #[rstest]
    #[case::body(
        "def f(a, b=1):\n    x = 1\n\n    return x\ny = 2\n",
        "def f(a, b=1): pass\n\n\n\ny = 2\n"
    )]
    #[case::one_line("def f(): return 1\ny = 2\n", "def f(): return 1\ny = 2\n")]
    #[case::comment_behind_the_colon("def f():  # why\n  x\n", "def f(): pass\n\n")]
    #[case::comment_at_the_margin("def f():\n  x\n# said\n  y\nz\n", "def f(): pass\n\n\n\nz\n")]
    #[case::text_at_the_margin(
        "def f():\n  x = '''\nno code = 1\n'''\n  y\nz\n",
        "def f(): pass\n\n\n\n\nz\n"
    )]
    #[case::header_over_lines(
        "def f(\n  a={'b': 1},\n):\n  x\nz\n",
        "def f(\n  a={'b': 1},\n): pass\n\nz\n"
    )]
    #[case::async_("async  def f():\n  x\n", "async  def f(): pass\n\n")]
    #[case::method(
        "class A(B):\n  '''Says.'''\n  def f(self):\n    x\n  y = 1\n",
        "class A(B):\n  0\n  def f(self): pass\n\n  y = 1\n"
    )]
    #[case::raw_text("r'''a\nb'''\nx\n", "0\n\nx\n")]
    #[case::no_lone_text("x = '''a\nb'''\n", "x = '''a\nb'''\n")]
    #[case::joined("x = 1 + \\\n  2\ny\n", "x = 1 + \\\n  2\ny\n")]
    #[case::bracket_in_a_string("x = ')'\ndef f():\n  y\n", "x = ')'\ndef f(): pass\n\n")]
    #[case::tabs("def f():\n\tx\n\ty\nz\n", "def f(): pass\n\n\nz\n")]
    #[case::other_line_ends("def f():\r\n  x\r\ny\r\n", "def f(): pass\n\ny\r\n")]
    #[case::joined_to_a_comment("def f():\\\n#\nx\n", "def f(): pass\n\nx\n")]
    #[case::define_is_no_def("define(a):\n  x\n", "define(a):\n  x\n")]
    #[case::not_closed("def f(:\n  x\n", "def f(:\n  x\n")]
    fn bodies_go_and_lines_stay(#[case] source: &str, #[case] expected: &str) {
        assert_eq!(left(source), expected);
    }

    #[test]
    fn what_functions_bind_outside_is_told() {
        let found = skeleton(b"def f():\n    global a, b  # both\n    a = b = 1\n");
        assert_eq!(found.globals, ["a", "b"]);
    }

    proptest! {
        #[test]
        fn any_text_keeps_its_lines(text in "(def f\\(\\):|class|x|'|\"\"\"|\\(|\\)|\\\\|#| |\t|\n|:|=|\r){0,60}") {
            let found = skeleton(text.as_bytes());
            let lines = |t: &[u8]| t.iter().filter(|b| **b == b'\n').count();
            // A header that ends the text gets the end of a line.
            let difference = lines(&found.text) - lines(text.as_bytes());
            prop_assert!(difference <= 1);
        }
    }
}
