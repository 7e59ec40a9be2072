//! Grounds in words, and runs of releases as specifier sets.

use super::super::facts::ProjectFacts;
use super::super::search::Search;
use super::ground::Ground;
use super::{Fact, FactKind};
use crate::offer::{Bar, BarKind, Offer, Verdict};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// So many different sentences on one kind of bar are told.
const MOST_SENTENCES: usize = 2;

/// A fact of a ground with nothing but its sentence.
fn plain(ground: &Ground, kind: FactKind, project: String, versions: String, text: String) -> Fact {
    Fact {
        kind,
        project,
        versions,
        needs: None,
        origin: None,
        without_place: text.clone(),
        said: text.clone(),
        text,
        chosen: None,
        ground: ground.clone(),
        dates: Vec::new(),
        builds: Vec::new(),
        also: Vec::new(),
    }
}

impl Search {
    pub(super) fn fact(&self, ground: &Ground) -> Fact {
        let kept = || {
            let kept = self.kept_by(ground);
            kept.map(ToString::to_string).unwrap_or_default()
        };
        match ground {
            Ground::Ask(i) => self.stated(ground, FactKind::Ask, "you ask", self.problem.ask(*i)),
            Ground::Bound(i) => {
                self.stated(ground, FactKind::Bound, "you bound", self.problem.bound(*i))
            }
            Ground::Held(project) => {
                let said = format!("{project} {}", kept());
                let versions = format!("=={}", kept());
                let text = format!("held {said}");
                Fact {
                    chosen: self.kept_by(ground).cloned(),
                    said,
                    ..plain(ground, FactKind::Bound, project.to_string(), versions, text)
                }
            }
            Ground::Prior(project) => {
                let text = format!("{project} {} was pinned before", kept());
                let versions = format!("=={}", kept());
                plain(ground, FactKind::Bound, project.to_string(), versions, text)
            }
            Ground::Doubt(doubt) => {
                let text = format!(
                    "{} {} has never met {}",
                    doubt.project, doubt.version, doubt.other
                );
                let versions = format!("=={}", doubt.version);
                plain(
                    ground,
                    FactKind::Bound,
                    doubt.project.to_string(),
                    versions,
                    text,
                )
            }
            Ground::Needs { .. } => self.needs_fact(ground),
            Ground::Built {
                project,
                made_for,
                releases,
            } => {
                let is = if releases.len() == 1 { "is" } else { "are" };
                let range = self.range_words(project, releases);
                let text = format!("{project} {range} {is} {made_for}");
                let versions = self.range_set(project, releases);
                plain(ground, FactKind::Built, project.to_string(), versions, text)
            }
            Ground::Barred {
                project,
                kind,
                releases,
            } => self.bar_fact(ground, project, *kind, releases),
        }
    }

    /// What the user says of a project.
    fn stated(&self, ground: &Ground, kind: FactKind, verb: &str, ask: Option<&Ask>) -> Fact {
        let Some(ask) = ask else {
            return plain(ground, kind, String::new(), String::new(), String::new());
        };
        let versions = ask.requirement.versions();
        let versions = versions.map_or(String::new(), ToString::to_string);
        let said = ask.requirement.short();
        let text = format!("{verb} {said}");
        Fact {
            origin: Some(ask.origin.clone()),
            said,
            ..plain(ground, kind, ask.requirement.subject(), versions, text)
        }
    }

    /// What releases need.
    fn needs_fact(&self, ground: &Ground) -> Fact {
        let Ground::Needs {
            project,
            extra,
            requirement,
            releases,
            adjusted,
            joined,
        } = ground
        else {
            return plain(
                ground,
                FactKind::Needs,
                String::new(),
                String::new(),
                String::new(),
            );
        };
        let subject = extra
            .as_ref()
            .map_or(project.to_string(), |e| format!("{project}[{e}]"));
        let one = releases
            .iter()
            .all(|v| releases.first().is_some_and(|f| f.public() == v.public()));
        let verb = match (one, joined) {
            (true, _) => "needs",
            (_, false) => "need",
            (_, true) => "each need some of",
        };
        let adjustment = adjusted.and_then(|i| self.problem.adjustments.get(i));
        let because = adjustment.map_or(String::new(), |a| {
            let because = eutaxis_standards::fault::escaped(&a.because);
            format!(", adjusted: \"{because}\"")
        });
        let range = self.range_words(project, releases);
        let text = format!("{subject} {range} {verb} {}{because}", requirement.short());
        let needs = Requirement {
            marker: None,
            ..requirement.clone()
        };
        let versions = self.range_set(project, releases);
        Fact {
            needs: Some(needs.to_string()),
            origin: adjustment.map(|a| a.origin.clone()),
            ..plain(ground, FactKind::Needs, subject, versions, text)
        }
    }

    /// What bars releases, or the whole project when there are none.
    fn bar_fact(
        &self,
        ground: &Ground,
        project: &Name,
        kind: BarKind,
        releases: &[Version],
    ) -> Fact {
        let known = self.facts.get(project);
        if releases.is_empty() {
            let why = known.and_then(|f| f.empty()).map(|(_, why)| why);
            let text = why.unwrap_or_else(|| format!("no depot has {project}"));
            return plain(
                ground,
                FactKind::Bar(kind),
                project.to_string(),
                String::new(),
                text,
            );
        }
        let (text, without_place) = self.sentences(project, kind, releases);
        let heads = known
            .map_or(&[][..], ProjectFacts::heads)
            .iter()
            .enumerate();
        let told = heads.filter(|(_, h)| releases.contains(&h.version));
        let mine = || told.clone().filter_map(|(at, _)| known?.judged().at(at));
        let also = mine().flat_map(|o| o.bars.iter().map(Bar::kind));
        let files = mine().flat_map(|o| &o.files);
        let builds = files.filter_map(|f| Some(known?.judged().build_of(f)?.made_for.clone()));
        let versions = self.range_set(project, releases);
        Fact {
            dates: mine().filter_map(Offer::published).collect(),
            also: also.filter(|k| *k != kind).collect(),
            builds: builds.collect(),
            without_place,
            ..plain(
                ground,
                FactKind::Bar(kind),
                project.to_string(),
                versions,
                text,
            )
        }
    }

    /// Why releases are out, as `PROJECT RELEASES: sentence`, those of the newest first; and the
    /// same without what the place is.
    fn sentences(&self, project: &Name, kind: BarKind, releases: &[Version]) -> (String, String) {
        let mut told: Vec<((String, String), Vec<Version>)> = Vec::new();
        for release in releases.iter().rev() {
            let sentence = self.sentence(project, kind, release);
            match told.iter_mut().find(|(s, _)| *s == sentence) {
                Some((_, versions)) => versions.push(release.clone()),
                None => told.push((sentence, vec![release.clone()])),
            }
        }
        let (mut whole, mut without_place) = (Vec::new(), Vec::new());
        for ((why, place), versions) in told.iter_mut().take(MOST_SENTENCES) {
            versions.sort();
            let short = format!("{}: {why}", self.range_words(project, versions));
            whole.push(format!("{short}{place}"));
            without_place.push(short);
        }
        let others: usize = told.iter().skip(MOST_SENTENCES).map(|(_, v)| v.len()).sum();
        let more = match others {
            0 => String::new(),
            1 => "; one other likewise".to_owned(),
            n => format!("; {n} others likewise"),
        };
        let joined = |sentences: &[String]| format!("{project} {}{more}", sentences.join("; "));
        (joined(&whole), joined(&without_place))
    }

    /// Why a release is out, and what of that the place is.
    fn sentence(&self, project: &Name, kind: BarKind, release: &Version) -> (String, String) {
        let offer = self
            .facts
            .get(project)
            .and_then(|f| f.judged().offer(release));
        let told = match kind {
            BarKind::Prerelease if offer.is_some_and(|o| o.verdict != Verdict::Barred) => {
                "a pre-release, which nothing asked for".to_owned()
            }
            BarKind::Yanked => {
                let reason = offer
                    .and_then(|o| o.yanked.clone())
                    .filter(|r| !r.is_empty());
                let reason = reason.map_or(String::new(), |r| {
                    format!(" (\"{}\")", eutaxis_standards::fault::escaped(&r))
                });
                format!("yanked{reason}, and nothing pins it exactly")
            }
            BarKind::Interpreter
            | BarKind::Platform
            | BarKind::Libc
            | BarKind::Accelerator
            | BarKind::Prerelease
            | BarKind::Date
            | BarKind::Wheels
            | BarKind::Adjust
            | BarKind::Absent
            | BarKind::Unknown
            | BarKind::Quarantined
            | BarKind::Variant
            | BarKind::Hash => {
                return offer
                    .and_then(|o| o.bars.iter().find(|b| b.kind() == kind))
                    .map(Bar::of_several)
                    .unwrap_or_default();
            }
        };
        (told, String::new())
    }

    /// Runs of releases that follow each other without another of the project's releases between,
    /// oldest first.
    fn runs(&self, project: &Name, versions: &[Version]) -> Vec<Vec<Version>> {
        let mut runs: Vec<Vec<Version>> = Vec::new();
        let mut before = false;
        for version in self.releases(project) {
            let inside = versions.contains(&version);
            match runs.last_mut() {
                Some(run) if inside && before => run.push(version),
                _ if inside => runs.push(vec![version]),
                _ => {}
            }
            before = inside;
        }
        runs
    }

    fn range_words(&self, project: &Name, versions: &[Version]) -> String {
        // Builds of one release that differ in their local label are one release to people.
        let all = self.releases(project);
        let whole = |v: &Version| {
            all.iter()
                .filter(|o| o.public() == v.public())
                .all(|o| versions.contains(o))
        };
        let name = |v: &Version| {
            if whole(v) {
                v.public().to_string()
            } else {
                v.to_string()
            }
        };
        let words: Vec<String> = self
            .runs(project, versions)
            .iter()
            .map(|run| match (run.first().map(name), run.last().map(name)) {
                (Some(a), Some(b)) if a != b => format!("{a} to {b}"),
                (Some(a), _) => a,
                _ => String::new(),
            })
            .collect();
        words.join(", ")
    }

    /// The same as specifier sets joined by ` || `, which take just these of the project's
    /// releases.
    fn range_set(&self, project: &Name, versions: &[Version]) -> String {
        let all = self.releases(project);
        let sets: Vec<String> = self
            .runs(project, versions)
            .iter()
            .flat_map(|run| {
                let (Some(a), Some(b)) = (run.first(), run.last()) else {
                    return Vec::new();
                };
                // A bound names no local label, so a run that such a bound does not tell from the
                // rest is spelled out.
                let range = format!(">={},<={}", a.public(), b.public());
                let exact = VersionSpecifier::parse(&range).is_ok_and(|set| {
                    run.len() > 1 && all.iter().all(|v| set.matches(v) == run.contains(v))
                });
                // `==1.1` takes 1.1+label too: beside such builds only `===` names the release
                // without a label.
                let labelled = |v: &Version| {
                    !v.is_local()
                        && all
                            .iter()
                            .any(|o| o != v && o.public() == *v && !run.contains(o))
                };
                let one = |v: &Version| {
                    if labelled(v) {
                        format!("==={v}")
                    } else {
                        format!("=={v}")
                    }
                };
                if exact {
                    vec![range]
                } else {
                    run.iter().map(one).collect()
                }
            })
            .collect();
        sets.join(" || ")
    }
}
