//! Versions of symbols that a library must define (System V ABI, dynamic linking).

/// A version that a library must define.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VersionNeed {
    /// The library, as it is needed.
    pub library: String,
    /// The version: `GLIBC_2.34`, `CXXABI_1.3.13`.
    pub version: String,
    /// Its absence is overcome.
    pub weak: bool,
}

/// The numbers of a version such as `GLIBC_2.17` behind the name; none when it has another name or
/// is not numbered.
pub fn numbers(version: &str, name: &str) -> Option<Vec<u32>> {
    // The format of relative relocations came with 2.36, and has a name instead of a number.
    if version == "GLIBC_ABI_DT_RELR" && name == "GLIBC" {
        return Some(vec![2, 36]);
    }
    let rest = version.strip_prefix(name)?.strip_prefix('_')?;
    rest.split('.').map(|n| n.parse().ok()).collect()
}

/// The highest version of a name that is needed, as numbers: `highest(needs, "GLIBC")`.
pub fn highest(needs: &[VersionNeed], name: &str) -> Option<Vec<u32>> {
    needs
        .iter()
        .filter(|n| !n.weak)
        .filter_map(|n| numbers(&n.version, name))
        .max()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("GLIBC_2.34", "GLIBC", Some(vec![2, 34]))]
    #[case("GLIBC_2.2.5", "GLIBC", Some(vec![2, 2, 5]))]
    #[case("GLIBC_PRIVATE", "GLIBC", None)]
    #[case("GLIBC_ABI_DT_RELR", "GLIBC", Some(vec![2, 36]))]
    #[case("GLIBCXX_3.4.30", "GLIBC", None)]
    #[case("GLIBCXX_3.4.30", "GLIBCXX", Some(vec![3, 4, 30]))]
    fn numbers_are_read(
        #[case] version: &str,
        #[case] name: &str,
        #[case] expected: Option<Vec<u32>>,
    ) {
        assert_eq!(numbers(version, name), expected);
    }

    #[test]
    fn the_highest_counts_number_by_number_without_weak_ones() {
        let need = |version: &str, weak| VersionNeed {
            library: "libc.so.6".into(),
            version: version.into(),
            weak,
        };
        let needs = [
            need("GLIBC_2.9", false),
            need("GLIBC_2.17", false),
            need("GLIBC_2.38", true),
        ];
        assert_eq!(highest(&needs, "GLIBC"), Some(vec![2, 17]));
    }
}
