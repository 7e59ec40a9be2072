//! The built program, driven over files in temporary folders. One module per subject; `field` is
//! the harness.

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::wildcard_enum_match_arm
)]

mod accelerators;
mod adjust;
mod assay;
mod bad_input;
#[cfg(unix)]
mod build;
mod builds;
mod check;
mod chronology;
mod clash;
mod demo;
mod depots;
mod diagnose;
mod examine;
mod facts;
mod field;
mod furnish;
mod gather;
#[cfg(unix)]
mod guarded;
mod help;
mod here;
mod house;
mod hut;
mod interpreters;
mod joint;
mod judged;
mod killed;
mod lists;
mod locate;
mod mended;
mod metadata;
mod network;
mod own;
mod pages;
mod parts;
mod proofread;
mod prove;
mod provoked;
mod question;
mod reason;
mod rehearse;
mod schema;
mod secrets;
mod settings;
mod settle;
mod shortlist;
mod sources;
mod span;
mod standard;
mod stock;
mod survey;
mod targets;
mod trees;
mod trouble;
mod trust;
mod typed;
mod variants;
mod within;
mod words;
