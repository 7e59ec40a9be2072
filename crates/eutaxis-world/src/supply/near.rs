//! Names near to one that no depot has: those that may be meant, and those that are nearly it and
//! too young, or too little, to be led to.

use eutaxis_core::Name;
use eutaxis_core::index::Page;
use jiff::Timestamp;
use rayon::prelude::*;

use super::Run;

/// Younger projects that are nearly what was typed are no offer: whoever waits for slips is young.
const YOUNG_DAYS: i64 = 365;

/// Names near to one.
#[derive(Debug, Clone, Default)]
pub struct Near {
    /// What may be meant, best first.
    pub offered: Vec<Name>,
    /// What should be looked at before it is taken.
    pub doubtful: Vec<Doubtful>,
}

/// A project that bears nearly a name, and is young or has one release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubtful {
    /// Its name.
    pub name: Name,
    /// So many releases.
    pub releases: usize,
    /// When the first appeared, where that is known.
    pub since: Option<Timestamp>,
}

impl Run {
    /// The names that one that no depot has may be a slip for; `known` are all names there are.
    /// What lies on this disk, or was served before, is trusted; of strangers on the network the
    /// pages are looked at.
    pub fn near_names(&self, known: &[Name], wanted: &Name, limit: usize) -> Near {
        let all = self.depots.nearest_of(known, wanted, limit);
        let is_met = |name: &Name| {
            let mut serving = self.depots.serving(name);
            serving.any(|l| l.depot.offers(name) == Some(true))
        };
        let (met, strangers): (Vec<Name>, Vec<Name>) = all.iter().cloned().partition(is_met);
        // Only a help for people: a page that cannot be had speaks against nobody.
        // It is looked at without being met by that.
        let page = |name: &Name| {
            let mut serving = self.depots.serving(name);
            serving.find_map(|l| l.depot.page(name).ok().flatten())
        };
        let now = self.depots.network().catalogue().now();
        let pages = strangers.par_iter().filter_map(page);
        let doubtful: Vec<Doubtful> = pages.filter_map(|page| doubt(&page, now)).collect();
        let is_doubtful = |name: &Name| doubtful.iter().any(|d| d.name == *name);
        let offered = all
            .into_iter()
            .filter(|name| met.contains(name) || !is_doubtful(name))
            .collect();
        Near { offered, doubtful }
    }
}

/// Whether a project is young, or has one release.
fn doubt(page: &Page, now: i64) -> Option<Doubtful> {
    let outline = page.files.outline();
    let dates = outline.releases().filter_map(|r| r.first_published());
    let since = dates.min();
    let is_young = since.is_some_and(|s| s.as_second() > now - YOUNG_DAYS * 86_400);
    (is_young || outline.len() < 2).then(|| Doubtful {
        name: page.project.clone(),
        releases: outline.len(),
        since,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::index::parse_json;
    use rstest::rstest;

    #[rstest]
    #[case::one_release(&[("1.0", "2020-01-01")], Some(1))]
    #[case::young(&[("1.0", "2026-03-01"), ("1.1", "2026-04-01")], Some(2))]
    #[case::old(&[("1.0", "2020-01-01"), ("1.1", "2026-04-01")], None)]
    #[case::two_files_of_one(&[("1.0", "2020-01-01"), ("1.0", "2020-01-02")], Some(1))]
    fn the_young_and_the_small_are_doubtful(
        #[case] releases: &[(&str, &str)],
        #[case] doubtful: Option<usize>,
    ) {
        let files: Vec<String> = (releases.iter().enumerate())
            .map(|(at, (version, day))| {
                format!(
                    r#"{{"filename": "firnio-{version}-{at}-py3-none-any.whl", "url": "x",
                        "hashes": {{}}, "upload-time": "{day}T00:00:00Z"}}"#
                )
            })
            .collect();
        let text = format!(
            r#"{{"meta": {{"api-version": "1.1"}}, "name": "firnio", "files": [{}]}}"#,
            files.join(",")
        );
        let page = parse_json(text.as_bytes(), &Name::parse("firnio").unwrap()).unwrap();
        let now = "2026-12-01T00:00:00Z"
            .parse::<Timestamp>()
            .unwrap()
            .as_second();
        assert_eq!(doubt(&page, now).map(|d| d.releases), doubtful);
    }
}
