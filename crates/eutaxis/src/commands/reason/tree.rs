//! `--tree`: the whole set as a tree, from what is asked; or one project in both directions.

use std::collections::BTreeSet;

use eutaxis_core::Name;
use eutaxis_core::pins::{Lock, Package};

use super::needs::Needs;
use crate::answer::reason::{Branch, Tree};

/// The trees of a lock; of one project who asks for it, and what it needs.
pub(super) fn of(lock: &Lock, project: Option<&Name>, depth: usize) -> Tree {
    let needs = Needs::of(lock);
    let grower = Grower {
        lock,
        needs: &needs,
        depth,
    };
    match project {
        None => Tree {
            project: None,
            askers: Vec::new(),
            branches: grower.of_asks(),
        },
        Some(name) => Tree {
            project: Some(name.to_string()),
            askers: grower.askers(name, &mut vec![name.clone()], &mut BTreeSet::new()),
            branches: grower.needs(name, &mut vec![name.clone()], &mut BTreeSet::new()),
        },
    }
}

/// What grows below a project.
#[derive(Clone, Copy)]
enum Below {
    Needs,
    Askers,
}

struct Grower<'a> {
    lock: &'a Lock,
    needs: &'a Needs,
    depth: usize,
}

impl Grower<'_> {
    fn package(&self, name: &Name) -> Option<&Package> {
        self.lock.packages.iter().find(|p| p.name == *name)
    }

    fn branch(&self, package: &Package, requirement: &str, by: Option<&str>) -> Branch {
        Branch {
            project: package.name.to_string(),
            version: package.version.clone(),
            requirement: requirement.to_owned(),
            by: by.map(str::to_owned),
            is_seen: false,
            is_cut: false,
            branches: Vec::new(),
        }
    }

    /// What the user asks for, each with all below it.
    fn of_asks(&self) -> Vec<Branch> {
        let mut seen = BTreeSet::new();
        let mut roots = Vec::new();
        for package in &self.lock.packages {
            let asked = self.needs.askers(&package.name);
            let own = asked
                .iter()
                .filter(|(by, _)| self.needs.asker(by).is_none());
            for (by, requirement) in own {
                let mut root = self.branch(package, requirement, Some(by));
                root.is_seen = !seen.insert(package.name.clone());
                if !root.is_seen {
                    let mut way = vec![package.name.clone()];
                    root.branches = self.needs(&package.name, &mut way, &mut seen);
                }
                roots.push(root);
            }
        }
        roots
    }

    /// What a project needs, and what that needs. What was shown before is not shown again.
    fn needs(&self, name: &Name, way: &mut Vec<Name>, seen: &mut BTreeSet<Name>) -> Vec<Branch> {
        let mut found = Vec::new();
        for package in &self.lock.packages {
            let asked = self.needs.askers(&package.name);
            let of_it = |(by, _): &&(String, String)| self.needs.asker(by).as_ref() == Some(name);
            let Some((_, requirement)) = asked.iter().find(of_it) else {
                continue;
            };
            found.push(self.grown(package, requirement, way, seen, Below::Needs));
        }
        found
    }

    /// Who asks for a project, and who asks for those.
    fn askers(&self, name: &Name, way: &mut Vec<Name>, seen: &mut BTreeSet<Name>) -> Vec<Branch> {
        let Some(package) = self.package(name) else {
            return Vec::new();
        };
        let mut found = Vec::new();
        for (by, requirement) in self.needs.askers(&package.name).iter().cloned() {
            match self.needs.asker(&by).and_then(|n| self.package(&n)) {
                Some(asker) => {
                    found.push(self.grown(asker, &requirement, way, seen, Below::Askers));
                }
                None => found.push(Branch {
                    project: "you".to_owned(),
                    version: None,
                    requirement,
                    by: Some(by),
                    is_seen: false,
                    is_cut: false,
                    branches: Vec::new(),
                }),
            }
        }
        found
    }

    fn grown(
        &self,
        package: &Package,
        requirement: &str,
        way: &mut Vec<Name>,
        seen: &mut BTreeSet<Name>,
        below: Below,
    ) -> Branch {
        let mut one = self.branch(package, requirement, None);
        // Projects may need each other in a circle.
        one.is_seen = way.contains(&package.name) || seen.contains(&package.name);
        if one.is_seen {
            return one;
        }
        one.is_cut = way.len() >= self.depth;
        if !one.is_cut {
            seen.insert(package.name.clone());
            way.push(package.name.clone());
            one.branches = match below {
                Below::Needs => self.needs(&package.name, way, seen),
                Below::Askers => self.askers(&package.name, way, seen),
            };
            way.pop();
        }
        one
    }
}
