//! Where a module can be imported.

use eutaxis_world::environment::snapshot::Spot;

/// A place that was looked into.
#[derive(Debug)]
pub(crate) struct Row {
    pub(crate) spot: Spot,
    /// What starts it here: `python3`, or nothing.
    pub(crate) bare_names: Vec<String>,
    /// It is the one that code runs with here, unless told otherwise.
    pub(crate) default: bool,
    /// What is to be said of it.
    pub(crate) note: String,
}

pub(crate) fn is_found(spot: &Spot) -> bool {
    spot.found.is_some() || spot.built_in
}
