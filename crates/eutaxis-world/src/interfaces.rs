//! Reading sources for a walk through their imports, several at once, and keeping what they give and
//! take by their bytes, so that each file is read once.

use std::path::PathBuf;
use std::sync::Arc;

use eutaxis_core::interface::{Module, Walk, Wanted};
use rayon::prelude::*;

use crate::catalogue::Catalogue;
use crate::files::read_plain;
use crate::hash::sha256;
use eutaxis_core::artifact::record_base64;

/// What is kept was read by this form of the reader.
const READER: u32 = 1;

/// Where a source is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// The file.
    pub path: PathBuf,
    /// What its bytes were found to hash to: `sha256=` as in RECORD (PEP 376 and 427). Without it the
    /// source is read anew.
    pub hash: Option<String>,
}

/// How much was read.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Effort {
    /// Sources that were followed.
    pub sources: usize,
    /// Of these, those that were read now.
    pub read: usize,
    /// Bytes of those.
    pub bytes: u64,
}

/// Follows a walk to its end.
pub fn follow(
    walk: &mut Walk<'_>,
    locate: &(dyn Fn(&Wanted) -> Option<Source> + Sync),
    catalogue: &Catalogue,
) -> Effort {
    let mut effort = Effort::default();
    let mut kept = Vec::new();
    loop {
        let wants = walk.wants();
        if wants.is_empty() {
            break;
        }
        effort.sources += wants.len();
        let sources: Vec<Option<Source>> = wants.iter().map(locate).collect();
        let keys = sources.iter().map(|s| key(s.as_ref()?.hash.as_deref()?));
        let keys: Vec<Option<String>> = keys.collect();
        let asked: Vec<String> = keys.iter().flatten().cloned().collect();
        let mut known = catalogue.interfaces(&asked).into_iter();
        let known: Vec<Option<Vec<u8>>> = keys
            .iter()
            .map(|k| k.as_ref().and_then(|_| known.next().flatten()))
            .collect();
        let read: Vec<Reading> = sources
            .par_iter()
            .zip(&known)
            .map(|(source, known)| module(source.as_ref(), known.as_deref()))
            .collect();
        for (wanted, reading) in wants.iter().zip(read) {
            if let Some((key, bytes)) = reading.fresh {
                effort.read += 1;
                effort.bytes += bytes;
                if let Ok(body) = postcard::to_allocvec(&reading.module) {
                    kept.push((key, body));
                }
            }
            walk.supply(&wanted.module, Arc::new(reading.module));
        }
    }
    catalogue.keep_interfaces(&kept);
    effort
}

/// A source that was read, and the key and size of it when it was not kept before.
struct Reading {
    module: Module,
    fresh: Option<(String, u64)>,
}

fn module(source: Option<&Source>, known: Option<&[u8]>) -> Reading {
    if let Some(module) = known.and_then(|k| postcard::from_bytes(k).ok()) {
        return Reading {
            module,
            fresh: None,
        };
    }
    let Some(bytes) = source.and_then(|s| read_plain(&s.path).ok()) else {
        // What cannot be read may hold anything.
        return Reading {
            module: Module::compiled(),
            fresh: None,
        };
    };
    // Kept under what the bytes are, not under what they were said to be.
    let key = key_of(&record_base64(&sha256(&bytes)));
    Reading {
        module: Module::read(&bytes),
        fresh: Some((key, bytes.len() as u64)),
    }
}

/// The key of a source by its hash as in RECORD.
fn key(hash: &str) -> Option<String> {
    hash.strip_prefix("sha256=").map(key_of)
}

fn key_of(value: &str) -> String {
    format!("{READER}:{}", value.trim_end_matches('='))
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::interface::Set;
    use rstest::rstest;

    const URLS: &[u8] = b"def split_url(url): return url\n";

    /// Two projects on disk, one of which takes of the other what it has, or not.
    struct Camp {
        folder: tempfile::TempDir,
        set: Set,
    }

    impl Camp {
        fn new(source: &str) -> Self {
            let folder = tempfile::tempdir().unwrap();
            let mut set = Set::new(2);
            let files = [
                ("sastrugi.py", source.as_bytes()),
                ("katabat/__init__.py", b"" as &[u8]),
                ("katabat/urls.py", URLS),
            ];
            for (project, (path, bytes)) in files.into_iter().enumerate() {
                let at = folder.path().join(path);
                std::fs::create_dir_all(at.parent().unwrap()).unwrap();
                std::fs::write(at, bytes).unwrap();
                set.add(project.min(1), path);
            }
            Camp { folder, set }
        }

        /// Follows the imports; how many gaps there are, and what it took.
        fn follow(&self, hashed: bool) -> (usize, Effort) {
            let (catalogue, _) = Catalogue::open(self.folder.path());
            let mut walk = Walk::new(&self.set, Some((3, 11)), &["sastrugi".into()], Vec::new());
            let locate = |wanted: &Wanted| {
                let path = self.folder.path().join(&wanted.file);
                let bytes = std::fs::read(&path).ok()?;
                let hash = format!("sha256={}", record_base64(&sha256(&bytes)));
                Some(Source {
                    path,
                    hash: hashed.then_some(hash),
                })
            };
            let effort = follow(&mut walk, &locate, &catalogue);
            (walk.gaps().len(), effort)
        }
    }

    #[rstest]
    #[case("from katabat.urls import split_url\n", 0)]
    #[case("from katabat.urls import parse_url\n", 1)]
    fn each_source_is_read_once(#[case] source: &str, #[case] gaps: usize) {
        let camp = Camp::new(source);
        let (found, first) = camp.follow(true);
        assert_eq!((found, first.sources, first.read), (gaps, 3, 3));
        assert_eq!(first.bytes, (source.len() + URLS.len()) as u64);
        let (found, again) = camp.follow(true);
        assert_eq!((found, again.sources, again.read), (gaps, 3, 0));
    }

    #[test]
    fn other_bytes_are_read_anew_and_unknown_ones_each_time() {
        let camp = Camp::new("from katabat.urls import parse_url\n");
        assert_eq!(camp.follow(true).0, 1);
        let urls = camp.folder.path().join("katabat/urls.py");
        std::fs::write(&urls, "def parse_url(url): return url\n").unwrap();
        let (gaps, effort) = camp.follow(true);
        assert_eq!((gaps, effort.read), (0, 1));
        assert_eq!(camp.follow(false).1.read, 3);
        // What is gone may hold anything.
        std::fs::remove_file(&urls).unwrap();
        assert_eq!(camp.follow(true).0, 0);
    }

    #[test]
    fn a_row_that_is_none_is_read_from_its_source() {
        let camp = Camp::new("from katabat.urls import parse_url\n");
        let (catalogue, _) = Catalogue::open(camp.folder.path());
        let key = key_of(&record_base64(&sha256(URLS)));
        catalogue.keep_interfaces(&[(key, vec![0xff; 9])]);
        drop(catalogue);
        let (gaps, effort) = camp.follow(true);
        assert_eq!((gaps, effort.read), (1, 3));
    }
}
