//! `checks/core.rs`, `names`.
#![no_main]

#[path = "../checks/core.rs"]
mod core;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| self::core::names(bytes));
