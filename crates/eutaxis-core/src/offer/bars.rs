//! The checks that bar a file, and the sentences that sum them up for a release.

use super::{Bar, BarKind, Judged, OfferFile, Wheels};
use crate::index::FileKind;
use crate::targets::{Libc, PlatformMiss, System, TagMiss, Target};

fn bar(kind: BarKind, detail: impl Into<String>) -> Option<Bar> {
    Some(Bar { kind, detail: detail.into() })
}

/// Files that are still served of a project that is quarantined (PEP 792).
pub(super) fn quarantined(judged: &Judged<'_>) -> Option<Bar> {
    let reason = judged.quarantined?;
    let why = if reason.is_empty() { String::new() } else { format!(" (\"{}\")", crate::fault::escaped(reason)) };
    bar(BarKind::Quarantined, format!("its depot has quarantined the project{why}"))
}

/// `--as-of` (docs/choice.md, as-of): a file of that very moment exists, one without date does not.
pub(super) fn date(judged: &Judged<'_>) -> Option<Bar> {
    let as_of = judged.policy.as_of?;
    match judged.file.published {
        None => bar(BarKind::Date, "the depot gives no date for it"),
        Some(moment) if moment > as_of => {
            let day = |t: jiff::Timestamp| t.to_string().chars().take(10).collect::<String>();
            bar(BarKind::Date, format!("published after {} ({})", day(as_of), day(moment)))
        }
        Some(_) => None,
    }
}

/// Requires-Python, per file, against the whole version of the interpreter (docs/choice.md, Requires-Python).
pub(super) fn requires_python(judged: &Judged<'_>) -> Option<Bar> {
    python_bar(judged.file.requires_python.as_deref()?, judged.target)
}

/// The bar that a Requires-Python puts, wherever it was read.
pub(crate) fn python_bar(set: &crate::version::VersionSpecifier, target: &Target) -> Option<Bar> {
    let version = &target.interpreter.version;
    if set.matches(version) {
        return None;
    }
    bar(BarKind::Interpreter, format!("needs Python {set}, here {version}"))
}

/// The wheel's tags.
pub(super) fn tags(judged: &Judged<'_>) -> Option<Bar> {
    let FileKind::Wheel(name) = &judged.file.kind else { return None };
    if judged.rank.is_some() {
        return None;
    }
    sentence(&Misses::of([&judged.target.tag_miss(&name.tags)]), judged.target).into_iter().next()
}

/// Why the tags of a wheel do not fit, in sentences.
pub(crate) fn tag_bars(tags: &crate::artifact::WheelTags, target: &Target) -> Vec<Bar> {
    sentence(&Misses::of([&target.tag_miss(tags)]), target)
}

/// `--wheels only`, but for projects named by `--build`.
pub(super) fn wheels_policy(judged: &Judged<'_>) -> Option<Bar> {
    let FileKind::Sdist(name) = &judged.file.kind else { return None };
    let policy = judged.policy;
    let barred = policy.wheels == Wheels::Only && !policy.build.contains(&name.name);
    if barred { bar(BarKind::Wheels, "only source, and the policy takes wheels only") } else { None }
}

/// The bars of a release: those of its files, summed up, each sentence once.
pub(super) fn of_release(files: &[OfferFile], target: &Target) -> Vec<Bar> {
    // A wheel whose tags fit is the nearest miss of all: only what bars it counts then.
    let one_fits = files.iter().any(|f| f.rank.is_some());
    let misses: Vec<TagMiss> = files
        .iter()
        .filter_map(|f| match &f.file.kind {
            FileKind::Wheel(name) if !one_fits => Some(target.tag_miss(&name.tags)),
            _ => None,
        })
        .collect();
    let mut bars = sentence(&Misses::of(&misses), target);
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
    /// Near misses hide far ones: a wheel whose interpreter is wrong on another platform says nothing when one has
    /// only a wrong interpreter or only a wrong platform.
    fn of<'a>(misses: impl IntoIterator<Item = &'a TagMiss>) -> Self {
        let all: Vec<&TagMiss> = misses.into_iter().collect();
        let far = |m: &TagMiss| matches!(m, TagMiss::Both(..));
        let only_far = all.iter().all(|m| far(m));
        let mut found = Misses::default();
        for miss in all.into_iter().filter(|m| only_far || !far(m)) {
            match miss {
                TagMiss::Platform(platform) => found.platform(platform),
                TagMiss::Abi(abi) => add(&mut found.abis, abi.clone()),
                TagMiss::Interpreter(tags) => tags.iter().for_each(|t| add(&mut found.interpreters, t.clone())),
                TagMiss::Both(tags, platform) => {
                    tags.iter().for_each(|t| add(&mut found.interpreters, t.clone()));
                    found.platform(platform);
                }
            }
        }
        found
    }

    fn platform(&mut self, miss: &PlatformMiss) {
        match miss {
            PlatformMiss::TooOld { what, needs, here } => add(&mut self.too_old, (*what, *needs, *here)),
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

fn sentence(misses: &Misses, target: &Target) -> Vec<Bar> {
    let mut bars = Vec::new();
    let own = target.interpreter.abis.first().cloned().unwrap_or_else(|| target.interpreter.tag());
    if !misses.interpreters.is_empty() {
        let tags = misses.interpreters.join(", ");
        bars.extend(bar(
            BarKind::Interpreter,
            format!("wheels for {tags}; this target is {}", target.interpreter.tag()),
        ));
    }
    if !misses.abis.is_empty() {
        bars.extend(bar(
            BarKind::Interpreter,
            format!("wheels for the ABI {}; this target is {own}", misses.abis.join(", ")),
        ));
    }
    // The smallest step that would do is the nearest miss.
    let nearest = misses.too_old.iter().min_by_key(|(_, needs, _)| *needs);
    if let Some((what, needs, here)) = nearest {
        let kind = if *what == "macOS" { BarKind::Platform } else { BarKind::Libc };
        bars.extend(bar(kind, format!("needs {what} {}.{}, here {}.{}", needs.0, needs.1, here.0, here.1)));
    }
    if !misses.libcs.is_empty() && misses.too_old.is_empty() {
        let here = match target.platform.system {
            System::Linux(Libc::Musl(..)) => "has musl",
            System::Linux(Libc::Static) => "has a static interpreter",
            _ => "has glibc",
        };
        bars.extend(bar(BarKind::Libc, format!("wheels for {} only; this target {here}", misses.libcs.join(", "))));
    }
    let libc_told = !misses.too_old.is_empty() || !misses.libcs.is_empty();
    if !misses.archs.is_empty() && !libc_told {
        let (arch, machine) = (target.platform.arch(), target.platform.machine());
        let userland = if arch == machine { arch.to_owned() } else { format!("{arch} on a kernel for {machine}") };
        bars.extend(bar(
            BarKind::Platform,
            format!("wheels for {} only; this userland is {userland}", misses.archs.join(", ")),
        ));
    }
    if !misses.systems.is_empty() && !libc_told && misses.archs.is_empty() {
        let here = match target.platform.system {
            System::Linux(_) => "Linux",
            System::Macos(..) => "macOS",
            System::Windows => "Windows",
        };
        bars.extend(bar(
            BarKind::Platform,
            format!("wheels for {} only; this target is {here}", misses.systems.join(", ")),
        ));
    }
    if bars.is_empty() && !misses.unknown.is_empty() {
        bars.extend(bar(
            BarKind::Platform,
            format!("wheels for {}, which this target does not take", misses.unknown.join(", ")),
        ));
    }
    bars
}
