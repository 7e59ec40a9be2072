//! A lock held to its standard (PEP 751) by a reader of the tests' own.

use std::collections::BTreeMap;

/// An entry of a lock, read by nothing of the program.
#[derive(Debug)]
pub(crate) struct Entry {
    pub(crate) marker: Option<String>,
    pub(crate) version: Option<String>,
    /// Names of its wheels.
    pub(crate) wheels: Vec<String>,
    sources: usize,
}

/// What the variables of markers say in a place.
type Place = BTreeMap<String, String>;

fn texts(table: &toml::Table, key: &str) -> Vec<String> {
    let all = table.get(key).and_then(toml::Value::as_array);
    let all = all.into_iter().flatten();
    all.map(|v| v.as_str().unwrap().to_owned()).collect()
}

/// The places of a marker such as `environments` has: each variable equal to a value, or one of
/// several.
fn places(environment: &str) -> Vec<Place> {
    let mut all = vec![Place::new()];
    for part in environment.split(" and ") {
        let (variable, values) = part
            .split_once(" == ")
            .or_else(|| part.split_once(" in "))
            .unwrap_or_else(|| panic!("{part}"));
        let values: Vec<&str> = values.trim_matches('\'').split(' ').collect();
        let with = |place: &Place, value: &str| {
            let mut place = place.clone();
            place.insert(variable.to_owned(), value.to_owned());
            place
        };
        all = all
            .iter()
            .flat_map(|place| values.iter().map(|v| with(place, v)).collect::<Vec<_>>())
            .collect();
    }
    all
}

/// Whether a marker holds in a place where every extra and group is asked for: `or` binds weaker
/// than `and`, and parentheses are not nested.
fn holds(marker: &str, place: &Place) -> bool {
    let mut text = marker.to_owned();
    while let Some((before, rest)) = text.split_once('(') {
        let (inner, after) = rest.split_once(')').unwrap();
        let word = if holds(inner, place) { "yes" } else { "no" };
        text = format!("{before}{word}{after}");
    }
    let one = |part: &str| match part {
        "yes" => true,
        "no" => false,
        _ if part.ends_with(" in extras") || part.ends_with(" in dependency_groups") => true,
        _ => {
            let found = part.split_once(" == ").or_else(|| part.split_once(" in "));
            let (variable, values) = found.unwrap_or_else(|| panic!("{part}"));
            let here = place.get(variable).unwrap_or_else(|| panic!("{variable}"));
            values.trim_matches('\'').split(' ').any(|v| v == here)
        }
    };
    text.split(" or ").any(|all| all.split(" and ").all(one))
}

fn entry(package: &toml::Table) -> (String, Entry) {
    let name = package["name"].as_str().unwrap();
    let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
    assert!(name.chars().all(plain), "{name} is not normalised");
    let index = package.contains_key("wheels") || package.contains_key("sdist");
    let alone = ["vcs", "directory", "archive"]
        .iter()
        .filter(|k| package.contains_key(**k));
    let sources = alone.count() + usize::from(index);
    let wheels = package.get("wheels").and_then(|w| w.as_array());
    let wheels: Vec<&toml::Value> = wheels.into_iter().flatten().collect();
    let single = ["sdist", "archive"].iter().filter_map(|k| package.get(*k));
    for file in wheels.iter().copied().chain(single) {
        let hashes = file["hashes"].as_table().unwrap();
        assert!(!hashes.is_empty(), "{name} has a file without hashes");
        let is_somewhere = file.get("url").is_some() || file.get("path").is_some();
        assert!(is_somewhere, "{name}");
    }
    if package.contains_key("directory") {
        assert!(
            !package.contains_key("version"),
            "{name} is a folder with a version"
        );
    }
    let text = |key: &str| package.get(key).map(|m| m.as_str().unwrap().to_owned());
    let filename = |f: &toml::Value| f["name"].as_str().unwrap().to_owned();
    let entry = Entry {
        marker: text("marker"),
        version: text("version"),
        wheels: wheels.into_iter().map(filename).collect(),
        sources,
    };
    (name.to_owned(), entry)
}

/// Reads a lock, and holds it to the rules that any reader relies on.
pub(crate) fn checked(text: &str) -> (toml::Table, BTreeMap<String, Vec<Entry>>) {
    let lock: toml::Table = text.parse().unwrap();
    assert_eq!(lock["lock-version"].as_str(), Some("1.0"));
    assert!(lock["created-by"].is_str());
    let (extras, groups) = (texts(&lock, "extras"), texts(&lock, "dependency-groups"));
    let defaults = texts(&lock, "default-groups");
    assert!(
        defaults.iter().all(|g| groups.contains(g)),
        "{defaults:?} {groups:?}"
    );
    let environments = texts(&lock, "environments");
    let places: Vec<Place> = environments.iter().flat_map(|e| places(e)).collect();
    let packages = lock["packages"].as_array().unwrap();
    let packages: Vec<&toml::Table> = packages.iter().map(|p| p.as_table().unwrap()).collect();
    let mut found: BTreeMap<String, Vec<Entry>> = BTreeMap::new();
    for package in &packages {
        let (name, entry) = entry(package);
        for part in entry.marker.iter().flat_map(|m| m.split([' ', '(', ')'])) {
            assert!(part != "extra", "a marker of a lock speaks of extras");
        }
        let parts = entry.marker.iter().flat_map(|m| m.split(" or "));
        for part in parts.flat_map(|p| p.split(" and ")) {
            let part = part.trim_matches(['(', ')']);
            let (word, known) = match part.split_once(" in ") {
                Some((word, "extras")) => (word, &extras),
                Some((word, "dependency_groups")) => (word, &groups),
                _ => continue,
            };
            assert!(
                known.contains(&word.trim_matches('\'').to_owned()),
                "{part} speaks of what is not offered"
            );
        }
        // Whoever reads it finds which entry is needed, key by key.
        let needs = package.get("dependencies").and_then(|d| d.as_array());
        for need in needs.into_iter().flatten().map(|d| d.as_table().unwrap()) {
            let meets = |p: &&&toml::Table| need.iter().all(|(k, v)| p.get(k) == Some(v));
            let count = packages.iter().filter(meets).count();
            assert_eq!(count, 1, "{name} needs {need:?}");
        }
        found.entry(name).or_default().push(entry);
    }
    assert!(
        found.values().flatten().all(|e| e.sources == 1),
        "{found:#?}"
    );
    for (name, entries) in &found {
        assert!(
            entries.len() == 1 || entries.iter().all(|e| e.marker.is_some()),
            "{name}: one of several entries counts everywhere"
        );
        for place in &places {
            let counts = |e: &&Entry| e.marker.as_deref().is_none_or(|m| holds(m, place));
            let count = entries.iter().filter(counts).count();
            assert!(count <= 1, "{name}: {count} entries count in {place:?}");
        }
    }
    (lock, found)
}
