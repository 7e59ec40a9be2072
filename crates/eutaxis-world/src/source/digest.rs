//! What counts of a source archive for its build.

use std::io::Read;
use std::path::Path;

use eutaxis_core::source::{Digest, wanted};

use super::{Kind, each, refused};
use crate::Result;

/// Reads an archive through, without unpacking it.
///
/// # Errors
/// When it is damaged, or cannot be read.
pub fn digest(archive: &Path) -> Result<Digest> {
    let mut digest = Digest::default();
    each(archive, &mut |entry| {
        let path = entry.path.strip_prefix("./").unwrap_or(&entry.path);
        if !matches!(entry.kind, Kind::File { .. }) {
            return Ok(true);
        }
        let counts = wanted(path) as u64;
        let mut text = Vec::new();
        if counts > 0 {
            let read = entry.contents.take(counts).read_to_end(&mut text);
            read.map_err(|e| refused(archive, format!("it is damaged ({e})")))?;
        }
        digest.take(path, (counts > 0).then_some(text.as_slice()), entry.size);
        Ok(true)
    })?;
    Ok(digest)
}
