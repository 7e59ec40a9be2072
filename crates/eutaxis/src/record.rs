//! What the pins record of the question that they answer, in `[tool.eutaxis]`, so that `reason` and
//! `rehearse` can go back to it: asks and bounds with their origins, the policy as far as it is not
//! the usual one, adjustments, and for each project who asks for it in which words and what keeps
//! newer releases out.

use std::collections::BTreeMap;
use std::sync::Arc;

use eutaxis_core::fault::Origin;
use eutaxis_core::knowledge::Families;
use eutaxis_core::offer::{Adjustment, Chronology, Effect, Policy, Prefer, Prereleases, Wheels};
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::solve::{Asker, Chosen, Problem};
use eutaxis_core::{Ask, Marker, Name, Requirement, Target, Version, VersionSpecifier};
use eutaxis_world::Error;
use toml::{Table, Value};

use crate::words;

/// Of so many newer releases it is recorded what keeps them out.
const MOST_NEWER: usize = 10;

fn text(value: impl ToString) -> Value {
    Value::String(value.to_string())
}

/// The question of a problem.
pub(crate) fn question(problem: &Problem) -> Table {
    let mut own = Table::new();
    own.insert("target".into(), text(&problem.target));
    let listed = |asks: &[Ask]| {
        let one = |ask: &Ask| {
            let mut table = Table::new();
            table.insert("requirement".into(), text(&ask.requirement));
            table.insert("at".into(), text(&ask.origin));
            Value::Table(table)
        };
        Value::Array(asks.iter().map(one).collect())
    };
    own.insert("asks".into(), listed(&problem.asks));
    if !problem.bounds.is_empty() {
        own.insert("bounds".into(), listed(&problem.bounds));
    }
    let policy = policy(&problem.policy);
    if !policy.is_empty() {
        own.insert("policy".into(), Value::Table(policy));
    }
    if !problem.adjustments.is_empty() {
        own.insert(
            "adjust".into(),
            Value::Array(problem.adjustments.iter().map(adjustment).collect()),
        );
    }
    own
}

fn policy(policy: &Policy) -> Table {
    let mut table = Table::new();
    let names = |names: &[Name]| Value::Array(names.iter().map(text).collect());
    match policy.wheels {
        Wheels::First => None,
        Wheels::Only => table.insert("wheels".into(), text("only")),
        Wheels::Any => table.insert("wheels".into(), text("any")),
    };
    match policy.prefer {
        Prefer::Newest => None,
        Prefer::Oldest => table.insert("prefer".into(), text("oldest")),
    };
    // Pins without the word are of before it was always written, when it was `caution`.
    table.insert("chronology".into(), text(policy.chronology.as_str()));
    match &policy.prereleases {
        Prereleases::ByRule => None,
        Prereleases::All => table.insert("prereleases".into(), Value::Array(vec![text("all")])),
        Prereleases::Of(projects) => table.insert("prereleases".into(), names(projects)),
    };
    if !policy.build.is_empty() {
        table.insert("build".into(), names(&policy.build));
    }
    if let Some(moment) = policy.as_of {
        table.insert("as-of".into(), text(moment));
    }
    table
}

/// An adjustment as in the settings, with where it was stated.
pub(crate) fn adjustment(adjustment: &Adjustment) -> Value {
    let mut table = Table::new();
    table.insert("project".into(), text(&adjustment.project));
    if !adjustment.versions.is_empty() {
        table.insert("versions".into(), text(&adjustment.versions));
    }
    if let Some(marker) = &adjustment.when {
        table.insert("when".into(), text(marker));
    }
    match &adjustment.effect {
        Effect::Needs(requirement) => table.insert("needs".into(), text(requirement)),
        Effect::NeedsOnly(needs) => table.insert(
            "needs".into(),
            Value::Array(needs.iter().map(text).collect()),
        ),
        Effect::Take => table.insert("take".into(), Value::Boolean(true)),
        Effect::Avoid => table.insert("avoid".into(), Value::Boolean(true)),
        Effect::MadeFor(made_for) => table.insert("accelerator".into(), text(made_for.stated())),
    };
    table.insert("because".into(), text(&adjustment.because));
    table.insert("at".into(), text(&adjustment.origin));
    Value::Table(table)
}

/// What is recorded of a chosen project besides its file.
/// `before` is what earlier pins said of the project.
pub(crate) fn chosen(
    chosen: &Chosen,
    problem: &Problem,
    before: Option<&Package>,
    own: &mut Table,
) {
    let asked_as = chosen.asked_by.iter().filter_map(|asker| {
        let (by, requirement) = match asker {
            Asker::Ask(i) => {
                let ask = problem.asks.get(*i)?;
                (words::place(&ask.origin), ask.requirement.short())
            }
            Asker::Project(name, requirement) => (name.to_string(), requirement.clone()),
        };
        let mut table = Table::new();
        table.insert("by".into(), text(by));
        table.insert("requirement".into(), text(requirement));
        Some(Value::Table(table))
    });
    own.insert("asked-as".into(), Value::Array(asked_as.collect()));
    let list = |items: &[String]| Value::Array(items.iter().map(text).collect());
    if let Some(said) = &chosen.said {
        own.insert("needs".into(), list(said));
    }
    if !chosen.extras.is_empty() {
        own.insert(
            "extras".into(),
            list(
                &chosen
                    .extras
                    .iter()
                    .map(ToString::to_string)
                    .collect::<Vec<_>>(),
            ),
        );
    }
    let newer = chosen.newer.iter().take(MOST_NEWER).map(|newer| {
        let mut table = Table::new();
        table.insert("version".into(), text(&newer.version));
        if let Some(moment) = newer.published {
            table.insert("published".into(), text(words::day(moment)));
        }
        let out = words::releases::all_out(newer, problem)
            .into_iter()
            .map(Value::String)
            .collect();
        table.insert("out".into(), Value::Array(out));
        Value::Table(table)
    });
    let mut newer: Vec<Value> = newer.collect();
    // A pin that was kept was not weighed against newer releases again: what was found when it was
    // chosen still counts.
    let version = |v: &Value| v.get("version").cloned();
    if let Some(old) =
        before.filter(|p| p.version.as_deref() == Some(chosen.version.to_string().as_str()))
        && let Some(told) = self::own(old.tool.as_ref()).and_then(|t| t.get("newer")?.as_array())
        && told.iter().map(version).eq(newer.iter().map(version))
    {
        newer.clone_from(told);
    }
    if !newer.is_empty() {
        own.insert("newer".into(), Value::Array(newer));
    }
}

/// Our own table of a lock file, or of a package of it.
fn own(tool: Option<&Table>) -> Option<&Table> {
    tool?.get("eutaxis")?.as_table()
}

fn string<'a>(table: &'a Table, key: &str) -> Option<&'a str> {
    table.get(key)?.as_str()
}

fn tables<'a>(table: &'a Table, key: &str) -> impl Iterator<Item = &'a Table> {
    table
        .get(key)
        .and_then(Value::as_array)
        .into_iter()
        .flatten()
        .filter_map(Value::as_table)
}

/// The target that the pins are for, when they record one.
pub(crate) fn target_of(lock: &Lock, families: &Arc<Families>) -> Option<Target> {
    Target::parse_with(string(own(lock.tool.as_ref())?, "target")?, families).ok()
}

/// The asks that the pins answer; empty when they record none.
pub(crate) fn asks_of(lock: &Lock) -> Vec<Ask> {
    listed(lock, "asks")
}

/// The bounds under which the pins were settled.
pub(crate) fn bounds_of(lock: &Lock) -> Vec<Ask> {
    listed(lock, "bounds")
}

fn listed(lock: &Lock, key: &str) -> Vec<Ask> {
    let Some(own) = own(lock.tool.as_ref()) else {
        return Vec::new();
    };
    let ask = |table: &Table| {
        let requirement = Requirement::parse(string(table, "requirement")?).ok()?;
        Some(Ask {
            requirement,
            origin: origin(string(table, "at").unwrap_or_default()),
        })
    };
    tables(own, key).filter_map(ask).collect()
}

fn origin(text: &str) -> Origin {
    let typed = text == Origin::Argument.to_string();
    match text
        .rsplit_once(':')
        .and_then(|(file, line)| Some((file, line.parse().ok()?)))
    {
        Some((file, line)) if !typed => Origin::line(file, line),
        _ => Origin::Argument,
    }
}

/// Whether the pins record the question that they answer.
pub(crate) fn target_is_recorded(lock: &Lock) -> bool {
    own(lock.tool.as_ref()).is_some_and(|t| string(t, "target").is_some())
}

/// The policy under which the pins were settled.
pub(crate) fn policy_of(lock: &Lock) -> Policy {
    let mut policy = Policy::default();
    let Some(own) = own(lock.tool.as_ref()) else {
        return policy;
    };
    let empty = Table::new();
    let table = own
        .get("policy")
        .and_then(Value::as_table)
        .unwrap_or(&empty);
    let names = |key: &str| -> Vec<Name> {
        let list = table
            .get(key)
            .and_then(Value::as_array)
            .into_iter()
            .flatten();
        list.filter_map(|v| Name::parse(v.as_str()?).ok()).collect()
    };
    policy.wheels = match string(table, "wheels") {
        Some("only") => Wheels::Only,
        Some("any") => Wheels::Any,
        _ => Wheels::First,
    };
    policy.prefer = match string(table, "prefer") {
        Some("oldest") => Prefer::Oldest,
        _ => Prefer::Newest,
    };
    policy.chronology = match string(table, "chronology") {
        // Another word for it, once an option of its own.
        None if string(table, "prefer") == Some("period") => Chronology::Follow,
        word => word.and_then(Chronology::of).unwrap_or(Chronology::Caution),
    };
    let prereleases = names("prereleases");
    if prereleases.iter().any(|n| n.as_str() == "all") {
        policy.prereleases = Prereleases::All;
    } else if !prereleases.is_empty() {
        policy.prereleases = Prereleases::Of(prereleases);
    }
    policy.build = names("build");
    policy.as_of = string(table, "as-of").and_then(|t| t.parse().ok());
    policy
}

/// The adjustments under which the pins were settled.
pub(crate) fn adjustments_of(lock: &Lock, families: &Families) -> Vec<Adjustment> {
    let Some(own) = own(lock.tool.as_ref()) else {
        return Vec::new();
    };
    let one = |table: &Table| {
        let only = table.get("needs").and_then(Value::as_array).map(|list| {
            list.iter()
                .filter_map(|v| Requirement::parse(v.as_str()?).ok())
                .collect::<Vec<_>>()
        });
        let take = table.get("take").and_then(Value::as_bool) == Some(true);
        let effect = match (string(table, "needs"), string(table, "accelerator")) {
            (None, None) if only.is_some() => Effect::NeedsOnly(only.unwrap_or_default()),
            (None, None) if take => Effect::Take,
            (Some(needs), _) => Effect::Needs(Requirement::parse(needs).ok()?),
            (None, Some(text)) => Effect::MadeFor(families.made_for(text).ok()?),
            (None, None) => Effect::Avoid,
        };
        Some(Adjustment {
            project: Name::parse(string(table, "project")?).ok()?,
            versions: VersionSpecifier::parse(string(table, "versions").unwrap_or_default())
                .ok()?,
            when: string(table, "when").and_then(|w| Marker::parse(w).ok()),
            effect,
            because: string(table, "because").unwrap_or_default().to_owned(),
            origin: origin(string(table, "at").unwrap_or_default()),
        })
    };
    tables(own, "adjust").filter_map(one).collect()
}

/// The question of the pins, with the pins as what was there before.
pub(crate) fn problem_of(lock: &Lock, families: &Arc<Families>) -> Result<Problem, Error> {
    let stated = own(lock.tool.as_ref()).and_then(|t| string(t, "target"));
    if let Some(Err(fault)) = stated.map(|text| Target::parse_with(text, families)) {
        return Err(Error::fault(
            eutaxis_world::ErrorKind::Request,
            "the target that the pins record",
            &fault,
        ));
    }
    let target = target_of(lock, families).ok_or_else(|| {
        let error = Error::request("the pins do not record the question that they answer");
        error.help("pins that `eutaxis settle` wrote do: settle again")
    })?;
    let mut problem = Problem::new(target, policy_of(lock), asks_of(lock));
    problem.bounds = bounds_of(lock);
    problem.adjustments = adjustments_of(lock, families);
    problem.prior = releases(lock);
    Ok(problem)
}

/// The pinned releases.
pub(crate) fn releases(lock: &Lock) -> BTreeMap<Name, Version> {
    let release = |p: &Package| Some((p.name.clone(), Version::parse(p.version.as_deref()?).ok()?));
    lock.packages.iter().filter_map(release).collect()
}

/// Who asks for a pinned project, and in which words, when the pins record it.
pub(crate) fn asked_as(package: &Package) -> Vec<(String, String)> {
    let Some(own) = own(package.tool.as_ref()) else {
        return Vec::new();
    };
    let one = |table: &Table| {
        Some((
            string(table, "by")?.to_owned(),
            string(table, "requirement")?.to_owned(),
        ))
    };
    tables(own, "asked-as").filter_map(one).collect()
}

/// What a pinned file was said to need, and the extras that were asked of it; none where the pins
/// do not record it.
pub(crate) fn said_of(package: &Package) -> Option<(Vec<String>, Vec<Name>)> {
    let own = own(package.tool.as_ref())?;
    let texts = |key: &str| -> Option<Vec<String>> {
        let list = own.get(key)?.as_array()?;
        Some(
            list.iter()
                .filter_map(|v| v.as_str().map(str::to_owned))
                .collect(),
        )
    };
    let extras = texts("extras")
        .unwrap_or_default()
        .iter()
        .filter_map(|e| Name::parse(e).ok())
        .collect();
    Some((texts("needs")?, extras))
}

/// The depot that a pinned project came from, as the pins record it: an address, or a path beside
/// the pins.
pub(crate) fn depot_of(package: &Package) -> Option<&str> {
    string(own(package.tool.as_ref())?, "depot")
}

/// Whether the user asks for a pinned project.
pub(crate) fn is_asked(package: &Package) -> bool {
    let list = own(package.tool.as_ref()).and_then(|t| t.get("asked-by")?.as_array());
    list.is_some_and(|l| l.iter().any(|v| v.as_str() == Some("ask")))
}

/// A newer release with what keeps it out.
pub(crate) struct NewerRecord {
    pub(crate) version: String,
    pub(crate) published: Option<String>,
    pub(crate) out: Vec<String>,
}

/// Newer releases of a pinned project as they were when it was pinned, newest first.
pub(crate) fn newer_of(package: &Package) -> Vec<NewerRecord> {
    let Some(own) = own(package.tool.as_ref()) else {
        return Vec::new();
    };
    let one = |table: &Table| {
        let out = table
            .get("out")
            .and_then(Value::as_array)
            .into_iter()
            .flatten();
        Some(NewerRecord {
            version: string(table, "version")?.to_owned(),
            published: string(table, "published").map(str::to_owned),
            out: out.filter_map(|v| v.as_str().map(str::to_owned)).collect(),
        })
    };
    tables(own, "newer").filter_map(one).collect()
}
