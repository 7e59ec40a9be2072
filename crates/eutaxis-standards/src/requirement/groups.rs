//! Dependency groups of `pyproject.toml` (PEP 735). Only groups in use are read, with what they
//! include.

use std::collections::HashSet;

use super::{Ask, Requirement};
use crate::document::{Table, Value};
use crate::fault::{Fault, FaultKind, Origin};
use crate::name::{Name, nearest};

/// The requirements of `group` with its includes expanded in place, duplicates kept; but a group that
/// is included once more says nothing new: groups that include each other in pairs would be without end.
///
/// # Errors
/// Unknown group, two groups of one normalised name, an inclusion cycle (named), an item of another
/// form.
pub(super) fn expand(
    groups: &Table<'_>,
    group: &Name,
    place: &dyn Fn(usize) -> Origin,
) -> Result<Vec<Ask>, Fault> {
    let mut found = Found::default();
    include(groups, group, groups.offset(), place, &mut found)?;
    Ok(found.asks)
}

/// Groups are not included deeper.
const DEEPEST: usize = 200;

/// What was come by so far.
#[derive(Default)]
struct Found {
    asks: Vec<Ask>,
    /// Groups within which we are, the outermost first.
    open: Vec<Name>,
    /// Groups of which everything is there.
    whole: HashSet<Name>,
}

fn include(
    groups: &Table<'_>,
    group: &Name,
    asked_at: usize,
    place: &dyn Fn(usize) -> Origin,
    found: &mut Found,
) -> Result<(), Fault> {
    if found.whole.contains(group) {
        return Ok(());
    }
    if found.open.contains(group) {
        let path: Vec<&str> = found
            .open
            .iter()
            .skip_while(|g| *g != group)
            .chain([group])
            .map(Name::as_str)
            .collect();
        return Err(Fault::of(
            FaultKind::Contradiction,
            format!(
                "dependency groups include each other: {}",
                path.join(" -> ")
            ),
            asked_at,
        ));
    }
    if found.open.len() >= DEEPEST {
        return Err(Fault::of(
            FaultKind::Limit,
            format!("dependency groups include each other more than {DEEPEST} deep"),
            asked_at,
        ));
    }
    let value = find(groups, group, asked_at)?;
    found.open.push(group.clone());
    for item in value.items()? {
        if item.is_string() {
            let text = item.string()?;
            let requirement = Requirement::parse(text.value).map_err(|f| f.shifted(text.at))?;
            found.asks.push(Ask {
                requirement,
                origin: place(text.at),
            });
            continue;
        }
        let table = item
            .table()
            .map_err(|_| item.wrong("a requirement or a table with `include-group`"))?;
        let only_include = table.entries().all(|(k, _)| k.value == "include-group");
        let included = table
            .string("include-group")?
            .filter(|_| only_include)
            .ok_or_else(|| {
                Fault::new(
                    format!(
                        "a table in group `{group}` must hold `include-group` and nothing else"
                    ),
                    item.offset(),
                )
            })?;
        let name = Name::parse(included.value).map_err(|f| f.shifted(included.at))?;
        include(groups, &name, included.at, place, found)?;
    }
    found.open.pop();
    found.whole.insert(group.clone());
    Ok(())
}

/// The one group of this normalised name.
fn find<'a>(groups: &Table<'a>, group: &Name, asked_at: usize) -> Result<Value<'a>, Fault> {
    let mut found = None;
    let mut names = Vec::new();
    for (key, value) in groups.entries() {
        let Ok(name) = Name::parse(key.value) else {
            continue;
        };
        if name == *group && found.replace(value).is_some() {
            return Err(Fault::of(
                FaultKind::Contradiction,
                format!("two dependency groups are named `{group}` after normalisation"),
                key.at,
            ));
        }
        names.push(name);
    }
    found.ok_or_else(|| {
        let fault = Fault::of(
            FaultKind::Absent,
            format!("there is no dependency group `{group}`"),
            asked_at,
        );
        match nearest(group.as_str(), names.iter().map(Name::as_str), 1).first() {
            Some(near) => fault.hint(format!("did you mean `{near}`?")),
            None => fault,
        }
    })
}
