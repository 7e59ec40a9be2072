//! What the page of a project shows of a line: versions that do not exist, yanked or barred ones,
//! bounds that are missing.

use super::{Remark, Severity};
use crate::offer::{JudgedPage, Offer, Verdict, is_final};
use eutaxis_standards::requirement::Ask;
use eutaxis_standards::version::{
    FIRST_YEAR, Operator, Version, VersionSpecifier, leaves_later_series_open,
};

/// Remarks on an ask that counts on the target, against the page of its project as that target sees
/// it.
pub fn paged(ask: &Ask, judged: &JudgedPage) -> Vec<Remark> {
    let Some(set) = ask.requirement.versions() else {
        return Vec::new();
    };
    let name = &ask.requirement.name;
    let all = judged.offers();
    let matching: Vec<&Offer> = all.iter().filter(|o| set.matches(&o.version)).collect();
    let remark = |id: &'static str, severity: Severity, text: String, remedy: String| {
        vec![Remark::new(id, severity, &ask.origin, text, remedy).about(name)]
    };
    if matching.is_empty() {
        let near = nearest(set, all);
        let text = match set.clauses() {
            [only] if only.pins_exactly() => {
                format!(
                    "there is no {name} {}",
                    only.version().map_or(String::new(), ToString::to_string)
                )
            }
            _ => format!("no release of {name} is {set}"),
        };
        return remark(
            "unknown-version",
            Severity::Breaks,
            text,
            format!("the nearest are {}", near.join(", ")),
        );
    }
    if matching.iter().all(|o| o.verdict == Verdict::Barred) {
        let newest = matching.first();
        let why = newest
            .and_then(|o| o.bars.first())
            .map_or(String::new(), |b| format!(": {b}"));
        let version = newest.map_or(String::new(), |o| o.version.to_string());
        let ready = all.iter().find(|o| o.verdict != Verdict::Barred);
        let remedy = match ready {
            Some(offer) => format!(
                "{} can be had here, or use another interpreter or platform",
                offer.version
            ),
            None => {
                "no release of it can be had here: use another interpreter or platform".to_owned()
            }
        };
        return remark(
            "barred",
            Severity::Breaks,
            format!("{name} {version} cannot be had on this target{why}"),
            remedy,
        );
    }
    let usable = || matching.iter().filter(|o| o.verdict != Verdict::Barred);
    if usable().all(|o| o.yanked.is_some())
        && let Some(offer) = usable().next()
    {
        let reason = offer.yanked.clone().unwrap_or_default();
        let why = if reason.is_empty() {
            String::new()
        } else {
            format!(": \"{}\"", eutaxis_standards::fault::escaped(&reason))
        };
        let pinned = set.pins(&offer.version);
        let severity = if pinned {
            Severity::Risk
        } else {
            Severity::Breaks
        };
        let other = all
            .iter()
            .find(|o| o.verdict != Verdict::Barred && is_final(o));
        let remedy = other.map_or("nothing else can be had".to_owned(), |o| {
            format!("the newest that is not is {}", o.version)
        });
        return remark(
            "yanked",
            severity,
            format!("{name} {} is yanked{why}", offer.version),
            remedy,
        );
    }
    missing_bound(ask, set, all).into_iter().collect()
}

/// Nothing bounds a project above whose next major series is out.
fn missing_bound(ask: &Ask, set: &VersionSpecifier, all: &[Offer]) -> Option<Remark> {
    let name = &ask.requirement.name;
    if !leaves_later_series_open(Some(set)) {
        return None;
    }
    let finals = || all.iter().filter(|o| is_final(o));
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
    let text = match stated {
        Some(series) => {
            format!(
                "{set} was written for series {series}, and series {newest} is out: nothing keeps \
                    it away"
            )
        }
        None => format!(
            "nothing bounds {name}: its series go from {oldest} to {newest}, and the newest is \
                taken"
        ),
    };
    let severity = if stated.is_some() {
        Severity::Risk
    } else {
        Severity::Note
    };
    let bound = match stated {
        Some(series) => format!(
            "{}{set},<{}",
            ask.requirement.subject(),
            series.saturating_add(1)
        ),
        None => format!("{}<{}", ask.requirement.subject(), newest.saturating_add(1)),
    };
    let remedy = format!("if that is not meant, write  {bound}");
    Some(Remark::new("unbounded", severity, &ask.origin, text, remedy).about(name))
}

/// The releases next to a version, two on either side as far as there are; without one the newest.
pub fn around(version: Option<&Version>, mut known: Vec<Version>) -> Vec<Version> {
    known.sort();
    known.dedup();
    let place = version.map_or(known.len(), |version| {
        known.partition_point(|v| v < version)
    });
    known
        .into_iter()
        .skip(place.saturating_sub(2))
        .take(4)
        .collect()
}

/// Releases around what a set names.
fn nearest(set: &VersionSpecifier, all: &[Offer]) -> Vec<String> {
    let known = all.iter().map(|o| o.version.clone()).collect();
    let named = set.clauses().iter().filter_map(|c| c.version()).max();
    around(named, known)
        .iter()
        .map(ToString::to_string)
        .collect()
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
    #[case::fine("m>=2,<3", &[])]
    #[case::not_there("m==1.1", &["unknown-version breaks | there is no m 1.1 | the nearest are \
        1.0, 1.2, 2.0, 2.1"])]
    #[case::none_matches("m>=4,<5", &["unknown-version breaks | no release of m is >=4,<5 | the \
        nearest are 3.0, 3.1rc1"])]
    #[case::barred("m==3.0", &["barred breaks | m 3.0 cannot be had on this target: wheels for \
        cp39; this target is cp312 | 3.1rc1 can be had here, or use another interpreter or \
        platform"])]
    #[case::pinned_yanked("m==2.1", &["yanked risk | m 2.1 is yanked: \"bad\" | the newest that is \
        not is 2.0"])]
    #[case::yanked("m>2.0,<3", &["yanked breaks | m 2.1 is yanked: \"bad\" | the newest that is \
        not is 2.0"])]
    #[case::older_series("m>=1.2", &["unbounded risk | >=1.2 was written for series 1, and series \
        3 is out: nothing keeps it away | if that is not meant, write  m>=1.2,<2"])]
    #[case::bare("m", &["unbounded note | nothing bounds m: its series go from 1 to 3, and the \
        newest is taken | if that is not meant, write  m<4"])]
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
        let told: Vec<String> = paged(&ask, &JudgedPage::new(Arc::new(page), &rules))
            .iter()
            .map(|r| {
                format!(
                    "{} {} | {} | {}",
                    r.id,
                    r.severity.as_str(),
                    r.text,
                    r.remedy
                )
            })
            .collect();
        assert_eq!(told, expected);
    }
}
