//! Levels of processors within an architecture (`knowledge/processors.toml`).

use std::sync::LazyLock;

use serde::Deserialize;

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    level: Vec<Level>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Level {
    arch: String,
    name: String,
    flags: Vec<String>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/processors.toml")).unwrap_or_default()
});

/// The levels of an architecture by name, the lowest first; none where levels are not told apart.
pub fn levels(arch: &str) -> impl Iterator<Item = &'static str> {
    // macOS and Windows have another word for the same processors.
    let arch = if arch == "arm64" { "aarch64" } else { arch };
    let mine = FILE.level.iter().filter(move |l| l.arch == arch);
    mine.map(|l| l.name.as_str())
}

/// The place of a level among those of its architecture; a higher one runs what is for a lower one.
pub fn level_place(arch: &str, name: &str) -> Option<usize> {
    levels(arch).position(|l| l == name)
}

/// The level of a processor with these flags, as Linux tells them; none where levels are not told
/// apart, or no flag is told.
pub fn level_of(arch: &str, flags: &[&str]) -> Option<&'static str> {
    if flags.is_empty() {
        return None;
    }
    let mine = FILE.level.iter().filter(|l| l.arch == arch);
    let has_all = |l: &&Level| l.flags.iter().all(|f| flags.contains(&f.as_str()));
    mine.take_while(has_all).last().map(|l| l.name.as_str())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn the_file_is_read() {
        assert_eq!(
            levels("x86_64").collect::<Vec<_>>(),
            ["v1", "v2", "v3", "v4"]
        );
        assert!(levels("arm64").count() > 5 && levels("armv7l").count() == 0);
        assert!(level_place("x86_64", "v3") > level_place("x86_64", "v2"));
        assert_eq!(level_place("x86_64", "8.1a"), None);
    }

    const V2: &str = "fpu sse2 cx16 lahf_lm popcnt pni sse4_1 sse4_2 ssse3";

    #[rstest]
    #[case::first("x86_64", "fpu sse2", Some("v1"))]
    #[case::second("x86_64", V2, Some("v2"))]
    #[case::a_gap("x86_64", "avx avx2 bmi1 bmi2 f16c fma abm movbe xsave", Some("v1"))]
    #[case::arm("aarch64", "fp asimd atomics asimdrdm crc32 dcpop", Some("8.2a"))]
    #[case::nothing_told("x86_64", "", None)]
    #[case::no_levels("armv7l", "neon vfpv4", None)]
    fn flags_tell_the_level(
        #[case] arch: &str,
        #[case] flags: &str,
        #[case] expected: Option<&str>,
    ) {
        let flags: Vec<&str> = flags.split_whitespace().collect();
        assert_eq!(level_of(arch, &flags), expected);
    }
}
