//! What was found, for programs.

use eutaxis_core::targets::{Libc, System};
use eutaxis_world::accelerator;
use eutaxis_world::environment::Listed;
use serde_json::{Map, Value, json};

use super::{Report, Row};

impl Report {
    pub(super) fn json(&self) -> Map<String, Value> {
        let libc = match self.platform.as_ref().map(|p| p.system) {
            Some(System::Linux(Libc::Glibc(a, b))) => {
                json!({"name": "glibc", "version": format!("{a}.{b}")})
            }
            Some(System::Linux(Libc::Musl(a, b))) => {
                json!({"name": "musl", "version": format!("{a}.{b}")})
            }
            _ => Value::Null,
        };
        let machine = json!({
            "os": self.os,
            "os_release": self.os_release,
            "kernel_arch": self.platform.as_ref().map_or(std::env::consts::ARCH, |p| p.machine()),
            "arch": self.platform.as_ref().map_or(std::env::consts::ARCH, |p| p.arch()),
            "bits": self.bits,
            "libc": libc,
            "root": self.stand_in,
        });
        let interpreters: Vec<Value> = self.interpreters.iter().map(Row::json).collect();
        let accelerators: Vec<Value> = self.accelerators.iter().map(accelerator).collect();
        let mut object = Map::new();
        object.insert("machine".into(), machine);
        object.insert("interpreters".into(), interpreters.into());
        object.insert("accelerators".into(), accelerators.into());
        object.insert(
            "target".into(),
            self.target.as_ref().map(ToString::to_string).into(),
        );
        if let Some(tags) = &self.tags {
            object.insert("tags".into(), json!(tags));
        }
        if let Some((folder, listed)) = &self.environments {
            object.insert("folder".into(), json!(folder));
            object.insert(
                "environments".into(),
                listed.iter().map(environment).collect(),
            );
        }
        object.insert("cautions".into(), json!(self.cautions));
        if let Some(saved) = &self.saved {
            object.insert("written".into(), json!([saved]));
        }
        object
    }
}

impl Row {
    fn json(&self) -> Value {
        let facts = &self.facts;
        let environment = facts
            .in_environment()
            .then(|| json!({"kind": self.kind, "root": facts.prefix}));
        json!({
            "path": self.full_path,
            "implementation": facts.implementation,
            "version": facts.version,
            "abi": facts.interpreter().ok().and_then(|i| i.abis.first().cloned()),
            "bits": facts.bits,
            "platform": facts.platform,
            "environment": environment,
            "externally_managed": facts.externally_managed,
            "default": self.default,
            "bare_names": self.bare_names,
            "base": facts.base(),
        })
    }
}

fn accelerator(found: &accelerator::Found) -> Value {
    let one = &found.accelerator;
    let texts = |list: &[eutaxis_core::knowledge::Number]| {
        list.iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    json!({
        "family": one.family.name,
        "driver": one.driver.as_ref().map(ToString::to_string),
        "highest_toolkit": found.highest_toolkit.as_ref().map(ToString::to_string),
        "toolkits": texts(&found.toolkits),
        "devices": one.devices,
        "models": found.models,
        "usable": found.unusable.is_none(),
        "because": found.unusable,
    })
}

fn environment(listed: &Listed) -> Value {
    json!({
        "root": listed.root,
        "version": listed.version,
        "base": listed.base,
        "shares_system": listed.shares_system,
        "project": listed.project,
        "projects": listed.projects,
        "bytes": listed.size.whole,
        "bytes_own": listed.size.own,
        "active": listed.active,
        "whole": listed.faults.is_empty(),
        "faults": listed.faults.iter().map(|f| f.as_str()).collect::<Vec<_>>(),
    })
}
