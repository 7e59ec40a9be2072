//! The one judge of a page: what its files are for a place, by the page itself, by what the user
//! states over the metadata, and by the metadata as far as they are known. Whoever wants offers
//! asks it, so that all commands say the same of a release.

use std::sync::{Arc, OnceLock};

use rustc_hash::{FxHashMap, FxHashSet};

use super::adjust::{Adjustment, needs_only, offered};
use super::admit::{self, Refusal};
use super::head::Glance;
use super::late::{MetadataAnswer, bar_of, learned_build};
use super::rank::{self, Preferred, Ranking};
use super::{Bar, Build, Head, LateBar, Offer, OfferFile, Policy, WheelFiles, build, offer_of};
use eutaxis_standards::artifact::{Metadata, Unsure};
use eutaxis_standards::index::{FileKind, Outlined, Page};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::{Target, Unserved};
use eutaxis_standards::version::Version;

/// By what pages are judged.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rules<'a> {
    /// The place.
    pub target: &'a Target,
    /// What the user permits and prefers.
    pub policy: &'a Policy,
    /// What the user states over the metadata.
    pub adjustments: &'a [Adjustment],
}

/// The same, in the hands of those who judge by it.
#[derive(Debug, Clone)]
pub struct RuleBook {
    /// The place.
    pub target: Target,
    /// What the user permits and prefers.
    pub policy: Policy,
    /// What the user states over the metadata.
    pub adjustments: Vec<Adjustment>,
}

impl RuleBook {
    /// A copy of rules.
    pub fn of(rules: &Rules<'_>) -> Self {
        RuleBook {
            target: rules.target.clone(),
            policy: rules.policy.clone(),
            adjustments: rules.adjustments.to_vec(),
        }
    }

    /// The rules.
    pub fn rules(&self) -> Rules<'_> {
        Rules {
            target: &self.target,
            policy: &self.policy,
            adjustments: &self.adjustments,
        }
    }
}

/// A page with its releases as a place sees them: of all what ranks them, of those that are asked for
/// all that is told of their files. Cheap to share: what metadata add is learnt by a
/// copy of one's own.
///
/// ```
/// use std::sync::Arc;
/// use eutaxis_standards::index::parse_json;
/// use eutaxis_choice::offer::{JudgedPage, Policy, Rules};
/// use eutaxis_standards::{Name, Requirement, Target};
///
/// let page = br#"{"files": [{"filename": "radargram-2.1-py3-none-any.whl", "url": "a"},
///                           {"filename": "radargram-2.2-cp39-cp39-win_amd64.whl", "url": "b"}]}"#;
/// let page = parse_json(page, &Name::parse("radargram")?)?;
/// let target = Target::parse("cpython 3.12 / linux aarch64 glibc 2.36")?;
/// let rules = Rules { target: &target, policy: &Policy::default(), adjustments: &[] };
/// let judged = JudgedPage::new(Arc::new(page), &rules);
/// let best = judged.best(&Requirement::parse("radargram")?, &rules);
/// assert_eq!(best.map(|o| o.version.to_string()).as_deref(), Some("2.1"));
/// # Ok::<(), eutaxis_standards::fault::Fault>(())
/// ```
#[derive(Debug, Clone)]
pub struct JudgedPage {
    page: Arc<Page>,
    book: Arc<RuleBook>,
    late: Vec<LateBar>,
    /// Of all releases, newest first.
    heads: Vec<Head>,
    /// The same, as far as they were asked for.
    offers: Vec<OnceLock<Arc<Offer>>>,
    /// What files were made for by their metadata, where nothing else says it.
    builds: FxHashMap<Arc<str>, Build>,
    /// Wheels of which a device of the place is known to run the code.
    run: FxHashSet<Arc<str>>,
}

/// What the answer about a file's metadata told.
#[derive(Debug, Clone)]
pub enum Learned {
    /// No release of the page has the file.
    Unknown,
    /// Only the archive would tell.
    Dear,
    /// What follows.
    Told(Told),
}

/// What is known of a file by its metadata.
#[derive(Debug, Clone)]
pub struct Told {
    /// Its release.
    pub version: Version,
    /// What it needs; none where nobody can know it.
    pub metadata: Option<Arc<Metadata>>,
    /// The file says nothing: the metadata are what the user states.
    pub is_stated: bool,
    /// What it was made for, where nothing else says it.
    pub build: Option<Build>,
    /// It is out by that, so that the offers are other ones now.
    pub is_barred: bool,
}

impl JudgedPage {
    /// A page as its own word and the user's have it.
    pub fn new(page: Arc<Page>, rules: &Rules<'_>) -> Self {
        Self::by(page, Arc::new(RuleBook::of(rules)))
    }

    /// The same for somebody who judges several pages.
    pub fn by(page: Arc<Page>, book: Arc<RuleBook>) -> Self {
        let releases = page.files.outline().len();
        let (mut heads, mut offers) = (Vec::with_capacity(releases), Vec::with_capacity(releases));
        let glance = Glance::new(&page, book.rules());
        for release in page.files.outline().releases() {
            let offer = OnceLock::new();
            heads.push(glance.head(&release).unwrap_or_else(|| {
                let judged = judged(&page, &release, &book.rules(), &[]);
                Head::of(offer.get_or_init(|| Arc::new(judged)))
            }));
            offers.push(offer);
        }
        JudgedPage {
            page,
            book,
            late: Vec::new(),
            heads,
            offers,
            builds: FxHashMap::default(),
            run: FxHashSet::default(),
        }
    }

    /// The page.
    pub fn page(&self) -> &Arc<Page> {
        &self.page
    }

    /// The project.
    pub fn project(&self) -> &Name {
        &self.page.project
    }

    /// All releases at a glance, newest first.
    pub fn heads(&self) -> &[Head] {
        &self.heads
    }

    /// All releases, newest first, each with all that is told of its files.
    pub fn offers(&self) -> impl DoubleEndedIterator<Item = &Offer> + Clone {
        (0..self.offers.len()).filter_map(|at| self.at(at))
    }

    /// A release by its place, the newest first.
    pub fn at(&self, at: usize) -> Option<&Offer> {
        let offer = self.offers.get(at)?;
        if let Some(known) = offer.get() {
            return Some(known);
        }
        let release = self.page.files.outline().release(at)?;
        let judge = || judged(&self.page, &release, &self.book.rules(), &self.late);
        Some(offer.get_or_init(|| Arc::new(judge())))
    }

    /// The place of a release, the newest first.
    pub(crate) fn position(&self, version: &Version) -> Option<usize> {
        self.heads
            .binary_search_by(|h| version.cmp(&h.version))
            .ok()
    }

    /// One release at a glance.
    pub fn head(&self, version: &Version) -> Option<&Head> {
        self.position(version).and_then(|at| self.heads.get(at))
    }

    /// One release.
    pub fn offer(&self, version: &Version) -> Option<&Offer> {
        self.position(version).and_then(|at| self.at(at))
    }

    /// The best file of a release, by the place of the release.
    pub(crate) fn best_name(&self, at: usize) -> Option<&Arc<str>> {
        self.name_of(at, self.heads.get(at)?.best?)
    }

    /// The name of a file, by the place of its release, and its own among those of the release.
    pub(crate) fn name_of(&self, release: usize, file: usize) -> Option<&Arc<str>> {
        let release = self.page.files.outline().release(release)?;
        let (place, _) = release.rows().nth(file)?;
        self.page.files.get(place).map(|f| &f.filename)
    }

    /// What the best file of a release was made for, by the place of the release.
    pub(crate) fn best_build(&self, at: usize) -> Option<&Build> {
        let told = self.heads.get(at)?.build.as_ref();
        // Where nothing was learned no name is read for it.
        if told.is_some() || self.builds.is_empty() {
            return told;
        }
        self.builds.get(self.best_name(at)?)
    }

    /// The release that has a file, by its place, and that file among those of it.
    fn place_of(&self, filename: &str) -> Option<(usize, &Offer, &OfferFile)> {
        let kind = FileKind::of(filename, self.project()).ok()?;
        let at = self.position(kind.version())?;
        let offer = self.at(at)?;
        let file = offer.files.iter().find(|f| *f.file.filename == *filename)?;
        Some((at, offer, file))
    }

    /// What a file was made for, by its page or by its metadata.
    pub fn build_of<'a>(&'a self, file: &'a OfferFile) -> Option<&'a Build> {
        file.build
            .as_ref()
            .or_else(|| self.builds.get(&file.file.filename))
    }

    /// Whether a file is out by its metadata, or because nobody can know them.
    pub fn is_learnt_barred(&self, filename: &str) -> bool {
        self.late.iter().any(|l| *l.filename == *filename)
    }

    /// How many files are out by their metadata.
    pub fn learnt_bars(&self) -> usize {
        self.late.len()
    }

    /// Takes in what is known of a file's metadata (docs/choice.md, Requires-Python). The user's
    /// word stands for what nobody can tell. A copy is made only of what changes by that.
    pub fn learn(
        self: &mut Arc<Self>,
        filename: &Arc<str>,
        answer: &MetadataAnswer,
        rules: &Rules<'_>,
    ) -> Learned {
        let Some((at, offer, file)) = self.place_of(filename) else {
            return Learned::Unknown;
        };
        let version = offer.version.clone();
        let stated = needs_only(
            &self.page.project,
            &version,
            rules.target,
            rules.adjustments,
        );
        let is_stated = stated.is_some() && !matches!(answer, MetadataAnswer::Known(_));
        let unsaid = || Metadata::unsaid(self.page.project.clone(), version.clone());
        // What a build will tell is let be where one is permitted.
        let is_left = matches!(answer, MetadataAnswer::UnknownUntilBuilt)
            && rules.policy.builds(&self.page.project);
        let answer = if is_stated {
            MetadataAnswer::Known(Arc::new(unsaid()))
        } else if is_left {
            MetadataAnswer::Known(Arc::new(Metadata {
                unsure: Some(Unsure::Build),
                ..unsaid()
            }))
        } else {
            answer.clone()
        };
        if matches!(answer, MetadataAnswer::Dear(_)) {
            return Learned::Dear;
        }
        let bar = bar_of(&answer, file, &version, rules.target);
        let metadata = if let MetadataAnswer::Known(metadata) = answer {
            Some(metadata)
        } else {
            None
        };
        // A wheel for another place is read to compare, and says nothing of this one.
        let fits = file.rank.is_some() || !file.is_wheel();
        let bar = bar.filter(|b| fits || matches!(b, Bar::Unusable(_) | Bar::TooDear { .. }));
        let read = metadata.as_ref().filter(|_| fits);
        let build = read.and_then(|m| learned_build(file, m, rules.target));
        let is_barred = bar.is_some();
        if build.is_some() || is_barred {
            let mine = Arc::make_mut(self);
            mine.builds
                .extend(build.clone().map(|build| (Arc::clone(filename), build)));
            if let Some(bar) = bar {
                mine.late.push(LateBar {
                    filename: Arc::clone(filename),
                    bar,
                });
                mine.judge_again(at, rules);
            }
        }
        Learned::Told(Told {
            version,
            metadata,
            is_stated,
            build,
            is_barred,
        })
    }

    /// Takes in what is known of the files within a wheel; whether it is out by that. What else tells
    /// what it was made for goes before.
    pub fn learn_files(
        self: &mut Arc<Self>,
        filename: &Arc<str>,
        files: &WheelFiles,
        rules: &Rules<'_>,
    ) -> bool {
        let found = self.place_of(filename).filter(|(.., f)| f.rank.is_some());
        let Some((_, offer, file)) = found else {
            return false;
        };
        let (version, is_open) = (offer.version.clone(), file.bars.is_empty());
        let untold = self.build_of(file).is_none();
        let told = files.build(rules.target).filter(|_| untold);
        let accelerators = &rules.target.accelerators;
        let code = files.code(rules.target);
        let by_code = accelerators.code_miss(&code).map(Bar::Accelerator);
        let bar = told
            .as_ref()
            .and_then(|told| build::bar(told, rules.target));
        let is_run = accelerators.runs_code(&code);
        if told.is_some() || is_run {
            let mine = Arc::make_mut(self);
            let told = told.into_iter().map(|told| (Arc::clone(filename), told));
            mine.builds.extend(told);
            mine.run.extend(is_run.then(|| Arc::clone(filename)));
        }
        let bar = bar.or(by_code).filter(|_| is_open);
        bar.is_some_and(|bar| self.bar(&version, filename, bar, rules))
    }

    /// That the build of a release is for a toolkit older than the devices of the place, where its
    /// compiled files are not known to hold code that one of them runs.
    pub fn unserved(&self, offer: &Offer, target: &Target) -> Option<Unserved> {
        let best = offer.best()?;
        let build = self.build_of(best)?;
        let found = target
            .accelerators
            .unserved(&build.made_for, target.platform.system);
        found.filter(|_| !self.run.contains(&best.file.filename))
    }

    /// Bars a file for what was concluded of it; whether a release of the page has it.
    pub(crate) fn bar(
        self: &mut Arc<Self>,
        version: &Version,
        filename: &Arc<str>,
        bar: Bar,
        rules: &Rules<'_>,
    ) -> bool {
        let Some(at) = self.position(version) else {
            return false;
        };
        let mine = Arc::make_mut(self);
        let filename = Arc::clone(filename);
        mine.late.push(LateBar { filename, bar });
        mine.judge_again(at, rules);
        true
    }

    /// Just one release is judged again.
    fn judge_again(&mut self, at: usize, rules: &Rules<'_>) {
        let release = self.page.files.outline().release(at);
        let again = release.map(|r| judged(&self.page, &r, rules, &self.late));
        if let (Some(again), Some(head), Some(offer)) =
            (again, self.heads.get_mut(at), self.offers.get_mut(at))
        {
            *head = Head::of(&again);
            *offer = OnceLock::from(Arc::new(again));
        }
    }

    /// The releases that can be used in the order in which they are taken.
    pub fn ranking(&self, rules: &Rules<'_>, preferred: &Preferred<'_>) -> Ranking {
        rank::ranking(&self.heads, rules, preferred)
    }

    /// The offers with bars for what a requirement does not admit (docs/choice.md, pre-releases,
    /// yanked releases).
    pub fn admitted(&self, requirement: &Requirement, rules: &Rules<'_>) -> Vec<Offer> {
        let refusal = admit::refusals(&self.heads, requirement, rules.policy);
        let admitted = |(offer, head): (&Offer, &Head)| match refusal(head) {
            Some(Refusal::Yanked) => {
                let reason = offer.yanked.clone().unwrap_or_default();
                offer.clone().barred_by(Bar::Yanked(reason))
            }
            Some(Refusal::Prerelease) => offer.clone().barred_by(Bar::Prerelease),
            None => offer.clone(),
        };
        self.offers().zip(&self.heads).map(admitted).collect()
    }

    /// The release to take when only this project is looked at.
    pub fn best(&self, requirement: &Requirement, rules: &Rules<'_>) -> Option<&Offer> {
        let refusal = admit::refusals(&self.heads, requirement, rules.policy);
        let ranking = self.ranking(rules, &Preferred::default());
        let taken = |at: &usize| {
            let head = self.heads.get(*at);
            head.is_some_and(|h| admit::takes(requirement, &h.version) && refusal(h).is_none())
        };
        self.at(ranking.order.into_iter().find(taken)?)
    }
}

/// All that is told of a release.
fn judged(page: &Page, release: &Outlined<'_>, rules: &Rules<'_>, late: &[LateBar]) -> Offer {
    let offer = offer_of(page, release, rules.target, rules.policy, late);
    offered(offer, &page.project, rules.target, rules.adjustments)
}

/// The best of the offers (newest first, admitted) that the requirement takes, as an index.
pub fn pick(offers: &[Offer], requirement: &Requirement, rules: &Rules<'_>) -> Option<usize> {
    let heads: Vec<Head> = offers.iter().map(Head::of).collect();
    let ranking = rank::ranking(&heads, rules, &Preferred::default());
    let taken = |i: &usize| {
        offers
            .get(*i)
            .is_some_and(|o| admit::takes(requirement, &o.version))
    };
    ranking.order.into_iter().find(taken)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::offer::{Effect, Prefer, Verdict, Wheels};
    use eutaxis_standards::fault::Origin;
    use eutaxis_standards::index::parse_json;
    use eutaxis_standards::version::VersionSpecifier;
    use proptest::prelude::*;
    use rstest::rstest;

    const PAGE: &str = r#"{"files":[{"filename":"m-4.0rc1-py3-none-any.whl","url":""},{"filename":"m-3.0.tar.gz","url":""},
        {"filename":"m-2.5-py3-none-any.whl","url":"","yanked":true},{"filename":"m-2.0-py3-none-any.whl","url":""},
        {"filename":"m-1.0-py3-none-any.whl","url":""},{"filename":"m-0.5-py2-none-any.whl","url":""}]}"#;

    fn target() -> Target {
        Target::parse("cpython 3.12 / linux x86_64 glibc 2.31").unwrap()
    }

    fn name() -> Name {
        Name::parse("m").unwrap()
    }

    fn page() -> Arc<Page> {
        Arc::new(parse_json(PAGE.as_bytes(), &name()).unwrap())
    }

    #[rstest]
    #[case::newest("m", Policy::default(), Some("2.0"))]
    #[case::source_comes_after("m>=3", Policy::default(), Some("3.0"))]
    #[case::any("m", Policy { wheels: Wheels::Any, ..Policy::default() }, Some("3.0"))]
    #[case::oldest("m", Policy { prefer: Prefer::Oldest, ..Policy::default() }, Some("1.0"))]
    #[case::prerelease_named("m>=4a1", Policy::default(), Some("4.0rc1"))]
    #[case::prerelease_alone("m>3.5", Policy::default(), Some("4.0rc1"))]
    #[case::yanked_pinned("m==2.5", Policy::default(), Some("2.5"))]
    #[case::yanked_otherwise("m>2.1,<2.9", Policy::default(), None)]
    #[case::barred("m==0.5", Policy::default(), None)]
    fn the_rules_of_choice_hold(
        #[case] requirement: &str,
        #[case] policy: Policy,
        #[case] expected: Option<&str>,
    ) {
        let target = target();
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let requirement = Requirement::parse(requirement).unwrap();
        let judged = JudgedPage::new(page(), &rules);
        let best = judged.best(&requirement, &rules);
        assert_eq!(best.map(|o| o.version.to_string()).as_deref(), expected);
    }

    fn adjustment(versions: &str, effect: Effect) -> Adjustment {
        Adjustment {
            project: name(),
            versions: VersionSpecifier::parse(versions).unwrap(),
            when: None,
            effect,
            because: "it drifts".to_owned(),
            origin: Origin::Argument,
            learnt: None,
        }
    }

    #[rstest]
    #[case::what_the_user_avoids("==2.0", Effect::Avoid, Some("1.0"))]
    #[case::another_release("==1.0", Effect::Avoid, Some("2.0"))]
    fn the_users_word_counts(
        #[case] versions: &str,
        #[case] effect: Effect,
        #[case] expected: Option<&str>,
    ) {
        let (target, policy, adjustments) =
            (target(), Policy::default(), [adjustment(versions, effect)]);
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &adjustments,
        };
        let judged = JudgedPage::new(page(), &rules);
        let requirement = Requirement::any(&name());
        let best = judged.best(&requirement, &rules);
        assert_eq!(best.map(|o| o.version.to_string()).as_deref(), expected);
    }

    fn metadata(lines: &str) -> MetadataAnswer {
        let text = format!("Metadata-Version: 2.1\nName: m\nVersion: 2.0\n{lines}");
        MetadataAnswer::Known(Arc::new(Metadata::parse(text.as_bytes()).unwrap()))
    }

    #[rstest]
    #[case::excludes_the_interpreter(metadata("Requires-Python: <3.10\n"), true)]
    #[case::takes_it(metadata("Requires-Python: >=3.10\n"), false)]
    #[case::cannot_be_read(MetadataAnswer::Unusable("cut off".to_owned()), true)]
    #[case::only_the_archive(MetadataAnswer::Dear(9), false)]
    fn metadata_bar(#[case] answer: MetadataAnswer, #[case] is_barred: bool) {
        let (target, policy) = (target(), Policy::default());
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let mut judged = Arc::new(JudgedPage::new(page(), &rules));
        let file: Arc<str> = "m-2.0-py3-none-any.whl".into();
        judged.learn(&file, &answer, &rules);
        let verdict = judged.offer(&Version::parse("2").unwrap()).unwrap().verdict;
        assert_eq!(
            (verdict == Verdict::Barred, judged.is_learnt_barred(&file)),
            (is_barred, is_barred)
        );
        let unknown = judged.learn(&"n-1-py3-none-any.whl".into(), &answer, &rules);
        assert!(matches!(unknown, Learned::Unknown));
    }

    #[test]
    fn a_stated_list_of_needs_stands_for_what_nobody_can_tell() {
        let (target, policy) = (target(), Policy::default());
        let adjustments = [adjustment("", Effect::NeedsOnly(Vec::new()))];
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &adjustments,
        };
        let mut judged = Arc::new(JudgedPage::new(page(), &rules));
        let learned = judged.learn(
            &"m-3.0.tar.gz".into(),
            &MetadataAnswer::UnknownUntilBuilt,
            &rules,
        );
        assert!(
            matches!(
                learned,
                Learned::Told(Told {
                    is_stated: true,
                    is_barred: false,
                    ..
                })
            ),
            "{learned:?}"
        );
    }

    /// What files of random pages are: where they go, and what the page says of them.
    const TAGS: [&str; 7] = [
        "py3-none-any.whl",
        "py2-none-any.whl",
        "cp312-cp312-manylinux_2_17_x86_64.whl",
        "2-cp312-cp312-manylinux_2_17_x86_64.whl",
        "cp312-cp312-manylinux_2_28_x86_64.manylinux_2_31_x86_64.whl",
        "cp312-cp312-win_amd64.whl",
        "cp312-cp312-linux_x86_64-fast.whl",
    ];
    const VERSIONS: [&str; 6] = ["1.0", "1.0.0", "1.1", "2.0rc1", "2.0+nor41", "0.5"];
    const SAID: [&str; 6] = [
        "",
        r#","yanked":true"#,
        r#","requires-python":">=3.13""#,
        r#","requires-python":">=3.8","upload-time":"2024-03-01T10:20:30Z""#,
        r#","upload-time":"2024-06-01T10:20:30.5Z""#,
        r#","yanked":"bad","upload-time":"2023-06-01T10:20:30Z""#,
    ];

    fn any_page() -> impl Strategy<Value = Page> {
        let file = (0..VERSIONS.len(), 0..=TAGS.len(), 0..SAID.len());
        (proptest::collection::vec(file, 0..12), 0..4usize).prop_map(|(files, status)| {
            let files: Vec<String> = files
                .iter()
                .map(|(version, tags, said)| {
                    let version = VERSIONS[*version];
                    let name = match TAGS.get(*tags) {
                        Some(tags) => format!("m-{version}-{tags}"),
                        None => format!("m-{version}.tar.gz"),
                    };
                    format!(r#"{{"filename":"{name}","url":"u/{name}"{}}}"#, SAID[*said])
                })
                .collect();
            let status = match status {
                0 => r#""project-status":{"status":"quarantined"},"#,
                _ => "",
            };
            let text = format!(r#"{{{status}"files":[{}]}}"#, files.join(","));
            parse_json(text.as_bytes(), &name()).unwrap()
        })
    }

    fn any_policy() -> impl Strategy<Value = Policy> {
        (0..3usize, any::<bool>(), any::<bool>(), any::<bool>()).prop_map(
            |(wheels, dated, take_undated, rebuilt)| Policy {
                wheels: [Wheels::Only, Wheels::Any, Wheels::First][wheels],
                as_of: dated.then(|| "2024-04-01T00:00:00Z".parse().unwrap()),
                take_undated,
                rebuild: rebuilt.then(name).into_iter().collect(),
                ..Policy::default()
            },
        )
    }

    proptest! {
        #[test]
        fn a_glance_says_what_a_whole_look_says(
            page in any_page(),
            policy in any_policy(),
            place in 0..2usize,
            effect in 0..4usize,
            is_stated in any::<bool>(),
            is_kept in any::<bool>(),
        ) {
            let places = ["", " / cuda driver 550.60"];
            let target = format!("cpython 3.12 / linux x86_64 glibc 2.31{}", places[place]);
            let target = Target::parse(&target).unwrap();
            let adjustments: Vec<Adjustment> = match effect {
                0 => vec![adjustment("<2", Effect::Avoid)],
                1 => vec![adjustment("", Effect::Take)],
                _ => Vec::new(),
            };
            let rules = Rules { target: &target, policy: &policy, adjustments: &adjustments };
            let mut page = match is_kept {
                true => Page::from_compact(page.to_compact().into(), &page.project).unwrap(),
                false => page,
            };
            page.made_for = is_stated.then(|| "none".to_owned());
            let judged = JudgedPage::new(Arc::new(page), &rules);
            let whole: Vec<Head> = judged.offers().map(Head::of).collect();
            prop_assert_eq!(judged.heads(), whole);
        }
    }
}
