//! Bringing an environment to pins, whole or not at all.
//!
//! A new environment is built beside its place and renamed into it. An existing one is cloned
//! beside its place by links, changed there, and exchanged with the clone. A run that was killed
//! leaves a folder `.NAME.eutaxis-*` beside the place, which the next run removes.

use std::collections::BTreeMap;
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicI64, Ordering};
use std::time::Instant;

use eutaxis_core::MarkerValues;
use eutaxis_core::Name;
use eutaxis_core::artifact::{Metadata, NameRules, Repository, WheelName};
use eutaxis_core::examine::Built;
use eutaxis_core::index::{Algorithm, Hashes};
use rayon::prelude::*;
use url::Url;

use super::activate;
use super::clone::{LeftOut, clone_tree, make_link};
use super::holders::{Holder, holders};
use super::layout::Layout;
use super::link::{Cost, LinkMode, Linker, writable};
use super::plan::{Planned, PlannedWheel, Source, join, plan};
use super::read::{Installed, Place, installed, look, tidy_path};
use crate::error::Doing;
use crate::files::{ensure_room, lock, lock_path};
use crate::halt;
use crate::hash::sha256_hex;
use crate::interpreter::{Facts, ProbeCache, environment_python};
use crate::network::{Network, Wanted, check_file};
use crate::store::{Store, Unpacked, remove_tree};
use crate::threads::each;
use crate::{Error, ErrorKind, Result};

/// A wheel to be placed.
#[derive(Debug, Clone)]
pub struct Item {
    /// The project.
    pub name: Name,
    /// The release, as pinned.
    pub version: String,
    /// Where the wheel is.
    pub wheel: WheelAt,
    /// Its file name.
    pub filename: String,
    /// What its name says.
    pub wheel_name: WheelName,
    /// Its SHA-256, as pinned.
    pub sha256: String,
    /// All its hashes, as pinned.
    pub hashes: Hashes,
    /// Its bytes, as pinned.
    pub size: Option<u64>,
    /// What it was said to need when it was pinned, and the extras that were asked of it.
    pub said: Option<(Vec<String>, Vec<Name>)>,
    /// The user asked for it.
    pub requested: bool,
    /// The address it was asked for by, if it was.
    pub direct_url: Option<DirectUrl>,
    /// What it was built from, when it was built here.
    pub built: Option<Built>,
}

/// Where a project came from that was asked for by its address (PEP 610).
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DirectUrl {
    /// An archive.
    Archive(String),
    /// A folder.
    Folder {
        /// Its `file:` URL.
        url: String,
        /// It is used where it lies.
        editable: bool,
    },
    /// A repository.
    Repository {
        /// What was asked for.
        repository: Repository,
        /// What it was.
        commit: String,
    },
}

/// Where a wheel is.
#[derive(Debug, Clone)]
pub enum WheelAt {
    /// On this disk.
    Disk(PathBuf),
    /// On the network: fetched when it is in neither the environment nor the store.
    Url(Url),
}

/// What is to be done.
#[derive(Debug)]
pub struct Furnish<'a> {
    /// The place.
    pub at: PathBuf,
    /// What it shall hold.
    pub items: Vec<Item>,
    /// The interpreter for a new environment, and the one that an existing one must have.
    pub python: &'a Facts,
    /// Remove projects that are not among the items.
    pub tidy: bool,
    /// The environment sees the base interpreter's packages; none keeps what an existing one does.
    pub share_system: Option<bool>,
    /// How files come from the store.
    pub link: LinkMode,
    /// The cache folder.
    pub cache: PathBuf,
    /// For wheels that are not on this disk.
    pub network: &'a Network,
    /// The markers of the place that the pins were settled for, when they record it.
    pub settled_for: Option<&'a MarkerValues>,
}

/// A project that moved from one release or file to another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moved {
    /// The project.
    pub name: Name,
    /// What was there.
    pub before: String,
    /// What is there now.
    pub after: String,
    /// The file it came from.
    pub file: String,
}

/// What it cost.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Bytes {
    /// Read from depots, because the store did not have it.
    pub fetched: u64,
    /// Written to the disk: to the store and as copies.
    pub added: u64,
    /// Shared with the store.
    pub shared: u64,
}

/// What was done.
#[derive(Debug, Default)]
pub struct Report {
    /// The environment.
    pub environment: PathBuf,
    /// It was made now.
    pub made: bool,
    /// Projects that were not there before: name, version, file.
    pub placed: Vec<(Name, String, String)>,
    /// Projects replaced.
    pub replaced: Vec<Moved>,
    /// Projects removed: name, version.
    pub removed: Vec<(Name, String)>,
    /// Projects that were there as pinned.
    pub kept: Vec<Name>,
    /// Projects that are there and in no pins.
    pub unpinned: Vec<(Name, String)>,
    /// Running processes that hold what was replaced or removed.
    pub holders: Vec<Holder>,
    /// What it cost.
    pub bytes: Bytes,
    /// How long it took.
    pub seconds: f64,
}

/// The word for fetching what is pinned, in progress.
pub const FETCHING: &str = "fetching";

/// Told of progress: what is done, and how far (done, of).
pub type Progress<'a> = &'a (dyn Fn(&str, u64, u64) + Sync);

/// Asked before anything is placed, when all that is to be placed is in the store; told whether an
/// environment is there. What it fails with ends the work, and the place stays as it was.
pub type Judge<'a> = &'a dyn Fn(bool) -> Result<()>;

/// Does it.
///
/// # Errors
/// When the place is not free and no environment, the interpreter is another, a wheel is refused,
/// or the disk fails. The place is then as it was.
pub fn furnish(
    request: &Furnish<'_>,
    progress: Progress<'_>,
    waiting: &dyn Fn(),
    judge: Judge<'_>,
) -> Result<Report> {
    let started = Instant::now();
    let root = settle_path(&request.at)?;
    let layout = Layout::of(request.python)?;
    let _lock = lock(
        &lock_path(
            &request.cache,
            "",
            &sha256_hex(root.to_string_lossy().as_bytes()),
        ),
        waiting,
    )?;
    sweep(&root);
    let place = look(&root)?;
    ensure_usable(&place, &root, request)?;
    let store = Store::open(&request.cache)?;
    let site = root.join(&layout.site);
    let present = if place == Place::Free {
        Vec::new()
    } else {
        installed(&site)?
    };
    let mut report = Report {
        environment: root.clone(),
        made: place == Place::Free,
        ..Report::default()
    };
    let work = sort_out(request, &present, &mut report);
    let sharing = match (&place, request.share_system) {
        (Place::Environment { shares_system, .. }, Some(wanted)) => *shares_system != wanted,
        _ => false,
    };
    if work.place.is_empty() && work.leave_out.is_empty() && !report.made && !sharing {
        report.seconds = started.elapsed().as_secs_f64();
        return Ok(report);
    }
    let unpacked = unpack_all(
        &work.place,
        &store,
        request.network,
        progress,
        &mut report.bytes,
    )?;
    for (item, unpacked) in work.place.iter().zip(&unpacked) {
        ensure_as_said(item, unpacked, request.settled_for)?;
    }
    let mut wheels = Vec::with_capacity(unpacked.len());
    for (item, unpacked) in work.place.iter().zip(&unpacked) {
        wheels.push(plan(item, unpacked, &layout, &root)?);
    }
    join(&mut wheels)?;
    judge(place != Place::Free)?;
    let stage = Stage::new(&root)?;
    halt::at("stage-made");
    if let Place::Free = &place {
        make_skeleton(&stage.path, &root, &layout, request)?
    } else {
        clone_tree(&root, &stage.path, &work.leave_out)?;
        if sharing {
            write_config(&stage.path, request)?;
        }
    }
    halt::at("tree-begun");
    place_all(
        &wheels,
        &stage.path,
        request.link,
        progress,
        &mut report.bytes,
    )?;
    halt::at("tree-whole");
    stage.swap_in(&root, place == Place::Free)?;
    if !(report.replaced.is_empty() && report.removed.is_empty()) {
        report.holders = holders(&root, &stage_prefix(&root));
    }
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

/// What would be done, without doing it: only what is there is read. Of projects in `built` it counts
/// that the release is there, for what was built has no hash before.
///
/// # Errors
/// When the place cannot be read, or can be no environment for this.
pub fn foresee(request: &Furnish<'_>, built: &[(Name, String)]) -> Result<Report> {
    let root = settle_path(&request.at)?;
    let layout = Layout::of(request.python)?;
    let place = look(&root)?;
    ensure_usable(&place, &root, request)?;
    let present = match place {
        Place::Free => Vec::new(),
        Place::Environment { .. } | Place::Other => installed(&root.join(&layout.site))?,
    };
    let mut report = Report {
        environment: root,
        made: place == Place::Free,
        ..Report::default()
    };
    sort_out(request, &present, &mut report);
    for (name, version) in built {
        report.unpinned.retain(|(n, _)| n != name);
        report.removed.retain(|(n, _)| n != name);
        match present.iter().find(|p| p.name == *name) {
            // Which version a tree is, nobody knows before.
            Some(there) if there.version == *version || version.is_empty() => {
                report.kept.push(name.clone())
            }
            Some(there) => report.replaced.push(Moved {
                name: name.clone(),
                before: there.version.clone(),
                after: version.clone(),
                file: String::new(),
            }),
            None => report
                .placed
                .push((name.clone(), version.clone(), String::new())),
        }
    }
    Ok(report)
}

/// What a wheel needs by its own METADATA must be what was settled by: else whoever told it before,
/// beside the file, told something else, and the set may not hold.
fn ensure_as_said(
    item: &Item,
    unpacked: &Unpacked,
    settled_for: Option<&MarkerValues>,
) -> Result<()> {
    let (Some((said, extras)), Some(values)) = (&item.said, settled_for) else {
        return Ok(());
    };
    let path = unpacked
        .root
        .join(&unpacked.manifest.dist_info)
        .join("METADATA");
    let bytes = fs::read(&path).doing("cannot read", &path)?;
    // What cannot be read here was refused when the wheel was unpacked.
    let Ok(metadata) = Metadata::parse(&bytes) else {
        return Ok(());
    };
    let found = metadata.needs_in_force(values, extras);
    if found == *said {
        return Ok(());
    }
    let words = |list: &[String]| {
        if list.is_empty() {
            "nothing".to_owned()
        } else {
            format!("`{}`", list.join("`, `"))
        }
    };
    let only = |these: &[String], others: &[String]| {
        these
            .iter()
            .filter(|n| !others.contains(n))
            .cloned()
            .collect::<Vec<_>>()
    };
    let message = format!(
        "{} {} is refused: its own METADATA says that it needs {}, and it was settled by {}",
        item.name,
        item.version,
        words(&only(&found, said)),
        words(&only(said, &found))
    );
    Err(Error::contents(message).help(format!(
        "what its depot says beside the file is not what the file says: settle again with --renew \
            {}, and if it stays so, tell those who run the depot; nothing was placed",
        item.name
    )))
}

/// The absolute path of the place; a link is followed, so that what it leads to is exchanged.
fn settle_path(at: &Path) -> Result<PathBuf> {
    let absolute = std::path::absolute(at).doing("cannot find", at)?;
    Ok(fs::canonicalize(&absolute).unwrap_or_else(|_| tidy_path(&absolute)))
}

/// The start of the names that our folders beside a place have.
fn stage_prefix(root: &Path) -> String {
    let name = root.file_name().map_or_else(
        || "environment".into(),
        |n| n.to_string_lossy().into_owned(),
    );
    format!(".{name}.eutaxis-")
}

/// Removes what a killed run left beside the place. Only called under the lock.
fn sweep(root: &Path) {
    let prefix = stage_prefix(root);
    for entry in root
        .parent()
        .and_then(|p| fs::read_dir(p).ok())
        .into_iter()
        .flatten()
        .flatten()
    {
        if entry.file_name().to_string_lossy().starts_with(&prefix) {
            remove_tree(&entry.path());
        }
    }
}

fn ensure_usable(place: &Place, root: &Path, request: &Furnish<'_>) -> Result<()> {
    let wanted = request.python.interpreter()?;
    match place {
        Place::Free => Ok(()),
        Place::Other => {
            let lib = root.join("lib");
            let managed = fs::read_dir(&lib)
                .into_iter()
                .flatten()
                .flatten()
                .any(|e| e.path().join("EXTERNALLY-MANAGED").exists());
            let what = if managed {
                "belongs to an interpreter that the system manages"
            } else {
                "holds other files and is no environment"
            };
            Err(Error::request(format!("{} {what}", root.display()))
                .help("name a new or empty folder with --at, such as --at .venv"))
        }
        Place::Environment { .. } => {
            let python = environment_python(root);
            let found = ProbeCache::open(&request.cache)
                .probe(&python)
                .map_err(|e| {
                    Error::new(
                        ErrorKind::Interpreter,
                        format!(
                            "the environment {} is broken: {}",
                            root.display(),
                            e.message
                        ),
                    )
                    .help("remove that folder and furnish again: the pins make it anew")
                })?;
            let present = found.interpreter()?;
            if present.version == wanted.version && present.abis == wanted.abis {
                return Ok(());
            }
            let message = format!(
                "{} has the interpreter {present}; the pins are to be placed for {wanted}",
                root.display()
            );
            Err(Error::request(message)
                .help("name another place with --at, or remove that folder and furnish again"))
        }
    }
}

/// What is to be placed, and which files of the old tree are to be left out.
struct Work {
    place: Vec<Item>,
    leave_out: LeftOut,
}

fn sort_out(request: &Furnish<'_>, present: &[Installed], report: &mut Report) -> Work {
    let mut work = Work {
        place: Vec::new(),
        leave_out: LeftOut::default(),
    };
    let mut stay: Vec<&PathBuf> = Vec::new();
    let mut by_name: BTreeMap<&Name, Vec<&Installed>> = BTreeMap::new();
    for project in present {
        by_name.entry(&project.name).or_default().push(project);
    }
    for item in &request.items {
        let there = by_name.remove(&item.name).unwrap_or_default();
        let as_pinned = |p: &&Installed| {
            p.version == item.version && p.sha256.as_deref() == Some(&item.sha256) && whole(p)
        };
        if there.len() == 1 && there.iter().all(as_pinned) {
            report.kept.push(item.name.clone());
            stay.extend(there.iter().flat_map(|p| p.files.iter().flatten()));
            continue;
        }
        let file = item.filename.clone();
        match there.first() {
            Some(old) => {
                let (before, after) = (old.version.clone(), item.version.clone());
                report.replaced.push(Moved {
                    name: item.name.clone(),
                    before,
                    after,
                    file,
                });
            }
            None => report
                .placed
                .push((item.name.clone(), item.version.clone(), file)),
        }
        there.iter().for_each(|p| leave_out(p, &mut work.leave_out));
        work.place.push(item.clone());
    }
    for (name, projects) in by_name {
        for project in projects {
            if request.tidy {
                report.removed.push((name.clone(), project.version.clone()));
                leave_out(project, &mut work.leave_out);
            } else {
                report
                    .unpinned
                    .push((name.clone(), project.version.clone()));
                stay.extend(project.files.iter().flatten());
            }
        }
    }
    // A path that a project brings which stays is not taken away with another that brings it too.
    if !work.leave_out.is_empty() {
        stay.iter().for_each(|path| {
            work.leave_out.remove(path.as_os_str());
        });
    }
    work
}

/// Every file of a project is still there.
fn whole(project: &Installed) -> bool {
    project
        .files
        .as_ref()
        .is_some_and(|files| files.par_iter().all(|f| f.exists()))
}

fn leave_out(project: &Installed, out: &mut LeftOut) {
    let files = project.files.iter().flatten();
    out.extend(files.map(|f| f.as_os_str().to_owned()));
    out.insert(project.info.as_os_str().to_owned());
}

/// So many wheels are fetched at once.
const MOST_AT_ONCE: usize = 8;

/// Where each wheel lies on this disk; those that are only on the network, and not in the store,
/// are fetched.
fn bring_all(
    items: &[Item],
    known: &[Option<Unpacked>],
    store: &Store,
    network: &Network,
    progress: Progress<'_>,
) -> Result<Vec<PathBuf>> {
    let wanted = |item: &Item, url: &Url| Wanted {
        url: url.clone(),
        filename: item.filename.clone(),
        hashes: item.hashes.clone(),
        size: item.size,
        insecure: false,
        learning: false,
    };
    let unknown = || {
        let all = items.iter().zip(known);
        all.filter(|(_, known)| known.is_none())
            .map(|(item, _)| item)
    };
    let absent: Vec<(&Item, &Url)> = unknown()
        .filter_map(|item| match &item.wheel {
            WheelAt::Url(url) => Some((item, url)),
            WheelAt::Disk(_) => None,
        })
        .collect();
    network.ensure_within_reach(
        absent
            .iter()
            .map(|(item, _)| (item.sha256.as_str(), item.filename.as_str())),
    )?;
    let total = absent.iter().filter_map(|(item, _)| item.size).sum();
    // Fetched, and then unpacked beside it.
    ensure_room(
        store.root(),
        u64::saturating_mul(total, 2),
        "what is pinned",
    )?;
    if !absent.is_empty() {
        progress(FETCHING, 0, total);
    }
    let done = AtomicI64::new(0);
    let brought = each(&absent, MOST_AT_ONCE, |(item, url)| {
        let told = |more: i64| {
            let now = done.fetch_add(more, Ordering::Relaxed) + more;
            progress(FETCHING, u64::try_from(now).unwrap_or(0), total);
        };
        network.bring(&wanted(item, url), &told)
    });
    let brought: Vec<_> = brought.into_iter().flatten().collect::<Result<_>>()?;
    let mut brought = absent
        .iter()
        .zip(brought)
        .map(|((item, _), (path, _))| (&item.sha256, path))
        .collect::<BTreeMap<_, _>>();
    for item in unknown() {
        // The SHA-256 is checked where the wheel is unpacked; what else is pinned of it is checked
        // here.
        if let WheelAt::Disk(path) = &item.wheel
            && item
                .hashes
                .iter()
                .any(|(algorithm, _)| algorithm != Algorithm::Sha256)
        {
            check_file(path, path, &item.hashes)?;
        }
    }
    Ok(items
        .iter()
        .map(|item| match &item.wheel {
            WheelAt::Disk(path) => path.clone(),
            // In the store: no wheel is looked at.
            WheelAt::Url(_) => brought
                .remove(&item.sha256)
                .unwrap_or_else(|| PathBuf::from(&item.filename)),
        })
        .collect())
}

fn unpack_all(
    items: &[Item],
    store: &Store,
    network: &Network,
    progress: Progress<'_>,
    bytes: &mut Bytes,
) -> Result<Vec<Unpacked>> {
    // Each is looked at once: that is a look at every file of it.
    let known: Vec<Option<Unpacked>> = items.par_iter().map(|i| store.find(&i.sha256)).collect();
    let wheels = bring_all(items, &known, store, network, progress)?;
    let length = |path: &Path| fs::metadata(path).map_or(0, |m| m.len());
    let total: u64 = wheels.iter().map(|w| length(w)).sum();
    let done = std::sync::atomic::AtomicU64::new(0);
    let unpacked: Vec<Result<Unpacked>> = items
        .par_iter()
        .zip(&wheels)
        .zip(known)
        .map(|((item, wheel), known)| {
            let unpacked = match known {
                Some(known) => known,
                None => store.unpacked(wheel, &item.wheel_name, &item.sha256, NameRules::Posix)?,
            };
            let before = done.fetch_add(length(wheel), Ordering::Relaxed);
            progress("unpacking", before + length(wheel), total);
            if matches!(item.wheel, WheelAt::Url(_)) {
                // The store has what it held.
                network.forget_file(&item.sha256);
            }
            Ok(unpacked)
        })
        .collect();
    let unpacked: Vec<Unpacked> = unpacked.into_iter().collect::<Result<_>>()?;
    for entry in unpacked.iter().filter(|u| u.read > 0) {
        bytes.fetched += entry.read;
        bytes.added += entry.size();
    }
    Ok(unpacked)
}

/// Brings wheels into the store of a cache folder, unpacked; in the order of the items.
///
/// # Errors
/// When a wheel cannot be had, is refused, or the disk fails.
pub fn stock_up(
    items: &[Item],
    cache: &Path,
    network: &Network,
    progress: Progress<'_>,
) -> Result<Vec<Unpacked>> {
    let store = Store::open(cache)?;
    unpack_all(items, &store, network, progress, &mut Bytes::default())
}

/// Bytes of wheels that would have to be fetched first; none where a size is not known.
pub fn to_fetch(items: &[Item], cache: &Path) -> Result<Option<u64>> {
    let store = Store::open(cache)?;
    let absent = items
        .iter()
        .filter(|i| matches!(i.wheel, WheelAt::Url(_)) && !store.has(&i.sha256));
    Ok(absent.map(|item| item.size).sum())
}

fn make_skeleton(stage: &Path, root: &Path, layout: &Layout, request: &Furnish<'_>) -> Result<()> {
    for folder in [
        layout.site.clone(),
        layout.scripts.clone(),
        PathBuf::from("include"),
    ] {
        let folder = stage.join(folder);
        fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
    }
    let scripts = stage.join(&layout.scripts);
    make_link(&request.python.base(), &scripts.join("python"))?;
    for name in ["python3", layout.python.as_str()] {
        make_link(Path::new("python"), &scripts.join(name))?;
    }
    if request.python.bits == 64 && &*request.python.markers.sys_platform == "linux" {
        make_link(Path::new("lib"), &stage.join("lib64"))?;
    }
    write_config(stage, request)?;
    let prompt = prompt_of(root);
    for (name, text) in activate::scripts(root, &prompt) {
        let path = scripts.join(name);
        fs::write(&path, text).doing("cannot write", &path)?;
    }
    Ok(())
}

/// `.venv` says little: the folder around it names the project.
fn prompt_of(root: &Path) -> String {
    let name = |path: &Path| path.file_name().map(|n| n.to_string_lossy().into_owned());
    let own = name(root).unwrap_or_default();
    if own.starts_with('.') {
        root.parent().and_then(name).unwrap_or(own)
    } else {
        own
    }
}

fn write_config(stage: &Path, request: &Furnish<'_>) -> Result<()> {
    let base = request.python.base();
    let home = base.parent().unwrap_or(Path::new("")).display();
    let shared = request.share_system.unwrap_or(false);
    let version = &request.python.version;
    let text = format!(
        "home = {home}\ninclude-system-site-packages = {shared}\nversion = {version}\nexecutable \
            = {}\n",
        base.display()
    );
    let path = stage.join("pyvenv.cfg");
    // A clone shares its file with the old tree: it must be replaced, not written through.
    let _ = fs::remove_file(&path);
    fs::write(&path, text).doing("cannot write", &path)
}

fn place_all(
    wheels: &[PlannedWheel],
    stage: &Path,
    link: LinkMode,
    progress: Progress<'_>,
    bytes: &mut Bytes,
) -> Result<()> {
    let files: Vec<(&str, &Planned)> = wheels
        .iter()
        .flat_map(|w| w.files.iter().map(|f| (w.name.as_str(), f)))
        .collect();
    // What goes into one folder is placed by one thread: the system lets only one into it at a time.
    let mut folders: BTreeMap<&Path, Vec<(&str, &Planned)>> = BTreeMap::new();
    for (owner, file) in &files {
        let folder = file.to.parent().unwrap_or(Path::new(""));
        folders.entry(folder).or_default().push((owner, file));
    }
    for folder in folders.keys() {
        let folder = stage.join(folder);
        // Its parent mostly came before.
        if fs::create_dir(&folder).is_err() {
            fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
        }
    }
    let folders: Vec<_> = folders.into_values().collect();
    let linker = Linker::new(link);
    let total = files.len() as u64;
    let done = std::sync::atomic::AtomicU64::new(0);
    let costs: Vec<Result<(Cost, u64)>> = folders
        .par_iter()
        .flat_map_iter(|files| files.iter())
        .map(|(owner, file)| {
            let cost = place_one(owner, file, stage, &linker);
            halt::at("file-placed");
            let n = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
            if n.is_multiple_of(64) || n == total {
                progress("placing", n, total);
            }
            cost
        })
        .collect();
    for cost in costs {
        match cost? {
            (Cost::Shared, size) => bytes.shared += size,
            (Cost::Added, size) => bytes.added += size,
        }
    }
    Ok(())
}

fn place_one(owner: &str, file: &Planned, stage: &Path, linker: &Linker) -> Result<(Cost, u64)> {
    let to = stage.join(&file.to);
    let cost = match &file.from {
        Source::Store(from) => linker.bring(from, &to, file.executable)?,
        Source::Bytes(bytes) => written(bytes, &to, file.executable)?,
    };
    if let Some(cost) = cost {
        return Ok((cost, file.size.unwrap_or(0)));
    }
    // Left by a project that stays, or owned by nobody.
    if same_bytes(&file.from, &to)? {
        return Ok((Cost::Shared, 0));
    }
    let shown = file.to.display();
    let error = Error::contents(format!(
        "{owner} brings {shown}, but the environment has another file there, which no pinned \
            project owns"
    ));
    Err(error.help("use --tidy if a project that is not pinned owns it; else move that file away"))
}

/// Writes a file that was made here; none where something is there.
fn written(bytes: &[u8], to: &Path, executable: bool) -> Result<Option<Cost>> {
    let mut file = match fs::File::create_new(to) {
        Err(e) if e.kind() == std::io::ErrorKind::AlreadyExists => return Ok(None),
        made => made.doing("cannot write", to)?,
    };
    file.write_all(bytes).doing("cannot write", to)?;
    writable(to, executable)?;
    Ok(Some(Cost::Added))
}

fn same_bytes(from: &Source, to: &Path) -> Result<bool> {
    let there = fs::read(to).doing("cannot read", to)?;
    match from {
        Source::Store(path) => Ok(fs::read(path).doing("cannot read", path)? == there),
        Source::Bytes(bytes) => Ok(*bytes == there),
    }
}

/// A folder beside the place. When it is dropped, what lies in it is removed: the unfinished tree,
/// or the old one.
struct Stage {
    path: PathBuf,
}

impl Stage {
    fn new(root: &Path) -> Result<Self> {
        let parent = root.parent().unwrap_or(Path::new("/"));
        fs::create_dir_all(parent).doing("cannot make the folder", parent)?;
        let folder = tempfile::Builder::new()
            .prefix(&stage_prefix(root))
            .tempdir_in(parent)
            .doing("cannot write to", parent)?;
        // Kept by us: the name must outlive the handle for the exchange.
        let path = folder.keep().join("whole");
        fs::create_dir(&path).doing("cannot make the folder", &path)?;
        Ok(Stage { path })
    }

    /// Puts the finished tree in place; the old one, if any, comes here and is removed.
    fn swap_in(self, root: &Path, free: bool) -> Result<()> {
        if free {
            fs::rename(&self.path, root).doing("cannot put the environment in place at", root)?;
        } else {
            exchange(&self.path, root)?;
        }
        // The old tree is still there, under the name of the stage.
        halt::at("tree-in-place");
        Ok(())
    }
}

impl Drop for Stage {
    fn drop(&mut self) {
        if let Some(parent) = self.path.parent() {
            remove_tree(parent);
        }
    }
}

/// Exchanges two folders in one step.
#[cfg(any(target_os = "linux", target_os = "macos"))]
fn exchange(stage: &Path, root: &Path) -> Result<()> {
    use rustix::fs::{CWD, RenameFlags, renameat_with};
    match renameat_with(CWD, stage, CWD, root, RenameFlags::EXCHANGE) {
        Ok(()) => Ok(()),
        // File systems without the exchange: two renames, the second at once after the first.
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS | rustix::io::Errno::NOTSUP) => {
            exchange_in_two(stage, root)
        }
        Err(e) => Err(Error::io(
            "cannot put the environment in place at",
            root,
            &e.into(),
        )),
    }
}

#[cfg(not(any(target_os = "linux", target_os = "macos")))]
fn exchange(stage: &Path, root: &Path) -> Result<()> {
    exchange_in_two(stage, root)
}

fn exchange_in_two(stage: &Path, root: &Path) -> Result<()> {
    let old = stage.with_file_name("old");
    fs::rename(root, &old).doing("cannot move the old environment away from", root)?;
    if let Err(e) = fs::rename(stage, root) {
        // Back to how it was.
        let _ = fs::rename(&old, root);
        return Err(Error::io(
            "cannot put the environment in place at",
            root,
            &e,
        ));
    }
    Ok(())
}

#[cfg(test)]
mod tests;
