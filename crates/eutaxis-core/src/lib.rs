//! The computation of Eutaxis, under one roof.
//!
//! Values and bytes in, values and bytes out: nothing here opens a file, starts a process, asks a
//! clock or prints. Three crates are put together, arrows only downward:
//!
//! - `eutaxis-standards`: [`requirement`]s and [`targets`], [`artifact`]s, [`index`] pages and
//!   [`pins`], each as its standard says;
//! - `eutaxis-choice`: pages become [`offer`]s, [`solve`] chooses;
//! - `eutaxis-inspection`: what a file, an environment or a log tells.
//!
//! Choice and inspection know nothing of each other. The world and the program join them.

pub use eutaxis_choice::{offer, proofread, record, rehearse, solve, span};
pub use eutaxis_inspection::{assay, binary, diagnose, examine, interface, own, remedy, source};
pub use eutaxis_standards::{
    Ask, Marker, MarkerValues, Name, Requirement, Specifier, Target, Version, VersionSpecifier,
    artifact, day, document, evidence, fault, index, knowledge, marker, name, pins, requirement,
    severity, shell, targets, version,
};
