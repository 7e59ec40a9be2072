//! What an environment is compared with: pins, and the dates that pins and depots tell.

use std::path::Path;

use eutaxis_core::examine::{Dates, Pinned, Pins, Snapshot, dates_of};
use eutaxis_core::pins::{Selection, select};
use eutaxis_core::{Name, Target, Version};
use eutaxis_world::supply::Run;
use eutaxis_world::{Error, ErrorKind};

use crate::cli::DepotOptions;
use crate::output::Output;
use crate::pins::read_lock;
use crate::typed;
use crate::words::steps;

/// The pins of a file that count on a target, with their dates.
pub(super) fn pins(
    file: &Path,
    target: &Target,
    dates: &mut Dates,
    depots: &DepotOptions,
) -> Result<Pins, Error> {
    let lock = read_lock(file)?;
    let shown = file.display().to_string();
    let selected = select(&lock, target, &Selection::default())
        .map_err(|f| Error::fault(ErrorKind::Request, &shown, &f))?;
    let mut entries = Vec::new();
    for one in selected {
        let package = one.package;
        let version = package
            .version
            .as_deref()
            .and_then(|v| Version::parse(v).ok());
        let archive = package.archive.as_ref().map(|a| &a.file);
        let files = package.wheels.iter().chain(&package.sdist).chain(archive);
        let files: Vec<(String, String)> = files
            .filter_map(|f| Some((f.filename()?, f.hashes.get("sha256")?.clone())))
            .collect();
        let published = package
            .wheels
            .iter()
            .chain(&package.sdist)
            .filter_map(|f| f.upload_time.as_ref());
        let published = published.filter_map(|t| t.to_string().parse().ok()).min();
        if let (Some(version), Some(moment)) = (&version, published) {
            dates
                .published
                .insert((package.name.clone(), version.clone()), moment);
        }
        entries.push(Pinned {
            name: package.name.clone(),
            version,
            files,
        });
    }
    let mut question = steps::question(&lock);
    if !question.is_empty() {
        question.extend(typed::depots(depots));
    }
    Ok(Pins {
        shown,
        entries,
        question,
    })
}

/// Dates of what is placed, by the depots; without the network they are left out.
pub(super) fn dates(snapshot: &mut Snapshot, run: &Run, output: &Output) {
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
