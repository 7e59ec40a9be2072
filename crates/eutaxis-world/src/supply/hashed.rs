//! Files of projects whose ask states hashes: those on this disk are hashed before one is chosen,
//! where their page does not say enough.

use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::{Adjustment, has_stated, hashes_of};

use crate::depot::{Depot, Place};
use crate::network::as_stated;

/// The page with the hashes of its files on this disk, as far as the adjustments ask for them.
pub(super) fn completed(
    mut page: Page,
    depot: &dyn Depot,
    project: &Name,
    adjustments: &[Adjustment],
) -> Page {
    let mine = adjustments.iter().filter(|a| a.project == *project);
    for stated in mine.filter_map(hashes_of) {
        page.files.change(|file| {
            if has_stated(&file.hashes, stated).is_some() {
                return true;
            }
            // What cannot be read is told where it is fetched.
            if let Ok(Place::Disk(path)) = depot.place(project, file)
                && let Ok(found) = as_stated(&path, stated)
            {
                let known: &mut PageFile = Arc::make_mut(file);
                for (algorithm, value) in found.iter() {
                    known.hashes.add(algorithm.as_str(), value);
                }
            }
            true
        });
    }
    page
}
