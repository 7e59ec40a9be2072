//! Part files as they grow, against heads of answers; files of this disk. No network.

use eutaxis_core::artifact::hex;
use reqwest::header::{CONTENT_RANGE, HeaderMap, HeaderValue};
use rstest::rstest;
use sha2::{Digest, Sha256};

use super::*;
use crate::ErrorKind;

const BYTES: &[u8] = b"radargram of the upper cirque";

fn sha256(bytes: &[u8]) -> String {
    hex(&Sha256::digest(bytes))
}

fn hashes(pairs: &[(&str, &str)]) -> Hashes {
    pairs.iter().copied().collect()
}

fn head(status: u16, range: Option<&str>) -> Head {
    let mut headers = HeaderMap::new();
    if let Some(range) = range {
        headers.insert(CONTENT_RANGE, HeaderValue::from_str(range).unwrap());
    }
    Head {
        status,
        url: Url::parse("http://127.0.0.1/f").unwrap(),
        headers,
    }
}

/// A part file with something in it.
struct Part {
    folder: tempfile::TempDir,
}

impl Part {
    fn of(there: &[u8]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("part"), there).unwrap();
        Part { folder }
    }

    fn path(&self) -> PathBuf {
        self.folder.path().join("part")
    }

    fn read(&self) -> Vec<u8> {
        std::fs::read(self.path()).unwrap()
    }
}

#[test]
fn a_part_that_is_there_is_gone_on_with() {
    let part = Part::of(&BYTES[..10]);
    let (stated, path) = (hashes(&[("sha256", &sha256(BYTES))]), part.path());
    let told = std::sync::Mutex::new(Vec::new());
    let bytes = |n: i64| told.lock().unwrap().push(n);
    let mut file = PartFile::open(&path, MOST, &stated, &bytes).unwrap();
    assert_eq!(file.there(), 10);
    let whole = format!("bytes 10-{}/{}", BYTES.len() - 1, BYTES.len());
    assert!(file.begin(&head(206, Some(&whole))).unwrap());
    assert!(file.more(&BYTES[10..15]).unwrap());
    assert!(file.more(&BYTES[15..]).unwrap());
    let (came, found) = file.finish().unwrap();
    assert_eq!(came.sha256, sha256(BYTES));
    assert_eq!(came.size, BYTES.len() as u64);
    assert!(found.differs(&stated).is_none());
    assert_eq!(part.read(), BYTES);
    assert_eq!(told.into_inner().unwrap(), [10, 5, BYTES.len() as i64 - 15]);
}

#[test]
fn a_server_that_sends_the_whole_begins_anew() {
    let part = Part::of(b"of another file");
    let (stated, path) = (Hashes::default(), part.path());
    let balance = std::sync::Mutex::new(0);
    let bytes = |n: i64| *balance.lock().unwrap() += n;
    let mut file = PartFile::open(&path, MOST, &stated, &bytes).unwrap();
    assert!(file.begin(&head(200, None)).unwrap());
    assert_eq!(file.there(), 0);
    file.more(BYTES).unwrap();
    let (came, _) = file.finish().unwrap();
    assert_eq!(came.sha256, sha256(BYTES));
    assert_eq!(part.read(), BYTES);
    assert_eq!(*balance.lock().unwrap(), BYTES.len() as i64);
}

#[test]
fn another_part_than_was_asked_for_is_no_part() {
    let part = Part::of(&BYTES[..10]);
    let (stated, path) = (Hashes::default(), part.path());
    let mut file = PartFile::open(&path, MOST, &stated, &|_| ()).unwrap();
    let error = file.begin(&head(206, Some("bytes 3-9/29"))).unwrap_err();
    assert_eq!(error.kind, ErrorKind::Network);
    assert!(error.message.contains("another part"), "{}", error.message);
    // It begins anew, so that nothing wrong stays for the next run.
    assert_eq!((file.there(), part.read().len()), (0, 0));
}

#[rstest]
#[case::nothing_is_there(404)]
#[case::not_changed(304)]
#[case::no_such_part(416)]
fn other_answers_have_no_body_for_it(#[case] status: u16) {
    let part = Part::of(&BYTES[..10]);
    let (stated, path) = (Hashes::default(), part.path());
    let mut file = PartFile::open(&path, MOST, &stated, &|_| ()).unwrap();
    assert!(!file.begin(&head(status, None)).unwrap());
    assert_eq!(part.read(), &BYTES[..10]);
}

#[test]
fn a_part_larger_than_the_file_is_begun_anew() {
    let part = Part::of(BYTES);
    let (stated, path) = (Hashes::default(), part.path());
    let file = PartFile::open(&path, 5, &stated, &|n| assert!(n <= 0)).unwrap();
    assert_eq!(file.there(), 0);
    assert!(part.read().is_empty());
}

#[rstest]
#[case::as_stated(&[("sha256", true)], None)]
#[case::nothing_stated(&[], None)]
#[case::another_one(&[("sha256", false)], Some("SHA-256"))]
#[case::of_two_the_second(&[("sha256", true), ("md5", false)], Some("md5"))]
fn every_stated_hash_of_a_file_is_checked(
    #[case] stated: &[(&str, bool)],
    #[case] wrong: Option<&str>,
) {
    let right = |name: &str| match name {
        "sha256" => sha256(BYTES),
        _ => "0".repeat(32),
    };
    let pairs: Vec<(&str, String)> = stated
        .iter()
        .map(|(name, holds)| {
            let value = if *holds {
                right(name)
            } else {
                right(name).replace(|c| c != '0', "1")
            };
            (*name, value)
        })
        .collect();
    let pairs: Vec<(&str, &str)> = pairs.iter().map(|(n, v)| (*n, v.as_str())).collect();
    let part = Part::of(BYTES);
    let checked = check_file(&part.path(), Path::new("snow.whl"), &hashes(&pairs));
    match wrong {
        None => assert_eq!(checked.unwrap().sha256, sha256(BYTES)),
        Some(name) => {
            let error = checked.unwrap_err();
            assert_eq!(error.kind, ErrorKind::Contents);
            let start = format!("snow.whl has the {name} ");
            assert!(error.message.starts_with(&start), "{}", error.message);
            assert!(error.help.is_some());
        }
    }
}

#[test]
fn a_copy_is_whole_or_not_there() {
    let part = Part::of(BYTES);
    let target = part.folder.path().join("deep/copy");
    let right = hashes(&[("sha256", &sha256(BYTES))]);
    let came = copy(&part.path(), &right, &target, &|n| {
        assert_eq!(n, BYTES.len() as i64)
    });
    assert_eq!(came.unwrap().size, BYTES.len() as u64);
    assert_eq!(std::fs::read(&target).unwrap(), BYTES);

    let wrong = hashes(&[("sha256", &sha256(b"other"))]);
    let other = part.folder.path().join("deep/other");
    assert!(copy(&part.path(), &wrong, &other, &|_| panic!("nothing came")).is_err());
    assert!(!other.exists());

    let absent = part.folder.path().join("absent");
    let error = copy(&absent, &right, &other, &|_| ()).unwrap_err();
    assert!(
        error.message.starts_with("cannot read"),
        "{}",
        error.message
    );
}

#[rstest]
#[case::a_strong_hash(&[("sha256", "ab")], false, Trust::Hashed)]
#[case::a_weak_one(&[("md5", "ab")], false, Trust::Guarded)]
#[case::none(&[], false, Trust::Guarded)]
#[case::the_user_insists(&[("sha256", "ab")], true, Trust::Insists)]
fn what_may_be_done_on_the_way(
    #[case] stated: &[(&str, &str)],
    #[case] insecure: bool,
    #[case] trust: Trust,
) {
    let wanted = Wanted {
        url: Url::parse("https://depot.example/f").unwrap(),
        filename: "f".to_owned(),
        hashes: hashes(stated),
        size: None,
        insecure,
        learning: false,
    };
    assert_eq!(wanted.trust(), trust);
}
