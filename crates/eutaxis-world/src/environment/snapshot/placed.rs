//! The projects that an environment sees (PEP 376 and 627): new and old forms of metadata, and
//! links to source trees.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use eutaxis_core::artifact::{
    EntryPoints, Metadata, Record, Variants, WheelInfo, WheelName, WheelTags,
};
use eutaxis_core::examine::{Direct, Form, Owned, Project, Recorded, Seat, State};
use eutaxis_core::{Name, Version};
use jiff::Timestamp;
use rayon::prelude::*;

use super::super::read::{noted, tidy_path};
use super::search::Search;
use super::shown;
use crate::Result;
use crate::error::Doing;
use crate::files::read_plain;

/// A project with what is recorded of its files and not yet compared.
#[derive(Debug)]
pub(super) struct Placed {
    pub(super) project: Project,
    /// Path, hash and size of its files, as recorded.
    pub(super) recorded: Vec<(PathBuf, Option<String>, Option<u64>)>,
}

/// The projects of all folders of packages, in the order in which they are found.
///
/// # Errors
/// When a folder cannot be read.
pub(super) fn projects(search: &Search) -> Result<Vec<Placed>> {
    let mut infos: Vec<(usize, bool, PathBuf)> = Vec::new();
    for (index, entry) in search.entries.iter().enumerate() {
        if matches!(entry.seat, Seat::Standard | Seat::Start) {
            continue;
        }
        let folder = Path::new(&entry.folder);
        let here = entry.seat == Seat::Site;
        let mut found = Vec::new();
        for file in fs::read_dir(folder).doing("cannot read the folder", folder)? {
            let path = file.doing("cannot read the folder", folder)?.path();
            let ending = path
                .extension()
                .map(|e| e.to_string_lossy().to_ascii_lowercase());
            if matches!(
                ending.as_deref(),
                Some("dist-info" | "egg-info" | "egg-link" | "egg")
            ) {
                found.push((index, here, path));
            }
        }
        found.sort();
        infos.extend(found);
    }
    let read = |(entry, here, path): &(usize, bool, PathBuf)| project(*entry, *here, path);
    Ok(infos.par_iter().flat_map_iter(read).collect())
}

fn project(entry: usize, here: bool, path: &Path) -> Option<Placed> {
    let ending = path.extension()?.to_string_lossy().to_ascii_lowercase();
    match ending.as_str() {
        "dist-info" => dist_info(entry, here, path),
        "egg-info" => egg_info(entry, here, path),
        "egg" => egg_info(entry, here, &path.join("EGG-INFO")).map(|mut placed| {
            placed
                .project
                .claims
                .extend(path.file_name().map(|n| n.to_string_lossy().into_owned()));
            placed
        }),
        _ => egg_link(entry, here, path),
    }
}

fn text(path: &Path) -> Option<String> {
    read_plain(path)
        .ok()
        .map(|b| String::from_utf8_lossy(&b).into_owned())
}

/// Name and release by the name of the metadata's folder.
fn by_name(path: &Path) -> Option<(Name, Option<Version>)> {
    let stem = path.file_stem()?.to_str()?;
    // What a change set aside keeps the rest of its name behind `~`.
    let mut parts = stem.trim_start_matches('~').split('-');
    let name = Name::parse(parts.next()?).ok()?;
    Some((
        name,
        parts
            .next()
            .and_then(|v| Version::parse(&v.replace('_', "-")).ok()),
    ))
}

fn dist_info(entry: usize, here: bool, info: &Path) -> Option<Placed> {
    if info.file_name()?.to_string_lossy().starts_with('~') {
        return None;
    }
    let site = info.parent()?;
    let metadata = match read_plain(&info.join("METADATA")) {
        Ok(bytes) => Metadata::parse(&bytes).map_err(|f| f.to_string()),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Err("it has no METADATA".to_owned()),
        Err(e) => Err(format!("METADATA cannot be read ({e})")),
    };
    let bare = bare(entry, here, info, metadata)?;
    let mut recorded = Vec::new();
    let record = match read_plain(&info.join("RECORD")) {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Recorded::Absent,
        Err(e) => Recorded::Broken(format!("RECORD cannot be read ({e})")),
        Ok(bytes) => match Record::parse(&bytes) {
            Err(fault) => Recorded::Broken(fault.to_string()),
            Ok(record) => {
                let remarks = remarks(&record);
                recorded.extend(
                    record
                        .lines
                        .into_iter()
                        .map(|l| (tidy_path(&site.join(l.path)), l.hash, l.size)),
                );
                Recorded::Read(remarks)
            }
        },
    };
    let note = noted(info);
    let read = |file: &str| text(&info.join(file));
    let tags = read_plain(&info.join("WHEEL"))
        .ok()
        .and_then(|b| WheelInfo::parse(&b).ok())
        .map(|w| tags(&bare.name, &w.tags));
    let direct = read("direct_url.json").and_then(|t| direct(&t));
    let in_place = direct.as_ref().is_some_and(|d| d.editable);
    let unknown = in_place || !matches!(record, Recorded::Read(_));
    let claims = if unknown {
        claims(info, &bare)
    } else {
        Vec::new()
    };
    let project = Project {
        form: Form::DistInfo,
        record,
        claims,
        starts: starts(info),
        installer: read("INSTALLER")
            .map(|t| t.trim().to_owned())
            .filter(|t| !t.is_empty()),
        requested: info.join("REQUESTED").is_file(),
        direct,
        variants: variants(info),
        built: note.as_ref().and_then(|n| n.built.clone()),
        wheel: note.map(|n| (n.file, n.sha256)),
        tags,
        ..bare
    };
    Some(Placed { project, recorded })
}

/// What a wheel variant says of itself.
fn variants(info: &Path) -> Option<std::result::Result<Variants, String>> {
    match read_plain(&info.join("variant.json")) {
        Ok(bytes) => Some(Variants::parse(&bytes).map_err(|f| f.message().to_owned())),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => None,
        Err(e) => Some(Err(e.to_string())),
    }
}

/// A project of the older form, of which nothing is known but its metadata.
fn bare(
    entry: usize,
    here: bool,
    info: &Path,
    metadata: std::result::Result<Metadata, String>,
) -> Option<Project> {
    let (name, version) = match &metadata {
        Ok(metadata) => (metadata.name.clone(), Some(metadata.version.clone())),
        Err(_) => by_name(info)?,
    };
    Some(Project {
        name,
        version,
        info: shown(info),
        entry,
        here,
        metadata,
        form: Form::EggInfo,
        record: Recorded::Absent,
        files: Vec::new(),
        claims: Vec::new(),
        starts: starts(info),
        installer: None,
        requested: false,
        direct: None,
        variants: None,
        built: None,
        wheel: None,
        tags: None,
        placed: changed(info),
    })
}

/// The modules in which its scripts start; none that cannot be read.
fn starts(info: &Path) -> Vec<String> {
    let bytes = read_plain(&info.join("entry_points.txt")).unwrap_or_default();
    EntryPoints::starts(&bytes).into_iter().collect()
}

/// What is wrong in single lines of a RECORD: paths twice, and hashes that count for nothing.
fn remarks(record: &Record) -> Vec<String> {
    let mut seen = std::collections::HashSet::new();
    let twice = record
        .lines
        .iter()
        .filter(|l| !seen.insert(l.path.as_str()));
    let twice = twice.map(|l| {
        format!(
            "RECORD lists {} twice",
            eutaxis_core::fault::escaped(&l.path)
        )
    });
    let weak = |h: &String| {
        !["sha256=", "sha384=", "sha512="]
            .iter()
            .any(|a| h.starts_with(a))
    };
    let weak = record
        .lines
        .iter()
        .filter(|l| l.hash.as_ref().is_some_and(weak));
    let weak = weak.map(|l| {
        format!(
            "RECORD has no sound hash of {}",
            eutaxis_core::fault::escaped(&l.path)
        )
    });
    twice.chain(weak).collect()
}

/// The older form: a folder or a single file.
fn egg_info(entry: usize, here: bool, info: &Path) -> Option<Placed> {
    let file = if info.is_dir() {
        info.join("PKG-INFO")
    } else {
        info.to_owned()
    };
    let mut metadata = match read_plain(&file) {
        Ok(bytes) => Metadata::parse(&bytes).map_err(|f| f.to_string()),
        Err(e) => Err(format!("PKG-INFO cannot be read ({e})")),
    };
    if let (Ok(metadata), Some(text)) = (&mut metadata, text(&info.join("requires.txt")))
        && metadata.requires.is_empty()
    {
        metadata.requires = eutaxis_core::examine::legacy_requirements(&text);
    }
    let mut project = bare(entry, here, info, metadata)?;
    let listed = text(&info.join("installed-files.txt"));
    let recorded: Vec<_> = listed
        .iter()
        .flat_map(|t| t.lines())
        .map(|l| (tidy_path(&info.join(l.trim())), None, None))
        .collect();
    if recorded.is_empty() {
        project.claims = claims(info, &project);
    }
    Some(Placed { project, recorded })
}

/// A link to a source tree, whose metadata lies there.
fn egg_link(entry: usize, here: bool, link: &Path) -> Option<Placed> {
    let text = text(link)?;
    let tree = PathBuf::from(text.lines().next()?.trim());
    let stem = Name::parse(link.file_stem()?.to_str()?).ok()?;
    let mut infos: Vec<PathBuf> = fs::read_dir(&tree)
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| e.path())
        .collect();
    infos.retain(|p| {
        p.extension().is_some_and(|e| e == "egg-info") && by_name(p).is_some_and(|(n, _)| n == stem)
    });
    let found = infos.first().and_then(|info| egg_info(entry, here, info));
    let mut placed = found.or_else(|| {
        let mut lost = egg_info(entry, here, link)?;
        lost.project.metadata = Err(format!(
            "it leads to {}, where no metadata is",
            tree.display()
        ));
        Some(lost)
    })?;
    let url = url::Url::from_file_path(&tree)
        .map(|u| u.to_string())
        .unwrap_or_default();
    placed.project.direct = Some(Direct {
        url,
        editable: true,
        sha256: None,
    });
    placed.project.claims = vec![link.file_name()?.to_string_lossy().into_owned()];
    Some(placed)
}

/// Names at the top that a project of unknown files has: as it says, else its own.
fn claims(info: &Path, project: &Project) -> Vec<String> {
    let stated = project
        .metadata
        .as_ref()
        .map_or(&[][..], |m| m.import_names.as_slice());
    let stated: Vec<String> = stated
        .iter()
        .filter_map(|n| n.split(['.', ';']).next())
        .map(|n| n.trim().to_owned())
        .collect();
    if !stated.is_empty() {
        return stated;
    }
    let name = project.name.as_str();
    let told = text(&info.join("top_level.txt")).unwrap_or_default();
    let told: Vec<String> = told
        .lines()
        .map(str::trim)
        .filter(|l| !l.is_empty())
        .map(str::to_owned)
        .collect();
    if told.is_empty() {
        vec![name.replace('-', "_"), name.to_owned()]
    } else {
        told
    }
}

fn direct(text: &str) -> Option<Direct> {
    let told: serde_json::Value = serde_json::from_str(text).ok()?;
    let url = told.get("url")?.as_str()?.to_owned();
    let editable = told
        .pointer("/dir_info/editable")
        .and_then(serde_json::Value::as_bool)
        .unwrap_or(false);
    let hashes = told
        .pointer("/archive_info/hashes/sha256")
        .and_then(|h| h.as_str())
        .map(str::to_owned);
    let older = || {
        told.pointer("/archive_info/hash")?
            .as_str()?
            .strip_prefix("sha256=")
            .map(str::to_owned)
    };
    Some(Direct {
        url,
        editable,
        sha256: hashes.or_else(older),
    })
}

/// Tags as WHEEL writes them, one line each.
fn tags(name: &Name, lines: &[String]) -> Vec<WheelTags> {
    let file = |tag: &String| format!("{}-0-{tag}.whl", name.as_str().replace('-', "_"));
    lines
        .iter()
        .filter_map(|t| WheelName::parse(&file(t)).ok())
        .map(|w| w.tags)
        .collect()
}

fn changed(path: &Path) -> Option<Timestamp> {
    let modified = fs::metadata(path)
        .ok()?
        .modified()
        .ok()?
        .duration_since(UNIX_EPOCH)
        .ok()?;
    Timestamp::from_second(i64::try_from(modified.as_secs()).ok()?).ok()
}

/// A file of a project as recorded, to be compared.
pub(super) fn owned(path: &Path, hash: Option<String>) -> Owned {
    Owned {
        path: shown(path),
        state: State::Whole,
        hash,
        size: 0,
    }
}
