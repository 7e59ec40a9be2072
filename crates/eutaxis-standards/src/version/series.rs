//! Major series of a project's releases: what its users take a change of for a break. PEP 440 knows
//! none; that the first number tells them is the custom of the trade.

use super::{Version, VersionSpecifier};

/// From this number on the first part of a version is a calendar year, not a major series.
pub const FIRST_YEAR: u64 = 1990;

/// No release has this number, so a set that takes it excludes no series.
const BEYOND: u64 = 1_000_000;

/// A series: epoch and first number, which all its releases share. None when the number is a
/// calendar year.
pub fn major_series(version: &Version) -> Option<(u64, u64)> {
    let major = version.release_number(0);
    (major < FIRST_YEAR).then(|| (version.parts().epoch.small().unwrap_or(u64::MAX), major))
}

/// Whether a requirement leaves all later series open.
pub fn leaves_later_series_open(set: Option<&VersionSpecifier>) -> bool {
    set.is_none_or(|s| s.matches(&Version::from_release(&[BEYOND])))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("2.1", Some((0, 2)))]
    #[case("1!2.1", Some((1, 2)))]
    #[case("0.9", Some((0, 0)))]
    #[case("2026.1", None)]
    fn years_are_no_series(#[case] version: &str, #[case] expected: Option<(u64, u64)>) {
        assert_eq!(major_series(&Version::parse(version).unwrap()), expected);
    }

    #[rstest]
    #[case("", true)]
    #[case(">=4", true)]
    #[case("!=5.0", true)]
    #[case("<6", false)]
    #[case("~=4.2", false)]
    #[case("==4.*", false)]
    fn a_bound_above_closes(#[case] set: &str, #[case] expected: bool) {
        assert_eq!(
            leaves_later_series_open(Some(&VersionSpecifier::parse(set).unwrap())),
            expected
        );
    }
}
