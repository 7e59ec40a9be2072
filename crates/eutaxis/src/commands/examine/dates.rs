//! Dates of what is placed, as the depots tell them.

use eutaxis_core::examine::{Snapshot, dates_of};
use eutaxis_core::{Name, Version};
use eutaxis_world::supply::Run;

use crate::output::Output;

/// Dates of what is placed, by the depots; without the network they are left out.
pub(super) fn add(snapshot: &mut Snapshot, run: &Run, output: &Output) {
    let placed: Vec<(Name, Version)> = snapshot
        .here()
        .filter_map(|(_, p)| Some((p.name.clone(), p.version.clone()?)))
        .collect();
    let names: Vec<Name> = placed.iter().map(|(n, _)| n.clone()).collect();
    let pages = match run.pages(&names) {
        Ok(pages) => pages,
        Err(error) => {
            output.notice(&format!("dates are left out: {}", error.message));
            return;
        }
    };
    for (key, page) in placed.into_iter().zip(pages) {
        let Some(page) = page else { continue };
        let (published, began) = dates_of(&page, &key.1);
        if let Some(moment) = published {
            snapshot
                .dates
                .published
                .entry(key.clone())
                .or_insert(moment);
        }
        if let Some(moment) = began {
            snapshot.dates.began.insert(key, moment);
        }
    }
}
