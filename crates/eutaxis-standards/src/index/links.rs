//! A page of links: one HTML page that lists files of many projects, as communities publish for
//! small boards or accelerators, and as web servers make of a folder.

use std::collections::BTreeMap;

use super::{Page, RawFile, SpecifierCache, html};
use crate::artifact::{SdistName, VariantsName, WheelName};
use crate::fault::Fault;
use crate::name::Name;

/// Reads a page of links: the page of each project whose files it lists. Links that are no wheel or
/// source distribution are left out; there is no project to count them with.
///
/// # Errors
/// When it lists more files than any page can mean.
pub fn parse_links(bytes: &[u8]) -> Result<BTreeMap<Name, Page>, Fault> {
    let mut pages: BTreeMap<Name, (Page, SpecifierCache)> = BTreeMap::new();
    html::each_file(bytes, &mut |raw| {
        let Some(project) = project_of(&raw) else {
            return;
        };
        let (page, specifiers) = pages
            .entry(project.clone())
            .or_insert_with(|| (Page::new(project), SpecifierCache::default()));
        page.add(raw, specifiers);
    })?;
    Ok(pages
        .into_iter()
        .map(|(name, (page, _))| (name, page))
        .collect())
}

/// Whether the beginning of an HTML page lists files, so that it is a page of links and not a list
/// of projects.
pub fn holds_files(bytes: &[u8]) -> bool {
    let mut found = false;
    let read = html::each_file(bytes, &mut |raw| found |= project_of(&raw).is_some());
    found && read.is_ok()
}

fn project_of(raw: &RawFile<'_>) -> Option<Name> {
    let lower = raw.filename.to_ascii_lowercase();
    if lower.ends_with(".whl") {
        return WheelName::parse(raw.filename).ok().map(|w| w.name);
    }
    if let Some(described) = VariantsName::parse(raw.filename) {
        return Some(described.name);
    }
    let source = lower.ends_with(".tar.gz") || lower.ends_with(".zip");
    source
        .then(|| SdistName::parse(raw.filename, None).ok().map(|s| s.name))
        .flatten()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_sorted_to_their_projects() {
        let pages = parse_links(
            b"<a href='../'>Parent</a><a \
                href='w/radargram-2.0-py3-none-any.whl#sha256=ab'>radargram 2.0 (new!)</a>
              <a href='w/radargram-1.0.tar.gz'>x</a><a \
              href=\"moulin-5.0-cp39-cp39-linux_armv7l.whl\">moulin-5.0-cp39-cp39-linux..&gt;</a>",
        )
        .unwrap();
        let told: Vec<_> = pages
            .iter()
            .map(|(n, p)| (n.as_str(), p.files.len()))
            .collect();
        assert_eq!(told, [("moulin", 1), ("radargram", 2)]);
        let radargram = &pages[&Name::parse("radargram").unwrap()];
        assert_eq!(
            (
                &*radargram.files.first().unwrap().url,
                radargram.files.first().unwrap().hashes.sha256().unwrap()
            ),
            ("w/radargram-2.0-py3-none-any.whl", "ab")
        );
    }

    #[test]
    fn a_list_of_projects_is_no_page_of_links() {
        assert!(!holds_files(b"<a href='/radargram/'>radargram</a>"));
        assert!(holds_files(
            b"<a href='radargram-2.0-py3-none-any.whl'>x</a>"
        ));
    }
}
