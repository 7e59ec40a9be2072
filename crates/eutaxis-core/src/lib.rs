//! The computation of Eutaxis.
//!
//! Values and bytes in, values and bytes out: this crate opens no file, starts no process, asks no clock and prints
//! nothing. It reads the small grammars of Python packaging, ranks wheels for a target, turns index pages into offers,
//! searches a set of releases that fits together, and writes it down as pins.
//!
//! The way through: [`requirement`] and [`target`] describe what is wanted and where; [`index`] pages become
//! [`offer`]s; [`solve`] chooses; [`pins`] writes down.

pub mod fault;
pub mod name;
pub mod version;

pub use name::Name;
pub use version::{Specifier, SpecifierSet, Version};
