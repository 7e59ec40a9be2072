//! The stable ABI of the interpreter (PEP 384; `knowledge/stable-abi.toml`).

use std::sync::LazyLock;

use rustc_hash::FxHashMap;
use serde::Deserialize;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    series: Vec<Added>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Added {
    version: String,
    names: String,
}

/// Each name with the minor number of the series that the list knows it from.
static NAMES: LazyLock<FxHashMap<String, u64>> = LazyLock::new(|| {
    // A broken file is found by a test; without it no name is known, and none is judged.
    let file: File = toml::from_str(include_str!("../../../../knowledge/stable-abi.toml"))
        .unwrap_or_else(|_| File { series: Vec::new() });
    let minor = |version: &str| {
        version
            .strip_prefix("3.")
            .and_then(|m| m.parse().ok())
            .unwrap_or(0)
    };
    let of_series = |added: &Added| {
        let minor = minor(&added.version);
        added
            .names
            .split_whitespace()
            .map(|n| (n.to_owned(), minor))
            .collect::<Vec<_>>()
    };
    file.series.iter().flat_map(of_series).collect()
});

/// Whether a function or datum of the interpreter belongs to the stable ABI as of `3.minor`. Series
/// that are newer than the list are not judged: everything may belong to theirs.
pub fn is_stable(name: &str, minor: u64) -> bool {
    let newest = NAMES.values().max().copied().unwrap_or(0);
    // The list does not tell the series before its first apart.
    minor > newest || NAMES.get(name).is_some_and(|since| *since <= minor.max(11))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("PyModuleDef_Init", 8, true)]
    #[case("PyModule_Create2", 2, true)]
    #[case("PyModule_FromDefAndSpec2", 5, true)]
    #[case("PyObject_Vectorcall", 11, false)]
    #[case("PyObject_Vectorcall", 12, true)]
    #[case("PyDict_GetItemRef", 13, true)]
    #[case("_PyLong_AsByteArray", 13, false)]
    #[case("_PyLong_AsByteArray", 99, true)]
    fn names_are_told(#[case] name: &str, #[case] minor: u64, #[case] stable: bool) {
        assert_eq!(is_stable(name, minor), stable);
    }
}
