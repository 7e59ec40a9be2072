//! The built program, driven over files in temporary folders. One module per subject; `field` is the harness.

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod bad_input;
mod demo;
mod field;
mod furnish;
mod interpreters;
mod killed;
mod settle;
mod survey;
mod targets;
mod words;
