//! What CI services, containers and loggers put before a line: times, numbers of steps, names of
//! services, frames of boxes.

use std::sync::LazyLock;

use regex::bytes::{Regex, RegexBuilder};

/// One thing that may stand before a line. What the group `stream` holds tells interleaved outputs
/// apart.
static BEFORE: LazyLock<Vec<Regex>> = LazyLock::new(|| {
    let patterns = [
        // 2026-11-20T10:00:00.123Z, also in brackets
        r"^\[?\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d+)?(?:Z|[+-]\d\d:?\d\d)?\]? ?",
        r"^\[?\d\d:\d\d:\d\d(?:[.,]\d+)?\]? ",
        // steps of an image that is built: #12 3.456
        r"^(?<stream>#\d+) (?:\d+\.\d+ )?",
        // services side by side: logger-1  | , and pods: [pod/logger]
        r"^(?<stream>[A-Za-z][\w.-]{0,40}) *\| ",
        r"^(?<stream>\[(?:pod|job|task|step|build)[\w ./:-]{0,60}\]) ",
        r"^(?<stream>[\w.-]{1,30}(?::[\w.-]{1,30})?)> ",
        r"^(?:##\[\w+\]|remote: ?|::error(?: [^:]*)?::)",
        // a frame around the output of another program
        "^ *(?:\u{2502}|\u{2503}|\u{254e}|\u{2551}) ?",
        r"^ *\| ",
    ];
    // Fixed patterns, each tried by a test: none is left out.
    let compiled = patterns
        .iter()
        .map(|p| RegexBuilder::new(p).unicode(false).build());
    compiled.filter_map(Result::ok).collect()
});

/// So many things may stand before a line.
const MOST: usize = 4;

/// The stream that a line belongs to (empty when nothing tells), and the line without what stands
/// before it; its own indentation stays.
pub(super) fn parted(line: &str) -> (String, &str) {
    let mut stream = String::new();
    let mut rest = line;
    for _ in 0..MOST {
        let Some(found) = BEFORE.iter().find_map(|p| p.captures(rest.as_bytes())) else {
            break;
        };
        if let Some(told) = found.name("stream") {
            stream.push_str(&String::from_utf8_lossy(told.as_bytes()));
        }
        let end = found.get(0).map_or(0, |m| m.end());
        rest = rest.get(end..).unwrap_or_default();
        if end == 0 {
            break;
        }
    }
    (stream, rest)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn every_pattern_is_one() {
        assert_eq!(BEFORE.len(), 9);
    }

    #[rstest]
    #[case("error: no", "", "error: no")]
    #[case("2026-11-20T10:00:00.1234567Z   File \"a.py\"", "", "  File \"a.py\"")]
    #[case("[2026-11-20 10:00:00,123] x", "", "x")]
    #[case("10:00:01 x", "", "x")]
    #[case("#12 3.456 Traceback", "#12", "Traceback")]
    #[case("#12 3.456   File", "#12", "  File")]
    #[case("logger-1  |   File", "logger-1", "  File")]
    #[case("2026-11-20T10:00:00Z logger-1 | #7 0.1 x", "logger-1#7", "x")]
    #[case("##[error]x", "", "x")]
    #[case("  \u{2502} exit code: 1", "", "exit code: 1")]
    #[case("a || b", "", "a || b")]
    #[case("", "", "")]
    fn what_stands_before_is_taken_off(
        #[case] line: &str,
        #[case] stream: &str,
        #[case] rest: &str,
    ) {
        assert_eq!(parted(line), (stream.to_owned(), rest));
    }
}
