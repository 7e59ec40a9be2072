//! The place where packages will run (docs/house.md): interpreter, platform, accelerators.
//!
//! ```
//! use eutaxis_standards::Target;
//! use eutaxis_standards::artifact::WheelName;
//!
//! let board = Target::parse("cpython 3.9 / linux armv7l glibc 2.31")?;
//! let fits = WheelName::parse("radargram-2.0.3-cp39-cp39-manylinux_2_31_armv7l.whl")?;
//! let newer = WheelName::parse("radargram-2.2.0-cp39-cp39-manylinux_2_35_armv7l.whl")?;
//! assert!(board.rank(&fits.tags).is_some());
//! assert!(board.rank(&newer.tags).is_none());
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod accelerator;
mod interpreter;
mod markers;
mod misfit;
mod platform;
mod spec;
mod tags;
mod variant;

use std::fmt;
use std::sync::Arc;

pub use accelerator::{Accelerator, Accelerators, BuildMiss, BuildOrder, Unserved};
pub use interpreter::{Implementation, Interpreter};
pub use misfit::{LibcHere, Misfit, MisfitKind};
pub use platform::{Level, Platform, PlatformMiss, TagFacts, architectures, describe, no_target};

pub use crate::system::{Libc, System};
pub use tags::{Rank, TagMiss};
pub use variant::{Preference, VariantMiss, VariantOrder};

use crate::fault::Fault;
use crate::knowledge::Families;
use crate::marker::MarkerValues;

/// A target: everything that decides which files run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The interpreter.
    pub interpreter: Interpreter,
    /// Operating system, userland architecture, C library.
    pub platform: Platform,
    /// Accelerators, with the families by which builds for them are told.
    pub accelerators: Accelerators,
    /// Values of the marker variables.
    pub markers: MarkerValues,
}

impl Target {
    /// A planned target: marker values are those that such a machine reports (docs/targets.md).
    pub fn planned(
        interpreter: Interpreter,
        platform: Platform,
        accelerators: Accelerators,
    ) -> Self {
        let markers = markers::planned(&interpreter, &platform);
        Target {
            interpreter,
            platform,
            accelerators,
            markers,
        }
    }

    /// Reads the text form: `INTERPRETER / PLATFORM [/ ACCELERATOR]...`, as in `cpython 3.9 / linux
    /// armv7l glibc 2.31`, with the families of accelerators that are compiled in.
    ///
    /// # Errors
    /// When a part is missing or not understood, with its place.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        Target::parse_with(text, &Families::built_in())
    }

    /// The same with other families.
    ///
    /// # Errors
    /// As [`Target::parse`].
    pub fn parse_with(text: &str, families: &Arc<Families>) -> Result<Self, Fault> {
        spec::target(text, families)
    }

    /// The same place with another interpreter: marker values are those that such a machine
    /// reports.
    #[must_use]
    pub fn with_interpreter(&self, interpreter: Interpreter) -> Self {
        Target::planned(
            interpreter,
            self.platform.clone(),
            self.accelerators.clone(),
        )
    }
}

impl fmt::Display for Target {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} / {}", self.interpreter, self.place())
    }
}

impl Target {
    /// What it is but for the interpreter, as it is written: platform and accelerators.
    pub fn place(&self) -> String {
        let accelerators = self.accelerators.here.iter().map(|a| format!(" / {a}"));
        std::iter::once(self.platform.to_string())
            .chain(accelerators)
            .collect()
    }
}
