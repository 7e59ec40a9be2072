//! What went wrong in the field, as the programs there wrote it down.

use std::io;
use std::path::Path;

/// Names of logs, with what stands in them.
pub const LOGS: [(&str, &str); 6] = [
    (
        "ridge-install.log",
        include_str!("../logs/ridge-install.log"),
    ),
    ("ridge-build.log", include_str!("../logs/ridge-build.log")),
    ("night-watch.log", include_str!("../logs/night-watch.log")),
    ("hut-import.log", include_str!("../logs/hut-import.log")),
    ("crevasses.log", include_str!("../logs/crevasses.log")),
    ("melt.log", include_str!("../logs/melt.log")),
];

/// Writes them into a folder.
pub(crate) fn make(folder: &Path) -> io::Result<()> {
    std::fs::create_dir_all(folder)?;
    LOGS.iter()
        .try_for_each(|(name, text)| std::fs::write(folder.join(name), text))
}
