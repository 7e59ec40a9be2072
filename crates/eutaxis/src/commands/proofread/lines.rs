//! The lines of lists, project files, scripts and pins, by themselves and against the depots.

use std::cell::LazyCell;
use std::collections::HashMap;
use std::path::Path;

use eutaxis_core::fault::{Fault, Origin, line_and_column};
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::proofread::{
    Pinned, Remark, Trouble, alone, hashless, interpreter_of, paged, pinned,
};
use eutaxis_core::record;
use eutaxis_core::requirement::{
    Directive, Entry, ProjectAsks, RequirementList, Wanted, script_block,
};
use eutaxis_core::{Ask, Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::files::read_text;
use eutaxis_world::supply::{Depth, Looked};

use super::{Reader, is_script};
use crate::asks;
use crate::proof::bringing::Bringers;

/// So many names are told that are near to one that no depot has.
const MOST_NEAR: usize = 3;

impl Reader<'_> {
    /// Remarks on a file, and how many requirements or pins it has.
    pub(super) fn file(&self, path: &Path) -> Result<(Vec<Remark>, usize), Error> {
        let text = read_text(path).map_err(Error::of_request)?;
        let shown = path.display().to_string();
        let place = |offset: usize| Origin::line(&shown, line_and_column(&text, offset).0);
        let malformed = |fault: &Fault| {
            let trouble = Trouble::Malformed {
                what: fault.message().to_owned(),
                advice: fault.advice().map(str::to_owned),
            };
            vec![Remark::new(&place(fault.offset()), trouble)]
        };
        if path.extension().is_some_and(|e| e == "toml") {
            if text
                .lines()
                .any(|l| l.trim_start().starts_with("lock-version"))
            {
                return match Lock::parse(&text) {
                    Ok(lock) => Ok((self.all_pins(&lock, &text, &shown)?, lock.packages.len())),
                    Err(fault) => Ok((malformed(&fault), 0)),
                };
            }
            return Ok(
                match ProjectAsks::parse(&text, &shown, &Wanted::default()) {
                    Ok(project) => self.project(&project)?,
                    Err(fault) => (malformed(&fault), 0),
                },
            );
        }
        if is_script(path) {
            let project = script_block(&text).and_then(|b| b.map(|b| b.asks(&shown)).transpose());
            return Ok(match project {
                Ok(Some(project)) => self.project(&project)?,
                // It is read as code.
                Ok(None) => (Vec::new(), 0),
                Err(fault) => (malformed(&fault), 0),
            });
        }
        let (list, faults) = RequirementList::read(&text, &shown);
        let mut remarks: Vec<Remark> = Vec::new();
        let mut asks: Vec<Ask> = Vec::new();
        for fault in &faults {
            let line = line_and_column(&text, fault.offset()).0;
            match quoted(&text, line) {
                Some(meant) => remarks.push(Remark::new(
                    &place(fault.offset()),
                    Trouble::ShellQuotes(meant),
                )),
                None => remarks.extend(malformed(fault)),
            }
        }
        let directive = |d: &Directive| Remark::new(&d.origin, Trouble::directive(d));
        remarks.extend(list.directives().map(directive));
        for entry in &list.entries {
            match entry {
                Entry::Ask(ask, _) => asks.push(ask.clone()),
                Entry::Follow {
                    path: other,
                    origin,
                    bounds: false,
                } => match asks::followed(path, other) {
                    Ok(more) => asks.extend(more),
                    Err(errors) => remarks.extend(errors.all().iter().map(|error| {
                        let trouble = Trouble::Malformed {
                            what: error.message.clone(),
                            advice: error.help.clone(),
                        };
                        Remark::new(origin, trouble)
                    })),
                },
                Entry::Follow { .. } | Entry::Unnamed(..) | Entry::Directive(_) => {}
            }
        }
        remarks.extend(redirected(path, &asks));
        remarks.extend(self.asks(&asks)?);
        Ok((remarks, asks.len()))
    }

    fn project(&self, project: &ProjectAsks) -> Result<(Vec<Remark>, usize), Error> {
        let mut remarks = Vec::new();
        if let Some((set, origin)) = &project.requires_python
            && !set.matches(&self.target.interpreter.version)
        {
            let (needs, here) = (set.clone(), self.target.interpreter.clone());
            let trouble = Trouble::Interpreter { needs, here };
            remarks.push(Remark::new(origin, trouble));
        }
        remarks.extend(self.asks(&project.asks)?);
        Ok((remarks, project.asks.len()))
    }

    fn asks(&self, asks: &[Ask]) -> Result<Vec<Remark>, Error> {
        let mut remarks = alone(asks, self.target);
        if self.depots.is_empty() {
            return Ok(remarks);
        }
        let counts = |a: &&Ask| {
            a.requirement
                .marker
                .as_ref()
                .is_none_or(|m| m.holds(&self.target.markers, None))
        };
        let counting: Vec<&Ask> = asks
            .iter()
            .filter(counts)
            .filter(|a| a.requirement.versions().is_some())
            .collect();
        let requirements: Vec<Requirement> =
            counting.iter().map(|a| a.requirement.clone()).collect();
        let looked = self.run.look(&requirements, &self.rules(), Depth::Needs)?;
        remarks.extend(needed_anyway(&counting, &looked, self.target));
        // A large index is a large list: it is asked for once, and only when a name is unknown.
        let known = LazyCell::new(|| self.depots.projects());
        let bringers = Bringers::new(self.run, self.rules());
        for (ask, looked) in counting.into_iter().zip(looked) {
            match looked {
                Some(looked) => remarks.extend(paged(ask, &looked.judged, self.target)),
                None => {
                    let name = &ask.requirement.name;
                    let near = self.run.near_names(&known, name, MOST_NEAR);
                    let brought = bringers.of_name(name);
                    let known = brought.map(|b| b.instead_of(name));
                    let doubts = near.doubtful.iter().map(crate::words::doubt);
                    let trouble = Trouble::UnknownName {
                        near: near.offered,
                        known,
                        doubts: doubts.collect(),
                    };
                    remarks.push(Remark::new(&ask.origin, trouble).about(name));
                }
            }
        }
        Ok(remarks)
    }

    /// Pins against the target that is stated; else against each that they are for.
    fn all_pins(&self, lock: &Lock, text: &str, shown: &str) -> Result<Vec<Remark>, Error> {
        let families = &self.target.accelerators.families;
        if self.stated {
            let share = record::share_at(lock, self.target, families);
            return self.pins(&share, text, shown);
        }
        let shares = record::shares(lock, families);
        let mut remarks: Vec<Remark> = Vec::new();
        for share in &shares {
            let (target, lock) = (&share.target, &share.lock);
            let found = Reader { target, ..*self }.pins(lock, text, shown)?;
            remarks.extend(
                found
                    .into_iter()
                    .filter(|r| !remarks.contains(r))
                    .collect::<Vec<_>>(),
            );
        }
        if shares.is_empty() {
            let own = record::target_of(lock, families);
            let target = own.as_ref().unwrap_or(self.target);
            remarks = Reader { target, ..*self }.pins(lock, text, shown)?;
        }
        Ok(remarks)
    }

    /// Pins against the target, and against the depots.
    fn pins(&self, lock: &Lock, text: &str, shown: &str) -> Result<Vec<Remark>, Error> {
        let mut remarks = Vec::new();
        let line = |found: &dyn Fn(&str) -> bool| {
            let line = 1 + text.lines().position(found).unwrap_or(0);
            Origin::line(shown, u32::try_from(line).unwrap_or(1))
        };
        if let Some(trouble) = interpreter_of(lock, self.target) {
            let place = line(&|l| l.starts_with("requires-python"));
            remarks.push(Remark::new(&place, Trouble::Pinned(trouble)));
        }
        let requirements: Vec<Requirement> = lock.packages.iter().map(exactly).collect();
        let looked = match self.depots.is_empty() {
            true => Vec::new(),
            false => self.run.look(&requirements, &self.rules(), Depth::Gaps)?,
        };
        for (i, package) in lock.packages.iter().enumerate() {
            let name = format!("name = \"{}\"", package.name);
            let place = line(&|l| l.trim() == name);
            let against = looked.get(i).and_then(|looked| {
                let judged = looked.as_ref().map(|l| l.judged.as_ref());
                pinned(package, judged)
            });
            let remark = |p: Pinned| Remark::new(&place, Trouble::Pinned(p)).about(&package.name);
            remarks.extend(hashless(package).into_iter().chain(against).map(remark));
        }
        Ok(remarks)
    }
}

/// The release that an entry of pins pins, as a requirement; of a tree, which has none, any.
pub(super) fn exactly(package: &Package) -> Requirement {
    let version = package.version.as_deref();
    match version.and_then(|v| Version::parse(v).ok()) {
        Some(version) => Requirement::exactly(&package.name, &version),
        None => Requirement::any(&package.name),
    }
}

/// Asks that others that are asked for bring with them, and that bound nothing further.
fn needed_anyway(asks: &[&Ask], looked: &[Option<Looked>], target: &Target) -> Vec<Remark> {
    let mut needing: HashMap<&Name, Vec<(&Ask, &Requirement)>> = HashMap::new();
    for (other, looked) in asks.iter().zip(looked) {
        let metadata = looked.as_ref().and_then(|l| l.metadata.as_ref());
        let extras = &other.requirement.extras;
        let holds = |r: &&Requirement| {
            let marker = r.marker.as_ref();
            marker.is_none_or(|m| m.wanted(&target.markers, extras))
        };
        let needs = metadata.iter().flat_map(|m| &m.requires).filter(holds);
        for need in needs.filter(|r| r.name != other.requirement.name) {
            needing.entry(&need.name).or_default().push((other, need));
        }
    }
    let mut remarks = Vec::new();
    for ask in asks {
        let Requirement { name, extras, .. } = &ask.requirement;
        let set = ask.requirement.versions();
        // What bounds or widens it says more than that it is there.
        let same = |r: &Requirement| {
            extras.iter().all(|e| r.extras.contains(e))
                && set.is_some_and(|s| s.is_empty() || Some(s) == r.versions())
        };
        let needing = needing.get(name).into_iter().flatten();
        let mut by: Vec<Name> = needing
            .filter(|(_, need)| same(need))
            .map(|(other, _)| other.requirement.name.clone())
            .collect();
        by.dedup();
        if !by.is_empty() {
            let trouble = Trouble::NeededAnyway { by };
            remarks.push(Remark::new(&ask.origin, trouble).about(name));
        }
    }
    remarks
}

/// What stands between quotes, or behind backslashes, on a line that is no requirement as it
/// stands.
fn quoted(text: &str, line: u32) -> Option<String> {
    let line = text
        .lines()
        .nth(usize::try_from(line).ok()?.checked_sub(1)?)?;
    let bare: String = line
        .chars()
        .filter(|c| !matches!(c, '"' | '\'' | '\\'))
        .collect();
    let bare = bare.trim();
    (bare != line.trim() && eutaxis_core::Requirement::parse(bare).is_ok()).then(|| bare.to_owned())
}

/// `name>=2` typed without quotes makes a shell write into a file `=2`, and leaves `name` without
/// its bound.
fn redirected(path: &Path, asks: &[Ask]) -> Vec<Remark> {
    let folder = path
        .parent()
        .filter(|p| !p.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let Ok(entries) = std::fs::read_dir(folder) else {
        return Vec::new();
    };
    let mut names: Vec<String> = entries
        .flatten()
        .filter_map(|e| e.file_name().into_string().ok())
        .collect();
    names.sort();
    let version = |name: &str| {
        name.strip_prefix('=')
            .is_some_and(|v| Version::parse(v).is_ok())
    };
    let unbounded: Vec<&Ask> = asks
        .iter()
        .filter(|a| {
            a.requirement
                .versions()
                .is_some_and(eutaxis_core::VersionSpecifier::is_empty)
        })
        .collect();
    let Some(ask) = unbounded.first() else {
        return Vec::new();
    };
    let one = |name: &String| Remark::new(&ask.origin, Trouble::ShellFile(name.clone()));
    names.iter().filter(|n| version(n)).map(one).collect()
}
