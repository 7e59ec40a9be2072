//! The one judge of a page: what its files are for a place, by the page itself, by what the user
//! states over the metadata, and by the metadata as far as they are known. Whoever wants offers
//! asks it, so that all commands say the same of a release.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::adjust::{Adjustment, needs_only, offered};
use super::admit;
use super::late::{MetadataAnswer, bar_of, learned_build};
use super::rank::{self, Preferred, Ranking};
use super::{Bar, Build, LateBar, Offer, OfferFile, Policy, WheelFiles, build, offer_of, offers};
use eutaxis_standards::artifact::{Metadata, Unsure};
use eutaxis_standards::index::Page;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::{Target, Unserved};
use eutaxis_standards::version::Version;

/// By what pages are judged.
#[derive(Debug, Clone, Copy)]
pub struct Rules<'a> {
    /// The place.
    pub target: &'a Target,
    /// What the user permits and prefers.
    pub policy: &'a Policy,
    /// What the user states over the metadata.
    pub adjustments: &'a [Adjustment],
}

/// A page with its releases as a place sees them. Cheap to share: what metadata add is learnt by a
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
    late: Vec<LateBar>,
    offers: Vec<Offer>,
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
        let offers = offers(&page, rules.target, rules.policy, &[])
            .into_iter()
            .map(|o| offered(o, &page.project, rules.target, rules.adjustments))
            .collect();
        JudgedPage {
            page,
            late: Vec::new(),
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

    /// All releases, newest first.
    pub fn offers(&self) -> &[Offer] {
        &self.offers
    }

    /// The place of a release among the offers.
    pub(crate) fn position(&self, version: &Version) -> Option<usize> {
        self.offers
            .binary_search_by(|o| version.cmp(&o.version))
            .ok()
    }

    /// One release.
    pub fn offer(&self, version: &Version) -> Option<&Offer> {
        self.position(version).and_then(|at| self.offers.get(at))
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
        let of_it = |offer: &Offer| {
            offer
                .files
                .iter()
                .position(|f| f.file.filename == *filename)
        };
        let found = self
            .offers
            .iter()
            .enumerate()
            .find_map(|(at, offer)| Some((at, offer, of_it(offer)?)));
        let Some((at, offer, file)) =
            found.and_then(|(at, offer, i)| Some((at, offer, offer.files.get(i)?)))
        else {
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
                mine.judge_again(at, &version, rules);
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
        let mut all = self
            .offers
            .iter()
            .flat_map(|o| o.files.iter().map(move |f| (o, f)));
        let found = all.find(|(_, f)| f.file.filename == *filename && f.rank.is_some());
        let Some((offer, file)) = found else {
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
        mine.judge_again(at, version, rules);
        true
    }

    /// Just one release is judged again.
    fn judge_again(&mut self, at: usize, version: &Version, rules: &Rules<'_>) {
        if let Some(judged) = offer_of(&self.page, version, rules.target, rules.policy, &self.late)
            && let Some(offer) = self.offers.get_mut(at)
        {
            *offer = offered(judged, &self.page.project, rules.target, rules.adjustments);
        }
    }

    /// The releases that can be used in the order in which they are taken.
    pub fn ranking(&self, rules: &Rules<'_>, preferred: &Preferred<'_>) -> Ranking {
        rank::ranking(&self.offers, rules, preferred)
    }

    /// The offers with bars for what a requirement does not admit (docs/choice.md, pre-releases,
    /// yanked releases).
    pub fn admitted(&self, requirement: &Requirement, rules: &Rules<'_>) -> Vec<Offer> {
        let refusal = admit::refusals(&self.offers, requirement, rules.policy);
        let admitted = |offer: &Offer| match refusal(offer) {
            Some(bar) => offer.clone().barred_by(bar),
            None => offer.clone(),
        };
        self.offers.iter().map(admitted).collect()
    }

    /// The release to take when only this project is looked at.
    pub fn best(&self, requirement: &Requirement, rules: &Rules<'_>) -> Option<&Offer> {
        let refusal = admit::refusals(&self.offers, requirement, rules.policy);
        let ranking = self.ranking(rules, &Preferred::default());
        let mut ranked = ranking
            .order
            .into_iter()
            .filter_map(|at| self.offers.get(at));
        ranked.find(|o| admit::takes(requirement, &o.version) && refusal(o).is_none())
    }
}

/// The best of the offers (newest first, admitted) that the requirement takes, as an index.
pub fn pick(offers: &[Offer], requirement: &Requirement, rules: &Rules<'_>) -> Option<usize> {
    let ranking = rank::ranking(offers, rules, &Preferred::default());
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
}
