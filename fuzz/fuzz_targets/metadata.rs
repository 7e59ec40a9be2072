//! `checks/core.rs`, `metadata`.
#![no_main]

#[path = "../checks/core.rs"]
mod core;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| self::core::metadata(bytes));
