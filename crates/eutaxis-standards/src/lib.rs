//! The standards of Python packaging as values.
//!
//! Names, versions, markers, requirements, tags and the places they speak of, artifacts, index
//! pages and lock files are read from bytes and written to bytes, each as its standard says
//! (`docs/standards.md`). Beside them stands what the standards take for known and do not say: the
//! plain facts of `knowledge/*.toml` on interpreters, system libraries and accelerators.
//!
//! Nothing is chosen here and nothing is judged but whether a file fits a place. No file, network,
//! process or clock is touched.
//!
//! ```
//! use eutaxis_standards::artifact::WheelName;
//! use eutaxis_standards::{Requirement, Target};
//!
//! let wanted = Requirement::parse("firnio >=1.2,<2; python_version >= '3.9'")?;
//! let wheel = WheelName::parse("firnio-1.3-cp312-cp312-manylinux_2_28_aarch64.whl")?;
//! assert!(wanted.versions().is_some_and(|set| set.matches(&wheel.version)));
//! let board = Target::parse("cpython 3.12 / linux aarch64 glibc 2.27")?;
//! let why = board.misfits([&wheel.tags]);
//! assert_eq!(why[0].to_string(), "needs glibc 2.28, here 2.27");
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

pub mod artifact;
mod day;
pub mod document;
pub mod evidence;
pub mod fault;
mod hashes;
pub mod index;
pub mod knowledge;
pub mod marker;
pub mod name;
pub mod pins;
pub mod requirement;
pub mod severity;
pub mod shell;
mod system;
pub mod targets;
pub mod version;

pub use day::day;
pub use marker::{Marker, MarkerValues};
pub use name::Name;
pub use requirement::{Ask, Requirement};
pub use targets::Target;
pub use version::{Specifier, Version, VersionSpecifier};
