//! The contents of a wheel against its promises: one `.dist-info` of this project and release,
//! WHEEL, METADATA, RECORD with the hash of every file (PEP 427, file contents; PEP 376 and 427,
//! RECORD).

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::artifact::{EntryPoints, Metadata, Record, WheelInfo, WheelName, record_base64};
use eutaxis_core::fault::escaped;
use eutaxis_core::{Name, Version};

use super::{Refusal, RefusalKind};
use crate::hash::{sha384, sha512};

/// A file of a wheel whose bytes were read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Seen {
    pub(crate) path: String,
    /// `sha256=...`
    pub(crate) hash: String,
}

/// What a wheel says of itself, as far as it can be read.
#[derive(Debug, Default)]
pub(crate) struct Said {
    /// Its `.dist-info` folder.
    pub(crate) dist_info: Option<String>,
    pub(crate) info: Option<WheelInfo>,
    pub(crate) metadata: Option<Metadata>,
}

/// The hash of some bytes as RECORD writes it, from a digest.
pub(crate) fn hash_of_part(digest: &[u8]) -> String {
    format!("sha256={}", record_base64(digest))
}

/// Checks the contents of a wheel. `bytes` gives those of one file.
pub(crate) fn check(
    name: &WheelName,
    files: &[Seen],
    bytes: &mut dyn FnMut(&str) -> Option<Vec<u8>>,
) -> (Said, Vec<Refusal>) {
    let mut said = Said::default();
    let mut refusals = Vec::new();
    let tops: BTreeSet<&str> = files
        .iter()
        .filter_map(|f| f.path.split_once('/').map(|(top, _)| top))
        .collect();
    let mut infos = tops.iter().filter(|t| t.ends_with(".dist-info"));
    let (Some(dist_info), None) = (infos.next().map(|t| (*t).to_owned()), infos.next()) else {
        refusals.push(Refusal::new(
            RefusalKind::Metadata,
            "it does not hold exactly one .dist-info folder",
        ));
        return (said, refusals);
    };
    if tops.iter().filter(|t| t.ends_with(".data")).count() > 1 {
        refusals.push(Refusal::new(
            RefusalKind::Metadata,
            "it holds several .data folders",
        ));
    }
    let stem = dist_info.trim_end_matches(".dist-info");
    let truthful = stem.split_once('-').is_some_and(|(n, v)| {
        Name::parse(n).is_ok_and(|n| n == name.name)
            && Version::parse(v).is_ok_and(|v| v == name.version)
    });
    if !truthful {
        let why = format!(
            "its folder {} is not that of {} {}",
            escaped(&dist_info),
            name.name,
            name.version
        );
        refusals.push(Refusal::new(RefusalKind::Name, why));
    }
    let mut read = |file: &str, kind: RefusalKind, refusals: &mut Vec<Refusal>| {
        let found = bytes(&format!("{dist_info}/{file}"));
        if found.is_none() {
            refusals.push(Refusal::new(
                kind,
                format!("{}/{file} is missing", escaped(&dist_info)),
            ));
        }
        found
    };
    let metadata =
        read("METADATA", RefusalKind::Metadata, &mut refusals).map(|b| Metadata::parse(&b));
    said.metadata = kept(metadata, RefusalKind::Metadata, &mut refusals);
    if let Some(metadata) = said
        .metadata
        .as_ref()
        .filter(|m| m.name != name.name || m.version != name.version)
    {
        let (theirs, version) = (&metadata.name, &metadata.version);
        let why = format!(
            "its metadata says {theirs} {version}, its name {} {}",
            name.name, name.version
        );
        refusals.push(Refusal::new(RefusalKind::Name, why));
    }
    let info = read("WHEEL", RefusalKind::Metadata, &mut refusals).map(|b| WheelInfo::parse(&b));
    said.info = kept(info, RefusalKind::Metadata, &mut refusals);
    let record = read("RECORD", RefusalKind::Record, &mut refusals).map(|b| Record::parse(&b));
    if let Some(record) = kept(record, RefusalKind::Record, &mut refusals) {
        check_record(&dist_info, &record, files, bytes, &mut refusals);
    }
    if let Some(points) = bytes(&format!("{dist_info}/entry_points.txt")) {
        kept(
            Some(EntryPoints::parse(&points)),
            RefusalKind::Metadata,
            &mut refusals,
        );
    }
    said.dist_info = Some(dist_info);
    (said, refusals)
}

fn kept<T>(
    read: Option<Result<T, eutaxis_core::fault::Fault>>,
    kind: RefusalKind,
    refusals: &mut Vec<Refusal>,
) -> Option<T> {
    match read? {
        Ok(value) => Some(value),
        Err(fault) => {
            refusals.push(Refusal::new(kind, fault));
            None
        }
    }
}

/// Every file but RECORD and its signatures is listed with a hash that matches (PEP 376 and 427,
/// RECORD).
fn check_record(
    dist_info: &str,
    record: &Record,
    files: &[Seen],
    bytes: &mut dyn FnMut(&str) -> Option<Vec<u8>>,
    refusals: &mut Vec<Refusal>,
) {
    let listed: BTreeMap<&str, Option<&str>> = record
        .lines
        .iter()
        .map(|l| (l.path.as_str(), l.hash.as_deref()))
        .collect();
    let unlisted = ["RECORD", "RECORD.jws", "RECORD.p7s"].map(|f| format!("{dist_info}/{f}"));
    for file in files.iter().filter(|f| !unlisted.contains(&f.path)) {
        let shown = escaped(&file.path);
        let Some(hash) = listed.get(file.path.as_str()) else {
            refusals.push(Refusal::new(
                RefusalKind::Record,
                format!("`{shown}` is not in its RECORD"),
            ));
            continue;
        };
        let matches = match hash {
            None => {
                refusals.push(Refusal::new(
                    RefusalKind::Record,
                    format!("`{shown}` has no hash in its RECORD"),
                ));
                continue;
            }
            Some(hash) if hash.starts_with("sha256=") => file.hash == hash.trim_end_matches('='),
            Some(hash) => bytes(&file.path).is_some_and(|b| is_other_hash(&b, hash)),
        };
        if !matches {
            let why = format!("`{shown}` does not have the hash of its RECORD");
            refusals.push(Refusal::new(RefusalKind::Hash, why));
        }
    }
}

/// The stronger hashes that RECORD may use; weaker ones are refused.
pub(crate) fn is_other_hash(bytes: &[u8], hash: &str) -> bool {
    let (algorithm, value) = hash.split_once('=').unwrap_or((hash, ""));
    let found = match algorithm {
        "sha384" => record_base64(&sha384(bytes)),
        "sha512" => record_base64(&sha512(bytes)),
        _ => return false,
    };
    found == value.trim_end_matches('=')
}
