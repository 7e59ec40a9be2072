//! What a file needs, learnt at the lowest price, within limits, and believed only from where it
//! may come.

use std::io::{Cursor, Write};
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::artifact::hex;
use eutaxis_core::index::PageFile;
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use eutaxis_demo::server::{Server, Trouble};
use eutaxis_world::ErrorKind;
use eutaxis_world::config::NetworkSettings;
use eutaxis_world::depot::{Depot, Named, open};
use eutaxis_world::network::{FetchLimits, Network};
use rstest::rstest;
use sha2::{Digest, Sha256};
use tempfile::TempDir;

/// A depot of one project, `snowberm`, under the root of a server; `cache` may be shared with other
/// depots.
struct Site {
    root: TempDir,
    server: Server,
    files: Vec<String>,
}

fn name() -> Name {
    Name::parse("snowberm").unwrap()
}

fn metadata(version: &str, needs: &str) -> String {
    format!("Metadata-Version: 2.2\nName: snowberm\nVersion: {version}\nRequires-Dist: {needs}\n")
}

/// A wheel with `members` files of so many bytes besides its metadata, which stands first or last.
fn wheel(version: &str, members: usize, size: usize, metadata_first: bool) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let stored =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let packed = zip::write::SimpleFileOptions::default();
    let about = |zip: &mut zip::ZipWriter<Cursor<Vec<u8>>>| {
        zip.start_file(format!("snowberm-{version}.dist-info/METADATA"), packed)
            .unwrap();
        zip.write_all(metadata(version, "firnio>=1").as_bytes())
            .unwrap();
    };
    if metadata_first {
        about(&mut zip);
    }
    for i in 0..members {
        zip.start_file(
            format!("snowberm/a_rather_long_name_of_a_module_{i}.py"),
            stored,
        )
        .unwrap();
        zip.write_all(&vec![b'x'; size]).unwrap();
    }
    if !metadata_first {
        about(&mut zip);
    }
    zip.finish().unwrap().into_inner()
}

/// A source distribution with its metadata first or last, and something that does not pack well.
fn source(version: &str, bytes: usize, metadata_first: bool) -> Vec<u8> {
    let mut state = 7u32;
    let noise: Vec<u8> = std::iter::repeat_with(|| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 24) as u8
    })
    .take(bytes)
    .collect();
    let mut tar = tar::Builder::new(flate2::write::GzEncoder::new(
        Vec::new(),
        flate2::Compression::fast(),
    ));
    let mut members = vec![("setup.bin".to_owned(), noise)];
    let info = (
        "PKG-INFO".to_owned(),
        metadata(version, "moulin").into_bytes(),
    );
    members.insert(if metadata_first { 0 } else { 1 }, info);
    for (path, bytes) in members {
        let mut header = tar::Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(0o644);
        tar.append_data(
            &mut header,
            format!("snowberm-{version}/{path}"),
            bytes.as_slice(),
        )
        .unwrap();
    }
    tar.into_inner().unwrap().finish().unwrap()
}

impl Site {
    /// `keys` are further keys of each file on the page: HASH stands for its hash, SIZE for its
    /// size.
    fn new(files: &[(&str, Vec<u8>)], keys: &str, trouble: Trouble) -> Self {
        let root = tempfile::tempdir().unwrap();
        let folder = root.path().join("snowberm");
        std::fs::create_dir(&folder).unwrap();
        let entries: Vec<String> = files
            .iter()
            .map(|(file, bytes)| {
                std::fs::write(folder.join(file), bytes).unwrap();
                let keys = keys
                    .replace("HASH", &hex(&Sha256::digest(bytes)))
                    .replace("SIZE", &bytes.len().to_string());
                format!(r#"{{"filename":"{file}","url":"{file}"{keys}}}"#)
            })
            .collect();
        let page = format!(
            r#"{{"meta":{{"api-version":"1.1"}},"files":[{}]}}"#,
            entries.join(",")
        );
        std::fs::write(folder.join("index.json"), page).unwrap();
        let server = Server::start(root.path(), trouble).unwrap();
        Site {
            root,
            server,
            files: files.iter().map(|(f, _)| (*f).to_owned()).collect(),
        }
    }

    fn depot(&self, cache: &Path, limits: FetchLimits, renew: bool) -> Arc<dyn Depot> {
        let settings = NetworkSettings {
            timeout: 5,
            attempts: 2,
            limits,
        };
        let network = Arc::new(Network::new(cache, false, renew, settings));
        open(&Named::at(&self.server.url(), Path::new("/")), &network).unwrap()
    }

    fn ask(&self, cache: &Path, limits: FetchLimits, effort: Effort, at: usize) -> MetadataAnswer {
        let depot = self.depot(cache, limits, false);
        depot
            .metadata(&name(), &self.file(depot.as_ref(), at), effort)
            .unwrap()
    }

    fn file(&self, depot: &dyn Depot, at: usize) -> Arc<PageFile> {
        let page = depot.page(&name()).unwrap().unwrap();
        page.files
            .iter()
            .find(|f| *f.filename == *self.files[at])
            .unwrap()
            .clone()
    }

    /// Requests for files so far, and the bytes that came of them.
    fn requests(&self) -> (usize, u64) {
        let seen = self.server.take_seen();
        let of_files: Vec<_> = seen.iter().filter(|s| !s.path.ends_with('/')).collect();
        (of_files.len(), of_files.iter().map(|s| s.bytes).sum())
    }
}

fn needs(answer: &MetadataAnswer) -> String {
    match answer {
        MetadataAnswer::Known(metadata) => {
            metadata.requires.iter().map(ToString::to_string).collect()
        }
        other => format!("{other:?}"),
    }
}

const FILE: &str = "snowberm-1.0-py3-none-any.whl";
const HASHED: &str = r#","hashes":{"sha256":"HASH"}"#;
const SIZED: &str = r#","hashes":{"sha256":"HASH"},"size":SIZE"#;

#[rstest]
#[case::at_the_end((20, 90_000, false), SIZED, Trouble::default(), 1, 40_000)]
#[case::at_the_beginning((20, 90_000, true), SIZED, Trouble::default(), 2, 45_000)]
#[case::at_the_end_of_a_large_directory((20_000, 10, false), SIZED, Trouble::default(), 2, 50_000)]
#[case::behind_a_large_directory((20_000, 10, true), SIZED, Trouble::default(), 3, 2_200_000)]
#[case::no_size_is_stated((20_000, 10, true), HASHED, Trouble::default(), 3, 2_200_000)]
#[case::no_ranges_from_the_end((20_000, 10, true), HASHED, Trouble { no_suffix_ranges: true, ..Trouble::default() }, 4, 6_000_000)]
fn a_wheel_is_read_in_few_parts(
    #[case] (members, size, first): (usize, usize, bool),
    #[case] keys: &str,
    #[case] trouble: Trouble,
    #[case] most_requests: usize,
    #[case] most_bytes: u64,
) {
    let trouble = Trouble {
        no_sidecars: true,
        ..trouble
    };
    let site = Site::new(&[(FILE, wheel("1.0", members, size, first))], keys, trouble);
    let cache = tempfile::tempdir().unwrap();
    assert_eq!(
        needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, 0)),
        "firnio>=1"
    );
    let (requests, bytes) = site.requests();
    // One of them looked for metadata beside the file.
    assert!(
        requests - 1 <= most_requests && bytes < most_bytes,
        "{requests} requests, {bytes} bytes"
    );
    assert_eq!(
        needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, 0)),
        "firnio>=1"
    );
    assert_eq!(site.requests(), (0, 0), "what was learnt is kept");
}

#[test]
fn an_answer_of_the_whole_is_cut_off() {
    let trouble = Trouble {
        no_sidecars: true,
        no_ranges: true,
        ..Trouble::default()
    };
    let site = Site::new(&[(FILE, wheel("1.0", 1, 20_000_000, true))], SIZED, trouble);
    let cache = tempfile::tempdir().unwrap();
    let answer = site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, 0);
    assert!(
        matches!(answer, MetadataAnswer::Dear(bytes) if bytes > 20_000_000),
        "{answer:?}"
    );
    std::thread::sleep(std::time::Duration::from_millis(300));
    let (requests, bytes) = site.requests();
    assert!(
        requests <= 2 && bytes < 12_000_000,
        "{requests} requests, {bytes} bytes"
    );
}

#[test]
fn the_list_of_files_is_kept_where_it_came_along() {
    let site = Site::new(
        &[(FILE, wheel("1.0", 5, 1000, true))],
        SIZED,
        Trouble::default(),
    );
    let cache = tempfile::tempdir().unwrap();
    let depot = site.depot(cache.path(), FetchLimits::default(), false);
    let file = site.file(depot.as_ref(), 0);
    assert_eq!(
        depot.listed(&name(), &file),
        None,
        "it is not fetched for that alone"
    );
    depot.metadata(&name(), &file, Effort::Cheap).unwrap();
    let listed = depot.listed(&name(), &file).unwrap();
    assert_eq!(listed.iter().filter(|f| f.size == 1000).count(), 5);
    assert!(
        listed
            .iter()
            .any(|f| f.path == "snowberm-1.0.dist-info/METADATA")
    );
}

#[rstest]
// What is under way when it is cut off was sent all the same.
#[case::first(true, 12_000_000)]
#[case::last(false, 22_000_000)]
fn a_source_archive_is_streamed_and_cut(#[case] metadata_first: bool, #[case] most: u64) {
    let site = Site::new(
        &[(
            "snowberm-1.0.tar.gz",
            source("1.0", 20_000_000, metadata_first),
        )],
        SIZED,
        Trouble::default(),
    );
    let cache = tempfile::tempdir().unwrap();
    let cheap = site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, 0);
    assert!(
        matches!(cheap, MetadataAnswer::Dear(bytes) if bytes > 19_000_000),
        "{cheap:?}"
    );
    assert_eq!(site.requests(), (0, 0), "the price stands on the page");
    assert_eq!(
        needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Archive, 0)),
        "moulin"
    );
    std::thread::sleep(std::time::Duration::from_millis(300));
    let (requests, bytes) = site.requests();
    assert!(
        requests == 1 && bytes < most,
        "{requests} requests, {bytes} bytes"
    );
    assert!(
        !cache.path().join("files-1").exists(),
        "it is not kept whole"
    );
    // Its price stays, so that the order of questions does.
    assert!(matches!(
        site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, 0),
        MetadataAnswer::Dear(_)
    ));
    assert_eq!(
        needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Archive, 0)),
        "moulin"
    );
    assert_eq!(site.requests(), (0, 0));
}

#[test]
fn a_stream_with_another_hash_is_refused_when_it_was_read_to_its_end() {
    let keys = r#","hashes":{"sha512":"00"},"size":SIZE"#;
    let site = Site::new(
        &[("snowberm-1.0.tar.gz", source("1.0", 9_000, false))],
        keys,
        Trouble::default(),
    );
    let cache = tempfile::tempdir().unwrap();
    let depot = site.depot(cache.path(), FetchLimits::default(), false);
    let error = depot
        .metadata(&name(), &site.file(depot.as_ref(), 0), Effort::Archive)
        .unwrap_err();
    assert!(
        error.message.contains("has the sha512"),
        "{}",
        error.message
    );
}

#[test]
fn some_files_of_a_host_have_metadata_beside_them() {
    let files: Vec<(String, Vec<u8>)> = (0..6)
        .map(|i| {
            (
                format!("snowberm-{i}.0-py3-none-any.whl"),
                wheel(&format!("{i}.0"), 1, 90_000, true),
            )
        })
        .collect();
    let borrowed: Vec<(&str, Vec<u8>)> =
        files.iter().map(|(f, b)| (f.as_str(), b.clone())).collect();
    let trouble = Trouble {
        sidecars_on: Some("snowberm-4.0".to_owned()),
        ..Trouble::default()
    };
    let site = Site::new(&borrowed, SIZED, trouble);
    let beside = site
        .root
        .path()
        .join("snowberm/snowberm-4.0-py3-none-any.whl.metadata");
    std::fs::write(beside, metadata("4.0", "katabat")).unwrap();
    let cache = tempfile::tempdir().unwrap();
    let told: Vec<String> = (0..6)
        .map(|at| needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Cheap, at)))
        .collect();
    assert_eq!(
        told,
        [
            "firnio>=1",
            "firnio>=1",
            "firnio>=1",
            "firnio>=1",
            "katabat",
            "firnio>=1"
        ]
    );
}

/// How many requests for parts come with each further file of a host that gives them only whole.
#[rstest]
#[case::large(100_000, &[1, 1, 1, 0, 0])]
#[case::small_files_say_nothing_of_others(1_000, &[1, 1, 1, 1, 1])]
fn a_host_that_gives_no_parts_is_remembered_after_some_files(
    #[case] size: usize,
    #[case] expected: &[usize],
) {
    let files: Vec<(String, Vec<u8>)> = (0..5)
        .map(|i| {
            (
                format!("snowberm-{i}.0-py3-none-any.whl"),
                wheel(&format!("{i}.0"), 1, size, true),
            )
        })
        .collect();
    let borrowed: Vec<(&str, Vec<u8>)> =
        files.iter().map(|(f, b)| (f.as_str(), b.clone())).collect();
    let site = Site::new(
        &borrowed,
        SIZED,
        Trouble {
            no_sidecars: true,
            no_ranges: true,
            ..Trouble::default()
        },
    );
    let cache = tempfile::tempdir().unwrap();
    let depot = site.depot(cache.path(), FetchLimits::default(), false);
    let ranges = |at: usize| {
        site.server.take_seen();
        let answer = depot
            .metadata(&name(), &site.file(depot.as_ref(), at), Effort::Archive)
            .unwrap();
        assert_eq!(needs(&answer), "firnio>=1");
        site.server
            .take_seen()
            .iter()
            .filter(|s| s.range.is_some())
            .count()
    };
    assert_eq!((0..5).map(ranges).collect::<Vec<_>>(), expected);
}

#[test]
fn what_costs_too_much_is_not_fetched_and_told_the_same_each_time() {
    let trouble = Trouble {
        no_sidecars: true,
        no_ranges: true,
        ..Trouble::default()
    };
    let site = Site::new(&[(FILE, wheel("1.0", 1, 300_000, true))], SIZED, trouble);
    let cache = tempfile::tempdir().unwrap();
    let small = FetchLimits {
        file: 100_000,
        run: 1_000_000,
    };
    let refused = |site: &Site| {
        let answer = site.ask(cache.path(), small, Effort::Archive, 0);
        assert!(
            matches!(answer, MetadataAnswer::TooDear { size, limit: 100_000 } if size > 300_000),
            "{answer:?}"
        );
    };
    refused(&site);
    assert_eq!(
        needs(&site.ask(cache.path(), FetchLimits::of(1_000_000), Effort::Archive, 0)),
        "firnio>=1"
    );
    // Now it is in the cache, and the answer stays what it was.
    refused(&site);
}

#[test]
fn a_run_that_would_fetch_too_much_ends() {
    let files: Vec<(String, Vec<u8>)> = (0..4)
        .map(|i| {
            (
                format!("snowberm-{i}.0-py3-none-any.whl"),
                wheel(&format!("{i}.0"), 1, 300_000, true),
            )
        })
        .collect();
    let borrowed: Vec<(&str, Vec<u8>)> =
        files.iter().map(|(f, b)| (f.as_str(), b.clone())).collect();
    let trouble = Trouble {
        no_sidecars: true,
        no_ranges: true,
        ..Trouble::default()
    };
    let site = Site::new(&borrowed, SIZED, trouble);
    let cache = tempfile::tempdir().unwrap();
    let depot = site.depot(
        cache.path(),
        FetchLimits {
            file: 400_000,
            run: 1_000_000,
        },
        false,
    );
    let ask = |at: usize| depot.metadata(&name(), &site.file(depot.as_ref(), at), Effort::Archive);
    assert!((0..3).all(|at| ask(at).is_ok()));
    let error = ask(3).unwrap_err();
    assert_eq!(error.kind, ErrorKind::Budget);
    assert!(
        error.help.unwrap().contains("--fetch-limit"),
        "{}",
        error.message
    );
}

/// A depot that lies about a file that another depot has too.
#[rstest]
#[case::beside_the_file(r#","hashes":{"sha256":"HASH"},"core-metadata":true,"size":SIZE"#)]
#[case::not_announced(SIZED)]
fn what_one_depot_says_is_not_believed_of_another(#[case] keys: &str) {
    let bytes = wheel("1.0", 1, 90_000, true);
    let (evil, good) = (
        Site::new(&[(FILE, bytes.clone())], keys, Trouble::default()),
        Site::new(
            &[(FILE, bytes)],
            SIZED,
            Trouble {
                no_sidecars: true,
                ..Trouble::default()
            },
        ),
    );
    let lie = metadata("1.0", "mirefall");
    std::fs::write(
        evil.root.path().join(format!("snowberm/{FILE}.metadata")),
        lie,
    )
    .unwrap();
    let cache = tempfile::tempdir().unwrap();
    let ask =
        |site: &Site| needs(&site.ask(cache.path(), FetchLimits::default(), Effort::Archive, 0));
    assert_eq!(ask(&evil), "mirefall");
    assert_eq!(ask(&good), "firnio>=1");
}

#[test]
fn what_a_depot_says_is_asked_anew_when_that_is_wished() {
    let keys = r#","hashes":{"sha256":"HASH"},"core-metadata":true"#;
    let site = Site::new(
        &[(FILE, wheel("1.0", 1, 90_000, true))],
        keys,
        Trouble::default(),
    );
    let beside = site.root.path().join(format!("snowberm/{FILE}.metadata"));
    let cache = tempfile::tempdir().unwrap();
    let ask = |renew: bool| {
        let depot = site.depot(cache.path(), FetchLimits::default(), renew);
        needs(
            &depot
                .metadata(&name(), &site.file(depot.as_ref(), 0), Effort::Cheap)
                .unwrap(),
        )
    };
    std::fs::write(&beside, metadata("1.0", "old")).unwrap();
    assert_eq!(ask(false), "old");
    std::fs::write(&beside, metadata("1.0", "new")).unwrap();
    assert_eq!(
        (ask(false), ask(true), ask(false)),
        ("old".to_owned(), "new".to_owned(), "new".to_owned())
    );
}

#[test]
fn a_file_that_is_gone_bars_its_release_and_no_more() {
    let site = Site::new(
        &[(FILE, wheel("1.0", 1, 9, true))],
        SIZED,
        Trouble::default(),
    );
    std::fs::remove_file(site.root.path().join(format!("snowberm/{FILE}"))).unwrap();
    let cache = tempfile::tempdir().unwrap();
    let answer = site.ask(cache.path(), FetchLimits::default(), Effort::Archive, 0);
    assert!(
        matches!(&answer, MetadataAnswer::Unusable(why) if why.contains("404")),
        "{answer:?}"
    );
}
