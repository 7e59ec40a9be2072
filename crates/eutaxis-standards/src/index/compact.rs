//! A page in a compact form for keeping, which is read in place: neither JSON nor HTML are taken apart
//! again, and of a file no more than its row until somebody asks for it.
//!
//! The form: a byte for the form, the length of the head, the head, a row of fixed width for each
//! file, and the rest of the files one after the other. It is ours alone and may change with any
//! version of the program: whoever keeps it drops what cannot be read.

use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::outline::{Outline, Row, Shape};
use super::{Algorithm, Described, FileKind, Files, Hashes, MOST_FILES, Page, PageFile, Skipped};
use crate::artifact::WheelTags;
use crate::name::Name;
use crate::version::{Version, VersionSpecifier};

/// Changes with the form, so that older bytes are not misread.
const FORM: u8 = 5;

/// What is told of the page as a whole, and what its files have in common.
#[derive(Serialize, Deserialize)]
struct Head<'a> {
    files: usize,
    #[serde(borrow)]
    releases: Vec<Cow<'a, str>>,
    shapes: Vec<KeptShape<'a>>,
    /// Each distinct `requires-python`, which shapes name by number.
    specifiers: Vec<Cow<'a, str>>,
    /// What the addresses of all files begin with.
    beginning: Cow<'a, str>,
    variants: Vec<KeptFile<'a>>,
    skipped: Vec<(Cow<'a, str>, Cow<'a, str>)>,
    status: Option<(Cow<'a, str>, Option<Cow<'a, str>>)>,
    remarks: Vec<Cow<'a, str>>,
    elsewhere: Vec<Cow<'a, str>>,
}

#[derive(Serialize, Deserialize)]
struct KeptShape<'a> {
    /// Of a wheel: its tags as file names write them.
    #[serde(borrow)]
    tags: Option<Cow<'a, str>>,
    requires_python: Option<usize>,
    is_variant: bool,
}

/// What is kept of a file beyond its row.
#[derive(Serialize, Deserialize)]
struct KeptFile<'a> {
    /// None where release and tags tell it.
    #[serde(borrow)]
    filename: Option<Cow<'a, str>>,
    /// Its address behind what all begin with; without the name of the file where it ends in it.
    url: KeptUrl<'a>,
    ends_in_name: bool,
    hashes: KeptHashes<'a>,
    metadata: Option<KeptHashes<'a>>,
    yanked: Option<Cow<'a, str>>,
    size: Option<u64>,
}

type KeptHashes<'a> = Vec<(Cow<'a, str>, KeptHash<'a>)>;

#[derive(Serialize, Deserialize)]
enum KeptHash<'a> {
    /// The bytes that hexadecimal digits write.
    Bytes(#[serde(borrow)] Cow<'a, [u8]>),
    /// What a page wrote that is none.
    Text(Cow<'a, str>),
}

/// The bytes that lower-case hexadecimal digits write.
fn bytes_of(text: &str) -> Option<Vec<u8>> {
    let pair = |pair: &[u8]| match pair {
        [high, low] => Some(digit(*high)? << 4 | digit(*low)?),
        _ => None,
    };
    text.as_bytes().chunks(2).map(pair).collect()
}

fn digit(byte: u8) -> Option<u8> {
    match byte {
        b'0'..=b'9' => Some(byte - b'0'),
        b'a'..=b'f' => Some(byte - b'a' + 10),
        _ => None,
    }
}

impl KeptHash<'_> {
    fn of(text: &str) -> KeptHash<'_> {
        let bytes = bytes_of(text);
        bytes.map_or(KeptHash::Text(text.into()), |b| KeptHash::Bytes(b.into()))
    }
}

/// A part of an address. Many hold a hash.
#[derive(Serialize, Deserialize)]
enum KeptUrl<'a> {
    Text(#[serde(borrow)] Cow<'a, str>),
    /// What stands before the digits of a hash, what they write, what stands behind.
    Hash(Cow<'a, str>, Cow<'a, [u8]>, Cow<'a, str>),
}

/// So many digits in a row are a hash.
const DIGITS: usize = 16;

impl KeptUrl<'_> {
    fn of(text: &str) -> KeptUrl<'_> {
        let plain = || KeptUrl::Text(text.into());
        let mut runs = text.split(|c: char| !c.is_ascii() || digit(c as u8).is_none());
        let Some(run) = runs.find(|run| run.len() >= DIGITS) else {
            return plain();
        };
        let even = run.get(..run.len() / 2 * 2).unwrap_or_default();
        match (text.split_once(even), bytes_of(even)) {
            (Some((before, after)), Some(bytes)) => {
                KeptUrl::Hash(before.into(), bytes.into(), after.into())
            }
            _ => plain(),
        }
    }

    fn text(&self) -> Cow<'_, str> {
        match self {
            KeptUrl::Text(text) => Cow::from(&**text),
            KeptUrl::Hash(before, bytes, after) => [before, &*crate::artifact::hex(bytes), after]
                .concat()
                .into(),
        }
    }
}

/// The name that most files of a release and with such tags have.
fn usual_name(project: &Name, version: &Version, tags: Option<&WheelTags>) -> String {
    let project = project.file_form();
    match tags {
        Some(tags) => format!("{project}-{version}-{tags}.whl"),
        None => format!("{project}-{version}.tar.gz"),
    }
}

fn kept_hashes(hashes: &Hashes) -> KeptHashes<'_> {
    let kept = |(algorithm, value): (Algorithm, _)| {
        let name = Cow::from(algorithm.as_str());
        (name, KeptHash::of(value))
    };
    hashes.iter().map(kept).collect()
}

fn hashes(kept: KeptHashes<'_>) -> Hashes {
    let mut hashes = Hashes::default();
    for (algorithm, value) in &kept {
        match value {
            KeptHash::Bytes(bytes) => hashes.add(algorithm, &crate::artifact::hex(bytes)),
            KeptHash::Text(text) => hashes.add(algorithm, text),
        }
    }
    hashes
}

fn kept_file<'a>(file: &'a PageFile, beginning: &str, usual: &str) -> KeptFile<'a> {
    let url = file.url.strip_prefix(beginning).unwrap_or(&file.url);
    let directory = url.strip_suffix(&*file.filename);
    KeptFile {
        filename: (*file.filename != *usual).then(|| Cow::from(&*file.filename)),
        url: KeptUrl::of(directory.unwrap_or(url)),
        ends_in_name: directory.is_some(),
        hashes: kept_hashes(&file.hashes),
        metadata: file.metadata.as_ref().map(kept_hashes),
        yanked: file.yanked.as_deref().map(Cow::from),
        size: file.size,
    }
}

/// What the addresses of all files begin with.
fn beginning<'a>(mut urls: impl Iterator<Item = &'a str>) -> &'a str {
    let first = urls.next().unwrap_or_default();
    let common = |length: usize, url: &str| {
        let both = first.bytes().zip(url.bytes()).take(length);
        both.take_while(|(a, b)| a == b).count()
    };
    let mut length = urls.fold(first.len(), common);
    while !first.is_char_boundary(length) {
        length -= 1;
    }
    first.get(..length).unwrap_or_default()
}

/// The width of a row.
const ROW: usize = 25;
/// The nanoseconds of a row without a date.
const UNDATED: i32 = i32::MIN;

fn write_row(row: &Row, at: usize, into: &mut Vec<u8>) {
    into.extend(row.release.to_le_bytes());
    into.extend(row.shape.to_le_bytes());
    let published = row
        .published
        .map(|t| (t.as_second(), t.subsec_nanosecond()));
    let (seconds, nanoseconds) = published.unwrap_or((0, UNDATED));
    into.extend(seconds.to_le_bytes());
    into.extend(nanoseconds.to_le_bytes());
    into.push(u8::from(row.is_yanked));
    into.extend(u32::try_from(at).unwrap_or(u32::MAX).to_le_bytes());
}

/// A row, and where the rest of its file begins; none where it says what cannot be.
fn read_row(bytes: &[u8; ROW]) -> Option<(Row, usize)> {
    let (release, rest) = bytes.split_first_chunk()?;
    let (shape, rest) = rest.split_first_chunk()?;
    let (seconds, rest) = rest.split_first_chunk()?;
    let (nanoseconds, rest) = rest.split_first_chunk()?;
    let ([is_yanked], at) = rest.split_first_chunk()?;
    let published = match i32::from_le_bytes(*nanoseconds) {
        UNDATED => None,
        nanoseconds => Some(Timestamp::new(i64::from_le_bytes(*seconds), nanoseconds).ok()?),
    };
    let row = Row {
        release: u32::from_le_bytes(*release),
        shape: u32::from_le_bytes(*shape),
        published,
        is_yanked: *is_yanked != 0,
    };
    let at = u32::from_le_bytes(*at.first_chunk()?);
    Some((row, at as usize))
}

/// The kept form of files, of which one is taken apart at a time.
#[derive(Debug)]
pub(super) struct KeptFiles {
    project: Name,
    bytes: Arc<Vec<u8>>,
    rows: Range<usize>,
    beginning: String,
}

impl KeptFiles {
    /// A file by its place on the page, of which this is the outline.
    pub(super) fn file(&self, at: usize, outline: &Outline) -> Option<PageFile> {
        let begin = self.rows.start.checked_add(at.checked_mul(ROW)?)?;
        let row = self.bytes.get(begin..self.rows.end)?.first_chunk()?;
        let (row, rest) = read_row(row)?;
        let rest = self.bytes.get(self.rows.end.checked_add(rest)?..)?;
        let (kept, _) = postcard::take_from_bytes::<KeptFile<'_>>(rest).ok()?;
        let shape = outline.shapes.get(row.shape as usize)?;
        let version = outline.versions.get(row.release as usize)?;
        let usual = || usual_name(&self.project, version, shape.tags.as_deref());
        let name = kept.filename.as_deref();
        let name = name.map_or_else(|| Cow::from(usual()), |n| Cow::from(n.to_owned()));
        let mut file = page_file(&name, kept, &self.beginning, &self.project)?;
        file.published = row.published;
        file.requires_python.clone_from(&shape.requires_python);
        Some(file)
    }
}

/// A file as it was; none where its name is none of a file of the project.
fn page_file(
    filename: &str,
    kept: KeptFile<'_>,
    beginning: &str,
    project: &Name,
) -> Option<PageFile> {
    let name = if kept.ends_in_name { filename } else { "" };
    let url = [beginning, &*kept.url.text(), name].concat();
    Some(PageFile {
        kind: FileKind::of(filename, project).ok()?,
        filename: filename.into(),
        url: url.into(),
        hashes: hashes(kept.hashes),
        requires_python: None,
        metadata: kept.metadata.map(hashes),
        yanked: kept.yanked.map(Cow::into_owned),
        size: kept.size,
        published: None,
    })
}

/// The distinct texts of some sets of versions, in the order in which they were met.
#[derive(Default)]
struct Specifiers<'a> {
    texts: Vec<Cow<'a, str>>,
}

impl Specifiers<'_> {
    fn number(&mut self, set: &VersionSpecifier) -> usize {
        let text = set.to_string();
        let known = self.texts.iter().position(|s| *s == text);
        known.unwrap_or_else(|| {
            self.texts.push(text.into());
            self.texts.len() - 1
        })
    }
}

fn borrowed(list: &[String]) -> Vec<Cow<'_, str>> {
    list.iter().map(|s| Cow::from(&**s)).collect()
}

impl Page {
    /// The page as bytes that [`Page::from_compact`] reads.
    pub fn to_compact(&self) -> Vec<u8> {
        let outline = self.files.outline();
        let mut specifiers = Specifiers::default();
        let shapes = outline.shapes().iter().map(|shape| KeptShape {
            tags: shape.tags.as_ref().map(|t| Cow::from(t.to_string())),
            requires_python: shape
                .requires_python
                .as_deref()
                .map(|s| specifiers.number(s)),
            is_variant: shape.is_variant,
        });
        let shapes = shapes.collect();
        let beginning = beginning(self.files.iter().map(|f| &*f.url));
        let described = self.variants.iter().map(|d| &d.file);
        let head = Head {
            files: self.files.len(),
            releases: outline
                .versions
                .iter()
                .map(|v| v.to_string().into())
                .collect(),
            shapes,
            specifiers: specifiers.texts,
            beginning: beginning.into(),
            variants: described.map(|f| kept_file(f, "", "")).collect(),
            skipped: self
                .skipped
                .iter()
                .map(|s| (Cow::from(&*s.filename), Cow::from(&*s.reason)))
                .collect(),
            status: self
                .status
                .as_ref()
                .map(|(s, r)| (Cow::from(&**s), r.as_deref().map(Cow::from))),
            remarks: borrowed(&self.remarks),
            elsewhere: borrowed(&self.elsewhere),
        };
        // Nothing in it can fail to be written to memory.
        let head = postcard::to_allocvec(&head).unwrap_or_default();
        let mut bytes = vec![FORM];
        bytes.extend(u32::try_from(head.len()).unwrap_or(u32::MAX).to_le_bytes());
        bytes.extend(head);
        let mut rest = Vec::new();
        for (row, file) in outline.rows.iter().zip(self.files.iter()) {
            write_row(row, rest.len(), &mut bytes);
            let version = outline.versions.get(row.release as usize);
            let shape = outline.shapes.get(row.shape as usize);
            let usual = version
                .zip(shape)
                .map_or(String::new(), |(version, shape)| {
                    usual_name(&self.project, version, shape.tags.as_deref())
                });
            let kept = kept_file(file, beginning, &usual);
            rest.extend(postcard::to_allocvec(&kept).unwrap_or_default());
        }
        bytes.extend(rest);
        bytes
    }

    /// Reads the compact form back, of which the page takes hold; none when the bytes are not whole
    /// or of another version of the form.
    pub fn from_compact(bytes: Arc<Vec<u8>>, project: &Name) -> Option<Self> {
        let (form, rest) = bytes.split_first()?;
        if *form != FORM {
            return None;
        }
        let (length, rest) = rest.split_first_chunk()?;
        let length = u32::from_le_bytes(*length) as usize;
        let head: Head<'_> = postcard::from_bytes(rest.get(..length)?).ok()?;
        if head.files > MOST_FILES {
            return None;
        }
        let begin = 1 + size_of::<u32>() + length;
        let rows = begin..begin + head.files * ROW;
        let specifiers: Vec<Arc<VersionSpecifier>> = head
            .specifiers
            .iter()
            .map(|text| VersionSpecifier::parse_lenient(text).ok().map(Arc::new))
            .collect::<Option<_>>()?;
        let shape = |kept: &KeptShape<'_>| {
            let tags = match &kept.tags {
                Some(text) => Some(Arc::new(WheelTags::parse(text)?)),
                None => None,
            };
            let requires_python = match kept.requires_python {
                Some(number) => Some(Arc::clone(specifiers.get(number)?)),
                None => None,
            };
            Some(Shape {
                tags,
                requires_python,
                is_variant: kept.is_variant,
            })
        };
        let shapes: Vec<Shape> = head.shapes.iter().map(shape).collect::<Option<_>>()?;
        let version = |text: &Cow<'_, str>| Version::parse(text).ok();
        let versions: Vec<Version> = head.releases.iter().map(version).collect::<Option<_>>()?;
        let is_in_order = versions.iter().is_sorted_by(|a, b| a > b);
        let mut rows_read: Vec<Row> = Vec::with_capacity(head.files);
        for row in bytes.get(rows.clone())?.chunks_exact(ROW) {
            rows_read.push(read_row(row.first_chunk()?)?.0);
        }
        let is_one = |row: &Row| {
            (row.release as usize) < versions.len() && (row.shape as usize) < shapes.len()
        };
        if !is_in_order || !rows_read.iter().all(is_one) {
            return None;
        }
        let described = |kept: KeptFile<'_>| {
            let filename = kept.filename.as_deref().unwrap_or_default().to_owned();
            page_file(&filename, kept, "", project)
        };
        let variants: Vec<PageFile> = head
            .variants
            .into_iter()
            .map(described)
            .collect::<Option<_>>()?;
        let skipped = |(filename, reason): (Cow<'_, str>, Cow<'_, str>)| Skipped {
            filename: filename.into_owned(),
            reason: reason.into_owned(),
        };
        let owned = |list: Vec<Cow<'_, str>>| list.into_iter().map(Cow::into_owned).collect();
        let mut page = Page::new(project.clone());
        page.variants = variants
            .into_iter()
            .map(|file| Described {
                file: Arc::new(file),
                read: None,
            })
            .collect();
        page.skipped = head.skipped.into_iter().map(skipped).collect();
        page.status = head
            .status
            .map(|(s, r)| (s.into_owned(), r.map(Cow::into_owned)));
        page.remarks = owned(head.remarks);
        page.elsewhere = owned(head.elsewhere);
        let kept = KeptFiles {
            project: project.clone(),
            rows,
            beginning: head.beginning.into_owned(),
            bytes: Arc::clone(&bytes),
        };
        page.files = Files::kept(Outline::new(rows_read, shapes, versions), kept);
        Some(page)
    }
}

#[cfg(test)]
mod tests {
    use super::super::parse_json;
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn page() -> Page {
        let text = r#"{"meta":{"api-version":"1.9","tracks":["https://a.example/m/"]},"project-status":{"status":"archived","reason":"done"},"files":[
            {"filename":"m-1.1-py3-none-any.whl","url":"u","hashes":{"sha256":"2c","md5":"3d"},"requires-python":">=3.9,<4","size":5,
             "upload-time":"2024-03-01T10:20:30.123456Z","core-metadata":{"sha256":"e3"},"yanked":"bad"},
            {"filename":"m-1.0.tar.gz","url":"v","hashes":{},"requires-python":">=3.6.*"},{"filename":"m-1.exe","url":"x"},
            {"filename":"m-1.1-variants.json","url":"w","hashes":{"sha256":"4e"}}]}"#;
        parse_json(text.as_bytes(), &Name::parse("m").unwrap()).unwrap()
    }

    #[test]
    fn a_page_comes_back_as_it_was() {
        let page = page();
        assert_eq!(
            Page::from_compact(page.to_compact().into(), &page.project).unwrap(),
            page
        );
    }

    #[test]
    fn files_are_told_of_before_they_are_taken_apart() {
        let page = page();
        let kept = Page::from_compact(page.to_compact().into(), &page.project).unwrap();
        let told = |page: &Page| -> Vec<_> {
            let outline = page.files.outline();
            let shape = |row: &Row| outline.shapes()[row.shape as usize].clone();
            outline
                .releases()
                .map(|r| {
                    (
                        r.version.to_string(),
                        r.first_published(),
                        r.rows()
                            .map(|(at, row)| (at, shape(row), row.published, row.is_yanked))
                            .collect::<Vec<_>>(),
                    )
                })
                .collect()
        };
        assert_eq!(told(&kept), told(&page));
        assert_eq!(
            kept.files
                .outline()
                .releases()
                .next()
                .unwrap()
                .version
                .to_string(),
            "1.1"
        );
    }

    #[rstest]
    #[case::in_digits("00ff", 2)]
    #[case::odd("0ff", 3)]
    #[case::other("xyz0", 4)]
    #[case::nothing("", 0)]
    fn hashes_in_digits_take_half_the_room(#[case] text: &str, #[case] length: usize) {
        let kept = match KeptHash::of(text) {
            KeptHash::Bytes(bytes) => bytes.len(),
            KeptHash::Text(text) => text.len(),
        };
        assert_eq!(kept, length);
    }

    #[rstest]
    #[case::hash("ab/cd/00112233445566778899/x", true)]
    #[case::odd_digits("ab/001122334455667788990/x", true)]
    #[case::at_the_end("0011223344556677889a", true)]
    #[case::capitals("AABBCCDDEEFF00112233G", false)]
    #[case::short("ab/cd/0011223344", false)]
    #[case::beyond_ascii("\u{fc}/0011223344556677889a\u{fc}", true)]
    #[case::nothing("", false)]
    fn addresses_come_back_as_they_were(#[case] text: &str, #[case] is_packed: bool) {
        let kept = KeptUrl::of(text);
        assert_eq!(kept.text(), text);
        assert_eq!(matches!(kept, KeptUrl::Hash(..)), is_packed);
    }

    #[test]
    fn names_that_are_told_take_no_room() {
        let names = |usual: bool| -> usize {
            let file = |n: usize| {
                let name = format!(
                    "{}-{n}.0-py3-none-any.whl",
                    if usual { "made_up" } else { "Made.Up" }
                );
                format!(r#"{{"filename":"{name}","url":"u/{name}"}}"#)
            };
            let files: Vec<String> = (0..50).map(file).collect();
            let text = format!(r#"{{"files":[{}]}}"#, files.join(","));
            let page = parse_json(text.as_bytes(), &Name::parse("made-up").unwrap()).unwrap();
            let bytes = page.to_compact();
            let length = bytes.len();
            assert_eq!(
                Page::from_compact(bytes.into(), &page.project).unwrap(),
                page
            );
            length
        };
        assert!(names(true) + 50 * 20 < names(false));
    }

    #[test]
    fn a_kept_page_can_be_changed_as_any_other() {
        let page = page();
        let mut kept = Page::from_compact(page.to_compact().into(), &page.project).unwrap();
        let before = kept.files.len();
        let added = Arc::clone(kept.file("m-1.1-py3-none-any.whl").unwrap());
        kept.files.change(|file| {
            Arc::make_mut(file).url = "elsewhere".into();
            !file.filename.ends_with(".whl")
        });
        assert!(kept.file("m-1.1-py3-none-any.whl").is_none());
        assert_eq!(&*kept.file("m-1.0.tar.gz").unwrap().url, "elsewhere");
        kept.files.push(added);
        assert_eq!(kept.files.len(), before);
        assert_eq!(kept.files.outline().len(), 2);
        assert!(kept.file("m-1.1-py3-none-any.whl").is_some());
    }

    fn read_all(bytes: Vec<u8>, project: &Name) {
        if let Some(page) = Page::from_compact(bytes.into(), project) {
            page.files.iter().for_each(drop);
            page.files
                .outline()
                .releases()
                .for_each(|r| r.rows().for_each(drop));
        }
    }

    proptest! {
        #[test]
        fn damaged_bytes_are_refused_or_read_but_never_panic(at in 0usize..400, byte in any::<u8>(), cut in 0usize..400) {
            let page = page();
            let mut bytes = page.to_compact();
            let at = at % bytes.len();
            bytes[at] = byte;
            read_all(bytes.clone(), &page.project);
            bytes.truncate(cut);
            read_all(bytes, &page.project);
        }
    }
}
