//! The file of the catalogue: its tables, opening it, and beginning anew when it is damaged.

use std::path::Path;
use std::time::Duration;

use rusqlite::{Connection, Error, ErrorCode};

/// Its name; the number changes with the tables.
pub(super) const FILE: &str = "catalogue-3.sqlite";
/// Files of older forms: the first kept what depots say for everybody, so that nothing of it can be
/// believed; of the second each look at a row read the whole of its neighbours.
const OLDER: [&str; 2] = ["catalogue-1.sqlite", "catalogue-2.sqlite"];

/// The bytes of a piece of the file.
const PIECE: u32 = 16 << 10;

/// How long to wait for another process that is writing.
const PATIENCE: Duration = Duration::from_secs(10);

// Tables with large bodies have row ids, and the body comes last: in a table without, a key is
// compared by reading the whole row, and what stands behind a body is found by reading through it.
const TABLES: &str = "
    CREATE TABLE IF NOT EXISTS pages (key TEXT PRIMARY KEY, etag TEXT, modified TEXT, fresh \
    INTEGER NOT NULL,
        seal BLOB NOT NULL, used INTEGER NOT NULL, body BLOB);
    CREATE TABLE IF NOT EXISTS metadata (key TEXT PRIMARY KEY, seal BLOB NOT NULL, used INTEGER \
    NOT NULL,
        body BLOB NOT NULL);
    CREATE TABLE IF NOT EXISTS listed (key TEXT PRIMARY KEY, seal BLOB NOT NULL, used INTEGER NOT \
    NULL,
        body BLOB NOT NULL);
    CREATE TABLE IF NOT EXISTS interfaces (key TEXT PRIMARY KEY, seal BLOB NOT NULL, used INTEGER \
    NOT NULL,
        body BLOB NOT NULL);
    CREATE TABLE IF NOT EXISTS served (depot TEXT, project TEXT, PRIMARY KEY (depot, project)) \
    WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS habits (host TEXT, what TEXT, holds INTEGER NOT NULL, until \
    INTEGER NOT NULL,
        PRIMARY KEY (host, what)) WITHOUT ROWID;
";

/// Opens the catalogue; a file that is none is set aside and begun anew. On failure says why, in
/// words.
pub(super) fn open(path: &Path) -> Result<Connection, String> {
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(|e| e.to_string())?;
        OLDER.iter().for_each(|name| remove(&folder.join(name)));
    }
    match connect(path) {
        Err(error) if is_damage(&error) => begin_anew(path).map_err(|e| e.to_string()),
        opened => opened.map_err(|e| e.to_string()),
    }
}

/// Removes what is there and makes an empty catalogue. Another process that has the old one open
/// goes on with it.
pub(super) fn begin_anew(path: &Path) -> rusqlite::Result<Connection> {
    remove(path);
    connect(path)
}

/// Removes a catalogue with what lies beside it.
fn remove(path: &Path) {
    for end in ["", "-wal", "-shm"] {
        let mut name = path.as_os_str().to_owned();
        name.push(end);
        // What is not there need not go; what cannot go shows its fault at the next step.
        let _ = std::fs::remove_file(name);
    }
}

fn connect(path: &Path) -> rusqlite::Result<Connection> {
    let connection = Connection::open(path)?;
    connection.busy_timeout(PATIENCE)?;
    // Counts for a new file only: pages of an index are long, and each piece of one is a look at the
    // disk.
    connection.pragma_update(None, "page_size", PIECE)?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    // A power cut may lose the last rows, which are only fetched again, but never the file.
    connection.pragma_update(None, "synchronous", "NORMAL")?;
    let known: i64 = connection.query_row(
        "SELECT count(*) FROM sqlite_master WHERE name IN ('pages', 'metadata', 'listed', \
            'interfaces', 'served', 'habits')",
        [],
        |r| r.get(0),
    )?;
    if known < 6 {
        connection.execute_batch(TABLES)?;
    }
    Ok(connection)
}

/// Whether the file itself is damaged, so that no other row can be trusted to be readable.
pub(super) fn is_damage(error: &Error) -> bool {
    matches!(
        error.sqlite_error_code(),
        Some(ErrorCode::DatabaseCorrupt | ErrorCode::NotADatabase)
    )
}
