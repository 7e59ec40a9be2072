//! Telling what an import ran into, by the signs that `diagnose` knows.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::diagnose::Context;
use eutaxis_core::examine::Attempt;
use eutaxis_core::knowledge::Causes;
use eutaxis_world::config::Config;
use eutaxis_world::root::{distribution, root};

use super::contents::Contents;
use super::failure::Failure;

/// The signs, and what they are held against.
pub(crate) struct Signs<'a> {
    config: &'a Config,
    causes: Arc<Causes>,
    distributions: Vec<String>,
    /// Of the interpreter that imports.
    series: (u64, u64),
}

impl<'a> Signs<'a> {
    /// On this machine, for an interpreter of a series.
    pub(crate) fn of(config: &'a Config, series: (u64, u64)) -> Self {
        Signs {
            config,
            causes: config.causes(),
            distributions: distribution(&root()),
            series,
        }
    }

    /// What an import ran into, in an environment with its modules in this folder.
    pub(crate) fn failure(&self, attempt: &Attempt, contents: &Contents, site: &Path) -> Failure {
        let context = Context {
            families: &self.config.families,
            libraries: &self.config.libraries,
            distributions: &self.distributions,
        };
        Failure::of_attempt(attempt, contents, site, self.series, &self.causes, &context)
    }
}
