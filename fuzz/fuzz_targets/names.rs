//! Names of wheels against a target, and names of entries.
#![no_main]

use eutaxis_core::Target;
use eutaxis_core::artifact::{NameRules, WheelName, unsafe_member};
use eutaxis_core::binary::{module_stem, named_abi};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let target = Target::parse("cpython 3.11 / linux x86_64 glibc 2.35").expect("a target");
    if let Ok(name) = WheelName::parse(text) {
        let _ = (target.rank(&name.tags), target.tag_miss(&name.tags));
    }
    let _ = (
        unsafe_member(text, NameRules::Windows),
        module_stem(text),
        named_abi(text),
    );
});
