//! What shows that a project uses an accelerator of the place, where one of its releases here does
//! not (docs/accelerators.md).

use std::fmt;
use std::sync::Arc;

use super::{Effect, Head, JudgedPage, Offer, OfferFile, Rules, Verdict, WheelFiles};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::fault::{Origin, escaped};
use eutaxis_standards::index::FileKind;
use eutaxis_standards::knowledge::{MadeFor, Number, most_exact};
use eutaxis_standards::name::Name;
use eutaxis_standards::targets::{Libc, Platform, Target};
use eutaxis_standards::version::Version;

/// What shows that builds of a project use an accelerator of the place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Shown {
    /// The page has a build that does, by its label or its depot's word.
    Build {
        /// The newest of them.
        build: Version,
        /// Why that is out, if it is for its accelerator.
        because: Option<String>,
    },
    /// The release itself needs the runtime of the toolkit, on other places.
    Elsewhere {
        /// Family and toolkit.
        needs: (String, Number),
    },
    /// Another wheel of the release, for another place, needs it.
    Beside {
        /// That wheel.
        file: Arc<str>,
        /// Family and toolkit.
        needs: (String, Number),
    },
    /// Another wheel, of the release for another place or of an older one for this, brings it.
    Brought {
        /// That wheel.
        file: Arc<str>,
        /// Family and toolkit.
        needs: (String, Number),
    },
    /// It is known of the project, on systems such as this.
    Known {
        /// The family that it uses elsewhere.
        family: String,
        /// The first release without, on this system.
        since: Version,
        /// Who says so.
        source: String,
    },
    /// The user says of the release that it leaves accelerators out.
    Stated {
        /// Why.
        because: String,
        /// Where.
        origin: Origin,
    },
}

/// That a release leaves the accelerators of a place unused, which builds of its project use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Loss {
    /// What shows it.
    pub shown: Shown,
    /// The newest older release that is known to use one here.
    pub last: Option<Version>,
}

/// What is to be said of a release and the accelerators of a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lost {
    /// Nothing: it uses one, there is none, or nobody knows that others do.
    No,
    /// It leaves them unused.
    Yes(Box<Loss>),
    /// This would tell.
    Ask(Open),
}

/// What of a file is not known yet.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Open {
    /// Its metadata.
    Metadata(Arc<str>),
    /// The files within it.
    Files(Arc<str>),
}

impl fmt::Display for Shown {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Shown::Build { build, because } => {
                write!(f, "the newest build that uses one is {build}")?;
                because.iter().try_for_each(|b| write!(f, ": {b}"))
            }
            Shown::Elsewhere {
                needs: (family, toolkit),
            } => write!(
                f,
                "its metadata asks for {family} {toolkit} on other systems, and not on this one"
            ),
            Shown::Beside {
                file,
                needs: (family, toolkit),
            } => write!(
                f,
                "{file} beside it needs {family} {toolkit}, and it does not"
            ),
            Shown::Brought {
                file,
                needs: (family, toolkit),
            } => write!(
                f,
                "{file} brings the runtime of {family} {toolkit} in its files, and it does not"
            ),
            Shown::Known {
                family,
                since,
                source,
            } => write!(
                f,
                "on this system its releases are without {family} since {since} ({source})"
            ),
            Shown::Stated { because, origin } => write!(
                f,
                "stated as built without accelerators: \"{}\" ({origin})",
                escaped(because)
            ),
        }
    }
}

/// Something of a file, as far as it is known: none when nobody asked, none within when it cannot be
/// had cheaply.
pub type OfFile<'a, T> = &'a dyn Fn(&Arc<str>) -> Option<Option<Arc<T>>>;

/// What is known of files.
#[derive(Clone, Copy)]
pub struct Known<'a> {
    /// Their metadata.
    pub metadata: OfFile<'a, Metadata>,
    /// The files within them.
    pub files: OfFile<'a, WheelFiles>,
}

/// Whether a release leaves the accelerators of the place unused, though builds of its project use
/// one. Evidence in this order: the user's word, labels of the page, the release's own metadata for
/// other places, what is known of the project, the metadata of a wheel beside it, the files of one
/// that is much larger.
pub fn lost(judged: &JudgedPage, offer: &Offer, known: Known<'_>, rules: &Rules<'_>) -> Lost {
    let target = rules.target;
    let Some(best) = offer.best().filter(|_| !target.accelerators.is_empty()) else {
        return Lost::No;
    };
    let build = judged.build_of(best);
    if uses(build.map(|b| &b.made_for)) {
        return Lost::No;
    }
    let found = |shown: Shown| match last(judged, offer, known, &shown, target) {
        Ok(last) => Lost::Yes(Box::new(Loss { shown, last })),
        Err(open) => Lost::Ask(open),
    };
    if let Some(shown) = stated(judged, offer, rules).or_else(|| by_label(judged)) {
        return found(shown);
    }
    // What the depot says, and source, of which nobody knows what it will use.
    if build.is_some() || offer.verdict == Verdict::Build {
        return Lost::No;
    }
    let own = (known.metadata)(&best.file.filename).flatten();
    if let Some(needs) = own.and_then(|m| runtime(&m, target, Asked::Elsewhere)) {
        return found(Shown::Elsewhere { needs });
    }
    if let Some(shown) = by_table(judged, offer, target) {
        return found(shown);
    }
    if let Some(file) = beside(offer, best, target) {
        let Some(metadata) = (known.metadata)(&file) else {
            return Lost::Ask(Open::Metadata(file));
        };
        if let Some(needs) = metadata.and_then(|m| runtime(&m, target, Asked::Anywhere)) {
            return found(Shown::Beside { file, needs });
        }
    }
    match by_files(judged, offer, best, known, target) {
        Ok(Some(shown)) => found(shown),
        Ok(None) => Lost::No,
        Err(open) => Lost::Ask(open),
    }
}

/// By the files of a wheel that is much larger: of the release for another place, else of the newest
/// such release for this one. That is a hint only; what counts is what their files bring.
fn by_files(
    judged: &JudgedPage,
    offer: &Offer,
    best: &OfferFile,
    known: Known<'_>,
    target: &Target,
) -> Result<Option<Shown>, Open> {
    if !best.file.kind.is_compiled_wheel()
        || target.accelerators.families.is_runtime(judged.project())
    {
        return Ok(None);
    }
    let beside = || wheels_beside(offer, best, target).filter(|f| is_much_larger(f, best));
    let largest = beside().max_by_key(|f| f.file.size);
    let before = larger_before(judged, offer, best).map(|(_, file)| file);
    for file in largest.into_iter().chain(before) {
        let needs = brings(file, known, target)?;
        let file = Arc::clone(&file.file.filename);
        if let Some(needs) = needs {
            return Ok(Some(Shown::Brought { file, needs }));
        }
    }
    Ok(None)
}

/// The runtime that a wheel brings; the error asks for its files.
fn brings(
    file: &OfferFile,
    known: Known<'_>,
    target: &Target,
) -> Result<Option<(String, Number)>, Open> {
    let filename = &file.file.filename;
    let files = (known.files)(filename).ok_or_else(|| Open::Files(Arc::clone(filename)))?;
    let told = files.and_then(|files| files.runtime(target));
    Ok(told.map(|(family, toolkit)| (family.name.clone(), toolkit)))
}

/// The newest older release for this place whose wheel is much larger.
fn larger_before<'a>(
    judged: &'a JudgedPage,
    offer: &Offer,
    best: &OfferFile,
) -> Option<(&'a Offer, &'a OfferFile)> {
    let mut before = older(judged, offer).into_iter();
    before.find_map(|o| Some((o, o.best().filter(|f| is_much_larger(f, best))?)))
}

/// So large that it may bring a runtime which the other does not.
fn is_much_larger(file: &OfferFile, than: &OfferFile) -> bool {
    /// The smallest runtime, packed.
    const LEAST: u64 = 256 << 10;
    match (file.file.size, than.file.size) {
        (Some(size), Some(than)) => size / 2 >= than && size - than >= LEAST,
        (None, _) | (_, None) => false,
    }
}

fn uses(made_for: Option<&MadeFor>) -> bool {
    matches!(made_for, Some(MadeFor::Toolkit(..)))
}

fn stated(judged: &JudgedPage, offer: &Offer, rules: &Rules<'_>) -> Option<Shown> {
    let project = judged.project();
    let mut all = rules.adjustments.iter();
    let said = all.find(|a| {
        a.effect == Effect::MadeFor(MadeFor::Processor)
            && a.speaks_of(project, &offer.version, rules.target)
    })?;
    Some(Shown::Stated {
        because: said.because.clone(),
        origin: said.origin.clone(),
    })
}

fn by_label(judged: &JudgedPage) -> Option<Shown> {
    let uses = |f: &OfferFile| uses(f.build.as_ref().map(|b| &b.made_for));
    let mut offers = judged.offers();
    let build = offers.find(|o| o.files.iter().any(uses))?;
    let mut bars = build.bars.iter();
    let bar = bars.find(|b| b.kind() == super::BarKind::Accelerator);
    Some(Shown::Build {
        build: build.version.clone(),
        because: bar.map(ToString::to_string),
    })
}

fn by_table(judged: &JudgedPage, offer: &Offer, target: &Target) -> Option<Shown> {
    let families = &target.accelerators.families;
    let system = target.platform.system;
    let fact = families.without(judged.project(), system).find(|fact| {
        target.accelerators.has(&fact.family)
            && offer.version >= fact.since
            && fact.until.as_ref().is_none_or(|u| offer.version < *u)
    })?;
    Some(Shown::Known {
        family: fact.family.clone(),
        since: fact.since.clone(),
        source: fact.source.clone(),
    })
}

/// That a release brings the runtime of an accelerator of the place only with an extra.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ByExtra {
    /// The extra.
    pub extra: Name,
    /// Family and toolkit, as far as names and pins tell it.
    pub brings: (String, Number),
}

/// The extra with which a release brings the runtime for the place, where it does not without one and
/// none of them is asked for: the one for the newest toolkit that runs. What an extra brings is told
/// by the runtime packages that count with it, else by its own name.
pub fn by_extra(metadata: &Metadata, asked: &[Name], target: &Target) -> Option<ByExtra> {
    let accelerators = &target.accelerators;
    let brings = |extra: &Name| {
        let counting = metadata.requires.iter().filter(|need| {
            let marker = need.marker.as_ref();
            marker.is_some_and(|m| {
                !m.holds(&target.markers, None) && m.holds(&target.markers, Some(extra))
            })
        });
        let mut counting = counting.peekable();
        counting.peek()?;
        let exact = most_exact(counting.filter_map(|n| accelerators.families.of_package(n)));
        let by_name = || match accelerators.families.of_label(extra.as_str()) {
            Some(MadeFor::Toolkit(family, toolkit)) => Some((family, toolkit)),
            Some(MadeFor::Processor) | None => None,
        };
        exact
            .or_else(by_name)
            .filter(|(f, _)| accelerators.has(&f.name))
    };
    if asked.iter().any(|extra| brings(extra).is_some()) {
        return None;
    }
    let system = target.platform.system;
    let all = metadata.extras.iter().filter_map(|extra| {
        let (family, toolkit) = brings(extra)?;
        let build = MadeFor::Toolkit(family.clone(), toolkit.clone());
        let runs = accelerators.miss(&build, system).is_none();
        runs.then(|| (extra, family.name.clone(), toolkit))
    });
    // Of those for one toolkit the plainest name.
    let (extra, family, toolkit) = all.max_by(|a, b| {
        let length = |e: &Name| std::cmp::Reverse(e.as_str().len());
        (&a.2, length(a.0)).cmp(&(&b.2, length(b.0)))
    })?;
    Some(ByExtra {
        extra: extra.clone(),
        brings: (family, toolkit),
    })
}

/// Where metadata ask for a runtime.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Asked {
    /// On the place itself.
    Here,
    /// On other platforms, and not on this one.
    Elsewhere,
    /// On any.
    Anywhere,
}

/// The runtime of a family of the place that metadata ask for.
fn runtime(metadata: &Metadata, target: &Target, asked: Asked) -> Option<(String, Number)> {
    let accelerators = &target.accelerators;
    let places: Vec<Target> = others(target).collect();
    let needs = metadata.requires.iter().filter(|need| {
        let holds = |t: &Target| {
            let marker = need.marker.as_ref();
            marker.is_none_or(|m| m.holds(&t.markers, None))
        };
        match asked {
            Asked::Here => holds(target),
            Asked::Elsewhere => !holds(target) && places.iter().any(holds),
            Asked::Anywhere => holds(target) || places.iter().any(holds),
        }
    });
    let told = needs.filter_map(|need| accelerators.families.of_package(need));
    let (family, toolkit) = most_exact(told.filter(|(f, _)| accelerators.has(&f.name)))?;
    Some((family.name.clone(), toolkit))
}

/// The same interpreter on the platforms for which most wheels are made; never the target's own.
fn others(target: &Target) -> impl Iterator<Item = Target> + '_ {
    let glibc = Libc::Glibc(2, 40);
    let all = [
        Platform::linux("x86_64", 64, glibc),
        Platform::windows("amd64"),
        Platform::linux("aarch64", 64, glibc),
    ];
    let mine = &target.platform;
    let same = |p: &Platform| {
        std::mem::discriminant(&p.system) == std::mem::discriminant(&mine.system)
            && p.arch() == mine.arch()
    };
    let others = all.into_iter().filter(move |p| !same(p));
    others.map(|p| Target::planned(target.interpreter.clone(), p, target.accelerators.clone()))
}

/// A compiled wheel of the same release for another place.
fn beside(offer: &Offer, best: &OfferFile, target: &Target) -> Option<Arc<str>> {
    let mut all = wheels_beside(offer, best, target);
    all.next().map(|f| Arc::clone(&f.file.filename))
}

/// The compiled wheels of the same release for other places, by those places.
fn wheels_beside<'a>(
    offer: &'a Offer,
    best: &'a OfferFile,
    target: &'a Target,
) -> impl Iterator<Item = &'a OfferFile> {
    others(target).flat_map(move |place| {
        offer.files.iter().filter(move |f| match &f.file.kind {
            FileKind::Wheel(name) => {
                !name.tags.is_pure()
                    && f.file.filename != best.file.filename
                    && f.rank.is_none()
                    && place.rank(&name.tags).is_some()
            }
            FileKind::Sdist(_) | FileKind::Variants(_) => false,
        })
    })
}

/// The older final releases that have a wheel for this place, newest first.
fn older<'a>(judged: &'a JudgedPage, offer: &Offer) -> Vec<&'a Offer> {
    let mine = offer.version.public();
    let is_older = |h: &Head| {
        let is_older = h.version < offer.version && h.version.public() != mine;
        is_older && h.verdict == Verdict::Ready && !h.version.is_prerelease()
    };
    let all = judged.heads().iter().enumerate();
    let older = all.filter(|(_, h)| is_older(h));
    older.filter_map(|(at, _)| judged.at(at)).collect()
}

/// The newest release before this one that is known to use an accelerator here. Where metadata
/// showed the loss, metadata tell that too: of few releases, as one that used it is taken to follow
/// others that did; where files did, files. What must be known first is the error.
fn last(
    judged: &JudgedPage,
    offer: &Offer,
    known: Known<'_>,
    shown: &Shown,
    target: &Target,
) -> Result<Option<Version>, Open> {
    let older = older(judged, offer);
    let told = |o: &&Offer| {
        if let Shown::Known { since, .. } = shown {
            return o.version < *since;
        }
        uses(
            o.best()
                .and_then(|f| judged.build_of(f))
                .map(|b| &b.made_for),
        )
    };
    let by_page = || Ok(older.iter().copied().find(told).map(|o| o.version.clone()));
    match shown {
        Shown::Elsewhere { .. } | Shown::Beside { .. } => {}
        Shown::Brought { .. } => {
            let found = offer
                .best()
                .and_then(|best| larger_before(judged, offer, best));
            let Some((before, file)) = found else {
                return by_page();
            };
            let needs = brings(file, known, target)?;
            return Ok(needs.map(|_| before.version.clone()));
        }
        Shown::Build { .. } | Shown::Known { .. } | Shown::Stated { .. } => return by_page(),
    }
    let reads = |at: usize| -> Result<bool, Open> {
        let Some(file) = older
            .get(at)
            .and_then(|o| o.best())
            .map(|f| &f.file.filename)
        else {
            return Ok(false);
        };
        let metadata = (known.metadata)(file).ok_or_else(|| Open::Metadata(Arc::clone(file)))?;
        Ok(metadata.is_some_and(|m| runtime(&m, target, Asked::Here).is_some()))
    };
    // 0, 1, 3, 7, ...: the first that uses one; then the newest after the one before it.
    let (mut without, mut at) = (None, 0);
    while !reads(at)? {
        if at + 1 >= older.len() {
            return by_page();
        }
        without = Some(at);
        at = (at * 2 + 1).min(older.len() - 1);
    }
    let mut low = without.map_or(0, |w| w + 1);
    while low < at {
        let middle = low.midpoint(at);
        match reads(middle)? {
            true => at = middle,
            false => low = middle + 1,
        }
    }
    Ok(older.get(at).map(|o| o.version.clone()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::offer::{Adjustment, Policy};
    use eutaxis_standards::index::parse_json;
    use eutaxis_standards::knowledge::Families;
    use eutaxis_standards::version::VersionSpecifier;
    use rstest::rstest;

    /// A family by the same mechanism as the real ones.
    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
processor = ["cpu"]
packages = ["nordglim-runtime-{major}"]
libraries = [{ file = "libnordglim.so.4", toolkit = "4", numbered = true }, { file = "nordglim64_4.dll", toolkit = "4" }]
toolkit = [{ version = "4.1", linux = "510.0", windows = "511.3" }]

[[without]]
project = "melt"
system = "windows"
family = "nordglim"
since = "2.0"
until = "3.0"
source = "its notes"
"#;

    const WINDOWS: &str = "cpython 3.12 / windows amd64 / nordglim driver 512.4";
    const LINUX: &str = "cpython 3.12 / linux x86_64 glibc 2.35 / nordglim driver 512.4";

    fn target(text: &str) -> Target {
        let families = Families::built_in().with(NORDGLIM).unwrap();
        Target::parse_with(text, &Arc::new(families)).unwrap()
    }

    fn judged(project: &str, files: &[&str], rules: &Rules<'_>) -> Arc<JudgedPage> {
        let files: Vec<String> = files
            .iter()
            .map(|line| {
                let (f, size) = line.split_once(' ').unwrap_or((line, "10"));
                format!("{{\"filename\":\"{f}\",\"url\":\"{f}\",\"size\":{size}}}")
            })
            .collect();
        let page = format!("{{\"files\":[{}]}}", files.join(","));
        let name = Name::parse(project).unwrap();
        let page = parse_json(page.as_bytes(), &name).unwrap();
        Arc::new(JudgedPage::new(Arc::new(page), rules))
    }

    /// What is told of the newest release that can be had; `needs` are lines `FILE NEED` of which
    /// the metadata are known, and `FILE brings LIBRARY` of which the files are. Files are `NAME SIZE`.
    fn told(project: &str, files: &[&str], needs: &[&str], place: &str) -> String {
        let (target, policy) = (target(place), Policy::default());
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let mut judged = judged(project, files, &rules);
        let brought = needs.iter().filter_map(|line| line.split_once(" brings "));
        let within: Vec<(Arc<str>, Arc<WheelFiles>)> = brought
            .map(|(file, library)| {
                let libraries = vec!["_core.so".to_owned(), library.to_owned()];
                (
                    file.into(),
                    Arc::new(WheelFiles {
                        libraries,
                        code: Vec::new(),
                    }),
                )
            })
            .collect();
        let answers: Vec<(Arc<str>, Arc<Metadata>)> = needs
            .iter()
            .filter(|line| !line.contains(" brings "))
            .map(|line| {
                let (file, need) = line.split_once(' ').unwrap();
                let need = match need {
                    "-" => String::new(),
                    need => format!("Requires-Dist: {need}\n"),
                };
                let text = format!("Metadata-Version: 2.1\nName: m\nVersion: 2.0\n{need}");
                (
                    file.into(),
                    Arc::new(Metadata::parse(text.as_bytes()).unwrap()),
                )
            })
            .collect();
        for (file, metadata) in &answers {
            let answer = crate::offer::MetadataAnswer::Known(Arc::clone(metadata));
            judged.learn(file, &answer, &rules);
        }
        for (file, files) in &within {
            judged.learn_files(file, files, &rules);
        }
        let known = Known {
            metadata: &|file| {
                let mut all = answers.iter();
                all.find(|(f, _)| f == file)
                    .map(|(_, m)| Some(Arc::clone(m)))
            },
            files: &|file| {
                let mut all = within.iter();
                all.find(|(f, _)| f == file)
                    .map(|(_, m)| Some(Arc::clone(m)))
            },
        };
        let mut offers = judged.offers();
        let newest = offers.find(|o| o.verdict != Verdict::Barred).unwrap();
        match lost(&judged, newest, known, &rules) {
            Lost::No => "no".to_owned(),
            Lost::Ask(Open::Metadata(file)) => format!("ask {file}"),
            Lost::Ask(Open::Files(file)) => format!("list {file}"),
            Lost::Yes(loss) => {
                let last = loss.last.map_or("-".to_owned(), |v| v.to_string());
                format!("{} [{last}]", loss.shown)
            }
        }
    }

    const TWO: [&str; 2] = [
        "m-2.0-cp312-cp312-win_amd64.whl",
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl",
    ];
    const OLDER: [&str; 3] = [TWO[0], TWO[1], "m-1.0-cp312-cp312-win_amd64.whl"];
    const BESIDE: &str = "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl nordglim-runtime-4==4.1.3";

    #[rstest]
    #[case::of_the_other_wheel(&TWO, &[], WINDOWS, "ask m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl")]
    #[case::that_says_nothing(&TWO, &["m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl -"], WINDOWS, "no")]
    #[case::that_needs_it(&TWO, &[BESIDE], WINDOWS,
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl beside it needs nordglim 4.1, and it does not [-]")]
    #[case::the_last(&OLDER, &[BESIDE, "m-1.0-cp312-cp312-win_amd64.whl nordglim-runtime-4"], WINDOWS,
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl beside it needs nordglim 4.1, and it does not [1.0]")]
    #[case::of_older_ones(&OLDER, &[BESIDE], WINDOWS, "ask m-1.0-cp312-cp312-win_amd64.whl")]
    #[case::the_newest_of_older_ones(
        &[TWO[0], TWO[1], "m-1.5-py3-none-any.whl", "m-1.4-py3-none-any.whl", "m-1.3-py3-none-any.whl", "m-1.2-py3-none-any.whl"],
        &[BESIDE, "m-1.5-py3-none-any.whl -", "m-1.4-py3-none-any.whl -", "m-1.3-py3-none-any.whl nordglim-runtime-4",
            "m-1.2-py3-none-any.whl nordglim-runtime-4"],
        WINDOWS, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl beside it needs nordglim 4.1, and it does not [1.3]")]
    #[case::its_own_for_others(&TWO, &["m-2.0-cp312-cp312-win_amd64.whl nordglim-runtime-4; sys_platform == 'linux'"], WINDOWS,
        "its metadata asks for nordglim 4 on other systems, and not on this one [-]")]
    #[case::its_own(&TWO, &["m-2.0-cp312-cp312-win_amd64.whl nordglim-runtime-4"], WINDOWS, "no")]
    #[case::an_extra_is_none(&["m-2.0-py3-none-any.whl"], &["m-2.0-py3-none-any.whl nordglim-runtime-4; extra == 'fast'"], WINDOWS, "no")]
    #[case::nothing_beside(&["m-2.0-cp312-cp312-win_amd64.whl"], &["m-2.0-cp312-cp312-win_amd64.whl -"], WINDOWS, "no")]
    #[case::the_other_way(&TWO, &["m-2.0-cp312-cp312-win_amd64.whl nordglim-runtime-4"], LINUX,
        "m-2.0-cp312-cp312-win_amd64.whl beside it needs nordglim 4, and it does not [-]")]
    #[case::source(&["m-2.0.tar.gz", TWO[1]], &[BESIDE], WINDOWS, "no")]
    #[case::no_accelerator(&TWO, &[BESIDE], "cpython 3.12 / windows amd64", "no")]
    #[case::another_one(&TWO, &[BESIDE], "cpython 3.12 / windows amd64 / cuda driver 550.60", "no")]
    #[case::a_label(&["m-2.0+cpu-cp312-cp312-win_amd64.whl", "m-2.0+nor41-cp312-cp312-manylinux_2_28_x86_64.whl"], &[], WINDOWS,
        "the newest build that uses one is 2.0+nor41 [-]")]
    #[case::a_label_before(&["m-2.0-cp312-cp312-win_amd64.whl", "m-1.0+nor41-cp312-cp312-win_amd64.whl"], &[], WINDOWS,
        "the newest build that uses one is 1.0+nor41 [1.0+nor41]")]
    fn a_loss_is_told_by_what_shows_it(
        #[case] files: &[&str],
        #[case] needs: &[&str],
        #[case] place: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(told("m", files, needs, place), expected);
    }

    const LARGER: [&str; 3] = [
        "m-2.0-cp312-cp312-win_amd64.whl 300000",
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl 900000",
        "m-1.0-cp312-cp312-win_amd64.whl 800000",
    ];
    const SAID_NOTHING: &str = "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl -";

    /// Where nobody says anything, what is much larger is looked into, and only that.
    #[rstest]
    #[case::of_the_larger(&LARGER[..2], &[SAID_NOTHING], "list m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl")]
    #[case::that_brings_it(&LARGER[..2], &[SAID_NOTHING, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings libnordglim-1a2b3c4d.so.4.1.7"],
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings the runtime of nordglim 4.1 in its files, and it does not [-]")]
    #[case::that_brings_others(&LARGER[..2], &[SAID_NOTHING, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings libfrost.so.4"], "no")]
    #[case::of_the_older(&LARGER, &[SAID_NOTHING, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings libfrost.so.4"],
        "list m-1.0-cp312-cp312-win_amd64.whl")]
    #[case::that_brought_it(&LARGER, &[SAID_NOTHING, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings libfrost.so.4",
            "m-1.0-cp312-cp312-win_amd64.whl brings nordglim64_4.dll"],
        "m-1.0-cp312-cp312-win_amd64.whl brings the runtime of nordglim 4 in its files, and it does not [1.0]")]
    #[case::the_last(&LARGER, &[SAID_NOTHING, "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings libnordglim.so.4",
            "m-1.0-cp312-cp312-win_amd64.whl brings nordglim64_4.dll"],
        "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl brings the runtime of nordglim 4 in its files, and it does not [1.0]")]
    #[case::not_much_larger(&[LARGER[0], "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl 550000"], &[SAID_NOTHING], "no")]
    #[case::its_own(&LARGER, &[SAID_NOTHING, "m-2.0-cp312-cp312-win_amd64.whl brings nordglim64_4.dll"], "no")]
    #[case::pure(&["m-2.0-py3-none-any.whl 1000", LARGER[2]], &[], "no")]
    fn files_of_what_is_much_larger_show_it(
        #[case] files: &[&str],
        #[case] needs: &[&str],
        #[case] expected: &str,
    ) {
        assert_eq!(told("m", files, needs, WINDOWS), expected);
    }

    #[rstest]
    #[case::since(
        "2.0",
        WINDOWS,
        "on this system its releases are without nordglim since 2.0 (its notes) [1.0]"
    )]
    #[case::before("1.0", WINDOWS, "no")]
    #[case::again("3.0", WINDOWS, "no")]
    #[case::elsewhere("2.0", LINUX, "no")]
    fn what_is_known_of_a_project_counts(
        #[case] version: &str,
        #[case] place: &str,
        #[case] expected: &str,
    ) {
        let newest = format!("melt-{version}-py3-none-any.whl");
        let files = [newest.as_str(), "melt-1.0-py3-none-any.whl"];
        let files = if version == "1.0" {
            &files[..1]
        } else {
            &files[..]
        };
        assert_eq!(told("melt", files, &[], place), expected);
    }

    /// What brings the runtime only with an extra, the newest that runs here.
    #[rstest]
    #[case::by_its_packages(&["fast: nordglim-runtime-4==4.1.3"], "", LINUX, Some("fast nordglim 4.1"))]
    #[case::by_its_name(&["nor41: plugin>=1"], "", LINUX, Some("nor41 nordglim 4.1"))]
    #[case::asked_for(&["fast: nordglim-runtime-4"], "fast", LINUX, None)]
    #[case::another_asked(&["fast: nordglim-runtime-4", "plot: drawing"], "plot", LINUX, Some("fast nordglim 4"))]
    #[case::without_extras(&["plot: drawing"], "", LINUX, None)]
    #[case::the_newest_that_runs(&["nor36: plugin", "nor41: plugin", "nor49: plugin"], "", LINUX, Some("nor41 nordglim 4.1"))]
    #[case::the_plainest(&["nor41-local: plugin", "nor41: plugin"], "", LINUX, Some("nor41 nordglim 4.1"))]
    #[case::none_here(&["fast: nordglim-runtime-4"], "", "3.12 / linux x86_64", None)]
    #[case::another_family(&["fast: nordglim-runtime-4"], "", "3.12 / linux x86_64 / cuda driver 550.60", None)]
    fn a_runtime_that_only_an_extra_brings(
        #[case] extras: &[&str],
        #[case] asked: &str,
        #[case] place: &str,
        #[case] expected: Option<&str>,
    ) {
        let mut text = "Metadata-Version: 2.1\nName: m\nVersion: 2.0\n".to_owned();
        for line in extras {
            let (extra, need) = line.split_once(": ").unwrap();
            text.push_str(&format!(
                "Provides-Extra: {extra}\nRequires-Dist: {need}; extra == '{extra}'\n"
            ));
        }
        let metadata = Metadata::parse(text.as_bytes()).unwrap();
        let asked: Vec<Name> = asked
            .split_whitespace()
            .map(|e| Name::parse(e).unwrap())
            .collect();
        let found = by_extra(&metadata, &asked, &target(place));
        let told = found.map(|b| format!("{} {} {}", b.extra, b.brings.0, b.brings.1));
        assert_eq!(told.as_deref(), expected);
    }

    #[test]
    fn the_users_word_counts_before_all() {
        let (target, policy) = (target(WINDOWS), Policy::default());
        let stated = |made_for: MadeFor| Adjustment {
            project: Name::parse("m").unwrap(),
            versions: VersionSpecifier::default(),
            when: None,
            effect: Effect::MadeFor(made_for),
            because: "looked at".to_owned(),
            origin: Origin::Argument,
            learnt: None,
        };
        let nordglim = target
            .accelerators
            .families
            .made_for("nordglim 4.1")
            .unwrap();
        for (made_for, expected) in [(MadeFor::Processor, true), (nordglim, false)] {
            let adjustments = [stated(made_for)];
            let rules = Rules {
                target: &target,
                policy: &policy,
                adjustments: &adjustments,
            };
            let judged = judged("m", &TWO, &rules);
            let known = Known {
                metadata: &|_| None,
                files: &|_| None,
            };
            let found = lost(&judged, judged.at(0).unwrap(), known, &rules);
            assert_eq!(matches!(found, Lost::Yes(_)), expected, "{found:?}");
        }
    }
}
