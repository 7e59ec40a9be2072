//! What describes the variants of releases (draft PEP 825), read before a page is judged: the file
//! beside those of the release; of wheels on this disk that no such file describes, their own.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::artifact::Variants;
use eutaxis_core::index::{Described, Page, PageFile};
use eutaxis_core::{Name, Version};

use crate::depot::{Depot, Place, variant_bytes};
use crate::threads::each;
use crate::{Error, Result};

/// No description is larger.
const LARGEST: u64 = 4 << 20;
/// Descriptions of so many releases are read, the newest first.
const MOST: usize = 40;
/// So many are asked for at once.
const AT_ONCE: usize = 8;

fn is_variant(file: &PageFile) -> bool {
    file.kind.variant().is_some()
}

/// The page with what describes its variants.
pub(super) fn completed(mut page: Page, depot: &dyn Depot, project: &Name) -> Page {
    if !page.files.outline().shapes().iter().any(|s| s.is_variant) {
        return page;
    }
    let variants = page.files.iter().filter(|f| is_variant(f));
    let mut releases: Vec<Version> = variants.map(|f| f.kind.version().clone()).collect();
    releases.sort();
    releases.dedup();
    let oldest = releases.len().saturating_sub(MOST);
    let newest = releases.split_off(oldest);
    let wanted: Vec<usize> = (0..page.variants.len())
        .filter(|at| {
            let described = page.variants.get(*at);
            described.is_some_and(|d| newest.contains(d.file.kind.version()))
        })
        .collect();
    let read = each(&wanted, AT_ONCE, |at| {
        let found = page
            .variants
            .get(*at)
            .map(|d| described(depot, project, &d.file));
        Ok(found.unwrap_or_else(|| Err("it is gone".to_owned())))
    });
    for (at, read) in wanted.iter().zip(read) {
        if let Some(described) = page.variants.get_mut(*at) {
            described.read = read.and_then(Result::ok);
        }
    }
    let files: Vec<Arc<PageFile>> = page.files.iter().cloned().collect();
    for file in files.iter().filter(|f| is_variant(f)) {
        let version = file.kind.version();
        if page.variants_of(version) == Err(None)
            && let Some(described) = own(&files, version, depot, project)
        {
            page.variants.push(described);
        }
    }
    page
}

/// Reads the description of a release.
fn described(
    depot: &dyn Depot,
    project: &Name,
    file: &PageFile,
) -> std::result::Result<Arc<Variants>, String> {
    let read = || -> Result<Variants> {
        let path = depot.obtain(project, file)?;
        parsed(&bounded(&path)?)
    };
    read().map(Arc::new).map_err(|e| e.message)
}

fn bounded(path: &Path) -> Result<Vec<u8>> {
    let io = |e: &std::io::Error| Error::io("cannot read", path, e);
    let size = std::fs::metadata(path).map_err(|e| io(&e))?.len();
    if size > LARGEST {
        return Err(Error::contents(format!("it has {size} bytes")));
    }
    std::fs::read(path).map_err(|e| io(&e))
}

fn parsed(bytes: &[u8]) -> Result<Variants> {
    Variants::parse(bytes).map_err(|f| Error::contents(f.message()))
}

/// The description of a release by its own wheels on this disk.
fn own(
    files: &[Arc<PageFile>],
    version: &Version,
    depot: &dyn Depot,
    project: &Name,
) -> Option<Described> {
    let mut all: Option<(Arc<PageFile>, Variants)> = None;
    let mine = files.iter().filter(|f| f.kind.version() == version);
    for file in mine.filter(|f| is_variant(f)) {
        let Ok(Place::Disk(path)) = depot.place(project, file) else {
            continue;
        };
        let Ok(read) = variant_bytes(&path).and_then(|b| parsed(&b)) else {
            continue;
        };
        match &mut all {
            Some((_, known)) => known.join(read),
            None => all = Some((Arc::clone(file), read)),
        }
    }
    let (file, variants) = all?;
    Some(Described {
        file,
        read: Some(Ok(Arc::new(variants))),
    })
}
