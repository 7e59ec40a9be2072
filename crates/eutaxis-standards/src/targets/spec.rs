//! The text form of targets: parts joined by ` / `.
//!
//! ```text
//! target      = interpreter '/' platform {'/' accelerator}
//! interpreter = ('cpython' | 'pypy' | 'graalpy') version ['t']  |  version ['t']
//! platform    = ('linux' arch ['kernel' arch] [('glibc' | 'musl') major.minor | 'static'] | 'macos' arch [major[.minor]] | 'windows' arch) ['level' name]
//! ```

use std::sync::Arc;

use super::{Accelerators, Implementation, Interpreter, Level, Libc, Platform, Target};
use crate::fault::{Fault, FaultKind, escaped};
use crate::knowledge::{Families, level_place, levels};
use crate::name::nearest;
use crate::version::Version;

/// What a Linux is taken for when its C library is not named: the oldest that today's wheels are
/// commonly built for.
const USUAL_GLIBC: Libc = Libc::Glibc(2, 17);
/// What a macOS is taken for when its version is not named: the first for both of today's
/// architectures.
const USUAL_MACOS: (u32, u32) = (11, 0);

const LINUX_ARCHS: [&str; 10] = [
    "x86_64",
    "i686",
    "aarch64",
    "armv7l",
    "armv6l",
    "ppc64le",
    "s390x",
    "riscv64",
    "loongarch64",
    "ppc64",
];

pub(super) fn target(text: &str, families: &Arc<Families>) -> Result<Target, Fault> {
    let Some((interpreter_text, rest)) = text.split_once('/') else {
        let fault = Fault::new(
            format!(
                "a target is INTERPRETER / PLATFORM, not `{}`",
                escaped(text)
            ),
            0,
        );
        return Err(fault.hint("for example \"cpython 3.9 / linux armv7l glibc 2.31\""));
    };
    let at = interpreter_text.len() + 1;
    let (platform_text, accelerators) = match rest.split_once('/') {
        None => (rest, Accelerators::none(Arc::clone(families))),
        Some((platform, text)) => {
            let behind = at + platform.len() + 1;
            (
                platform,
                Accelerators::parse(text, families).map_err(|f| f.shifted(behind))?,
            )
        }
    };
    let interpreter = Interpreter::parse(interpreter_text)?;
    let platform = Platform::parse(platform_text).map_err(|f| f.shifted(at))?;
    Ok(Target::planned(interpreter, platform, accelerators))
}

impl Interpreter {
    /// Reads the interpreter part of a target: `cpython 3.12`, `pypy 3.10`, `3.13t`.
    ///
    /// # Errors
    /// When the implementation is unknown or the version names no series.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let words: Vec<&str> = text.split_whitespace().collect();
        let (implementation, version) = match words.as_slice() {
            [version] => ("cpython", *version),
            [name, version] => (*name, *version),
            _ => {
                let fault = Fault::new(
                    format!(
                        "an interpreter is `cpython VERSION` or `pypy VERSION`, not `{}`",
                        escaped(text.trim())
                    ),
                    0,
                );
                return Err(fault.hint("for example `cpython 3.12`"));
            }
        };
        let implementation = match implementation.to_ascii_lowercase().as_str() {
            "cpython" | "python" => Implementation::Cpython,
            "pypy" => Implementation::Pypy,
            // Wheels that depend on no ABI: its own ABI tags bear numbers of the implementation.
            "graalpy" => Implementation::Other("graalpy".to_owned()),
            other => {
                return Err(Fault::of(
                    FaultKind::Unknown,
                    format!("`{}` is not an interpreter", escaped(other)),
                    0,
                )
                .hint("write cpython, pypy or graalpy"));
            }
        };
        let (number, free_threaded) = match version.strip_suffix('t') {
            Some(number) => (number, true),
            None => (version, false),
        };
        Interpreter::planned(implementation, &Version::parse(number)?, free_threaded)
    }
}

impl Platform {
    /// Reads the platform part of a target: `linux aarch64 glibc 2.28`, `macos arm64 14.0`,
    /// `windows x86_64`; behind it, `level v3`.
    ///
    /// # Errors
    /// When the system or architecture is unknown, or a version is not one.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let words: Vec<&str> = text.split_whitespace().collect();
        let lower: Vec<String> = words.iter().map(|w| w.to_ascii_lowercase()).collect();
        let lower: Vec<&str> = lower.iter().map(String::as_str).collect();
        let (words, level) = match lower.as_slice() {
            [before @ .., "level", level] => (before, Some(*level)),
            all => (all, None),
        };
        let mut platform = Self::of_words(words, text)?;
        if let Some(level) = level {
            let arch = platform.arch();
            if level_place(arch, level).is_none() {
                let known: Vec<&str> = levels(arch).collect();
                let fault = Fault::of(
                    FaultKind::Unknown,
                    format!("`{}` is no level of {arch} processors", escaped(level)),
                    0,
                );
                return Err(match known.is_empty() {
                    true => fault.hint(format!("levels of {arch} are not told apart")),
                    false => fault.hint(format!("known are {}", known.join(", "))),
                });
            }
            platform.level = Some(Level::stated(level));
        }
        Ok(platform)
    }

    /// The platform without its level.
    fn of_words(words: &[&str], text: &str) -> Result<Self, Fault> {
        match words {
            ["linux", arch, rest @ ..] => {
                ensure_arch(arch, &LINUX_ARCHS)?;
                let (machine, rest) = match rest {
                    ["kernel", machine, rest @ ..] => {
                        ensure_arch(machine, &LINUX_ARCHS)?;
                        (*machine, rest)
                    }
                    rest => (*arch, rest),
                };
                let libc = match rest {
                    ["static"] => Libc::Static,
                    [] => USUAL_GLIBC,
                    ["glibc", version] => two_numbers(version).map(|(a, b)| Libc::Glibc(a, b))?,
                    ["musl", version] => two_numbers(version).map(|(a, b)| Libc::Musl(a, b))?,
                    _ => {
                        return Err(Fault::of(
                            FaultKind::Unknown,
                            format!("`{}` is not a C library", escaped(&rest.join(" "))),
                            0,
                        )
                        .hint("write `glibc 2.31` or `musl 1.2`"));
                    }
                };
                let bits = if matches!(*arch, "i686" | "armv7l" | "armv6l") {
                    32
                } else {
                    64
                };
                let platform = Platform::linux(machine, bits, libc);
                if !platform.takes_arch(arch) {
                    return Err(Fault::of(
                        FaultKind::Other,
                        format!("a {machine} kernel runs no {arch} programs"),
                        0,
                    )
                    .hint("leave `kernel` out when it is that of the programs"));
                }
                Ok(platform)
            }
            ["macos", arch, rest @ ..] => {
                ensure_arch(arch, &["arm64", "x86_64"])?;
                let (major, minor) = match rest {
                    [] => USUAL_MACOS,
                    [version] => two_numbers(version)?,
                    _ => {
                        return Err(Fault::of(
                            FaultKind::Unknown,
                            format!("`{}` is not a version of macOS", escaped(&rest.join(" "))),
                            0,
                        ));
                    }
                };
                Ok(Platform::macos(arch, major, minor))
            }
            ["windows", arch] => {
                ensure_arch(
                    arch,
                    &["x86_64", "amd64", "x86", "i686", "arm64", "aarch64"],
                )?;
                Ok(Platform::windows(arch))
            }
            [] => Err(Fault::of(FaultKind::Absent, "the platform is missing", 0)
                .hint("for example `linux x86_64 glibc 2.35`")),
            _ => {
                let fault = Fault::new(
                    format!(
                        "a platform is SYSTEM ARCHITECTURE [VERSION], not `{}`",
                        escaped(text.trim())
                    ),
                    0,
                );
                Err(fault.hint("systems are linux, macos and windows"))
            }
        }
    }
}

fn ensure_arch(arch: &str, known: &[&str]) -> Result<(), Fault> {
    if known.contains(&arch) {
        return Ok(());
    }
    let fault = Fault::of(
        FaultKind::Unknown,
        format!("`{}` is not an architecture of that system", escaped(arch)),
        0,
    );
    Err(match nearest(arch, known.iter().copied(), 1).first() {
        Some(near) => fault.hint(format!("did you mean `{near}`?")),
        None => fault.hint(format!("known are {}", known.join(", "))),
    })
}

fn two_numbers(text: &str) -> Result<(u32, u32), Fault> {
    let (major, minor) = text.split_once('.').unwrap_or((text, "0"));
    // Vendors append text to the minor: only its leading digits count. The bounds keep hostile
    // numbers out of sums.
    let digits = minor.bytes().take_while(u8::is_ascii_digit).count();
    let small = |t: &str| t.parse::<u32>().ok().filter(|n| *n < 1000);
    let numbers = small(major).zip(small(minor.get(..digits).unwrap_or("")));
    numbers.ok_or_else(|| {
        Fault::new(
            format!("`{}` is not a version such as 2.31", escaped(text)),
            0,
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(
        "cpython 3.9.2 / linux armv7l glibc 2.31",
        "cpython 3.9.2 / linux armv7l glibc 2.31"
    )]
    #[case("cpython 3.12.4/windows amd64", "cpython 3.12.4 / windows x86_64")]
    #[case(
        "CPython 3.13.0t / macos arm64 14",
        "cpython 3.13.0t / macos arm64 14.0"
    )]
    #[case(
        "pypy 3.10.14 / linux x86_64 musl 1.2",
        "pypy 3.10.14 / linux x86_64 musl 1.2"
    )]
    #[case(
        "3.9.2 / linux armv7l kernel aarch64 glibc 2.31",
        "cpython 3.9.2 / linux armv7l kernel aarch64 glibc 2.31"
    )]
    #[case(
        "3.9.2 / linux i686 kernel x86_64",
        "cpython 3.9.2 / linux i686 kernel x86_64 glibc 2.17"
    )]
    #[case(
        "graalpy 3.11.7 / linux x86_64",
        "graalpy 3.11.7 / linux x86_64 glibc 2.17"
    )]
    #[case("3.9.2 / linux x86_64 static", "cpython 3.9.2 / linux x86_64 static")]
    #[case(
        "3.12.4 / linux x86_64 glibc 2.35 level v3 / cuda",
        "cpython 3.12.4 / linux x86_64 glibc 2.35 level v3 / cuda"
    )]
    #[case(
        "3.12.4 / macos arm64 14 level 8.5a",
        "cpython 3.12.4 / macos arm64 14.0 level 8.5a"
    )]
    #[case(
        "3.12.4 / windows x86_64 level v2",
        "cpython 3.12.4 / windows x86_64 level v2"
    )]
    #[case(
        "3.14.0rc1 / linux aarch64",
        "cpython 3.14.0rc1 / linux aarch64 glibc 2.17"
    )]
    #[case(
        "cpython 3.11.2 / linux x86_64/ CUDA driver 535.54 toolkit 12.1",
        "cpython 3.11.2 / linux x86_64 glibc 2.17 / cuda toolkit 12.1 driver 535.54"
    )]
    #[case(
        "cpython 3.11.2 / linux x86_64 / cuda / rocm",
        "cpython 3.11.2 / linux x86_64 glibc 2.17 / cuda / rocm"
    )]
    #[case(
        "cpython 3.11.2 / linux x86_64 / none",
        "cpython 3.11.2 / linux x86_64 glibc 2.17"
    )]
    fn targets_are_read(#[case] given: &str, #[case] shown: &str) {
        let target = Target::parse(given).unwrap();
        assert_eq!(target.to_string(), shown);
        assert_eq!(Target::parse(shown).unwrap(), target);
    }

    #[test]
    fn a_series_stands_for_its_newest_patch() {
        let target = Target::parse("cpython 3.8 / linux x86_64").unwrap();
        assert_eq!(&*target.markers.python_full_version, "3.8.20");
        let windows = Target::parse("cpython 3.8 / windows x86_64").unwrap();
        assert_eq!(
            (
                &*windows.markers.platform_machine,
                &*windows.markers.os_name
            ),
            ("AMD64", "nt")
        );
    }

    #[rstest]
    #[case("cpython 3.9", "INTERPRETER / PLATFORM")]
    #[case("3.12 / linux x86_64 level v7", "is no level of x86_64 processors")]
    #[case("3.12 / linux armv7l level v1", "is no level of armv7l processors")]
    #[case("3.12 / linux x86_64 glibc 2.35 level", "is not a C library")]
    #[case("snake 2.7 / linux x86_64", "is not an interpreter")]
    #[case("cpython 3 / linux x86_64", "names no series")]
    #[case("cpython 3.12t / linux x86_64", "no free-threaded build")]
    #[case("cpython 3.4294967295 / linux x86_64", "there is no interpreter")]
    #[case("cpython 12.1 / linux x86_64", "there is no interpreter")]
    #[case("cpython 3.12 / linux", "SYSTEM ARCHITECTURE")]
    #[case("cpython 3.12 / linux armv7l kernel x86_64", "runs no armv7l programs")]
    #[case("cpython 3.12 / linux arm7l", "did you mean `armv7l`?")]
    #[case("cpython 3.12 / linux x86_64 uclibc 1", "C library")]
    #[case("cpython 3.12 / linux x86_64 glibc two", "not a version")]
    #[case("cpython 3.12 / linux x86_64 glibc 2.99999999999", "not a version")]
    #[case("cpython 3.12 / plan9 x86_64", "SYSTEM ARCHITECTURE")]
    #[case(
        "cpython 3.12 / linux x86_64 / nordglim toolkit 4.1",
        "family of accelerators"
    )]
    fn bad_targets_are_refused(#[case] given: &str, #[case] part: &str) {
        let fault = Target::parse(given).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
    }

    proptest! {
        #[test]
        fn no_text_makes_the_reader_panic(text in "[a-z0-9 ./]{0,40}") {
            let _ = Target::parse(&text);
        }
    }
}
