//! What one module gives and takes, as its source says.

use serde::{Deserialize, Serialize};

/// What a module gives, and what it takes from others when it is imported.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Module {
    /// Names that some branch of it binds at its top level, in order.
    pub names: Vec<String>,
    /// Why it may give names that are not told; none when they are all told.
    pub open: Option<Open>,
    /// What it takes whatever happens, in the order of its lines.
    pub takes: Vec<Take>,
    /// Modules that it may make, or exchange for something else, by their names; none for any
    /// (`sys.modules`).
    pub makes: Vec<Option<String>>,
    /// Names that it sets in modules that it imports.
    pub sets: Vec<String>,
    /// It changes where modules are looked for (`sys.path`, `__path__`).
    pub moves_path: bool,
    /// It brings a finder of its own (`sys.meta_path`, `sys.path_hooks`); the modules that this may
    /// find, as far as its texts name them.
    pub finds: Option<Vec<String>>,
}

/// Why a module may give names that its source does not tell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Open {
    /// It takes all names of another.
    Star,
    /// It answers for names by a function of its own (PEP 562).
    Answers,
    /// It writes into its own names, or stands for another object.
    Writes,
    /// It runs text as code.
    Executes,
    /// Its source cannot be read in whole.
    Unread,
    /// It is compiled, or comes without source.
    Compiled,
}

/// A module, or a name of one, that is taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Take {
    /// The module: from this many packages up, 0 for a name in full (PEP 328).
    pub level: u8,
    /// Its name, in full or from that package on.
    pub module: String,
    /// What is taken of it, each of the one before; empty when it is only imported.
    pub path: Vec<String>,
    /// The line, from 1.
    pub line: u32,
    /// How.
    pub how: How,
}

/// How something is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum How {
    /// `import module`.
    Import,
    /// `from module import name`: also a module within the package.
    From,
    /// `module.name`, where it is evaluated.
    Use,
    /// The same in an annotation: evaluated before 3.14 (PEP 649).
    Annotation,
}

impl Module {
    /// Of what has no source.
    pub fn compiled() -> Self {
        Module {
            open: Some(Open::Compiled),
            ..Module::default()
        }
    }

    /// Whether it binds a name, as far as its source says.
    pub fn gives(&self, name: &str) -> bool {
        self.names
            .binary_search_by(|n| n.as_str().cmp(name))
            .is_ok()
    }
}

impl Take {
    /// The module's name in full, taken by a module of the package `package`; none when that leads
    /// out of all packages.
    pub fn absolute(&self, package: &str) -> Option<String> {
        if self.level == 0 {
            return Some(self.module.clone());
        }
        let mut base = package;
        for _ in 1..self.level {
            base = base.rsplit_once('.')?.0;
        }
        if base.is_empty() {
            return None;
        }
        Some(if self.module.is_empty() {
            base.to_owned()
        } else {
            format!("{base}.{}", self.module)
        })
    }
}
