//! Offers: the releases of a project as a target sees them (docs/house.md), each with a verdict and
//! its bars.
//!
//! A new kind of bar is its variant in `bar.rs`, a function in `bars.rs` and a line in [`CHECKS`].

mod adjust;
mod admit;
mod bar;
mod bars;
mod build;
mod files;
mod head;
mod judged;
mod late;
mod loss;
mod policy;
mod rank;
mod served;
mod variant;

use std::sync::Arc;

pub(crate) use adjust::needs_only;
pub use adjust::{Adjustment, Effect, Lesson, has_stated, hashes_of, requirements};
pub(crate) use admit::admits_prereleases;
pub use admit::takes;
pub use bar::{Bar, BarKind};
pub use build::{Build, Evidence};
pub use files::{Reach, WheelFiles, untold};
pub use head::Head;
pub use judged::{JudgedPage, Learned, RuleBook, Rules, Told, pick};
pub use late::MetadataAnswer;
pub use loss::{ByExtra, Known, Loss, Lost, OfFile, Open, Shown, by_extra, lost};
pub use policy::{Chronology, Policy, Prefer, Prereleases, Wheels};
pub use rank::{Preferred, Ranking};
pub use served::{Grid, GridRow, Mark, grid};

use eutaxis_standards::artifact::{Feature, WheelTags};
use eutaxis_standards::index::{FileKind, Outlined, Page, PageFile};
use eutaxis_standards::knowledge::MadeFor;
use eutaxis_standards::name::Name;
use eutaxis_standards::targets::{Rank, Target, VariantMiss, VariantOrder};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// Whether a release can be had on the target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Verdict {
    /// A wheel fits.
    Ready,
    /// Only source.
    Build,
    /// Out; the bars say why.
    Barred,
}

impl Verdict {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Verdict::Ready => "ready",
            Verdict::Build => "build",
            Verdict::Barred => "barred",
        }
    }
}

/// A file of a release as the target sees it.
#[derive(Debug, Clone)]
pub struct OfferFile {
    /// The file.
    pub file: Arc<PageFile>,
    /// For a wheel whose tags fit: how well.
    pub rank: Option<Rank>,
    /// For a wheel that can be used: how good a variant it is here (draft PEP 825).
    pub variant: VariantOrder,
    /// For a variant: its properties; empty where it has none, or nothing describes it.
    pub properties: Vec<Feature>,
    /// For a wheel: what it was made for beyond that, as far as it is told without its metadata.
    pub build: Option<Build>,
    /// Why it is out; empty when it can be used.
    pub bars: Vec<Bar>,
}

impl OfferFile {
    /// Whether it is a wheel.
    pub fn is_wheel(&self) -> bool {
        matches!(self.file.kind, FileKind::Wheel(_))
    }

    /// Whether this file alone can be had.
    pub fn verdict(&self) -> Verdict {
        match (self.bars.is_empty(), self.is_wheel()) {
            (true, true) => Verdict::Ready,
            (true, false) => Verdict::Build,
            (false, _) => Verdict::Barred,
        }
    }
}

/// A release with its files and verdict.
#[derive(Debug, Clone)]
pub struct Offer {
    /// The release.
    pub version: Version,
    /// Its files, in the order of the page.
    pub files: Vec<OfferFile>,
    /// Whether it can be had.
    pub verdict: Verdict,
    /// The best file, as an index into `files`.
    best: Option<usize>,
    /// For a barred release why; for one with only source why no wheel fits.
    pub bars: Vec<Bar>,
    /// The best file is yanked: the reason given. Such an offer is taken only when pinned exactly.
    pub yanked: Option<String>,
}

impl Offer {
    /// The file to take.
    pub fn best(&self) -> Option<&OfferFile> {
        self.best.and_then(|i| self.files.get(i))
    }

    /// The same release, out for a reason of its own.
    #[must_use]
    pub fn barred_by(self, bar: Bar) -> Self {
        let bars = std::iter::once(bar).chain(self.bars).collect();
        Offer {
            verdict: Verdict::Barred,
            best: None,
            bars,
            ..self
        }
    }

    /// When the release appeared: the date of the best file, else of the first of its files.
    pub fn published(&self) -> Option<jiff::Timestamp> {
        let own = self.best().and_then(|f| f.file.published);
        own.or_else(|| self.first_published())
    }

    /// When the first of its files appeared.
    pub fn first_published(&self) -> Option<jiff::Timestamp> {
        self.files.iter().filter_map(|f| f.file.published).min()
    }
}

/// A file that later knowledge has barred: its metadata excludes the interpreter, or cannot be
/// known.
#[derive(Debug, Clone, PartialEq, Eq)]
struct LateBar {
    /// The file's name.
    filename: Arc<str>,
    /// Why it is out.
    bar: Bar,
}

/// A file that is being judged.
struct Judged<'a> {
    project: &'a Name,
    /// Of a wheel; none of source.
    tags: Option<&'a WheelTags>,
    requires_python: Option<&'a VersionSpecifier>,
    published: Option<jiff::Timestamp>,
    /// For a wheel: how well its tags fit, if they do.
    rank: Option<Rank>,
    /// For a variant: how good it is, or why it is not taken.
    variant: Option<Result<VariantOrder, VariantMiss>>,
    /// What it was made for.
    build: Option<&'a Build>,
    target: &'a Target,
    policy: &'a Policy,
    /// Why its project is quarantined, if it is; may be empty.
    quarantined: Option<&'a str>,
}

/// Judges one file; [`CHECKS`] lists them all.
type Check = fn(&Judged<'_>) -> Option<Bar>;

/// Every check of a single file, in the order in which bars are told.
const CHECKS: &[Check] = &[
    bars::quarantined,
    bars::date,
    bars::requires_python,
    bars::tags,
    bars::variant,
    build::check,
    bars::wheels_policy,
];

/// The offer of a release of a page; the way to it is [`JudgedPage`].
fn offer_of(
    page: &Page,
    release: &Outlined<'_>,
    target: &Target,
    policy: &Policy,
    late: &[LateBar],
) -> Offer {
    let stated = stated(page, target);
    let files = release.rows().filter_map(|(at, _)| page.files.get(at));
    let judged = files.map(|file| judge(page, file, stated.as_ref(), target, policy, late));
    offer(release.version.clone(), judged.collect(), target)
}

/// All offers of a page, newest release first.
#[cfg(test)]
fn offers(page: &Page, target: &Target, policy: &Policy, late: &[LateBar]) -> Vec<Offer> {
    let releases = page.files.outline().releases();
    releases
        .map(|release| offer_of(page, &release, target, policy, late))
        .collect()
}

/// The same offer without bars of a kind, judged anew.
fn without_bars(mut offer_: Offer, kind: BarKind, target: &Target) -> Offer {
    offer_
        .files
        .iter_mut()
        .for_each(|file| file.bars.retain(|b| b.kind() != kind));
    offer(offer_.version, offer_.files, target)
}

/// The same offer with a bar on some of its files, judged anew.
fn with_bar(
    mut offer_: Offer,
    bar: &Bar,
    is_barred: &dyn Fn(&OfferFile) -> bool,
    target: &Target,
) -> Offer {
    let barred = offer_.files.iter_mut().filter(|f| is_barred(f));
    barred.for_each(|file| file.bars.push(bar.clone()));
    offer(offer_.version, offer_.files, target)
}

/// What the depot of a page says its builds were made for.
fn stated(page: &Page, target: &Target) -> Option<MadeFor> {
    page.made_for
        .as_deref()
        .and_then(|text| target.accelerators.families.made_for(text).ok())
}

fn judge(
    page: &Page,
    file: &Arc<PageFile>,
    stated: Option<&MadeFor>,
    target: &Target,
    policy: &Policy,
    late: &[LateBar],
) -> OfferFile {
    let properties = variant::properties(page, &file.kind);
    let variant = variant::order(page, &file.kind, target);
    let build = build::told(&file.kind, stated, &properties, target);
    let tags = file.kind.tags();
    let rank = tags.and_then(|tags| target.rank(tags));
    let judged = Judged {
        project: &page.project,
        tags,
        requires_python: file.requires_python.as_deref(),
        published: file.published,
        rank,
        variant,
        build: build.as_ref(),
        target,
        policy,
        quarantined: page.quarantined(),
    };
    let variant = judged.variant.clone();
    let mut bars: Vec<Bar> = CHECKS.iter().filter_map(|check| check(&judged)).collect();
    bars.extend(
        late.iter()
            .filter(|l| l.filename == file.filename)
            .map(|l| l.bar.clone()),
    );
    OfferFile {
        file: Arc::clone(file),
        rank,
        variant: variant.and_then(Result::ok).unwrap_or(VariantOrder::Plain),
        properties,
        build,
        bars,
    }
}

fn offer(version: Version, files: Vec<OfferFile>, target: &Target) -> Offer {
    let best = best_file(&files, false).or_else(|| best_file(&files, true));
    let chosen = best.and_then(|i| files.get(i));
    let verdict = match chosen {
        Some(f) if f.is_wheel() => Verdict::Ready,
        Some(_) => Verdict::Build,
        None => Verdict::Barred,
    };
    let yanked = chosen.and_then(|f| f.file.yanked.clone());
    let bars = if verdict == Verdict::Ready {
        Vec::new()
    } else {
        bars::of_release(&files, target)
    };
    Offer {
        version,
        files,
        verdict,
        best,
        bars,
        yanked,
    }
}

/// The best usable file among those that are yanked, or among those that are not: wheels before
/// source, variants before others (draft PEP 825), by rank, then the higher build tag, then name (docs/choice.md, offers).
fn best_file(files: &[OfferFile], yanked: bool) -> Option<usize> {
    let usable = files
        .iter()
        .enumerate()
        .filter(|(_, f)| f.bars.is_empty() && f.file.yanked.is_some() == yanked);
    let key = |f: &OfferFile| {
        let build = match &f.file.kind {
            FileKind::Wheel(name) => name.build.clone(),
            FileKind::Sdist(_) | FileKind::Variants(_) => None,
        };
        (
            !f.is_wheel(),
            f.variant.clone(),
            f.rank,
            std::cmp::Reverse(build),
            f.file.filename.clone(),
        )
    };
    usable.min_by_key(|(_, f)| key(f)).map(|(i, _)| i)
}

#[cfg(test)]
mod tests {
    use super::build::restated;
    use super::late::{late_bar, learned_build};
    use super::*;
    use eutaxis_standards::index::parse_json;
    use rstest::rstest;

    /// A page from `FILE [key value]` lines: `python`, `yanked`, `date`.
    fn page(lines: &[&str]) -> Page {
        let files: Vec<String> = lines
            .iter()
            .map(|line| {
                let mut words = line.split(' ');
                let file = words.next().unwrap();
                let mut keys = String::new();
                while let Some(key) = words.next() {
                    let value = words.next().unwrap();
                    let name = match key {
                        "python" => "requires-python",
                        "date" => "upload-time",
                        other => other,
                    };
                    keys.push_str(&format!(",\"{name}\":\"{value}\""));
                }
                format!("{{\"filename\":\"{file}\",\"url\":\"{file}\"{keys}}}")
            })
            .collect();
        parse_json(
            format!("{{\"files\":[{}]}}", files.join(",")).as_bytes(),
            &Name::parse("m").unwrap(),
        )
        .unwrap()
    }

    fn verdicts(lines: &[&str], spec: &str, policy: &Policy) -> Vec<String> {
        let target = Target::parse(spec).unwrap();
        offers(&page(lines), &target, policy, &[])
            .iter()
            .map(|o| {
                let best = o
                    .best()
                    .map_or(String::new(), |f| format!(" {}", f.file.filename));
                let bars: Vec<String> = o
                    .bars
                    .iter()
                    .map(|b| format!(" [{}] {b}", b.kind().as_str()))
                    .collect();
                format!(
                    "{} {}{best}{}",
                    o.version,
                    o.verdict.as_str(),
                    bars.concat()
                )
            })
            .collect()
    }

    const LINUX: &str = "cpython 3.12.4 / linux x86_64 glibc 2.31";

    #[test]
    fn the_best_file_of_each_release_is_chosen() {
        let lines = [
            "m-1.0-py3-none-any.whl",
            "m-1.0-cp312-cp312-manylinux2014_x86_64.whl",
            "m-1.0.tar.gz",
            "m-1.0-2-cp312-cp312-manylinux2014_x86_64.whl",
            "m-2.0.tar.gz",
        ];
        assert_eq!(
            verdicts(&lines, LINUX, &Policy::default()),
            [
                "2.0 build m-2.0.tar.gz",
                "1.0 ready m-1.0-2-cp312-cp312-manylinux2014_x86_64.whl"
            ]
        );
    }

    #[rstest]
    #[case::interpreter(
        &["m-1-cp39-cp39-manylinux2014_x86_64.whl", "m-1-cp310-cp310-manylinux2014_x86_64.whl", "m-1-cp310-cp310-win_amd64.whl"],
        LINUX,
        "[interpreter] wheels for cp39, cp310; this target is cp312"
    )]
    #[case::libc(&["m-1-cp312-cp312-manylinux_2_34_x86_64.whl"], LINUX, "[libc] needs glibc 2.34, \
        here 2.31")]
    #[case::architecture(
        &["m-1-cp39-cp39-manylinux2014_aarch64.whl"],
        "cpython 3.9 / linux armv7l glibc 2.31",
        "[platform] wheels for aarch64 only; this userland is armv7l"
    )]
    #[case::system(&["m-1-cp312-cp312-win_amd64.whl", "m-1-cp312-cp312-macosx_11_0_arm64.whl"], LINUX,
        "[platform] wheels for Windows, macOS only; this target is Linux")]
    #[case::musl(&["m-1-cp312-cp312-musllinux_1_1_x86_64.whl"], LINUX, "[libc] wheels for musl \
        only; this target has glibc")]
    #[case::abi(
        &["m-1-cp313-cp313-manylinux2014_x86_64.whl"],
        "cpython 3.13.0t / linux x86_64 glibc 2.31",
        "[interpreter] wheels for the ABI cp313; this target is cp313t"
    )]
    #[case::stable_abi(
        &["m-1-cp38-abi3-manylinux2014_x86_64.whl"],
        "cpython 3.13.0t / linux x86_64 glibc 2.31",
        "[interpreter] wheels for the stable ABI abi3, which builds without the global lock do not load \
            (the ordinary 3.13 does); this target is cp313t"
    )]
    #[case::stable_abi_of_a_later_series(
        &["m-1-cp314-abi3-manylinux2014_x86_64.whl"],
        "cpython 3.13.0t / linux x86_64 glibc 2.31",
        "[interpreter] wheels for cp314; this target is cp313"
    )]
    #[case::telephone(&["m-1-cp312-cp312-ios_13_0_arm64_iphoneos.whl"], LINUX,
        "[platform] wheels for iOS only; this target is Linux")]
    #[case::browser(&["m-1-cp312-cp312-pyodide_2025_0_wasm32.whl", "m-1-cp312-cp312-android_24_x86_64.whl"], LINUX,
        "[platform] wheels for WebAssembly, Android only; this target is Linux")]
    #[case::neither(
        &["m-1-cp39-cp39-win_amd64.whl"],
        LINUX,
        "[interpreter] wheels for cp39; this target is cp312 [platform] wheels for Windows only; \
            this target is Linux"
    )]
    #[case::requires(&["m-1-py3-none-any.whl python \
        >=3.13"], LINUX, "[interpreter] needs Python >=3.13, here 3.12.4")]
    fn every_bar_names_the_nearest_miss(
        #[case] lines: &[&str],
        #[case] spec: &str,
        #[case] bars: &str,
    ) {
        assert_eq!(
            verdicts(lines, spec, &Policy::default()),
            [format!("1 barred {bars}")]
        );
    }

    #[rstest]
    #[case("2024-05-01T00:00:00Z", "1 ready m-1-py3-none-any.whl")]
    #[case(
        "2024-04-30T23:59:59Z",
        "1 barred [date] published after 2024-04-30 (2024-05-01)"
    )]
    fn a_date_hides_what_came_later(#[case] as_of: &str, #[case] expected: &str) {
        let policy = Policy {
            as_of: Some(as_of.parse().unwrap()),
            ..Policy::default()
        };
        let lines = ["m-1-py3-none-any.whl date 2024-05-01T00:00:00Z"];
        assert_eq!(verdicts(&lines, LINUX, &policy), [expected]);
    }

    #[test]
    fn a_file_without_date_does_not_exist_under_a_date() {
        let policy = Policy {
            as_of: Some("2030-01-01T00:00:00Z".parse().unwrap()),
            ..Policy::default()
        };
        assert_eq!(
            verdicts(&["m-1-py3-none-any.whl"], LINUX, &policy),
            ["1 barred [date] the depot gives no date for it"]
        );
    }

    #[test]
    fn source_is_barred_by_policy_but_for_named_projects() {
        let only = Policy {
            wheels: Wheels::Only,
            ..Policy::default()
        };
        let lines = ["m-1.tar.gz"];
        assert_eq!(
            verdicts(&lines, LINUX, &only),
            ["1 barred [wheels] only source, and the policy takes wheels only"]
        );
        let named = Policy {
            build: vec![Name::parse("m").unwrap()],
            ..only
        };
        assert_eq!(verdicts(&lines, LINUX, &named), ["1 build m-1.tar.gz"]);
    }

    #[test]
    fn yanking_counts_by_file() {
        let target = Target::parse(LINUX).unwrap();
        let page = page(&[
            "m-1.tar.gz yanked bad",
            "m-1-py3-none-any.whl",
            "m-2-py3-none-any.whl yanked worse",
        ]);
        let offers = offers(&page, &target, &Policy::default(), &[]);
        let yanked: Vec<_> = offers.iter().map(|o| o.yanked.as_deref()).collect();
        assert_eq!(yanked, [Some("worse"), None]);
    }

    #[test]
    fn late_knowledge_moves_on_to_the_next_file() {
        let target = Target::parse(LINUX).unwrap();
        let page = page(&["m-1.tar.gz", "m-1-py3-none-any.whl"]);
        let bar = Bar::Unusable("cut off".to_owned());
        let late = [LateBar {
            filename: "m-1-py3-none-any.whl".into(),
            bar,
        }];
        let offers = offers(&page, &target, &Policy::default(), &late);
        assert_eq!(offers[0].verdict, Verdict::Build);
    }

    const NORDGLIM: &str = "[[family]]\nname = 'nordglim'\nlabel = \
        { before = 'nor', number = 'digits' }\nprocessor = ['cpu']\n\
        packages = ['nordglim-runtime-{major}']\ntoolkit = [{ version = '3.6', linux = '450.0' }, \
        { version = '4.1', linux = '510.0' }]";

    /// A workstation with these accelerators.
    fn place(accelerators: &str) -> Target {
        let families = Arc::new(
            eutaxis_standards::knowledge::Families::built_in()
                .with(NORDGLIM)
                .unwrap(),
        );
        let mut target = Target::parse(LINUX).unwrap();
        target.accelerators =
            eutaxis_standards::targets::Accelerators::parse(accelerators, &families).unwrap();
        target
    }

    const BUILDS: [&str; 5] = [
        "m-2.0+nor41-py3-none-any.whl",
        "m-2.0+cpu-py3-none-any.whl",
        "m-1.0+nor36-py3-none-any.whl",
        "m-1.0+note7-py3-none-any.whl",
        "m-1.0.tar.gz",
    ];

    #[rstest]
    #[case::none("none", &["2.0+nor41 \
        barred", "2.0+cpu ready", "1.0+note7 ready", "1.0+nor36 barred", "1.0 build"], "2.0+cpu")]
    #[case::too_old("nordglim driver \
        498", &["2.0+nor41 \
            barred", "2.0+cpu \
                ready", "1.0+note7 ready", "1.0+nor36 ready", "1.0 build"], "1.0+nor36")]
    #[case::new("nordglim driver \
        512", &["2.0+nor41 \
            ready", "2.0+cpu \
                ready", "1.0+note7 ready", "1.0+nor36 ready", "1.0 build"], "2.0+nor41")]
    fn builds_are_judged_by_the_place(
        #[case] accelerators: &str,
        #[case] expected: &[&str],
        #[case] best: &str,
    ) {
        let target = place(accelerators);
        let offers = offers(&page(&BUILDS), &target, &Policy::default(), &[]);
        let told: Vec<String> = offers
            .iter()
            .map(|o| format!("{} {}", o.version, o.verdict.as_str()))
            .collect();
        assert_eq!(told, expected);
        let asked = eutaxis_standards::Requirement::parse("m").unwrap();
        let taken = pick(
            &offers,
            &asked,
            &Rules {
                target: &target,
                policy: &Policy::default(),
                adjustments: &[],
            },
        )
        .unwrap();
        assert_eq!(offers[taken].version.to_string(), best);
        let oldest = Policy {
            prefer: Prefer::Oldest,
            ..Policy::default()
        };
        let taken = pick(
            &offers,
            &asked,
            &Rules {
                target: &target,
                policy: &oldest,
                adjustments: &[],
            },
        )
        .unwrap();
        assert!(
            offers[taken].version.to_string().starts_with("1.0"),
            "the oldest that runs and uses what is there"
        );
    }

    #[test]
    fn what_is_stated_counts_before_the_label() {
        let mut page = page(&BUILDS);
        page.made_for = Some("nordglim 3.6".to_owned());
        let target = place("nordglim driver 498");
        let stated = offers(&page, &target, &Policy::default(), &[]);
        let builds: Vec<String> = stated
            .iter()
            .flat_map(|o| &o.files)
            .map(|f| {
                f.build
                    .as_ref()
                    .map_or("-".to_owned(), |b| format!("{b} {}", b.evidence.as_str()))
            })
            .collect();
        assert_eq!(
            builds,
            ["built for nordglim 3.6 stated"; 4]
                .iter()
                .copied()
                .chain(["-"])
                .collect::<Vec<_>>()
        );
        let first = stated.into_iter().next().unwrap();
        let none = restated(first, &MadeFor::Processor, &target);
        assert_eq!(
            none.files[0]
                .build
                .as_ref()
                .map(ToString::to_string)
                .as_deref(),
            Some("built without accelerators")
        );
    }

    #[rstest]
    #[case::bars_on_an_old_driver(
        "nordglim driver 498",
        Some("needs nordglim 4; driver 498 runs up to 3.6")
    )]
    #[case::runs("nordglim driver 512", None)]
    #[case::on_the_processor("none", None)]
    fn metadata_tells_what_a_build_is_for(#[case] accelerators: &str, #[case] bar: Option<&str>) {
        let target = place(accelerators);
        let text = "Metadata-Version: 2.1\nName: m\nVersion: 3\nRequires-Dist: \
            nordglim-runtime-4; sys_platform == 'linux'\n";
        let metadata = eutaxis_standards::artifact::Metadata::parse(text.as_bytes()).unwrap();
        let offers = offers(
            &page(&["m-3-py3-none-any.whl", "m-3.tar.gz"]),
            &target,
            &Policy::default(),
            &[],
        );
        let of = |wheel: bool| {
            offers[0]
                .files
                .iter()
                .find(|f| f.is_wheel() == wheel)
                .unwrap()
        };
        assert_eq!(
            learned_build(of(true), &metadata, &target)
                .unwrap()
                .evidence,
            Evidence::Dependency
        );
        assert_eq!(
            late_bar(of(true), &metadata, &target)
                .map(|b| b.to_string())
                .as_deref(),
            bar
        );
        assert!(
            learned_build(of(false), &metadata, &target).is_none(),
            "source is for any place"
        );
    }
}
