//! What the lines show by themselves: the same project twice, lines that exclude each other.

use super::{Remark, Said, Trouble};
use eutaxis_standards::knowledge::meant_by;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Ask;
use eutaxis_standards::targets::Target;
use rustc_hash::{FxHashMap, FxHashSet};

use eutaxis_standards::version::{Version, VersionSpecifier};

/// Remarks on asks that count on a target.
pub fn alone(asks: &[Ask], target: &Target) -> Vec<Remark> {
    let counts = |a: &&Ask| {
        a.requirement
            .marker
            .as_ref()
            .is_none_or(|m| m.holds(&target.markers, None))
    };
    // By project, in the order in which they are first named.
    let mut places: FxHashMap<&Name, usize> = FxHashMap::default();
    let mut by_name: Vec<(&Name, Vec<&Ask>)> = Vec::new();
    for ask in asks.iter().filter(counts) {
        let name = &ask.requirement.name;
        let at = *places.entry(name).or_insert(by_name.len());
        match by_name.get_mut(at) {
            Some((_, mine)) => mine.push(ask),
            None => by_name.push((name, vec![ask])),
        }
    }
    let mut remarks = Vec::new();
    for (name, mine) in &by_name {
        let usual = meant_by(name);
        if let Some(ask) = mine.first().filter(|_| !usual.is_empty()) {
            let usual = usual.into_iter().map(str::to_owned).collect();
            remarks.push(Remark::new(&ask.origin, Trouble::OfModule { usual }).about(name));
        }
    }
    for (name, mine) in by_name {
        let Some((last, before)) = mine.split_last().filter(|(_, before)| !before.is_empty())
        else {
            continue;
        };
        let trouble = match excluding(&mine) {
            Some(lines) => {
                let said = |a: &&Ask| Said {
                    text: a.requirement.short().to_string(),
                    place: a.origin.clone(),
                };
                Trouble::Excluding(lines.iter().map(said).collect())
            }
            None => Trouble::Doubled {
                also: before.iter().map(|a| a.origin.clone()).collect(),
                line: one_line(&mine),
            },
        };
        remarks.push(Remark::new(&last.origin, trouble).about(name));
    }
    remarks
}

/// What several lines on one project say together.
fn one_line(asks: &[&Ask]) -> Option<String> {
    let mut clauses: Vec<String> = Vec::new();
    let mut extras: Vec<String> = Vec::new();
    for ask in asks {
        for clause in ask.requirement.versions()?.clauses() {
            if !clauses.contains(&clause.to_string()) {
                clauses.push(clause.to_string());
            }
        }
        extras.extend(
            ask.requirement
                .extras
                .iter()
                .map(ToString::to_string)
                .filter(|e| !extras.contains(e))
                .collect::<Vec<_>>(),
        );
    }
    let name = &asks.first()?.requirement.name;
    let extras = if extras.is_empty() {
        String::new()
    } else {
        format!("[{}]", extras.join(","))
    };
    Some(format!("{name}{extras}{}", clauses.join(",")))
}

/// So many different lines on one project are held against each other two by two.
const MOST_PAIRED: usize = 60;

/// A few lines that no version satisfies together: two of them where two do.
fn excluding<'a>(asks: &[&'a Ask]) -> Option<Vec<&'a Ask>> {
    let sets = |asks: &[&'a Ask]| {
        asks.iter()
            .filter_map(|a| a.requirement.versions())
            .collect::<Vec<_>>()
    };
    // Lines that say the same need no second look, and of very many different ones some do.
    let mut said = FxHashSet::default();
    let different: Vec<&Ask> = (asks.iter().copied())
        .filter(|a| said.insert(a.requirement.versions().map(ToString::to_string)))
        .collect();
    let paired = different.get(..MOST_PAIRED).unwrap_or(&different);
    for (i, first) in paired.iter().enumerate() {
        for second in paired.iter().skip(i + 1) {
            let pair: Vec<&Ask> = vec![first, second];
            if !can_agree(&sets(&pair)) {
                return Some(pair);
            }
        }
    }
    (!can_agree(&sets(&different))).then(|| different.clone())
}

/// Whether some version satisfies all sets. Between the versions that they name nothing changes, so
/// one version at, just below and just above each of those is enough to try.
fn can_agree(sets: &[&VersionSpecifier]) -> bool {
    let named: Vec<&Version> = sets
        .iter()
        .flat_map(|s| s.clauses())
        .filter_map(|c| c.version())
        .collect();
    let mut tried: Vec<Version> = vec![
        Version::from_release(&[0]),
        Version::from_release(&[1_000_000]),
    ];
    for version in named {
        tried.push(version.clone());
        let release = version.base();
        let numbers: Vec<u64> = (0..6).map(|i| release.release_number(i)).collect();
        let last = numbers.iter().rposition(|n| *n > 0);
        let mut above = numbers.clone();
        above.push(1);
        tried.push(Version::from_release(&above));
        for end in 0..=last.unwrap_or(0) {
            // The next prefix, as for `~=` and `.*`, and what lies below it.
            let mut next: Vec<u64> = numbers.iter().take(end + 1).copied().collect();
            if let Some(n) = next.last_mut() {
                *n = n.saturating_add(1);
            }
            tried.push(Version::from_release(&next));
        }
        if let Some(last) = last {
            let mut below: Vec<u64> = numbers.iter().take(last + 1).copied().collect();
            if let Some(n) = below.last_mut() {
                *n -= 1;
            }
            below.push(1_000_000);
            tried.push(Version::from_release(&below));
        }
    }
    tried.iter().any(|v| sets.iter().all(|s| s.matches(v)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_standards::fault::Origin;
    use eutaxis_standards::requirement::Requirement;
    use rstest::rstest;

    #[rstest]
    #[case::open(&[">=2", "<3"], true)]
    #[case::touching(&["<2", ">=2"], false)]
    #[case::pin_inside(&["==1.5", ">=1,<2"], true)]
    #[case::pin_outside(&["==1.5", ">=2"], false)]
    #[case::two_pins(&["==1.5", "==1.5.0"], true)]
    #[case::compatible(&["~=1.4", "<1.5"], true)]
    #[case::compatible_and_next(&["~=1.4", ">=2"], false)]
    #[case::prefix(&["==2.*", ">2.7"], true)]
    #[case::three_together(&[">=1", "<=1", "!=1"], false)]
    fn agreement_is_found_without_knowing_releases(#[case] sets: &[&str], #[case] expected: bool) {
        let sets: Vec<VersionSpecifier> = sets
            .iter()
            .map(|s| VersionSpecifier::parse(s).unwrap())
            .collect();
        assert_eq!(can_agree(&sets.iter().collect::<Vec<_>>()), expected);
    }

    #[test]
    fn doubled_and_excluding_lines_are_found_where_they_stand() {
        let asks: Vec<Ask> = [
            "m>=2",
            "n",
            "m<1",
            "N[x]>=1",
            "k; sys_platform == 'win32'",
            "k",
        ]
        .iter()
        .enumerate()
        .map(|(i, t)| Ask {
            requirement: Requirement::parse(t).unwrap(),
            origin: Origin::line("a.txt", i as u32 + 1),
        })
        .collect();
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        let told: Vec<String> = alone(&asks, &target)
            .iter()
            .map(|r| format!("{} {}", r.trouble.id(), r.place))
            .collect();
        assert_eq!(told, ["excluding a.txt:3", "doubled a.txt:4",]);
    }
}
