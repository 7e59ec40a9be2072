//! The project that brings a module, and how that is known.

use eutaxis_core::Name;

/// A project that brings a module, and how that is known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Bringing {
    pub(crate) project: Name,
    /// The releases that do, where the newest does not: `<82`.
    pub(crate) bound: Option<String>,
    pub(crate) shown: Shown,
}

/// How it is known who brings a module.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Shown {
    /// The files of its newest release for the target have it.
    Files,
    /// It usually does: it is one of the well-known pairs.
    Usually,
    /// It bears the module's name, and its files could not be read.
    Named,
}

impl Bringing {
    /// What is told where the name of a module was asked for as that of a project.
    pub(crate) fn instead_of(&self, name: &Name) -> String {
        format!(
            "ask for {}: no depot has {name}, and {}",
            self.ask(),
            self.told("the module of that name")
        )
    }

    /// As it is asked for: `mast-tools<3`.
    pub(crate) fn ask(&self) -> String {
        format!(
            "{}{}",
            self.project,
            self.bound.as_deref().unwrap_or_default()
        )
    }

    /// In words: `mast-tools brings it`, `mast-tools usually brings it`.
    pub(crate) fn told(&self, what: &str) -> String {
        let project = &self.project;
        match self.shown {
            Shown::Files if self.bound.is_some() => {
                format!("{} brings {what}, newer ones do not", self.ask())
            }
            Shown::Files => format!("{project} brings {what}"),
            Shown::Usually => format!("{project} usually brings {what}"),
            Shown::Named => format!(
                "{project} bears its name; whether it brings {what} could not be read, for it has \
                    no wheel that runs here"
            ),
        }
    }
}
