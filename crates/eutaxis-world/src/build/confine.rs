//! What a build may not do, where the kernel lets a process give it up: writing outside its folders,
//! and the network over TCP.

use std::path::PathBuf;

/// Takes the rights, that to the network where it is not left, from the thread that calls it, and from all that it starts. Whether writing
/// outside is forbidden from now on.
#[cfg(target_os = "linux")]
pub(super) fn confine(folders: &[PathBuf], network: bool) -> bool {
    use landlock::{
        ABI, Access, AccessFs, AccessNet, PathBeneath, PathFd, Ruleset, RulesetAttr,
        RulesetCreatedAttr, RulesetStatus,
    };
    // Devices that programs write to wherever they run.
    const DEVICES: [&str; 6] = [
        "/dev/null",
        "/dev/zero",
        "/dev/full",
        "/dev/tty",
        "/dev/shm",
        "/dev/pts",
    ];
    let writing = AccessFs::from_write(ABI::V3);
    let offline = |rules: Ruleset| match network {
        true => Ok(rules),
        false => rules.handle_access(AccessNet::from_all(ABI::V4)),
    };
    let begun = Ruleset::default()
        .handle_access(writing)
        .and_then(offline)
        .and_then(Ruleset::create);
    let Ok(mut rules) = begun else { return false };
    let devices = DEVICES.iter().map(PathBuf::from);
    for path in folders.iter().cloned().chain(devices) {
        let Ok(opened) = PathFd::new(&path) else {
            continue;
        };
        // A file has no rights that only folders have.
        let rights = if path.is_dir() {
            writing
        } else {
            AccessFs::WriteFile | AccessFs::Truncate
        };
        match rules.add_rule(PathBeneath::new(opened, rights)) {
            Ok(more) => rules = more,
            Err(_) => return false,
        }
    }
    rules
        .restrict_self()
        .is_ok_and(|status| status.ruleset != RulesetStatus::NotEnforced)
}

/// Takes the rights: this system has no way.
#[cfg(not(target_os = "linux"))]
pub(super) fn confine(_: &[PathBuf], _: bool) -> bool {
    false
}
