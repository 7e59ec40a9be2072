//! What the files within a wheel tell of accelerators: by their list, which comes in parts of the
//! archive, and where the wheel is on this disk or unpacked in the store, by its compiled files too.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::binary::Binary;
use eutaxis_core::index::PageFile;
use eutaxis_core::offer::{Reach, WheelFiles};

use crate::Result;
use crate::catalogue::Catalogue;
use crate::depot::{Depot, Place};
use crate::network::Network;
use crate::store;
use crate::wheel::{CompiledFile, compiled_files, is_named_compiled};

/// What is kept was read by this form of the reader.
const FORM: &str = "within-1";

/// What the files within a wheel tell, as far as it is reached; none where that cannot be had.
///
/// # Errors
/// When the network fails.
pub(super) fn told(
    depot: &Arc<dyn Depot>,
    project: &Name,
    file: &PageFile,
    reach: Reach,
    network: &Network,
) -> Result<Option<WheelFiles>> {
    let catalogue = network.catalogue();
    if let Place::Disk(path) = depot.place(project, file)? {
        return Ok(on_disk(&path, catalogue));
    }
    let stored = file.hashes.sha256().and_then(|sha256| {
        known(&format!("{FORM}\n{sha256}"), catalogue, || {
            let found = store::find(network.cache(), sha256)?;
            Some(in_store(&found))
        })
    });
    if stored.is_some() || reach == Reach::Here {
        return Ok(stored);
    }
    let list = depot.list(project, file)?;
    Ok(list.map(|list| WheelFiles {
        libraries: list.iter().filter_map(|f| library(&f.path)).collect(),
        code: Vec::new(),
    }))
}

/// A wheel on this disk, read once as long as it does not change.
fn on_disk(path: &Path, catalogue: &Catalogue) -> Option<WheelFiles> {
    let is = std::fs::metadata(path).ok()?;
    let changed = is.modified().ok()?;
    let since = changed.duration_since(std::time::UNIX_EPOCH).ok()?;
    let (size, since) = (is.len(), since.as_nanos());
    let key = format!("{FORM}\n{}\n{size}\n{since}", path.display());
    known(&key, catalogue, || Some(of_files(&compiled_files(path)?)))
}

fn in_store(found: &store::Unpacked) -> WheelFiles {
    let compiled = found.manifest.files.iter();
    let compiled = compiled.filter(|f| is_named_compiled(&f.path));
    let files: Vec<CompiledFile> = compiled
        .map(|f| CompiledFile {
            path: f.path.clone(),
            parts: crate::loader::read_binary(&found.root.join(&f.path)).ok(),
        })
        .collect();
    of_files(&files)
}

fn of_files(files: &[CompiledFile]) -> WheelFiles {
    let mut told = WheelFiles::default();
    for one in files {
        told.libraries.extend(library(&one.path));
        for part in one.parts.iter().flatten() {
            let Binary { needs, code, .. } = part;
            told.libraries.extend(needs.iter().cloned());
            let held = code.iter().map(|image| (one.path.clone(), image.clone()));
            told.code.extend(held);
        }
    }
    told.libraries.sort();
    told.libraries.dedup();
    told.code.sort();
    told.code.dedup();
    told
}

/// What was read before, or is read now and kept.
fn known(
    key: &str,
    catalogue: &Catalogue,
    read: impl FnOnce() -> Option<WheelFiles>,
) -> Option<WheelFiles> {
    let kept = catalogue.metadata(key);
    if let Some((libraries, code)) = kept.and_then(|bytes| postcard::from_bytes(&bytes).ok()) {
        return Some(WheelFiles { libraries, code });
    }
    let files = read()?;
    if let Ok(bytes) = postcard::to_allocvec(&(&files.libraries, &files.code)) {
        catalogue.keep_metadata(key, &bytes);
    }
    Some(files)
}

/// The name of a file that may be a library.
fn library(path: &str) -> Option<String> {
    let name = path.rsplit('/').next().unwrap_or(path);
    is_named_compiled(name).then(|| name.to_owned())
}
