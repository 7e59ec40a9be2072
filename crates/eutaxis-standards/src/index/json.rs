//! The JSON form of index pages (PEP 691, 700, 714, 792).

use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;

use serde::de::{Error as _, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};

use super::{Hashes, MOST_FILES, Page, RawFile, SpecifierCache};
use crate::fault::{Fault, FaultKind};
use crate::hashes::read_map;
use crate::name::Name;

/// No project names more places elsewhere than this.
const MOST_PLACES: usize = 100;

/// A list that is refused as soon as it turns out to be longer than it can mean to be, before it
/// fills the memory.
struct Limited<T, const MOST: usize>(Vec<T>);

impl<T, const MOST: usize> Default for Limited<T, MOST> {
    fn default() -> Self {
        Limited(Vec::new())
    }
}

impl<'de, T: Deserialize<'de>, const MOST: usize> Deserialize<'de> for Limited<T, MOST> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Items<T, const MOST: usize>(PhantomData<T>);
        impl<'de, T: Deserialize<'de>, const MOST: usize> Visitor<'de> for Items<T, MOST> {
            type Value = Limited<T, MOST>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, "a list of at most {MOST} entries")
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Self::Value, A::Error> {
                let mut items = Vec::new();
                while let Some(item) = list.next_element()? {
                    if items.len() == MOST {
                        return Err(A::Error::custom(format_args!(
                            "a list has more than {MOST} entries, more than any page can mean"
                        )));
                    }
                    items.push(item);
                }
                Ok(Limited(items))
            }
        }
        deserializer.deserialize_seq(Items(PhantomData))
    }
}

#[derive(Deserialize)]
struct JsonPage<'a> {
    #[serde(borrow, default)]
    meta: Meta<'a>,
    #[serde(borrow, default)]
    files: Limited<JsonFile<'a>, MOST_FILES>,
    #[serde(borrow, default, rename = "project-status")]
    status: Option<Status<'a>>,
    #[serde(default, rename = "alternate-locations")]
    alternates: Limited<String, MOST_PLACES>,
}

#[derive(Deserialize, Default)]
struct Meta<'a> {
    #[serde(borrow, default, rename = "api-version")]
    api_version: Option<Cow<'a, str>>,
    #[serde(default)]
    tracks: Limited<String, MOST_PLACES>,
}

#[derive(Deserialize)]
struct Status<'a> {
    #[serde(borrow)]
    status: Cow<'a, str>,
    #[serde(borrow, default)]
    reason: Option<Cow<'a, str>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
struct JsonFile<'a> {
    #[serde(borrow)]
    filename: Cow<'a, str>,
    #[serde(borrow)]
    url: Cow<'a, str>,
    #[serde(default)]
    hashes: Hashes,
    #[serde(borrow, default)]
    requires_python: Option<Cow<'a, str>>,
    #[serde(default, deserialize_with = "present")]
    core_metadata: Option<MetadataOffer>,
    #[serde(default, deserialize_with = "present")]
    dist_info_metadata: Option<MetadataOffer>,
    #[serde(borrow, default, deserialize_with = "yanked")]
    yanked: Option<Yanked<'a>>,
    #[serde(default)]
    size: Option<u64>,
    #[serde(borrow, default)]
    upload_time: Option<Cow<'a, str>>,
}

/// `core-metadata`: a truth value, or the hashes of the metadata.
enum MetadataOffer {
    Hashes(Hashes),
    Plain(bool),
    Other,
}

/// Reads values of several kinds without keeping what is of none of them.
struct Kinds<T>(PhantomData<T>);

impl<'de> Visitor<'de> for Kinds<MetadataOffer> {
    type Value = MetadataOffer;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a truth value or hashes")
    }

    fn visit_bool<E>(self, value: bool) -> Result<MetadataOffer, E> {
        Ok(MetadataOffer::Plain(value))
    }

    fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<MetadataOffer, A::Error> {
        read_map(map).map(MetadataOffer::Hashes)
    }

    fn visit_unit<E>(self) -> Result<MetadataOffer, E> {
        Ok(MetadataOffer::Other)
    }

    fn visit_str<E>(self, _: &str) -> Result<MetadataOffer, E> {
        Ok(MetadataOffer::Other)
    }

    fn visit_u64<E>(self, _: u64) -> Result<MetadataOffer, E> {
        Ok(MetadataOffer::Other)
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<MetadataOffer, A::Error> {
        while list.next_element::<IgnoredAny>()?.is_some() {}
        Ok(MetadataOffer::Other)
    }
}

/// The key was there, whatever its value: PEP 714 reads the old spelling only when the new one is
/// absent.
fn present<'de, D: Deserializer<'de>>(d: D) -> Result<Option<MetadataOffer>, D::Error> {
    d.deserialize_any(Kinds::<MetadataOffer>(PhantomData))
        .map(Some)
}

enum Yanked<'a> {
    Plain(bool),
    Reason(Cow<'a, str>),
}

impl<'de> Visitor<'de> for Kinds<Yanked<'de>> {
    type Value = Yanked<'de>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a truth value or a reason")
    }

    fn visit_bool<E>(self, value: bool) -> Result<Yanked<'de>, E> {
        Ok(Yanked::Plain(value))
    }

    fn visit_unit<E>(self) -> Result<Yanked<'de>, E> {
        Ok(Yanked::Plain(false))
    }

    fn visit_str<E>(self, value: &str) -> Result<Yanked<'de>, E> {
        Ok(Yanked::Reason(value.to_owned().into()))
    }

    fn visit_borrowed_str<E>(self, value: &'de str) -> Result<Yanked<'de>, E> {
        Ok(Yanked::Reason(value.into()))
    }
}

fn yanked<'de, D: Deserializer<'de>>(d: D) -> Result<Option<Yanked<'de>>, D::Error> {
    d.deserialize_any(Kinds::<Yanked<'de>>(PhantomData))
        .map(Some)
}

/// Reads a project's page.
///
/// # Errors
/// When the bytes are not such a page, or its API version has another major than 1.
pub fn parse_json(bytes: &[u8], project: &Name) -> Result<Page, Fault> {
    let json: JsonPage<'_> = serde_json::from_slice(bytes)
        .map_err(|e| Fault::new(format!("not an index page in JSON: {e}"), 0))?;
    let mut page = Page::new(project.clone());
    check_version(json.meta.api_version.as_deref(), &mut page.remarks)?;
    page.status = json
        .status
        .filter(|s| s.status != "active")
        .map(|s| (s.status.into_owned(), s.reason.map(Cow::into_owned)));
    page.elsewhere = json
        .meta
        .tracks
        .0
        .into_iter()
        .chain(json.alternates.0)
        .collect();
    let mut specifiers = SpecifierCache::default();
    page.files.reserve(json.files.0.len());
    for file in json.files.0 {
        let metadata = match file.core_metadata.or(file.dist_info_metadata) {
            Some(MetadataOffer::Hashes(hashes)) => Some(hashes),
            Some(MetadataOffer::Plain(true)) => Some(Hashes::default()),
            _ => None,
        };
        let yanked = match file.yanked {
            Some(Yanked::Plain(true)) => Some(String::new()),
            Some(Yanked::Reason(reason)) if !reason.is_empty() => Some(reason.into_owned()),
            _ => None,
        };
        let raw = RawFile {
            filename: &file.filename,
            url: &file.url,
            hashes: file.hashes,
            requires_python: file.requires_python.as_deref(),
            metadata,
            yanked,
            size: file.size,
            published: file.upload_time.as_deref(),
        };
        page.add(raw, &mut specifiers);
    }
    Ok(page)
}

/// Refuses another major of the API; a newer minor is a remark.
pub(super) fn check_version(version: Option<&str>, remarks: &mut Vec<String>) -> Result<(), Fault> {
    let Some(version) = version else {
        return Ok(());
    };
    let (major, minor) = version.split_once('.').unwrap_or((version, "0"));
    if major != "1" {
        return Err(Fault::of(
            FaultKind::Newer,
            format!(
                "the index speaks version {version} of the repository API; this program reads 1.x"
            ),
            0,
        ));
    }
    if minor.parse::<u32>().is_ok_and(|m| m > 4) {
        remarks.push(format!(
            "the index speaks version {version} of the repository API; this program knows 1.4"
        ));
    }
    Ok(())
}

#[derive(Deserialize)]
struct JsonList<'a> {
    #[serde(borrow)]
    projects: Vec<JsonProject<'a>>,
}

#[derive(Deserialize)]
struct JsonProject<'a> {
    #[serde(borrow)]
    name: Cow<'a, str>,
}

/// Reads the list of projects of an index; names that are none are left out.
///
/// # Errors
/// When the bytes are not such a list.
pub fn parse_json_list(bytes: &[u8]) -> Result<Vec<Name>, Fault> {
    let list: JsonList<'_> = serde_json::from_slice(bytes)
        .map_err(|e| Fault::new(format!("not a list of projects in JSON: {e}"), 0))?;
    Ok(list
        .projects
        .iter()
        .filter_map(|p| Name::parse(&p.name).ok())
        .collect())
}

/// The first names of a list of projects of which only the beginning is there; none where the bytes
/// are no such list.
pub fn parse_json_list_start(bytes: &[u8]) -> Vec<Name> {
    if let Ok(names) = parse_json_list(bytes) {
        return names;
    }
    let end = bytes.windows(2).rposition(|two| two == b"},");
    let whole = end.and_then(|at| bytes.get(..at));
    let closed = whole.map(|w| [w, b"}]}"].concat());
    closed
        .and_then(|bytes| parse_json_list(&bytes).ok())
        .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::super::FileKind;
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn page(files: &str) -> Page {
        let text = format!(
            r#"{{"meta":{{"api-version":"1.1"}},"name":"made-up","unknown":[1],"files":[{files}]}}"#
        );
        parse_json(text.as_bytes(), &Name::parse("made-up").unwrap()).unwrap()
    }

    #[test]
    fn every_key_of_a_file_is_read() {
        let page = page(
            r#"{"filename":"made_up-1.1-py3-none-any.whl","url":"../../f/made_up-1.1-py3-none-any.whl","hashes":{"sha256":"2cf2"},
                "requires-python":">=3.9","size":5,"upload-time":"2024-03-01T10:20:30.123456Z","core-metadata":{"sha256":"e3b0"},
                "yanked":"broken \"x\"","gpg-sig":false,"provenance":null},
               {"filename":"made_up-1.0.tar.gz","url":"made_up-1.0.tar.gz","requires-python":null,"yanked":true}"#,
        );
        let files: Vec<_> = page.files.iter().collect();
        let [wheel, sdist] = files.as_slice() else {
            panic!("{page:?}")
        };
        assert_eq!(wheel.requires_python.as_ref().unwrap().to_string(), ">=3.9");
        assert_eq!(
            (wheel.size, wheel.yanked.as_deref()),
            (Some(5), Some("broken \"x\""))
        );
        assert_eq!(
            wheel.published.unwrap().to_string(),
            "2024-03-01T10:20:30.123456Z"
        );
        assert_eq!(wheel.metadata.as_ref().unwrap().sha256(), Some("e3b0"));
        assert!(matches!(&sdist.kind, FileKind::Sdist(name) if name.version.to_string() == "1.0"));
        assert_eq!(
            (sdist.yanked.as_deref(), &sdist.metadata),
            (Some(""), &None)
        );
    }

    #[rstest]
    #[case(r#""core-metadata":true"#, true)]
    #[case(r#""core-metadata":false,"dist-info-metadata":true"#, false)]
    #[case(r#""dist-info-metadata":{"sha256":"ab"}"#, true)]
    #[case(r#""yanked":false"#, false)]
    fn the_old_metadata_key_counts_only_alone(#[case] keys: &str, #[case] offered: bool) {
        let page = page(&format!(
            r#"{{"filename":"made_up-1-py3-none-any.whl","url":"x",{keys}}}"#
        ));
        assert_eq!(page.files.first().unwrap().metadata.is_some(), offered);
        assert_eq!(page.files.first().unwrap().yanked, None);
    }

    #[test]
    fn what_is_left_out_is_named() {
        let page = page(
            r#"{"filename":"made_up-1.exe","url":"x"},{"filename":"made_up-x-py3-none-any.whl","url":"x"},
               {"filename":"other-1-py3-none-any.whl","url":"x"},
               {"filename":"made_up-1-py3-none-any.whl","url":"x","requires-python":"three","upload-time":"soon"}"#,
        );
        assert_eq!(
            (page.files.len(), page.skipped.len(), page.remarks.len()),
            (1, 3, 2)
        );
    }

    #[test]
    fn a_page_without_end_is_refused() {
        let name = Name::parse("m").unwrap();
        let page = |files: usize| {
            let files = vec![r#"{"filename":"x","url":""}"#; files].join(",");
            parse_json(format!("{{\"files\":[{files}]}}").as_bytes(), &name)
        };
        assert_eq!(page(MOST_FILES).unwrap().skipped.len(), MOST_FILES);
        assert!(
            page(MOST_FILES + 1)
                .unwrap_err()
                .message()
                .contains("more than any page can mean")
        );
    }

    #[rstest]
    #[case(r#""yanked":[1]"#)]
    #[case(r#""hashes":{"sha256":1}"#)]
    fn values_of_another_kind_are_refused(#[case] keys: &str) {
        let text =
            format!(r#"{{"files":[{{"filename":"m-1-py3-none-any.whl","url":"x",{keys}}}]}}"#);
        assert!(parse_json(text.as_bytes(), &Name::parse("m").unwrap()).is_err());
    }

    #[test]
    fn another_major_of_the_api_is_refused() {
        let name = Name::parse("a").unwrap();
        assert!(parse_json(br#"{"meta":{"api-version":"2.0"},"files":[]}"#, &name).is_err());
        assert_eq!(
            parse_json(br#"{"meta":{"api-version":"1.9"},"files":[]}"#, &name)
                .unwrap()
                .remarks
                .len(),
            1
        );
        assert!(parse_json(b"<html>", &name).is_err());
    }

    #[test]
    fn other_places_of_the_project_are_read() {
        let text = r#"{"meta":{"api-version":"1.2","tracks":["https://a.example/simple/m/"]},"files":[],
            "alternate-locations":["https://b.example/simple/m/"]}"#;
        let page = parse_json(text.as_bytes(), &Name::parse("m").unwrap()).unwrap();
        assert_eq!(
            page.elsewhere,
            ["https://a.example/simple/m/", "https://b.example/simple/m/"]
        );
    }

    #[test]
    fn the_list_of_projects_is_read() {
        let names = parse_json_list(br#"{"meta":{},"projects":[{"name":"Made.Up"},{"name":"-"}]}"#)
            .unwrap();
        assert_eq!(names, [Name::parse("made-up").unwrap()]);
    }

    #[rstest]
    #[case::cut_in_a_name(r#"{"meta":{},"projects":[{"name":"a"},{"name":"b"},{"na"#, &["a", "b"])]
    #[case::cut_behind_a_comma(r#"{"projects":[{"name":"a"},"#, &["a"])]
    #[case::whole(r#"{"projects":[{"name":"a"}]}"#, &["a"])]
    #[case::nothing_yet(r#"{"projects":[{"na"#, &[])]
    #[case::another_thing(r#"[{"a":1},{"b":2"#, &[])]
    fn the_beginning_of_a_list_tells_its_first_names(#[case] text: &str, #[case] names: &[&str]) {
        let found = parse_json_list_start(text.as_bytes());
        assert_eq!(found.iter().map(Name::as_str).collect::<Vec<_>>(), names);
    }

    proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
            let _ = parse_json(&bytes, &Name::parse("a").unwrap());
        }
    }
}
