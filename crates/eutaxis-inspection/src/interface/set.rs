//! The modules of a set of projects, by the names of their files.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_standards::name::is_identifier;

/// What lies under a module's name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Located {
    /// The project, by its place in the list of the set.
    pub project: usize,
    /// The file, as it was given; of a package without a file, its folder.
    pub file: String,
    /// What it is.
    pub form: Form,
    /// Other projects bring the same file.
    pub several: bool,
}

/// What a module is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Form {
    /// A folder without a file of its own (PEP 420).
    Namespace,
    /// A file of source.
    Source,
    /// Something without source.
    Compiled,
    /// A package, by its file of source.
    Package,
}

/// The modules of a set of projects.
#[derive(Debug, Clone, Default)]
pub struct Set {
    modules: BTreeMap<String, Located>,
    /// For each project, all parts of its paths: under these it may carry copies of others.
    parts: Vec<BTreeSet<String>>,
    /// Projects that run something when the interpreter starts (`.pth`).
    starting: BTreeSet<usize>,
    /// Names at the top that are there and belong to no project of the set.
    others: BTreeSet<String>,
    /// Whether what is outside of the set is not known at all.
    pub open: bool,
}

impl Set {
    /// An empty set of so many projects.
    pub fn new(projects: usize) -> Self {
        Set {
            parts: vec![BTreeSet::new(); projects],
            ..Set::default()
        }
    }

    /// Adds a file of a project, by its path from the folder of modules on, with slashes.
    pub fn add(&mut self, project: usize, path: &str) {
        if let Some(parts) = self.parts.get_mut(project) {
            for part in path.split('/') {
                let stem = part.split('.').next().unwrap_or(part);
                if !parts.contains(stem) {
                    parts.insert(stem.to_owned());
                }
            }
        }
        if path.ends_with(".pth") && !path.contains('/') {
            self.starting.insert(project);
            return;
        }
        let Some((module, form)) = module_of(path) else {
            return;
        };
        let mut parent = module.as_str();
        while let Some((above, _)) = parent.rsplit_once('.') {
            let folder = above.replace('.', "/");
            self.put(above.to_owned(), project, folder, Form::Namespace);
            parent = above;
        }
        self.put(module, project, path.to_owned(), form);
    }

    fn put(&mut self, module: String, project: usize, file: String, form: Form) {
        let new = Located {
            project,
            file,
            form,
            several: false,
        };
        match self.modules.get_mut(&module) {
            None => {
                self.modules.insert(module, new);
            }
            // A package goes before what is compiled, that before a file (importlib, FileFinder).
            Some(known) if known.form < form => *known = new,
            Some(known) => {
                let twin = known.form == form && form != Form::Namespace;
                known.several |= twin && known.project != project;
            }
        }
    }

    /// Names at the top that can be imported and belong to no project of the set.
    pub fn beside(&mut self, names: impl IntoIterator<Item = String>) {
        self.others.extend(names);
    }

    /// What lies under a name.
    pub fn get(&self, module: &str) -> Option<&Located> {
        self.modules.get(module)
    }

    /// Whether a name at the top is there outside of the set, or may be.
    pub(super) fn is_beside(&self, top: &str) -> bool {
        self.open || self.others.contains(top)
    }

    /// Whether a project has something of this name among the parts of its paths.
    pub(super) fn carries(&self, project: usize, name: &str) -> bool {
        self.parts.get(project).is_some_and(|p| p.contains(name))
    }

    /// Modules at the top of projects that run something when the interpreter starts.
    pub(super) fn started(&self) -> impl Iterator<Item = &str> {
        let tops = self.modules.iter().filter(|(name, _)| !name.contains('.'));
        tops.filter(|(_, at)| self.starting.contains(&at.project))
            .map(|(name, _)| name.as_str())
    }

    /// Modules that users import of a project: at the top, and in packages without a file of their
    /// own.
    pub fn public(&self, project: usize) -> Vec<String> {
        let is_shallow = |name: &str| match name.split_once('.') {
            None => true,
            Some((top, rest)) => {
                !rest.contains('.') && self.get(top).is_some_and(|t| t.form == Form::Namespace)
            }
        };
        let of_project = self.modules.iter().filter(|(name, at)| {
            at.project == project && at.form != Form::Namespace && is_shallow(name)
        });
        let public = of_project.filter(|(name, _)| name.split('.').all(is_public));
        public.map(|(name, _)| name.clone()).collect()
    }

    /// All modules of a project but tests and the like.
    pub fn all(&self, project: usize) -> Vec<String> {
        let of_project = self.modules.iter().filter(|(name, at)| {
            at.project == project && at.form != Form::Namespace && name.split('.').all(is_public)
        });
        of_project.map(|(name, _)| name.clone()).collect()
    }
}

/// Whether a name is one that users import: no test, example or private part.
pub fn is_public(name: &str) -> bool {
    is_identifier(name) && !name.starts_with('_') && !is_for_makers(name)
}

/// Whether a name is one of tests, examples and the like, which those who make a project use.
pub fn is_for_makers(name: &str) -> bool {
    let names = [
        "test",
        "tests",
        "testing",
        "conftest",
        "setup",
        "examples",
        "docs",
        "benchmarks",
    ];
    names.contains(&name)
        || name.starts_with("test_")
        || name.ends_with("_test")
        || name.ends_with("_tests")
        || name.ends_with("_stubs")
}

/// The module that a file is, by its name; none when it is none.
fn module_of(path: &str) -> Option<(String, Form)> {
    let (folder, file) = path.rsplit_once('/').unwrap_or(("", path));
    // A compiled module bears a tag before its ending (PEP 3149).
    let (stem, form) = if let Some(stem) = file.strip_suffix(".py") {
        (stem, Form::Source)
    } else {
        let ending = [".so", ".pyd", ".pyc"]
            .iter()
            .find(|e| file.ends_with(**e))?;
        let stem = file.strip_suffix(ending)?;
        (stem.split('.').next()?, Form::Compiled)
    };
    let mut parts: Vec<&str> = folder.split('/').filter(|p| !p.is_empty()).collect();
    let form = match (stem, form) {
        ("__init__", Form::Source) => Form::Package,
        ("__init__", other) => other,
        (stem, form) => {
            parts.push(stem);
            form
        }
    };
    let is_module = !parts.is_empty() && parts.iter().all(|p| is_identifier(p));
    is_module.then(|| (parts.join("."), form))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("firn.py", Some(("firn", Form::Source)))]
    #[case("radar/__init__.py", Some(("radar", Form::Package)))]
    #[case("radar/core/fit.py", Some(("radar.core.fit", Form::Source)))]
    #[case("radar/_c.cpython-311-x86_64-linux-gnu.so", Some(("radar._c", Form::Compiled)))]
    #[case("radar/old.pyc", Some(("radar.old", Form::Compiled)))]
    #[case("radar/__init__.pyi", None)]
    #[case("radar/data.json", None)]
    #[case("__init__.py", None)]
    #[case("radar-2.0.dist-info/x.py", None)]
    fn modules_by_files(#[case] path: &str, #[case] expected: Option<(&str, Form)>) {
        let found = module_of(path);
        assert_eq!(found.as_ref().map(|(n, f)| (n.as_str(), *f)), expected);
    }

    #[test]
    fn packages_go_before_files_and_parts_of_namespaces_are_public() {
        let mut set = Set::new(2);
        for (project, path) in [
            (0, "radar.py"),
            (0, "radar/__init__.py"),
            (0, "radar/tests/a.py"),
            (0, "radar/core.py"),
            (1, "camp/logger.py"),
            (1, "camp/_x.py"),
            (1, "test_camp.py"),
        ] {
            set.add(project, path);
        }
        assert_eq!(set.get("radar").unwrap().form, Form::Package);
        assert_eq!(set.public(0), ["radar"]);
        assert_eq!(set.public(1), ["camp.logger"]);
        assert_eq!(set.all(0), ["radar", "radar.core"]);
    }
}
