//! Whether a wheel runs on a target: by its name, by its metadata, and by what its compiled files
//! need.

use super::{Against, Carried, Contents, Remark, RemarkKind, glibc_floor, is_musl};
use crate::binary::{Binary, PythonAbi, module_stem, named_abi};
use crate::examine::fits;
use eutaxis_standards::knowledge::DeviceCode;
use eutaxis_standards::targets::{
    BuildMiss, Libc, MisfitKind, PlatformMiss, System, TagMiss, Target, VariantMiss,
};

/// Why it does not run there.
pub(super) fn bars(contents: &Contents<'_>, code: &[DeviceCode], target: &Target) -> Vec<Remark> {
    let mut bars = by_name(contents, target);
    let set = contents.metadata.and_then(|m| m.requires_python.as_ref());
    bars.extend(
        set.and_then(|s| target.python_misfit(s))
            .map(Remark::Python),
    );
    bars.extend(variant(contents, target).map(Remark::Variant));
    let miss = accelerator(contents, target);
    let miss = miss.or_else(|| target.accelerators.code_miss(code));
    bars.extend(miss.map(Remark::Build));
    if !bars.is_empty() {
        // What its name or metadata says already is not said of each file again.
        return bars;
    }
    for carried in contents
        .carried
        .iter()
        .filter(|c| c.is_module() || loaded(c, contents))
    {
        by_file(carried, contents, target, &mut bars);
    }
    bars
}

fn by_name(contents: &Contents<'_>, target: &Target) -> Vec<Remark> {
    let tags = &contents.name.tags;
    if target.rank(tags).is_some() {
        return Vec::new();
    }
    let miss = target.tag_miss(tags);
    let platform = |miss: &PlatformMiss| match miss {
        PlatformMiss::TooOld { what: "macOS", .. }
        | PlatformMiss::OtherSystem(_)
        | PlatformMiss::Unknown(_) => RemarkKind::Platform,
        PlatformMiss::TooOld { .. } | PlatformMiss::OtherLibc(_) => RemarkKind::Libc,
        PlatformMiss::OtherArch(_) => RemarkKind::Architecture,
    };
    let kind = |misfit: MisfitKind| match (&miss, misfit) {
        (TagMiss::Abi(_), _) => RemarkKind::Abi,
        (_, MisfitKind::Interpreter) => RemarkKind::Interpreter,
        (TagMiss::Platform(p) | TagMiss::Both(_, p), _) => platform(p),
        _ => RemarkKind::Platform,
    };
    target
        .misfits([tags])
        .into_iter()
        .map(|misfit| Remark::Tags {
            kind: kind(misfit.kind()),
            misfit,
        })
        .collect()
}

/// What the properties of a variant ask of the target (draft PEP 825).
fn variant(contents: &Contents<'_>, target: &Target) -> Option<Box<VariantMiss>> {
    let label = contents.name.variant.as_deref()?;
    let described = contents.variants.map_or(Err(None), |v| v.map_err(Some));
    let miss = target.described_variant(described, label).err()?;
    Some(Box::new(miss))
}

/// Why a build for an accelerator, by its label or by what its files need, does not run.
fn accelerator(contents: &Contents<'_>, target: &Target) -> Option<Box<BuildMiss>> {
    let accelerators = &target.accelerators;
    let by_label = accelerators.families.of_version(&contents.name.version);
    let made = by_label
        .clone()
        .or_else(|| contents.carried.iter().find_map(|c| c.toolkit(target)))?;
    // What only its libraries tell does not bar it where there is no such accelerator: it may use
    // them when they are there.
    let here = made.family().is_some_and(|f| accelerators.has(&f.name));
    if by_label.is_none() && !here {
        return None;
    }
    accelerators.miss(&made, target.platform.system)
}

/// A library of the wheel that one of its modules needs.
fn loaded(carried: &Carried, contents: &Contents<'_>) -> bool {
    let name = carried.path.rsplit('/').next().unwrap_or(&carried.path);
    let soname = |b: &Binary| b.soname.clone();
    let names: Vec<String> = carried
        .parts
        .iter()
        .flatten()
        .filter_map(soname)
        .chain([name.to_owned()])
        .collect();
    let needs = contents
        .carried
        .iter()
        .filter(|c| c.path != carried.path)
        .flat_map(|c| c.parts.iter().flatten());
    needs
        .flat_map(|b| &b.needs)
        .any(|n| names.iter().any(|name| n.rsplit('/').next() == Some(name)))
}

fn by_file(carried: &Carried, contents: &Contents<'_>, target: &Target, bars: &mut Vec<Remark>) {
    let path = &carried.path;
    let parts = match &carried.parts {
        Ok(parts) => parts,
        Err(why) => {
            return bars.push(Remark::Unreadable {
                path: path.clone(),
                why: why.clone(),
            });
        }
    };
    if let Some(abi) = invisible(carried, contents, target) {
        let own = target.interpreter.abis.first().map_or("", String::as_str);
        return bars.push(Remark::OtherAbi {
            path: path.clone(),
            abi,
            than: Against::Here(own.to_owned()),
        });
    }
    let fitting: Vec<&Binary> = parts.iter().filter(|p| fits(p, target)).collect();
    if fitting.is_empty() {
        let here = Against::Here(target.platform.to_string());
        return bars.push(Remark::other_machine(path, parts, here));
    }
    for part in fitting {
        bars.extend(libc(path, part, target));
        if let (Some(needs), System::Macos(major, minor)) = (part.macos, target.platform.system)
            && needs > (major, minor)
        {
            let here = Against::Here(format!("{major}.{minor}"));
            bars.push(Remark::newer_macos(path, needs, here));
        }
    }
    for version in &carried.lacking {
        bars.push(Remark::Lacking {
            path: path.clone(),
            version: version.clone(),
        });
    }
    for library in &carried.absent {
        bars.push(Remark::Absent {
            path: path.clone(),
            library: library.clone(),
        });
    }
}

/// How the C library of the target does not do, if it does not.
fn libc(path: &str, part: &Binary, target: &Target) -> Option<Remark> {
    let System::Linux(libc) = target.platform.system else {
        return None;
    };
    let other = |built: &'static str, here: &str| Remark::OtherLibc {
        path: path.to_owned(),
        libc: built,
        than: Against::Here(here.to_owned()),
    };
    match (libc, glibc_floor(part), is_musl(part)) {
        (Libc::Glibc(major, minor), Some(floor), _) if floor > (major, minor) => {
            Some(Remark::Newer {
                kind: RemarkKind::Libc,
                path: path.to_owned(),
                needs: format!("glibc {}.{}", floor.0, floor.1),
                than: Against::Here(format!("{major}.{minor}")),
            })
        }
        (Libc::Glibc(..), None, true) => Some(other("musl", "glibc")),
        (Libc::Musl(..), Some(_), _) => Some(other("glibc", "musl")),
        _ => None,
    }
}

/// The ABI of a module that the target's interpreter looks past, when the wheel has no other for
/// it.
fn invisible(carried: &Carried, contents: &Contents<'_>, target: &Target) -> Option<String> {
    let own = |path: &str| match named_abi(path) {
        Some(PythonAbi::Exact(abi)) => target.interpreter.abis.contains(&abi),
        Some(PythonAbi::Stable) => target.interpreter.takes_stable_abi(),
        None => true,
    };
    if own(&carried.path) {
        return None;
    }
    let place = |path: &str| {
        path.rsplit_once('/')
            .map_or(("", path), |(f, n)| (f, n))
            .0
            .to_owned()
    };
    let same = |c: &Carried| {
        module_stem(&c.path) == module_stem(&carried.path) && place(&c.path) == place(&carried.path)
    };
    let other = contents.carried.iter().any(|c| same(c) && own(&c.path));
    if other {
        None
    } else {
        named_abi(&carried.path).map(|a| a.to_string())
    }
}
