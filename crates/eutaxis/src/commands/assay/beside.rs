//! A wheel beside what pins place: what importing runs into when it takes the place of its project.

use std::path::Path;

use eutaxis_core::artifact::WheelName;
use eutaxis_core::pins::select;
use eutaxis_core::record;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{Item, WheelAt, stock_up};
use eutaxis_world::files::sha256_of;
use eutaxis_world::{Error, ErrorKind};

use crate::commands::furnish::items;
use crate::pins::read_lock_at;
use crate::plan::{Chosen, Surroundings};
use crate::proof::contents::Contents;

/// What importing runs into that has to do with the wheel, in words.
pub(super) fn gaps(
    wheel: &Path,
    name: &WheelName,
    pins: &Path,
    chosen: &Chosen,
    surroundings: &Surroundings,
    depots: &Depots,
) -> Result<Vec<String>, Error> {
    let families = &surroundings.config.families;
    let lock = read_lock_at(pins, &chosen.target, families)?;
    let shown = pins.display().to_string();
    let refusal = |f| Error::fault(ErrorKind::Request, &shown, &f);
    let selected = select(&lock, &chosen.target, &record::usual_parts(&lock)).map_err(refusal)?;
    let folder = pins.parent().map(Path::to_owned).unwrap_or_default();
    let mut all = items(&selected, &folder, depots)?;
    all.retain(|item| item.name != name.name);
    let (sha256, size) = sha256_of(wheel)?;
    all.push(Item {
        name: name.name.clone(),
        version: name.version.to_string(),
        wheel: WheelAt::Disk(wheel.to_owned()),
        filename: wheel
            .file_name()
            .map(|n| n.to_string_lossy().into_owned())
            .unwrap_or_default(),
        wheel_name: name.clone(),
        hashes: [("sha256", sha256.as_str())].into_iter().collect(),
        sha256,
        size: Some(size),
        said: None,
        requested: true,
        direct_url: None,
        built: None,
    });
    let own = all.len() - 1;
    let network = depots.network();
    let unpacked = stock_up(&all, &surroundings.cache, network, &|_, _, _| {})?;
    let contents = Contents::of(&all, &unpacked, true);
    let gaps = contents.gaps(&chosen.target, network.catalogue(), true);
    let about = gaps
        .telling()
        .filter(|g| g.taker == own || g.owner() == Some(own));
    Ok(about.map(|g| contents.told(&g)).collect())
}
