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

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    tool: Vec<Needed>,
    header: Vec<Needed>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/building.toml")).unwrap_or_default()
});

impl Needed {
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
