//! METADATA, WHEEL, entry points, and requirements of the older form.
#![no_main]

use eutaxis_core::artifact::{EntryPoints, Metadata, WheelInfo};
use eutaxis_core::examine::legacy_requirements;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let _ = WheelInfo::parse(bytes);
    let _ = EntryPoints::parse(bytes);
    let _ = legacy_requirements(&String::from_utf8_lossy(bytes));
    if let Ok(metadata) = Metadata::parse(bytes) {
        let again =
            Metadata::parse(metadata.to_text().as_bytes()).expect("what was written can be read");
        assert_eq!(
            (again.name, again.version),
            (metadata.name, metadata.version)
        );
    }
});
