//! By which words a log tells where it was written (`knowledge/origins.toml`).

use std::collections::BTreeMap;
use std::sync::{LazyLock, OnceLock};

use aho_corasick::AhoCorasick;
use regex::bytes::{Regex, RegexBuilder};
use serde::Deserialize;

use super::causes::{Confidence, literals, told_apart, untold};

/// What a line tells of the place where it was written, all of one match.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OriginWords {
    /// How sure it is.
    pub sure: Confidence,
    /// `linux`, `macos` or `windows`.
    pub system: Option<&'static str>,
    /// The architecture, by the name that Linux has for it.
    pub arch: Option<&'static str>,
    /// Other facts by their names: `libc`, `below`, `implementation`, `interpreter`, `threads`,
    /// `driver`, `accelerator`, `distribution`, `path`, `project` and `folder`.
    pub facts: Vec<(String, String)>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    architecture: BTreeMap<String, Vec<String>>,
    system: BTreeMap<String, Vec<String>>,
    distribution: BTreeMap<String, Vec<String>>,
    origin: Vec<Entry>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Entry {
    line: Vec<String>,
    #[serde(default)]
    tells: BTreeMap<String, String>,
    sure: Option<Confidence>,
}

/// A pattern, compiled when it is first needed.
struct Pattern {
    text: String,
    regex: OnceLock<Option<Regex>>,
    entry: usize,
}

struct Table {
    file: File,
    patterns: Vec<Pattern>,
    /// The pattern of each text that the finder looks for.
    of_hint: Vec<usize>,
    finder: Option<AhoCorasick>,
}

// The file is compiled in, and read and compiled by a test.
static TABLE: LazyLock<Table> = LazyLock::new(|| {
    let text = include_str!("../../../../knowledge/origins.toml");
    Table::of(toml::from_str(text).unwrap_or_default())
});

fn compiled(text: &str) -> Option<Regex> {
    let mut builder = RegexBuilder::new(text);
    builder.unicode(false).case_insensitive(true);
    builder.build().ok()
}

impl Table {
    fn of(file: File) -> Self {
        let mut patterns = Vec::new();
        let (mut hints, mut of_hint) = (Vec::new(), Vec::new());
        for (entry, origin) in file.origin.iter().enumerate() {
            for line in &origin.line {
                let text = told_apart(line);
                for hint in literals::required(&text).unwrap_or_default() {
                    hints.push(hint);
                    of_hint.push(patterns.len());
                }
                patterns.push(Pattern {
                    text,
                    regex: OnceLock::new(),
                    entry,
                });
            }
        }
        let mut builder = AhoCorasick::builder();
        let finder = builder.ascii_case_insensitive(true).build(&hints).ok();
        Table {
            file,
            patterns,
            of_hint,
            finder,
        }
    }
}

/// What a line tells of where it was written; nothing, for most lines.
pub fn origin_words(line: &str) -> Vec<OriginWords> {
    let found = TABLE
        .finder
        .iter()
        .flat_map(|f| f.find_overlapping_iter(line));
    let mut numbers: Vec<usize> = found
        .filter_map(|m| TABLE.of_hint.get(m.pattern().as_usize()).copied())
        .collect();
    numbers.sort_unstable();
    numbers.dedup();
    let told = numbers.into_iter().filter_map(|n| words(n, line));
    told.collect()
}

fn words(pattern: usize, line: &str) -> Option<OriginWords> {
    let pattern = TABLE.patterns.get(pattern)?;
    let entry = TABLE.file.origin.get(pattern.entry)?;
    let regex = pattern.regex.get_or_init(|| compiled(&pattern.text));
    let regex = regex.as_ref()?;
    let captures = regex.captures(line.as_bytes())?;
    let mut words = OriginWords {
        sure: entry.sure.unwrap_or(Confidence::High),
        system: None,
        arch: None,
        facts: Vec::new(),
    };
    let groups = regex.capture_names().flatten().filter_map(|name| {
        let text = String::from_utf8_lossy(captures.name(name)?.as_bytes()).into_owned();
        Some((untold(name).to_owned(), text))
    });
    let stated = entry.tells.iter().map(|(n, v)| (n.clone(), v.clone()));
    for (name, value) in groups.chain(stated) {
        match name.as_str() {
            "system" => words.system = words.system.or(system(&value)),
            "arch" => words.arch = words.arch.or(architecture(&value)),
            _ if words.facts.iter().any(|(n, _)| *n == name) => {}
            _ => words.facts.push((name, value)),
        }
    }
    Some(words)
}

fn named(table: &'static BTreeMap<String, Vec<String>>, word: &str) -> Option<&'static str> {
    let lower = word.to_ascii_lowercase();
    let mut all = table.iter();
    let found = all.find(|(name, words)| **name == lower || words.contains(&lower));
    found.map(|(name, _)| name.as_str())
}

/// `linux`, `macos` or `windows`, of the words that programs have for them.
fn system(word: &str) -> Option<&'static str> {
    named(&TABLE.file.system, word)
}

/// An architecture by the name that Linux has for it: `amd64` is `x86_64`, `arm64` is `aarch64`.
pub fn architecture(word: &str) -> Option<&'static str> {
    named(&TABLE.file.architecture, word)
}

/// A distribution of Linux and those that it is like, its own name first; as the log names it where
/// it is not known.
pub fn distribution_like(name: &str) -> Vec<String> {
    let lower = name.to_ascii_lowercase();
    let own = match lower.as_str() {
        "rpi" | "deb" => "debian".to_owned(),
        _ => lower,
    };
    let like = TABLE.file.distribution.get(&own).cloned();
    std::iter::once(own)
        .chain(like.unwrap_or_default())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn the_file_is_read_and_each_pattern_has_a_text_that_a_line_must_hold() {
        let text = include_str!("../../../../knowledge/origins.toml");
        let file: File = toml::from_str(text).unwrap();
        let known = "system arch libc below implementation interpreter threads driver accelerator \
            distribution path project folder";
        let is_known = |name: &str| known.split_whitespace().any(|k| k == name);
        for line in file.origin.iter().flat_map(|o| &o.line) {
            let text = told_apart(line);
            let regex = compiled(&text).unwrap_or_else(|| panic!("no pattern: {line}"));
            assert!(literals::required(&text).is_some(), "no text: {line}");
            let mut names = regex.capture_names().flatten();
            assert!(names.all(|n| is_known(untold(n))), "{line}");
        }
        let mut told = file.origin.iter().flat_map(|o| o.tells.keys());
        assert!(told.all(|n| is_known(n)));
    }

    fn all(line: &str) -> String {
        let mut told: Vec<String> = Vec::new();
        for words in origin_words(line) {
            told.extend(words.system.map(str::to_owned));
            told.extend(words.arch.map(str::to_owned));
            told.extend(words.facts.into_iter().map(|(n, v)| format!("{n} {v}")));
        }
        told.sort();
        told.dedup();
        told.join(", ")
    }

    #[rstest]
    #[case::banner(
        "Python 3.9.2 (default, Feb 28 2021, 17:03:44) [GCC 10.2.1] on linux",
        "interpreter 3.9, linux"
    )]
    #[case::of_windows(
        "Python 3.12.1 (tags/v3.12.1, Dec  7 2023) [MSC v.1937 64 bit (AMD64)] on win32",
        "interpreter 3.12, windows, x86_64"
    )]
    #[case::platform(
        "Linux-6.1.21-v8+-aarch64-with-glibc2.31",
        "aarch64, libc glibc2.31, linux"
    )]
    #[case::platform_of_macos("macOS-14.4-arm64-arm-64bit", "aarch64, macos")]
    #[case::kernel(
        "Linux ridge 6.1.21-v7l+ #1642 SMP Mon Apr 3 armv7l GNU/Linux",
        "armv7l, linux"
    )]
    #[case::build_folder(
        "creating build/temp.linux-aarch64-cpython-311/src",
        "aarch64, interpreter 311, linux"
    )]
    #[case::build_folder_of_macos(
        "copying a.py -> build/lib.macosx-11.0-arm64-3.10/a",
        "aarch64, interpreter 3.10, macos"
    )]
    #[case::frame(
        "  File \"/Users/ada/camp.py\", line 3, in <module>",
        "macos, path /Users/ada/camp.py"
    )]
    #[case::frame_of_windows(
        "  File \"C:\\Users\\ada\\camp.py\", line 3",
        "path C:\\Users\\ada\\camp.py, windows"
    )]
    #[case::loader("ImportError: libfirn.so.3: cannot open shared object file", "linux")]
    #[case::old_library(
        "/lib/x86_64-linux-gnu/libc.so.6: version `GLIBC_2.34' not found",
        "below 2.34, linux, x86_64"
    )]
    #[case::other_library(
        "Error relocating /x/_core.so: __memcpy_chk: symbol not found",
        "libc musl, linux"
    )]
    #[case::driver(
        "| Driver Version: 470.42.01    CUDA Version: 11.4 |",
        "accelerator cuda, driver 470.42.01"
    )]
    #[case::free_threads(
        "/opt/py/lib/python3.13t/site-packages/firnio/__init__.py",
        "interpreter 3.13, path /opt/py/lib/python3.13t/site-packages, threads free"
    )]
    #[case::refusal(
        "ERROR: Package 'firnio' requires a different Python: 3.7.3 not in '>=3.9'",
        "interpreter 3.7"
    )]
    #[case::a_need("firnio requires Python >=3.9", "")]
    #[case::talk("the wheel is for macOS and for Windows", "")]
    fn places_are_told(#[case] line: &str, #[case] expected: &str) {
        let told = all(line);
        let kept = told.split(", ").filter(|t| *t != "path /lib");
        assert_eq!(kept.collect::<Vec<_>>().join(", "), expected);
    }

    #[rstest]
    #[case("Ubuntu", &["ubuntu", "debian"])]
    #[case("rpi", &["debian"])]
    #[case("nordix", &["nordix"])]
    fn distributions_are_like_others(#[case] name: &str, #[case] expected: &[&str]) {
        assert_eq!(distribution_like(name), expected);
    }
}
