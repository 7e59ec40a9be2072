//! The rank of a wheel's tags on a target (PEP 425, use), computed from their numbers.
//!
//! The best-first list has these groups, each over all platforms: own ABIs, own stable ABI, own
//! interpreter without ABI, stable ABIs of older series, then `pyXY`, `py3`, `py3(Y-1)`, ...
//! without ABI; last, without platform, the own interpreter and the same `py` series.

use super::{Implementation, PlatformMiss, Target};
use crate::artifact::WheelTags;

/// The place of a tag in the best-first list of a target; smaller is better.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Rank(pub u32);

/// Why no tag of a wheel fits, judged on the tag that comes nearest. Ordered from near to far.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum TagMiss {
    /// Interpreter and ABI fit, the platform does not.
    Platform(PlatformMiss),
    /// The interpreter fits, its ABI does not: the ABI of the wheel.
    Abi(String),
    /// The platform fits, the interpreter does not: the interpreters of the wheel, as tags.
    Interpreter(Vec<String>),
    /// Neither fits.
    Both(Vec<String>, PlatformMiss),
}

impl Target {
    /// The best rank of the wheel's tags; none when no tag fits.
    pub fn rank(&self, tags: &WheelTags) -> Option<Rank> {
        tags.expanded()
            .filter_map(|(python, abi, platform)| self.tag_rank(python, abi, platform))
            .min()
    }

    fn tag_rank(&self, python: &str, abi: &str, platform: &str) -> Option<Rank> {
        let groups = self.groups();
        let platforms = self.platform.count();
        if platform == "any" {
            let own = self.interpreter.is_own_tag(python);
            let behind = if own {
                0
            } else {
                1 + self.generic_place(python)?
            };
            return (abi == "none").then_some(Rank(groups.total * platforms + behind));
        }
        let group = self.group(&groups, python, abi)?;
        Some(Rank(group * platforms + self.platform.index(platform)?))
    }

    /// The number of the group that interpreter and ABI belong to.
    fn group(&self, groups: &Groups, python: &str, abi: &str) -> Option<u32> {
        let interpreter = &self.interpreter;
        if interpreter.is_own_tag(python) {
            if let Some(own) = interpreter.abis.iter().position(|a| a == abi) {
                return Some(own as u32);
            }
            match (abi, interpreter.stable_abi()) {
                (abi, Some((stable, _))) if abi == stable => return groups.own_stable,
                ("none", _) => return Some(groups.own_none),
                _ => return None,
            }
        }
        if let Some((stable, first)) = interpreter.stable_abi()
            && abi == stable
        {
            let (_, minor) = interpreter.series();
            let older = python
                .strip_prefix("cp3")?
                .parse::<u64>()
                .ok()
                .filter(|k| *k >= first && *k < minor)?;
            return groups
                .older_stable
                .map(|first| first + (minor - 1 - older) as u32);
        }
        (abi == "none")
            .then(|| self.generic_place(python))?
            .map(|place| groups.generic + place)
    }

    /// The place of `pyXY`, `pyX`, `pyX(Y-1)`, ... among themselves.
    fn generic_place(&self, python: &str) -> Option<u32> {
        let (_, minor) = self.interpreter.series();
        let Some(series) = self.interpreter.minor_in(python.strip_prefix("py")?)? else {
            return Some(1);
        };
        if series > minor {
            return None;
        }
        Some(if series == minor {
            0
        } else {
            (minor + 1 - series) as u32
        })
    }

    fn groups(&self) -> Groups {
        let (_, minor) = self.interpreter.series();
        let minor = minor as u32;
        let own = self.interpreter.abis.len() as u32;
        let first = self.interpreter.stable_abi().map(|(_, first)| first as u32);
        let stable = first.is_some();
        let own_none = own + u32::from(stable);
        let older = first.map_or(0, |first| minor - first);
        let generic = own_none + 1 + older;
        Groups {
            own_stable: stable.then_some(own),
            own_none,
            older_stable: stable.then_some(own_none + 1),
            generic,
            total: generic + minor + 2,
        }
    }

    /// All tags that fit, best first, as `python-abi-platform`.
    pub fn tags(&self) -> Vec<String> {
        let interpreter = &self.interpreter;
        let (major, minor) = interpreter.series();
        let own = interpreter.tag();
        let mut generic = vec![format!("py{major}{minor}"), format!("py{major}")];
        generic.extend((0..minor).rev().map(|k| format!("py{major}{k}")));
        let mut pairs: Vec<(String, String)> = interpreter
            .abis
            .iter()
            .map(|abi| (own.clone(), abi.clone()))
            .collect();
        if let Some((stable, _)) = interpreter.stable_abi() {
            pairs.push((own.clone(), stable.to_owned()));
        }
        pairs.push((own.clone(), "none".to_owned()));
        if let Some((stable, first)) = interpreter.stable_abi() {
            pairs.extend(
                (first..minor)
                    .rev()
                    .map(|k| (format!("cp{major}{k}"), stable.to_owned())),
            );
        }
        pairs.extend(generic.iter().map(|g| (g.clone(), "none".to_owned())));
        let platforms = self.platform.tags();
        let mut tags: Vec<String> = pairs
            .iter()
            .flat_map(|(p, a)| platforms.iter().map(move |l| format!("{p}-{a}-{l}")))
            .collect();
        tags.push(format!("{own}-none-any"));
        tags.extend(generic.iter().map(|g| format!("{g}-none-any")));
        tags
    }

    /// Whether an ABI is the stable one of the other kind of build, of a series that this one would
    /// take: then the build is in the way, and not the series.
    fn is_other_stable(&self, python: &str, abi: &str) -> bool {
        let (_, minor) = self.interpreter.series();
        let other = if self.interpreter.free_threaded {
            "abi3"
        } else {
            "abi3t"
        };
        let digits = python.strip_prefix("cp");
        let theirs = digits.and_then(|d| self.interpreter.minor_in(d)).flatten();
        abi == other
            && self.interpreter.implementation == Implementation::Cpython
            && theirs.is_some_and(|theirs| theirs <= minor)
    }

    /// Why no tag of the wheel fits: the nearest miss of its tags.
    pub fn tag_miss(&self, tags: &WheelTags) -> TagMiss {
        let groups = self.groups();
        let pythons = || tags.pythons.iter().map(|p| p.to_string()).collect();
        let misses = tags.expanded().map(|(python, abi, platform)| {
            let platform_fits = platform == "any" || self.platform.index(platform).is_some();
            let interpreter_fits = match platform {
                "any" => {
                    abi == "none"
                        && (self.interpreter.is_own_tag(python)
                            || self.generic_place(python).is_some())
                }
                _ => self.group(&groups, python, abi).is_some(),
            };
            match (interpreter_fits, platform_fits) {
                (true, _) => TagMiss::Platform(self.platform.miss(platform)),
                (false, true)
                    if self.interpreter.is_own_tag(python) || self.is_other_stable(python, abi) =>
                {
                    TagMiss::Abi(abi.to_owned())
                }
                (false, true) => TagMiss::Interpreter(pythons()),
                (false, false) => TagMiss::Both(pythons(), self.platform.miss(platform)),
            }
        });
        misses
            .min()
            .unwrap_or_else(|| TagMiss::Interpreter(pythons()))
    }
}

/// Where the groups of a target begin.
struct Groups {
    own_stable: Option<u32>,
    own_none: u32,
    older_stable: Option<u32>,
    generic: u32,
    total: u32,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::artifact::WheelName;
    use rstest::rstest;

    fn target(spec: &str) -> Target {
        Target::parse(spec).unwrap()
    }

    fn rank(spec: &str, tags: &str) -> Option<u32> {
        let name = WheelName::parse(&format!("m-1-{tags}.whl")).unwrap();
        target(spec).rank(&name.tags).map(|r| r.0)
    }

    const GLIBC_236: &str = "cpython 3.12 / linux x86_64 glibc 2.36";

    #[rstest]
    #[case("cp312-cp312-manylinux_2_28_x86_64", Some(8))]
    #[case("cp312-cp312-manylinux_2_17_x86_64", Some(19))]
    #[case("cp312-cp312-manylinux2014_x86_64", Some(20))]
    #[case("cp312-cp312-linux_x86_64", Some(35))]
    #[case("cp312-abi3-manylinux2014_x86_64", Some(56))]
    #[case("cp39-abi3-manylinux1_x86_64", Some(214))]
    #[case("cp38-abi3-manylinux_2_17_x86_64", Some(235))]
    #[case("py3-none-manylinux1_x86_64", Some(538))]
    #[case("cp312-none-any", Some(972))]
    #[case("py312-none-any", Some(973))]
    #[case("py3-none-any", Some(974))]
    #[case("py30-none-any", Some(986))]
    #[case("py2.py3-none-any", Some(974))]
    #[case("cp313-cp313-manylinux_2_17_x86_64", None)]
    #[case("cp313-abi3-manylinux_2_17_x86_64", None)]
    #[case("cp312-cp312-manylinux_2_39_x86_64", None)]
    #[case("cp312-cp312-musllinux_1_2_x86_64", None)]
    #[case("cp312-cp312t-linux_x86_64", None)]
    #[case("cp311-cp311-linux_x86_64", None)]
    #[case("cp311-none-any", None)]
    #[case("py2-none-any", None)]
    #[case("py313-none-any", None)]
    fn the_published_ranks_hold(#[case] tags: &str, #[case] expected: Option<u32>) {
        assert_eq!(rank(GLIBC_236, tags), expected);
    }

    #[rstest]
    #[case("cpython 3.11 / windows x86_64", "cp37-abi3-win_amd64", true)]
    #[case("cpython 3.11 / windows x86_64", "cp311-cp311-win32", false)]
    #[case(
        "cpython 3.13t / linux x86_64 glibc 2.35",
        "cp313-cp313t-manylinux_2_28_x86_64",
        true
    )]
    #[case(
        "cpython 3.13t / linux x86_64 glibc 2.35",
        "cp313-cp313-manylinux_2_28_x86_64",
        false
    )]
    #[case(
        "cpython 3.13t / linux x86_64 glibc 2.35",
        "cp38-abi3-manylinux_2_28_x86_64",
        false
    )]
    #[case("cpython 3.13t / linux x86_64 glibc 2.35", "py3-none-any", true)]
    #[case(
        "cpython 3.15t / linux x86_64",
        "cp315-abi3t-manylinux_2_17_x86_64",
        true
    )]
    #[case(
        "cpython 3.16t / linux x86_64",
        "cp315-abi3t-manylinux_2_17_x86_64",
        true
    )]
    #[case(
        "cpython 3.15t / linux x86_64",
        "cp316-abi3t-manylinux_2_17_x86_64",
        false
    )]
    #[case(
        "cpython 3.15t / linux x86_64",
        "cp315-abi3-manylinux_2_17_x86_64",
        false
    )]
    #[case(
        "cpython 3.15t / linux x86_64",
        "cp315-abi3.abi3t-manylinux_2_17_x86_64",
        true
    )]
    #[case(
        "cpython 3.15 / linux x86_64",
        "cp315-abi3.abi3t-manylinux_2_17_x86_64",
        true
    )]
    #[case(
        "cpython 3.15 / linux x86_64",
        "cp315-abi3t-manylinux_2_17_x86_64",
        false
    )]
    #[case(
        "cpython 3.14t / linux x86_64",
        "cp314-abi3t-manylinux_2_17_x86_64",
        false
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.0",
        "cp312-cp312-ios_13_0_arm64_iphoneos",
        false
    )]
    #[case(
        "cpython 3.12 / linux aarch64 musl 1.2",
        "cp312-cp312-musllinux_1_1_aarch64",
        true
    )]
    #[case(
        "cpython 3.12 / linux aarch64 musl 1.2",
        "cp312-cp312-manylinux2014_aarch64",
        false
    )]
    #[case(
        "cpython 3.10 / linux aarch64 glibc 2.17",
        "cp310-cp310-manylinux2014_aarch64",
        true
    )]
    #[case(
        "cpython 3.10 / linux aarch64 glibc 2.17",
        "cp310-cp310-manylinux_2_28_aarch64",
        false
    )]
    #[case(
        "cpython 3.10 / linux aarch64 glibc 2.17",
        "cp310-cp310-manylinux1_x86_64",
        false
    )]
    #[case(
        "cpython 3.7 / linux x86_64 glibc 2.31",
        "cp37-cp37m-manylinux1_x86_64",
        true
    )]
    #[case(
        "cpython 3.7 / linux x86_64 glibc 2.31",
        "cp37-cp37-manylinux1_x86_64",
        false
    )]
    #[case(
        "pypy 3.10 / linux x86_64 glibc 2.31",
        "pp310-pypy310_pp73-manylinux_2_17_x86_64",
        true
    )]
    #[case(
        "pypy 3.10 / linux x86_64 glibc 2.31",
        "cp310-abi3-manylinux_2_17_x86_64",
        false
    )]
    #[case("pypy 3.10 / linux x86_64 glibc 2.31", "py3-none-any", true)]
    #[case(
        "cpython 2.7 / linux x86_64 glibc 2.31",
        "cp27-cp27mu-manylinux1_x86_64",
        true
    )]
    #[case("cpython 2.7 / linux x86_64 glibc 2.31", "py2-none-any", true)]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_11_0_arm64",
        true
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_10_9_universal2",
        true
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_14_5_arm64",
        true
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_14_6_arm64",
        false
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_15_0_arm64",
        false
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_10_9_x86_64",
        false
    )]
    #[case(
        "cpython 3.12 / macos arm64 14.5",
        "cp312-cp312-macosx_10_12_arm64",
        false
    )]
    #[case(
        "cpython 3.12 / macos x86_64 13.4",
        "cp312-cp312-macosx_10_6_intel",
        true
    )]
    #[case(
        "cpython 3.12 / macos x86_64 13.4",
        "cp312-cp312-macosx_14_0_x86_64",
        false
    )]
    #[case(
        "cpython 3.12 / macos x86_64 10.15",
        "cp312-cp312-macosx_10_15_x86_64",
        true
    )]
    #[case(
        "cpython 3.12 / macos x86_64 10.15",
        "cp312-cp312-macosx_11_0_universal2",
        false
    )]
    #[case(
        "cpython 3.9 / linux armv7l glibc 2.31",
        "cp39-cp39-manylinux_2_31_armv7l",
        true
    )]
    #[case(
        "cpython 3.9 / linux armv7l glibc 2.31",
        "cp39-cp39-manylinux_2_31_aarch64",
        false
    )]
    #[case(
        "cpython 3.9 / linux riscv64 glibc 2.39",
        "cp39-cp39-manylinux_2_39_riscv64",
        true
    )]
    fn wheels_fit_as_published(#[case] spec: &str, #[case] tags: &str, #[case] fits: bool) {
        assert_eq!(rank(spec, tags).is_some(), fits);
    }

    /// The computed rank of every tag of the list is its place in the list.
    #[rstest]
    #[case(GLIBC_236, 987)]
    #[case("cpython 3.13t / linux aarch64 glibc 2.28", 254)]
    #[case("cpython 3.13 / linux aarch64 glibc 2.28", 422)]
    #[case("cpython 3.12 / windows x86_64", 42)]
    #[case("cpython 3.12 / macos arm64 14.5", 27 * 21 + 15)]
    #[case("cpython 3.9 / macos x86_64 10.15", (3 + 7 + 11) * 72 + 12)]
    #[case("cpython 3.12 / linux x86_64 musl 1.2", 27 * 4 + 15)]
    #[case("pypy 3.10 / linux x86_64 glibc 2.31", 14 * 31 + 13)]
    #[case("cpython 2.7 / linux i686 glibc 2.12", 11 * 11 + 10)]
    fn ranks_are_the_places_in_the_list(#[case] spec: &str, #[case] count: usize) {
        let target = target(spec);
        let tags = target.tags();
        assert_eq!(tags.len(), count);
        for (place, tag) in tags.iter().enumerate() {
            assert_eq!(rank(spec, tag), Some(place as u32), "{tag}");
        }
    }

    #[test]
    fn a_32_bit_userland_takes_32_bit_files() {
        let interpreter = target("cpython 3.9 / linux armv7l glibc 2.31").interpreter;
        let platform =
            super::super::Platform::linux("aarch64", 32, super::super::Libc::Glibc(2, 31));
        let none = crate::targets::Accelerators::none(crate::knowledge::Families::built_in());
        let board = Target::planned(interpreter, platform, none);
        let tags = board.tags();
        for (place, tag) in tags.iter().enumerate() {
            let name = WheelName::parse(&format!("m-1-{tag}.whl")).unwrap();
            assert_eq!(board.rank(&name.tags), Some(Rank(place as u32)), "{tag}");
        }
        assert!(tags.iter().any(|t| t.ends_with("manylinux_2_31_armv7l")));
        assert!(!tags.iter().any(|t| t.contains("aarch64")));
        assert_eq!(
            &*board.markers.platform_machine, "aarch64",
            "markers speak of the kernel"
        );
    }

    #[rstest]
    #[case(
        "cp312-cp312-manylinux_2_39_x86_64.musllinux_1_2_x86_64",
        "TooOld { what: \"glibc\", needs: (2, 39), here: (2, 36) }"
    )]
    #[case("cp312-cp312-musllinux_1_2_x86_64", "OtherLibc(\"musl\")")]
    #[case("cp312-cp312-manylinux2014_aarch64", "OtherArch(\"aarch64\")")]
    #[case("cp312-cp312-win_amd64", "OtherSystem(\"Windows\")")]
    #[case("cp312-cp312t-linux_x86_64", "Abi(\"cp312t\")")]
    #[case("cp39.cp310-cp39-linux_x86_64", "Interpreter([\"cp39\", \"cp310\"])")]
    fn the_nearest_miss_is_told(#[case] tags: &str, #[case] expected: &str) {
        let name = WheelName::parse(&format!("m-1-{tags}.whl")).unwrap();
        let miss = format!("{:?}", target(GLIBC_236).tag_miss(&name.tags));
        assert!(miss.contains(expected), "{miss}");
    }
}
