//! What the name of a wheel promises, and whether its compiled files keep it.

use super::{Against, Carried, Contents, Remark, RemarkKind, glibc_floor, is_musl};
use crate::binary::{Binary, Format, PythonAbi, highest};
use eutaxis_standards::knowledge::{MadeFor, highest_symbol, is_stable, may_need};
use eutaxis_standards::targets::{Libc, TagFacts, Target, architectures, describe};

/// Names of symbols that older tags bound.
const BOUNDED: [&str; 3] = ["GLIBCXX", "CXXABI", "GCC"];

/// What is promised and not kept.
pub(super) fn broken(contents: &Contents<'_>, target: &Target) -> Vec<Remark> {
    let mut broken = Vec::new();
    let modules = || contents.carried.iter().filter(|c| c.is_module());
    if contents.name.tags.is_pure() {
        // Libraries as data are nobody's business; modules bind it to a place.
        if let Some(first) = modules().next() {
            broken.push(Remark::NotPure(first.path.clone()));
        }
        return broken;
    }
    if contents.carried.is_empty() {
        broken.push(Remark::NothingCompiled);
    }
    let tags: Vec<TagFacts<'_>> = contents
        .name
        .tags
        .platforms
        .iter()
        .filter_map(|p| describe(p))
        .collect();
    for carried in contents.carried {
        platform(carried, contents, &tags, &mut broken);
    }
    for carried in modules() {
        abi(carried, contents, &mut broken);
    }
    accelerator(contents, target, &mut broken);
    broken
}

fn platform(
    carried: &Carried,
    contents: &Contents<'_>,
    tags: &[TagFacts<'_>],
    broken: &mut Vec<Remark>,
) {
    let Ok(parts) = &carried.parts else { return };
    let path = &carried.path;
    for tag in tags {
        match tag {
            TagFacts::Linux { libc, arch } => {
                if carried.is_module()
                    && !parts
                        .iter()
                        .any(|p| p.format == Format::Elf && is_arch(&p.arch, arch))
                {
                    broken.push(wrong_arch(path, parts, &format!("Linux {arch}")));
                    return;
                }
                for part in parts.iter().filter(|p| p.format == Format::Elf) {
                    linux(path, part, *libc, broken);
                    outside(carried, contents, *libc, broken);
                }
            }
            TagFacts::Macos(major, minor, format) => {
                let all = architectures(format);
                // Of the fat formats only those parts are promised that a file of today can hold.
                let missing = all.iter().find(|a| {
                    ["x86_64", "arm64"].contains(*a)
                        && !parts
                            .iter()
                            .any(|p| p.format == Format::MachO && p.arch == **a)
                });
                if let Some(arch) = missing.filter(|_| carried.is_module()) {
                    broken.push(wrong_arch(path, parts, &format!("macOS {arch}")));
                    return;
                }
                for part in parts
                    .iter()
                    .filter(|p| p.format == Format::MachO && all.contains(&p.arch.as_str()))
                {
                    macos(path, part, contents, (*major, *minor), broken);
                }
            }
            TagFacts::Windows(arch) => {
                let wanted = if *arch == "x86" {
                    "i686"
                } else if *arch == "arm64" {
                    "aarch64"
                } else {
                    arch
                };
                if carried.is_module()
                    && !parts
                        .iter()
                        .any(|p| p.format == Format::Pe && p.arch == wanted)
                {
                    broken.push(wrong_arch(path, parts, &format!("Windows {wanted}")));
                    return;
                }
            }
        }
    }
}

fn is_arch(found: &str, promised: &str) -> bool {
    found == promised || (found == "armv7l" && promised.starts_with("armv"))
}

fn wrong_arch(path: &str, parts: &[Binary], promised: &str) -> Remark {
    Remark::other_machine(path, parts, Against::Promised(promised.to_owned()))
}

/// The C library and the versions of symbols that the tag promises to do with.
fn linux(path: &str, part: &Binary, libc: Option<Libc>, broken: &mut Vec<Remark>) {
    let mut tell = |remark: Remark| {
        if !broken.contains(&remark) {
            broken.push(remark);
        }
    };
    let newer = |needs: String, promised: String| Remark::Newer {
        kind: RemarkKind::Libc,
        path: path.to_owned(),
        needs,
        than: Against::Promised(promised),
    };
    let other = |libc: &'static str, promised: String| Remark::OtherLibc {
        path: path.to_owned(),
        libc,
        than: Against::Promised(promised),
    };
    match libc {
        Some(Libc::Glibc(major, minor)) => {
            if let Some(floor) = glibc_floor(part).filter(|f| *f > (major, minor)) {
                tell(newer(
                    format!("glibc {}.{}", floor.0, floor.1),
                    format!("{major}.{minor}"),
                ));
            }
            if glibc_floor(part).is_none() && is_musl(part) {
                tell(other("musl", format!("glibc {major}.{minor}")));
            }
            for name in BOUNDED {
                let (Some(needs), Some(most)) =
                    (highest(&part.versions, name), highest_symbol(name, minor))
                else {
                    continue;
                };
                if needs > most {
                    tell(newer(format!("{name}_{}", dotted(&needs)), dotted(&most)));
                }
            }
        }
        Some(Libc::Musl(major, minor)) if glibc_floor(part).is_some() => {
            tell(other("glibc", format!("musl {major}.{minor}")));
        }
        _ => {}
    }
}

fn dotted(numbers: &[u32]) -> String {
    numbers
        .iter()
        .map(ToString::to_string)
        .collect::<Vec<_>>()
        .join(".")
}

/// Libraries from outside that the tag does not allow.
fn outside(
    carried: &Carried,
    contents: &Contents<'_>,
    libc: Option<Libc>,
    broken: &mut Vec<Remark>,
) {
    for library in contents.outside(carried) {
        let allowed = match libc {
            // A plain tag promises nothing of them.
            None | Some(Libc::Static) => true,
            Some(Libc::Glibc(_, minor)) => may_need(&library, minor),
            Some(Libc::Musl(..)) => {
                library.starts_with("libc.musl-")
                    || library == "libc.so"
                    || library.starts_with("ld-musl-")
            }
        };
        let path = carried.path.clone();
        let remark = Remark::Outside { path, library };
        if !allowed && !broken.contains(&remark) {
            broken.push(remark);
        }
    }
}

fn macos(
    path: &str,
    part: &Binary,
    contents: &Contents<'_>,
    promised: (u32, u32),
    broken: &mut Vec<Remark>,
) {
    // From 11 on the minor number of a tag is always zero.
    let lowest = if promised.0 >= 11 {
        (promised.0, u32::MAX)
    } else {
        promised
    };
    // For processors that came with 11 no lower number can be meant.
    if let Some(needs) = part
        .macos
        .filter(|n| *n > lowest && !(part.arch == "arm64" && n.0 <= 11))
    {
        let (major, minor) = promised;
        let promised = Against::Promised(format!("{major}.{minor}"));
        broken.push(Remark::newer_macos(path, needs, promised));
    }
    let own = |l: &str| {
        l.starts_with("/usr/lib/")
            || l.starts_with("/System/")
            || (l.starts_with('@') && contents.brings(l))
    };
    for library in part.needs.iter().filter(|l| !own(l)) {
        broken.push(Remark::Outside {
            path: path.to_owned(),
            library: library.clone(),
        });
    }
}

/// The interpreter that the tags promise.
fn abi(carried: &Carried, contents: &Contents<'_>, broken: &mut Vec<Remark>) {
    let tags = &contents.name.tags;
    let path = &carried.path;
    let stable = tags.abis.iter().any(|a| &**a == "abi3");
    let shown = tags.abis.join(".");
    let found = carried
        .parts
        .iter()
        .flatten()
        .find_map(|p| p.python_abi(path));
    match &found {
        Some(PythonAbi::Exact(abi)) if !tags.abis.iter().any(|a| **a == **abi) => {
            return broken.push(Remark::OtherAbi {
                path: path.clone(),
                abi: abi.clone(),
                than: Against::Promised(shown),
            });
        }
        _ => {}
    }
    if !stable && found != Some(PythonAbi::Stable) {
        return;
    }
    // The lowest series that the tags name is the one whose stable ABI is promised.
    let minor = tags
        .pythons
        .iter()
        .filter_map(|p| p.strip_prefix("cp3")?.parse::<u64>().ok())
        .min()
        .unwrap_or(2);
    let mut beyond: Vec<&str> = Vec::new();
    for name in carried.parts.iter().flatten().flat_map(|p| &p.python) {
        if !is_stable(name, minor) && !beyond.contains(&name.as_str()) {
            beyond.push(name);
        }
    }
    if beyond.is_empty() {
        return;
    }
    broken.push(Remark::BeyondStable {
        path: path.clone(),
        names: beyond.into_iter().map(str::to_owned).collect(),
        minor,
    });
}

/// The toolkit that the label promises.
fn accelerator(contents: &Contents<'_>, target: &Target, broken: &mut Vec<Remark>) {
    let families = &target.accelerators.families;
    let Some(promised) = families.of_version(&contents.name.version) else {
        return;
    };
    for carried in contents.carried {
        let Some(found) = carried.toolkit(target) else {
            continue;
        };
        let kept = match &promised {
            MadeFor::Processor => false,
            MadeFor::Toolkit(..) => promised.goes_with(&found),
        };
        if !kept {
            broken.push(Remark::OtherToolkit {
                path: carried.path.clone(),
                needs: found.stated(),
                label: promised.stated(),
            });
        }
    }
}
