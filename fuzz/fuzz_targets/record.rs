//! RECORD: what is read is written and read again as the same.
#![no_main]

use eutaxis_core::artifact::Record;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Ok(record) = Record::parse(bytes) {
        let again = Record::parse(record.write().as_bytes()).expect("what was written can be read");
        assert_eq!(again.lines.len(), record.lines.len());
    }
});
