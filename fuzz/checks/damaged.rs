//! Files of the corpus, whole and damaged in ways that are the same in every run.

use std::path::Path;

/// All files kept for a fuzz target, each with what comes of it when it is cut off, and when a byte
/// of it is another: with its name.
pub(crate) fn all(target: &str) -> Vec<(String, Vec<u8>)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../fuzz/corpus")
        .join(target);
    let mut files: Vec<_> = std::fs::read_dir(&folder)
        .expect("a folder of the corpus")
        .map(|entry| entry.expect("an entry").path())
        .collect();
    files.sort();
    let mut all = Vec::new();
    for file in files {
        let bytes = std::fs::read(&file).expect("a file of the corpus");
        let name = file.display().to_string();
        all.push((name.clone(), bytes.clone()));
        // A prime, so that the places fall everywhere in the fields of a format.
        for at in (0..bytes.len()).step_by(7) {
            let mut cut = bytes.clone();
            cut.truncate(at);
            all.push((format!("{name}, cut off at {at}"), cut));
            for value in [0, 1, 0x7f, 0xff] {
                let mut other = bytes.clone();
                if let Some(byte) = other.get_mut(at) {
                    *byte = value;
                }
                all.push((format!("{name}, byte {at} is {value}"), other));
            }
        }
    }
    all
}
