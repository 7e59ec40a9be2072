//! Pins for several targets in one lock (PEP 751): an entry has the wheels that all its targets need,
//! and tags choose; where targets take different releases, entries have markers that tell the targets
//! apart. What was recorded for a target alone stands under its name, so that its pins can be told
//! from the whole again.

#[cfg(test)]
mod tests;

use std::collections::BTreeSet;
use std::sync::Arc;

use toml::{Table, Value};

use super::{own, string, tables};
use eutaxis_standards::knowledge::Families;
use eutaxis_standards::marker::Marker;
use eutaxis_standards::name::Name;
use eutaxis_standards::pins::{
    Facet, Lock, LockFile, Package, environment_of, environment_with_series, facets_of, wheel_for,
};
use eutaxis_standards::targets::Target;

/// What a record says of one target alone, by its name.
const ON: &str = "on";
/// The targets that an entry is for, where it is not for all.
const FOR: &str = "for";
/// The targets of a lock.
const TARGETS: &str = "targets";

/// The pins of one of several targets.
#[derive(Debug, Clone, PartialEq)]
pub struct Share {
    /// The target's name, among those of the others its own.
    pub name: String,
    /// The target.
    pub target: Target,
    /// Its pins, as if it were the only one.
    pub lock: Lock,
}

/// Why pins of several targets are not one lock: of a project two targets take different files, and
/// no marker tells these targets apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Apart {
    /// The project.
    pub project: Name,
    /// A target with the release, or file, that it takes; none where it does without the project.
    pub one: (String, Option<String>),
    /// Another one.
    pub other: (String, Option<String>),
}

/// The pins of several targets as one lock.
///
/// # Errors
/// When two of them take different files of a project and no marker tells them apart.
pub fn join(shares: &[Share]) -> Result<Lock, Apart> {
    let Some(first) = shares.first() else {
        return Ok(Lock::default());
    };
    let facets: Vec<[Facet; 4]> = shares.iter().map(|s| facets_of(&s.target)).collect();
    let names: BTreeSet<&Name> = shares
        .iter()
        .flat_map(|s| s.lock.packages.iter().map(|p| &p.name))
        .collect();
    let mut packages = Vec::new();
    for name in names {
        let groups = groups_of(name, shares);
        for group in &groups {
            let marker = marker_of(group, shares, &facets).map_err(|(one, other)| {
                let held = |at: usize| {
                    let share = shares.get(at);
                    let told = share.and_then(|s| told(s, name, &groups));
                    (share.map(|s| s.name.clone()).unwrap_or_default(), told)
                };
                Apart {
                    project: name.clone(),
                    one: held(one),
                    other: held(other),
                }
            })?;
            packages.push(entry(group, marker, shares));
        }
    }
    tell_apart(&mut packages);
    let mut series: Vec<(u64, u64)> = shares
        .iter()
        .map(|s| s.target.interpreter.series())
        .collect();
    series.sort_unstable();
    series.dedup();
    let environment = match series.len() {
        1 => environment_of,
        _ => environment_with_series,
    };
    let mut environments: Vec<String> = Vec::new();
    for share in shares {
        let one = environment(&share.target);
        if !environments.contains(&one) {
            environments.push(one);
        }
    }
    let own: Vec<(&str, &Table)> = shares
        .iter()
        .filter_map(|s| Some((s.name.as_str(), own(s.lock.tool.as_ref())?)))
        .collect();
    let (mut common, alone) = parted(&own);
    let targets = alone.into_iter().map(|(name, mut rest)| {
        let mut table = Table::new();
        table.insert("name".into(), Value::String(name.to_owned()));
        // Also where there is only one, or all are written alike.
        if let Some(target) = common.get("target") {
            table.insert("target".into(), target.clone());
        }
        rest.remove("name");
        table.extend(rest);
        Value::Table(table)
    });
    let targets = Value::Array(targets.collect());
    common.remove("target");
    let mut recorded = Table::new();
    recorded.insert(TARGETS.into(), targets);
    recorded.extend(common);
    Ok(Lock {
        environments,
        requires_python: requires_python(&series),
        packages,
        tool: Some(Table::from_iter([(
            "eutaxis".to_owned(),
            Value::Table(recorded),
        )])),
        ..first.lock.clone()
    })
}

/// The targets of a lock that is for several, each with its own pins; empty for other locks, and
/// where a target cannot be read.
pub fn shares(lock: &Lock, families: &Arc<Families>) -> Vec<Share> {
    let Some(all) = own(lock.tool.as_ref()) else {
        return Vec::new();
    };
    let one = |table: &Table| {
        let name = string(table, "name")?;
        let target = Target::parse_with(string(table, "target")?, families).ok()?;
        Some(Share {
            lock: share(lock, all, (name, table), &target),
            name: name.to_owned(),
            target,
        })
    };
    tables(all, TARGETS).filter_map(one).collect()
}

/// Of a lock for several targets the pins that count in a place; of one for a single target, and
/// where no target is such a place, the lock as it is.
pub fn share_at(lock: &Lock, place: &Target, families: &Arc<Families>) -> Lock {
    let shares = shares(lock, families);
    of_place(&shares, place).map_or_else(|| lock.clone(), |s| s.lock.clone())
}

/// The share that counts in a place: that of just this target, else of one whose marker holds there.
pub fn of_place<'s>(shares: &'s [Share], place: &Target) -> Option<&'s Share> {
    let is_it = |s: &&Share| s.target.to_string() == place.to_string();
    let holds = |s: &&Share| {
        Marker::parse(&environment_with_series(&s.target))
            .is_ok_and(|m| m.holds(&place.markers, None))
    };
    let found = shares.iter().find(is_it);
    found.or_else(|| shares.iter().find(holds))
}

/// Whether a lock is for several targets.
pub fn is_shared(lock: &Lock) -> bool {
    own(lock.tool.as_ref()).is_some_and(|own| tables(own, TARGETS).next().is_some())
}

/// Targets that take the same entry of a project.
struct Group<'a> {
    first: (usize, &'a Package),
    more: Vec<(usize, &'a Package)>,
}

impl<'a> Group<'a> {
    fn new(at: usize, package: &'a Package) -> Self {
        Group {
            first: (at, package),
            more: Vec::new(),
        }
    }

    fn members(&self) -> impl Iterator<Item = (usize, &'a Package)> {
        std::iter::once(self.first).chain(self.more.iter().copied())
    }
}

/// Adds a target to the group whose first entry is like its own, or begins one.
fn sort_in<'a>(
    groups: &mut Vec<Group<'a>>,
    (at, package): (usize, &'a Package),
    is_like: fn(&Package, &Package) -> bool,
) {
    match groups.iter_mut().find(|g| is_like(g.first.1, package)) {
        Some(group) => group.more.push((at, package)),
        None => groups.push(Group::new(at, package)),
    }
}

/// The entries of a project, each with the targets that take it.
fn groups_of<'a>(name: &Name, shares: &'a [Share]) -> Vec<Group<'a>> {
    let mut groups: Vec<Group<'a>> = Vec::new();
    for (at, share) in shares.iter().enumerate() {
        if let Some(package) = share.lock.packages.iter().find(|p| p.name == *name) {
            sort_in(&mut groups, (at, package), is_one_entry);
        }
    }
    let split = |group: Group<'a>| match tags_choose(&group, shares) {
        true => vec![group],
        false => by_files(group),
    };
    groups.into_iter().flat_map(split).collect()
}

/// Whether what two targets take is one entry with more wheels.
fn is_one_entry(one: &Package, other: &Package) -> bool {
    one.version == other.version
        && one.marker == other.marker
        && one.index == other.index
        && one.vcs == other.vcs
        && one.directory == other.directory
        && one.archive == other.archive
}

/// Whether each target takes its own file of an entry that has those of all.
fn tags_choose(group: &Group<'_>, shares: &[Share]) -> bool {
    let all = files_of(group);
    group.members().all(|(at, package)| {
        let Some(share) = shares.get(at) else {
            return false;
        };
        let mut whole = package.clone();
        (whole.wheels, whole.sdist) = all.clone();
        let taken = |p: &Package| match wheel_for(p, &share.target) {
            Ok(Some((file, _))) => Some(file.clone()),
            Ok(None) => p.sdist.clone(),
            Err(_) => None,
        };
        let taken = (taken(package), taken(&whole));
        // What has no file is a tree.
        taken.0 == taken.1 && (taken.0.is_some() || package.files().next().is_none())
    })
}

/// A group for each set of files.
fn by_files(group: Group<'_>) -> Vec<Group<'_>> {
    let mut groups = Vec::new();
    for one in group.members() {
        sort_in(&mut groups, one, |a, b| a.files().eq(b.files()));
    }
    groups
}

/// The wheels of all targets of a group in the order of their names, and its source.
fn files_of(group: &Group<'_>) -> (Vec<LockFile>, Option<LockFile>) {
    let mut wheels: Vec<LockFile> = Vec::new();
    for wheel in group.members().flat_map(|(_, p)| &p.wheels) {
        if !wheels.contains(wheel) {
            wheels.push(wheel.clone());
        }
    }
    wheels.sort_by_key(LockFile::filename);
    let sdist = group.members().find_map(|(_, p)| p.sdist.clone());
    (wheels, sdist)
}

/// The marker that holds on the targets of a group and on none of the others; the first two that it
/// cannot tell apart where there is none.
fn marker_of(
    group: &Group<'_>,
    shares: &[Share],
    facets: &[[Facet; 4]],
) -> Result<Option<String>, (usize, usize)> {
    let inside: Vec<usize> = group.members().map(|(at, _)| at).collect();
    let outside: Vec<usize> = (0..shares.len())
        .filter(|at| !inside.contains(at))
        .collect();
    if outside.is_empty() {
        return Ok(None);
    }
    let facet = |at: usize, which: usize| facets.get(at).and_then(|all| all.get(which));
    let differ = |one: usize, other: usize, which: usize| {
        let both = facet(one, which).zip(facet(other, which));
        both.is_some_and(|(one, other)| one.excludes(other))
    };
    let pairs = || {
        let all = inside.iter();
        all.flat_map(|one| outside.iter().map(|other| (*one, *other)))
    };
    if let Some(pair) = pairs().find(|(one, other)| !(0..4).any(|w| differ(*one, *other, w))) {
        return Err(pair);
    }
    // The fewest facts that tell all of them apart; the system before the processor.
    let mut sets: Vec<Vec<usize>> = (1_usize..16)
        .map(|bits| (0..4).filter(|w| bits & (1 << w) != 0).collect())
        .collect();
    sets.sort_by_key(|set: &Vec<usize>| (set.len(), set.clone()));
    let suffices =
        |set: &Vec<usize>| pairs().all(|(one, other)| set.iter().any(|w| differ(one, other, *w)));
    let set = sets.into_iter().find(suffices).unwrap_or_default();
    let mut markers: Vec<String> = Vec::new();
    for at in inside {
        let each = set
            .iter()
            .filter_map(|w| Some(facet(at, *w)?.marker.clone()));
        let one = each.collect::<Vec<_>>().join(" and ");
        if !markers.contains(&one) {
            markers.push(one);
        }
    }
    Ok(Some(markers.join(" or ")))
}

/// What a target takes of a project, in words that differ from those of the others.
fn told(share: &Share, name: &Name, groups: &[Group<'_>]) -> Option<String> {
    let package = share.lock.packages.iter().find(|p| p.name == *name)?;
    let versions: BTreeSet<Option<&String>> =
        groups.iter().map(|g| g.first.1.version.as_ref()).collect();
    let file = || package.files().find_map(LockFile::filename);
    match versions.len() == groups.len() {
        true => package.version.clone().or_else(file),
        false => file().or_else(|| package.version.clone()),
    }
    .or_else(|| Some("a tree".to_owned()))
}

/// The entry of a group.
fn entry(group: &Group<'_>, place: Option<String>, shares: &[Share]) -> Package {
    let members = || group.members().map(|(_, package)| package);
    let (_, first) = group.first;
    let name_of = |at: usize| shares.get(at).map_or("", |s| s.name.as_str());
    let (wheels, sdist) = files_of(group);
    let mut dependencies: Vec<Table> = Vec::new();
    for one in members().flat_map(|p| &p.dependencies) {
        if !dependencies.contains(one) {
            dependencies.push(one.clone());
        }
    }
    let stated = &first.requires_python;
    let requires_python = members().all(|p| p.requires_python == *stated);
    let records: Vec<(&str, &Table)> = group
        .members()
        .filter_map(|(at, p)| Some((name_of(at), own(p.tool.as_ref())?)))
        .collect();
    let (mut record, alone) = parted(&records);
    let on: Table = alone
        .into_iter()
        .filter(|(_, rest)| !rest.is_empty())
        .map(|(name, rest)| (name.to_owned(), Value::Table(rest)))
        .collect();
    if !on.is_empty() {
        record.insert(ON.into(), Value::Table(on));
    }
    if group.members().count() < shares.len() {
        let names = group.members();
        let names = names.map(|(at, _)| Value::String(name_of(at).to_owned()));
        record.insert(FOR.into(), Value::Array(names.collect()));
    }
    Package {
        marker: both(place, first.marker.clone()),
        requires_python: stated.clone().filter(|_| requires_python),
        dependencies,
        sdist,
        wheels,
        tool: Some(Table::from_iter([(
            "eutaxis".to_owned(),
            Value::Table(record),
        )])),
        ..first.clone()
    }
}

/// Two markers that must hold both.
fn both(one: Option<String>, other: Option<String>) -> Option<String> {
    let whole = |text: String| match text.contains(" or ") {
        true => format!("({text})"),
        false => text,
    };
    match (one, other) {
        (Some(one), Some(other)) => Some(format!("{} and {}", whole(one), whole(other))),
        (one, other) => one.or(other),
    }
}

/// Of a project with several entries those that need it say which (PEP 751, dependencies).
fn tell_apart(packages: &mut [Package]) {
    let known: Vec<(Name, Option<String>, Option<Value>)> = packages
        .iter()
        .map(|p| (p.name.clone(), p.version.clone(), targets_of(p)))
        .collect();
    for package in packages {
        let mine = targets_of(package);
        let told = package.dependencies.iter().flat_map(|dependency| {
            let name = string(dependency, "name").unwrap_or_default();
            let entries: Vec<_> = known.iter().filter(|k| k.0.as_str() == name).collect();
            if entries.len() < 2 {
                return vec![dependency.clone()];
            }
            let meets = |other: &Option<Value>| match (&mine, other) {
                (Some(Value::Array(mine)), Some(Value::Array(other))) => {
                    mine.iter().any(|t| other.contains(t))
                }
                _ => true,
            };
            let these = entries.into_iter().filter(|k| meets(&k.2));
            let one = |k: &(Name, Option<String>, Option<Value>)| {
                let mut table = dependency.clone();
                if let Some(version) = &k.1 {
                    table.insert("version".into(), Value::String(version.clone()));
                }
                table
            };
            these.map(one).collect()
        });
        let mut each: Vec<Table> = Vec::new();
        for table in told {
            if !each.contains(&table) {
                each.push(table);
            }
        }
        package.dependencies = each;
    }
}

fn targets_of(package: &Package) -> Option<Value> {
    own(package.tool.as_ref())?.get(FOR).cloned()
}

/// Interpreters of these series: the whole of one, else all between, of which `environments` tells
/// the ones that are meant.
fn requires_python(series: &[(u64, u64)]) -> Option<String> {
    let ((major, minor), (last_major, last)) = (series.first()?, series.last()?);
    Some(match series.len() {
        1 => format!("=={major}.{minor}.*"),
        _ => format!(">={major}.{minor},<{last_major}.{}", last.saturating_add(1)),
    })
}

/// What tables of several targets have in common, and what each has alone.
fn parted<'a>(all: &[(&'a str, &Table)]) -> (Table, Vec<(&'a str, Table)>) {
    let Some(((_, first), rest)) = all.split_first() else {
        return (Table::new(), Vec::new());
    };
    let is_common =
        |key: &String, value: &Value| rest.iter().all(|(_, t)| t.get(key) == Some(value));
    let common: Table = first
        .iter()
        .filter(|(key, value)| is_common(key, value))
        .map(|(key, value)| (key.clone(), value.clone()))
        .collect();
    let alone = |(name, table): &(&'a str, &Table)| {
        let own = table.iter().filter(|(key, _)| !common.contains_key(*key));
        (*name, own.map(|(k, v)| (k.clone(), v.clone())).collect())
    };
    let each = all.iter().map(alone).collect();
    (common, each)
}

/// The pins of one target of a lock.
fn share(lock: &Lock, recorded: &Table, (name, alone): (&str, &Table), target: &Target) -> Lock {
    let is_for = |p: &&Package| match targets_of(p) {
        Some(Value::Array(all)) => all.iter().any(|t| t.as_str() == Some(name)),
        _ => true,
    };
    let mut packages: Vec<Package> = lock.packages.iter().filter(is_for).cloned().collect();
    let known: BTreeSet<Name> = packages.iter().map(|p| p.name.clone()).collect();
    for package in &mut packages {
        if let Ok(found) = wheel_for(package, target).map(|w| w.map(|(file, _)| file.clone())) {
            let is_wheel = found.is_some();
            package.wheels.retain(|w| found.as_ref() == Some(w));
            package.sdist = package.sdist.take().filter(|_| !is_wheel);
        }
        package
            .dependencies
            .retain(|d| string(d, "name").is_none_or(|n| known.iter().any(|k| k.as_str() == n)));
        if let Some(Value::Table(own)) = package.tool.as_mut().and_then(|t| t.get_mut("eutaxis")) {
            own.remove(FOR);
            if let Some(Value::Table(mut on)) = own.remove(ON)
                && let Some(Value::Table(alone)) = on.remove(name)
            {
                own.extend(alone);
            }
        }
    }
    let mut own = recorded.clone();
    own.remove(TARGETS);
    let alone = alone.iter().filter(|(key, _)| *key != "name");
    own.extend(alone.map(|(k, v)| (k.clone(), v.clone())));
    Lock {
        environments: vec![environment_of(target)],
        requires_python: requires_python(&[target.interpreter.series()]),
        packages,
        tool: Some(Table::from_iter([(
            "eutaxis".to_owned(),
            Value::Table(own),
        )])),
        ..lock.clone()
    }
}
