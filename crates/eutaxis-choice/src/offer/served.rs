//! Which interpreters and platforms the wheels of a release are for, by their tags alone.

use std::collections::BTreeSet;

use super::{Offer, OfferFile, Verdict};
use eutaxis_standards::artifact::WheelTags;
use eutaxis_standards::targets::{Implementation, Interpreter, TagMiss, Target, no_target};
use eutaxis_standards::version::Version;

/// A series of CPython: major, minor, free-threaded.
type Series = (u32, u32, bool);

fn tags(file: &OfferFile) -> Option<&WheelTags> {
    file.file.kind.tags()
}

/// `cp312` is CPython 3.12, `py3` any 3: in a tag the first digit is the major and all the rest the
/// minor.
fn numbers(digits: &str) -> Option<(u32, Option<u32>)> {
    let (major, minor) = digits.split_at_checked(1)?;
    let minor = if minor.is_empty() {
        None
    } else {
        Some(minor.parse().ok()?)
    };
    Some((major.parse().ok()?, minor))
}

impl Offer {
    /// Interpreters that its wheels are for: `3.9`, `3.13t` (free-threaded), `3.7+` (stable ABI),
    /// `3` (any), `pypy 3.10`.
    pub fn interpreters(&self) -> Vec<String> {
        let mut exact: BTreeSet<Series> = BTreeSet::new();
        let mut stable: BTreeSet<(u32, u32)> = BTreeSet::new();
        let (mut any, mut others) = (BTreeSet::new(), BTreeSet::new());
        for tags in self.files.iter().filter_map(tags) {
            let (abi3, threads) = (
                tags.abis.iter().any(|a| &**a == "abi3"),
                tags.abis
                    .iter()
                    .any(|a| a.starts_with("cp") && a.ends_with('t')),
            );
            for python in &tags.pythons {
                let split = python
                    .find(|c: char| c.is_ascii_digit())
                    .unwrap_or(python.len());
                let (letters, digits) = python.split_at(split);
                match (letters, numbers(digits)) {
                    ("cp", Some((major, Some(minor)))) if abi3 => {
                        stable.insert((major, minor));
                    }
                    ("cp", Some((major, Some(minor)))) => {
                        exact.insert((major, minor, threads));
                    }
                    ("py" | "cp", Some((major, None))) => {
                        any.insert(major.to_string());
                    }
                    ("py", Some((major, Some(minor)))) => {
                        any.insert(format!("{major}.{minor}+"));
                    }
                    ("pp", Some((major, Some(minor)))) => {
                        others.insert(format!("pypy {major}.{minor}"));
                    }
                    _ => {
                        others.insert(python.to_string());
                    }
                }
            }
        }
        let exact = exact
            .into_iter()
            .map(|(a, b, t)| format!("{a}.{b}{}", if t { "t" } else { "" }));
        // The stable ABI of one series is that of all later ones.
        let stable = stable.first().map(|(a, b)| format!("{a}.{b}+")).into_iter();
        any.into_iter()
            .rev()
            .take(1)
            .chain(exact)
            .chain(stable)
            .chain(others)
            .collect()
    }
}

/// What a release has for an interpreter on the target's platform.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// A wheel that runs there.
    Wheel,
    /// Wheels for that interpreter, but for other platforms.
    Elsewhere,
    /// Only source.
    Source,
    /// Nothing.
    Nothing,
}

/// Releases against interpreters and platforms.
#[derive(Debug, Clone, Default)]
pub struct Grid {
    /// Interpreters, oldest first: `3.9`, `3.13t`.
    pub interpreters: Vec<String>,
    /// Systems with their architectures: `linux`, `x86_64`.
    pub platforms: Vec<(String, String)>,
    /// A row for each offer, in its order.
    pub rows: Vec<GridRow>,
}

/// A release's row.
#[derive(Debug, Clone)]
pub struct GridRow {
    /// The release.
    pub version: Version,
    /// Its verdict on the target.
    pub verdict: Verdict,
    /// For each interpreter.
    pub marks: Vec<Mark>,
    /// For each platform, with the target's interpreter: none, or the oldest C library or system
    /// that a wheel takes (empty where there is no such floor).
    pub floors: Vec<Option<String>>,
}

/// A platform as a tag names it: system, architecture, and the floor that it sets.
type Place = (String, String, (u32, u32));

fn places(tag: &str) -> Vec<Place> {
    let versioned = |system: &str, rest: &str| -> Option<Place> {
        let mut parts = rest.splitn(3, '_');
        let floor = (parts.next()?.parse().ok()?, parts.next()?.parse().ok()?);
        Some((system.to_owned(), parts.next()?.to_owned(), floor))
    };
    let linux = |arch: &str, floor| vec![("linux".to_owned(), arch.to_owned(), floor)];
    if let Some(arch) = tag.strip_prefix("manylinux1_") {
        return linux(arch, (2, 5));
    } else if let Some(arch) = tag.strip_prefix("manylinux2010_") {
        return linux(arch, (2, 12));
    } else if let Some(arch) = tag.strip_prefix("manylinux2014_") {
        return linux(arch, (2, 17));
    } else if let Some(rest) = tag.strip_prefix("manylinux_") {
        return versioned("linux", rest).into_iter().collect();
    } else if let Some(rest) = tag.strip_prefix("musllinux_") {
        return versioned("musl", rest).into_iter().collect();
    } else if let Some(arch) = tag.strip_prefix("linux_") {
        return linux(arch, (0, 0));
    } else if let Some(rest) = tag.strip_prefix("macosx_") {
        let Some((system, arch, floor)) = versioned("macos", rest) else {
            return Vec::new();
        };
        let archs: &[&str] = match arch.as_str() {
            "universal2" => &["arm64", "x86_64"],
            "intel" | "universal" | "fat64" | "fat32" => &["x86_64"],
            other => return vec![(system, other.to_owned(), floor)],
        };
        return archs
            .iter()
            .map(|a| (system.clone(), (*a).to_owned(), floor))
            .collect();
    }
    if let Some(system) = no_target(tag) {
        // `ios_13_0_arm64_iphoneos`, `android_24_x86_64`, `pyodide_2025_0_wasm32`.
        let is_number = |part: &&str| part.bytes().all(|b| b.is_ascii_digit());
        let parts = tag.split('_').skip(1).skip_while(is_number);
        let arch = parts.collect::<Vec<_>>().join("_");
        return vec![(system.to_ascii_lowercase(), arch, (0, 0))];
    }
    let windows = match tag {
        "win_amd64" => "x86_64",
        "win32" => "i686",
        "win_arm64" => "aarch64",
        _ => return Vec::new(),
    };
    vec![("windows".to_owned(), windows.to_owned(), (0, 0))]
}

/// The grid of some offers, as a target sees them.
pub fn grid<'a>(offers: impl Iterator<Item = &'a Offer> + Clone, target: &Target) -> Grid {
    let mut series: BTreeSet<Series> = BTreeSet::new();
    let mut platforms: BTreeSet<(String, String)> = BTreeSet::new();
    for tags in offers.clone().flat_map(|o| &o.files).filter_map(tags) {
        for python in tags.pythons.iter().filter_map(|p| p.strip_prefix("cp")) {
            if let Some((major, Some(minor))) = numbers(python) {
                let threads = tags
                    .abis
                    .iter()
                    .any(|a| a.starts_with("cp") && a.ends_with('t'));
                series.insert((major, minor, threads));
            }
        }
        platforms.extend(
            tags.platforms
                .iter()
                .flat_map(|p| places(p))
                .map(|(system, arch, _)| (system, arch)),
        );
    }
    if target.interpreter.implementation == Implementation::Cpython {
        let (major, minor) = target.interpreter.series();
        let number = |n: u64| u32::try_from(n).unwrap_or(u32::MAX);
        series.insert((
            number(major),
            number(minor),
            target.interpreter.free_threaded,
        ));
    }
    let views: Vec<(String, Target)> = series
        .iter()
        .filter_map(|(major, minor, threads)| {
            let version = Version::parse(&format!("{major}.{minor}")).ok()?;
            let interpreter =
                Interpreter::planned(Implementation::Cpython, &version, *threads).ok()?;
            let name = format!("{major}.{minor}{}", if *threads { "t" } else { "" });
            Some((name, target.with_interpreter(interpreter)))
        })
        .collect();
    let platforms: Vec<(String, String)> = platforms.into_iter().collect();
    let rows = offers
        .map(|offer| GridRow {
            version: offer.version.clone(),
            verdict: offer.verdict,
            marks: views.iter().map(|(_, view)| mark(offer, view)).collect(),
            floors: platforms.iter().map(|p| floor(offer, p, target)).collect(),
        })
        .collect();
    Grid {
        interpreters: views.into_iter().map(|(name, _)| name).collect(),
        platforms,
        rows,
    }
}

fn mark(offer: &Offer, view: &Target) -> Mark {
    let admitted = |file: &&OfferFile| {
        file.file
            .requires_python
            .as_ref()
            .is_none_or(|set| set.matches(&view.interpreter.version))
    };
    let files: Vec<&OfferFile> = offer.files.iter().filter(admitted).collect();
    let wheels = || files.iter().copied().filter_map(tags);
    if wheels().any(|t| view.rank(t).is_some()) {
        Mark::Wheel
    } else if wheels().any(|t| matches!(view.tag_miss(t), TagMiss::Platform(_))) {
        Mark::Elsewhere
    } else if files.iter().any(|f| !f.is_wheel()) {
        Mark::Source
    } else {
        Mark::Nothing
    }
}

fn floor(offer: &Offer, platform: &(String, String), target: &Target) -> Option<String> {
    let runs = |t: &&WheelTags| {
        target.rank(t).is_some() || matches!(target.tag_miss(t), TagMiss::Platform(_))
    };
    let admitted = |file: &&OfferFile| {
        file.file
            .requires_python
            .as_ref()
            .is_none_or(|set| set.matches(&target.interpreter.version))
    };
    let fitting: Vec<&WheelTags> = offer
        .files
        .iter()
        .filter(admitted)
        .filter_map(tags)
        .filter(runs)
        .collect();
    if fitting
        .iter()
        .any(|t| t.platforms.iter().any(|p| &**p == "any"))
    {
        return Some(String::new());
    }
    let floors = fitting
        .iter()
        .flat_map(|t| &t.platforms)
        .flat_map(|p| places(p));
    let lowest = floors
        .filter(|(s, a, _)| (s, a) == (&platform.0, &platform.1))
        .map(|(_, _, floor)| floor)
        .min()?;
    Some(if lowest == (0, 0) {
        String::new()
    } else {
        format!("{}.{}", lowest.0, lowest.1)
    })
}

#[cfg(test)]
mod tests {
    use super::super::{Policy, offers};
    use super::*;
    use eutaxis_standards::index::{Page, parse_json};
    use eutaxis_standards::name::Name;
    use rstest::rstest;

    fn page(files: &[&str]) -> Page {
        let entries: Vec<String> = files
            .iter()
            .map(|f| format!(r#"{{"filename":"{f}","url":"{f}"}}"#))
            .collect();
        let text = format!(r#"{{"files":[{}]}}"#, entries.join(","));
        parse_json(text.as_bytes(), &Name::parse("m").unwrap()).unwrap()
    }

    const LINUX: &str = "cpython 3.12 / linux x86_64 glibc 2.31";

    #[rstest]
    #[case(&["m-1-cp39-cp39-win_amd64.whl", "m-1-cp310-cp310-win_amd64.whl", "m-1-cp310-cp310-linux_x86_64.whl"], &["3.9", "3.10"])]
    #[case(&["m-1-cp37-abi3-win_amd64.whl", "m-1-cp38-abi3-linux_x86_64.whl"], &["3.7+"])]
    #[case(&["m-1-py2.py3-none-any.whl"], &["3"])]
    #[case(&["m-1-cp313-cp313t-win_amd64.whl", "m-1-pp310-pypy310_pp73-win_amd64.whl"], &["3.13t", "pypy 3.10"])]
    #[case(&["m-1.tar.gz"], &[])]
    fn the_interpreters_of_a_release_are_read_from_its_tags(
        #[case] files: &[&str],
        #[case] expected: &[&str],
    ) {
        let target = Target::parse(LINUX).unwrap();
        assert_eq!(
            offers(&page(files), &target, &Policy::default(), &[])[0].interpreters(),
            expected
        );
    }

    #[test]
    fn the_grid_marks_where_a_wheel_exists() {
        let target = Target::parse(LINUX).unwrap();
        let page = page(&[
            "m-2-cp312-cp312-manylinux_2_34_x86_64.whl",
            "m-2-cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64.whl",
            "m-2-cp312-cp312-macosx_11_0_universal2.whl",
            "m-1-py3-none-any.whl",
            "m-0.tar.gz",
        ]);
        let offers = offers(&page, &target, &Policy::default(), &[]);
        let grid = grid(offers.iter(), &target);
        assert_eq!(grid.interpreters, ["3.11", "3.12"]);
        let places: Vec<String> = grid
            .platforms
            .iter()
            .map(|(s, a)| format!("{s} {a}"))
            .collect();
        assert_eq!(places, ["linux x86_64", "macos arm64", "macos x86_64"]);
        let marks: Vec<_> = grid.rows.iter().map(|r| r.marks.clone()).collect();
        assert_eq!(
            marks,
            [
                [Mark::Wheel, Mark::Elsewhere],
                [Mark::Wheel, Mark::Wheel],
                [Mark::Source, Mark::Source]
            ]
        );
        let floors: Vec<Vec<_>> = grid
            .rows
            .iter()
            .map(|r| r.floors.iter().map(|f| f.as_deref()).collect())
            .collect();
        assert_eq!(
            floors,
            [
                [Some("2.34"), Some("11.0"), Some("11.0")],
                [Some(""), Some(""), Some("")],
                [None, None, None]
            ]
        );
    }
}
