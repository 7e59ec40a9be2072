//! Pins: the chosen set written down (PEP 751 `pylock.toml`, and plain pin lists).
//!
//! ```
//! use eutaxis_standards::pins::Lock;
//!
//! let lock = Lock::parse(r#"
//! lock-version = "1.0"
//! created-by = "a program"
//! [[packages]]
//! name = "firnio"
//! version = "1.0"
//! [[packages.wheels]]
//! url = "https://depot.example/firnio-1.0-py3-none-any.whl"
//! hashes = { sha256 = "ab" }
//! "#)?;
//! assert_eq!(lock.packages.len(), 1);
//! // What was read is written again, and read as the same.
//! assert_eq!(Lock::parse(&lock.write())?.packages.len(), 1);
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod environment;
mod file_name;
mod list;
mod lock;
mod read;
mod select;
mod write;

pub use environment::{Facet, environment_of, environment_with_series, facets_of};
pub use file_name::{is_lock_file_name, lock_file_name_for};
pub use list::pin_list;
pub use lock::{Archive, Directory, Lock, LockFile, Package, Vcs};
pub use select::{Selected, Selection, select, wheel_for};
