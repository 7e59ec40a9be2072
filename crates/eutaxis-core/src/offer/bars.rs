//! The checks that bar a file, and what sums them up for a release.

use super::{Bar, Judged, LibcHere, OfferFile, Wheels};
use crate::index::FileKind;
use crate::targets::{Libc, PlatformMiss, System, TagMiss, Target};

/// Files that are still served of a project that is quarantined (PEP 792).
pub(super) fn quarantined(judged: &Judged<'_>) -> Option<Bar> {
    judged
        .quarantined
        .map(|reason| Bar::Quarantined(reason.to_owned()))
}

/// `--as-of` (docs/choice.md, as-of): a file of that very moment exists, one without date does not.
pub(super) fn date(judged: &Judged<'_>) -> Option<Bar> {
    let as_of = judged.policy.as_of?;
    match judged.file.published {
        None => Some(Bar::Undated),
        Some(published) => (published > as_of).then_some(Bar::Later { as_of, published }),
    }
}

/// Requires-Python, per file, against the whole version of the interpreter (docs/choice.md,
/// Requires-Python).
pub(super) fn requires_python(judged: &Judged<'_>) -> Option<Bar> {
    python_bar(judged.file.requires_python.as_deref()?, judged.target)
}

/// The bar that a Requires-Python puts, wherever it was read.
pub(crate) fn python_bar(set: &crate::version::VersionSpecifier, target: &Target) -> Option<Bar> {
    let version = &target.interpreter.version;
    (!set.matches(version)).then(|| Bar::Python {
        needs: set.clone(),
        here: version.clone(),
    })
}

/// The wheel's tags.
pub(super) fn tags(judged: &Judged<'_>) -> Option<Bar> {
    let FileKind::Wheel(name) = &judged.file.kind else {
        return None;
    };
    if judged.rank.is_some() {
        return None;
    }
    told(
        &Misses::of([&judged.target.tag_miss(&name.tags)]),
        judged.target,
    )
    .into_iter()
    .next()
}

/// Why the tags of a wheel do not fit.
pub(crate) fn tag_bars(tags: &crate::artifact::WheelTags, target: &Target) -> Vec<Bar> {
    told(&Misses::of([&target.tag_miss(tags)]), target)
}

/// `--wheels only`, but for projects named by `--build`.
pub(super) fn wheels_policy(judged: &Judged<'_>) -> Option<Bar> {
    let FileKind::Sdist(name) = &judged.file.kind else {
        return None;
    };
    let policy = judged.policy;
    let barred = policy.wheels == Wheels::Only && !policy.build.contains(&name.name);
    barred.then_some(Bar::OnlySource)
}

/// The bars of a release: those of its files, summed up, each once.
pub(super) fn of_release(files: &[OfferFile], target: &Target) -> Vec<Bar> {
    // A wheel whose tags fit is the nearest miss of all: only what bars it counts then.
    let one_fits = files.iter().any(|f| f.rank.is_some());
    let misses: Vec<TagMiss> = files
        .iter()
        .filter_map(|f| {
            if let FileKind::Wheel(name) = &f.file.kind
                && !one_fits
            {
                Some(target.tag_miss(&name.tags))
            } else {
                None
            }
        })
        .collect();
    let mut bars = told(&Misses::of(&misses), target);
    let told_by_tags = |f: &OfferFile| f.is_wheel() && f.rank.is_none();
    for file in files.iter().filter(|f| !told_by_tags(f)) {
        for bar in &file.bars {
            if !bars.contains(bar) {
                bars.push(bar.clone());
            }
        }
    }
    bars
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

fn told(misses: &Misses, target: &Target) -> Vec<Bar> {
    let mut bars = Vec::new();
    let own = target
        .interpreter
        .abis
        .first()
        .cloned()
        .unwrap_or_else(|| target.interpreter.tag());
    if !misses.interpreters.is_empty() {
        let (tags, here) = (misses.interpreters.clone(), target.interpreter.tag());
        bars.push(Bar::OtherInterpreter { tags, here });
    }
    if !misses.abis.is_empty() {
        bars.push(Bar::OtherAbi {
            abis: misses.abis.clone(),
            here: own,
        });
    }
    // The smallest step that would do is the nearest miss.
    let nearest = misses.too_old.iter().min_by_key(|(_, needs, _)| *needs);
    if let Some((what, needs, here)) = nearest {
        bars.push(Bar::TooOld {
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
        bars.push(Bar::OtherLibc {
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
        bars.push(Bar::OtherArch {
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
        bars.push(Bar::OtherSystem {
            systems: misses.systems.clone(),
            here,
        });
    }
    if bars.is_empty() && !misses.unknown.is_empty() {
        bars.push(Bar::OtherPlatform {
            tags: misses.unknown.clone(),
        });
    }
    bars
}
