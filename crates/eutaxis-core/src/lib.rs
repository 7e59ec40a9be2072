//! The computation of Eutaxis.
//!
//! Values and bytes in, values and bytes out: this crate opens no file, starts no process, asks no
//! clock and prints nothing. It reads the small grammars of Python packaging, ranks wheels for a
//! target, turns index pages into offers, searches a set of releases that fits together, and writes
//! it down as pins.
//!
//! The way through: [`requirement`] and [`targets`] describe what is wanted and where; [`index`]
//! pages become [`offer`]s; [`solve`] chooses; [`pins`] writes down.

pub mod artifact;
pub mod assay;
pub mod binary;
mod day;
pub mod diagnose;
pub mod document;
pub mod examine;
pub mod fault;
pub mod index;
pub mod knowledge;
pub mod marker;
pub mod name;
pub mod offer;
pub mod pins;
pub mod proofread;
pub mod record;
pub mod rehearse;
pub mod requirement;
pub mod severity;
pub mod solve;
pub mod span;
mod system;
pub mod targets;
pub mod version;

pub use day::day;
pub use marker::{Marker, MarkerValues};
pub use name::Name;
pub use requirement::{Ask, Requirement};
pub use targets::Target;
pub use version::{Specifier, Version, VersionSpecifier};
