//! Modules whose project bears another name (`knowledge/modules.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use rustc_hash::FxHashMap;
use serde::Deserialize;

use crate::name::Name;

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    once_everywhere: Vec<String>,
    modules: BTreeMap<String, Vec<String>>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/modules.toml")).unwrap_or_default()
});

/// Modules by their names as those of projects.
static BY_NAME: LazyLock<FxHashMap<Name, &'static str>> = LazyLock::new(|| {
    let named = |module: &'static String| Some((Name::parse(module).ok()?, module.as_str()));
    FILE.modules.keys().rev().filter_map(named).collect()
});

/// The projects that may bring a module, the likeliest first, by the longest beginning of its name
/// that is known; empty when its project bears its name, or none is known.
pub fn bringing(module: &str) -> Vec<&'static str> {
    let mut name = module;
    loop {
        if let Some(listed) = FILE.modules.get(name) {
            return listed.iter().map(String::as_str).collect();
        }
        match name.rsplit_once('.') {
            Some((above, _)) => name = above,
            None => return Vec::new(),
        }
    }
}

/// The module that a name, written as that of a project, is: people ask for what they import.
pub fn module_named(name: &Name) -> Option<&'static str> {
    BY_NAME.get(name).copied()
}

/// The projects that usually bring the module of whose name a project is, where that project is none
/// of them: who asks for it may mean one of those.
pub fn meant_by(name: &Name) -> Vec<&'static str> {
    let usual = module_named(name).map(bringing).unwrap_or_default();
    let is_it = |project: &&str| Name::parse(project).is_ok_and(|p| p == *name);
    match usual.iter().any(is_it) {
        true => Vec::new(),
        false => usual,
    }
}

/// Whether every environment used to bring a module, so that old projects take it and do not say so.
pub fn was_everywhere(module: &str) -> bool {
    FILE.once_everywhere.iter().any(|m| m == module)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_is_read_and_names_projects() {
        assert!(FILE.modules.len() > 20);
        let projects = FILE.modules.values().flatten();
        assert!(projects.clone().all(|p| Name::parse(p).is_ok()));
        assert_eq!(bringing("radargram"), [""; 0]);
        assert_eq!(bringing("radargram.cli"), [""; 0]);
        let key = FILE.modules.keys().next().unwrap();
        assert_eq!(module_named(&Name::parse(key).unwrap()), Some(key.as_str()));
        assert_eq!(module_named(&Name::parse("radargram").unwrap()), None);
        let other = FILE.modules.iter().find(|(m, projects)| {
            let same = |p: &String| Name::parse(p).ok() == Name::parse(m).ok();
            !m.contains('.') && !projects.iter().any(same)
        });
        let (module, projects) = other.unwrap();
        assert_eq!(meant_by(&Name::parse(module).unwrap()), *projects);
        let own = Name::parse(&projects[0]).unwrap();
        assert_eq!(meant_by(&own), [""; 0]);
        let nested = FILE.modules.keys().find(|m| m.contains('.')).unwrap();
        assert_eq!(bringing(&format!("{nested}.x.y")), FILE.modules[nested]);
        let everywhere = FILE.once_everywhere.iter();
        assert!(everywhere.clone().count() > 0);
        assert!(
            everywhere
                .clone()
                .all(|m| was_everywhere(m) && !bringing(m).is_empty())
        );
        assert!(!was_everywhere("radargram"));
    }
}
