//! Modules whose project bears another name (`knowledge/brought-by.toml`).

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Deserialize;

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    once_everywhere: Vec<String>,
    modules: BTreeMap<String, Vec<String>>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/brought-by.toml")).unwrap_or_default()
});

/// The projects that may bring a module at the top, the likeliest first; empty when its project
/// bears its name, or none is known.
pub fn bringing(module: &str) -> Vec<&'static str> {
    let listed = FILE.modules.get(module).into_iter().flatten();
    listed.map(String::as_str).collect()
}

/// Whether every environment used to bring a module, so that old projects take it and do not say so.
pub fn was_everywhere(module: &str) -> bool {
    FILE.once_everywhere.iter().any(|m| m == module)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::name::Name;

    #[test]
    fn the_file_is_read_and_names_projects() {
        assert!(FILE.modules.len() > 20);
        let projects = FILE.modules.values().flatten();
        assert!(projects.clone().all(|p| Name::parse(p).is_ok()));
        assert_eq!(bringing("radargram"), [""; 0]);
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
