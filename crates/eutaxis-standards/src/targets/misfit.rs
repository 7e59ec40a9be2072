//! Why a file does not fit a target, by its tags or by its Requires-Python: as data, and put into
//! words here alone (platform compatibility tags; core metadata, Requires-Python).

use std::fmt;

use super::{Libc, PlatformMiss, System, TagMiss, Target};
use crate::artifact::WheelTags;
use crate::version::{Version, VersionSpecifier};

/// The C library of a target that takes none of the wheels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LibcHere {
    /// GNU.
    Glibc,
    /// musl.
    Musl,
    /// The interpreter has its own inside.
    Static,
}

/// One reason why a file, or all files of a release, do not fit a target: the nearest miss.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Misfit {
    /// Requires-Python leaves the interpreter out.
    Python {
        /// What it needs.
        needs: VersionSpecifier,
        /// The interpreter.
        here: Version,
    },
    /// All wheels are for other interpreters.
    OtherInterpreter {
        /// Their interpreter tags.
        tags: Vec<String>,
        /// The target's.
        here: String,
    },
    /// All wheels are for other ABIs.
    OtherAbi {
        /// Their ABI tags.
        abis: Vec<String>,
        /// The target's.
        here: String,
    },
    /// A C library or system is older than the nearest wheel takes.
    TooOld {
        /// Which: `glibc`, `musl`, `macOS`.
        what: &'static str,
        /// The version that is needed: major and minor.
        needs: (u32, u32),
        /// The version here.
        here: (u32, u32),
    },
    /// All wheels are for another C library.
    OtherLibc {
        /// Theirs.
        libcs: Vec<&'static str>,
        /// The target's.
        here: LibcHere,
    },
    /// All wheels are for other processors.
    OtherArch {
        /// Theirs.
        archs: Vec<String>,
        /// That of the target's programs.
        here: String,
        /// That of its kernel, where it is another.
        kernel: Option<String>,
    },
    /// All wheels are for other operating systems.
    OtherSystem {
        /// Theirs.
        systems: Vec<&'static str>,
        /// The target's.
        here: &'static str,
    },
    /// All wheels have platform tags that mean nothing here.
    OtherPlatform {
        /// The tags.
        tags: Vec<String>,
    },
}

/// In what a file does not fit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MisfitKind {
    /// The interpreter or its ABI.
    Interpreter,
    /// The operating system or the processor.
    Platform,
    /// The C library.
    Libc,
}

impl Misfit {
    /// Its kind.
    pub fn kind(&self) -> MisfitKind {
        match self {
            Misfit::Python { .. } | Misfit::OtherInterpreter { .. } | Misfit::OtherAbi { .. } => {
                MisfitKind::Interpreter
            }
            Misfit::TooOld { what: "macOS", .. }
            | Misfit::OtherArch { .. }
            | Misfit::OtherSystem { .. }
            | Misfit::OtherPlatform { .. } => MisfitKind::Platform,
            Misfit::TooOld { .. } | Misfit::OtherLibc { .. } => MisfitKind::Libc,
        }
    }

    /// Why, and what the place is, which is left out where the reader sees that. `wheels` is how
    /// wheels are spoken of.
    pub fn in_parts(&self, wheels: &str) -> (String, String) {
        let whole = |why: String| (why, String::new());
        let target = |why: String, of: &str| (why, format!("; this target is {of}"));
        match self {
            Misfit::Python {
                needs,
                here: version,
            } => (format!("needs Python {needs}"), format!(", here {version}")),
            Misfit::OtherInterpreter { tags, here: own } => {
                target(format!("{wheels} {}", tags.join(", ")), own)
            }
            Misfit::OtherAbi { abis, here: own } if abis == &["abi3"] && own.ends_with('t') => {
                let series = own.trim_end_matches('t');
                let series = series.strip_prefix("cp3").unwrap_or(series);
                target(
                    format!(
                        "{wheels} the stable ABI abi3, which builds without the global lock do not \
                            load (the ordinary 3.{series} does)"
                    ),
                    own,
                )
            }
            Misfit::OtherAbi { abis, here: own } => {
                target(format!("{wheels} the ABI {}", abis.join(", ")), own)
            }
            Misfit::OtherSystem { systems, here: own } => {
                target(format!("{wheels} {} only", systems.join(", ")), own)
            }
            Misfit::TooOld {
                what,
                needs,
                here: own,
            } => (
                format!("needs {what} {}.{}", needs.0, needs.1),
                format!(", here {}.{}", own.0, own.1),
            ),
            Misfit::OtherLibc { libcs, here } => {
                let here = match here {
                    LibcHere::Glibc => "glibc",
                    LibcHere::Musl => "musl",
                    LibcHere::Static => "a static interpreter",
                };
                whole(format!(
                    "{wheels} {} only; this target has {here}",
                    libcs.join(", ")
                ))
            }
            Misfit::OtherArch {
                archs,
                here,
                kernel,
            } => {
                let kernel = kernel.as_ref().map_or(String::new(), |machine| {
                    format!(" on a kernel for {machine}")
                });
                whole(format!(
                    "{wheels} {} only; this userland is {here}{kernel}",
                    archs.join(", ")
                ))
            }
            Misfit::OtherPlatform { tags } => whole(format!(
                "{wheels} {}, which this target does not take",
                tags.join(", ")
            )),
        }
    }

    /// The words for it where one wheel is meant.
    pub fn of_one_wheel(&self) -> String {
        let (why, place) = self.in_parts("it is for");
        why + &place
    }
}

impl fmt::Display for Misfit {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (why, place) = self.in_parts("wheels for");
        write!(f, "{why}{place}")
    }
}

impl Target {
    /// Why a Requires-Python leaves the target's interpreter out, by its whole version.
    pub fn python_misfit(&self, set: &VersionSpecifier) -> Option<Misfit> {
        let version = &self.interpreter.version;
        (!set.matches(version)).then(|| Misfit::Python {
            needs: set.clone(),
            here: version.clone(),
        })
    }

    /// Why the tags of these wheels do not fit: what they have in common, each once.
    pub fn misfits<'a>(&self, wheels: impl IntoIterator<Item = &'a WheelTags>) -> Vec<Misfit> {
        let misses: Vec<TagMiss> = wheels.into_iter().map(|t| self.tag_miss(t)).collect();
        told(&Misses::of(&misses), self)
    }
}

/// What is too old, the version needed, the version here.
type TooOld = (&'static str, (u32, u32), (u32, u32));

/// The misses of several wheels, gathered by what they have in common.
#[derive(Default)]
struct Misses {
    interpreters: Vec<String>,
    abis: Vec<String>,
    too_old: Vec<TooOld>,
    libcs: Vec<&'static str>,
    archs: Vec<String>,
    systems: Vec<&'static str>,
    unknown: Vec<String>,
}

impl Misses {
    /// Near misses hide far ones: a wheel whose interpreter is wrong on another platform says
    /// nothing when one has only a wrong interpreter or only a wrong platform.
    fn of<'a>(misses: impl IntoIterator<Item = &'a TagMiss>) -> Self {
        let all: Vec<&TagMiss> = misses.into_iter().collect();
        let far = |m: &TagMiss| matches!(m, TagMiss::Both(..));
        let only_far = all.iter().all(|m| far(m));
        let mut found = Misses::default();
        for miss in all.into_iter().filter(|m| only_far || !far(m)) {
            match miss {
                TagMiss::Platform(platform) => found.platform(platform),
                TagMiss::Abi(abi) => add(&mut found.abis, abi.clone()),
                TagMiss::Interpreter(tags) => tags
                    .iter()
                    .for_each(|t| add(&mut found.interpreters, t.clone())),
                TagMiss::Both(tags, platform) => {
                    tags.iter()
                        .for_each(|t| add(&mut found.interpreters, t.clone()));
                    found.platform(platform);
                }
            }
        }
        found
    }

    fn platform(&mut self, miss: &PlatformMiss) {
        match miss {
            PlatformMiss::TooOld { what, needs, here } => {
                add(&mut self.too_old, (*what, *needs, *here))
            }
            PlatformMiss::OtherLibc(libc) => add(&mut self.libcs, *libc),
            PlatformMiss::OtherArch(arch) => add(&mut self.archs, arch.clone()),
            PlatformMiss::OtherSystem(system) => add(&mut self.systems, *system),
            PlatformMiss::Unknown(tag) => add(&mut self.unknown, tag.clone()),
        }
    }
}

fn add<T: PartialEq>(list: &mut Vec<T>, item: T) {
    if !list.contains(&item) {
        list.push(item);
    }
}

fn told(misses: &Misses, target: &Target) -> Vec<Misfit> {
    let mut found = Vec::new();
    let own = target
        .interpreter
        .abis
        .first()
        .cloned()
        .unwrap_or_else(|| target.interpreter.tag());
    if !misses.interpreters.is_empty() {
        let (tags, here) = (misses.interpreters.clone(), target.interpreter.tag());
        found.push(Misfit::OtherInterpreter { tags, here });
    }
    if !misses.abis.is_empty() {
        found.push(Misfit::OtherAbi {
            abis: misses.abis.clone(),
            here: own,
        });
    }
    // The smallest step that would do is the nearest miss.
    let nearest = misses.too_old.iter().min_by_key(|(_, needs, _)| *needs);
    if let Some((what, needs, here)) = nearest {
        found.push(Misfit::TooOld {
            what,
            needs: *needs,
            here: *here,
        });
    }
    if !misses.libcs.is_empty() && misses.too_old.is_empty() {
        let here = match target.platform.system {
            System::Linux(Libc::Musl(..)) => LibcHere::Musl,
            System::Linux(Libc::Static) => LibcHere::Static,
            System::Linux(_) | System::Macos(..) | System::Windows => LibcHere::Glibc,
        };
        found.push(Misfit::OtherLibc {
            libcs: misses.libcs.clone(),
            here,
        });
    }
    let libc_told = !misses.too_old.is_empty() || !misses.libcs.is_empty();
    if !misses.archs.is_empty() && !libc_told {
        let (here, machine) = (
            target.platform.arch().to_owned(),
            target.platform.machine().to_owned(),
        );
        let kernel = Some(machine).filter(|m| *m != here);
        found.push(Misfit::OtherArch {
            archs: misses.archs.clone(),
            here,
            kernel,
        });
    }
    if !misses.systems.is_empty() && !libc_told && misses.archs.is_empty() {
        let here = match target.platform.system {
            System::Linux(_) => "Linux",
            System::Macos(..) => "macOS",
            System::Windows => "Windows",
        };
        found.push(Misfit::OtherSystem {
            systems: misses.systems.clone(),
            here,
        });
    }
    if found.is_empty() && !misses.unknown.is_empty() {
        found.push(Misfit::OtherPlatform {
            tags: misses.unknown.clone(),
        });
    }
    found
}
