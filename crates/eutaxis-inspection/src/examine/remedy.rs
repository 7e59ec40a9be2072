//! What to do about a finding, as a value: words, and the step of the program that does it. How a
//! step is typed is the program's to say.

/// What to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remedy {
    /// In words.
    pub words: String,
    /// What does it, where the program can.
    pub step: Option<Step>,
}

/// A step of the program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// Looking at the releases of a project; `PROJECT` where nobody owns what it is about.
    Shortlist {
        /// The project.
        project: String,
    },
    /// Releases that go together.
    Settle {
        /// What is asked for, as requirements.
        asks: Vec<String>,
    },
    /// What would move if something were added.
    Rehearse {
        /// The requirement.
        ask: String,
        /// The environment.
        environment: String,
    },
    /// Bringing an environment to its pins.
    Furnish {
        /// The file of the pins, where it is not the usual one.
        pins: Option<String>,
        /// The environment.
        environment: String,
        /// Taking away what is in no pins.
        tidy: bool,
    },
    /// Something else, once a file is out of the way.
    Without {
        /// The file, which goes.
        file: String,
        /// What comes then.
        then: Box<Step>,
    },
    /// Looking into the environment once more, with all that can be told.
    Examine,
    /// Something that was worked out as it is typed.
    Typed(String),
}

impl Remedy {
    /// Words, and what does it.
    pub fn new(words: impl Into<String>, step: Step) -> Self {
        Remedy {
            words: words.into(),
            step: Some(step),
        }
    }

    /// Looking for another release of a project.
    pub(super) fn shortlist(words: impl Into<String>, project: impl ToString) -> Self {
        let project = project.to_string();
        Remedy::new(words, Step::Shortlist { project })
    }
}

impl From<String> for Remedy {
    fn from(words: String) -> Self {
        Remedy { words, step: None }
    }
}

impl From<&str> for Remedy {
    fn from(words: &str) -> Self {
        words.to_owned().into()
    }
}
