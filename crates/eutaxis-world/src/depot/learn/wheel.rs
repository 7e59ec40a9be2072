//! METADATA from parts of a wheel.

use super::super::inside;
use super::kept::Kept;
use super::{LARGEST, Learnt, Question};
use crate::Result;
use crate::catalogue::ListedFile;
use crate::network::{Entry, Parted, Request, Try, ZipSource, read_parts};
use crate::wheel::{Sources, among_modules};

/// Files no larger than this are given whole by servers that give parts of others: that says
/// nothing of them.
const SMALL: u64 = 32 << 10;

/// What the wheel says of itself, without the rest of it. The list of its files is kept where it
/// came along.
pub(super) fn by_parts(question: &Question<'_>, kept: &Kept<'_>) -> Result<Learnt> {
    let is_metadata = |n: &str| {
        n.strip_suffix("/METADATA")
            .is_some_and(|f| f.ends_with(".dist-info") && !f.contains('/'))
    };
    let (members, directory) = match parts(question, &is_metadata, 1)? {
        Got::Members(members, directory) => (members, directory),
        Got::Nothing(size) => return Ok(Learnt::No(size)),
        Got::Gone(learnt) => return Ok(learnt),
    };
    if let Some(directory) = directory {
        keep_list(question, kept, directory);
    }
    match members.as_slice() {
        // The whole file tells what is wrong with it, if it still is.
        [] => Ok(Learnt::No(question.file.size)),
        [(_, bytes)] => question.said(inside::read_metadata(bytes, question.url)),
        _ => question.said(Err(inside::several(question.url))),
    }
}

/// The files of a wheel, without the rest of it; none where parts do not do. No hash covers what
/// comes, so that it is not asked for in the open.
pub(super) fn list(question: &Question<'_>, kept: &Kept<'_>) -> Result<Option<Vec<ListedFile>>> {
    let is_open = super::is_in_the_open(question.url, question.manner);
    if question.network.is_offline() || is_open {
        return Ok(None);
    }
    // No member is looked for: only the directory.
    let Got::Members(_, Some(directory)) = parts(question, &|_| false, 1)? else {
        return Ok(None);
    };
    Ok(Some(keep_list(question, kept, directory)))
}

fn keep_list(question: &Question<'_>, kept: &Kept<'_>, directory: Vec<Entry>) -> Vec<ListedFile> {
    let files = directory.into_iter().filter(|e| !e.name.ends_with('/'));
    let listed = files.map(|e| ListedFile {
        path: e.name,
        size: e.size,
        crc: e.crc,
    });
    let list: Vec<ListedFile> = listed.collect();
    question.network.catalogue().keep_listed(kept.key(), &list);
    list
}

/// Sources of a wheel, without the rest of it; none where parts do not do.
pub(in crate::depot) fn sources(
    question: &Question<'_>,
    wanted: &dyn Fn(&str) -> bool,
) -> Result<Option<Sources>> {
    if question.network.is_offline() {
        return Ok(None);
    }
    let is_wanted = |path: &str| among_modules(path).is_some_and(wanted);
    // Never enough: that something is not there only the whole directory tells.
    let Got::Members(members, Some(directory)) = parts(question, &is_wanted, usize::MAX)? else {
        return Ok(None);
    };
    let placed = |path: &String| among_modules(path).map(str::to_owned);
    let found = members.into_iter();
    Ok(Some(Sources {
        paths: Some(directory.iter().filter_map(|e| placed(&e.name)).collect()),
        found: found
            .filter_map(|(p, bytes)| Some((placed(&p)?, bytes)))
            .collect(),
    }))
}

pub(super) enum Got {
    Members(Vec<(String, Vec<u8>)>, Option<Vec<Entry>>),
    /// Parts do not do; how large the file is, if that is known.
    Nothing(Option<u64>),
    /// The depot does not have the file, though its page lists it.
    Gone(Learnt),
}

/// Members of an archive by its parts.
pub(super) fn parts(
    question: &Question<'_>,
    wanted: &dyn Fn(&str) -> bool,
    enough: usize,
) -> Result<Got> {
    let host = question.host();
    if !question.network.may_try(&host, Try::Parts) {
        return Ok(Got::Nothing(question.file.size));
    }
    let what = question.what();
    let client = question.network.client(&question.file.filename)?;
    let mut request = Request::new(question.url, &what, LARGEST);
    request.trust = question.trust();
    request.learning = Some(0);
    let source = ZipSource {
        client,
        request,
        size: question.file.size,
        wanted,
        enough,
    };
    match read_parts(&source)? {
        Parted::Found { members, directory } => {
            question.network.tried(&host, Try::Parts, true);
            Ok(Got::Members(members, directory))
        }
        Parted::Unfit => Ok(Got::Nothing(question.file.size)),
        Parted::WholeOnly(size) => {
            if size.is_none_or(|n| n > SMALL) {
                question.network.tried(&host, Try::Parts, false);
            }
            Ok(Got::Nothing(size))
        }
        Parted::Absent(status, error) => super::absent(status, error).map(Got::Gone),
    }
}
