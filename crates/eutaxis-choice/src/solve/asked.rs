//! What a problem asks of each project, found by its name: lists have thousands of lines, and the
//! search asks at every project that it comes to.

use rustc_hash::{FxHashMap, FxHashSet};

use super::problem::Problem;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Accepts, Ask};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// Asks and bounds in force.
#[derive(Debug, Default)]
pub(super) struct Asked {
    sets: FxHashMap<Name, FxHashSet<VersionSpecifier>>,
    /// Without bounds that only serve the search for several targets.
    stated: FxHashMap<Name, FxHashSet<VersionSpecifier>>,
    urls: FxHashMap<Name, String>,
}

impl Asked {
    pub(super) fn by(problem: &Problem) -> Self {
        let mut asked = Asked::default();
        let note = |ask: &Ask, sets: &mut FxHashMap<Name, FxHashSet<VersionSpecifier>>| {
            if let Some(set) = ask.requirement.versions() {
                let mine = sets.entry(ask.requirement.name.clone()).or_default();
                mine.insert(set.clone());
            }
        };
        problem
            .in_force()
            .for_each(|ask| note(ask, &mut asked.sets));
        let asks = problem.asks_in_force().map(|(_, ask)| ask);
        asks.chain(problem.stated_in_force())
            .for_each(|ask| note(ask, &mut asked.stated));
        // Of several the first counts; bounds demand no file.
        for (_, ask) in problem.asks_in_force() {
            if let Accepts::Url(url) = &ask.requirement.accepts {
                let mine = asked.urls.entry(ask.requirement.name.clone());
                mine.or_insert_with(|| url.to_string());
            }
        }
        asked
    }

    fn sets(&self, project: &Name) -> impl Iterator<Item = &VersionSpecifier> {
        self.sets.get(project).into_iter().flatten()
    }

    /// Whether all that the user asks of a project allows a release.
    pub(super) fn allows(&self, project: &Name, version: &Version) -> bool {
        let mut sets = self.stated.get(project).into_iter().flatten();
        sets.all(|set| set.matches(version))
    }

    /// The file that an ask demands by its URL, for a project.
    pub(super) fn direct_url(&self, project: &Name) -> Option<&str> {
        self.urls.get(project).map(String::as_str)
    }

    /// Whether an ask or bound names a pre-release of the project and so admits them
    /// (docs/choice.md, pre-releases).
    pub(super) fn names_prerelease(&self, project: &Name) -> bool {
        self.sets(project).any(VersionSpecifier::names_prerelease)
    }

    /// Whether an ask or bound names a build of the project by its local label.
    pub(super) fn names_label(&self, project: &Name) -> bool {
        self.sets(project).any(|set| set.to_string().contains('+'))
    }

    /// Whether an ask or bound pins this version exactly (docs/choice.md, yanked releases).
    pub(super) fn pins(&self, project: &Name, version: &Version) -> bool {
        self.sets(project).any(|set| set.pins(version))
    }
}
