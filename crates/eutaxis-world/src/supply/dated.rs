//! Dates of releases whose depot gives none: those of the same releases in another depot, else, of
//! files on this disk, what their archives say of themselves. They are hints: dates of policies go by
//! what a depot says of its own files.

use std::path::Path;

use eutaxis_core::index::{Page, PageFile};
use jiff::Timestamp;

use crate::depot::{Depot, Depots, Place};

/// Of so many files on this disk the archives are looked into, those of the newest releases first.
const MOST: usize = 40;
/// An archive that says to be older was not packed then: the form begins with 1980, and tools that
/// make the same bytes twice write such a day.
const EARLIEST: &str = "2001-01-01T00:00:00Z";
/// The day that is written most for that since.
const COMMON: (i16, i8, i8) = (2020, 2, 2);

/// The page with what is known elsewhere of the dates of its releases.
pub(super) fn completed(mut page: Page, depot: &dyn Depot, depots: &Depots) -> Page {
    let outline = page.files.outline();
    let is_dated = outline.releases().any(|r| r.first_published().is_some());
    if is_dated || page.files.is_empty() {
        return page;
    }
    let project = page.project.clone();
    for other in others(depot, depots) {
        // That another depot cannot be read now is no matter of this page.
        let Ok(Some(theirs)) = other.page(&project) else {
            continue;
        };
        for file in page.files.iter() {
            let public = file.kind.version().public();
            let dates = |same: &dyn Fn(&PageFile) -> bool| {
                let all = theirs.files.iter().filter(|f| same(f));
                all.filter_map(|f| f.published).min()
            };
            let own = dates(&|f| f.filename == file.filename);
            let release = || dates(&|f| f.kind.version().public() == public);
            if let Some(date) = own.or_else(release) {
                let known = page.dates_elsewhere.entry(public).or_insert(date);
                *known = date.min(*known);
            }
        }
    }
    by_archives(&mut page, depot);
    page
}

/// The other depots that are asked for a project: those on this disk, and those on the network where
/// the user permits that, since they learn the name by it.
fn others<'a>(depot: &dyn Depot, depots: &'a Depots) -> impl Iterator<Item = &'a dyn Depot> {
    let origin = depot.origin();
    let mut mine = depots.all().filter(|l| l.depot.origin() == origin);
    let may = mine.any(|l| l.asks_dates);
    let all = depots.all().map(|l| &*l.depot);
    all.filter(move |other| (may || !other.is_remote()) && other.origin() != origin)
}

fn by_archives(page: &mut Page, depot: &dyn Depot) {
    let mut open: Vec<&std::sync::Arc<PageFile>> = page.files.iter().collect();
    open.retain(|f| {
        !page
            .dates_elsewhere
            .contains_key(&f.kind.version().public())
    });
    open.sort_by(|a, b| b.kind.version().cmp(a.kind.version()));
    let mut found = Vec::new();
    for file in open.into_iter().take(MOST) {
        if let Ok(Place::Disk(path)) = depot.place(&page.project, file)
            && let Some(date) = packed_at(&path)
        {
            found.push((file.kind.version().public(), date));
        }
    }
    for (version, date) in found {
        let known = page.dates_elsewhere.entry(version).or_insert(date);
        *known = date.min(*known);
    }
}

/// When an archive was packed, by the newest of its members.
fn packed_at(path: &Path) -> Option<Timestamp> {
    let is_zip = path
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("whl") || e.eq_ignore_ascii_case("zip"));
    let file = std::fs::File::open(path).ok().filter(|_| is_zip)?;
    let mut archive = zip::ZipArchive::new(std::io::BufReader::new(file)).ok()?;
    let mut newest = None;
    for at in 0..archive.len() {
        let member = archive.by_index_raw(at).ok()?;
        newest = newest.max(member.last_modified().and_then(moment));
    }
    let earliest: Timestamp = EARLIEST.parse().ok()?;
    newest.filter(|date| *date > earliest)
}

/// Archives write the time of the place where they were packed; half a day does not matter here.
fn moment(at: zip::DateTime) -> Option<Timestamp> {
    let number = |n: u8| i8::try_from(n).ok();
    let year = i16::try_from(at.year()).ok()?;
    let (month, day) = (number(at.month())?, number(at.day())?);
    if (year, month, day) == COMMON {
        return None;
    }
    let date = jiff::civil::Date::new(year, month, day).ok()?;
    let utc = date
        .at(12, 0, 0, 0)
        .to_zoned(jiff::tz::TimeZone::UTC)
        .ok()?;
    Some(utc.timestamp())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::io::Write;

    #[rstest]
    #[case::by_the_newest(&[(2023, 4, 1), (2023, 5, 2)], Some("2023-05-02T12:00:00Z"))]
    #[case::the_first_day_of_the_form(&[(1980, 1, 1)], None)]
    #[case::the_day_of_those_who_make_the_same_twice(&[(2020, 2, 2)], None)]
    #[case::with_that_day(&[(2020, 2, 2), (2021, 3, 4)], Some("2021-03-04T12:00:00Z"))]
    #[case::nothing_in_it(&[], None)]
    fn archives_tell_when_they_were_packed(
        #[case] days: &[(u16, u8, u8)],
        #[case] expected: Option<&str>,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("m-1-py3-none-any.whl");
        let mut archive = zip::ZipWriter::new(std::fs::File::create(&path).unwrap());
        for (at, (year, month, day)) in days.iter().enumerate() {
            let date = zip::DateTime::from_date_and_time(*year, *month, *day, 1, 2, 4).unwrap();
            let options = zip::write::SimpleFileOptions::default().last_modified_time(date);
            archive.start_file(format!("m/{at}.py"), options).unwrap();
            archive.write_all(b"x = 1\n").unwrap();
        }
        archive.finish().unwrap();
        let told = packed_at(&path).map(|t| t.to_string());
        assert_eq!(told.as_deref(), expected);
    }

    #[test]
    fn what_is_no_archive_tells_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("m-1-py3-none-any.whl");
        std::fs::write(&path, "no archive").unwrap();
        assert_eq!(packed_at(&path), None);
        assert_eq!(packed_at(&folder.path().join("absent.whl")), None);
    }
}
