//! Facts of ELF, Mach-O and PE files.
#![no_main]

use eutaxis_core::binary::{highest, is_binary, read};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let _ = is_binary(bytes);
    if let Ok(parts) = read(bytes) {
        for part in parts {
            let _ = (
                part.python_abi("pkg/_core.so"),
                highest(&part.versions, "GLIBC"),
            );
        }
    }
});
