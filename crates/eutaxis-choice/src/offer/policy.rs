//! What the user permits and prefers.

use jiff::Timestamp;

use eutaxis_standards::name::Name;

/// The policy on source distributions (`--wheels`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Wheels {
    /// Source is barred.
    Only,
    /// A release with a wheel is preferred to a newer one without.
    #[default]
    First,
    /// Releases are not told apart by it.
    Any,
}

/// Which of several releases is better (`--prefer`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Prefer {
    /// The newest.
    #[default]
    Newest,
    /// The oldest.
    Oldest,
}

/// What is done about releases that are of different times (`--chronology`; docs/choice.md, dates).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Chronology {
    /// What an ask needs that is held below its newest is of its time, and what has strong facts
    /// against it is left out as long as a solution does without.
    #[default]
    Heed,
    /// The same, with every ask as if it were held.
    Follow,
    /// They are told.
    Caution,
    /// Nothing.
    Ignore,
}

impl Chronology {
    /// Whether dates have a part in the choice.
    pub fn decides(self) -> bool {
        matches!(self, Chronology::Heed | Chronology::Follow)
    }

    /// All of them, in the order in which they are told.
    pub const ALL: [Chronology; 4] = [
        Chronology::Heed,
        Chronology::Follow,
        Chronology::Caution,
        Chronology::Ignore,
    ];

    /// The one of a word.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|c| c.as_str() == word)
    }

    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Chronology::Heed => "heed",
            Chronology::Follow => "follow",
            Chronology::Caution => "caution",
            Chronology::Ignore => "ignore",
        }
    }
}

/// Which projects admit pre-releases by wish (`--prereleases`).
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Prereleases {
    /// Those that the standard's rule admits.
    #[default]
    ByRule,
    /// These projects too.
    Of(Vec<Name>),
    /// All projects.
    All,
}

impl Prereleases {
    /// Whether the user admits pre-releases of a project.
    pub fn admits(&self, project: &Name) -> bool {
        match self {
            Prereleases::ByRule => false,
            Prereleases::Of(projects) => projects.contains(project),
            Prereleases::All => true,
        }
    }
}

/// The policy of one run.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Policy {
    /// On source distributions.
    pub wheels: Wheels,
    /// Projects whose source may be built, also where the policy is wheels only.
    pub build: Vec<Name>,
    /// Projects that are built from source whatever wheels they have.
    pub rebuild: Vec<Name>,
    /// All source without native code may be built.
    pub build_light: bool,
    /// All source may be built.
    pub build_all: bool,
    /// On pre-releases.
    pub prereleases: Prereleases,
    /// Files published after this moment do not exist.
    pub as_of: Option<Timestamp>,
    /// Files without date exist under a date too.
    pub take_undated: bool,
    /// Which release is better.
    pub prefer: Prefer,
    /// On releases that have never met.
    pub chronology: Chronology,
}

impl Policy {
    /// Whether the source of a project may be built whatever it is.
    pub fn builds(&self, project: &Name) -> bool {
        self.build_all || self.build.contains(project) || self.rebuild.contains(project)
    }
}
