//! The pins as files: the lock file of the standard, and the plain list.

use std::collections::BTreeMap;
use std::path::Path;

use eutaxis_core::evidence::Evidence;
use eutaxis_core::fault::Origin;
use eutaxis_core::pins::{
    Archive, Directory, Lock, LockFile, Package, Vcs, environment_of, pin_list,
};
use eutaxis_core::record::{self, Proof, Wording};
use eutaxis_core::{Ask, Name};
use eutaxis_world::depot::{Place, TreeKind};
use eutaxis_world::files::{relative, slashed, write_whole};
use eutaxis_world::network::without_secret;
use eutaxis_world::{Doing, Error};

use crate::answer::settle::{Pinned, Settled, asker_words};
use crate::asks::Asks;
use crate::remembered::Remembered;
use crate::words;

/// The pins as a lock file of the standard; what is ours stands in `[tool.eutaxis]`.
pub(super) fn lock(
    settled: &Settled<'_>,
    out: &Path,
    old: Option<&Lock>,
    (question, asks): (&Remembered, &Asks),
) -> Result<Lock, Error> {
    let target = &settled.problem.target;
    let folder = std::path::absolute(out)
        .doing("cannot find", out)?
        .parent()
        .map(Path::to_owned)
        .unwrap_or_default();
    let pins = settled.pins.iter();
    let mut packages: Vec<Package> = pins
        .map(|pin| package(pin, settled, &folder, old))
        .collect();
    // What is used where it lies is known by its files, wherever they are.
    let mut asked = settled.problem.clone();
    asked
        .asks
        .retain(|a| !settled.is_own(a) && !is_permitted(a));
    // That the user's own folders are built was never asked.
    let is_folder = |name: &Name| {
        let pin = settled.pins.iter().find(|p| p.chosen.project == *name);
        let kind = pin.and_then(|p| p.tree.as_deref()).map(|t| &t.kind);
        matches!(kind, Some(TreeKind::Folder { .. }))
    };
    asked.policy.build.retain(|name| !is_folder(name));
    let mut own = record::question(&asked);
    let words = question.words_of(&asked.asks, &folder);
    let words = words.into_iter().map(toml::Value::String);
    own.insert("question".into(), toml::Value::Array(words.collect()));
    let (extras, groups) = super::parts::marked(&mut packages, settled, asks);
    if !extras.is_empty() {
        let listed = extras.iter().cloned().map(toml::Value::String);
        own.insert(
            "default-extras".into(),
            toml::Value::Array(listed.collect()),
        );
    }
    if !settled.but_not.is_empty() {
        let left_out = record::left_out(&settled.but_not, "--but-not");
        own.insert("left-out".into(), left_out);
    }
    own.insert(
        "evidence".into(),
        toml::Value::Table(evidence(settled, &packages, old)),
    );
    let mut tool = toml::Table::new();
    tool.insert("eutaxis".into(), toml::Value::Table(own));
    Ok(Lock {
        lock_version: "1.0".to_owned(),
        environments: vec![environment_of(target)],
        requires_python: Some(format!("=={}.*", target.interpreter.series_text())),
        created_by: "eutaxis".to_owned(),
        extras,
        default_groups: groups.clone(),
        dependency_groups: groups,
        packages,
        tool: Some(tool),
    })
}

/// How far the pins are proven: in this run, or before while they are the same.
fn evidence(settled: &Settled<'_>, packages: &[Package], old: Option<&Lock>) -> toml::Table {
    let hashes = |packages: &[Package]| -> BTreeMap<Name, Vec<String>> {
        let of = |p: &Package| {
            p.files()
                .filter_map(|f| f.hashes.get("sha256").cloned())
                .collect()
        };
        packages.iter().map(|p| (p.name.clone(), of(p))).collect()
    };
    let same = old.filter(|old| hashes(&old.packages) == hashes(packages));
    let before = same.and_then(record::proof_of);
    let now = settled.proof.as_ref().map(|proof| Proof {
        level: proof.level,
        at: proof.at,
        interpreter: (proof.level == Evidence::Ran)
            .then(|| proof.tried.as_ref().map(|t| t.interpreter.clone()))
            .flatten(),
        leaves: proof.leaves.clone(),
    });
    let proof = match (before, now) {
        // What was proven before stays as it was, with its moment.
        (Some(before), Some(now)) if before.level < now.level => Some(now),
        (Some(before), Some(now))
            if before.interpreter != now.interpreter && before.level == now.level =>
        {
            Some(now)
        }
        (Some(before), _) => Some(before),
        (None, now) => now,
    };
    match proof {
        Some(proof) => record::proof(&proof),
        None => {
            let level = Evidence::Solved.level().to_owned();
            toml::Table::from_iter([("level".to_owned(), toml::Value::String(level))])
        }
    }
}

fn package(pin: &Pinned<'_>, settled: &Settled<'_>, folder: &Path, old: Option<&Lock>) -> Package {
    let chosen = pin.chosen;
    let file = LockFile {
        name: Some(chosen.file.filename.to_string()),
        upload_time: chosen
            .file
            .published
            .and_then(|t| t.to_string().parse().ok()),
        url: match &pin.place {
            Place::Url(url) => Some(url.to_string()),
            Place::Disk(_) => None,
        },
        path: match &pin.place {
            Place::Disk(path) => Some(relative(folder, path).unwrap_or_else(|| slashed(path))),
            Place::Url(_) => None,
        },
        size: pin.size,
        hashes: pinned_hashes(pin),
    };
    let mut own = toml::Table::new();
    let asked_by: Vec<toml::Value> = asker_words(chosen)
        .into_iter()
        .map(toml::Value::String)
        .collect();
    own.insert("asked-by".into(), toml::Value::Array(asked_by));
    let before = old.and_then(|l| l.packages.iter().find(|p| p.name == chosen.project));
    let wording = Wording {
        place: &words::place,
        out: &|newer| words::releases::all_out(newer, settled.problem),
    };
    record::chosen(chosen, settled.problem, before, &wording, &mut own);
    if let Some(depot) = &pin.origin {
        own.insert(
            "depot".into(),
            toml::Value::String(shown_from(depot, folder)),
        );
    }
    if let Some(url) = &pin.direct_url {
        own.insert("direct-url".into(), toml::Value::String(url.clone()));
    }
    let name_only = |name: &Name| {
        let mut table = toml::Table::new();
        table.insert("name".into(), toml::Value::String(name.to_string()));
        table
    };
    let mut source = Source::of(pin, file, folder);
    // Of a tree that lies on a disk nobody knows which version it will be (PEP 751, version).
    let version = match &source.directory {
        Some(_) => None,
        None => Some(chosen.version.to_string()),
    };
    if let Some(directory) = &source.directory {
        own.remove("direct-url");
        // Where it lies on this machine is no matter of the pins.
        let asked = own.get_mut("asked-as").and_then(toml::Value::as_array_mut);
        for one in asked
            .into_iter()
            .flatten()
            .filter_map(toml::Value::as_table_mut)
        {
            if let Some(toml::Value::String(text)) = one.get_mut("requirement")
                && text.contains(" @ file:")
            {
                *text = format!("{} @ {}", chosen.project, directory.path);
            }
        }
    }
    let mut tool = toml::Table::new();
    tool.insert("eutaxis".into(), toml::Value::Table(own));
    Package {
        name: chosen.project.clone(),
        version,
        marker: None,
        requires_python: chosen
            .file
            .requires_python
            .as_ref()
            .map(ToString::to_string),
        dependencies: chosen.needs.iter().map(name_only).collect(),
        vcs: source.vcs.take(),
        directory: source.directory.take(),
        archive: source.archive.take(),
        index: pin.index.clone(),
        sdist: source.sdist.take(),
        wheels: source.wheels,
        attestation_identities: Vec::new(),
        tool: Some(tool),
    }
}

/// Whether an ask is what a project of a depot needs by an address.
fn is_permitted(ask: &Ask) -> bool {
    matches!(&ask.origin, Origin::Line { file, .. } if **file == *super::addresses::PERMITTED)
}

/// A folder as pins name it.
fn path_from(folder: &Path, at: &Path) -> String {
    match relative(folder, at) {
        Some(path) if path.is_empty() => ".".to_owned(),
        Some(path) => path,
        None => slashed(at),
    }
}

/// In which of the standard's ways a pin is one (PEP 751, packages).
#[derive(Default)]
struct Source {
    vcs: Option<Vcs>,
    directory: Option<Directory>,
    archive: Option<Archive>,
    sdist: Option<LockFile>,
    wheels: Vec<LockFile>,
}

impl Source {
    fn of(pin: &Pinned<'_>, file: LockFile, folder: &Path) -> Self {
        match pin.tree.as_deref().map(|t| &t.kind) {
            Some(TreeKind::Folder {
                folder: at,
                editable,
            }) => Source {
                directory: Some(Directory {
                    path: path_from(folder, at),
                    editable: editable.then_some(true),
                    subdirectory: None,
                }),
                ..Source::default()
            },
            Some(TreeKind::Repository { repository, commit }) => Source {
                vcs: Some(Vcs {
                    kind: repository.kind.clone(),
                    url: Some(without_secret(&repository.url)),
                    path: None,
                    requested_revision: repository.revision.clone(),
                    commit_id: commit.clone(),
                    subdirectory: repository.subdirectory.clone(),
                }),
                ..Source::default()
            },
            // What an address was asked for is no file of an index.
            None if pin.direct_url.is_some() => Source {
                archive: Some(Archive {
                    file: LockFile { name: None, ..file },
                    subdirectory: None,
                }),
                ..Source::default()
            },
            None if pin.is_wheel() => Source {
                wheels: vec![file],
                ..Source::default()
            },
            None => Source {
                sdist: Some(file),
                ..Source::default()
            },
        }
    }
}

/// A depot as pins record it: its address, or its path from the folder of the pins.
pub(super) fn shown_from(depot: &str, folder: &Path) -> String {
    if depot.contains("://") {
        depot.to_owned()
    } else {
        relative(folder, Path::new(depot)).unwrap_or_else(|| depot.to_owned())
    }
}

/// The SHA-256, by which files are known here, and what its page states besides: all of it is
/// checked when the file comes.
fn pinned_hashes(pin: &Pinned<'_>) -> BTreeMap<String, String> {
    let stated = &pin.chosen.file.hashes;
    // A weak hash alone says nothing.
    let counts = stated
        .iter()
        .filter(|(algorithm, _)| algorithm.is_strong() || stated.has_strong());
    let mut all: BTreeMap<String, String> = counts
        .map(|(a, v)| (a.as_str().to_owned(), v.to_owned()))
        .collect();
    all.insert("sha256".to_owned(), pin.sha256.clone());
    all
}

/// Writes pins.
pub(super) fn write(settled: &mut Settled<'_>, lock: &Lock, out: &Path) -> Result<(), Error> {
    let text = lock.write();
    let same = std::fs::read_to_string(out).is_ok_and(|old| old == text);
    if same {
        settled
            .written
            .push(format!("{} is as it was", out.display()));
    } else {
        write_whole(out, text.as_bytes())?;
        settled.written.push(format!("wrote {}", out.display()));
        settled.files.push(out.display().to_string());
    }
    Ok(())
}

/// Writes pins of one target as a plain list.
pub(super) fn write_list(
    settled: &mut Settled<'_>,
    lock: &Lock,
    list: &Path,
    exact: bool,
) -> Result<(), Error> {
    let lock = if exact {
        with_file_urls(lock, settled)
    } else {
        lock.clone()
    };
    write_whole(list, pin_list(&lock, exact).as_bytes())?;
    settled.written.push(format!("wrote {}", list.display()));
    settled.files.push(list.display().to_string());
    Ok(())
}

/// For exact pin lists: `file:` URLs of files on disk.
fn with_file_urls(lock: &Lock, settled: &Settled<'_>) -> Lock {
    let mut lock = lock.clone();
    for package in &mut lock.packages {
        let Some(pin) = settled
            .pins
            .iter()
            .find(|p| p.chosen.project == package.name)
        else {
            continue;
        };
        for file in package.files_mut() {
            file.url = Some(match &pin.place {
                Place::Disk(path) => eutaxis_world::files::file_url(path),
                Place::Url(url) => url.to_string(),
            });
        }
    }
    lock
}
