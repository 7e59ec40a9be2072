//! What must hold of any archive, as `assay` and `furnish` look into it: its faults are answers,
//! no errors, and nothing is written beside it.

use std::path::Path;

use eutaxis_core::Target;
use eutaxis_core::assay::{Contents, assay};
use eutaxis_world::assay::look_into;

/// An archive with its entries, in a folder of its own.
pub(crate) fn wheel(bytes: &[u8], folder: &Path) {
    let target = Target::parse("cpython 3.11 / linux x86_64 glibc 2.35").expect("a target");
    let path = folder.join("firnio-1.0-cp311-cp311-manylinux_2_28_x86_64.whl");
    std::fs::write(&path, bytes).expect("a file");
    let looked = look_into(&path, &target, None).expect("faults of a wheel are no errors");
    if let Ok(name) = &looked.name {
        let contents = Contents {
            name,
            metadata: looked.metadata.as_ref(),
            variants: looked
                .variants
                .as_ref()
                .map(|v| v.as_ref().map_err(String::as_str)),
            carried: &looked.carried,
        };
        let _ = assay(&contents, &target);
    }
    assert_eq!(std::fs::read_dir(folder).map(Iterator::count).ok(), Some(1));
}
