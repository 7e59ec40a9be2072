//! The record as it is read: what is absent or cannot be read counts as not recorded.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;
use toml::{Table, Value};

use super::{own, string, tables};
use crate::offer::{Adjustment, Chronology, Effect, Lesson, Policy, Prefer, Prereleases, Wheels};
use crate::solve::Problem;
use eutaxis_standards::evidence::Evidence;
use eutaxis_standards::fault::{Fault, Origin};
use eutaxis_standards::knowledge::Families;
use eutaxis_standards::marker::Marker;
use eutaxis_standards::name::Name;
use eutaxis_standards::pins::{Lock, Package, Selection};
use eutaxis_standards::requirement::{Ask, Requirement, StatedHash};
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::{Version, VersionSpecifier};

/// The target that the pins are for, when they record one.
pub fn target_of(lock: &Lock, families: &Arc<Families>) -> Option<Target> {
    Target::parse_with(string(own(lock.tool.as_ref())?, "target")?, families).ok()
}

/// The asks that the pins answer; empty when they record none.
pub fn asks_of(lock: &Lock) -> Vec<Ask> {
    listed(lock, "asks")
}

/// The bounds under which the pins were settled.
pub fn bounds_of(lock: &Lock) -> Vec<Ask> {
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
pub fn target_is_recorded(lock: &Lock) -> bool {
    own(lock.tool.as_ref()).is_some_and(|t| string(t, "target").is_some())
}

/// The policy under which the pins were settled.
pub fn policy_of(lock: &Lock) -> Policy {
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
    policy.rebuild = names("rebuild");
    let is_set = |key: &str| table.get(key).and_then(toml::Value::as_bool) == Some(true);
    policy.build_light = is_set("build-light");
    policy.build_all = is_set("build-all");
    policy.as_of = string(table, "as-of").and_then(|t| t.parse().ok());
    policy.take_undated = is_set("take-undated");
    policy
}

/// The adjustments under which the pins were settled, also those that were learnt.
pub fn adjustments_of(lock: &Lock, families: &Families) -> Vec<Adjustment> {
    let Some(own) = own(lock.tool.as_ref()) else {
        return Vec::new();
    };
    let one = |table: &Table| {
        let only = table.get("needs").and_then(Value::as_array).map(|list| {
            list.iter()
                .filter_map(|v| Requirement::parse(v.as_str()?).ok())
                .collect::<Vec<_>>()
        });
        let fails = table.get("fails-to-build").and_then(Value::as_bool) == Some(true);
        let take = table.get("take").and_then(Value::as_bool) == Some(true);
        let hashes = table.get("hashes").and_then(Value::as_array).map(|list| {
            list.iter()
                .filter_map(|v| StatedHash::parse(v.as_str()?).ok())
                .collect::<Vec<_>>()
        });
        let effect = match (string(table, "needs"), string(table, "accelerator")) {
            (None, None) if only.is_some() => Effect::NeedsOnly(only.unwrap_or_default()),
            (None, None) if hashes.is_some() => Effect::Hashed(hashes.unwrap_or_default()),
            (None, None) if take => Effect::Take,
            (None, None) if fails => Effect::FailsToBuild,
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
            learnt: lesson(table),
        })
    };
    let listed = tables(own, "adjust").chain(tables(own, "learnt"));
    listed.filter_map(one).collect()
}

fn lesson(table: &Table) -> Option<Lesson> {
    Some(Lesson {
        evidence: Evidence::of(string(table, "evidence")?)?,
        on: string(table, "on")?.parse().ok()?,
    })
}

/// How far the pins were proven, when, and by which interpreter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proof {
    /// What they rest on.
    pub level: Evidence,
    /// When.
    pub at: Timestamp,
    /// What they were run by.
    pub interpreter: Option<String>,
    /// What the imports left behind in an empty home, in words.
    pub leaves: Vec<String>,
}

/// How far the pins were proven, as they record it.
pub fn proof_of(lock: &Lock) -> Option<Proof> {
    let table = own(lock.tool.as_ref())?.get("evidence")?.as_table()?;
    let leaves = table.get("leaves").and_then(Value::as_array);
    let leaves = leaves.into_iter().flatten();
    Some(Proof {
        level: Evidence::of(string(table, "level")?)?,
        at: string(table, "at")?.parse().ok()?,
        interpreter: string(table, "interpreter").map(str::to_owned),
        leaves: leaves
            .filter_map(|v| v.as_str().map(str::to_owned))
            .collect(),
    })
}

/// Why pins cannot be gone back to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unrecorded {
    /// They record no question: another program wrote them.
    Question,
    /// The target that they record cannot be read.
    Target(Fault),
}

/// The question of the pins as it was typed: the words behind the command.
pub fn question_of(lock: &Lock) -> Option<Vec<String>> {
    let words = own(lock.tool.as_ref())?.get("question")?.as_array()?;
    let word = |v: &Value| v.as_str().map(str::to_owned);
    words.iter().map(word).collect()
}

/// What of the pins is placed where nothing else is chosen: every extra that was asked for, and the
/// default groups.
pub fn usual_parts(lock: &Lock) -> Selection {
    let listed = own(lock.tool.as_ref()).and_then(|t| t.get("default-extras")?.as_array());
    let extras = listed.into_iter().flatten();
    Selection {
        extras: extras
            .filter_map(|v| Name::parse(v.as_str()?).ok())
            .filter(|e| {
                lock.extras
                    .iter()
                    .any(|known| Name::parse(known).ok().as_ref() == Some(e))
            })
            .collect(),
        groups: None,
    }
}

/// Asks that were left out of the pins though their files state them.
pub fn left_out_of(lock: &Lock) -> Vec<Ask> {
    listed(lock, "left-out")
}

/// The question of the pins, with the pins as what was there before.
///
/// # Errors
/// When they do not record it.
pub fn problem_of(lock: &Lock, families: &Arc<Families>) -> Result<Problem, Unrecorded> {
    let stated = own(lock.tool.as_ref()).and_then(|t| string(t, "target"));
    let target = stated.map(|text| Target::parse_with(text, families));
    let target = target
        .ok_or(Unrecorded::Question)?
        .map_err(Unrecorded::Target)?;
    let mut problem = Problem::new(target, policy_of(lock), asks_of(lock));
    problem.bounds = bounds_of(lock);
    problem.adjustments = adjustments_of(lock, families);
    problem.prior = releases(lock);
    Ok(problem)
}

/// The pinned releases.
pub fn releases(lock: &Lock) -> BTreeMap<Name, Version> {
    let release = |p: &Package| Some((p.name.clone(), Version::parse(p.version.as_deref()?).ok()?));
    lock.packages.iter().filter_map(release).collect()
}

/// Who asks for a pinned project, and in which words, when the pins record it.
pub fn asked_as(package: &Package) -> Vec<(String, String)> {
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
pub fn said_of(package: &Package) -> Option<(Vec<String>, Vec<Name>)> {
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
pub fn depot_of(package: &Package) -> Option<&str> {
    string(own(package.tool.as_ref())?, "depot")
}

/// Whether the user asks for a pinned project.
pub fn is_asked(package: &Package) -> bool {
    let list = own(package.tool.as_ref()).and_then(|t| t.get("asked-by")?.as_array());
    list.is_some_and(|l| l.iter().any(|v| v.as_str() == Some("ask")))
}

/// A newer release with what keeps it out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewerRecord {
    /// The release.
    pub version: String,
    /// When it appeared.
    pub published: Option<String>,
    /// What kept it out, a sentence for each reason.
    pub out: Vec<String>,
}

/// Newer releases of a pinned project as they were when it was pinned, newest first.
pub fn newer_of(package: &Package) -> Vec<NewerRecord> {
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
