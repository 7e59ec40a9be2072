//! What this crate does with real files: depots, hostile wheels, environments.

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::wildcard_enum_match_arm
)]

mod depots;
mod environments;
mod fetching;
mod hostile;
mod learning;
mod places;
