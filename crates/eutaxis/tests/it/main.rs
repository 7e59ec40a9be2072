//! The built program, driven over files in temporary folders. One module per subject; `field` is the harness.

mod bad_input;
mod demo;
mod field;
mod furnish;
mod interpreters;
mod killed;
mod settle;
mod survey;
mod targets;
