//! `checks/core.rs`, `log`.
#![no_main]

#[path = "../checks/core.rs"]
mod core;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| self::core::log(bytes));
