//! Archives with their entries, as `assay` and `furnish` look into them.
#![no_main]

use eutaxis_core::Target;
use eutaxis_core::assay::{Contents, assay};
use eutaxis_world::assay::look_into;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let target = Target::parse("cpython 3.11 / linux x86_64 glibc 2.35").expect("a target");
    let folder = std::env::temp_dir().join(format!("eutaxis-fuzz-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("a folder");
    let path = folder.join("firnio-1.0-cp311-cp311-manylinux_2_28_x86_64.whl");
    std::fs::write(&path, bytes).expect("a file");
    let looked = look_into(&path, &target, None).expect("faults of a wheel are no errors");
    if let Ok(name) = &looked.name {
        let _ = assay(
            &Contents {
                name,
                metadata: looked.metadata.as_ref(),
                carried: &looked.carried,
            },
            &target,
        );
    }
});
