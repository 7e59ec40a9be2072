//! The description of the world, `world.toml`.

use std::collections::BTreeMap;

use serde::Deserialize;
use serde_json::{Map, Value, json};

/// All projects.
#[derive(Debug, Clone, Deserialize)]
pub struct World {
    /// The projects.
    #[serde(rename = "project")]
    pub projects: Vec<Project>,
}

/// A project. What a release does not say, it takes from here.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Project {
    /// Its name, normalised.
    pub name: String,
    /// One line about it.
    pub summary: String,
    /// Series of CPython with wheels.
    #[serde(default)]
    pub interpreters: Vec<String>,
    /// Platform tags of wheels.
    #[serde(default)]
    pub platforms: Vec<String>,
    /// Wheels that run anywhere.
    #[serde(default)]
    pub pure: bool,
    /// Wheels of the stable ABI from this series on.
    pub stable: Option<String>,
    /// Also a source distribution.
    #[serde(default)]
    pub sdist: bool,
    /// No wheels.
    #[serde(default)]
    pub only_source: bool,
    /// Requires-Python.
    pub python: Option<String>,
    /// Requirements.
    #[serde(default)]
    pub needs: Vec<String>,
    /// Executables: name to `module:object`.
    #[serde(default)]
    pub scripts: BTreeMap<String, String>,
    /// The releases, oldest first.
    #[serde(rename = "release")]
    pub releases: Vec<Release>,
}

/// A release.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Release {
    /// Its version.
    pub version: String,
    /// Day of publication.
    pub date: String,
    /// Requires-Python.
    pub python: Option<String>,
    /// Series with wheels.
    pub interpreters: Option<Vec<String>>,
    /// Platform tags of wheels.
    pub platforms: Option<Vec<String>>,
    /// Requirements.
    pub needs: Option<Vec<String>>,
    /// Extras with their requirements.
    #[serde(default)]
    pub extras: BTreeMap<String, Vec<String>>,
    /// The newest series of the language that its classifiers name.
    pub classified: Option<String>,
    /// Why it was yanked.
    pub yanked: Option<String>,
    /// One build per local label.
    #[serde(default)]
    pub labels: Vec<String>,
    /// One build per label of a variant, each with its properties: `namespace :: feature :: value`
    /// (draft PEP 825).
    #[serde(default)]
    pub variants: BTreeMap<String, Vec<String>>,
    /// No wheels.
    #[serde(default)]
    pub only_source: bool,
    /// Sources by their paths, in place of those that are made or beside them.
    #[serde(default)]
    pub sources: BTreeMap<String, String>,
    /// Members of the source distribution, in place of those that are made or beside them; an empty
    /// text takes one away, and one that begins with `@hooks` begins with the hooks of the demo
    /// world's own build system.
    #[serde(default)]
    pub archive: BTreeMap<String, String>,
}

impl World {
    /// The world that is built in.
    ///
    /// # Errors
    /// When `world.toml` does not describe one; a test reads it.
    pub fn built_in() -> Result<Self, String> {
        World::parse(include_str!("../world.toml"))
    }

    /// A world of a description.
    ///
    /// # Errors
    /// When the text does not describe one.
    pub fn parse(text: &str) -> Result<Self, String> {
        toml::from_str(text).map_err(|e| e.to_string())
    }
}

impl Release {
    /// Its requirements, those of extras with their marker.
    pub fn requirements(&self, project: &Project) -> Vec<String> {
        let mut all = self.needs.clone().unwrap_or_else(|| project.needs.clone());
        for (extra, needs) in &self.extras {
            for need in needs {
                let (requirement, marker) = need
                    .split_once(';')
                    .map_or((need.as_str(), None), |(r, m)| (r, Some(m.trim())));
                let also = marker.map_or(String::new(), |m| format!("({m}) and "));
                all.push(format!("{requirement}; {also}extra == '{extra}'"));
            }
        }
        all
    }

    /// What describes its variants, all of them or one: the namespaces in the order in which they
    /// are first named count most first.
    pub fn described(&self, only: Option<&str>) -> Value {
        let mut namespaces: Vec<&str> = Vec::new();
        let mut variants = Map::new();
        for (label, properties) in &self.variants {
            let mut features = Map::new();
            for property in properties {
                let mut parts = property.split(" :: ");
                let mut part = || parts.next().unwrap_or_default();
                let (namespace, feature, value) = (part(), part(), part());
                if !namespaces.contains(&namespace) {
                    namespaces.push(namespace);
                }
                let own = features.entry(namespace).or_insert_with(|| json!({}));
                let known = own[feature].as_array().cloned().unwrap_or_default();
                let values = known.into_iter().chain([json!(value)]).collect();
                own[feature] = Value::Array(values);
            }
            if only.is_none_or(|o| o == label) {
                variants.insert(label.clone(), Value::Object(features));
            }
        }
        json!({"default-priorities": {"namespace": namespaces}, "variants": variants})
    }

    /// Requires-Python.
    pub fn python<'a>(&'a self, project: &'a Project) -> Option<&'a str> {
        self.python.as_deref().or(project.python.as_deref())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::str::FromStr;

    #[test]
    fn the_world_is_consistent() {
        let world = World::built_in().unwrap();
        assert!(
            (25..=80).contains(&world.projects.len()),
            "{}",
            world.projects.len()
        );
        let names: Vec<&str> = world.projects.iter().map(|p| p.name.as_str()).collect();
        for project in &world.projects {
            let dates: Vec<&str> = project.releases.iter().map(|r| r.date.as_str()).collect();
            assert!(dates.is_sorted(), "{}: {dates:?}", project.name);
            for release in &project.releases {
                eutaxis_core::Version::from_str(&release.version).unwrap();
                for need in release.requirements(project) {
                    let requirement = eutaxis_core::Requirement::parse(&need).unwrap();
                    assert!(
                        names.contains(&requirement.name.as_str()),
                        "{} needs {need}",
                        project.name
                    );
                }
            }
        }
    }
}
