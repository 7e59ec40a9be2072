//! Entries: made once, noticed when they are changed, and never half there.

use eutaxis_core::artifact::hex;
use eutaxis_demo::{Wheel, write_wheel};
use rstest::rstest;
use sha2::{Digest, Sha256};

use super::*;
use crate::ErrorKind;

/// A wheel on this disk beside an empty store.
struct Shelf {
    folder: tempfile::TempDir,
    store: Store,
    wheel: PathBuf,
    name: WheelName,
    sha256: String,
}

impl Shelf {
    fn new() -> Self {
        let metadata = b"Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n".to_vec();
        let wheel = Wheel {
            name: "firnio".to_owned(),
            version: "1.0".to_owned(),
            tags: "py3-none-any".to_owned(),
            files: vec![
                ("firnio/__init__.py".to_owned(), b"depth = 3\n".to_vec()),
                ("firnio-1.0.dist-info/METADATA".to_owned(), metadata),
            ],
        };
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(wheel.filename());
        let bytes = write_wheel(&wheel).unwrap();
        fs::write(&path, &bytes).unwrap();
        Shelf {
            store: Store::open(&folder.path().join("cache")).unwrap(),
            name: WheelName::parse(&wheel.filename()).unwrap(),
            sha256: hex(&Sha256::digest(&bytes)),
            wheel: path,
            folder,
        }
    }

    fn unpacked(&self) -> Result<Unpacked> {
        self.store
            .unpacked(&self.wheel, &self.name, &self.sha256, NameRules::Posix)
    }

    /// What lies in the store's folder for what is under way.
    fn under_way(&self) -> usize {
        fs::read_dir(self.store.root().join("tmp")).unwrap().count()
    }
}

#[test]
fn a_wheel_is_unpacked_once() {
    let shelf = Shelf::new();
    assert!(!shelf.store.has(&shelf.sha256));
    let first = shelf.unpacked().unwrap();
    assert_eq!(first.read, fs::metadata(&shelf.wheel).unwrap().len());
    assert!(shelf.store.has(&shelf.sha256));
    assert!(shelf.store.has(&shelf.sha256.to_ascii_uppercase()));
    // The wheel is not needed any more.
    fs::remove_file(&shelf.wheel).unwrap();
    let second = shelf.unpacked().unwrap();
    assert_eq!((second.read, &second.root), (0, &first.root));
    assert_eq!(second.size(), first.size());
    let module = fs::read_to_string(second.root.join("firnio/__init__.py")).unwrap();
    assert_eq!(module, "depth = 3\n");
    assert_eq!(shelf.under_way(), 0);
}

#[cfg(unix)]
#[test]
fn files_are_protected_and_one_that_was_changed_is_noticed() {
    use std::os::unix::fs::PermissionsExt;
    let shelf = Shelf::new();
    let entry = shelf.unpacked().unwrap();
    let module = entry.root.join("firnio/__init__.py");
    let mode = fs::metadata(&module).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o444);
    fs::set_permissions(&module, fs::Permissions::from_mode(0o644)).unwrap();
    fs::write(&module, "depth = 300\n").unwrap();
    assert!(!shelf.store.has(&shelf.sha256));
    // It is unpacked again from the wheel.
    let again = shelf.unpacked().unwrap();
    assert!(again.read > 0);
    let text = fs::read_to_string(again.root.join("firnio/__init__.py")).unwrap();
    assert_eq!(text, "depth = 3\n");
    assert_eq!(shelf.under_way(), 0);
}

#[test]
fn an_entry_without_its_list_is_made_anew() {
    let shelf = Shelf::new();
    let entry = shelf.unpacked().unwrap();
    let list = entry.root.parent().unwrap().join("manifest.json");
    fs::write(&list, b"{\"wheel\":").unwrap();
    assert!(!shelf.store.has(&shelf.sha256));
    assert_eq!(size_of(list.parent().unwrap()), 0);
    assert!(shelf.unpacked().unwrap().read > 0);
    assert!(shelf.store.has(&shelf.sha256));
}

#[test]
fn bytes_of_another_hash_leave_nothing() {
    let shelf = Shelf::new();
    let other = "ab".repeat(32);
    let error = shelf
        .store
        .unpacked(&shelf.wheel, &shelf.name, &other, NameRules::Posix)
        .unwrap_err();
    assert_eq!(error.kind, ErrorKind::Contents);
    assert!(!shelf.store.has(&other));
    assert_eq!(shelf.under_way(), 0);
    let bad = shelf
        .store
        .unpacked(&shelf.wheel, &shelf.name, "../../etc", NameRules::Posix);
    assert!(bad.unwrap_err().message.contains("is not a SHA-256 hash"));
    assert!(!shelf.store.has("../../etc"));
}

/// Whether nothing, or something damaged, was there before.
#[rstest]
#[case::new(false)]
#[case::damaged(true)]
fn many_at_once_make_one_whole_entry(#[case] damaged: bool) {
    let shelf = Shelf::new();
    for _ in 0..20 {
        let entry = shelf.store.entry(&shelf.sha256);
        remove_tree(&entry);
        if damaged {
            fs::create_dir_all(&entry).unwrap();
            fs::write(entry.join("manifest.json"), "{").unwrap();
        }
        let roots: Vec<PathBuf> = std::thread::scope(|scope| {
            let all: Vec<_> = (0..8)
                .map(|_| scope.spawn(|| shelf.unpacked().unwrap().root))
                .collect();
            all.into_iter().map(|t| t.join().unwrap()).collect()
        });
        assert!(roots.iter().all(|r| r.join("firnio/__init__.py").is_file()));
        assert!(roots.windows(2).all(|w| w[0] == w[1]));
        assert!(shelf.store.has(&shelf.sha256));
        assert_eq!(shelf.under_way(), 0);
    }
}

#[test]
fn what_a_killed_run_left_is_swept_when_it_is_old() {
    let shelf = Shelf::new();
    let left = shelf.store.root().join("tmp/wheel-left");
    let fresh = shelf.store.root().join("tmp/wheel-fresh");
    fs::create_dir(&left).unwrap();
    fs::create_dir(&fresh).unwrap();
    let old = SystemTime::now() - 2 * STALE;
    fs::File::open(&left).unwrap().set_modified(old).unwrap();
    Store::open(&shelf.folder.path().join("cache")).unwrap();
    assert!(!left.exists());
    assert!(fresh.exists());
}

#[test]
fn the_last_use_is_noted_once_a_day() {
    let shelf = Shelf::new();
    let entry = shelf.unpacked().unwrap();
    let list = entry.root.parent().unwrap().join("manifest.json");
    let noted = || fs::metadata(&list).unwrap().modified().unwrap();
    let before = noted();
    shelf.unpacked().unwrap();
    assert_eq!(noted(), before);
    let old = SystemTime::now() - 2 * NOTE_USE_AFTER;
    let file = fs::File::options().append(true).open(&list).unwrap();
    file.set_modified(old).unwrap();
    shelf.unpacked().unwrap();
    assert!(noted() > old + NOTE_USE_AFTER);
    // To note it does not make the entry another.
    assert!(shelf.store.has(&shelf.sha256));
}
