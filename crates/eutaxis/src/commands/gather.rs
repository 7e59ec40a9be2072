//! `gather`: fetches the pinned files into a folder.

use std::collections::BTreeMap;
use std::path::Path;

use eutaxis_core::artifact::WheelName;
use eutaxis_core::index::Hashes;
use eutaxis_core::pins::{Lock, LockFile, Package};
use eutaxis_core::record;
use eutaxis_core::{Name, Target};
use eutaxis_world::build::{Record, Shelf};
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::WheelAt;
use eutaxis_world::files::{relative, write_whole};
use eutaxis_world::gather::{Piece, gather};
use eutaxis_world::network::without_secret;
use eutaxis_world::{Doing, Error};

use crate::cli::{Common, Gather};
use crate::output::{Answer, Outcome, Output};
use crate::pins::{hashes, place, read_lock, sha256};
use crate::plan::{Surroundings, named_depots};
use crate::words;
use crate::{render, report, typed};

pub(crate) fn run(arguments: &Gather, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let depots = named_depots(&arguments.depots, &surroundings, false)?;
    let locks = arguments
        .pins
        .iter()
        .map(|p| read_lock(p))
        .collect::<Result<Vec<Lock>, _>>()?;
    let locks: Vec<Lock> = locks
        .into_iter()
        .map(|lock| without_own(lock, output))
        .collect();
    let mut pieces: Vec<Piece> = Vec::new();
    for (path, lock) in arguments.pins.iter().zip(&locks) {
        let folder = path.parent().map(Path::to_owned).unwrap_or_default();
        for package in &lock.packages {
            for piece in pieces_of(package, &folder, &depots)? {
                add(&mut pieces, piece)?;
            }
        }
    }
    let mut built = Vec::new();
    if arguments.built {
        for (lock, pins) in locks.iter().zip(&arguments.pins) {
            let found = built_of(lock, pins, &surroundings)?;
            for (piece, _) in &found {
                add(&mut pieces, piece.clone())?;
            }
            built.push(found);
        }
    }
    let bar = output.bytes_progress();
    let network = depots.network();
    let progress = |p: eutaxis_world::gather::Progress| {
        bar.show((p.bytes, p.of), (p.files, pieces.len()), network.fetched());
    };
    let waiting = || output.notice("another run is gathering into this folder: waiting for it");
    let far = pieces
        .iter()
        .filter(|p| matches!(p.from, WheelAt::Url(_)))
        .filter_map(|p| p.size);
    let far: u64 = far.fold(0, u64::saturating_add);
    if far > 0 {
        output.notice(&format!(
            "{} to fetch, less what is there",
            words::size(far)
        ));
    }
    let report = gather(
        &pieces,
        &arguments.into,
        network,
        &surroundings.cache,
        &progress,
        &waiting,
    );
    bar.clear();
    output.report_network(network);
    let report = report?;
    let mut written = Vec::new();
    for (at, (path, lock)) in arguments.pins.iter().zip(&locks).enumerate() {
        let mut lock = lock.clone();
        for (piece, file) in built.get(at).into_iter().flatten() {
            let mut packages = lock.packages.iter_mut();
            // Of several entries of a project the one that is its source.
            let is_of = |p: &&mut Package| p.name == piece.project && p.sdist.is_some();
            if let Some(package) = packages.find(is_of) {
                package.wheels.push(file.clone());
            }
        }
        written.extend(write_pins(path, &lock, &report.into)?);
    }
    Ok(Answer {
        outcome: Outcome::Ok,
        text: render::gather::text(&pieces, &report, &written),
        report: report::Gather::new(&pieces, &report, written).into(),
    })
}

/// The pins without folders that are used where they lie: they are no files, and stay the user's.
fn without_own(mut lock: Lock, output: &Output) -> Lock {
    let is_own = |p: &Package| {
        let directory = p.directory.as_ref();
        directory.is_some_and(|d| d.editable == Some(true))
    };
    for own in lock.packages.iter().filter(|p| is_own(p)) {
        output.notice(&format!(
            "caution: {} is your own folder, and is not gathered: bring it over by yourself",
            own.name
        ));
    }
    lock.packages.retain(|p| !is_own(p));
    lock
}

/// The wheels that were built here of what is pinned as source, for the places of the pins, each as
/// what is gathered and as what pins it.
fn built_of(
    lock: &Lock,
    pins: &Path,
    surroundings: &Surroundings,
) -> Result<Vec<(Piece, LockFile)>, Error> {
    let families = &surroundings.config.families;
    let all = Shelf::open(&surroundings.cache)?.all();
    let shares = record::shares(lock, families);
    let of_shares = shares.iter().map(|s| (&s.lock, Some(s.target.clone())));
    let mut places: Vec<(&Lock, Option<Target>)> = of_shares.collect();
    if places.is_empty() {
        places.push((lock, record::target_of(lock, families)));
    }
    let mut found: Vec<(Piece, LockFile)> = Vec::new();
    let mut absent = Vec::new();
    for (lock, target) in &places {
        for package in lock.packages.iter().filter(|p| p.wheels.is_empty()) {
            let Some(sdist) = &package.sdist else {
                continue;
            };
            let sha256 = sha256(sdist, package)?;
            let fits = |record: &Record| {
                let name = WheelName::parse(&record.wheel).ok();
                name.is_some_and(|n| target.as_ref().is_none_or(|t| t.rank(&n.tags).is_some()))
            };
            let mut mine = all
                .iter()
                .filter(|(r, _)| r.key.archive == sha256 && fits(r));
            match mine.next_back() {
                Some((record, wheel)) => {
                    let built = built(package, record, wheel);
                    if !found.iter().any(|(p, _)| p.filename == built.0.filename) {
                        found.push(built);
                    }
                }
                None => absent.push(package),
            }
        }
    }
    // Of several places one may be another machine, where it will be built.
    let is_here = |p: &&&Package| found.iter().any(|(piece, _)| piece.project == p.name);
    if let Some(package) = absent.iter().find(|p| !is_here(p)) {
        let version = package.version.as_deref().unwrap_or_default();
        let message = format!("{} {version} was not built here yet", package.name);
        let help = format!(
            "build it first:  eutaxis furnish {} --build {}",
            typed::quoted(&pins.display().to_string()),
            package.name
        );
        return Err(Error::request(message).help(help));
    }
    Ok(found)
}

/// A built wheel as what is gathered and as what pins it.
fn built(package: &Package, record: &Record, wheel: &Path) -> (Piece, LockFile) {
    let size = std::fs::metadata(wheel).ok().map(|m| m.len());
    let mut hashes = Hashes::default();
    hashes.add("sha256", &record.sha256);
    let piece = Piece {
        project: package.name.clone(),
        version: record.version.clone(),
        filename: record.wheel.clone(),
        sha256: record.sha256.clone(),
        hashes,
        size,
        from: WheelAt::Disk(wheel.to_owned()),
        requires_python: package.requires_python.clone(),
        published: None,
    };
    let file = LockFile {
        name: Some(record.wheel.clone()),
        upload_time: None,
        url: None,
        path: Some(record.wheel.clone()),
        size,
        hashes: BTreeMap::from([("sha256".to_owned(), record.sha256.clone())]),
    };
    (piece, file)
}

/// All files that an entry pins.
fn pieces_of(package: &Package, folder: &Path, depots: &Depots) -> Result<Vec<Piece>, Error> {
    let version = package.version.clone().unwrap_or_default();
    let files: Vec<&LockFile> = package.files().collect();
    if files.is_empty() {
        let message = format!(
            "{} {version} is pinned as a source tree, archive or repository, which is no file of \
                an index",
            package.name
        );
        return Err(Error::request(message)
            .help("take it out of the pins, or bring it over by hand; nothing was changed"));
    }
    files
        .into_iter()
        .map(|file| piece(package, &version, file, folder, depots))
        .collect()
}

fn piece(
    package: &Package,
    version: &str,
    file: &LockFile,
    folder: &Path,
    depots: &Depots,
) -> Result<Piece, Error> {
    Ok(Piece {
        project: package.name.clone(),
        version: version.to_owned(),
        filename: file.filename().unwrap_or_default(),
        sha256: sha256(file, package)?,
        hashes: hashes(file),
        size: file.size,
        from: place(file, folder, &package.name, depots)?,
        requires_python: package.requires_python.clone(),
        published: file.upload_time.as_ref().map(ToString::to_string),
    })
}

/// Several pins may pin the same file, but not different bytes under one name.
fn add(pieces: &mut Vec<Piece>, piece: Piece) -> Result<(), Error> {
    match pieces.iter().find(|p| p.filename == piece.filename) {
        None => pieces.push(piece),
        Some(other) if other.sha256.eq_ignore_ascii_case(&piece.sha256) => {}
        Some(_) => {
            let message = format!(
                "two pins name {} with different hashes: one folder cannot hold both",
                piece.filename
            );
            return Err(Error::request(message).help("gather them into two folders"));
        }
    }
    Ok(())
}

/// The pins again, beside the files, so that the folder is all that another machine needs.
fn write_pins(pins: &Path, lock: &Lock, into: &Path) -> Result<Option<String>, Error> {
    let Some(name) = pins.file_name() else {
        return Ok(None);
    };
    let target = into.join(name);
    let same = std::fs::canonicalize(pins)
        .ok()
        .zip(std::fs::canonicalize(&target).ok())
        .is_some_and(|(a, b)| a == b);
    if same {
        return Ok(None);
    }
    let mut lock = lock.clone();
    for package in &mut lock.packages {
        let project: Name = package.name.clone();
        for file in package.files_mut() {
            let filename = file.filename().unwrap_or_default();
            file.path = relative(into, &into.join(project.as_str()).join(&filename));
            file.name = Some(filename);
            file.url = file.url.as_deref().map(without_secret);
        }
        package.index = package.index.as_deref().map(without_secret);
        let own = package.tool.as_mut().and_then(|t| t.get_mut("eutaxis"));
        if let Some(toml::Value::String(url)) = own.and_then(|t| t.get_mut("direct-url")) {
            *url = without_secret(url);
        }
    }
    write_whole(&target, lock.write().as_bytes())?;
    Ok(Some(
        std::path::absolute(&target)
            .doing("cannot find", &target)?
            .display()
            .to_string(),
    ))
}
