//! Logs of any bytes, in pieces: no panic, no endless loop, and every cause has words.
#![no_main]

use eutaxis_core::diagnose::{Context, Reader};
use eutaxis_core::knowledge::{Causes, Families, Libraries};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let (families, libraries) = (Families::built_in(), Libraries::built_in());
    let context = Context {
        families: &families,
        libraries: &libraries,
        distributions: &[],
    };
    let causes = Causes::built_in();
    let mut reader = Reader::new(&causes, &context);
    bytes.chunks(61).for_each(|piece| reader.read(piece));
    for cause in reader.finish().causes {
        assert!(!cause.told(&causes).title.is_empty());
    }
});
