//! `checks/core.rs`, `record`.
#![no_main]

#[path = "../checks/core.rs"]
#[allow(dead_code, reason = "each target calls one of them")]
mod core;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| self::core::record(bytes));
