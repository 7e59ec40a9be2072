//! Fetching: parts of archives, whole files that are gone on with, pages in all their forms;
//! against a local server.

use std::io::{Cursor, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicI64, Ordering};

use eutaxis_core::Name;
use eutaxis_core::artifact::hex;
use eutaxis_core::index::Hashes;
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use eutaxis_demo::server::{Fault, Server, Trouble};
use eutaxis_world::config::NetworkSettings;
use eutaxis_world::depot::{Depot, Depots, Listed, Named, Place, open};
use eutaxis_world::environment::WheelAt;
use eutaxis_world::gather::{How, Piece, gather};
use eutaxis_world::network::{Network, Wanted};
use eutaxis_world::{Error, ErrorKind};
use rstest::rstest;
use sha2::{Digest, Sha256};
use tempfile::TempDir;

fn name() -> Name {
    Name::parse("snowberm").unwrap()
}

const FILE: &str = "snowberm-1.0-py3-none-any.whl";
const METADATA: &str =
    "Metadata-Version: 2.1\nName: snowberm\nVersion: 1.0\nRequires-Dist: firnio>=1\n";

/// A wheel with these members besides its metadata, which stands first or last; nothing is packed.
fn wheel(members: &[(String, usize)], metadata_first: bool) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let mut entries: Vec<(String, Vec<u8>)> = members
        .iter()
        .map(|(n, size)| (n.clone(), vec![7; *size]))
        .collect();
    let metadata = (
        "snowberm-1.0.dist-info/METADATA".to_owned(),
        METADATA.as_bytes().to_vec(),
    );
    entries.insert(if metadata_first { 0 } else { entries.len() }, metadata);
    for (name, bytes) in entries {
        zip.start_file(name, options).unwrap();
        zip.write_all(&bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn sha256(value: &str) -> Hashes {
    [("sha256", value)].into_iter().collect()
}

/// An index with one project of one wheel; `keys` are further keys of the file, with `HASH` for its
/// hash.
struct Site {
    _root: TempDir,
    cache: TempDir,
    server: Server,
    sha256: String,
    size: u64,
}

impl Site {
    fn new(bytes: &[u8], keys: &str, trouble: Trouble) -> Self {
        let root = tempfile::tempdir().unwrap();
        let folder = root.path().join("snowberm");
        std::fs::create_dir(&folder).unwrap();
        std::fs::write(folder.join(FILE), bytes).unwrap();
        let sha256 = hex(&Sha256::digest(bytes));
        let keys = keys.replace("HASH", &sha256);
        let page = format!(
            r#"{{"meta":{{"api-version":"1.1"}},"files":[{{"filename":"{FILE}","url":"{FILE}"{keys}}}]}}"#
        );
        std::fs::write(folder.join("index.json"), page).unwrap();
        let server = Server::start(root.path(), trouble).unwrap();
        Site {
            _root: root,
            cache: tempfile::tempdir().unwrap(),
            server,
            sha256,
            size: bytes.len() as u64,
        }
    }

    fn network(&self) -> Arc<Network> {
        let settings = NetworkSettings {
            timeout: 2,
            attempts: 2,
            ..NetworkSettings::default()
        };
        Arc::new(Network::new(self.cache.path(), false, false, settings))
    }

    fn depot(&self) -> Arc<dyn Depot> {
        open(
            &Named::at(&self.server.url(), Path::new("/")),
            &self.network(),
        )
        .unwrap()
    }

    fn metadata(&self) -> Result<Vec<String>, Error> {
        let depot = self.depot();
        let page = depot.page(&name())?.unwrap();
        match depot.metadata(&name(), page.files.first().unwrap(), Effort::Archive)? {
            MetadataAnswer::Known(metadata) => {
                Ok(metadata.requires.iter().map(ToString::to_string).collect())
            }
            other => panic!("{other:?}"),
        }
    }

    fn wanted(&self) -> Wanted {
        Wanted {
            url: format!("{}snowberm/{FILE}", self.server.url())
                .parse()
                .unwrap(),
            filename: FILE.to_owned(),
            hashes: sha256(&self.sha256),
            size: Some(self.size),
            insecure: false,
            learning: false,
        }
    }

    fn bytes_of_files(&self) -> u64 {
        self.server
            .take_seen()
            .iter()
            .filter(|s| s.path.ends_with(".whl"))
            .map(|s| s.bytes)
            .sum()
    }
}

#[rstest]
#[case::metadata_last(vec![("a.bin".to_owned(), 900_000)], false, 40_000)]
#[case::metadata_first(vec![("a.bin".to_owned(), 900_000)], true, 60_000)]
#[case::a_large_directory((0..3_000).map(|i| (format!("snowberm/a_rather_long_name_of_a_module_{i}.py"), 100)).collect(), true, 420_000)]
fn only_the_parts_that_matter_are_fetched(
    #[case] members: Vec<(String, usize)>,
    #[case] first: bool,
    #[case] most: u64,
) {
    let bytes = wheel(&members, first);
    let site = Site::new(&bytes, r#","hashes":{"sha256":"HASH"}"#, Trouble::default());
    assert_eq!(site.metadata().unwrap(), ["firnio>=1"]);
    let fetched = site.bytes_of_files();
    assert!(
        fetched < most && fetched < site.size,
        "{fetched} of {}",
        site.size
    );
}

#[test]
fn an_archive_that_cannot_be_read_in_parts_is_judged_whole() {
    let site = Site::new(
        b"no archive at all",
        r#","hashes":{"sha256":"HASH"}"#,
        Trouble::default(),
    );
    let depot = site.depot();
    let page = depot.page(&name()).unwrap().unwrap();
    let answer = depot
        .metadata(&name(), page.files.first().unwrap(), Effort::Archive)
        .unwrap();
    assert!(
        matches!(&answer, MetadataAnswer::Unusable(why) if why.contains("zip archive")),
        "{answer:?}"
    );
}

#[test]
fn compressed_pages_are_read() {
    let site = Site::new(
        &wheel(&[], true),
        "",
        Trouble {
            gzip: true,
            ..Trouble::default()
        },
    );
    assert_eq!(site.depot().page(&name()).unwrap().unwrap().files.len(), 1);
}

#[rstest]
#[case("text/plain", "came as `text/plain`")]
#[case("application/vnd.pypi.simple.v2+json", "no form of an index page")]
#[case("", "no form of an index page")]
fn pages_of_other_kinds_are_refused(#[case] kind: &str, #[case] part: &str) {
    let site = Site::new(
        b"",
        "",
        Trouble {
            page_type: Some(kind.to_owned()),
            ..Trouble::default()
        },
    );
    let error = site.depot().page(&name()).unwrap_err();
    assert!(
        error.message.contains(part) && error.help.unwrap().contains("/simple/"),
        "{}",
        error.message
    );
}

#[test]
fn json_of_a_plain_web_server_is_read() {
    let site = Site::new(
        b"",
        "",
        Trouble {
            page_type: Some("application/json".to_owned()),
            ..Trouble::default()
        },
    );
    assert!(site.depot().page(&name()).unwrap().is_some());
}

#[test]
fn a_circle_of_redirects_ends() {
    let site = Site::new(b"x", "", Trouble::default());
    site.server.set(Trouble {
        files_at: Some(site.server.url()),
        ..Trouble::default()
    });
    let error = site.network().bring(&site.wanted(), &|_| {}).unwrap_err();
    assert!(
        error.message.contains("redirects more than 10 times"),
        "{}",
        error.message
    );
}

#[test]
fn what_another_run_left_is_gone_on_with_or_begun_anew() {
    let bytes = wheel(&[("a.bin".to_owned(), 100_000)], true);
    let site = Site::new(&bytes, "", Trouble::default());
    let folder = site
        .cache
        .path()
        .join("files-1")
        .join(&site.sha256[..2])
        .join(&site.sha256);
    std::fs::create_dir_all(&folder).unwrap();
    let counted = AtomicI64::new(0);
    let count = |n: i64| {
        counted.fetch_add(n, Ordering::Relaxed);
    };
    // The first half of it: only the rest is fetched.
    std::fs::write(folder.join("part"), &bytes[..60_000]).unwrap();
    let (path, came) = site.network().bring(&site.wanted(), &count).unwrap();
    assert_eq!(
        (std::fs::read(&path).unwrap() == bytes, came.sha256.as_str()),
        (true, site.sha256.as_str())
    );
    assert_eq!(site.bytes_of_files(), site.size - 60_000);
    assert_eq!(
        counted.load(Ordering::Relaxed),
        i64::try_from(site.size).unwrap(),
        "what is told adds up to the file"
    );
    // Something else, and more than there can be: all of it is fetched.
    for left in [
        vec![9; 60_000],
        vec![9; 2 * bytes.len()],
        bytes.iter().rev().copied().collect(),
    ] {
        std::fs::remove_file(&path).unwrap();
        std::fs::write(folder.join("part"), left).unwrap();
        assert_eq!(
            std::fs::read(site.network().bring(&site.wanted(), &|_| {}).unwrap().0).unwrap(),
            bytes
        );
    }
    // What is kept and was damaged since is fetched again.
    std::fs::write(&path, "damaged").unwrap();
    assert_eq!(
        std::fs::read(site.network().bring(&site.wanted(), &|_| {}).unwrap().0).unwrap(),
        bytes
    );
    site.server.take_seen();
    site.network().bring(&site.wanted(), &|_| {}).unwrap();
    assert_eq!(site.bytes_of_files(), 0);
}

#[test]
fn without_ranges_a_part_is_begun_anew() {
    let bytes = wheel(&[("a.bin".to_owned(), 50_000)], true);
    let site = Site::new(
        &bytes,
        "",
        Trouble {
            no_ranges: true,
            ..Trouble::default()
        },
    );
    let folder = site
        .cache
        .path()
        .join("files-1")
        .join(&site.sha256[..2])
        .join(&site.sha256);
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join("part"), &bytes[..20_000]).unwrap();
    assert_eq!(
        std::fs::read(site.network().bring(&site.wanted(), &|_| {}).unwrap().0).unwrap(),
        bytes
    );
}

#[rstest]
#[case::longer_than_stated(|w: &mut Wanted| w.size = Some(10), "more than the 10 \
    bytes", ErrorKind::Network)]
#[case::no_hash_at_all(|w: &mut Wanted| w.hashes = sha256("../../etc"), "not a SHA-256 \
    hash", ErrorKind::Contents)]
#[case::another_hash(|w: &mut Wanted| w.hashes = sha256(&"0".repeat(64)), "expected was \
    0000", ErrorKind::Contents)]
#[case::shorter_than_stated(|w: &mut Wanted| (w.size, w.hashes) = (Some(1 << 20), Hashes::default()), "were announced", ErrorKind::Network)]
fn files_that_are_not_as_announced_are_refused(
    #[case] change: fn(&mut Wanted),
    #[case] part: &str,
    #[case] kind: ErrorKind,
) {
    let site = Site::new(&wheel(&[], true), "", Trouble::default());
    let mut wanted = site.wanted();
    change(&mut wanted);
    let error = site.network().bring(&wanted, &|_| {}).unwrap_err();
    assert!(error.message.contains(part), "{}", error.message);
    assert_eq!(error.kind, kind);
}

#[test]
fn a_wrong_byte_in_a_part_of_the_archive_costs_the_whole_file_at_most() {
    let trouble = Trouble {
        fault: Some(Fault::WrongBytes),
        on: ".whl".to_owned(),
        times: 1,
        ..Trouble::default()
    };
    let site = Site::new(
        &wheel(&[("a.bin".to_owned(), 1_000)], true),
        r#","hashes":{"sha256":"HASH"}"#,
        trouble,
    );
    // The last byte of an archive without comment counts its length: parts are of no use, the whole
    // is right.
    assert_eq!(site.metadata().unwrap(), ["firnio>=1"]);
}

fn piece(site: &Site, filename: &str) -> Piece {
    Piece {
        project: name(),
        version: "1.0".to_owned(),
        filename: filename.to_owned(),
        sha256: site.sha256.clone(),
        hashes: sha256(&site.sha256),
        size: Some(site.size),
        from: WheelAt::Url(site.wanted().url),
        requires_python: None,
        published: None,
    }
}

#[test]
fn gathered_names_stay_in_their_folder() {
    let site = Site::new(&wheel(&[], true), "", Trouble::default());
    let into = tempfile::tempdir().unwrap();
    let run = |filename: &str| {
        let place = into.path().join("stick");
        gather(
            &[piece(&site, filename)],
            &place,
            &site.network(),
            site.cache.path(),
            &|_| {},
            &|| {},
        )
    };
    for bad in ["../x.whl", ".hidden.whl", "a/b.whl", "a\nb.whl", ""] {
        let error = run(bad).unwrap_err();
        assert!(
            error.message.contains("cannot be the name of a file"),
            "{bad}: {}",
            error.message
        );
    }
    assert_eq!(run(FILE).unwrap().files, [(How::Fetched, site.size)]);
    assert_eq!(run(FILE).unwrap().files, [(How::Kept, site.size)]);
    let names: Vec<PathBuf> = std::fs::read_dir(into.path())
        .unwrap()
        .map(|e| e.unwrap().path())
        .collect();
    assert_eq!(names, [into.path().join("stick")]);
}

#[test]
fn a_depot_that_is_asked_for_a_file_gives_its_address() {
    let site = Site::new(&wheel(&[], true), "", Trouble::default());
    let listed = Listed {
        depot: site.depot(),
        only: Vec::new(),
        accelerator: None,
        asks_dates: false,
    };
    let depots = Depots::new(vec![listed], site.network());
    assert!(depots.are_remote());
    let (depot, page) = depots.page(&name()).unwrap().unwrap();
    assert_eq!(
        depot.place(&name(), page.files.first().unwrap()).unwrap(),
        Place::Url(site.wanted().url)
    );
    assert_eq!(
        std::fs::read(depot.obtain(&name(), page.files.first().unwrap()).unwrap())
            .unwrap()
            .len() as u64,
        site.size
    );
    assert_eq!(depot.index().as_deref(), Some(site.server.url().as_str()));
}
