//! Pins: the chosen set written down (PEP 751 `pylock.toml`, and plain pin lists).

mod file_name;
mod list;
mod lock;
mod read;
mod select;
mod write;

pub use file_name::{is_lock_file_name, lock_file_name_for};
pub use list::pin_list;
pub use lock::{Archive, Directory, Lock, LockFile, Package, Vcs};
pub use select::{Selected, Selection, select};
