//! Metadata beside a file (PEP 658): announced by the page, or tried where a host has it for other
//! files.

use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::FileKind;

use super::super::inside;
use super::{LARGEST, Learnt, Question};
use crate::network::{Request, Try, differs};
use crate::{Error, Result};

/// What it says, if it is there.
pub(super) fn find(question: &Question<'_>) -> Result<Option<Learnt>> {
    let what = format!("the metadata of {}", question.file.filename);
    if let Some(hashes) = &question.file.metadata {
        let Some(bytes) = fetch(question, &what)? else {
            return Ok(None);
        };
        if let Some((algorithm, stated, found)) = differs(&bytes, hashes) {
            let message = format!(
                "{what} has the {} {found}; the page says {stated}",
                algorithm.as_str()
            );
            return Err(Error::contents(message).help(
                "it was changed on the server or on the way (a proxy?): try again, and if it stays \
                    so, tell those who run the depot",
            ));
        }
        return question
            .said(inside::read_metadata(&bytes, question.url))
            .map(Some);
    }
    // Source distributions have none that nobody announces.
    let host = question.host();
    if !matches!(question.file.kind, FileKind::Wheel(_))
        || !question.network.may_try(&host, Try::Sidecar)
    {
        return Ok(None);
    }
    let found = fetch(question, &what)?
        .and_then(|bytes| Metadata::parse(&bytes).ok())
        .filter(|m| question.is_of(m));
    question.network.tried(&host, Try::Sidecar, found.is_some());
    Ok(found.map(Learnt::said))
}

/// The bytes of `FILE.metadata`, if the server has it.
fn fetch(question: &Question<'_>, what: &str) -> Result<Option<Vec<u8>>> {
    let mut beside = question.url.clone();
    beside.set_path(&format!("{}.metadata", question.url.path()));
    let client = question.network.client(what)?;
    let mut request = Request::new(&beside, what, LARGEST);
    request.compressed = true;
    request.trust = question.trust();
    request.learning = Some(0);
    let answer = client.get(&request)?;
    match answer.head.status {
        200 => Ok(Some(answer.body)),
        // Some servers forbid what they do not have.
        403 | 404 | 410 => Ok(None),
        _ => Err(client.refusal(&answer.head, what)),
    }
}
