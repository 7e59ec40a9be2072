//! What an import runs into.

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
