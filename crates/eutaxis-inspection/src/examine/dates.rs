//! Dates of a placed release, by its project's page.

use jiff::Timestamp;

use eutaxis_standards::index::Page;
use eutaxis_standards::version::{Version, major_series};

/// When a release was first published, and when the first final release of its major series was;
/// none of the second where the numbers are calendar years.
pub fn dates_of(page: &Page, version: &Version) -> (Option<Timestamp>, Option<Timestamp>) {
    let first = |wanted: &dyn Fn(&Version) -> bool| {
        page.files
            .iter()
            .filter(|f| wanted(f.kind.version()))
            .filter_map(|f| f.published)
            .min()
    };
    let wanted = major_series(version);
    let of_series = |v: &Version| wanted.is_some() && major_series(v) == wanted;
    let began = first(&|v| of_series(v) && !v.is_prerelease()).or_else(|| first(&of_series));
    (first(&|v| v == version), began)
}
