//! Which files of which wheels go where: everything is known, and every clash found, before
//! anything is written.

use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::fs;
use std::path::{Path, PathBuf};

use eutaxis_core::Target;
use eutaxis_core::artifact::{EntryPoints, Record, RecordLine, record_base64};
use rustc_hash::{FxHashMap, FxHashSet};
use serde_json::json;

use super::furnish::{DirectUrl, Item};
use super::layout::{Layout, data_part};
use super::read::{NOTE, Note};
use super::scripts::{entry_script, with_first_line};
use crate::error::Doing;
use crate::files::{relative, slashed};
use crate::hash::sha256;
use crate::store::Unpacked;
use crate::{Error, Result};

/// A file to be placed.
#[derive(Debug)]
pub(super) struct Planned {
    /// Where, relative to the root of the environment.
    pub(super) to: PathBuf,
    pub(super) from: Source,
    pub(super) executable: bool,
    /// `sha256=...`; none for RECORD itself.
    hash: Option<String>,
    pub(super) size: Option<u64>,
}

/// Where the bytes come from.
#[derive(Debug)]
pub(super) enum Source {
    /// A file of the store.
    Store(PathBuf),
    /// Made here.
    Bytes(Vec<u8>),
}

/// A wheel with its files.
#[derive(Debug)]
pub(super) struct PlannedWheel {
    pub(super) name: String,
    pub(super) files: Vec<Planned>,
}

fn refuse(item: &Item, why: impl std::fmt::Display) -> Error {
    Error::contents(format!(
        "{} {} cannot be placed: {why}",
        item.name, item.version
    ))
    .help("fetch the wheel again; if it stays so, do not use it")
}

/// The files of a wheel in an environment at `root` (its final place) with this interpreter.
pub(super) fn plan(
    item: &Item,
    unpacked: &Unpacked,
    layout: &Layout,
    root: &Path,
) -> Result<PlannedWheel> {
    let manifest = &unpacked.manifest;
    let python = root.join(&layout.scripts).join("python");
    let info = &manifest.dist_info;
    let skipped = [
        "RECORD",
        "RECORD.jws",
        "RECORD.p7s",
        "INSTALLER",
        "REQUESTED",
        "direct_url.json",
        NOTE,
    ]
    .map(|f| format!("{info}/{f}"));
    let mut files = Vec::with_capacity(manifest.files.len() + 6);
    for file in manifest.files.iter().filter(|f| !skipped.contains(&f.path)) {
        let to = place(&file.path, item.name.as_str(), layout).map_err(|why| refuse(item, why))?;
        let from = unpacked.root.join(&file.path);
        let script = data_part(&file.path).is_some_and(|(key, _)| key == "scripts");
        if script {
            let bytes = fs::read(&from).doing("cannot read", &from)?;
            let bytes = with_first_line(&bytes, &python).unwrap_or(bytes);
            files.push(made(to, bytes, true));
            continue;
        }
        files.push(Planned {
            to,
            from: Source::Store(from),
            executable: file.executable,
            hash: Some(file.hash.clone()),
            size: Some(file.size),
        });
    }
    for (name, bytes) in entry_scripts(item, unpacked, &python)? {
        files.push(made(layout.scripts.join(name), bytes, true));
    }
    let info = layout.site.join(info);
    files.push(made(info.join("INSTALLER"), b"eutaxis\n".to_vec(), false));
    if item.requested {
        files.push(made(info.join("REQUESTED"), Vec::new(), false));
    }
    let note = Note {
        file: manifest.wheel.clone(),
        sha256: item.sha256.clone(),
        built: item.built.clone(),
    };
    files.push(made(
        info.join(NOTE),
        serde_json::to_vec(&note).unwrap_or_default(),
        false,
    ));
    if let Some(direct) = &item.direct_url {
        let text = direct_url(direct, item);
        files.push(made(
            info.join("direct_url.json"),
            text.to_string().into_bytes(),
            false,
        ));
    }
    let record = record(&files, &layout.site, &info);
    files.push(Planned {
        to: info.join("RECORD"),
        from: Source::Bytes(record.into_bytes()),
        executable: false,
        hash: None,
        size: None,
    });
    Ok(PlannedWheel {
        name: item.name.to_string(),
        files,
    })
}

/// `direct_url.json` (PEP 610).
fn direct_url(direct: &DirectUrl, item: &Item) -> serde_json::Value {
    match direct {
        // Of what was built here the wheel's hash says nothing of the archive.
        DirectUrl::Archive(url) => match &item.built {
            Some(built) => {
                json!({"url": url, "archive_info": {"hashes": {"sha256": built.archive}}})
            }
            None => json!({"url": url, "archive_info": {"hashes": {"sha256": item.sha256}}}),
        },
        DirectUrl::Folder { url, editable } => {
            let info = if *editable {
                json!({"editable": true})
            } else {
                json!({})
            };
            json!({"url": url, "dir_info": info})
        }
        DirectUrl::Repository { repository, commit } => {
            let mut info = json!({"vcs": repository.kind, "commit_id": commit});
            if let (Some(revision), Some(info)) = (&repository.revision, info.as_object_mut()) {
                info.insert("requested_revision".to_owned(), json!(revision));
            }
            let mut all = json!({"url": repository.url, "vcs_info": info});
            if let (Some(inside), Some(all)) = (&repository.subdirectory, all.as_object_mut()) {
                all.insert("subdirectory".to_owned(), json!(inside));
            }
            all
        }
    }
}

fn made(to: PathBuf, bytes: Vec<u8>, executable: bool) -> Planned {
    let hash = Some(format!("sha256={}", record_base64(&sha256(&bytes))));
    let size = Some(bytes.len() as u64);
    Planned {
        to,
        from: Source::Bytes(bytes),
        executable,
        hash,
        size,
    }
}

fn entry_scripts(
    item: &Item,
    unpacked: &Unpacked,
    python: &Path,
) -> Result<Vec<(String, Vec<u8>)>> {
    let path = unpacked
        .root
        .join(&unpacked.manifest.dist_info)
        .join("entry_points.txt");
    let Ok(bytes) = fs::read(&path) else {
        return Ok(Vec::new());
    };
    let points = EntryPoints::parse(&bytes).map_err(|f| refuse(item, f))?;
    let mut scripts: BTreeMap<String, Vec<u8>> = BTreeMap::new();
    for entry in points.scripts() {
        scripts
            .entry(entry.name.clone())
            .or_insert_with(|| entry_script(entry, python).into_bytes());
    }
    Ok(scripts.into_iter().collect())
}

/// Where a file of a wheel goes, relative to the root.
fn place(path: &str, project: &str, layout: &Layout) -> std::result::Result<PathBuf, String> {
    let to = layout.destination(path, project)?;
    ensure_harmless(&to, layout)?;
    Ok(to)
}

/// Where a file of a wheel would go in an environment on a target.
///
/// # Errors
/// Why it cannot be placed there.
pub(crate) fn destination(
    path: &str,
    project: &str,
    target: &Target,
) -> std::result::Result<PathBuf, String> {
    place(path, project, &Layout::planned(&target.interpreter))
}

/// Nothing may take the place of the environment's own files.
fn ensure_harmless(to: &Path, layout: &Layout) -> std::result::Result<(), String> {
    let own = [
        PathBuf::from("pyvenv.cfg"),
        layout.scripts.join("python"),
        layout.scripts.join("python3"),
        layout.scripts.join(&layout.python),
    ];
    if own.iter().any(|o| to == o || to.starts_with(o)) {
        return Err(format!(
            "it brings {}, which is the environment's own",
            slashed(to)
        ));
    }
    // Links of the environment would lead elsewhere.
    if to.starts_with("lib64") {
        return Err(format!(
            "it brings {}, which leads through a link of the environment",
            slashed(to)
        ));
    }
    Ok(())
}

fn record(files: &[Planned], site: &Path, info: &Path) -> String {
    // Ways between relative paths are the same under any common root.
    let base = Path::new("/").join(site);
    let path = |to: &Path| relative(&base, &Path::new("/").join(to)).unwrap_or_else(|| slashed(to));
    let mut lines: Vec<RecordLine> = files
        .iter()
        .map(|f| RecordLine {
            path: path(&f.to),
            hash: f.hash.clone(),
            size: f.size,
        })
        .collect();
    lines.push(RecordLine {
        path: path(&info.join("RECORD")),
        hash: None,
        size: None,
    });
    Record { lines }.write()
}

/// Takes out second copies of a path when the bytes are equal, and refuses when they are not, or
/// when a path of one wheel is a folder of another.
pub(super) fn join(wheels: &mut [PlannedWheel]) -> Result<()> {
    // By their bytes: paths compare part by part, and there are tens of thousands.
    let mut owners: FxHashMap<OsString, (String, Option<String>)> = FxHashMap::default();
    for wheel in wheels.iter_mut() {
        let mut clash = None;
        let name = wheel.name.clone();
        wheel
            .files
            .retain(|file| match owners.get(file.to.as_os_str()) {
                None => {
                    let owner = (name.clone(), file.hash.clone());
                    owners.insert(file.to.as_os_str().to_owned(), owner);
                    true
                }
                Some((owner, hash)) => {
                    if *hash != file.hash {
                        clash = clash.take().or(Some((file.to.clone(), owner.clone())));
                    }
                    false
                }
            });
        if let Some((path, owner)) = clash {
            let message = format!(
                "{owner} and {name} both bring {}, with different contents",
                slashed(&path)
            );
            return Err(Error::contents(message)
                .help("one of the two cannot be placed in this environment: settle without it"));
        }
    }
    // Each folder once, with those above it.
    let mut looked: FxHashSet<&OsStr> = FxHashSet::default();
    for wheel in wheels.iter() {
        for path in wheel.files.iter().map(|f| f.to.as_path()) {
            let over = path.ancestors().skip(1).map(Path::as_os_str);
            for folder in over.take_while(|a| looked.insert(a)) {
                if let Some((owner, ..)) = owners.get(folder) {
                    return Err(Error::contents(format!(
                        "{} is a file of {owner} and a folder of {}",
                        slashed(Path::new(folder)),
                        wheel.name
                    ))
                    .help("settle without one of the two"));
                }
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn target() -> Target {
        Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap()
    }

    #[rstest]
    #[case::settings("firnio-1.0.data/data/pyvenv.cfg", "the environment's own")]
    #[case::interpreter("firnio-1.0.data/scripts/python", "the environment's own")]
    #[case::of_the_series("firnio-1.0.data/scripts/python3.12", "the environment's own")]
    #[case::below_it("firnio-1.0.data/data/bin/python3/x", "the environment's own")]
    #[case::through_a_link("firnio-1.0.data/data/lib64/x.py", "through a link")]
    fn nothing_takes_the_place_of_what_is_the_environments(#[case] path: &str, #[case] why: &str) {
        let told = destination(path, "firnio", &target()).unwrap_err();
        assert!(told.contains(why), "{told}");
    }

    #[rstest]
    #[case("firnio-1.0.data/scripts/python-melt", "bin/python-melt")]
    #[case("firnio/pyvenv.cfg", "lib/python3.12/site-packages/firnio/pyvenv.cfg")]
    fn what_only_looks_like_it_is_placed(#[case] path: &str, #[case] to: &str) {
        assert_eq!(
            destination(path, "firnio", &target()).unwrap(),
            Path::new(to)
        );
    }

    fn planned(name: &str, files: &[(&str, &str)]) -> PlannedWheel {
        let one = |(to, text): &(&str, &str)| made(to.into(), text.as_bytes().to_vec(), false);
        PlannedWheel {
            name: name.to_owned(),
            files: files.iter().map(one).collect(),
        }
    }

    #[test]
    fn equal_bytes_of_two_wheels_are_placed_once() {
        let mut wheels = [
            planned("firnio", &[("a/__init__.py", ""), ("a/x.py", "1")]),
            planned("moulin", &[("a/__init__.py", ""), ("a/y.py", "2")]),
        ];
        join(&mut wheels).unwrap();
        let counts: Vec<usize> = wheels.iter().map(|w| w.files.len()).collect();
        assert_eq!(counts, [2, 1]);
    }

    #[rstest]
    #[case::other_bytes(&[("a.py", "1")], &[("a.py", "2")], "firnio and moulin both bring a.py")]
    #[case::a_folder_of_the_other(
        &[("a", "1")], &[("a/b.py", "2")], "a is a file of firnio and a folder of moulin"
    )]
    #[case::far_below(
        &[("a", "1")], &[("a/b/c/d.py", "2")], "a is a file of firnio and a folder of moulin"
    )]
    fn what_cannot_lie_side_by_side_is_refused(
        #[case] one: &[(&str, &str)],
        #[case] other: &[(&str, &str)],
        #[case] why: &str,
    ) {
        let mut wheels = [planned("firnio", one), planned("moulin", other)];
        let error = join(&mut wheels).unwrap_err();
        assert!(error.message.contains(why), "{}", error.message);
        assert!(error.help.is_some());
    }

    #[test]
    fn a_record_names_every_file_by_the_way_from_its_folder() {
        let site = Path::new("lib/python3.12/site-packages");
        let info = site.join("firnio-1.0.dist-info");
        let files = [
            made(site.join("firnio.py"), b"x".to_vec(), false),
            made(PathBuf::from("bin/melt"), b"y".to_vec(), true),
        ];
        let text = record(&files, site, &info);
        // In the order of the paths.
        let lines: Vec<&str> = text.lines().collect();
        assert!(lines[0].starts_with("../../../bin/melt,sha256="), "{text}");
        assert_eq!(lines[1], "firnio-1.0.dist-info/RECORD,,");
        assert!(lines[2].starts_with("firnio.py,sha256="), "{text}");
        assert!(lines[2].ends_with(",1"), "{text}");
    }
}
