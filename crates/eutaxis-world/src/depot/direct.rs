//! A file that an ask demands by its address (`name @ https://...`): a page of one file, without
//! index.

use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::index::{FileKind, Hashes, Page, PageFile};
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use url::Url;

use super::Depot;
use super::remote::{self, Remote};
use crate::network::{Manner, Network, Wanted};
use crate::{Error, Result};

#[derive(Debug)]
struct Direct {
    label: String,
    manner: Manner,
    network: Arc<Network>,
}

/// The page that holds just this file.
pub(super) fn page(
    project: &Name,
    mut url: Url,
    network: &Arc<Network>,
) -> Result<(Arc<dyn Depot>, Page)> {
    network.keep_secret(&mut url, None);
    let stated = url
        .fragment()
        .and_then(|f| f.split('&').find_map(|part| part.strip_prefix("sha256=")));
    let mut sha256 = stated.map(str::to_ascii_lowercase);
    url.set_fragment(None);
    let last = url.path().rsplit('/').next().unwrap_or("");
    let filename = percent_encoding::percent_decode_str(last)
        .decode_utf8_lossy()
        .into_owned();
    let kind = FileKind::of(&filename, project)
        .map_err(|reason| Error::request(format!("{project} is asked for at {url}: {reason}")))?;
    if sha256.is_none() {
        // Nothing says which bytes they must be: those that are there now are taken, and pinned.
        let wanted = Wanted {
            url: url.clone(),
            filename: filename.clone(),
            hashes: Hashes::default(),
            size: None,
            insecure: false,
            learning: false,
        };
        sha256 = Some(network.bring(&wanted, &|_| {})?.1.sha256);
    }
    let label = url.to_string();
    let mut file = PageFile {
        filename: filename.as_str().into(),
        url: label.as_str().into(),
        kind,
        hashes: sha256.iter().map(|h| ("sha256", h)).collect(),
        requires_python: None,
        metadata: None,
        yanked: None,
        size: None,
        published: None,
    };
    let manner = Manner {
        origin: label.clone(),
        insecure: false,
    };
    if let MetadataAnswer::Known(metadata) =
        remote::metadata(network, &manner, project, &file, Effort::Cheap)?
    {
        file.requires_python = metadata.requires_python.clone().map(Arc::new);
    }
    let mut page = Page::new(project.clone());
    page.files.push(Arc::new(file));
    Ok((
        Arc::new(Direct {
            label,
            manner,
            network: Arc::clone(network),
        }),
        page,
    ))
}

impl Remote for Direct {
    fn network(&self) -> &Network {
        &self.network
    }

    fn manner(&self) -> &Manner {
        &self.manner
    }

    fn label(&self) -> &str {
        &self.label
    }

    fn page(&self, _: &Name) -> Result<Option<Page>> {
        Ok(None)
    }

    fn projects(&self) -> Vec<Name> {
        Vec::new()
    }
}
