//! Extras and groups in one lock (PEP 751, `extras`, `dependency-groups`): which pins which part
//! needs, as markers.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::Name;
use eutaxis_core::pins::Package;
use eutaxis_core::solve::Asker;

use crate::answer::settle::Settled;
use crate::asks::{Asks, Part};

/// By what a pin is needed: always, or for some parts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Needed {
    always: bool,
    parts: BTreeSet<Part>,
}

impl Needed {
    /// Takes over what another one is needed by; whether that is more.
    fn join(&mut self, other: &Needed) -> bool {
        let before = (self.always, self.parts.len());
        self.always |= other.always;
        self.parts.extend(other.parts.iter().cloned());
        (self.always, self.parts.len()) != before
    }

    fn marker(&self) -> Option<String> {
        if self.always || self.parts.is_empty() {
            return None;
        }
        let one = |part: &Part| match part {
            Part::Extra(name) => format!("'{name}' in extras"),
            Part::Group(name) => format!("'{name}' in dependency_groups"),
        };
        let all: Vec<String> = self.parts.iter().map(one).collect();
        Some(all.join(" or "))
    }
}

/// Puts the markers of extras and groups on entries; gives the extras and the groups.
pub(super) fn marked(
    packages: &mut [Package],
    settled: &Settled<'_>,
    asks: &Asks,
) -> (Vec<String>, Vec<String>) {
    let parts: BTreeSet<&Part> = asks.optional.values().flatten().collect();
    if parts.is_empty() {
        return (Vec::new(), Vec::new());
    }
    let mut needed: BTreeMap<Name, Needed> = BTreeMap::new();
    // Parts go from who asks to what is asked for, until nothing is new.
    loop {
        let mut is_new = false;
        for pin in &settled.pins {
            let mut own = Needed::default();
            for asker in &pin.chosen.asked_by {
                match asker {
                    Asker::Ask(id) => own.join(&of_ask(settled, asks, *id)),
                    Asker::Project(name, _) => {
                        own.join(&needed.get(name).cloned().unwrap_or_default())
                    }
                };
            }
            is_new |= needed
                .entry(pin.chosen.project.clone())
                .or_default()
                .join(&own);
        }
        if !is_new {
            break;
        }
    }
    for package in packages {
        package.marker = needed.get(&package.name).and_then(Needed::marker);
    }
    let mut names = (Vec::new(), Vec::new());
    for part in parts {
        match part {
            Part::Extra(name) => names.0.push(name.to_string()),
            Part::Group(name) => names.1.push(name.to_string()),
        }
    }
    names
}

fn of_ask(settled: &Settled<'_>, asks: &Asks, id: eutaxis_core::solve::AskId) -> Needed {
    let ask = settled.problem.ask(id);
    let key = ask.map(|a| (a.origin.clone(), a.requirement.to_string()));
    match key.and_then(|key| asks.optional.get(&key)) {
        Some(parts) => Needed {
            always: false,
            parts: parts.iter().cloned().collect(),
        },
        None => Needed {
            always: true,
            parts: BTreeSet::new(),
        },
    }
}
