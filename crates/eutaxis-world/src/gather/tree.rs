//! The pages of a gathered folder: JSON and HTML by the simple repository API, metadata beside the
//! wheels.

use std::collections::BTreeMap;
use std::path::Path;

use eutaxis_core::artifact::{Metadata, WheelName};
use eutaxis_core::{Name, Version};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Map, Value, json};

use super::Piece;
use crate::depot::{variant_bytes, wheel_metadata_bytes};
use crate::error::Doing;
use crate::files::{UNFINISHED, write_whole};
use crate::hash::sha256_hex;
use crate::{Error, Result};

/// Private keys of the format begin with `_`: by this one we know our own folders.
const MARK: &str = "_gathered-by";

const KEPT: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'.')
    .remove(b'_')
    .remove(b'~');

/// Takes a new or empty folder, or one that was gathered before; marks it.
pub(super) fn ensure_ours(into: &Path) -> Result<()> {
    let list = into.join("index.json");
    let ours = std::fs::read(&list)
        .ok()
        .and_then(|bytes| serde_json::from_slice::<Value>(&bytes).ok())
        .is_some_and(|v| v.get("meta").is_some_and(|m| m.get(MARK).is_some()));
    if ours {
        let folders = std::fs::read_dir(into)
            .into_iter()
            .flatten()
            .flatten()
            .map(|e| e.path());
        folders
            .filter(|p| p.is_dir())
            .for_each(|folder| sweep(&folder));
        return Ok(());
    }
    sweep(into);
    let empty = match std::fs::read_dir(into) {
        Ok(mut entries) => entries.next().is_none(),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => true,
        Err(e) => return Err(Error::io("cannot use", into, &e).of_request()),
    };
    if !empty {
        let message = format!(
            "{} holds other things than an earlier gather left",
            into.display()
        );
        return Err(Error::request(message).help("name a new or empty folder with --into"));
    }
    write_lists(into)
}

/// Removes what a killed run was about to rename.
fn sweep(folder: &Path) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_name().to_string_lossy().starts_with(UNFINISHED) {
            // What cannot be removed is in nobody's way.
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// Writes the pages of the projects of these pieces, and the list of projects.
pub(super) fn write_pages(into: &Path, pieces: &[&Piece]) -> Result<()> {
    let mut by_project: BTreeMap<&Name, Vec<&Piece>> = BTreeMap::new();
    for piece in pieces {
        by_project.entry(&piece.project).or_default().push(piece);
    }
    for (project, pieces) in by_project {
        write_page(&into.join(project.as_str()), project, &pieces)?;
    }
    write_lists(into)
}

fn write_page(folder: &Path, project: &Name, pieces: &[&Piece]) -> Result<()> {
    // What the page has of files that are still there stays.
    let mut entries: BTreeMap<String, Value> = BTreeMap::new();
    let before = std::fs::read(folder.join("index.json"))
        .ok()
        .and_then(|b| serde_json::from_slice::<Value>(&b).ok());
    for entry in before
        .iter()
        .filter_map(|v| v.get("files")?.as_array())
        .flatten()
    {
        let name = entry.get("filename").and_then(Value::as_str);
        if let Some(name) = name.filter(|n| folder.join(n).is_file()) {
            entries.insert(name.to_owned(), entry.clone());
        }
    }
    let mut versions: Vec<String> = before
        .iter()
        .filter_map(|v| v.get("versions")?.as_array())
        .flatten()
        .filter_map(|v| v.as_str().map(str::to_owned))
        .collect();
    for piece in pieces {
        entries.insert(piece.filename.clone(), entry(folder, piece)?);
        versions.push(piece.version.clone());
    }
    for (filename, described) in described(folder, &entries) {
        entries.insert(filename, described?);
    }
    versions.sort_by_key(|v| (Version::parse(v).ok(), v.clone()));
    versions.dedup();
    let files: Vec<&Value> = entries.values().collect();
    let page = json!({"meta": {"api-version": "1.1"}, "name": project.as_str(), "versions": versions, "files": files});
    write_whole(
        &folder.join("index.json"),
        &serde_json::to_vec_pretty(&page).unwrap_or_default(),
    )?;
    write_whole(&folder.join("index.html"), html(project, &files).as_bytes())
}

/// The descriptions of the variants that are there, by what the wheels say of themselves (draft PEP
/// 825), written beside them; each as the page states it.
fn described(folder: &Path, entries: &BTreeMap<String, Value>) -> BTreeMap<String, Result<Value>> {
    let mut all: BTreeMap<String, Value> = BTreeMap::new();
    for filename in entries.keys() {
        let Ok(name) = WheelName::parse(filename) else {
            continue;
        };
        let bytes = name
            .variant
            .as_ref()
            .and_then(|_| variant_bytes(&folder.join(filename)).ok());
        let Some(mut own) = bytes.and_then(|b| serde_json::from_slice::<Value>(&b).ok()) else {
            continue;
        };
        let file = format!("{}-{}-variants.json", name.name.file_form(), name.version);
        match all.get_mut(&file) {
            None => {
                all.insert(file, own);
            }
            Some(known) => {
                let labels = own.get_mut("variants").and_then(Value::as_object_mut);
                let known = known.get_mut("variants").and_then(Value::as_object_mut);
                if let (Some(known), Some(labels)) = (known, labels) {
                    known.extend(std::mem::take(labels));
                }
            }
        }
    }
    let write = |(file, described): (String, Value)| {
        let bytes = serde_json::to_vec_pretty(&described).unwrap_or_default();
        let written = write_whole(&folder.join(&file), &bytes).map(|()| {
            json!({
                "filename": file,
                "url": utf8_percent_encode(&file, KEPT).to_string(),
                "hashes": {"sha256": sha256_hex(&bytes)},
                "size": bytes.len(),
            })
        });
        (file, written)
    };
    all.into_iter().map(write).collect()
}

/// A file as the page states it; writes its metadata beside it.
fn entry(folder: &Path, piece: &Piece) -> Result<Value> {
    let path = folder.join(&piece.filename);
    let mut entry = Map::new();
    entry.insert("filename".into(), json!(piece.filename));
    entry.insert(
        "url".into(),
        json!(utf8_percent_encode(&piece.filename, KEPT).to_string()),
    );
    entry.insert(
        "hashes".into(),
        json!({"sha256": piece.sha256.to_ascii_lowercase()}),
    );
    let mut python = piece.requires_python.clone();
    if piece.filename.to_ascii_lowercase().ends_with(".whl")
        && let Ok(bytes) = wheel_metadata_bytes(&path)
    {
        write_whole(&folder.join(format!("{}.metadata", piece.filename)), &bytes)?;
        entry.insert(
            "core-metadata".into(),
            json!({"sha256": sha256_hex(&bytes)}),
        );
        let stated = Metadata::parse(&bytes).ok().and_then(|m| m.requires_python);
        python = stated.map(|set| set.to_string()).or(python);
    }
    if let Some(python) = python {
        entry.insert("requires-python".into(), json!(python));
    }
    entry.insert(
        "size".into(),
        json!(std::fs::metadata(&path).doing("cannot read", &path)?.len()),
    );
    if let Some(published) = &piece.published {
        entry.insert("upload-time".into(), json!(published));
    }
    Ok(Value::Object(entry))
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;")
}

fn html(project: &Name, entries: &[&Value]) -> String {
    let mut text = format!(
        "<!DOCTYPE html>\n<html>\n<head>\n<meta name=\"pypi:repository-version\" \
            content=\"1.1\">\n<title>{project}</title>\n</head>\n<body>\n"
    );
    for entry in entries {
        let get = |key: &str| entry.get(key).and_then(Value::as_str).unwrap_or("");
        let hash = |key: &str| {
            entry
                .get(key)
                .and_then(|h| h.get("sha256"))
                .and_then(Value::as_str)
        };
        let mut attributes = String::new();
        if !get("requires-python").is_empty() {
            attributes.push_str(&format!(
                " data-requires-python=\"{}\"",
                escaped(get("requires-python"))
            ));
        }
        if let Some(hash) = hash("core-metadata") {
            attributes.push_str(&format!(" data-core-metadata=\"sha256={hash}\""));
        }
        let fragment = hash("hashes").map_or(String::new(), |h| format!("#sha256={h}"));
        let (url, name) = (escaped(get("url")), escaped(get("filename")));
        text.push_str(&format!(
            "<a href=\"{url}{fragment}\"{attributes}>{name}</a><br>\n"
        ));
    }
    text.push_str("</body>\n</html>\n");
    text
}

/// The lists of projects: every folder that has a page.
fn write_lists(into: &Path) -> Result<()> {
    let mut names: Vec<String> = std::fs::read_dir(into)
        .into_iter()
        .flatten()
        .flatten()
        .filter(|e| e.path().join("index.json").is_file())
        .filter_map(|e| e.file_name().into_string().ok())
        .collect();
    names.sort();
    let projects: Vec<Value> = names.iter().map(|n| json!({"name": n})).collect();
    let list = json!({"meta": {"api-version": "1.1", MARK: "eutaxis"}, "projects": projects});
    let links: String = names
        .iter()
        .map(|n| format!("<a href=\"{n}/\">{n}</a><br>\n"))
        .collect();
    let html = format!(
        "<!DOCTYPE html>\n<html>\n<head>\n<meta name=\"pypi:repository-version\" \
            content=\"1.1\">\n<title>Projects</title>\n</head>\n<body>\n{links}</body>\n</html>\n"
    );
    // The one with the mark first: a run that is killed after it finds its own folder again.
    write_whole(
        &into.join("index.json"),
        &serde_json::to_vec_pretty(&list).unwrap_or_default(),
    )?;
    write_whole(&into.join("index.html"), html.as_bytes())
}
