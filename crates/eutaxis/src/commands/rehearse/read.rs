//! What importing would run into after it, by the sources: with `--prove`.

use std::collections::BTreeSet;

use eutaxis_core::index::FileKind;
use eutaxis_core::rehearse::Set;
use eutaxis_core::{Name, Target};
use eutaxis_world::Error;
use eutaxis_world::depot::Place;
use eutaxis_world::environment::{Item, WheelAt, stock_up};
use eutaxis_world::network::Network;
use eutaxis_world::supply::Run;

use crate::plan::Surroundings;
use crate::proof::contents::Contents;

/// Whoever reads sets.
pub(super) struct Reader<'a> {
    pub(super) run: &'a Run,
    pub(super) network: &'a Network,
    pub(super) surroundings: &'a Surroundings,
    pub(super) target: &'a Target,
}

impl Reader<'_> {
    /// What importing a set runs into that importing the one before did not, in words.
    pub(super) fn new_gaps(&self, before: &Set, after: &Set) -> Result<Vec<String>, Error> {
        let there: BTreeSet<String> = self.gaps(before)?.into_iter().collect();
        let mut gaps = self.gaps(after)?;
        gaps.retain(|gap| !there.contains(gap));
        Ok(gaps)
    }

    fn gaps(&self, set: &Set) -> Result<Vec<String>, Error> {
        let names: Vec<Name> = set.keys().cloned().collect();
        self.run.pages(&names)?;
        let mut items = Vec::new();
        for (name, placed) in set {
            items.extend(self.item(name, placed)?);
        }
        let is_whole = items.len() == set.len();
        let cache = &self.surroundings.cache;
        let unpacked = stock_up(&items, cache, self.network, &|_, _, _| {})?;
        let contents = Contents::of(&items, &unpacked, is_whole);
        let gaps = contents.gaps(self.target, self.network.catalogue(), true);
        Ok(gaps.telling().map(|g| contents.told(&g)).collect())
    }

    /// The wheel of what is placed; none of what the depots do not have as one.
    fn item(
        &self,
        name: &Name,
        placed: &eutaxis_core::rehearse::Placed,
    ) -> Result<Option<Item>, Error> {
        let (Some(filename), Some(page)) = (&placed.file, self.run.page_of(name)) else {
            return Ok(None);
        };
        let file = page.file(filename);
        let Some((file, FileKind::Wheel(wheel_name))) = file.map(|f| (f, &f.kind)) else {
            return Ok(None);
        };
        let Some(sha256) = file.hashes.sha256() else {
            return Ok(None);
        };
        Ok(Some(Item {
            name: name.clone(),
            version: placed.version.to_string(),
            wheel: match self.run.place_of(name, file)? {
                Place::Disk(path) => WheelAt::Disk(path),
                Place::Url(url) => WheelAt::Url(url),
            },
            filename: file.filename.to_string(),
            wheel_name: (**wheel_name).clone(),
            sha256: sha256.to_owned(),
            hashes: file.hashes.clone(),
            size: file.size,
            said: None,
            requested: placed.deliberate,
            direct_url: None,
            built: None,
        }))
    }
}
