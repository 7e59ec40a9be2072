//! The HTML form of index pages (PEP 503, 592, 658, 714, 792), read by an HTML5 tokenizer:
//! attribute order, case, quotes, entities and missing end tags do not matter.

use std::convert::Infallible;

use html5gum::emitters::callback::{CallbackEmitter, CallbackEvent};
use html5gum::{Span, Token, Tokenizer};
use percent_encoding::percent_decode_str;

use super::{Hashes, MOST_FILES, NO_LINK, Page, RawFile, SpecifierCache, too_many};
use crate::fault::Fault;
use crate::name::Name;

/// The attributes that count.
const HREF: &str = "href";
const NAME: &str = "name";
const CONTENT: &str = "content";
const KNOWN: [&str; 7] = [
    HREF,
    NAME,
    CONTENT,
    "data-requires-python",
    "data-core-metadata",
    "data-dist-info-metadata",
    "data-yanked",
];
/// The text of a link is not longer: it is the name of a file.
const LONGEST_TEXT: usize = 1024;
/// So many `<meta>` elements are read.
const MOST_META: usize = 1000;

/// One link of a page with the attributes that count, without entities.
#[derive(Default)]
struct Link {
    attributes: Vec<(&'static str, String)>,
    text: String,
}

impl Link {
    fn get(&self, name: &str) -> Option<&str> {
        self.attributes
            .iter()
            .find(|(n, _)| *n == name)
            .map(|(_, value)| value.as_str())
    }
}

/// What a page says beside its links.
#[derive(Default)]
pub(super) struct Document {
    base: Option<String>,
    /// `<meta name= content=>`, in their order.
    meta: Vec<(String, String)>,
}

/// Reads a project's page.
///
/// # Errors
/// When the page states an API version with another major than 1, or lists more files than any page
/// can mean.
pub fn parse_html(bytes: &[u8], project: &Name) -> Result<Page, Fault> {
    let mut page = Page::new(project.clone());
    let mut specifiers = SpecifierCache::default();
    let mut links = 0usize;
    let document = each_file(bytes, &mut |raw| {
        links += 1;
        page.add(raw, &mut specifiers);
    })?;
    // An empty page of an index is still one: it has a title or a version, and no forms.
    if links == 0
        && bytes
            .to_ascii_lowercase()
            .windows(5)
            .any(|w| w == b"<form" || w == b"login" || w == b"log i")
    {
        page.remarks.push(NO_LINK.to_owned());
    }
    let mut remarks = Vec::new();
    super::json::check_version(document.first_meta("pypi:repository-version"), &mut remarks)?;
    page.remarks.splice(0..0, remarks);
    let status = document
        .first_meta("pypi:project-status")
        .filter(|s| *s != "active");
    page.status = status.map(|s| {
        (
            s.to_owned(),
            document
                .first_meta("pypi:project-status-reason")
                .map(str::to_owned),
        )
    });
    let elsewhere = document
        .meta
        .iter()
        .filter(|(n, _)| n == "pypi:tracks" || n == "pypi:alternate-locations");
    page.elsewhere = elsewhere.map(|(_, content)| content.clone()).collect();
    Ok(page)
}

impl Document {
    fn first_meta(&self, name: &str) -> Option<&str> {
        self.meta
            .iter()
            .find(|(n, _)| n == name)
            .map(|(_, content)| content.as_str())
    }
}

/// Every link of a page as a file, as it is come by: nothing of a page is held but what its files
/// say.
///
/// # Errors
/// When there are more than any page can mean.
pub(super) fn each_file(
    bytes: &[u8],
    take: &mut dyn FnMut(RawFile<'_>),
) -> Result<Document, Fault> {
    let mut files = 0usize;
    read(bytes, &mut |base, link| {
        let Some(href) = link.get(HREF) else {
            return true;
        };
        files += 1;
        if files > MOST_FILES {
            return false;
        }
        file_of(base, href, link, take);
        true
    })
    .filter(|_| files <= MOST_FILES)
    .ok_or_else(too_many)
}

fn file_of(base: Option<&str>, href: &str, link: &Link, take: &mut dyn FnMut(RawFile<'_>)) {
    let (url, fragment) = href.split_once('#').unwrap_or((href, ""));
    let last = url
        .split('?')
        .next()
        .unwrap_or(url)
        .rsplit('/')
        .next()
        .unwrap_or("");
    let from_url = percent_decode_str(last).decode_utf8_lossy();
    let text = link.text.trim();
    // The text is the file's name; a page of links made by hand may say something else there,
    // listings of folders shorten it, and some pages encode it as the address is.
    let named = text.ends_with(".whl") || text.ends_with(".tar.gz") || text.ends_with(".zip");
    let plain = named && !text.contains(char::is_whitespace) && !text.contains('%');
    let filename = if plain { text } else { from_url.as_ref() };
    let metadata = link
        .get("data-core-metadata")
        .or_else(|| link.get("data-dist-info-metadata"));
    let resolved = resolve(base, url);
    take(RawFile {
        filename,
        url: &resolved,
        hashes: hashes(fragment),
        requires_python: link.get("data-requires-python"),
        metadata: metadata.filter(|m| *m != "false").map(hashes),
        yanked: link.get("data-yanked").map(str::to_owned),
        size: None,
        published: None,
    });
}

/// Reads the list of projects of an index; links whose text is no name are left out. Large indexes
/// list most of a million: nothing is kept but the names.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
pub fn parse_html_list(bytes: &[u8]) -> Vec<Name> {
    let mut names = Vec::new();
    let mut text = String::new();
    let mut inside = false;
    let mut end = |text: &mut String| {
        names.extend(Name::parse(text.trim()).ok());
        text.clear();
    };
    for token in Tokenizer::new(bytes) {
        let Ok(token) = token;
        match token {
            Token::StartTag(tag) if &**tag.name == b"a" => {
                end(&mut text);
                inside = true;
            }
            Token::EndTag(tag) if &**tag.name == b"a" => {
                end(&mut text);
                inside = false;
            }
            Token::String(more) if inside => text.push_str(&String::from_utf8_lossy(&more)),
            _ => {}
        }
    }
    end(&mut text);
    names
}

/// `sha256=ab&other=x`: the parts that are hashes.
fn hashes(text: &str) -> Hashes {
    text.split('&')
        .filter_map(|part| part.split_once('='))
        .collect()
}

/// A link beside a `<base href>`; whoever knows the page's own place does the rest.
fn resolve(base: Option<&str>, url: &str) -> String {
    let Some(base) = base.filter(|_| !url.contains("://") && !url.starts_with("//")) else {
        return url.to_owned();
    };
    let host = base.find("://").map_or(0, |at| {
        base.get(at + 3..)
            .and_then(|r| r.find('/'))
            .map_or(base.len(), |n| at + 3 + n)
    });
    let kept = if url.starts_with('/') {
        host
    } else {
        base.rfind('/').map_or(0, |at| at + 1).max(host)
    };
    format!("{}{url}", base.get(..kept).unwrap_or(""))
}

/// What is being read at the moment.
enum Open {
    Nothing,
    Link,
    Base,
    Meta,
    Other,
}

/// Takes a page apart, link by link; `take` is given each with the base so far, and says whether to
/// go on. None when it did not want to.
fn read(bytes: &[u8], take: &mut dyn FnMut(Option<&str>, &Link) -> bool) -> Option<Document> {
    let mut reader = Reader {
        document: Document::default(),
        link: None,
        tag: Open::Nothing,
        attributes: Vec::new(),
        attribute: None,
    };
    let mut wanted = true;
    let emitter = CallbackEmitter::new(|event: CallbackEvent<'_>, _: Span<()>| -> Option<()> {
        if let Some(link) = reader.hear(event) {
            wanted = wanted && take(reader.document.base.as_deref(), &link);
        }
        // Something is given out only to stop.
        (!wanted).then_some(())
    });
    let stopped = Tokenizer::new_with_emitter(bytes, emitter)
        .any(|given: Result<(), Infallible>| given.is_ok());
    if stopped {
        return None;
    }
    if let Some(link) = reader.link.take() {
        wanted = take(reader.document.base.as_deref(), &link);
    }
    wanted.then_some(reader.document)
}

struct Reader {
    document: Document,
    /// A link whose end has not come.
    link: Option<Link>,
    tag: Open,
    attributes: Vec<(&'static str, String)>,
    /// The attribute whose value comes next, if it counts.
    attribute: Option<&'static str>,
}

impl Reader {
    /// Takes in one event; a link that ends with it is given out.
    #[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
    fn hear(&mut self, event: CallbackEvent<'_>) -> Option<Link> {
        match event {
            CallbackEvent::OpenStartTag { name } => {
                self.attributes.clear();
                self.attribute = None;
                self.tag = match name {
                    b"a" => Open::Link,
                    b"base" => Open::Base,
                    b"meta" => Open::Meta,
                    _ => Open::Other,
                };
                None
            }
            CallbackEvent::AttributeName { name } => {
                let known = KNOWN.iter().find(|k| k.as_bytes() == name).copied();
                // Of two with one name the first counts.
                self.attribute = known.filter(|k| !self.attributes.iter().any(|(n, _)| n == k));
                self.attributes
                    .extend(self.attribute.map(|k| (k, String::new())));
                None
            }
            CallbackEvent::AttributeValue { value } => {
                if self.attribute.is_some()
                    && let Some((_, text)) = self.attributes.last_mut()
                {
                    *text = String::from_utf8_lossy(value).into_owned();
                }
                None
            }
            CallbackEvent::CloseStartTag { .. } => self.close_start(),
            CallbackEvent::String { value } => {
                if let Some(link) = &mut self.link
                    && link.text.len() < LONGEST_TEXT
                {
                    link.text.push_str(&String::from_utf8_lossy(
                        value.get(..LONGEST_TEXT).unwrap_or(value),
                    ));
                }
                None
            }
            CallbackEvent::EndTag { name: b"a" } => self.link.take(),
            _ => None,
        }
    }

    fn close_start(&mut self) -> Option<Link> {
        let attributes = std::mem::take(&mut self.attributes);
        let get = |name: &str| {
            attributes
                .iter()
                .find(|(n, _)| *n == name)
                .map(|(_, value)| value.clone())
        };
        match std::mem::replace(&mut self.tag, Open::Nothing) {
            Open::Link => {
                return self.link.replace(Link {
                    attributes,
                    text: String::new(),
                });
            }
            Open::Base => self.document.base = self.document.base.take().or_else(|| get(HREF)),
            Open::Meta if self.document.meta.len() < MOST_META => {
                self.document.meta.extend(get(NAME).zip(get(CONTENT)))
            }
            Open::Nothing | Open::Meta | Open::Other => {}
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn page(body: &str) -> Page {
        parse_html(body.as_bytes(), &Name::parse("made-up").unwrap()).unwrap()
    }

    #[test]
    fn attributes_are_read_in_any_spelling() {
        let page = page(
            "<!DOCTYPE html><!-- <a href='no.whl'>no</a> --><body>
            <A data-yanked HREF='../f/made_up-1.0%2Bx-py3-none-any.whl#sha256=AB&amp;x=1' \
            DATA-requires-python='&gt;=3.8, &lt;4'>made_up-1.0+x-py3-none-any.whl</A>
            <a href=\"made_up-2.0.tar.gz\" data-dist-info-metadata=true>made_up-2.0.tar.gz
            <a href='made_up-3.0-py3-none-any.whl' data-core-metadata='sha256=cd'>the newest \
            one</a>",
        );
        let files: Vec<_> = page.files.iter().collect();
        let [one, two, three] = files.as_slice() else {
            panic!("{page:?}")
        };
        assert_eq!(
            (
                &*one.filename,
                one.hashes.sha256().unwrap(),
                one.yanked.as_deref()
            ),
            ("made_up-1.0+x-py3-none-any.whl", "ab", Some(""))
        );
        assert_eq!(
            one.requires_python.as_ref().unwrap().to_string(),
            ">=3.8,<4"
        );
        assert_eq!(
            (&*two.filename, two.metadata.is_some()),
            ("made_up-2.0.tar.gz", true)
        );
        assert_eq!(
            (
                &*three.filename,
                three.metadata.as_ref().unwrap().sha256().unwrap()
            ),
            ("made_up-3.0-py3-none-any.whl", "cd")
        );
    }

    #[test]
    fn a_page_without_end_is_refused() {
        let name = Name::parse("m").unwrap();
        let links = |n: usize| "<a href=x>".repeat(n).into_bytes();
        assert_eq!(
            parse_html(&links(MOST_FILES), &name).unwrap().skipped.len(),
            MOST_FILES
        );
        assert!(
            parse_html(&links(MOST_FILES + 1), &name)
                .unwrap_err()
                .message()
                .contains("more than any page")
        );
    }

    #[test]
    fn a_text_that_is_encoded_as_the_address_is_gives_way_to_it() {
        let page = page(
            "<a href='made_up-1.0%2Bcpu-py3-none-any.whl'>made_up-1.0%2Bcpu-py3-none-any.whl</a>",
        );
        assert_eq!(
            &*page.files.first().unwrap().filename,
            "made_up-1.0+cpu-py3-none-any.whl"
        );
    }

    #[test]
    fn meta_and_base_are_honoured() {
        let page = page(
            "<meta name='pypi:repository-version' content='1.0'><meta name='pypi:project-status' \
                content='archived'>
             <base href='https://files.example/d/'><a href='made_up-1-py3-none-any.whl'></a>",
        );
        assert_eq!(
            &*page.files.first().unwrap().url,
            "https://files.example/d/made_up-1-py3-none-any.whl"
        );
        assert_eq!(page.status.unwrap().0, "archived");
        let name = Name::parse("a").unwrap();
        assert!(
            parse_html(
                b"<meta name='pypi:repository-version' content='2.0'>",
                &name
            )
            .is_err()
        );
    }

    #[rstest]
    #[case("https://f.example/d/", "x.whl", "https://f.example/d/x.whl")]
    #[case("https://f.example/d/", "/x.whl", "https://f.example/x.whl")]
    #[case(
        "https://f.example/d/",
        "https://g.example/x.whl",
        "https://g.example/x.whl"
    )]
    #[case("../d/", "x.whl", "../d/x.whl")]
    fn links_are_joined_to_the_base(#[case] base: &str, #[case] url: &str, #[case] joined: &str) {
        assert_eq!(resolve(Some(base), url), joined);
    }

    #[test]
    fn other_places_of_the_project_are_read() {
        let page = page(
            "<meta name='pypi:tracks' content='https://a.example/m/'><meta \
                name='pypi:alternate-locations' content='https://b.example/m/'>",
        );
        assert_eq!(
            page.elsewhere,
            ["https://a.example/m/", "https://b.example/m/"]
        );
    }

    #[rstest]
    #[case("<a href='/made-up/'>Made.Up</a><a href='x'>two words</a>", &["made-up"])]
    #[case("", &[])]
    fn the_list_of_projects_is_read(#[case] html: &str, #[case] names: &[&str]) {
        let found: Vec<String> = parse_html_list(html.as_bytes())
            .iter()
            .map(ToString::to_string)
            .collect();
        assert_eq!(found, names);
    }

    proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(text in "[<>a-z =\"'&;#/\u{e9}]{0,80}") {
            let _ = parse_html(text.as_bytes(), &Name::parse("a").unwrap());
        }
    }
}
