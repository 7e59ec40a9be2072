//! The platform of a target, and the place of a platform tag in its best-first list (PEP 600;
//! platform compatibility tags).
//!
//! The list is never made: the place of a tag is computed from its numbers.

use std::fmt;

use crate::system::{Libc, System};

/// Operating system and userland architecture of a target.
#[derive(Debug, Clone)]
pub struct Platform {
    /// The operating system.
    pub system: System,
    /// Architectures as tags name them, best first; one but for 32-bit ARM programs on a 64-bit
    /// kernel.
    archs: Vec<String>,
    /// The kernel's word for the processor.
    machine: String,
    /// The level of the processor, where it is known.
    pub level: Option<Level>,
}

/// The level of a processor within its architecture: `v3`, `8.2a`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Level {
    /// Its name.
    pub name: String,
    /// The target states it; else it was found on the machine, and is no part of what the target is
    /// called.
    pub is_stated: bool,
}

impl Level {
    /// A level that a target states.
    pub fn stated(name: &str) -> Self {
        Level {
            name: name.to_owned(),
            is_stated: true,
        }
    }

    /// One that was found on a machine.
    pub fn found(name: &str) -> Self {
        Level {
            is_stated: false,
            ..Level::stated(name)
        }
    }
}

impl Platform {
    /// The level that the target states.
    fn stated_level(&self) -> Option<&str> {
        let level = self.level.as_ref().filter(|l| l.is_stated)?;
        Some(&level.name)
    }
}

impl PartialEq for Platform {
    fn eq(&self, other: &Self) -> bool {
        let all = |p: &Self| {
            (
                p.system,
                p.machine.clone(),
                p.stated_level().map(str::to_owned),
            )
        };
        all(self) == all(other) && self.archs == other.archs
    }
}

impl Eq for Platform {}

/// Why a platform tag does not fit.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum PlatformMiss {
    /// Everything fits but the C library (or the operating system) is too old: what is needed.
    TooOld {
        /// `glibc`, `musl` or `macOS`.
        what: &'static str,
        /// The version that the file needs.
        needs: (u32, u32),
        /// The version that the target has.
        here: (u32, u32),
    },
    /// The file is for the other C library.
    OtherLibc(&'static str),
    /// The file is for this architecture, which is not the target's.
    OtherArch(String),
    /// The file is for this operating system.
    OtherSystem(&'static str),
    /// The tag is not one that is known.
    Unknown(String),
}

/// Legacy aliases: name, equal glibc minor, architectures (PEP 513, 571, 599).
const ALIASES: [(&str, u32, &[&str]); 3] = [
    ("manylinux1", 5, &["x86_64", "i686"]),
    ("manylinux2010", 12, &["x86_64", "i686"]),
    (
        "manylinux2014",
        17,
        &[
            "x86_64", "i686", "aarch64", "armv7l", "ppc64", "ppc64le", "s390x",
        ],
    ),
];

/// Fat formats of macOS and what they hold.
const FAT: [(&str, &[&str]); 7] = [
    ("universal2", &["arm64", "x86_64"]),
    ("intel", &["i386", "x86_64"]),
    ("fat", &["i386", "ppc"]),
    ("fat3", &["i386", "ppc", "x86_64"]),
    ("fat32", &["i386", "ppc", "x86_64"]),
    ("fat64", &["ppc64", "x86_64"]),
    ("universal", &["i386", "ppc", "ppc64", "x86_64"]),
];

impl Platform {
    /// A Linux platform. `machine` is the kernel's word; `bits` those of the interpreter: 32-bit
    /// programs on a 64-bit kernel take 32-bit files (PEP 425, platform tag).
    pub fn linux(machine: &str, bits: u32, libc: Libc) -> Self {
        let archs: Vec<&str> = match (machine, bits) {
            ("x86_64", 32) | ("i386" | "i486" | "i586", _) => vec!["i686"],
            ("aarch64", 32) => vec!["armv8l", "armv7l"],
            ("armv8l", _) => vec!["armv8l", "armv7l"],
            _ => vec![machine],
        };
        let archs = archs.into_iter().map(str::to_owned).collect();
        Platform {
            system: System::Linux(libc),
            archs,
            machine: machine.to_owned(),
            level: None,
        }
    }

    /// A macOS platform; `arch` is what the process runs as.
    pub fn macos(arch: &str, major: u32, minor: u32) -> Self {
        Platform {
            system: System::Macos(major, minor),
            archs: vec![arch.to_owned()],
            machine: arch.to_owned(),
            level: None,
        }
    }

    /// A Windows platform: `x86_64`, `i686` or `aarch64`, in any of their usual names.
    pub fn windows(arch: &str) -> Self {
        let (arch, machine) = match arch.to_ascii_lowercase().as_str() {
            "x86_64" | "amd64" => ("x86_64".to_owned(), "AMD64".to_owned()),
            "i686" | "x86" | "win32" | "i386" => ("i686".to_owned(), "x86".to_owned()),
            "aarch64" | "arm64" => ("aarch64".to_owned(), "ARM64".to_owned()),
            other => (other.to_owned(), other.to_owned()),
        };
        Platform {
            system: System::Windows,
            archs: vec![arch],
            machine,
            level: None,
        }
    }

    /// The userland's architecture, as tags commonly name it.
    pub fn arch(&self) -> &str {
        self.archs.last().map_or("", String::as_str)
    }

    /// Whether its programs are of an architecture.
    pub(super) fn takes_arch(&self, arch: &str) -> bool {
        self.archs.iter().any(|a| a == arch)
    }

    /// Whether its programs load compiled files of an architecture. Such files do not tell
    /// generations of 32-bit ARM with floating point apart.
    pub fn loads_arch(&self, arch: &str) -> bool {
        self.takes_arch(arch) || (arch == "armv7l" && self.arch().starts_with("armv"))
    }

    /// The kernel's word for the processor, as `platform_machine` in markers.
    pub fn machine(&self) -> &str {
        &self.machine
    }

    /// How many platform tags fit.
    pub fn count(&self) -> u32 {
        let archs = self.archs.len() as u32;
        match self.system {
            System::Windows => 1,
            System::Linux(Libc::Static) => archs,
            System::Linux(Libc::Musl(_, minor)) => archs * (minor + 2),
            System::Linux(Libc::Glibc(major, minor)) => {
                self.archs
                    .iter()
                    .map(|a| glibc_before(major, minor, a, None))
                    .sum::<u32>()
                    + archs
            }
            System::Macos(major, minor) => self.macos_count(major, minor),
        }
    }

    /// The place of a tag in the best-first list, if it is in it.
    pub fn index(&self, tag: &str) -> Option<u32> {
        match self.system {
            System::Windows => (tag == self.windows_tag()).then_some(0),
            System::Linux(libc) => self.linux_index(tag, libc),
            System::Macos(major, minor) => self.macos_index(tag, major, minor),
        }
    }

    /// The tags in their order, best first.
    pub fn tags(&self) -> Vec<String> {
        match self.system {
            System::Windows => vec![self.windows_tag().to_owned()],
            System::Linux(libc) => self.linux_tags(libc),
            System::Macos(major, minor) => self.macos_tags(major, minor),
        }
    }

    /// Why a tag that is not in the list does not fit.
    pub fn miss(&self, tag: &str) -> PlatformMiss {
        let theirs = describe(tag);
        let same_arch = |arch: &str| self.archs.iter().any(|a| a == arch);
        match (theirs, self.system) {
            (None, _) => match no_target(tag) {
                Some(system) => PlatformMiss::OtherSystem(system),
                None => PlatformMiss::Unknown(tag.to_owned()),
            },
            (Some(TagFacts::Windows(_)), System::Linux(_) | System::Macos(..)) => {
                PlatformMiss::OtherSystem("Windows")
            }
            (Some(TagFacts::Macos(..)), System::Linux(_) | System::Windows) => {
                PlatformMiss::OtherSystem("macOS")
            }
            (Some(TagFacts::Linux { .. }), System::Windows | System::Macos(..)) => {
                PlatformMiss::OtherSystem("Linux")
            }
            (Some(TagFacts::Windows(arch)), _) => PlatformMiss::OtherArch(arch.to_owned()),
            (
                Some(TagFacts::Macos(major, minor, format)),
                System::Macos(here_major, here_minor),
            ) => {
                if (major, minor) > (here_major, here_minor) && self.formats().contains(&format) {
                    PlatformMiss::TooOld {
                        what: "macOS",
                        needs: (major, minor),
                        here: (here_major, here_minor),
                    }
                } else {
                    PlatformMiss::OtherArch(format.to_owned())
                }
            }
            (Some(TagFacts::Linux { libc, arch }), System::Linux(here)) => {
                if !same_arch(arch) {
                    return PlatformMiss::OtherArch(arch.to_owned());
                }
                match (libc, here) {
                    (Some(Libc::Glibc(a, b)), Libc::Glibc(x, y)) => PlatformMiss::TooOld {
                        what: "glibc",
                        needs: (a, b),
                        here: (x, y),
                    },
                    (Some(Libc::Musl(a, b)), Libc::Musl(x, y)) => PlatformMiss::TooOld {
                        what: "musl",
                        needs: (a, b),
                        here: (x, y),
                    },
                    (Some(Libc::Glibc(..)), _) => PlatformMiss::OtherLibc("glibc"),
                    (Some(Libc::Musl(..)), _) => PlatformMiss::OtherLibc("musl"),
                    _ => PlatformMiss::Unknown(tag.to_owned()),
                }
            }
        }
    }

    fn windows_tag(&self) -> &'static str {
        match self.arch() {
            "i686" => "win32",
            "aarch64" => "win_arm64",
            _ => "win_amd64",
        }
    }

    fn linux_index(&self, tag: &str, libc: Libc) -> Option<u32> {
        let archs = self.archs.len() as u32;
        if let Some(arch) = tag.strip_prefix("linux_") {
            return Some(self.count() - archs + self.arch_index(arch)?);
        }
        match (describe(tag)?, libc) {
            (
                TagFacts::Linux {
                    libc: Some(Libc::Glibc(major, minor)),
                    arch,
                },
                Libc::Glibc(here_major, here_minor),
            ) => {
                let place = self.arch_index(arch)?;
                if major != here_major || minor > here_minor || minor < glibc_floor(major, arch) {
                    return None;
                }
                let alias = u32::from(!tag.starts_with("manylinux_"));
                // The lists of several architectures follow each other.
                let before: u32 = self
                    .archs
                    .iter()
                    .take(place as usize)
                    .map(|a| glibc_before(here_major, here_minor, a, None))
                    .sum();
                Some(before + glibc_before(here_major, here_minor, arch, Some(minor)) + alias)
            }
            (
                TagFacts::Linux {
                    libc: Some(Libc::Musl(major, minor)),
                    arch,
                },
                Libc::Musl(here_major, here_minor),
            ) => {
                let place = self.arch_index(arch)?;
                (major == here_major && minor <= here_minor)
                    .then(|| place * (here_minor + 1) + here_minor - minor)
            }
            _ => None,
        }
    }

    fn arch_index(&self, arch: &str) -> Option<u32> {
        self.archs.iter().position(|a| a == arch).map(|i| i as u32)
    }

    fn linux_tags(&self, libc: Libc) -> Vec<String> {
        let mut tags = Vec::new();
        for arch in &self.archs {
            match libc {
                Libc::Glibc(major, minor) => {
                    for y in (glibc_floor(major, arch)..=minor).rev() {
                        tags.push(format!("manylinux_{major}_{y}_{arch}"));
                        tags.extend(
                            alias_of(major, y, arch).map(|alias| format!("{alias}_{arch}")),
                        );
                    }
                }
                Libc::Musl(major, minor) => tags.extend(
                    (0..=minor)
                        .rev()
                        .map(|y| format!("musllinux_{major}_{y}_{arch}")),
                ),
                Libc::Static => {}
            }
        }
        tags.extend(self.archs.iter().map(|arch| format!("linux_{arch}")));
        tags
    }

    /// The formats of macOS that hold this architecture, best first.
    fn formats(&self) -> &'static [&'static str] {
        match self.arch() {
            "x86_64" => &[
                "x86_64",
                "intel",
                "fat3",
                "fat64",
                "universal2",
                "universal",
            ],
            "arm64" => &["arm64", "universal2"],
            "i386" => &["i386", "intel", "fat", "fat3", "universal"],
            "ppc" => &["ppc", "fat", "fat3", "universal"],
            "ppc64" => &["ppc64", "fat64", "universal"],
            _ => &[],
        }
    }

    /// The formats that fit before macOS 11: for arm64, which began there, only the fat one.
    fn old_formats(&self) -> &'static [&'static str] {
        if self.arch() == "arm64" {
            &["universal2"]
        } else {
            self.formats()
        }
    }

    /// The minors of macOS 10 that fit, newest and oldest.
    fn ten_range(&self, major: u32, minor: u32) -> Option<(u32, u32)> {
        match major {
            0..=9 => None,
            10 => Some((minor, if self.arch().starts_with("ppc") { 0 } else { 4 })),
            _ => Some((16, 4)),
        }
        .filter(|(newest, oldest)| newest >= oldest)
    }

    fn macos_count(&self, major: u32, minor: u32) -> u32 {
        let new = major.saturating_sub(10) * self.formats().len() as u32;
        let old = self
            .ten_range(major, minor)
            .map_or(0, |(newest, oldest)| newest - oldest + 1);
        new + old * self.old_formats().len() as u32
    }

    fn macos_index(&self, tag: &str, major: u32, minor: u32) -> Option<u32> {
        let Some(TagFacts::Macos(tag_major, tag_minor, format)) = describe(tag) else {
            return None;
        };
        let place = |formats: &[&str]| formats.iter().position(|f| *f == format).map(|i| i as u32);
        if tag_major >= 11 {
            // From 11 on the minor is 0 by convention; another one is read as a minimum.
            let fits =
                (tag_major, tag_minor) <= (major, minor) || (tag_minor == 0 && tag_major <= major);
            let at = place(self.formats())?;
            return fits.then(|| (major - tag_major) * self.formats().len() as u32 + at);
        }
        let (newest, oldest) = self.ten_range(major, minor)?;
        if tag_major != 10 || tag_minor > newest || tag_minor < oldest {
            return None;
        }
        let before = major.saturating_sub(10) * self.formats().len() as u32;
        Some(
            before
                + (newest - tag_minor) * self.old_formats().len() as u32
                + place(self.old_formats())?,
        )
    }

    fn macos_tags(&self, major: u32, minor: u32) -> Vec<String> {
        let mut tags = Vec::new();
        for m in (11..=major).rev() {
            tags.extend(self.formats().iter().map(|f| format!("macosx_{m}_0_{f}")));
        }
        if let Some((newest, oldest)) = self.ten_range(major, minor) {
            for m in (oldest..=newest).rev() {
                tags.extend(
                    self.old_formats()
                        .iter()
                        .map(|f| format!("macosx_10_{m}_{f}")),
                );
            }
        }
        tags
    }
}

/// The oldest glibc minor that tags of an architecture name.
fn glibc_floor(major: u32, arch: &str) -> u32 {
    match (major, arch) {
        (2, "x86_64" | "i686") => 5,
        (2, _) => 17,
        _ => 0,
    }
}

fn alias_of(major: u32, minor: u32, arch: &str) -> Option<&'static str> {
    ALIASES
        .iter()
        .find(|(_, m, archs)| major == 2 && *m == minor && archs.contains(&arch))
        .map(|(alias, _, _)| *alias)
}

/// How many tags of an architecture stand before glibc `until` (none: all of them).
fn glibc_before(major: u32, here: u32, arch: &str, until: Option<u32>) -> u32 {
    let floor = glibc_floor(major, arch);
    let above = |minor: u32| until.is_none_or(|u| minor > u);
    let plain = match until {
        Some(until) => here - until,
        None => (here + 1).saturating_sub(floor),
    };
    let aliases = ALIASES
        .iter()
        .filter(|(_, m, _)| *m <= here && above(*m) && alias_of(major, *m, arch).is_some())
        .count();
    plain + aliases as u32
}

/// What a platform tag says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TagFacts<'a> {
    /// Linux, with the C library that the tag promises, if it does.
    Linux {
        /// The C library, and the lowest version.
        libc: Option<Libc>,
        /// The architecture.
        arch: &'a str,
    },
    /// macOS: the lowest version, and the format.
    Macos(u32, u32, &'a str),
    /// Windows, with the architecture.
    Windows(&'static str),
}

/// The architectures that a format of macOS stands for; of a plain one itself.
pub fn architectures(format: &str) -> Vec<&str> {
    FAT.iter()
        .find(|(f, _)| *f == format)
        .map_or_else(|| vec![format], |(_, parts)| parts.to_vec())
}

/// The system of a tag that no target here has: PEP 730, 738, and 783 (draft).
pub fn no_target(tag: &str) -> Option<&'static str> {
    const SYSTEMS: [(&str, &str); 5] = [
        ("ios_", "iOS"),
        ("android_", "Android"),
        ("pyodide_", "WebAssembly"),
        ("pyemscripten_", "WebAssembly"),
        ("emscripten_", "WebAssembly"),
    ];
    let mut all = SYSTEMS.iter();
    all.find(|(prefix, _)| tag.starts_with(prefix))
        .map(|(_, system)| *system)
}

/// Reads a platform tag; `any` and unknown ones give none.
pub fn describe(tag: &str) -> Option<TagFacts<'_>> {
    match tag {
        "win32" => return Some(TagFacts::Windows("x86")),
        "win_amd64" => return Some(TagFacts::Windows("x86_64")),
        "win_arm64" => return Some(TagFacts::Windows("arm64")),
        _ => {}
    }
    for (alias, minor, _) in ALIASES {
        if let Some(arch) = tag.strip_prefix(alias).and_then(|t| t.strip_prefix('_')) {
            let known = alias_of(2, minor, arch).is_some();
            return known.then_some(TagFacts::Linux {
                libc: Some(Libc::Glibc(2, minor)),
                arch,
            });
        }
    }
    if let Some(arch) = tag.strip_prefix("linux_") {
        return Some(TagFacts::Linux { libc: None, arch });
    }
    let (family, rest) = tag.split_once('_')?;
    let (major, rest) = rest.split_once('_')?;
    let (minor, arch) = rest.split_once('_')?;
    let (major, minor) = (major.parse().ok()?, minor.parse().ok()?);
    match family {
        "manylinux" => Some(TagFacts::Linux {
            libc: Some(Libc::Glibc(major, minor)),
            arch,
        }),
        "musllinux" => Some(TagFacts::Linux {
            libc: Some(Libc::Musl(major, minor)),
            arch,
        }),
        "macosx"
            if FAT.iter().any(|(f, _)| *f == arch)
                || ["x86_64", "arm64", "i386", "ppc", "ppc64"].contains(&arch) =>
        {
            Some(TagFacts::Macos(major, minor, arch))
        }
        _ => None,
    }
}

impl fmt::Display for Platform {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let arch = self.arch();
        match self.system {
            System::Windows => write!(f, "windows {arch}")?,
            System::Macos(major, minor) => write!(f, "macos {arch} {major}.{minor}")?,
            System::Linux(libc) => {
                write!(f, "linux {arch}")?;
                if !self.archs.contains(&self.machine) {
                    write!(f, " kernel {}", self.machine)?;
                }
                write!(f, " {libc}")?;
            }
        }
        let level = self.stated_level();
        level.iter().try_for_each(|l| write!(f, " level {l}"))
    }
}
