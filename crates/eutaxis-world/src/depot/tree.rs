//! An index tree on disk: `NAME/index.json` or `NAME/index.html` under a root, with relative or
//! `file:` URLs.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile, parse_html, parse_json};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use percent_encoding::percent_decode_str;

use super::abilities::{self, Address, DepotKind};
use super::folder::{metadata_at, read_at, sidecar};
use super::{Depot, Place};
use crate::catalogue::ListedFile;
use crate::network::differs;
use crate::{Doing, Error, Result};

/// The root of an index tree.
#[derive(Debug)]
pub(super) struct Tree {
    label: String,
    root: PathBuf,
}

/// Whether a folder is the root of an index tree: it has a list of projects, or a folder with a
/// page.
pub(super) fn is_tree(root: &Path) -> bool {
    let has_page =
        |folder: &Path| folder.join("index.json").is_file() || folder.join("index.html").is_file();
    if has_page(root) {
        return true;
    }
    let Ok(entries) = std::fs::read_dir(root) else {
        return false;
    };
    entries
        .flatten()
        .any(|e| e.file_type().is_ok_and(|t| t.is_dir()) && has_page(&e.path()))
}

impl Tree {
    pub(super) fn open(label: &str, root: PathBuf) -> Self {
        Tree {
            label: label.to_owned(),
            root,
        }
    }

    fn folder(&self, project: &Name) -> PathBuf {
        self.root.join(project.as_str())
    }
}

impl Depot for Tree {
    fn label(&self) -> &str {
        &self.label
    }

    fn origin(&self) -> String {
        self.root.to_string_lossy().into_owned()
    }

    fn offers(&self, project: &Name) -> Option<bool> {
        Some(self.folder(project).is_dir())
    }

    fn page(&self, project: &Name) -> Result<Option<Page>> {
        let folder = self.folder(project);
        for (file, parse) in [
            ("index.json", parse_json as fn(&[u8], &Name) -> _),
            ("index.html", parse_html),
        ] {
            let path = folder.join(file);
            match std::fs::read(&path) {
                Ok(bytes) => {
                    let page = parse(&bytes, project);
                    return page.map(Some).map_err(|f| {
                        Error::contents(format!("{}: {}", path.display(), f.message()))
                    });
                }
                Err(e) if e.kind() == std::io::ErrorKind::NotFound => {}
                Err(e) => return Err(Error::io("cannot read", &path, &e)),
            }
        }
        Ok(None)
    }

    fn metadata(&self, project: &Name, file: &PageFile, _: Effort) -> Result<MetadataAnswer> {
        let path = self.obtain(project, file)?;
        let beside = sidecar(&path);
        if let (Some(hashes), Ok(bytes)) = (&file.metadata, std::fs::read(&beside)) {
            if let Some((algorithm, stated, found)) = differs(&bytes, hashes) {
                let (shown, name) = (beside.display(), algorithm.as_str());
                let message = format!("{shown} has the {name} {found}; the index says {stated}");
                return Err(
                    Error::contents(message).help("the index tree is damaged: make it again")
                );
            }
        } else if !path.exists() {
            return Err(Error::contents(format!(
                "{} is on the page of {project} but not on the disk",
                path.display()
            ))
            .help("the index tree is not whole: make it again"));
        }
        metadata_at(&path, project, file)
    }

    fn listed(&self, project: &Name, file: &PageFile) -> Option<Vec<ListedFile>> {
        super::listed_on_disk(&self.obtain(project, file).ok()?)
    }

    fn place(&self, project: &Name, file: &PageFile) -> Result<Place> {
        self.obtain(project, file).map(Place::Disk)
    }

    fn obtain(&self, project: &Name, file: &PageFile) -> Result<PathBuf> {
        local_path(&file.url, &self.folder(project)).ok_or_else(|| {
            Error::request(format!(
                "{} lies at {}, which is not on this disk",
                file.filename, file.url
            ))
            .help(
                "a tree on disk must hold its files: serve it with a web server, or gather its \
                    files",
            )
        })
    }

    fn index(&self) -> Option<String> {
        None
    }

    fn projects(&self) -> Vec<Name> {
        let Ok(entries) = std::fs::read_dir(&self.root) else {
            return Vec::new();
        };
        entries
            .flatten()
            .filter_map(|e| Name::parse(&e.file_name().into_string().ok()?).ok())
            .collect()
    }

    fn look(&self, asked: Option<&Name>) -> Vec<Address> {
        vec![abilities::of_disk(self, DepotKind::Tree, asked)]
    }
}

/// The path of a URL that is relative to a folder, or a `file:` URL; none for others.
pub fn local_path(url: &str, folder: &Path) -> Option<PathBuf> {
    let plain = url.split(['?', '#']).next().unwrap_or(url);
    let decode = |text: &str| percent_decode_str(text).decode_utf8_lossy().into_owned();
    if let Some(rest) = plain.strip_prefix("file://") {
        let path = rest.strip_prefix("localhost").unwrap_or(rest);
        return path.starts_with('/').then(|| PathBuf::from(decode(path)));
    }
    if plain.contains("://") || plain.starts_with("//") {
        return None;
    }
    let mut path = folder.to_owned();
    for part in decode(plain).split('/') {
        match part {
            "" | "." => {}
            ".." => {
                path.pop();
            }
            other => path.push(other),
        }
    }
    Some(path)
}

/// A page that holds just the file at a `file:` URL or path, which an ask demands.
pub(super) fn direct_page(project: &Name, url: &str) -> Result<(Arc<dyn Depot>, Page)> {
    let folder = std::env::current_dir().doing("cannot find the current folder", Path::new("."))?;
    let Some(path) = local_path(url, &folder) else {
        let message = format!("{project} is asked for at {url}, which leads to no file");
        return Err(Error::request(message)
            .help("write `name @ https://host/file.whl`, or `name @ file:///path/to/file.whl`"));
    };
    let filename = path
        .file_name()
        .and_then(|f| f.to_str())
        .unwrap_or("")
        .to_owned();
    if !path.is_file() {
        return Err(Error::request(format!(
            "{project} is asked for at {url}, where there is no file"
        )));
    }
    let kind = eutaxis_core::index::FileKind::of(&filename, project)
        .map_err(|reason| Error::request(format!("{project} is asked for at {url}: {reason}")))?;
    let metadata = read_at(&path, &kind)?;
    let hashes = url
        .split_once("#sha256=")
        .map(|(_, h)| ("sha256", h.split('&').next().unwrap_or(h)));
    let file = PageFile {
        filename: filename.as_str().into(),
        url: url.split('#').next().unwrap_or(url).into(),
        kind,
        hashes: hashes.into_iter().collect(),
        requires_python: metadata.and_then(|m| m.requires_python).map(Arc::new),
        metadata: None,
        yanked: None,
        size: std::fs::metadata(&path).ok().map(|m| m.len()),
        published: None,
    };
    let mut page = Page::new(project.clone());
    page.files.push(Arc::new(file));
    // A tree with an empty root finds files by their `file:` URL alone.
    Ok((Arc::new(Tree::open(url, folder)), page))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::ErrorKind;

    #[rstest]
    #[case::beside("firnio.whl", Some("/depot/firnio/firnio.whl"))]
    #[case::below("files/firnio.whl", Some("/depot/firnio/files/firnio.whl"))]
    #[case::up("../../f/firnio.whl", Some("/depot/../f/firnio.whl"))]
    #[case::signs("firnio%2Bnor41.whl", Some("/depot/firnio/firnio+nor41.whl"))]
    #[case::with_a_hash("firnio.whl#sha256=ab", Some("/depot/firnio/firnio.whl"))]
    #[case::with_a_question("firnio.whl?old=1", Some("/depot/firnio/firnio.whl"))]
    #[case::whole("file:///store/firnio.whl", Some("/store/firnio.whl"))]
    #[case::of_this_machine("file://localhost/store/a.whl", Some("/store/a.whl"))]
    #[case::of_another("file://hut/store/a.whl", None)]
    #[case::on_the_network("https://depot.example/a.whl", None)]
    #[case::of_the_same_scheme("//depot.example/a.whl", None)]
    fn urls_of_pages_lead_to_files(#[case] url: &str, #[case] path: Option<&str>) {
        let found = local_path(url, Path::new("/depot/firnio"));
        // `..` goes up from the folder of the page.
        let expected = path.map(|p| PathBuf::from(p.replace("/depot/../", "/")));
        assert_eq!(found, expected);
    }

    #[rstest]
    #[case::a_page("firnio/index.json", true)]
    #[case::a_page_of_links("firnio/index.html", true)]
    #[case::a_list("index.html", true)]
    #[case::files("firnio-1.0-py3-none-any.whl", false)]
    #[case::too_deep("a/b/index.html", false)]
    fn a_tree_is_known_by_its_pages(#[case] file: &str, #[case] is: bool) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(file);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, "").unwrap();
        assert_eq!(is_tree(folder.path()), is);
    }

    #[test]
    fn what_is_nowhere_is_no_tree() {
        assert!(!is_tree(Path::new("/nowhere/at/all")));
    }

    #[rstest]
    #[case::on_a_network("ssh://hut/firnio.whl", "leads to no file")]
    #[case::absent("file:///nowhere/firnio-1.0-py3-none-any.whl", "there is no file")]
    fn a_file_that_is_demanded_must_be_there(#[case] url: &str, #[case] why: &str) {
        let error = direct_page(&Name::parse("firnio").unwrap(), url).unwrap_err();
        assert_eq!(error.kind, ErrorKind::Request);
        assert!(error.message.contains(why), "{}", error.message);
    }

    #[test]
    fn a_file_of_another_project_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("moulin-1.0-py3-none-any.whl");
        std::fs::write(&path, "").unwrap();
        let url = format!("file://{}", path.display());
        let error = direct_page(&Name::parse("firnio").unwrap(), &url).unwrap_err();
        assert!(
            error.message.starts_with("firnio is asked for at"),
            "{}",
            error.message
        );
    }
}
