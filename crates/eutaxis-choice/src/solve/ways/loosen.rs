//! Loosening a bound by as little as will do.

use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::{Operator, Version, VersionSpecifier};

/// Releases that a set leaves out, nearest to those that it takes first; of two equally near ones
/// the newer.
pub(super) fn nearest_outside(set: &VersionSpecifier, releases: &[Version]) -> Vec<Version> {
    let mut sorted: Vec<&Version> = releases.iter().collect();
    sorted.sort();
    // Places are doubled, so that a version that does not exist has one between two releases.
    let taken = sorted
        .iter()
        .enumerate()
        .filter(|(_, v)| set.matches(v))
        .map(|(i, _)| 2 * i as i64);
    let mut anchors: Vec<i64> = taken.collect();
    if anchors.is_empty() {
        let named = set.clauses().iter().filter_map(|c| c.version());
        anchors = named
            .map(|named| 2 * sorted.partition_point(|v| *v < named) as i64 - 1)
            .collect();
    }
    let mut outside: Vec<(i64, i64, &Version)> = sorted
        .iter()
        .enumerate()
        .filter(|(_, v)| !set.matches(v))
        .map(|(i, v)| {
            let place = 2 * i as i64;
            let distance = anchors.iter().map(|a| (a - place).abs()).min().unwrap_or(0);
            (distance, -place, *v)
        })
        .collect();
    outside.sort();
    outside.into_iter().map(|(_, _, v)| v.clone()).collect()
}

/// The requirement with those bounds moved that leave a release out, just so far that they take it.
pub(super) fn loosened(requirement: &Requirement, release: &Version) -> Option<Requirement> {
    let set = requirement.versions()?;
    let release = release.public();
    let mut clauses: Vec<String> = Vec::new();
    for clause in set.clauses() {
        if clause.matches(&release) {
            clauses.push(clause.to_string());
            continue;
        }
        let above = clause.version().is_none_or(|v| release > *v);
        match clause.operator() {
            Operator::NotEqual => {}
            Operator::AtLeast | Operator::Above => clauses.push(format!(">={release}")),
            Operator::AtMost | Operator::Below => clauses.push(format!("<={release}")),
            Operator::Compatible if above => {
                clauses.extend(clause.version().map(|v| format!(">={v}")));
                clauses.push(format!("<={release}"));
            }
            Operator::Compatible => clauses.push(format!(">={release}")),
            Operator::Equal | Operator::Arbitrary if above => clauses.push(format!(">={release}")),
            Operator::Equal | Operator::Arbitrary => clauses.push(format!("<={release}")),
        }
    }
    let set = VersionSpecifier::parse(&clauses.join(","))
        .ok()
        .filter(|s| s.matches(&release))?;
    Some(requirement.clone().with_versions(set))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::pin(">=1,==2.0", "1.0 1.5 2.0 2.1 3.0", "2.1 1.5 3.0 1.0")]
    #[case::below("<2", "1.0 2.0 3.0", "2.0 3.0")]
    #[case::version_that_does_not_exist("==2.5", "1.0 2.0 3.0 4.0", "3.0 2.0 4.0 1.0")]
    #[case::all("", "1.0", "")]
    fn the_nearest_come_first(#[case] set: &str, #[case] releases: &str, #[case] expected: &str) {
        let releases: Vec<Version> = releases
            .split(' ')
            .map(|v| Version::parse(v).unwrap())
            .collect();
        let found = nearest_outside(&VersionSpecifier::parse(set).unwrap(), &releases);
        let words: Vec<String> = found.iter().map(ToString::to_string).collect();
        assert_eq!(words.join(" "), expected);
    }

    #[rstest]
    #[case("m==0.8.1", "0.9.0", "m>=0.9.0")]
    #[case("m==0.8.1", "0.7", "m<=0.7")]
    #[case(
        "m[x]>=2,<3; python_version > '3'",
        "1.6.0+cpu",
        "m[x]>=1.6.0,<3; python_version > '3'"
    )]
    #[case("m>=1,<2", "2.1", "m>=1,<=2.1")]
    #[case("m!=2.1,>1", "2.1", "m>1")]
    #[case("m~=1.4", "2.0", "m>=1.4,<=2.0")]
    #[case("m~=1.4", "1.2", "m>=1.2")]
    #[case("m==2.*", "3.1", "m>=3.1")]
    fn only_what_stands_in_the_way_moves(
        #[case] given: &str,
        #[case] release: &str,
        #[case] expected: &str,
    ) {
        let requirement = Requirement::parse(given).unwrap();
        let found = loosened(&requirement, &Version::parse(release).unwrap()).unwrap();
        assert_eq!(found.to_string(), expected);
    }
}
