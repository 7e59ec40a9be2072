//! The rule of `docs/house.md` that arrows go only downward: no two modules of a crate know of each
//! other, in one step or in several, but for parent and child.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use rstest::rstest;

/// Every source file below a folder.
fn sources(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            found.extend(sources(&path));
        } else if path.extension().is_some_and(|e| e == "rs") {
            found.push(path);
        }
    }
    found
}

/// The module at the top of a crate that a file belongs to.
fn module_of(file: &Path, root: &Path) -> String {
    let first = file.strip_prefix(root).unwrap().iter().next().unwrap();
    let name = first.to_string_lossy();
    name.trim_end_matches(".rs").to_owned()
}

/// The modules that a text speaks of: `crate::a::b`, and each of `crate::{a, b::c}`.
fn named(text: &str, modules: &BTreeSet<String>) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    for (at, _) in text.match_indices("crate::") {
        let rest = &text[at + "crate::".len()..];
        let list = match rest.strip_prefix('{') {
            Some(group) => group.split('}').next().unwrap_or(""),
            None => rest
                .split([';', ' ', '(', ')', ',', '<', '\n'])
                .next()
                .unwrap_or(""),
        };
        let heads = list
            .split(',')
            .map(|part| part.trim().split("::").next().unwrap_or(""));
        found.extend(heads.filter(|h| modules.contains(*h)).map(str::to_owned));
    }
    found
}

#[rstest]
#[case("eutaxis-standards")]
#[case("eutaxis-choice")]
#[case("eutaxis-inspection")]
#[case("eutaxis-world")]
#[case("eutaxis")]
fn modules_know_of_each_other_in_one_direction_only(#[case] name: &str) {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("..")
        .join(name)
        .join("src");
    let files = sources(&root);
    let modules: BTreeSet<String> = files.iter().map(|f| module_of(f, &root)).collect();
    let mut knows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for file in &files {
        let is_test = file
            .iter()
            .any(|part| part == "tests" || part == "tests.rs");
        let module = module_of(file, &root);
        if is_test || ["lib", "main"].contains(&module.as_str()) {
            continue;
        }
        let text = std::fs::read_to_string(file).unwrap();
        let plain = text.split("#[cfg(test)]\nmod tests {").next().unwrap_or("");
        let others = named(plain, &modules).into_iter().filter(|m| *m != module);
        knows.entry(module.clone()).or_default().extend(others);
    }
    assert!(knows.len() > 3, "{knows:?}");
    // Those that know only of modules already taken away go, until none is left.
    while let Some(free) = knows
        .iter()
        .find(|(_, others)| others.iter().all(|o| !knows.contains_key(o)))
        .map(|(module, _)| module.clone())
    {
        knows.remove(&free);
    }
    assert!(
        knows.is_empty(),
        "modules of {name} in a circle: {knows:#?}"
    );
}
