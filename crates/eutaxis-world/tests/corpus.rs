//! The fuzz target of archives over the kept corpus (`fuzz/corpus/wheel/`), whole and damaged.

#![allow(clippy::expect_used)]

#[path = "../../../fuzz/checks/damaged.rs"]
mod damaged;
#[path = "../../../fuzz/checks/world.rs"]
mod world;

#[test]
fn whatever_an_archive_holds_is_an_answer() {
    let folder = tempfile::tempdir().expect("a folder");
    for (name, bytes) in damaged::all("wheel") {
        let held = std::panic::catch_unwind(|| world::wheel(&bytes, folder.path()));
        assert!(held.is_ok(), "{name}");
    }
}
