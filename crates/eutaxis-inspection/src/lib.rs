//! Telling what runs, and what broke.
//!
//! [`binary`] reads what a compiled file is and needs, from its first bytes to its symbol versions.
//! [`assay`] says on which targets a wheel runs and what it promises wrongly; [`examine`] looks over
//! an environment, as a snapshot that somebody else took; [`diagnose`] reads the log of an
//! installation, build or import and tells the causes, the root first; [`own`] holds one's own code
//! against what is placed.
//!
//! Nothing is solved here: what would mend a finding is told as a value
//! ([`remedy::Remedy`]), and whoever can solve carries it out. No file, network, process or clock is
//! touched.

pub mod assay;
pub mod binary;
pub mod diagnose;
pub mod examine;
mod grammar;
pub mod interface;
pub mod own;
pub mod remedy;
pub mod source;
