//! Causes held against what is there: the environment, the target, the depots.

use eutaxis_core::diagnose::Cause;
use eutaxis_world::Error;

use super::Found;
use crate::cli::Diagnose;
use crate::output::Output;
use crate::plan::Surroundings;

/// All causes with their words, and why something could not be checked.
pub(super) fn all(
    causes: &[Cause],
    _arguments: &Diagnose,
    surroundings: &Surroundings,
    _output: &Output,
) -> Result<(Vec<Found>, Vec<String>), Error> {
    let found = causes.iter().map(|cause| Found {
        told: cause.told(&surroundings.config.causes),
        cause: cause.clone(),
        checked: Vec::new(),
    });
    Ok((found.collect(), Vec::new()))
}
