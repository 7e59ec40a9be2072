//! Tools and headers that builds need, and what usually provides them (`knowledge/building.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Deserialize;

/// Something that a build needs from the system.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Needed {
    names: Vec<String>,
    /// What it is, in a few words.
    pub what: String,
    /// Names of system packages, by the distribution's name.
    #[serde(default)]
    pub packages: BTreeMap<String, String>,
    /// A project with wheels that bring it.
    pub project: Option<String>,
}

/// The build system of projects that state none (PEP 517, build-backend).
#[derive(Debug, Clone, PartialEq, Eq, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Fallback {
    /// What it needs.
    pub requires: Vec<String>,
    /// The object with its hooks.
    pub backend: String,
}

/// What a build backend is known for.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Backend {
    /// The top module of its hooks.
    pub module: String,
    /// It compiles: always, or as the files of the project say.
    pub compiles: Compiles,
    /// Tools that it calls when it compiles.
    #[serde(default)]
    pub tools: Vec<String>,
}

/// When a build backend compiles.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Compiles {
    /// Whatever it builds.
    Always,
    /// As `setup.py`, `setup.cfg` and the project file say.
    Scripted,
}

/// A language of sources that are compiled.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Language {
    /// Its name.
    pub name: String,
    /// Endings of its files, without the dot.
    pub endings: Vec<String>,
    /// The tool that reads it; none where a build requirement does.
    pub tool: Option<String>,
    /// The language that it is turned into first.
    pub becomes: Option<String>,
    /// Seconds that a mebibyte of its sources takes to compile on one core; none where the size of
    /// the sources does not tell.
    pub pace: Option<f64>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    fallback: Fallback,
    /// Seconds of a build that compiles nothing.
    begin: f64,
    /// Seconds for a mebibyte of all that an archive holds.
    handling: f64,
    /// Words of sources that compile far longer than their size tells.
    unforeseeable: Vec<String>,
    /// Words of build descriptions that tell of code to be compiled.
    compiling: Vec<String>,
    backend: Vec<Backend>,
    language: Vec<Language>,
    tool: Vec<Needed>,
    header: Vec<Needed>,
}

/// The build system of projects that state none.
pub fn fallback() -> &'static Fallback {
    &FILE.fallback
}

/// Seconds of a build that compiles nothing.
pub fn begin() -> f64 {
    FILE.begin
}

/// Seconds for a mebibyte of all that an archive holds.
pub fn handling() -> f64 {
    FILE.handling
}

/// Words of sources that compile far longer than their size tells.
pub fn unforeseeable() -> &'static [String] {
    &FILE.unforeseeable
}

/// Words of a `setup.py`, `setup.cfg` or project file that tell of code to be compiled.
pub fn compiling() -> &'static [String] {
    &FILE.compiling
}

/// What is known of a backend, by the object with its hooks.
pub fn backend(object: &str) -> Option<&'static Backend> {
    let module = object.split(['.', ':']).next().unwrap_or_default();
    FILE.backend.iter().find(|b| b.module == module)
}

/// The language of a source that is compiled, by its path.
pub fn language(path: &str) -> Option<&'static Language> {
    let (_, ending) = path.rsplit_once('.')?;
    let is = |l: &&Language| l.endings.iter().any(|e| e == ending);
    FILE.language.iter().find(is)
}

/// A language by its name.
pub fn language_named(name: &str) -> Option<&'static Language> {
    FILE.language.iter().find(|l| l.name == name)
}

/// All tools that are known.
pub fn tools() -> &'static [Needed] {
    &FILE.tool
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/building.toml")).unwrap_or_default()
});

impl Needed {
    /// The names that it is called by.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// The system package on one of these distributions, the machine's own first.
    pub fn package(&self, distributions: &[String]) -> Option<&str> {
        distributions
            .iter()
            .find_map(|d| self.packages.get(d))
            .map(String::as_str)
    }
}

/// A tool by the name it is called by, as `gcc` or `cl.exe`.
pub fn tool(name: &str) -> Option<&'static Needed> {
    let plain = name.strip_suffix(".exe").unwrap_or(name);
    // `gcc-12`, `clang-15`: the series of a compiler.
    let base = plain
        .rsplit_once('-')
        .filter(|(_, v)| v.chars().all(|c| c.is_ascii_digit() || c == '.'))
        .map(|(b, _)| b);
    let same = |n: &String, other: &str| n.eq_ignore_ascii_case(other);
    let is = |n: &String| same(n, name) || same(n, plain) || base.is_some_and(|b| same(n, b));
    FILE.tool.iter().find(|t| t.names.iter().any(is))
}

/// A header as it is included, or a library by the name that builds look for it by.
pub fn header(name: &str) -> Option<&'static Needed> {
    let below = |n: &String| {
        n.strip_suffix('*')
            .is_some_and(|folder| name.starts_with(folder))
    };
    let same = |n: &String| n.eq_ignore_ascii_case(name);
    let by = |is: &dyn Fn(&String) -> bool| FILE.header.iter().find(|t| t.names.iter().any(is));
    by(&same).or_else(|| by(&below))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn the_file_can_be_read() {
        assert!(!fallback().requires.is_empty() && begin() > 0.0 && !compiling().is_empty());
        assert!(
            FILE.backend
                .iter()
                .flat_map(|b| &b.tools)
                .all(|t| tool(t).is_some())
        );
        assert!(
            FILE.language
                .iter()
                .filter_map(|l| l.tool.as_ref())
                .all(|t| tool(t).is_some())
        );
    }

    #[rstest]
    #[case("src/a.c", Some("C"))]
    #[case("src/a.tar", None)]
    #[case("c", None)]
    fn languages_are_known_by_endings(#[case] path: &str, #[case] name: Option<&str>) {
        assert_eq!(language(path).map(|l| l.name.as_str()), name);
    }

    #[rstest]
    #[case("gcc", Some("build-essential"))]
    #[case("gcc-12", Some("build-essential"))]
    #[case("cmake.exe", Some("cmake"))]
    #[case("unheard-of", None)]
    fn tools_are_known(#[case] name: &str, #[case] package: Option<&str>) {
        assert_eq!(
            tool(name).and_then(|t| t.package(&["ubuntu".into(), "debian".into()])),
            package
        );
    }

    #[rstest]
    #[case("Python.h", Some("python3-dev"))]
    #[case("openssl/ssl.h", Some("libssl-dev"))]
    #[case("ZLIB", Some("zlib1g-dev"))]
    #[case("firn/deep.h", None)]
    fn headers_are_known(#[case] name: &str, #[case] package: Option<&str>) {
        assert_eq!(
            header(name).and_then(|t| t.package(&["debian".into()])),
            package
        );
    }
}
