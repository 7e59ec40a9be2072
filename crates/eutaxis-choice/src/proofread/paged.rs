//! What the page of a project shows of a line: versions that do not exist, yanked or barred ones,
//! bounds that are missing.

use super::{Remark, Trouble};
use crate::offer::{Head, JudgedPage, grid};
use eutaxis_standards::requirement::Ask;
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::{
    FIRST_YEAR, Operator, Version, VersionSpecifier, leaves_later_series_open,
};

/// Remarks on an ask that counts on the target, against the page of its project as that target sees
/// it.
pub fn paged(ask: &Ask, judged: &JudgedPage, target: &Target) -> Vec<Remark> {
    let Some(set) = ask.requirement.versions() else {
        return Vec::new();
    };
    let name = &ask.requirement.name;
    let all = judged.heads();
    let matching: Vec<&Head> = all.iter().filter(|h| set.matches(&h.version)).collect();
    let remark = |trouble: Trouble| vec![Remark::new(&ask.origin, trouble).about(name)];
    if matching.is_empty() {
        return remark(Trouble::UnknownVersion {
            set: set.clone(),
            near: nearest(set, all),
        });
    }
    if !matching.iter().any(|h| h.can_be_had()) {
        let newest = matching.first().and_then(|h| judged.offer(&h.version));
        let ready = all.iter().find(|h| h.can_be_had());
        return remark(Trouble::Barred {
            newest: newest.map(|o| (o.version.clone(), o.bars.first().cloned())),
            ready: ready.map(|h| h.version.clone()),
            elsewhere: newest.map_or_else(Vec::new, |o| grid(std::iter::once(o), target).platforms),
        });
    }
    let mut usable = matching.iter().filter(|h| h.can_be_had());
    if usable.clone().all(|h| h.is_yanked)
        && let Some(offer) = usable.next().and_then(|h| judged.offer(&h.version))
    {
        let other = all.iter().find(|h| h.can_be_had() && h.is_final());
        return remark(Trouble::Yanked {
            version: offer.version.clone(),
            reason: offer.yanked.as_deref().unwrap_or_default().to_owned(),
            pinned: set.pins(&offer.version),
            other: other.map(|h| h.version.clone()),
        });
    }
    missing_bound(ask, set, all).into_iter().collect()
}

/// Nothing bounds a project above whose next major series is out.
fn missing_bound(ask: &Ask, set: &VersionSpecifier, all: &[Head]) -> Option<Remark> {
    let name = &ask.requirement.name;
    if !leaves_later_series_open(Some(set)) {
        return None;
    }
    let finals = || all.iter().filter(|h| h.is_final());
    let newest = finals().next()?.version.release_number(0);
    let stated = set
        .clauses()
        .iter()
        .filter(|c| matches!(c.operator(), Operator::AtLeast | Operator::Above))
        .filter_map(|c| c.version())
        .map(|v| v.release_number(0))
        .max();
    let oldest = finals().next_back()?.version.release_number(0);
    let from = stated.unwrap_or(oldest);
    if newest >= FIRST_YEAR || from >= newest {
        return None;
    }
    let subject = ask.requirement.subject();
    let line = match stated {
        Some(series) => format!("{subject}{set},<{}", series.saturating_add(1)),
        None => format!("{subject}<{}", newest.saturating_add(1)),
    };
    let trouble = Trouble::Unbounded {
        set: set.clone(),
        stated,
        series: (oldest, newest),
        line,
    };
    Some(Remark::new(&ask.origin, trouble).about(name))
}

/// The releases that a version may be a slip for, dots lost or set elsewhere; then those next to it,
/// two on either side as far as there are. Without a version the newest.
pub fn around(version: Option<&Version>, mut known: Vec<Version>) -> Vec<Version> {
    known.sort();
    known.dedup();
    let place = version.map_or(known.len(), |version| {
        known.partition_point(|v| v < version)
    });
    let digits = |v: &Version| v.to_string().replace('.', "");
    let wanted = version.map(digits);
    let is_slip = |v: &Version| Some(digits(v)) == wanted;
    let beside = known.iter().skip(place.saturating_sub(2)).take(4);
    let slips = known.iter().filter(|v| is_slip(v));
    let near = slips.chain(beside.filter(|v| !is_slip(v)));
    near.take(4).cloned().collect()
}

/// Releases around what a set names.
fn nearest(set: &VersionSpecifier, all: &[Head]) -> Vec<Version> {
    let known = all.iter().map(|h| h.version.clone()).collect();
    let named = set.clauses().iter().filter_map(|c| c.version()).max();
    around(named, known)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::offer::{Policy, Rules};
    use eutaxis_standards::fault::Origin;
    use eutaxis_standards::index::parse_json;
    use eutaxis_standards::name::Name;
    use eutaxis_standards::requirement::Requirement;
    use eutaxis_standards::targets::Target;
    use rstest::rstest;
    use std::sync::Arc;

    const PAGE: &str = r#"{"files":[
        {"filename":"m-1.0-py3-none-any.whl","url":"x"}, {"filename":"m-1.2-py3-none-any.whl","url":"x"},
        {"filename":"m-2.0-py3-none-any.whl","url":"x"}, {"filename":"m-2.1-py3-none-any.whl","url":"x","yanked":"bad"},
        {"filename":"m-3.0-cp39-cp39-win_amd64.whl","url":"x"}, {"filename":"m-3.1rc1-py3-none-any.whl","url":"x"}]}"#;

    #[rstest]
    #[case::dots_lost("1.97", "1.9.7 1.10 1.90 3.0.4")]
    #[case::a_dot_set_elsewhere("19.0", "1.90 3.0.4")]
    #[case::beside("1.8.1", "1.2 1.8 1.9.7 1.10")]
    #[case::the_newest("9", "1.90 3.0.4")]
    fn slips_come_before_neighbours(#[case] named: &str, #[case] expected: &str) {
        let known = ["1.2", "1.8", "1.9.7", "1.10", "1.90", "3.0.4"];
        let known = known.map(|v| Version::parse(v).unwrap()).to_vec();
        let near = around(Some(&Version::parse(named).unwrap()), known);
        let near: Vec<String> = near.iter().map(ToString::to_string).collect();
        assert_eq!(near.join(" "), expected);
    }

    #[rstest]
    #[case::fine("m>=2,<3", &[])]
    #[case::not_there("m==1.1", &["unknown-version breaks"])]
    #[case::none_matches("m>=4,<5", &["unknown-version breaks"])]
    #[case::barred("m==3.0", &["barred breaks"])]
    #[case::pinned_yanked("m==2.1", &["yanked risk"])]
    #[case::yanked("m>2.0,<3", &["yanked breaks"])]
    #[case::older_series("m>=1.2", &["unbounded risk"])]
    #[case::bare("m", &["unbounded note"])]
    #[case::newest_series("m>=3", &[])]
    fn a_line_is_held_against_the_page(#[case] text: &str, #[case] expected: &[&str]) {
        let page = parse_json(PAGE.as_bytes(), &Name::parse("m").unwrap()).unwrap();
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        let ask = Ask {
            requirement: Requirement::parse(text).unwrap(),
            origin: Origin::Argument,
        };
        let rules = Rules {
            target: &target,
            policy: &Policy::default(),
            adjustments: &[],
        };
        let told: Vec<String> = paged(&ask, &JudgedPage::new(Arc::new(page), &rules), &target)
            .iter()
            .map(|r| format!("{} {}", r.trouble.id(), r.trouble.severity().as_str()))
            .collect();
        assert_eq!(told, expected);
    }
}
