//! The answer when it cannot be: the clash, and the ways out.

use eutaxis_core::Version;
use eutaxis_core::name::nearest;
use eutaxis_core::offer::BarKind;
use eutaxis_core::pins::Lock;
use eutaxis_core::solve::{Change, Clash, Environment, FactKind, Problem, Way, Ways};
use eutaxis_core::{Name, Target};
use eutaxis_world::depot::Depots;
use eutaxis_world::files::write_whole;
use eutaxis_world::{Error, ErrorKind};
use serde_json::{Map, Value, json};

use super::{Job, take};
use crate::output::{Answer, Outcome};
use crate::plan::{self, Surroundings};
use crate::render;

/// A clash with its ways out, and what is to be said beside it.
pub(crate) struct Refusal<'a> {
    pub(crate) clash: &'a Clash,
    pub(crate) problem: &'a Problem,
    pub(crate) ways: &'a [Way],
    /// Changes that were not tried to the end.
    pub(crate) untried: Vec<Untried>,
    /// For people: which place.
    pub(crate) shown: &'a str,
    /// For each way what it changes in files.
    pub(crate) edits: Vec<Vec<take::FileEdit>>,
    /// Asked projects that no depot has, with names like them.
    pub(crate) absent: Vec<(Name, Vec<Name>)>,
    /// Whether the depots list their projects at all.
    pub(crate) listed: bool,
}

/// A change that was not tried to the end, in words, and why.
pub(crate) struct Untried {
    pub(crate) text: String,
    pub(crate) because: String,
}

impl<'a> Refusal<'a> {
    pub(crate) fn new(
        clash: &'a Clash,
        problem: &'a Problem,
        all: &'a Ways,
        shown: &'a str,
        surroundings: &Surroundings,
        depots: Option<&Depots>,
    ) -> Self {
        let ways = all.found.as_slice();
        let untried = all.untried.iter().map(|(changes, because)| Untried {
            text: render::ways::changes(changes),
            because: because.clone(),
        });
        let known = depots
            .filter(|_| !clash.absent.is_empty())
            .map(Depots::projects)
            .unwrap_or_default();
        let near = |name: &Name| {
            let names = nearest(name.as_str(), known.iter().map(Name::as_str), 3);
            known
                .iter()
                .filter(|k| names.contains(&k.as_str()))
                .cloned()
                .collect::<Vec<_>>()
        };
        let absent = clash
            .absent
            .iter()
            .map(|name| (name.clone(), near(name)))
            .collect();
        let edits = ways
            .iter()
            .map(|way| take::edits(way, problem, surroundings))
            .collect();
        Refusal {
            clash,
            problem,
            ways,
            untried: untried.collect(),
            shown,
            edits,
            absent,
            listed: !known.is_empty(),
        }
    }

    /// The answer for programs.
    pub(crate) fn json(&self) -> Map<String, Value> {
        let absent: Vec<Value> = self
            .absent
            .iter()
            .map(|(name, near)| json!({"name": name.as_str(), "nearest": near.iter().map(Name::as_str).collect::<Vec<_>>()}))
            .collect();
        let mut object = Map::new();
        object.insert("target".into(), json!(self.problem.target.to_string()));
        object.insert("clash".into(), clash_json(self.clash));
        object.insert("absent".into(), json!(absent));
        object.insert("ways_out".into(), ways_json(self.ways, &self.edits));
        if !self.untried.is_empty() {
            let untried = self
                .untried
                .iter()
                .map(|u| json!({"text": u.text, "because": u.because}));
            object.insert("untried".into(), Value::Array(untried.collect()));
        }
        object
    }
}

impl Job<'_> {
    /// The clash with its ways out; with `--take` one of them is gone.
    pub(super) fn refused(
        &mut self,
        clash: &Clash,
        chosen: &plan::Chosen,
        problem: &Problem,
        old: Option<&Lock>,
    ) -> Result<Answer, Error> {
        if self.arguments.take.is_none() {
            // The facts are told as soon as they are proven.
            self.bar
                .suspend(|| self.output.now(&render::clash::begin(clash, &chosen.shown)));
        }
        let alternatives = alternatives(clash, &chosen.target, chosen.here, self.surroundings);
        let search = || self.run.ways_out(problem, clash, &alternatives, &|_| ());
        let ways = match self.output.watch(
            "ways out",
            &self.bar,
            &self.run,
            self.depots.network(),
            search,
        ) {
            // The clash is proven all the same.
            Err(error)
                if self.arguments.take.is_none()
                    && matches!(error.kind, ErrorKind::Network | ErrorKind::Budget) =>
            {
                self.output.notice(&format!(
                    "ways out were not looked for to the end: {}",
                    error.message
                ));
                Ways::default()
            }
            other => other?,
        };
        self.bar.finish_and_clear();
        if let Some(letter) = &self.arguments.take {
            return self.take(letter, &ways.found, chosen, problem, old);
        }
        let refusal = Refusal::new(
            clash,
            problem,
            &ways,
            &chosen.shown,
            self.surroundings,
            Some(&self.depots),
        );
        let text = render::clash::rest(&refusal);
        let mut json = refusal.json();
        if let Some(file) = &self.arguments.picture {
            write_whole(file, render::picture::clash(&refusal).as_bytes())?;
            json.insert("picture".into(), json!(file));
            self.output.notice(&format!("wrote {}", file.display()));
        }
        Ok(Answer {
            outcome: Outcome::No,
            text,
            json,
        })
    }
}

/// Other interpreters for a place, when the clash says that this one does not do: those on this
/// machine, if the place is this machine, and every series that is known.
pub(crate) fn alternatives(
    clash: &Clash,
    target: &Target,
    here: bool,
    surroundings: &Surroundings,
) -> Vec<eutaxis_core::solve::Alternative> {
    let barred = clash
        .facts
        .iter()
        .any(|f| f.kind == FactKind::Bar(BarKind::Interpreter));
    if barred {
        plan::alternatives(target, here, surroundings)
    } else {
        Vec::new()
    }
}

/// The clash for programs.
pub(crate) fn clash_json(clash: &Clash) -> Value {
    let facts: Vec<Value> = clash
        .facts
        .iter()
        .enumerate()
        .map(|(i, f)| {
            let mut fact = json!({"id": i + 1, "kind": f.kind.as_str(), "project": f.project, "versions": f.versions, "text": f.text});
            if let Some(needs) = &f.needs {
                fact["needs"] = json!(needs);
            }
            if let Some(origin) = &f.origin {
                fact["origin"] = json!(origin.to_string());
            }
            fact
        })
        .collect();
    let versions = |list: &[Version]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
    let contested: Vec<Value> = clash
        .contested
        .iter()
        .map(|c| {
            let rows: Vec<Value> = c
                .rows
                .iter()
                .map(|(fact, allows)| json!({"fact": fact + 1, "allows": versions(allows)}))
                .collect();
            json!({"project": c.project.as_str(), "releases": versions(&c.releases), "rows": rows})
        })
        .collect();
    json!({"facts": facts, "contested": contested})
}

/// Ways out for programs (docs/clash.md).
pub(crate) fn ways_json(ways: &[Way], edits: &[Vec<take::FileEdit>]) -> Value {
    let pins = |environment: &Environment| -> Vec<Value> {
        let chosen = environment.solution.chosen.iter();
        chosen
            .map(|c| json!({"name": c.project.as_str(), "version": c.version.to_string(), "file": &*c.file.filename}))
            .collect()
    };
    let one = |(way, (letter, edits)): (&Way, (char, &Vec<take::FileEdit>))| {
        let mut object = json!({
            "letter": letter.to_string(),
            "kind": way.kind.as_str(),
            "text": render::ways::sentence(way),
            "changes": way.changes.iter().map(change_json).collect::<Vec<_>>(),
            "edits": take::json(edits),
            "options": take::options(way),
        });
        match way.environments.as_slice() {
            [only] => object["pins"] = json!(pins(only)),
            several => {
                let environments = several.iter().map(|e| {
                    let interpreter = e.interpreter.as_ref().map(|a| a.name.clone());
                    json!({
                        "asks": e.problem.asks.iter().map(|a| a.requirement.to_string()).collect::<Vec<_>>(),
                        "interpreter": interpreter.unwrap_or_else(|| e.problem.target.interpreter.to_string()),
                        "pins": pins(e),
                    })
                });
                object["environments"] = Value::Array(environments.collect());
                object["pins"] = json!([]);
            }
        }
        object
    };
    let edits = edits.iter().chain(std::iter::repeat(&NONE));
    Value::Array(ways.iter().zip(('a'..='z').zip(edits)).map(one).collect())
}

static NONE: Vec<take::FileEdit> = Vec::new();

fn change_json(change: &Change) -> Value {
    match change {
        Change::Ask(old, new) | Change::Bound(old, new) => json!({
            "project": old.requirement.name.as_str(), "before": old.requirement.to_string(), "after": new.to_string(),
            "origin": old.origin.to_string(),
        }),
        Change::DropAsk(old) | Change::DropBound(old) => json!({
            "project": old.requirement.name.as_str(), "before": old.requirement.to_string(), "after": Value::Null,
            "origin": old.origin.to_string(),
        }),
        Change::Pin(new) => {
            json!({"project": new.name.as_str(), "before": Value::Null, "after": new.to_string()})
        }
        Change::Interpreter(other) => {
            json!({"interpreter": other.name, "here": other.here, "target": other.target.to_string()})
        }
        Change::Accelerators(all) => {
            json!({"option": "--accelerator", "value": all.as_option().trim_matches('"')})
        }
        Change::Build(name) => json!({"option": "--build", "project": name.as_str()}),
        Change::Prereleases(name) => json!({"option": "--prereleases", "project": name.as_str()}),
        Change::AsOf(moment) => json!({"option": "--as-of", "value": moment.to_string()}),
        Change::Adjust(adjustment) | Change::DropAdjust(adjustment) => {
            let mut object = render::words::adjustment_json(adjustment);
            object["dropped"] = json!(matches!(change, Change::DropAdjust(_)));
            object
        }
    }
}
