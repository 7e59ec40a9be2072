//! The processor of a machine: its level within its architecture, by the flags that Linux tells.

use std::io::Read;
use std::path::Path;

use eutaxis_core::targets::{Accelerators, Level, Platform, System};
use eutaxis_core::{Target, knowledge};

use crate::Result;
use crate::interpreter::Facts;

/// No more of the kernel's list is read: the flags of the first processor stand at its beginning.
const MOST: u64 = 1 << 16;

/// The level of the processor, where levels are told apart and the system tells the flags: only
/// Linux does in a file.
pub fn level(root: &Path, platform: &Platform) -> Option<&'static str> {
    if !matches!(platform.system, System::Linux(_)) {
        return None;
    }
    let file = std::fs::File::open(root.join("proc/cpuinfo")).ok()?;
    let mut bytes = Vec::new();
    file.take(MOST).read_to_end(&mut bytes).ok()?;
    let text = String::from_utf8_lossy(&bytes);
    let mut lines = text.lines().filter_map(|l| l.split_once(':'));
    let is_flags = |key: &str| matches!(key.trim(), "flags" | "Features");
    let (_, flags) = lines.find(|(key, _)| is_flags(key))?;
    let flags: Vec<&str> = flags.split_whitespace().collect();
    knowledge::level_of(platform.arch(), &flags)
}

/// The target that an interpreter of this machine is with these accelerators: with the level that was
/// found, which is no part of what it is called.
///
/// # Errors
/// As [`Facts::target`].
pub fn target_of(root: &Path, facts: &Facts, accelerators: Accelerators) -> Result<Target> {
    let mut target = facts.target(accelerators)?;
    target.platform.level = level(root, &target.platform).map(Level::found);
    Ok(target)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::x86(
        "linux x86_64",
        "processor : 0\nflags\t\t: fpu cx16 lahf_lm popcnt pni sse4_1 sse4_2 ssse3\nbugs : x\n",
        Some("v2")
    )]
    #[case::arm(
        "linux aarch64",
        "Features\t: fp asimd atomics asimdrdm crc32\n",
        Some("8.1a")
    )]
    #[case::other("linux armv7l", "Features\t: neon\n", None)]
    #[case::no_flags("linux x86_64", "processor : 0\n", None)]
    #[case::windows("windows x86_64", "flags : fpu\n", None)]
    fn the_flags_tell_the_level(
        #[case] platform: &str,
        #[case] text: &str,
        #[case] expected: Option<&str>,
    ) {
        let root = tempfile::tempdir().unwrap();
        std::fs::create_dir(root.path().join("proc")).unwrap();
        std::fs::write(root.path().join("proc/cpuinfo"), text).unwrap();
        let target = Target::parse(&format!("3.12 / {platform}")).unwrap();
        assert_eq!(level(root.path(), &target.platform), expected);
    }
}
