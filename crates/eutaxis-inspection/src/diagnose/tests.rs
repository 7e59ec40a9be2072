//! How logs are read and judged, on small logs in words; every cause in many wordings is tried in
//! `tests/logs.rs`.

use crate::remedy::Step;
use proptest::prelude::*;
use rstest::rstest;

use super::*;
use eutaxis_standards::knowledge::Causes;

fn read_with(causes: &Causes, log: &[u8]) -> Diagnosis {
    let context = Context {
        families: &Families::built_in(),
        libraries: &Libraries::built_in(),
        distributions: &["debian".to_owned()],
    };
    let mut reader = Reader::new(causes, &context);
    reader.read(log);
    reader.finish()
}

fn read(log: &[u8]) -> Diagnosis {
    read_with(&Causes::built_in(), log)
}

/// Causes with their lines, then what goes away with them behind a `|`, then what was overcome.
fn shown(found: &Diagnosis) -> String {
    let causes: Vec<String> = found
        .causes
        .iter()
        .map(|c| format!("{}@{}", c.id, c.line))
        .collect();
    let asides = |all: &[Aside]| {
        all.iter()
            .map(|a| format!("{}@{}", a.id, a.line))
            .collect::<Vec<_>>()
            .join(" ")
    };
    format!(
        "{} | {} | {}",
        causes.join(" "),
        asides(&found.consequences),
        asides(&found.overcome)
    )
    .trim()
    .to_owned()
}

const NO_RELEASE: &str = "ERROR: No matching distribution found for radargram\n";
const NO_HOST: &str = "error: failed to lookup address information: Name or service not known\n";
const FAILED: &str = "ERROR: Failed building wheel for snowpit\n";

#[rstest]
#[case::network_beats_no_release(&[NO_HOST, NO_RELEASE], "network-unreachable@1 | \
    no-release-fits@2 |")]
#[case::also_when_it_is_told_later(&[NO_RELEASE, NO_HOST], "network-unreachable@2 | \
    no-release-fits@1 |")]
#[case::tool_beats_failed_build(&["error: command 'gcc' failed: No such file or \
    directory\n", FAILED], "build-tool-missing@1 | build-failed@2 |")]
#[case::full_disk_beats_all(&["gcc: error: No space left on \
    device\n", FAILED, NO_RELEASE], "no-space@1 | build-failed@2 no-release-fits@3 |")]
#[case::two_of_their_own(
    &["ModuleNotFoundError: No module named \
        'firnio'\n", "ImportError: libfirn.so.3: cannot open shared object file: No such file or \
            directory\n"],
    "library-absent@2 module-absent@1 |  |"
)]
#[case::one_seen_twice(&[NO_RELEASE, NO_RELEASE], "no-release-fits@1 |  |")]
#[case::retried_and_got(&["WARNING: Retrying after connection broken by a \
    time-out\n", "Downloading firnio-1.3.whl\n"], "|  | network-unreachable@1")]
#[case::failed_and_then_done(&[FAILED, "Successfully installed \
    snowpit-2.2\n"], "|  | build-failed@1")]
#[case::done_of_another(&[FAILED, "Successfully installed firnio-1.3\n"], "build-failed@1 |  |")]
#[case::what_was_moved_stays_broken(
    &["fieldlog 2.3 requires wirepack<2, but you have wirepack 3.0.4 which is \
        incompatible.\n", "Successfully installed wirepack-3.0.4\n"],
    "stale-dependency@1 |  |"
)]
fn the_root_is_the_one_that_explains_the_rest(#[case] lines: &[&str], #[case] expected: &str) {
    assert_eq!(shown(&read(lines.concat().as_bytes())), expected);
}

#[test]
fn the_innermost_exception_is_the_root() {
    let log = "Traceback (most recent call last):\n  File \
        \"/e/site-packages/icelens/__init__.py\", line 1, in <module>\n    import moulin\n\
        ImportError: libfirn.so.3: cannot open shared object file: No such file or directory\n\n\
        During handling of the above exception, another exception occurred:\n\n\
        Traceback (most recent call last):\n  File \"run.py\", line 1, in <module>\n    import \
        icelens\n\
        ModuleNotFoundError: No module named 'icelens._core'\n";
    let found = read(log.as_bytes());
    assert_eq!(shown(&found), "library-absent@4 | module-absent@11 |");
    assert_eq!(found.causes[0].facts.get("of").as_deref(), Some("icelens"));
}

#[rstest]
#[case::plain("No space left on device".as_bytes().to_vec())]
#[case::utf_16_of_windows([0xff, 0xfe].into_iter().chain("x\r\nNo space left on \
    device\r\n".encode_utf16().flat_map(u16::to_le_bytes)).collect())]
#[case::utf_16_the_other_way([0xfe, 0xff].into_iter().chain("No space left on \
    device".encode_utf16().flat_map(u16::to_be_bytes)).collect())]
#[case::mark_of_utf_8("\u{feff}No space left on device".as_bytes().to_vec())]
#[case::bytes_of_no_encoding(b"\xe9\xff Getting \xfc\nNo space left on device \xe4".to_vec())]
#[case::progress_before(b" 10% |##   |\r 50% |###  |\rNo space left on device\n".to_vec())]
#[case::quotes_in_a_typographic_form("cp: cannot create \u{2018}a\u{2019}: No space left on \
    device".as_bytes().to_vec())]
#[case::colours(b"\x1b[1;31mNo space\x1b[0m left on \x1b]8;;x\x07device\n".to_vec())]
#[case::very_long_line([b"x".repeat(3 << 20), b"\nNo space left on device\n".to_vec()].concat())]
#[case::nuls(b"\0\0\0\nNo space left on device\n".to_vec())]
fn logs_of_any_encoding_are_read(#[case] log: Vec<u8>) {
    let found = read(&log);
    assert_eq!(
        found
            .causes
            .iter()
            .map(|c| c.id.as_str())
            .collect::<Vec<_>>(),
        ["no-space"]
    );
}

#[test]
fn memory_is_bounded_and_the_first_and_last_sightings_are_kept() {
    let mut log = b"ERROR: No matching distribution found for radargram\n".to_vec();
    for n in 0..20_000 {
        log.extend(format!("ModuleNotFoundError: No module named 'm{n}'\n").into_bytes());
    }
    let found = read(&log);
    assert_eq!(found.lines, 20_001);
    assert!(found.causes.len() <= 501, "{}", found.causes.len());
    let has = |module: &str| {
        found
            .causes
            .iter()
            .any(|c| c.facts.get("module").as_deref() == Some(module))
    };
    assert!(has("m0") && has("m19999") && !has("m10000"));
    assert_eq!(found.causes[0].id, "no-release-fits");
}

#[test]
fn what_explains_nothing_gives_its_last_lines() {
    let found = read(b"begin\nsomething odd\nprocess exited with code 3\n");
    assert_eq!((found.causes.len(), found.ended), (0, Ended::Badly));
    assert_eq!(
        found.last,
        ["begin", "something odd", "process exited with code 3"]
    );
}

#[test]
fn a_file_of_ones_own_comes_first_and_may_change_words() {
    let more = "[[sign]]\ncause = 'no-space'\nline = ['the card of %host% is full']\ntitle = 'the \
        memory card of {host} is full'\n\
        remedies = [{ text = 'put another card in' }]\n";
    let causes = Causes::built_in().with(more).unwrap();
    let found = read_with(&causes, b"the card of ridge is full\n");
    let told = found.causes[0].told(&causes, "linux");
    assert_eq!(
        (told.title.as_str(), told.remedies[0].words.as_str()),
        ("the memory card of ridge is full", "put another card in")
    );
}

proptest! {
    /// No log stops the reader, however odd.
    #[test]
    fn no_log_makes_it_stop(pieces in prop::collection::vec(prop::sample::select(vec![
        "Traceback (most recent call \
            last):\n", "  File \"a.py\", line 1, in \
                f\n", "    import x\n", "ModuleNotFoundError: No module named 'x.y'\n",
        "\n", "\r", "During handling of the above exception, another exception \
            occurred:\n", "No matching distribution found for a[b]>=1,<\n",
        "version \
            `GLIBC_2.", "34' not found (required \
                by ", "\u{1b}[3", "1m", "#1 \
                    0.1 ", "because a (1) depends on b (>=2)\n", " and ", "x -> y=3 -> z\n",
        "Successfully installed \
            a-1\n", "\u{0}", "é", "'", "\"", "Successfully", " (from ", "size changed, may \
                indicate binary incompatibility",
    ]), 0..40)) {
        let log = pieces.concat();
        let found = read(log.as_bytes());
        for cause in &found.causes {
            prop_assert!(!cause.told(&Causes::built_in(), "linux").title.is_empty());
            prop_assert!(cause.line >= 1 && cause.line <= found.lines.max(1));
        }
    }

    #[test]
    fn no_bytes_make_it_stop(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        read(&bytes);
    }
}

/// Each ask is a word of its own on the command line, whatever it holds.
#[test]
fn what_clashes_is_settled_by_a_command_that_can_be_typed() {
    let causes = Causes::built_in();
    let log = "nightwatch: cannot place sastrugi==0.8.1 and seracnet>=2.0 together\n    \
        seracnet 2.3.0 requires frostgrid>=2\n    sastrugi 0.8.1 requires frostgrid<2,>=1.8\n";
    let found = read_with(&causes, log.as_bytes());
    let told = found.causes[0].told(&causes, "linux");
    assert_eq!(
        told.remedies[0].step,
        Some(Step::settle(["sastrugi==0.8.1", "seracnet>=2.0"]))
    );
}

/// Behind what begins a long log its lines are found at once, the same ones with the same numbers.
#[test]
fn a_long_log_is_read_as_a_short_one() {
    let filler = "[12/90000] Compiling ridge, nothing to see\n";
    let faults = "Traceback (most recent call last):\n  File \"/srv/melt/season.py\", line 2, in \
        <module>\n    import firnio\nModuleNotFoundError: No module named 'firnio'\n";
    let lines = (5 << 20) / filler.len();
    let mut log = filler.repeat(lines);
    log.push_str(faults);
    log.push_str(&filler.repeat(9));
    log.push_str("error: command 'gcc' failed: No such file or directory\n");
    let causes = Causes::built_in();
    let context = Context {
        families: &Families::built_in(),
        libraries: &Libraries::built_in(),
        distributions: &[],
    };
    let mut reader = Reader::new(&causes, &context);
    log.as_bytes().chunks(1 << 18).for_each(|p| reader.read(p));
    let found = reader.finish();
    let (first, last) = (lines + 4, lines + 14);
    let expected = format!("build-tool-missing@{last} module-absent@{first} |  |");
    let mut told: Vec<String> = found
        .causes
        .iter()
        .map(|c| format!("{}@{}", c.id, c.line))
        .collect();
    told.sort();
    assert_eq!(format!("{} |  |", told.join(" ")), expected);
    assert_eq!(found.lines as usize, lines + 14);
}

/// What is to be typed is for the shell of the system that the log is of, or of this one.
#[rstest]
#[case::of_windows(
    "  File \"C:\\ice\\camp.py\", line 1, in <module>\n",
    "linux",
    "$env:PYTHONUTF8 = '1'"
)]
#[case::of_linux(
    "  File \"/home/ada/ice/camp.py\", line 1, in <module>\n",
    "linux",
    "export LC_ALL=C.UTF-8"
)]
#[case::here("", "macos", "export LC_ALL=en_US.UTF-8")]
fn what_is_to_be_typed_is_for_the_shell_there(
    #[case] frame: &str,
    #[case] here: &str,
    #[case] expected: &str,
) {
    let error = "UnicodeEncodeError: 'charmap' codec can't encode character '\\u2192' in position \
                 0: character maps to <undefined>\n";
    let log = format!("Traceback (most recent call last):\n{frame}{error}");
    let found = read(log.as_bytes());
    let told = found.causes[0].told(&Causes::built_in(), here);
    let lines = told.remedies.iter().filter_map(|r| match &r.step {
        Some(Step::Line(line)) => Some(line.as_str()),
        _ => None,
    });
    assert_eq!(lines.into_iter().next(), Some(expected), "{told:#?}");
}
