//! What machines of other systems than Linux are, by files of their system under a root that stands in
//! for theirs. Their interpreters are not looked for: those of Linux tell of themselves in their
//! programs.

use std::path::Path;

use eutaxis_core::targets::Platform;

use crate::loader::read_binary;
use crate::root::{matching, start_of};

/// Libraries that every Windows has.
const OF_WINDOWS: [&str; 2] = ["ntdll.dll", "kernel32.dll"];
/// Programs that every macOS has.
const OF_MACOS: [&str; 2] = ["bin/ls", "usr/lib/dyld"];

/// The platform of a Windows or macOS machine; none when it is neither, or its files do not tell.
pub fn platform(root: &Path) -> Option<Platform> {
    windows(root).or_else(|| macos(root))
}

fn windows(root: &Path) -> Option<Platform> {
    let system = root.join("Windows/System32");
    let arch = OF_WINDOWS
        .iter()
        .find_map(|library| archs(&system.join(library)).into_iter().next())?;
    Some(Platform::windows(&arch))
}

fn macos(root: &Path) -> Option<Platform> {
    let told = start_of(&root.join("System/Library/CoreServices/SystemVersion.plist"));
    let (_, behind) = told.split_once("<key>ProductVersion</key>")?;
    let (_, behind) = behind.split_once("<string>")?;
    let (version, _) = behind.split_once("</string>")?;
    let mut numbers = version.trim().split('.').map(str::parse);
    let major = numbers.next()?.ok()?;
    let minor = numbers.next().and_then(Result::ok).unwrap_or(0);
    // Programs are for both architectures: the kernel is for one.
    let kernels = matching(root, "System/Library/Kernels/kernel.release.t*");
    let of_programs = OF_MACOS.iter().find_map(|program| {
        let archs = archs(&root.join(program));
        (archs.len() == 1)
            .then(|| archs.into_iter().next())
            .flatten()
    });
    let arch = match (of_programs, kernels.is_empty()) {
        (Some(arch), _) if arch.starts_with("arm64") => "arm64",
        (Some(_), _) | (None, true) => "x86_64",
        (None, false) => "arm64",
    };
    Some(Platform::macos(arch, major, minor))
}

/// The architectures of a compiled file's parts.
fn archs(file: &Path) -> Vec<String> {
    let parts = read_binary(file).unwrap_or_default();
    parts.into_iter().map(|p| p.arch).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn written(files: &[(&str, &str)]) -> Option<String> {
        let root = tempfile::tempdir().unwrap();
        for (path, bytes) in files {
            let path = root.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, bytes).unwrap();
        }
        platform(root.path()).map(|p| p.to_string())
    }

    const VERSION: &str = "System/Library/CoreServices/SystemVersion.plist";
    const PLIST: &str = "<plist><dict>\n<key>ProductName</key>\n<string>x</string>\n\
        <key>ProductVersion</key>\n<string>14.5</string>\n</dict></plist>";

    #[rstest]
    #[case::nothing(&[], None)]
    #[case::no_library(&[("Windows/System32/ntdll.dll", "MZ")], None)]
    #[case::macos(&[(VERSION, PLIST)], Some("macos x86_64 14.5"))]
    #[case::macos_of_arm(&[(VERSION, PLIST), ("System/Library/Kernels/kernel.release.t8103", "")], Some("macos arm64 14.5"))]
    #[case::without_version(&[(VERSION, "<key>ProductVersion</key>")], None)]
    fn system_files_tell_the_platform(
        #[case] files: &[(&str, &str)],
        #[case] expected: Option<&str>,
    ) {
        assert_eq!(written(files).as_deref(), expected);
    }
}
