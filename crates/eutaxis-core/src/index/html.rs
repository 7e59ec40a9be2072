//! The HTML form of index pages (PEP 503, 592, 658, 714, 792; digest 5.2), read by an HTML5 tokenizer: attribute order,
//! case, quotes, entities and missing end tags do not matter.

use std::collections::BTreeMap;

use html5gum::{Token, Tokenizer};
use percent_encoding::percent_decode_str;

use super::{Page, RawFile, SpecifierCache};
use crate::fault::Fault;
use crate::name::Name;

/// One link of a page with its attributes (names in lower case, values without entities).
struct Link {
    attributes: BTreeMap<String, String>,
    text: String,
}

/// What a page holds.
#[derive(Default)]
pub(super) struct Document {
    links: Vec<Link>,
    base: Option<String>,
    /// `<meta name= content=>`, in their order.
    meta: Vec<(String, String)>,
}

/// Reads a project's page.
///
/// # Errors
/// When the page states an API version with another major than 1.
pub fn parse_html(bytes: &[u8], project: &Name) -> Result<Page, Fault> {
    let document = read(bytes);
    let mut page = Page::new(project.clone());
    super::json::check_version(document.first_meta("pypi:repository-version"), &mut page.remarks)?;
    let status = document.first_meta("pypi:project-status").filter(|s| *s != "active");
    page.status = status.map(|s| (s.to_owned(), document.first_meta("pypi:project-status-reason").map(str::to_owned)));
    let elsewhere = document.meta.iter().filter(|(n, _)| n == "pypi:tracks" || n == "pypi:alternate-locations");
    page.elsewhere = elsewhere.map(|(_, content)| content.clone()).collect();
    let mut specifiers = SpecifierCache::default();
    document.each_file(&mut |raw| page.add(raw, &mut specifiers));
    Ok(page)
}

impl Document {
    fn first_meta(&self, name: &str) -> Option<&str> {
        self.meta.iter().find(|(n, _)| n == name).map(|(_, content)| content.as_str())
    }

    /// Every link as a file.
    pub(super) fn each_file(&self, take: &mut dyn FnMut(RawFile<'_>)) {
        for link in &self.links {
            let Some(href) = link.attributes.get("href") else { continue };
            let (url, fragment) = href.split_once('#').unwrap_or((href, ""));
            let last = url.split('?').next().unwrap_or(url).rsplit('/').next().unwrap_or("");
            let from_url = percent_decode_str(last).decode_utf8_lossy();
            let text = link.text.trim();
            // The text is the file's name; a page of links made by hand may say something else there, and listings of
            // folders shorten it.
            let named = text.ends_with(".whl") || text.ends_with(".tar.gz") || text.ends_with(".zip");
            let filename = if named && !text.contains(char::is_whitespace) { text } else { from_url.as_ref() };
            let get = |name: &str| link.attributes.get(name);
            let metadata = get("data-core-metadata").or_else(|| get("data-dist-info-metadata"));
            let resolved = resolve(self.base.as_deref(), url);
            take(RawFile {
                filename,
                url: &resolved,
                hashes: hashes(fragment),
                requires_python: get("data-requires-python").map(String::as_str),
                metadata: metadata.filter(|m| *m != "false").map(|m| hashes(m)),
                yanked: get("data-yanked").cloned(),
                size: None,
                published: None,
            });
        }
    }
}

/// Reads the list of projects of an index; links whose text is no name are left out. Large indexes list most of a million:
/// nothing is kept but the names.
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
fn hashes(text: &str) -> BTreeMap<String, String> {
    text.split('&')
        .filter_map(|part| part.split_once('='))
        .filter(|(name, value)| {
            name.starts_with("sha") || name.starts_with("blake") || (*name == "md5" && !value.is_empty())
        })
        .map(|(name, value)| (name.to_owned(), value.to_ascii_lowercase()))
        .collect()
}

/// A link beside a `<base href>`; whoever knows the page's own place does the rest.
fn resolve(base: Option<&str>, url: &str) -> String {
    let Some(base) = base.filter(|_| !url.contains("://") && !url.starts_with("//")) else { return url.to_owned() };
    let host = base
        .find("://")
        .map_or(0, |at| base.get(at + 3..).and_then(|r| r.find('/')).map_or(base.len(), |n| at + 3 + n));
    let kept = if url.starts_with('/') { host } else { base.rfind('/').map_or(0, |at| at + 1).max(host) };
    format!("{}{url}", base.get(..kept).unwrap_or(""))
}

pub(super) fn read(bytes: &[u8]) -> Document {
    let mut document = Document::default();
    let mut open: Option<Link> = None;
    for token in Tokenizer::new(bytes) {
        let Ok(token) = token;
        match token {
            Token::StartTag(tag) => {
                let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                let attributes: BTreeMap<String, String> =
                    tag.attributes.iter().map(|(k, v)| (text(k), text(v))).collect();
                match &**tag.name {
                    b"a" => {
                        document.links.extend(open.take());
                        open = Some(Link { attributes, text: String::new() });
                    }
                    b"base" => document.base = document.base.or_else(|| attributes.get("href").cloned()),
                    b"meta" => {
                        if let (Some(name), Some(content)) = (attributes.get("name"), attributes.get("content")) {
                            document.meta.push((name.clone(), content.clone()));
                        }
                    }
                    _ => {}
                }
            }
            Token::String(text) => {
                if let Some(link) = &mut open {
                    link.text.push_str(&String::from_utf8_lossy(&text));
                }
            }
            Token::EndTag(tag) if &**tag.name == b"a" => document.links.extend(open.take()),
            _ => {}
        }
    }
    document.links.extend(open);
    document
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
            <A data-yanked HREF='../f/made_up-1.0%2Bx-py3-none-any.whl#sha256=AB&amp;x=1' DATA-requires-python='&gt;=3.8, &lt;4'>made_up-1.0+x-py3-none-any.whl</A>
            <a href=\"made_up-2.0.tar.gz\" data-dist-info-metadata=true>made_up-2.0.tar.gz
            <a href='made_up-3.0-py3-none-any.whl' data-core-metadata='sha256=cd'>the newest one</a>",
        );
        let [one, two, three] = page.files.as_slice() else { panic!("{page:?}") };
        assert_eq!(
            (&*one.filename, one.hashes["sha256"].as_str(), one.yanked.as_deref()),
            ("made_up-1.0+x-py3-none-any.whl", "ab", Some(""))
        );
        assert_eq!(one.requires_python.as_ref().unwrap().to_string(), ">=3.8,<4");
        assert_eq!((&*two.filename, two.metadata.is_some()), ("made_up-2.0.tar.gz", true));
        assert_eq!(
            (&*three.filename, three.metadata.as_ref().unwrap()["sha256"].as_str()),
            ("made_up-3.0-py3-none-any.whl", "cd")
        );
    }

    #[test]
    fn meta_and_base_are_honoured() {
        let page = page(
            "<meta name='pypi:repository-version' content='1.0'><meta name='pypi:project-status' content='archived'>
             <base href='https://files.example/d/'><a href='made_up-1-py3-none-any.whl'></a>",
        );
        assert_eq!(&*page.files[0].url, "https://files.example/d/made_up-1-py3-none-any.whl");
        assert_eq!(page.status.unwrap().0, "archived");
        let name = Name::parse("a").unwrap();
        assert!(parse_html(b"<meta name='pypi:repository-version' content='2.0'>", &name).is_err());
    }

    #[rstest]
    #[case("https://f.example/d/", "x.whl", "https://f.example/d/x.whl")]
    #[case("https://f.example/d/", "/x.whl", "https://f.example/x.whl")]
    #[case("https://f.example/d/", "https://g.example/x.whl", "https://g.example/x.whl")]
    #[case("../d/", "x.whl", "../d/x.whl")]
    fn links_are_joined_to_the_base(#[case] base: &str, #[case] url: &str, #[case] joined: &str) {
        assert_eq!(resolve(Some(base), url), joined);
    }

    #[test]
    fn other_places_of_the_project_are_read() {
        let page = page(
            "<meta name='pypi:tracks' content='https://a.example/m/'><meta name='pypi:alternate-locations' content='https://b.example/m/'>",
        );
        assert_eq!(page.elsewhere, ["https://a.example/m/", "https://b.example/m/"]);
    }

    #[rstest]
    #[case("<a href='/made-up/'>Made.Up</a><a href='x'>two words</a>", &["made-up"])]
    #[case("", &[])]
    fn the_list_of_projects_is_read(#[case] html: &str, #[case] names: &[&str]) {
        let found: Vec<String> = parse_html_list(html.as_bytes()).iter().map(ToString::to_string).collect();
        assert_eq!(found, names);
    }

    proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(text in "[<>a-z =\"'&;#/\u{e9}]{0,80}") {
            let _ = parse_html(text.as_bytes(), &Name::parse("a").unwrap());
        }
    }
}
