//! `[build]`: what may be built from source, and how single projects are.

use std::collections::BTreeMap;

use eutaxis_core::Name;
use eutaxis_core::Requirement;
use eutaxis_core::document::{Placed, Table, Value};
use eutaxis_core::fault::Fault;
use eutaxis_core::offer::Policy;

use crate::build::Limits;
use crate::stock::parse_size;

/// How a project is built.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct BuildSettings {
    /// Variables that its build sees besides those of the place.
    pub environment: BTreeMap<String, String>,
    /// What its build backend is told (PEP 517, `config_settings`): a text, or several.
    pub settings: BTreeMap<String, Vec<String>>,
    /// What restricts its build requirements.
    pub bounds: Vec<Requirement>,
    /// Its build may use the network.
    pub network: bool,
}

/// Reads `[build]`: permissions into the policy, limits, and the rest by project.
pub(super) fn read(
    table: &Table<'_>,
    policy: &mut Policy,
    all: &mut BTreeMap<Name, BuildSettings>,
    limits: &mut Limits,
) -> Result<(), Fault> {
    for (key, value) in table.entries() {
        let limit = match key.value {
            "seconds" => {
                let stated = table.integer("seconds")?;
                let held = stated.and_then(|s| u64::try_from(s.value).ok());
                limits.seconds = held
                    .filter(|s| *s > 0)
                    .ok_or_else(|| Fault::new("a build takes at least a second", key.at))?;
                continue;
            }
            "memory" => &mut limits.memory,
            "disk" => &mut limits.disk,
            _ => {
                read_one(table, &key, &value, policy, all)?;
                continue;
            }
        };
        let text = value.string()?;
        *limit = parse_size(text.value).map_err(|why| Fault::new(why, text.at))?;
    }
    Ok(())
}

fn read_one(
    table: &Table<'_>,
    key: &Placed<&str>,
    value: &Value<'_>,
    policy: &mut Policy,
    all: &mut BTreeMap<Name, BuildSettings>,
) -> Result<(), Fault> {
    if key.value == "permit" {
        for text in table.strings("permit")?.unwrap_or_default() {
            match text.value {
                "all" => policy.build_all = true,
                "light" => policy.build_light = true,
                name => {
                    let name = Name::parse(name).map_err(|f| f.shifted(text.at))?;
                    if !policy.build.contains(&name) {
                        policy.build.push(name);
                    }
                }
            }
        }
        return Ok(());
    }
    let name = Name::parse(key.value).map_err(|f| f.shifted(key.at))?;
    let read = of_project(&value.table()?)?;
    all.entry(name).or_insert(read);
    Ok(())
}

fn of_project(table: &Table<'_>) -> Result<BuildSettings, Fault> {
    table.ensure_known(&["environment", "settings", "bounds", "network"])?;
    let mut found = BuildSettings {
        network: table.boolean("network")?.unwrap_or(false),
        ..BuildSettings::default()
    };
    if let Some(variables) = table.table("environment")? {
        for (name, value) in variables.entries() {
            if name.value.is_empty() || name.value.contains(['=', '\0']) {
                return Err(Fault::new("this is no name of a variable", name.at));
            }
            let text = value.string()?;
            if text.value.contains('\0') {
                return Err(Fault::new("a variable holds no zero bytes", text.at));
            }
            let held = text.value.to_owned();
            found.environment.insert(name.value.to_owned(), held);
        }
    }
    if let Some(settings) = table.table("settings")? {
        for (name, value) in settings.entries() {
            let texts = texts(&settings, name.value, &value)?;
            found.settings.insert(name.value.to_owned(), texts);
        }
    }
    for text in table.strings("bounds")?.unwrap_or_default() {
        let bound = Requirement::parse(text.value).map_err(|f| f.shifted(text.at))?;
        found.bounds.push(bound);
    }
    Ok(found)
}

/// A text, or a list of them.
fn texts(table: &Table<'_>, key: &str, value: &Value<'_>) -> Result<Vec<String>, Fault> {
    if let Ok(one) = value.string() {
        return Ok(vec![one.value.to_owned()]);
    }
    let all = table.strings(key)?.unwrap_or_default();
    Ok(all.iter().map(|t| t.value.to_owned()).collect())
}
