//! A page in a compact form for keeping, which is read back without taking JSON or HTML apart
//! again.
//!
//! The form is ours alone and may change with any version of the program: whoever keeps it drops
//! what cannot be read.

use std::borrow::Cow;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Described, FileKind, Hashes, Page, PageFile, Skipped};
use crate::name::Name;
use crate::version::VersionSpecifier;

/// Changes with the form, so that older bytes are not misread.
const FORM: u8 = 3;

#[derive(Serialize, Deserialize)]
struct Kept<'a> {
    form: u8,
    #[serde(borrow)]
    files: Vec<KeptFile<'a>>,
    variants: Vec<KeptFile<'a>>,
    skipped: Vec<(Cow<'a, str>, Cow<'a, str>)>,
    status: Option<(Cow<'a, str>, Option<Cow<'a, str>>)>,
    remarks: Vec<Cow<'a, str>>,
    elsewhere: Vec<Cow<'a, str>>,
    /// Each distinct `requires-python`, which files name by number.
    specifiers: Vec<Cow<'a, str>>,
}

type KeptHashes<'a> = Vec<(Cow<'a, str>, Cow<'a, str>)>;

#[derive(Serialize, Deserialize)]
struct KeptFile<'a> {
    #[serde(borrow)]
    filename: Cow<'a, str>,
    url: Cow<'a, str>,
    hashes: KeptHashes<'a>,
    requires_python: Option<u32>,
    metadata: Option<KeptHashes<'a>>,
    yanked: Option<Cow<'a, str>>,
    size: Option<u64>,
    /// Seconds and nanoseconds.
    published: Option<(i64, i32)>,
}

fn kept_hashes(hashes: &Hashes) -> KeptHashes<'_> {
    hashes
        .iter()
        .map(|(a, h)| (Cow::from(a.as_str()), Cow::from(h)))
        .collect()
}

fn hashes(kept: KeptHashes<'_>) -> Hashes {
    kept.into_iter().collect()
}

impl Page {
    /// The page as bytes that [`Page::from_compact`] reads.
    pub fn to_compact(&self) -> Vec<u8> {
        let mut specifiers: Vec<String> = Vec::new();
        let mut number = |set: &VersionSpecifier| {
            let text = set.to_string();
            let known = specifiers.iter().position(|s| *s == text);
            let at = known.unwrap_or_else(|| {
                specifiers.push(text);
                specifiers.len() - 1
            });
            u32::try_from(at).unwrap_or(u32::MAX)
        };
        fn kept<'a>(
            file: &'a PageFile,
            number: &mut dyn FnMut(&VersionSpecifier) -> u32,
        ) -> KeptFile<'a> {
            KeptFile {
                filename: Cow::from(&*file.filename),
                url: Cow::from(&*file.url),
                hashes: kept_hashes(&file.hashes),
                requires_python: file.requires_python.as_deref().map(number),
                metadata: file.metadata.as_ref().map(kept_hashes),
                yanked: file.yanked.as_deref().map(Cow::from),
                size: file.size,
                published: file
                    .published
                    .map(|t| (t.as_second(), t.subsec_nanosecond())),
            }
        }
        let files = self.files.iter().map(|f| kept(f, &mut number)).collect();
        let described = self.variants.iter().map(|d| &d.file);
        let variants = described.map(|f| kept(f, &mut number)).collect();
        let borrow = |list: &'_ [String]| -> Vec<Cow<'static, str>> {
            list.iter().map(|s| s.clone().into()).collect()
        };
        let kept = Kept {
            form: FORM,
            files,
            variants,
            skipped: self
                .skipped
                .iter()
                .map(|s| (Cow::from(&*s.filename), Cow::from(&*s.reason)))
                .collect(),
            status: self
                .status
                .as_ref()
                .map(|(s, r)| (Cow::from(&**s), r.as_deref().map(Cow::from))),
            remarks: borrow(&self.remarks),
            elsewhere: borrow(&self.elsewhere),
            specifiers: borrow(&specifiers),
        };
        // Nothing in it can fail to be written to memory.
        postcard::to_allocvec(&kept).unwrap_or_default()
    }

    /// Reads the compact form back; none when the bytes are not whole or of another version of the
    /// form.
    pub fn from_compact(bytes: &[u8], project: &Name) -> Option<Self> {
        if bytes.first() != Some(&FORM) {
            return None;
        }
        let kept: Kept<'_> = postcard::from_bytes(bytes).ok()?;
        let specifiers: Vec<Arc<VersionSpecifier>> = kept
            .specifiers
            .iter()
            .map(|text| VersionSpecifier::parse_lenient(text).ok().map(Arc::new))
            .collect::<Option<_>>()?;
        let mut page = Page::new(project.clone());
        page.files.reserve(kept.files.len());
        for file in kept.files.into_iter().chain(kept.variants) {
            let published = match file.published {
                Some((seconds, nanoseconds)) => {
                    Some(jiff::Timestamp::new(seconds, nanoseconds).ok()?)
                }
                None => None,
            };
            let requires_python = match file.requires_python {
                Some(number) => Some(Arc::clone(specifiers.get(number as usize)?)),
                None => None,
            };
            let file = Arc::new(PageFile {
                kind: FileKind::of(&file.filename, project).ok()?,
                filename: file.filename.into(),
                url: file.url.into(),
                hashes: hashes(file.hashes),
                requires_python,
                metadata: file.metadata.map(hashes),
                yanked: file.yanked.map(Cow::into_owned),
                size: file.size,
                published,
            });
            match file.kind {
                FileKind::Variants(_) => page.variants.push(Described { file, read: None }),
                FileKind::Wheel(_) | FileKind::Sdist(_) => page.files.push(file),
            }
        }
        let skipped = |(filename, reason): (Cow<'_, str>, Cow<'_, str>)| Skipped {
            filename: filename.into_owned(),
            reason: reason.into_owned(),
        };
        page.skipped = kept.skipped.into_iter().map(skipped).collect();
        page.status = kept
            .status
            .map(|(s, r)| (s.into_owned(), r.map(Cow::into_owned)));
        page.remarks = kept.remarks.into_iter().map(Cow::into_owned).collect();
        page.elsewhere = kept.elsewhere.into_iter().map(Cow::into_owned).collect();
        Some(page)
    }
}

#[cfg(test)]
mod tests {
    use super::super::parse_json;
    use super::*;
    use proptest::prelude::*;

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
            Page::from_compact(&page.to_compact(), &page.project).unwrap(),
            page
        );
    }

    proptest! {
        #[test]
        fn damaged_bytes_are_refused_or_read_but_never_panic(at in 0usize..400, byte in any::<u8>(), cut in 0usize..400) {
            let page = page();
            let mut bytes = page.to_compact();
            let at = at % bytes.len();
            bytes[at] = byte;
            let _ = Page::from_compact(&bytes, &page.project);
            bytes.truncate(cut);
            let _ = Page::from_compact(&bytes, &page.project);
        }
    }
}
