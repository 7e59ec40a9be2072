//! What is here: the environment, the pins, what is asked, what starts; and what comes next.

use std::path::PathBuf;

use eutaxis_world::environment::Standing;

/// All of it.
#[derive(Debug)]
pub(crate) struct Here {
    /// The environment that counts: the one that is entered, else that of this folder.
    pub(crate) environment: Option<Environment>,
    /// That of this folder, where another one is entered.
    pub(crate) other: Option<PathBuf>,
    /// Other environments that PATH leads to: shells within each other.
    pub(crate) beside: Vec<PathBuf>,
    pub(crate) pins: Option<Pins>,
    /// Pins that are there and cannot be read.
    pub(crate) unread: Option<PathBuf>,
    pub(crate) asks: Option<Asks>,
    /// What starts, by who starts it.
    pub(crate) starts: Vec<Starts>,
    /// A place is named where files come from.
    pub(crate) has_depot: bool,
}

/// An environment.
#[derive(Debug)]
pub(crate) struct Environment {
    pub(crate) root: PathBuf,
    /// The shell has entered it.
    pub(crate) entered: bool,
    pub(crate) standing: Standing,
}

/// Pins in this folder.
#[derive(Debug)]
pub(crate) struct Pins {
    pub(crate) path: PathBuf,
    /// So many projects are pinned.
    pub(crate) projects: usize,
    /// The environment that goes with them, and what it lacks or has in another release; none where
    /// it is not there.
    pub(crate) held: Option<Held>,
}

/// How an environment holds pins.
#[derive(Debug)]
pub(crate) struct Held {
    pub(crate) root: PathBuf,
    /// What is pinned and not there.
    pub(crate) absent: Vec<String>,
    /// What is there in another release.
    pub(crate) other: Vec<String>,
}

impl Held {
    pub(crate) fn is_all(&self) -> bool {
        self.absent.is_empty() && self.other.is_empty()
    }
}

/// What is asked for in this folder.
#[derive(Debug)]
pub(crate) struct Asks {
    pub(crate) path: PathBuf,
    /// So many asks; why it cannot be read.
    pub(crate) number: Result<usize, String>,
    /// What it says otherwise than when the pins were settled; none where they say the same, or there
    /// are no pins.
    pub(crate) moved: Option<String>,
}

/// Who starts an interpreter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Who {
    /// The shell, by the bare name.
    Shell,
    /// An editor.
    Editor,
    /// A notebook.
    Notebook,
}

/// What starts.
#[derive(Debug)]
pub(crate) struct Starts {
    pub(crate) who: Who,
    /// The name or the file that says so.
    pub(crate) by: String,
    pub(crate) interpreter: PathBuf,
    /// How that stands to the environment that counts.
    pub(crate) standing: Start,
}

/// How what starts stands to the environment that counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Start {
    /// It is its interpreter, or no environment counts.
    Own,
    /// It is another one.
    Another,
    /// It is a text that starts another program: which, is not known without starting it.
    Forwards,
    /// It is not there.
    Gone,
}

/// What comes next.
#[derive(Debug)]
pub(crate) struct Next {
    /// A line to type.
    pub(crate) line: String,
    /// What it does.
    pub(crate) why: String,
}
