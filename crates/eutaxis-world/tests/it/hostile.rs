//! Wheels that must be refused: nothing of them reaches the store.

use std::io::{Cursor, Write};
use std::path::Path;

use eutaxis_core::artifact::{NameRules, WheelName, hex, record_base64};
use eutaxis_world::store::Store;
use rstest::rstest;
use sha2::{Digest, Sha256};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

const NAME: &str = "firnio-1.0-py3-none-any.whl";
const INFO: &str = "firnio-1.0.dist-info";

/// Members of a harmless wheel; RECORD is made by `wheel`.
fn members() -> Vec<(String, Vec<u8>)> {
    vec![
        ("firnio/__init__.py".to_owned(), b"x = 1\n".to_vec()),
        (
            format!("{INFO}/METADATA"),
            b"Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n".to_vec(),
        ),
        (
            format!("{INFO}/WHEEL"),
            b"Wheel-Version: 1.0\nRoot-Is-Purelib: true\n".to_vec(),
        ),
    ]
}

fn record(members: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut text = String::new();
    for (path, bytes) in members {
        text.push_str(&format!(
            "\"{path}\",sha256={},{}\n",
            record_base64(&Sha256::digest(bytes)),
            bytes.len()
        ));
    }
    text.push_str(&format!("{INFO}/RECORD,,\n"));
    text.into_bytes()
}

fn wheel(members: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut all = members.to_vec();
    all.push((format!("{INFO}/RECORD"), record(members)));
    zipped(&all)
}

fn zipped(members: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (path, bytes) in members {
        if let Some(target) = path.strip_prefix("LINK ") {
            zip.add_symlink(
                target,
                String::from_utf8_lossy(bytes),
                SimpleFileOptions::default(),
            )
            .unwrap();
            continue;
        }
        zip.start_file(path, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// Unpacks into a fresh store; gives the message of the refusal.
fn unpack(bytes: &[u8], sha256: Option<&str>) -> Result<usize, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(NAME);
    std::fs::write(&path, bytes).unwrap();
    let hash = sha256.map_or_else(|| hex(&Sha256::digest(bytes)), str::to_owned);
    let store = Store::open(&folder.path().join("cache")).unwrap();
    let result = store.unpacked(
        &path,
        &WheelName::parse(NAME).unwrap(),
        &hash,
        NameRules::Posix,
    );
    let count = |path: &Path| std::fs::read_dir(path).unwrap().count();
    assert_eq!(
        count(&folder.path().join("cache/store-1/tmp")),
        0,
        "nothing half-done is left"
    );
    assert_eq!(
        count(folder.path()),
        2,
        "nothing was written beside the store"
    );
    match result {
        Ok(unpacked) => Ok(unpacked.manifest.files.len()),
        Err(error) => {
            assert_eq!(
                count(&folder.path().join("cache/store-1")),
                1,
                "the store holds nothing of it"
            );
            Err(error.message)
        }
    }
}

fn with(path: &str, bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut all = members();
    all.push((path.to_owned(), bytes.to_vec()));
    all
}

#[test]
fn a_harmless_wheel_is_unpacked() {
    assert_eq!(unpack(&wheel(&members()), None), Ok(4));
}

#[rstest]
#[case::absolute("/etc/x", "absolute")]
#[case::upwards("../x", "leads out")]
#[case::inside_upwards("firnio/../../x", "leads out")]
#[case::backslash("a\\b", "backslash")]
#[case::drive("C:x", "colon")]
#[case::control("a\u{7}b", "control")]
#[case::case_twin("Firnio/__init__.py", "but for case")]
#[case::file_and_folder("firnio/__init__.py/x", "a file and a folder")]
#[case::second_info("other-1.0.dist-info/METADATA", "exactly one .dist-info")]
#[case::link("LINK firnio/link", "link or a device")]
fn unsafe_entries_are_refused(#[case] path: &str, #[case] part: &str) {
    let message = unpack(&wheel(&with(path, b"x")), None).unwrap_err();
    assert!(message.contains(part), "{message}");
}

#[rstest]
#[case::not_listed(|all: &mut Vec<(String, Vec<u8>)>| all.insert(0, ("firnio/extra.py".into(), vec![])), "is not in its RECORD")]
#[case::other_bytes(|all: &mut Vec<(String, Vec<u8>)>| all[0].1.push(b'#'), "does not have the \
    hash")]
#[case::no_record(|all: &mut Vec<(String, Vec<u8>)>| { all.pop(); }, "RECORD is missing")]
#[case::weak_hash(|all: &mut Vec<(String, Vec<u8>)>| {
    let last = all.last_mut().unwrap();
    last.1 = String::from_utf8_lossy(&last.1).replace("sha256=", "md5=").into_bytes();
}, "does not have the hash")]
fn contents_against_record(
    #[case] change: impl Fn(&mut Vec<(String, Vec<u8>)>),
    #[case] part: &str,
) {
    let mut all = members();
    all.push((format!("{INFO}/RECORD"), record(&members())));
    change(&mut all);
    let message = unpack(&zipped(&all), None).unwrap_err();
    assert!(message.contains(part), "{message}");
}

#[rstest]
#[case::name("Name: firnio", "Name: moulin", "its metadata says moulin")]
#[case::version("Version: 1.0\n", "Version: 2.0\n", "its metadata says firnio 2.0")]
#[case::format("Wheel-Version: 1.0", "Wheel-Version: 2.0", "Wheel-Version")]
fn untruthful_wheels_are_refused(#[case] from: &str, #[case] to: &str, #[case] part: &str) {
    let mut all = members();
    for (_, bytes) in &mut all {
        *bytes = String::from_utf8_lossy(bytes)
            .replace(from, to)
            .into_bytes();
    }
    let message = unpack(&wheel(&all), None).unwrap_err();
    assert!(message.contains(part), "{message}");
}

#[test]
fn doubled_entries_are_refused() {
    // The writer refuses two equal names: the second is given its name afterwards, in both places
    // where it stands.
    let mut all = members();
    all.push(("firnio/__inix__.py".to_owned(), b"x = 2\n".to_vec()));
    let bytes = wheel(&all);
    let (from, to) = (b"firnio/__inix__.py", b"firnio/__init__.py");
    let mut doubled = bytes.clone();
    for at in 0..bytes.len() - from.len() {
        if bytes[at..].starts_with(from) {
            doubled[at..at + from.len()].copy_from_slice(to);
        }
    }
    assert!(unpack(&doubled, None).is_err());
}

#[test]
fn bytes_that_unpack_to_too_much_are_refused() {
    let message = unpack(&wheel(&with("firnio/big", &vec![0; 65 << 20])), None).unwrap_err();
    assert!(message.contains("unpacks to"), "{message}");
}

#[test]
fn other_bytes_than_pinned_are_refused() {
    let message = unpack(&wheel(&members()), Some(&"0".repeat(64))).unwrap_err();
    assert!(message.contains("the pins say"), "{message}");
    assert!(
        unpack(&wheel(&members()), Some("../../x"))
            .unwrap_err()
            .contains("not a SHA-256")
    );
}

/// Every single changed byte, and every cut, gives an error or the same files; never a panic.
#[test]
fn damaged_archives_never_panic() {
    let bytes = wheel(&members());
    for at in (0..bytes.len()).step_by(3) {
        let mut damaged = bytes.clone();
        damaged[at] ^= 0x41;
        let _ = unpack(&damaged, None);
        let _ = unpack(&bytes[..at], None);
    }
}
