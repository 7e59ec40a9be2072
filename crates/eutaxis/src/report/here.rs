//! What is here, for programs: prompts of shells, editors.

use schemars::JsonSchema;
use serde::Serialize;

use crate::answer::here as found;

use super::shown;

/// What the program answers without a command.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Here {
    /// The environment that is entered, else that of this folder.
    pub(crate) environment: Option<Environment>,
    /// That of this folder, where another one is entered.
    pub(crate) other: Option<String>,
    /// Other environments that PATH leads to.
    pub(crate) beside: Vec<String>,
    pub(crate) pins: Option<Pins>,
    /// Pins that are there and cannot be read.
    pub(crate) unread: Option<String>,
    pub(crate) asks: Option<Asks>,
    pub(crate) agree: Agree,
    pub(crate) starts: Vec<Starts>,
    pub(crate) next: Next,
}

/// An environment.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Environment {
    path: String,
    entered: bool,
    /// The version of its interpreter, as it was recorded.
    interpreter_version: Option<String>,
    /// Its base interpreter.
    base: Option<String>,
    /// So many projects are placed in it.
    projects: usize,
    /// `base-gone`, `moved`, `gone`, `no-interpreter`.
    faults: Vec<String>,
}

/// Pins in this folder.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Pins {
    path: String,
    projects: usize,
    /// What is pinned and not in their environment; null where that is not there.
    absent: Option<Vec<String>>,
    /// What is there in another release.
    other: Option<Vec<String>>,
}

/// What is asked for in this folder.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Asks {
    path: String,
    /// So many; null where the file cannot be read.
    asks: Option<usize>,
    /// What it says otherwise than when the pins were settled.
    moved: Option<String>,
}

/// Whether they go together; null where one of the two is not there.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Agree {
    asks_pins: Option<bool>,
    pins_environment: Option<bool>,
}

/// What starts.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Starts {
    #[schemars(extend("enum" = ["shell", "editor", "notebook"]))]
    who: String,
    /// The name, or the file that says so.
    by: String,
    interpreter: String,
    #[schemars(extend("enum" = ["own", "another", "forwards", "gone"]))]
    standing: String,
}

/// What comes next.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Next {
    /// A line to type.
    line: String,
    /// What it does.
    why: String,
}

impl Here {
    pub(crate) fn new(here: &found::Here, next: &found::Next) -> Self {
        let pins = here.pins.as_ref();
        let held = pins.and_then(|p| p.held.as_ref());
        Here {
            environment: here.environment.as_ref().map(Environment::from),
            other: here.other.as_deref().map(shown),
            beside: here.beside.iter().map(|root| shown(root)).collect(),
            pins: pins.map(|pins| Pins {
                path: shown(&pins.path),
                projects: pins.projects,
                absent: held.map(|h| h.absent.clone()),
                other: held.map(|h| h.other.clone()),
            }),
            unread: here.unread.as_deref().map(shown),
            asks: here.asks.as_ref().map(|asks| Asks {
                path: shown(&asks.path),
                asks: asks.number.as_ref().ok().copied(),
                moved: asks.moved.clone(),
            }),
            agree: Agree {
                asks_pins: pins.and(here.asks.as_ref()).map(|a| a.moved.is_none()),
                pins_environment: held.map(found::Held::is_all),
            },
            starts: here.starts.iter().map(Starts::from).collect(),
            next: Next {
                line: next.line.clone(),
                why: next.why.clone(),
            },
        }
    }
}

impl From<&found::Environment> for Environment {
    fn from(found: &found::Environment) -> Self {
        let standing = &found.standing;
        let faults = standing.faults.iter().map(|f| f.as_str().to_owned());
        Environment {
            path: shown(&found.root),
            entered: found.entered,
            interpreter_version: standing.version.clone(),
            base: standing.base.as_deref().map(shown),
            projects: standing.projects.len(),
            faults: faults.collect(),
        }
    }
}

impl From<&found::Starts> for Starts {
    fn from(starts: &found::Starts) -> Self {
        let who = match starts.who {
            found::Who::Shell => "shell",
            found::Who::Editor => "editor",
            found::Who::Notebook => "notebook",
        };
        let standing = match starts.standing {
            found::Start::Own => "own",
            found::Start::Another => "another",
            found::Start::Forwards => "forwards",
            found::Start::Gone => "gone",
        };
        Starts {
            who: who.to_owned(),
            by: starts.by.clone(),
            interpreter: shown(&starts.interpreter),
            standing: standing.to_owned(),
        }
    }
}
