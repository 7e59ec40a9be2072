//! What to do about something that is wrong, as a value: words, what carries it out, and what that
//! rests on. How a step is typed is the program's to say.

use eutaxis_standards::evidence::Evidence;

/// Where the pins of a remedy go that must not write over others.
pub const MEND: &str = "pylock.mend.toml";

/// What to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remedy {
    /// In words.
    pub words: String,
    /// What does it, where something can be typed.
    pub step: Option<Step>,
    /// What its word rests on; none where it is only suggested.
    pub evidence: Option<Evidence>,
}

/// Something that is carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// Commands of the program, each when the one before has done it.
    Run(Vec<Invocation>),
    /// Something else, once a file is out of the way.
    Without {
        /// The file, which goes.
        file: String,
        /// What comes then.
        then: Box<Step>,
    },
    /// Entering an environment.
    Enter {
        /// Its folder.
        environment: String,
    },
    /// A program that is run by an interpreter, or by itself.
    Start(Vec<String>),
    /// A line for the system, or for a file.
    Line(String),
}

/// A command of the program with its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Invocation {
    /// The command.
    pub verb: Verb,
    /// What stands behind it, word by word, as the program gets them.
    pub words: Vec<String>,
}

/// A macro for the commands and their names, so that none is told twice.
macro_rules! verbs {
    ($($verb:ident $name:literal $about:literal,)*) => {
        /// The commands of the program.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum Verb {
            $(#[doc = $about] $verb,)*
        }

        impl Verb {
            /// All of them.
            pub const ALL: &[Verb] = &[$(Verb::$verb,)*];

            /// Its name.
            pub fn as_str(self) -> &'static str {
                match self {
                    $(Verb::$verb => $name,)*
                }
            }
        }
    };
}

verbs! {
    Survey "survey" "What is this machine?",
    Shortlist "shortlist" "Which releases of a project?",
    Span "span" "Which interpreter?",
    Settle "settle" "Which exact files?",
    Reason "reason" "Why this one?",
    Gather "gather" "The pinned files into a folder.",
    Furnish "furnish" "The environment.",
    Examine "examine" "What is wrong there?",
    Rehearse "rehearse" "What would move?",
    Diagnose "diagnose" "What broke?",
    Assay "assay" "What does a wheel need?",
    Locate "locate" "Where is a module?",
    Proofread "proofread" "What is wrong in a list?",
    Stock "stock" "What does the cache hold?",
}

impl Verb {
    /// By its name.
    pub fn of(name: &str) -> Option<Self> {
        Verb::ALL.iter().copied().find(|v| v.as_str() == name)
    }

    /// Whether its answer comes from depots, for a target.
    pub fn asks_depots(self) -> bool {
        matches!(self, Verb::Settle | Verb::Shortlist | Verb::Span)
    }
}

impl Invocation {
    /// A command with its words.
    pub fn new<T: Into<String>>(verb: Verb, words: impl IntoIterator<Item = T>) -> Self {
        Invocation {
            verb,
            words: words.into_iter().map(Into::into).collect(),
        }
    }

    /// The same with more words behind.
    #[must_use]
    pub fn with<T: Into<String>>(mut self, words: impl IntoIterator<Item = T>) -> Self {
        self.words.extend(words.into_iter().map(Into::into));
        self
    }
}

impl Step {
    /// Names a file otherwise, in the commands of the program.
    pub fn rename(&mut self, file: &str, other: &str) {
        match self {
            Step::Run(all) => {
                let words = all.iter_mut().flat_map(|one| &mut one.words);
                words
                    .filter(|w| *w == file)
                    .for_each(|w| other.clone_into(w));
            }
            Step::Without { then, .. } => then.rename(file, other),
            Step::Enter { .. } | Step::Start(_) | Step::Line(_) => {}
        }
    }

    /// One command.
    pub fn run<T: Into<String>>(verb: Verb, words: impl IntoIterator<Item = T>) -> Self {
        Step::Run(vec![Invocation::new(verb, words)])
    }

    /// Looking at the releases of a project.
    pub fn shortlist(project: impl Into<String>) -> Self {
        Step::run(Verb::Shortlist, [project])
    }

    /// Releases that go together.
    pub fn settle<T: Into<String>>(asks: impl IntoIterator<Item = T>) -> Self {
        Step::run(Verb::Settle, asks)
    }

    /// What would move if something were added to an environment.
    pub fn rehearse(ask: impl Into<String>, environment: impl Into<String>) -> Self {
        Step::run(
            Verb::Rehearse,
            [ask.into(), "--in".into(), environment.into()],
        )
    }

    /// Bringing an environment to its pins; `pins` where they are not the usual ones.
    pub fn furnish(pins: Option<&str>, environment: &str, tidy: bool) -> Self {
        let mut words: Vec<&str> = pins.into_iter().collect();
        words.extend(["--at", environment]);
        words.extend(tidy.then_some("--tidy"));
        Step::run(Verb::Furnish, words)
    }

    /// Looking into an environment once more, with all that can be told.
    pub fn examine() -> Self {
        Step::run(Verb::Examine, ["-v"])
    }

    /// The first command that it runs.
    pub fn verb(&self) -> Option<Verb> {
        match self {
            Step::Run(all) => all.first().map(|i| i.verb),
            Step::Without { then, .. } => then.verb(),
            Step::Enter { .. } | Step::Start(_) | Step::Line(_) => None,
        }
    }
}

impl Remedy {
    /// Words, and what does it.
    pub fn new(words: impl Into<String>, step: Step) -> Self {
        Remedy {
            words: words.into(),
            step: Some(step),
            evidence: None,
        }
    }

    /// The same, resting on something.
    #[must_use]
    pub fn resting_on(self, evidence: Evidence) -> Self {
        Remedy {
            evidence: Some(evidence),
            ..self
        }
    }

    /// Looking for another release of a project.
    pub(crate) fn shortlist(words: impl Into<String>, project: impl ToString) -> Self {
        Remedy::new(words, Step::shortlist(project.to_string()))
    }
}

impl From<String> for Remedy {
    fn from(words: String) -> Self {
        Remedy {
            words,
            step: None,
            evidence: None,
        }
    }
}

impl From<&str> for Remedy {
    fn from(words: &str) -> Self {
        words.to_owned().into()
    }
}
