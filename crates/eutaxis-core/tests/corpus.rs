//! The fuzz targets' functions over the kept corpus (`fuzz/corpus/`), whole and damaged.

#![allow(clippy::expect_used)]

#[path = "../../../fuzz/checks/core.rs"]
mod core;
#[path = "../../../fuzz/checks/damaged.rs"]
mod damaged;

use rstest::rstest;

#[rstest]
#[case::binary("binary", self::core::binary)]
#[case::record("record", self::core::record)]
#[case::metadata("metadata", self::core::metadata)]
#[case::names("names", self::core::names)]
#[case::log("log", self::core::log)]
fn whatever_is_read_stops_nothing(#[case] target: &str, #[case] check: fn(&[u8])) {
    for (name, bytes) in damaged::all(target) {
        let held = std::panic::catch_unwind(|| check(&bytes));
        assert!(held.is_ok(), "{name}");
    }
}
