//! The place where packages will run (design, section 1): interpreter, platform, and in time an accelerator.

mod interpreter;
mod markers;
mod platform;
mod spec;
mod tags;

use std::fmt;

pub use interpreter::{Implementation, Interpreter};
pub use platform::{Libc, Platform, PlatformMiss, System};
pub use tags::{Rank, TagMiss};

use crate::fault::Fault;
use crate::marker::MarkerValues;

/// A target: everything that decides which files run.
///
/// The accelerator will be a third part beside the two; until then a target has none, and its text form refuses one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The interpreter.
    pub interpreter: Interpreter,
    /// Operating system, userland architecture, C library.
    pub platform: Platform,
    /// Values of the marker variables.
    pub markers: MarkerValues,
}

impl Target {
    /// A planned target: marker values are those that such a machine reports (choice, rule 16).
    pub fn planned(interpreter: Interpreter, platform: Platform) -> Self {
        let markers = markers::planned(&interpreter, &platform);
        Target { interpreter, platform, markers }
    }

    /// Reads the text form: `INTERPRETER / PLATFORM`, as in `cpython 3.9 / linux armv7l glibc 2.31`.
    ///
    /// # Errors
    /// When a part is missing or not understood, with its place.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        spec::target(text)
    }
}

impl fmt::Display for Target {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} / {}", self.interpreter, self.platform)
    }
}
