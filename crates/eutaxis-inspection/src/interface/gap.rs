//! What an import runs into.

use eutaxis_standards::fault::escaped;
use eutaxis_standards::knowledge::Lacking;

/// Something that is taken and is not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Gap {
    /// The project that takes it, by its place in the list of the set.
    pub taker: usize,
    /// Its module.
    pub module: String,
    /// That module's file, as it was given to the set.
    pub file: String,
    /// The line, from 1.
    pub line: u32,
    /// What is not there.
    pub lack: Lack,
    /// The module whose import leads there.
    pub root: String,
    /// That one is asked for.
    pub asked: bool,
}

/// What is not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lack {
    /// A module that no project of the set brings.
    Module {
        /// The first part of its name that is not there.
        module: String,
        /// The project that has the package it would be in.
        owner: Option<usize>,
    },
    /// A name that a module does not have.
    Name {
        /// The module.
        module: String,
        /// The name.
        name: String,
        /// The project that has the module.
        owner: usize,
    },
    /// A module of the interpreter's own library, or a name of one, that its series lacks.
    Standard {
        /// The module.
        module: String,
        /// The name; none when the module itself is lacking.
        name: Option<String>,
        /// How it is lacking.
        how: Lacking,
    },
}

impl Gap {
    /// What is taken, where, and why it is not there, in a sentence without final stop; `names` are
    /// the projects of the set with their releases.
    pub fn told(&self, names: &[String]) -> String {
        let at = format!("({}:{})", escaped(&self.file), self.line);
        let name = |project: &usize| names.get(*project).map_or("its project", String::as_str);
        match &self.lack {
            Lack::Name {
                module,
                name: taken,
                owner,
            } if *owner == self.taker => {
                format!("takes {taken} from {module} {at}, which does not have it")
            }
            Lack::Name {
                module,
                name: taken,
                owner,
            } => format!(
                "takes {taken} from {module} {at}; {} does not have it",
                name(owner)
            ),
            Lack::Module { module, owner } => match owner {
                Some(owner) if *owner == self.taker => {
                    format!("imports {module} {at}, a part of its own that it does not have")
                }
                Some(owner) => format!("imports {module} {at}; {} does not have it", name(owner)),
                None => format!("imports {module} {at}, which nothing in the set brings"),
            },
            Lack::Standard { module, name, how } => {
                let what = match name {
                    Some(name) => format!("takes {name} from {module}"),
                    None => format!("imports {module}"),
                };
                format!("{what} {at}, {how}")
            }
        }
    }

    /// The name at the top of the module that is lacking, or that lacks something.
    pub fn lack_top(&self) -> String {
        let (Lack::Module { module, .. }
        | Lack::Name { module, .. }
        | Lack::Standard { module, .. }) = &self.lack;
        module.split('.').next().unwrap_or(module).to_owned()
    }

    /// Whether a module is lacking, and not a name of one.
    pub fn is_of_module(&self) -> bool {
        matches!(
            self.lack,
            Lack::Module { .. } | Lack::Standard { name: None, .. }
        )
    }

    /// The project in which something is lacking; none when that is the interpreter, or nobody.
    pub fn owner(&self) -> Option<usize> {
        match &self.lack {
            Lack::Module { owner, .. } => *owner,
            Lack::Name { owner, .. } => Some(*owner),
            Lack::Standard { .. } => None,
        }
    }
}
