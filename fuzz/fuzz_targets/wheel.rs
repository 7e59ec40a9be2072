//! `checks/world.rs`, `wheel`.
#![no_main]

#[path = "../checks/world.rs"]
mod world;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let folder = std::env::temp_dir().join(format!("eutaxis-fuzz-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("a folder");
    world::wheel(bytes, &folder);
});
