//! Shared libraries of two environments: what the same projects load, and from where.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::Name;
use eutaxis_core::examine::{Compiled, Snapshot};

use crate::answer::examine::{Difference, DifferenceKind};

/// A library that an environment loads.
#[derive(Default)]
struct Loaded {
    /// The file that is meant with where it comes from, in words.
    from: BTreeSet<String>,
    /// The projects whose files need it.
    by: BTreeSet<Name>,
}

/// Libraries of projects that both environments have, where they are others, or come from elsewhere.
pub(super) fn differences(one: &Snapshot, other: &Snapshot) -> Vec<Difference> {
    let (here, there) = (loaded(one), loaded(other));
    let names: BTreeSet<&String> = here.keys().chain(there.keys()).collect();
    let told = |loaded: Option<&Loaded>| {
        let from = loaded?.from.iter().cloned();
        Some(from.collect::<Vec<_>>().join(", "))
    };
    // What only other projects need is told with those.
    let is_of_both = |loaded: Option<&Loaded>| {
        let mut by = loaded.into_iter().flat_map(|l| &l.by);
        by.any(|name| has(one, name) && has(other, name))
    };
    let found = names.into_iter().filter_map(|name| {
        let (here, there) = (here.get(name), there.get(name));
        if told(here) == told(there) || !(is_of_both(here) || is_of_both(there)) {
            return None;
        }
        Some(Difference {
            kind: DifferenceKind::Library,
            project: Some(name.clone()),
            here: told(here),
            there: told(there),
        })
    });
    found.collect()
}

fn has(snapshot: &Snapshot, project: &Name) -> bool {
    let mut own = snapshot.projects.iter().filter(|p| p.here);
    own.any(|p| p.name == *project)
}

fn loaded(snapshot: &Snapshot) -> BTreeMap<String, Loaded> {
    let owner = |file: &Compiled| {
        let project = snapshot.projects.get(file.owner?)?;
        project.here.then_some(&project.name)
    };
    let mut brought: BTreeMap<&str, &Name> = BTreeMap::new();
    for file in &snapshot.compiled {
        let name = file.path.rsplit(['/', '\\']).next();
        if let (Some(owner), Some(name)) = (owner(file), name) {
            brought.insert(name, owner);
            let parts = file.parts.iter().flatten();
            brought.extend(parts.filter_map(|p| Some((p.soname.as_deref()?, owner))));
        }
    }
    let mut all: BTreeMap<String, Loaded> = BTreeMap::new();
    for file in &snapshot.compiled {
        let Some(owner) = owner(file) else { continue };
        for library in file.parts.iter().flatten().flat_map(|p| &p.needs) {
            let name = library.rsplit(['/', '\\']).next().unwrap_or(library);
            let from = match brought.get(name) {
                Some(project) => format!("with {project}"),
                None if file.absent.iter().any(|a| a.library == *library) => "not found".to_owned(),
                None => "of the system".to_owned(),
            };
            let shown = without_hashes(name);
            let one = all.entry(stem(&shown).to_owned()).or_default();
            one.from.insert(format!("{shown} {from}"));
            one.by.insert(owner.clone());
        }
    }
    all
}

/// A library's file name without the hashes that set one copy of it apart from others:
/// `libfirn-1a2b3c4d.so.5.0` is `libfirn.so.5.0`.
fn without_hashes(name: &str) -> String {
    let (base, rest) = name.split_at(name.find('.').unwrap_or(name.len()));
    let is_hash = |part: &&str| part.len() >= 8 && part.bytes().all(|b| b.is_ascii_hexdigit());
    let parts: Vec<&str> = base.split('-').filter(|p| !is_hash(p)).collect();
    format!("{}{rest}", parts.join("-"))
}

/// The name without its version: `libfirn.so.5.0` is `libfirn`.
fn stem(name: &str) -> &str {
    let endings = [".so", ".dylib", ".dll"];
    let cut = endings.iter().filter_map(|e| name.find(e)).min();
    name.get(..cut.unwrap_or(name.len())).unwrap_or(name)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    #[rstest]
    #[case("libfirn.so", "libfirn.so", "libfirn")]
    #[case("libfirn.so.5.0.1", "libfirn.so.5.0.1", "libfirn")]
    #[case("libfirn-1a2b3c4d.so.5.0", "libfirn.so.5.0", "libfirn")]
    #[case("libfirn-1a2b3c4d-00ff00ff.so.5.0", "libfirn.so.5.0", "libfirn")]
    #[case("libfirn-r0-0cf96a72.3.23.so", "libfirn-r0.3.23.so", "libfirn-r0.3.23")]
    #[case("libfirn-core.so.5", "libfirn-core.so.5", "libfirn-core")]
    #[case("firn.1.dylib", "firn.1.dylib", "firn.1")]
    #[case("firn", "firn", "firn")]
    fn versions_and_hashes_are_no_name(#[case] file: &str, #[case] name: &str, #[case] stem: &str) {
        assert_eq!(super::without_hashes(file), name);
        assert_eq!(super::stem(name), stem);
    }
}
