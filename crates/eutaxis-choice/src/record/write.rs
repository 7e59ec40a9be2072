//! The record as it is written: only what is not the usual one, so that pins stay short.

use toml::{Table, Value};

use super::read::Proof;
use crate::offer::{Adjustment, Effect, Policy, Prefer, Prereleases, Wheels};
use crate::solve::{Asker, Chosen, Newer, Problem};
use eutaxis_standards::day;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::name::Name;
use eutaxis_standards::pins::Package;
use eutaxis_standards::requirement::Ask;

/// Of so many newer releases it is recorded what keeps them out.
const MOST_NEWER: usize = 10;

fn text(value: impl ToString) -> Value {
    Value::String(value.to_string())
}

/// The question of a problem.
pub fn question(problem: &Problem) -> Table {
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
    for (key, is_learnt) in [("adjust", false), ("learnt", true)] {
        let these = problem.adjustments.iter();
        let these = these.filter(|a| a.learnt.is_some() == is_learnt);
        let these: Vec<Value> = these.map(adjustment).collect();
        if !these.is_empty() {
            own.insert(key.into(), Value::Array(these));
        }
    }
    own
}

/// Asks that are left out of the set though their files state them, and why.
pub fn left_out(asks: &[Ask], because: &str) -> Value {
    let one = |ask: &Ask| {
        let mut table = Table::new();
        table.insert("requirement".into(), text(&ask.requirement));
        table.insert("at".into(), text(&ask.origin));
        table.insert("because".into(), text(because));
        Value::Table(table)
    };
    Value::Array(asks.iter().map(one).collect())
}

/// How far the pins were proven.
pub fn proof(proof: &Proof) -> Table {
    let mut table = Table::new();
    table.insert("level".into(), text(proof.level.level()));
    table.insert("at".into(), text(proof.at));
    if let Some(interpreter) = &proof.interpreter {
        table.insert("interpreter".into(), text(interpreter));
    }
    if !proof.leaves.is_empty() {
        let leaves = proof.leaves.iter().map(text).collect();
        table.insert("leaves".into(), Value::Array(leaves));
    }
    table
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
    if !policy.rebuild.is_empty() {
        table.insert("rebuild".into(), names(&policy.rebuild));
    }
    if policy.build_light {
        table.insert("build-light".into(), Value::Boolean(true));
    }
    if policy.build_all {
        table.insert("build-all".into(), Value::Boolean(true));
    }
    if let Some(moment) = policy.as_of {
        table.insert("as-of".into(), text(moment));
    }
    if policy.take_undated {
        table.insert("take-undated".into(), Value::Boolean(true));
    }
    table
}

/// An adjustment as in the settings, with where it was stated.
pub fn adjustment(adjustment: &Adjustment) -> Value {
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
        Effect::FailsToBuild => table.insert("fails-to-build".into(), Value::Boolean(true)),
        Effect::Hashed(stated) => table.insert(
            "hashes".into(),
            Value::Array(stated.iter().map(text).collect()),
        ),
        Effect::MadeFor(made_for) => table.insert("accelerator".into(), text(made_for.stated())),
    };
    table.insert("because".into(), text(&adjustment.because));
    match adjustment.learnt {
        None => table.insert("at".into(), text(&adjustment.origin)),
        Some(lesson) => {
            table.insert("evidence".into(), text(lesson.evidence));
            table.insert("on".into(), text(lesson.on))
        }
    };
    Value::Table(table)
}

/// How what is recorded in words is said.
pub struct Wording<'a> {
    /// Where an ask was stated.
    pub place: &'a dyn Fn(&Origin) -> String,
    /// What keeps a newer release out, a sentence for each reason.
    pub out: &'a dyn Fn(&Newer) -> Vec<String>,
}

/// What is recorded of a chosen project besides its file. `before` is what earlier pins said of the
/// project.
pub fn chosen(
    chosen: &Chosen,
    problem: &Problem,
    before: Option<&Package>,
    wording: &Wording<'_>,
    own: &mut Table,
) {
    let asked_as = chosen.asked_by.iter().filter_map(|asker| {
        let (by, requirement) = match asker {
            Asker::Ask(i) => {
                let ask = problem.ask(*i)?;
                ((wording.place)(&ask.origin), ask.requirement.short())
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
    if let Some(unsure) = chosen.unsure {
        own.insert("needs-from".into(), text(unsure.as_str()));
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
            table.insert("published".into(), text(day(moment)));
        }
        let out = (wording.out)(newer)
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
        && let Some(told) = super::own(old.tool.as_ref()).and_then(|t| t.get("newer")?.as_array())
        && told.iter().map(version).eq(newer.iter().map(version))
    {
        newer.clone_from(told);
    }
    if !newer.is_empty() {
        own.insert("newer".into(), Value::Array(newer));
    }
}
