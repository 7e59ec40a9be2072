//! Text that speaks of failures without being one: quotations, notes of releases, lists of commits,
//! reports of tests, source code; and warnings that code gives while it goes on.

use std::sync::LazyLock;

use regex::bytes::{Regex, RegexBuilder};

/// How a line speaks of what stands in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Speech {
    /// It tells what happened.
    Event,
    /// A warning of code that goes on: it counts where nothing else is told.
    Warning,
    /// What is done without, or will change one day: it ends nothing, and may only tell more of what
    /// comes later.
    Aside,
    /// It only speaks of it.
    Text,
}

/// Lines that only speak of it.
const TEXT: [&str; 11] = [
    // a commit: its short hash, then its subject
    "^[0-9a-f]{7,40} (?:\\([^)]*\\) )?[A-Za-z][^:]*(?:: | )[A-Za-z]",
    // notes of releases: an item that says what was done
    r"^(?:(?:[-*+]|\xe2\x80\xa2) |\d+[.)] )?(?:bug ?)?(?:fix(?:ed|es)?|added?|removed?|changed?|catch(?:es)?|handled?|improved?|no more|no longer|avoid(?:ed|s)?|document(?:ed|s)?|explain(?:ed|s)?|docs?|revert(?:ed)?|workaround for)(?:\([^)]*\))?(?: |: )",
    r"^(?:[-*+]|\xe2\x80\xa2) .*\(?(?:#|GH-|PR )\d+\)?\.?$",
    // an item of a list that quotes
    r#"^(?:[-*+]|\xe2\x80\xa2) "[^"]*" \w"#,
    // reports of single tests
    r"(?:\.\.\. ?|\s)(?:ok|passed|skipped|xfail(?:ed)?|xpass(?:ed)?|expected failure)(?: \S.*)?$|^(?:ok|not ok) \d+ - |^(?:PASSED|SKIPPED|XFAIL|XPASS)\b|::\S+ (?:PASSED|SKIPPED|XFAIL|XPASS)\b",
    r"^test_\w+ \([\w.]+\)",
    // source code
    r"^(?:raise|except|assert|return|def|class|elif|with|print|yield|self\.\w+)\b[ (\w].*[)(:=]",
    r#"^(?:[rbuf]?"""|[rbuf]?''')"#,
    r#"^\w+(?:\.\w+)* = ["'(\[{]"#,
    r"^(?://|/\*|<!--)",
    // headings
    "^#{1,6} [A-Z0-9][^/]*$",
];

/// An exception by its kind is an event, whatever its message says; an interpreter that cannot begin
/// tells how its paths are set.
const EVENTS: [&str; 2] = [
    r"^(?:[A-Za-z_]\w*\.)*[A-Za-z_]\w*(?:Error|Exception)\b(?:: |$)",
    r#"^(?:PYTHONHOME|sys\.base_prefix) = ["']/"#,
];

/// Warnings.
const WARNINGS: [&str; 1] =
    [r"^(?:\S+:\d+: )?(?:[A-Za-z_]\w*\.)*(?:user|runtime|[a-z]+(?:config|driver|device))Warning: "];

/// What will change one day, and what is done without.
const ASIDES: [&str; 3] = [
    r"^(?:\S+:\d+: )?(?:[A-Za-z_]\w*\.)*[A-Za-z]+Warning: ",
    r"(?:,|;|\.|:|--?) *(?:using|falling back|fall back|continuing|disabl(?:ed|ing)|skipping|ignor(?:ed|ing)|building|proceeding)\b.*(?:instead|without|fallback|slow|pure|default|back)",
    r"\b(?:optional|is off|are off|disabled|not enabled)\b",
];

static SPOKEN: LazyLock<Vec<(Regex, Speech)>> = LazyLock::new(|| {
    let all = [
        (&EVENTS[..], Speech::Event),
        (&TEXT[..], Speech::Text),
        (&WARNINGS[..], Speech::Warning),
        (&ASIDES[..], Speech::Aside),
    ];
    let all = all
        .iter()
        .flat_map(|(patterns, speech)| patterns.iter().map(move |p| (*p, *speech)));
    // Fixed patterns, each tried by a test: none is left out.
    let compiled = all.map(|(p, speech)| {
        let built = RegexBuilder::new(p)
            .unicode(false)
            .case_insensitive(true)
            .build();
        built.map(|regex| (regex, speech))
    });
    compiled.filter_map(Result::ok).collect()
});

/// How a line speaks, without what a service put before it. `excerpt` is what a sign found in it.
pub(super) fn of(line: &str, excerpt: &str) -> Speech {
    if is_quoted(line, excerpt) {
        return Speech::Text;
    }
    let mut spoken = SPOKEN.iter();
    let found = spoken.find(|(pattern, _)| pattern.is_match(line.as_bytes()));
    found.map_or(Speech::Event, |(_, speech)| *speech)
}

/// Whether what was found stands within back-ticks among other words, or behind the mark of a
/// quotation.
fn is_quoted(line: &str, excerpt: &str) -> bool {
    if line.starts_with("> ") {
        return true;
    }
    let Some(at) = line.find(excerpt) else {
        return false;
    };
    let (before, behind) = (
        line.get(..at).unwrap_or_default(),
        line.get(at + excerpt.len()..).unwrap_or_default(),
    );
    if before.matches('`').count() % 2 == 1 && behind.contains('`') {
        let words = before
            .split_whitespace()
            .filter(|w| !w.contains(['`', ':']));
        return words.count() > 1;
    }
    match (before.rsplit_once('"'), behind.split_once('"')) {
        (Some((before, _)), Some((_, behind))) if before.matches('"').count() % 2 == 0 => {
            is_sentence(before, behind)
        }
        _ => false,
    }
}

/// Whether what stands before and behind a quotation makes a sentence about it. Messages of programs
/// begin with who speaks, or what it is about, and a colon.
fn is_sentence(before: &str, behind: &str) -> bool {
    let is_item = before.starts_with(['-', '*', '+']);
    let is_word = |w: &&str| {
        let plain = w.trim_matches([',', '.', ';', '?', '!', '(', ')']);
        !plain.is_empty() && plain.bytes().all(|b| b.is_ascii_alphabetic() || b == b'-')
    };
    let count = |text: &str| text.split_whitespace().filter(is_word).count();
    let begins = before.split_whitespace().next().filter(is_word).is_some();
    let is_told = !before.contains([':', '=', '{', '[']);
    let words = (count(before), count(behind));
    let is_asked = behind.trim_end().ends_with('?');
    words.1 > 1
        && (is_item || begins && (is_asked || (is_told && words.0 > 1 && words.0 + words.1 > 4)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn every_pattern_is_one() {
        assert_eq!(
            SPOKEN.len(),
            EVENTS.len() + TEXT.len() + WARNINGS.len() + ASIDES.len()
        );
    }

    #[rstest]
    #[case::an_exception("ModuleNotFoundError: No module named 'firnio'", Speech::Event)]
    #[case::a_part_that_somebody_needs(
        "ImportError: Missing optional dependency 'neveplot'.",
        Speech::Event
    )]
    #[case::a_warning_that_may_count(
        "/x/y.py:141: UserWarning: the driver is too old",
        Speech::Warning
    )]
    #[case::a_warning_of_a_program("WARNING: 404 Client Error: Not Found", Speech::Event)]
    #[case::an_error("ERROR: No matching distribution found for firnio", Speech::Event)]
    #[case::an_item_that_tells("- nothing provides firnio needed by moulin-5.0", Speech::Event)]
    #[case::a_need("  moulin 5.0 depends on firnio<2", Speech::Event)]
    #[case::a_compiler(
        "src/grid.c:4:10: fatal error: wind.h: No such file or directory",
        Speech::Event
    )]
    #[case::a_quoted_name("error: could not find `firnio` (from versions: 1.0)", Speech::Event)]
    #[case::a_quoted_path("error: failed to open file `/x/y`: Permission denied", Speech::Event)]
    #[case::with_an_item(
        "- Fixed `AttributeError: no attribute 'Depth'` on import (#123)",
        Speech::Text
    )]
    #[case::without_one(
        "No more \"No module named 'pkg_resources'\" with new toolchains",
        Speech::Text
    )]
    #[case::a_commit("3f9a2bc Fix ImportError: cannot import name 'grid'", Speech::Text)]
    #[case::a_commit_of_a_part(
        "77aacd0 docs: explain externally-managed-environment",
        Speech::Text
    )]
    #[case::a_heading("# What to do about No module named 'x'", Speech::Text)]
    #[case::a_quotation("> ModuleNotFoundError: No module named 'firnio'", Speech::Text)]
    #[case::a_test_that_passed(
        "raises ModuleNotFoundError: No module named 'firnio' ... ok",
        Speech::Text
    )]
    #[case::a_test_left_out(
        "tests/a.py::test_b SKIPPED (could not import 'x': No module named 'x')",
        Speech::Text
    )]
    #[case::a_raise(
        "raise ImportError(\"No module named 'firnio': install it\") from e",
        Speech::Text
    )]
    #[case::a_docstring(
        "\"\"\"Raises OSError: No space left on device when full.\"\"\"",
        Speech::Text
    )]
    #[case::a_warning(
        "/x/camp.py:3: DeprecationWarning: module 'firnio' has no attribute 'x'",
        Speech::Aside
    )]
    #[case::done_without("Could not import sastrugi, using the slow path", Speech::Aside)]
    #[case::a_part_that_is_off("No module named 'katabat': the optional plots", Speech::Aside)]
    fn lines_are_told_from_talk(#[case] line: &str, #[case] expected: Speech) {
        assert_eq!(of(line.trim(), line.trim()), expected);
    }

    #[rstest]
    #[case(
        "If you get `No module named 'x'`, enter it",
        "No module named 'x'",
        true
    )]
    #[case(
        "What does \"No space left\" mean when I have room?",
        "No space left",
        true
    )]
    #[case(
        "* a module: \"No space left\" is no longer raised.",
        "No space left",
        true
    )]
    #[case(
        "{\"level\":\"error\",\"msg\":\"No space left\"}",
        "No space left",
        false
    )]
    #[case(
        "level=error msg=\"No space left\" path of it is long",
        "No space left",
        false
    )]
    #[case(
        "ERROR: could not write the file because of \"No space left\" on the disk",
        "No space left",
        false
    )]
    #[case("`No module named 'x'`", "No module named 'x'", false)]
    #[case("error: `No module named 'x'`", "No module named 'x'", false)]
    fn what_is_quoted_among_words_is_no_event(
        #[case] line: &str,
        #[case] excerpt: &str,
        #[case] expected: bool,
    ) {
        assert_eq!(of(line, excerpt) == Speech::Text, expected);
    }
}
