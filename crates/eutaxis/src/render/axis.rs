//! The releases of a contested project as an axis: neighbours that no fact tells apart are one
//! stretch of it when there is no room for each.

use eutaxis_core::Version;
use eutaxis_core::solve::Contested;

/// A stretch of the axis: a release, or several that follow each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Stretch {
    /// Its first release.
    pub(crate) first: String,
    /// Its last, where it is another one.
    pub(crate) last: Option<String>,
    /// For each row whether the fact allows it.
    pub(crate) allowed: Vec<bool>,
}

impl Stretch {
    /// `1.9.4`, or `1.7.2 to 1.9.4`.
    pub(crate) fn label(&self) -> String {
        match &self.last {
            None => self.first.clone(),
            Some(last) => format!("{} to {last}", self.first),
        }
    }
}

/// A stretch for every release, oldest first.
pub(crate) fn each(contested: &Contested) -> Vec<Stretch> {
    let allowed = |v: &Version| {
        contested
            .rows
            .iter()
            .map(|(_, allows)| allows.contains(v))
            .collect()
    };
    contested
        .releases
        .iter()
        .map(|v| Stretch {
            first: v.to_string(),
            last: None,
            allowed: allowed(v),
        })
        .collect()
}

/// Neighbours with the same marks put together.
pub(crate) fn folded(contested: &Contested) -> Vec<Stretch> {
    let stretches: Vec<(&Version, Stretch)> =
        contested.releases.iter().zip(each(contested)).collect();
    // Builds of one release that differ in their local label are one release to people.
    let whole = |v: &Version, run: &[(&Version, Stretch)]| {
        let builds = |list: &mut dyn Iterator<Item = &Version>| {
            list.filter(|o| o.public() == v.public()).count()
        };
        builds(&mut contested.releases.iter()) == builds(&mut run.iter().map(|(v, _)| *v))
    };
    stretches
        .chunk_by(|(_, a), (_, b)| a.allowed == b.allowed)
        .filter_map(|run| {
            let ((first, stretch), (last, _)) = (run.first()?, run.last()?);
            let name = |v: &Version| {
                if whole(v, run) {
                    v.public().to_string()
                } else {
                    v.to_string()
                }
            };
            let (first, last) = (name(first), name(last));
            let last = Some(last).filter(|last| *last != first);
            Some(Stretch {
                first,
                last,
                allowed: stretch.allowed.clone(),
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::Name;

    #[test]
    fn neighbours_without_a_difference_are_one() {
        let versions = |list: &[&str]| {
            list.iter()
                .map(|v| Version::parse(v).unwrap())
                .collect::<Vec<_>>()
        };
        let contested = Contested {
            project: Name::parse("m").unwrap(),
            releases: versions(&["1", "2", "3", "4"]),
            rows: vec![(0, versions(&["3", "4"])), (1, versions(&["1", "2", "3"]))],
        };
        let labels: Vec<String> = folded(&contested).iter().map(Stretch::label).collect();
        assert_eq!(
            (each(&contested).len(), labels),
            (4, vec!["1 to 2".to_owned(), "3".to_owned(), "4".to_owned()])
        );
    }
}
