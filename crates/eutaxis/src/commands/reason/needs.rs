//! Who needs whom among pins: as they record it; those of another program by their `dependencies`.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::Name;
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::record;

/// What stands for an ask in pins that do not record who asked.
const UNRECORDED: &str = "not recorded";

/// Who asks for each project, and in which words: a project, or the place of an ask.
pub(super) struct Needs {
    asked: BTreeMap<Name, Vec<(String, String)>>,
}

impl Needs {
    /// Of pins.
    pub(super) fn of(lock: &Lock) -> Self {
        let recorded = |p: &Package| (p.name.clone(), record::asked_as(p));
        let mut asked: BTreeMap<Name, Vec<(String, String)>> =
            lock.packages.iter().map(recorded).collect();
        if asked.values().all(Vec::is_empty) {
            asked = stated(lock);
        }
        Needs { asked }
    }

    /// Who asks for a project.
    pub(super) fn askers(&self, project: &Name) -> &[(String, String)] {
        self.asked.get(project).map_or(&[], Vec::as_slice)
    }

    /// The project that asks; none where it is the user.
    pub(super) fn asker(&self, by: &str) -> Option<Name> {
        let name = Name::parse(by).ok()?;
        self.asked.contains_key(&name).then_some(name)
    }
}

/// By the keys of the standard (PEP 751, `dependencies`). What nobody needs was asked for.
fn stated(lock: &Lock) -> BTreeMap<Name, Vec<(String, String)>> {
    let mut asked: BTreeMap<Name, Vec<(String, String)>> = lock
        .packages
        .iter()
        .map(|p| (p.name.clone(), Vec::new()))
        .collect();
    for package in &lock.packages {
        let needed = package.dependencies.iter();
        let needed = needed.filter_map(|d| Name::parse(d.get("name")?.as_str()?).ok());
        for name in needed {
            if let Some(askers) = asked.get_mut(&name) {
                askers.push((package.name.to_string(), name.to_string()));
            }
        }
    }
    // Those of a circle that nobody else needs are reached from its first.
    let mut reached: BTreeSet<Name> = BTreeSet::new();
    let (first, rest): (Vec<Name>, Vec<Name>) = asked
        .keys()
        .cloned()
        .partition(|n| asked.get(n).is_some_and(Vec::is_empty));
    for root in first.into_iter().chain(rest) {
        if reached.contains(&root) {
            continue;
        }
        let mut open = vec![root.clone()];
        while let Some(name) = open.pop() {
            if reached.insert(name.clone()) {
                let by = name.to_string();
                let needs = asked
                    .iter()
                    .filter(|(_, a)| a.iter().any(|(b, _)| *b == by));
                open.extend(needs.map(|(n, _)| n.clone()));
            }
        }
        let ask = (UNRECORDED.to_owned(), root.to_string());
        asked.entry(root).or_default().push(ask);
    }
    asked
}
