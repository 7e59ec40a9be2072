//! The catalogue: pages and metadata that were fetched before, in one SQLite file that several
//! processes share.
//!
//! Every row carries a check of its own bytes. A row that is damaged counts as absent and is
//! dropped; a file that is no catalogue any more is set aside and begun anew. Nothing here is worth
//! an error: without a catalogue everything is fetched again.

mod schema;

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use std::io::Read;

use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use rusqlite::{Connection, OptionalExtension, params};

/// What a server gave to ask it later whether something changed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Validators {
    /// `ETag`.
    pub etag: Option<String>,
    /// `Last-Modified`.
    pub last_modified: Option<String>,
}

impl Validators {
    /// Whether there is nothing to ask with.
    pub fn is_empty(&self) -> bool {
        self.etag.is_none() && self.last_modified.is_none()
    }
}

/// A page as it was fetched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptPage {
    /// The page in its compact form; none when the server does not have it.
    pub body: Option<Arc<Vec<u8>>>,
    /// For asking again.
    pub validators: Validators,
    /// Until when it may be used without asking, in seconds since 1970.
    pub fresh_until: i64,
}

/// What is known of a kept page without the page itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageHead {
    /// Bytes of its compact form; 0 when the server does not have it.
    pub size: usize,
    /// For asking again.
    pub validators: Validators,
    /// Until when it may be used without asking, in seconds since 1970.
    pub fresh_until: i64,
}

/// A file of a wheel, by the directory of its archive.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct ListedFile {
    /// Its path within the wheel.
    pub path: String,
    /// Its bytes once unpacked.
    pub size: u64,
    /// The CRC-32 of its bytes.
    pub crc: u32,
}

/// What the catalogue holds of one kind.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Held {
    /// Rows.
    pub rows: u64,
    /// Bytes of their contents.
    pub bytes: u64,
}

/// The catalogue of a cache folder.
#[derive(Debug)]
pub struct Catalogue {
    path: PathBuf,
    connection: Mutex<Option<Connection>>,
    /// Seconds since 1970, once per run: a run sees one moment.
    now: i64,
}

/// Rows of metadata and pages note their last use, but not more often than this.
const NOTE_USE_AFTER: i64 = 24 * 3600;

impl Catalogue {
    /// The catalogue of a cache folder, made when it is not there. When that cannot be, it holds
    /// nothing and keeps nothing; the second value says why.
    pub fn open(cache: &Path) -> (Self, Option<String>) {
        let path = cache.join(schema::FILE);
        let (connection, trouble) = match schema::open(&path) {
            Ok(connection) => (Some(connection), None),
            Err(why) => (None, Some(why)),
        };
        let now = jiff::Timestamp::now().as_second();
        (
            Catalogue {
                path,
                connection: Mutex::new(connection),
                now,
            },
            trouble,
        )
    }

    /// This run's moment, in seconds since 1970.
    pub fn now(&self) -> i64 {
        self.now
    }

    fn connection(&self) -> MutexGuard<'_, Option<Connection>> {
        self.connection
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
    }

    /// Runs something on the catalogue. One that turns out to be damaged as a whole is set aside.
    fn with<T>(&self, work: impl Fn(&Connection) -> rusqlite::Result<T>) -> Option<T> {
        let mut guard = self.connection();
        let error = match work(guard.as_ref()?) {
            Ok(value) => return Some(value),
            Err(error) => error,
        };
        if schema::is_damage(&error) {
            *guard = None;
            *guard = schema::begin_anew(&self.path).ok();
            return guard.as_ref().and_then(|c| work(c).ok());
        }
        None
    }

    /// What is known of the page kept under a key, without the page itself.
    pub fn page_head(&self, key: &str) -> Option<PageHead> {
        self.with(|c| {
            c.prepare_cached(
                "SELECT coalesce(length(body), 0), etag, modified, fresh FROM pages WHERE key = ?1",
            )?
            .query_row([key], |r| {
                let validators = Validators {
                    etag: r.get(1)?,
                    last_modified: r.get(2)?,
                };
                let size = usize::try_from(r.get::<_, i64>(0)?).unwrap_or(0);
                Ok(PageHead {
                    size,
                    validators,
                    fresh_until: r.get(3)?,
                })
            })
            .optional()
        })
        .flatten()
    }

    /// The page kept under a key.
    pub fn page(&self, key: &str) -> Option<KeptPage> {
        let row = self.with(|c| {
            c.prepare_cached(
                "SELECT body, etag, modified, fresh, seal, used FROM pages WHERE key = ?1",
            )?
            .query_row([key], |r| {
                let validators = Validators {
                    etag: r.get(1)?,
                    last_modified: r.get(2)?,
                };
                let page = KeptPage {
                    body: r.get::<_, Option<Vec<u8>>>(0)?.map(Arc::new),
                    validators,
                    fresh_until: r.get(3)?,
                };
                Ok((page, r.get::<_, Vec<u8>>(4)?, r.get::<_, i64>(5)?))
            })
            .optional()
        });
        let (page, seal, used) = match row {
            Some(Some(row)) => row,
            Some(None) => return None,
            // A row that cannot even be read is as good as none.
            None => {
                self.forget_page(key);
                return None;
            }
        };
        if seal != page_seal(key, &page) {
            self.forget_page(key);
            return None;
        }
        if self.now - used > NOTE_USE_AFTER {
            self.with(|c| {
                c.execute(
                    "UPDATE pages SET used = ?2 WHERE key = ?1",
                    params![key, self.now],
                )
            });
        }
        Some(page)
    }

    /// Keeps a page.
    pub fn keep_page(&self, key: &str, page: &KeptPage) {
        self.with(|c| {
            c.prepare_cached(
                "INSERT OR REPLACE INTO pages (key, body, etag, modified, fresh, seal, used) \
                    VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
            )?
            .execute(params![
                key,
                page.body.as_deref(),
                page.validators.etag,
                page.validators.last_modified,
                page.fresh_until,
                page_seal(key, page),
                self.now
            ])
        });
        crate::halt::at("page-kept");
    }

    /// Drops a page.
    pub fn forget_page(&self, key: &str) {
        self.with(|c| c.execute("DELETE FROM pages WHERE key = ?1", [key]));
    }

    /// What is kept of the needs of a file under a key: that of its bytes, or that of a depot that
    /// says it.
    pub fn metadata(&self, key: &str) -> Option<Vec<u8>> {
        self.blob("metadata", key)
    }

    /// Keeps it.
    pub fn keep_metadata(&self, key: &str, body: &[u8]) {
        self.keep_blob("metadata", key, body);
    }

    /// Drops it.
    pub fn forget_metadata(&self, key: &str) {
        self.forget_blob("metadata", key);
    }

    /// The list of a wheel's files under a key.
    pub fn listed(&self, key: &str) -> Option<Vec<ListedFile>> {
        let packed = self.blob("listed", key)?;
        let mut plain = Vec::new();
        ZlibDecoder::new(packed.as_slice())
            .read_to_end(&mut plain)
            .ok()?;
        serde_json::from_slice(&plain).ok()
    }

    /// Keeps it.
    pub fn keep_listed(&self, key: &str, list: &[ListedFile]) {
        let mut packer = ZlibEncoder::new(Vec::new(), Compression::fast());
        let packed = serde_json::to_writer(&mut packer, list)
            .is_ok()
            .then(|| packer.finish().ok())
            .flatten();
        if let Some(packed) = packed {
            self.keep_blob("listed", key, &packed);
        }
    }

    /// What is kept of the interfaces of sources under their keys, in the order of the keys.
    pub fn interfaces(&self, keys: &[String]) -> Vec<Option<Vec<u8>>> {
        let read = |key: &String| self.blob("interfaces", key);
        // Within one transaction the file is looked at once.
        self.with(|c| c.execute_batch("BEGIN"));
        let found = keys.iter().map(read).collect();
        self.with(|c| c.execute_batch("COMMIT"));
        found
    }

    /// Keeps them, all or none.
    pub fn keep_interfaces(&self, kept: &[(String, Vec<u8>)]) {
        if kept.is_empty() || self.with(|c| c.execute_batch("BEGIN IMMEDIATE")).is_none() {
            return;
        }
        for (key, body) in kept {
            self.keep_blob("interfaces", key, body);
        }
        self.with(|c| c.execute_batch("COMMIT"));
    }

    /// Whether a depot once served a project.
    pub fn has_served(&self, depot: &str, project: &str) -> bool {
        let found = self.with(|c| {
            c.prepare_cached("SELECT 1 FROM served WHERE depot = ?1 AND project = ?2")?
                .exists(params![depot, project])
        });
        found.unwrap_or(false)
    }

    /// Some of the projects that a depot once served.
    pub fn served(&self, depot: &str, limit: u32) -> Vec<String> {
        let found = self.with(|c| {
            c.prepare_cached("SELECT project FROM served WHERE depot = ?1 LIMIT ?2")?
                .query_map(params![depot, limit], |row| row.get(0))?
                .collect()
        });
        found.unwrap_or_default()
    }

    /// Remembers that it does.
    pub fn note_served(&self, depot: &str, project: &str) {
        if !self.has_served(depot, project) {
            self.with(|c| {
                c.execute(
                    "INSERT OR IGNORE INTO served VALUES (?1, ?2)",
                    params![depot, project],
                )
            });
        }
    }

    fn blob(&self, table: &str, key: &str) -> Option<Vec<u8>> {
        let row = self.with(|c| {
            c.prepare_cached(&format!(
                "SELECT body, seal, used FROM {table} WHERE key = ?1"
            ))?
            .query_row([key], |r| {
                Ok((
                    r.get::<_, Vec<u8>>(0)?,
                    r.get::<_, Vec<u8>>(1)?,
                    r.get::<_, i64>(2)?,
                ))
            })
            .optional()
        });
        let (body, sealed, used) = match row {
            Some(row) => row?,
            None => {
                self.forget_blob(table, key);
                return None;
            }
        };
        if sealed != seal(&[key.as_bytes(), &body]) {
            self.forget_blob(table, key);
            return None;
        }
        if self.now - used > NOTE_USE_AFTER {
            self.with(|c| {
                c.execute(
                    &format!("UPDATE {table} SET used = ?2 WHERE key = ?1"),
                    params![key, self.now],
                )
            });
        }
        Some(body)
    }

    fn keep_blob(&self, table: &str, key: &str, body: &[u8]) {
        self.with(|c| {
            let sql = format!(
                "INSERT OR REPLACE INTO {table} (key, body, seal, used) VALUES (?1, ?2, ?3, ?4)"
            );
            c.prepare_cached(&sql)?.execute(params![
                key,
                body,
                seal(&[key.as_bytes(), body]),
                self.now
            ])
        });
        crate::halt::at("metadata-kept");
    }

    fn forget_blob(&self, table: &str, key: &str) {
        self.with(|c| c.execute(&format!("DELETE FROM {table} WHERE key = ?1"), [key]));
    }

    /// What was learned about a host, while it counts.
    pub fn habit(&self, host: &str, what: &str) -> Option<bool> {
        self.with(|c| {
            c.prepare_cached(
                "SELECT holds FROM habits WHERE host = ?1 AND what = ?2 AND until > ?3",
            )?
            .query_row(params![host, what, self.now], |r| r.get(0))
            .optional()
        })
        .flatten()
    }

    /// Keeps what was learned about a host for some time.
    pub fn keep_habit(&self, host: &str, what: &str, holds: bool, lasts: Duration) {
        let until = self
            .now
            .saturating_add(i64::try_from(lasts.as_secs()).unwrap_or(i64::MAX));
        self.with(|c| {
            c.execute(
                "INSERT OR REPLACE INTO habits (host, what, holds, until) VALUES (?1, ?2, ?3, ?4)",
                params![host, what, holds, until],
            )
        });
    }

    /// How many pages and how much metadata it holds.
    pub fn held(&self) -> (Held, Held) {
        let count = |sql: &str| {
            let unsigned = |n: i64| u64::try_from(n).unwrap_or(0);
            self.with(|c| {
                c.query_row(sql, [], |r| {
                    Ok(Held {
                        rows: unsigned(r.get(0)?),
                        bytes: unsigned(r.get(1)?),
                    })
                })
            })
            .unwrap_or_default()
        };
        (
            count("SELECT count(*), coalesce(sum(length(body)), 0) FROM pages"),
            count(
                "SELECT (SELECT count(*) FROM metadata), (SELECT coalesce(sum(length(body)), 0) \
                    FROM metadata) + (SELECT coalesce(sum(length(body)), 0) FROM listed) + (SELECT \
                    coalesce(sum(length(body)), 0) FROM interfaces)",
            ),
        )
    }

    /// Drops what was not used since a moment (seconds since 1970). Gives how many bytes of
    /// contents went.
    pub fn trim(&self, before: i64) -> u64 {
        let (pages, metadata) = self.held();
        for table in ["pages", "metadata", "listed", "interfaces"] {
            self.with(|c| c.execute(&format!("DELETE FROM {table} WHERE used < ?1"), [before]));
        }
        self.with(|c| c.execute("DELETE FROM habits WHERE until < ?1", [self.now]));
        self.with(|c| c.execute_batch("VACUUM; PRAGMA wal_checkpoint(TRUNCATE);"));
        let (pages_left, metadata_left) = self.held();
        (pages.bytes + metadata.bytes).saturating_sub(pages_left.bytes + metadata_left.bytes)
    }

    /// When each row was last used, with its bytes, oldest first: for trimming to a size.
    pub fn uses(&self) -> Vec<(i64, u64)> {
        self.with(|c| {
            let sql = "SELECT used, coalesce(length(body), 0) FROM pages UNION ALL SELECT used, \
                length(body) FROM metadata UNION ALL SELECT used, length(body) FROM listed UNION \
                ALL SELECT used, length(body) FROM interfaces ORDER BY 1";
            c.prepare(sql)?
                .query_map([], |r| {
                    Ok((r.get(0)?, u64::try_from(r.get::<_, i64>(1)?).unwrap_or(0)))
                })?
                .collect()
        })
        .unwrap_or_default()
    }
}

/// A check over several byte strings against damage. It need not withstand anybody: who can write
/// the file can write the check.
fn seal(parts: &[&[u8]]) -> Vec<u8> {
    let mut hasher = crc32fast::Hasher::new();
    for part in parts {
        hasher.update(&(part.len() as u64).to_le_bytes());
        hasher.update(part);
    }
    hasher.finalize().to_le_bytes().to_vec()
}

fn page_seal(key: &str, page: &KeptPage) -> Vec<u8> {
    let text = |t: &Option<String>| t.clone().unwrap_or_default().into_bytes();
    let body = page.body.as_ref().map_or(b"absent".as_slice(), |b| b);
    let (etag, modified) = (
        text(&page.validators.etag),
        text(&page.validators.last_modified),
    );
    seal(&[
        key.as_bytes(),
        body,
        &etag,
        &modified,
        &page.fresh_until.to_le_bytes(),
    ])
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(body: &[u8]) -> KeptPage {
        let validators = Validators {
            etag: Some("\"a\"".to_owned()),
            last_modified: None,
        };
        KeptPage {
            body: Some(Arc::new(body.to_vec())),
            validators,
            fresh_until: 7,
        }
    }

    #[test]
    fn what_is_kept_comes_back_in_another_run() {
        let cache = tempfile::tempdir().unwrap();
        let (one, trouble) = Catalogue::open(cache.path());
        assert_eq!(trouble, None);
        one.keep_page("k", &page(b"x"));
        one.keep_page(
            "gone",
            &KeptPage {
                body: None,
                ..page(b"")
            },
        );
        one.keep_metadata("ab", b"text");
        one.keep_habit("h", "ranges", false, Duration::from_secs(60));
        one.keep_habit("h", "old", true, Duration::ZERO);
        let (two, _) = Catalogue::open(cache.path());
        assert_eq!(two.page("k"), Some(page(b"x")));
        assert_eq!(two.page("gone").unwrap().body, None);
        assert_eq!(two.metadata("ab").as_deref(), Some(b"text".as_slice()));
        assert_eq!(
            (
                two.habit("h", "ranges"),
                two.habit("h", "old"),
                two.habit("i", "ranges")
            ),
            (Some(false), None, None)
        );
    }

    #[test]
    fn a_damaged_row_counts_as_absent_and_is_dropped() {
        let cache = tempfile::tempdir().unwrap();
        let (catalogue, _) = Catalogue::open(cache.path());
        catalogue.keep_page("k", &page(b"x"));
        catalogue.keep_metadata("ab", b"text");
        let other = Connection::open(cache.path().join(schema::FILE)).unwrap();
        other.execute("UPDATE pages SET body = x'79'", []).unwrap();
        other
            .execute("UPDATE metadata SET body = 'other'", [])
            .unwrap();
        assert_eq!(
            (catalogue.page("k"), catalogue.metadata("ab")),
            (None, None)
        );
        assert_eq!(catalogue.held(), (Held::default(), Held::default()));
    }

    #[test]
    fn a_file_that_is_no_catalogue_is_begun_anew() {
        let cache = tempfile::tempdir().unwrap();
        std::fs::write(cache.path().join(schema::FILE), vec![7u8; 9000]).unwrap();
        let (catalogue, trouble) = Catalogue::open(cache.path());
        assert_eq!(trouble, None);
        catalogue.keep_metadata("ab", b"text");
        assert!(catalogue.metadata("ab").is_some());
    }

    #[test]
    fn damage_in_the_middle_of_the_file_is_overcome() {
        let cache = tempfile::tempdir().unwrap();
        let (catalogue, _) = Catalogue::open(cache.path());
        for i in 0..200 {
            catalogue.keep_metadata(&format!("{i:064}"), &[b'x'; 3000]);
        }
        drop(catalogue);
        let path = cache.path().join(schema::FILE);
        let mut bytes = std::fs::read(&path).unwrap();
        let (from, to) = (4096, bytes.len() - 4096);
        bytes[from..to].fill(0xa5);
        std::fs::write(&path, bytes).unwrap();
        let (catalogue, _) = Catalogue::open(cache.path());
        for i in 0..200 {
            assert!(
                catalogue
                    .metadata(&format!("{i:064}"))
                    .is_none_or(|b| b == [b'x'; 3000])
            );
        }
        catalogue.keep_metadata("ab", b"text");
        assert_eq!(
            catalogue.metadata("ab").as_deref(),
            Some(b"text".as_slice())
        );
    }

    #[test]
    fn a_folder_that_cannot_be_used_is_told_and_overcome() {
        let cache = tempfile::tempdir().unwrap();
        std::fs::write(cache.path().join("file"), "").unwrap();
        let (catalogue, trouble) = Catalogue::open(&cache.path().join("file"));
        assert!(trouble.is_some());
        catalogue.keep_metadata("ab", b"text");
        assert_eq!(catalogue.metadata("ab"), None);
    }

    #[test]
    fn trimming_drops_what_was_not_used() {
        let cache = tempfile::tempdir().unwrap();
        let (catalogue, _) = Catalogue::open(cache.path());
        catalogue.keep_metadata("ab", b"text");
        assert_eq!(catalogue.trim(catalogue.now() - 10), 0);
        assert_eq!(catalogue.trim(catalogue.now() + 10), 4);
        assert_eq!(catalogue.metadata("ab"), None);
    }
}
