//! The text of a list, wherever it lies: on this disk, or at an address.

use std::cell::OnceCell;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_world::files::read_text;
use eutaxis_world::network::Network;
use eutaxis_world::{Error, ErrorKind};
use url::Url;

use crate::plan::Surroundings;

/// Whether a place is an address on the network rather than a path.
pub(crate) fn is_address(place: &Path) -> bool {
    let text = place.to_string_lossy();
    text.starts_with("https://") || text.starts_with("http://")
}

/// Reads texts.
pub(super) struct Texts<'a> {
    /// By what the network is reached, where it may be.
    surroundings: Option<&'a Surroundings>,
    network: OnceCell<Arc<Network>>,
    /// What files are about to say.
    changed: BTreeMap<PathBuf, String>,
}

impl<'a> Texts<'a> {
    pub(super) fn new(surroundings: Option<&'a Surroundings>) -> Self {
        Texts {
            surroundings,
            network: OnceCell::new(),
            changed: BTreeMap::new(),
        }
    }

    /// The same with files that are about to be changed.
    pub(super) fn with(self, changed: BTreeMap<PathBuf, String>) -> Self {
        Texts { changed, ..self }
    }

    /// A text, and how its place is shown. One that the user named and that cannot be read is a
    /// wrong request.
    pub(super) fn read(&self, place: &Path) -> Result<(String, String), Error> {
        let shown = place.display().to_string();
        if let Some(text) = self.changed.get(place) {
            return Ok((text.clone(), shown));
        }
        if !is_address(place) {
            if place.is_dir() {
                let error = Error::request(format!("{shown} is a folder, and a list is a file"));
                return Err(error.help(format!(
                    "name the file in it; a project in a folder is asked for as ./{shown}"
                )));
            }
            let text = read_text(place).map_err(Error::of_request)?;
            return Ok((text, shown));
        }
        let Some(surroundings) = self.surroundings else {
            return Err(Error::request(format!("{shown} lies on the network")));
        };
        let network = self.network.get_or_init(|| super::network_of(surroundings));
        let mut url = Url::parse(&shown)
            .map_err(|e| Error::request(format!("{shown} is no address: {e}")))?;
        network.keep_secret(&mut url, None);
        network.name_place(&url, &[]);
        let shown = url.to_string();
        let bytes = network.text(&url)?.ok_or_else(|| {
            Error::new(ErrorKind::Request, format!("there is no list at {shown}"))
                .help("look at the address in a browser: it must lead to the plain text")
        })?;
        let text = String::from_utf8(bytes)
            .map_err(|_| Error::request(format!("what {shown} leads to is no UTF-8 text")))?;
        if text.trim_start().starts_with('<') {
            let error = Error::request(format!("{shown} leads to a page, not to a list"));
            return Err(error.help("name the address of the plain text"));
        }
        Ok((text, shown))
    }
}
